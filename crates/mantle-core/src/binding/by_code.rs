//! Default bindings of a pad shaped like the device: each axis plays the axis with the same kernel code, each button the one with its
//! number, each hat the next one. Nothing is left unused while there is room.

use super::How;
use super::bindings::Bindings;
use crate::control::{Control, ControlKind, PartLayout};
use crate::pad::{BUTTONS, FIRST_LINE, FLIGHT_AXES, FlightShape, HATS, PadKind, PadModel, PadTarget};
use mantle_hid::{Usage, usage, usage::page};

/// The lane for a usage: that of its kernel code.
fn lane_of(usage: Usage) -> Option<usize> {
    let named = |name: &str| FLIGHT_AXES.iter().find(|(own, _)| *own == name).map(|(_, lane)| *lane);
    Some(match usage {
        usage::X => 0,
        usage::Y => 1,
        usage::RX => 2,
        usage::RY => 3,
        usage::Z => FIRST_LINE,
        usage::RZ => FIRST_LINE + 1,
        usage::SLIDER | usage::DIAL | usage::THROTTLE => named("throttle")?,
        usage::RUDDER => named("rudder")?,
        usage::STEERING => named("wheel")?,
        usage::ACCELERATOR => named("gas")?,
        usage::BRAKE => named("brake")?,
        _ => return None,
    })
}

/// Where an axis goes if its own lane is taken or it has none: the first free one of these.
const NEXT: [usize; 13] = [
    FIRST_LINE + 2,
    FIRST_LINE + 3,
    FIRST_LINE + 4,
    FIRST_LINE + 5,
    FIRST_LINE + 6,
    2,
    3,
    FIRST_LINE + 1,
    FIRST_LINE + 7,
    FIRST_LINE + 8,
    FIRST_LINE + 9,
    FIRST_LINE + 10,
    FIRST_LINE + 11,
];

/// The lanes of a part's axes that the pad has.
fn places(part: &PartLayout, has: impl Fn(usize) -> bool) -> Vec<(&Control, Option<usize>)> {
    let mut all: Vec<(&Control, Option<usize>)> = part
        .controls
        .iter()
        .filter(|control| control.kind == ControlKind::Axis)
        .map(|control| (control, None))
        .collect();
    all.sort_by_key(|(control, _)| control.declared);
    for at in 0..all.len() {
        let own = lane_of(all[at].0.usage).filter(|lane| has(*lane));
        all[at].1 = own.filter(|lane| !all.iter().any(|(_, taken)| *taken == Some(*lane)));
    }
    for at in 0..all.len() {
        if all[at].1.is_none() {
            let free = |lane: &&usize| has(**lane) && !all.iter().any(|(_, taken)| *taken == Some(**lane));
            all[at].1 = NEXT.iter().find(free).copied();
        }
    }
    all
}

/// A part's buttons with their numbers from 0: its own number, or the next one after all others.
fn numbers(part: &PartLayout) -> Vec<(&Control, usize)> {
    let buttons = || part.controls.iter().filter(|control| control.kind == ControlKind::Button);
    let own = |control: &Control| match control.usage.page() == page::BUTTON && control.usage.id() > 0 {
        true => Some(usize::from(control.usage.id()) - 1),
        false => None,
    };
    let mut next = buttons().filter_map(own).max().map_or(0, |last| last + 1);
    let number = |control| {
        let number = own(control).unwrap_or(next);
        next = next.max(number + 1);
        (control, number)
    };
    buttons().map(number).collect()
}

/// The default bindings of a part on such a pad.
pub(super) fn by_code(part: &PartLayout, model: &PadModel) -> Bindings {
    let mut out = Bindings::default();
    let of_lane = |lane: usize| {
        let mut all = model.on_lane(lane);
        [all.next(), all.next()]
    };
    let no_room = "the pad has no room for it: choose one with more axes, buttons or hats";
    for (control, lane) in places(part, |lane| of_lane(lane)[0].is_some()) {
        match lane.map(of_lane) {
            Some([Some(low), Some(high)]) => {
                let (low, high) =
                    if low.axis().is_some_and(|(_, sign)| sign < 0.0) { (low, high) } else { (high, low) };
                out.bind(low, control, How::LowerHalf);
                out.bind(high, control, How::UpperHalf);
            }
            Some([Some(pulled), None]) => out.bind(pulled, control, How::Travel),
            _ => out.leave(control, no_room),
        }
    }
    for (control, number) in numbers(part) {
        let button = u8::try_from(number).ok().filter(|number| *number < BUTTONS).map(PadTarget::Button);
        match button.filter(|button| model.has(*button)) {
            Some(button) => out.bind(button, control, How::Down),
            None => out.leave(control, no_room),
        }
    }
    let hats = part.controls.iter().filter(|control| control.kind == ControlKind::Hat);
    for (at, control) in hats.enumerate() {
        let hat = u8::try_from(at).ok().filter(|hat| *hat < HATS && model.has(PadTarget::hat(*hat)[0]));
        match hat {
            Some(hat) => {
                for (bit, target) in [1, 2, 4, 8].into_iter().zip(PadTarget::hat(hat)) {
                    out.bind(target, control, How::Direction(bit));
                }
            }
            None => out.leave(control, no_room),
        }
    }
    out
}

/// The flight stick with room for everything a part has, as far as flight sticks go.
#[must_use]
pub fn proposed(part: &PartLayout) -> FlightShape {
    let all = |lane: usize| FLIGHT_AXES.iter().any(|(_, own)| *own == lane);
    let bit = |lane: usize| FLIGHT_AXES.iter().position(|(_, own)| *own == lane).map_or(0, |code| 1u16 << code);
    let axes = places(part, all).into_iter().filter_map(|(_, lane)| lane).fold(0, |axes, lane| axes | bit(lane));
    let buttons = numbers(part).into_iter().map(|(_, number)| number + 1).max().unwrap_or(1);
    let hats = part.controls.iter().filter(|control| control.kind == ControlKind::Hat).count();
    FlightShape::new(axes, u8::try_from(buttons).unwrap_or(u8::MAX), u8::try_from(hats).unwrap_or(u8::MAX))
}

/// The kinds of pad possible for a part, each shaped like the part, and which of them suits it best.
#[must_use]
pub fn offered(part: &PartLayout) -> (Vec<PadKind>, PadKind) {
    let all = PadKind::offers(proposed(part));
    let best = all.iter().find(|kind| kind.is_shaped() == super::default::flies(part)).cloned();
    (all.to_vec(), best.unwrap_or_default())
}
