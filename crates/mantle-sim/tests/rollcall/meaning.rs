//! A random choice of what somebody wants played by what, for a device.

use crate::desk::Desk;
use crate::draw::Draw;
use mantle_core::binding::Target;
use mantle_core::control::{Control, ControlKind, Place};
use mantle_core::pad::{PadTarget, TARGETS};
use mantle_talk::HandMove;

/// A movement of one control.
#[derive(Clone, PartialEq, Debug)]
pub enum Way {
    /// Pressed.
    Down,
    /// A hat's direction, in quarters clockwise from up.
    Toward(u8),
    /// To the end of its range: 0 or 1.
    End(u8),
}

/// What is moved for a target, and how.
#[derive(Clone, PartialEq, Debug)]
pub struct Meant {
    pub target: Target,
    pub control: String,
    pub way: Way,
}

impl Meant {
    /// As the source of a profile.
    pub fn source(&self, rest: f32) -> String {
        let name = &self.control;
        match self.way {
            Way::Down => name.clone(),
            Way::Toward(quarter) => format!("{name} {}", ["up", "right", "down", "left"][usize::from(quarter)]),
            Way::End(_) if !(0.25..0.75).contains(&rest) => format!("{name} whole"),
            Way::End(0) => format!("{name} lower half"),
            Way::End(_) => format!("{name} upper half"),
        }
    }
}

/// The rest of the device's control, as a share of its range.
pub fn rest(desk: &Desk, control: &Control) -> f32 {
    match control.place {
        Place::Value(value) => control.share(desk.frame().values[usize::from(value)]),
        Place::Bit(_) => 0.0,
    }
}

/// The whole of a control's travel, at once.
pub fn put(desk: &mut Desk, meant: &Meant, share: f32) {
    let control = desk.control(&meant.control).number.0;
    let act = match meant.way {
        Way::Down if share > 0.5 => HandMove::Put { control, share: 1.0 },
        Way::Toward(quarter) if share > 0.5 => HandMove::Put { control, share: f32::from(quarter) / 4.0 },
        Way::End(_) => HandMove::Put { control, share },
        _ => HandMove::Rest { control },
    };
    desk.interface.handle_move(0, act);
}

use PadTarget::{Down, Left, LeftStickDown, LeftStickLeft, LeftStickRight, LeftStickUp, LeftTrigger, Right};
use PadTarget::{RightStickDown, RightStickLeft, RightStickRight, RightStickUp, RightTrigger, Up};

/// Draws what plays what: sticks by pairs of axes that rest in the middle, either way around, triggers by axes that rest at an end or by both halves
/// of one that does not, the d-pad by a hat, everything else by buttons in any order; some of it by nothing.
pub fn draw(desk: &Desk, draw: &mut Draw) -> Vec<Meant> {
    let all = desk.part().controls.clone();
    let of = |kind: ControlKind| all.iter().filter(move |control| control.kind == kind);
    let names = |list: Vec<&Control>| list.into_iter().map(|control| control.name.clone()).collect::<Vec<_>>();
    let ends = |control: &&Control| !(0.25..0.75).contains(&rest(desk, control));
    let (ended, mut centred): (Vec<&Control>, Vec<&Control>) = of(ControlKind::Axis).partition(|one| ends(one));
    let mut out = Vec::new();
    draw.shuffle(&mut centred);
    let (mut ended, mut centred) = (names(ended), names(centred));
    let mut buttons = names(of(ControlKind::Button).collect());
    draw.shuffle(&mut buttons);
    let mut halves = |out: &mut Vec<Meant>, control: &str, low: PadTarget, high: PadTarget| {
        let turned = u8::from(draw.chance(0.3));
        for (target, end) in [(low, turned), (high, 1 - turned)] {
            out.push(Meant { target: target.into(), control: control.to_owned(), way: Way::End(end) });
        }
    };
    let sticks = [
        [LeftStickUp, LeftStickDown, LeftStickLeft, LeftStickRight],
        [RightStickUp, RightStickDown, RightStickLeft, RightStickRight],
    ];
    for [up, down, left, right] in sticks {
        if let Some([x, y]) = (centred.len() >= 2).then(|| [(); 2].map(|()| centred.remove(0))) {
            halves(&mut out, &y, up, down);
            halves(&mut out, &x, left, right);
        }
    }
    if let Some(shared) = centred.pop() {
        halves(&mut out, &shared, LeftTrigger, RightTrigger);
    }
    for target in [LeftTrigger, RightTrigger] {
        if let Some(control) = (!out.iter().any(|meant| meant.target == target)).then(|| ended.pop()).flatten() {
            let end = desk.control(&control);
            let way = Way::End(u8::from(rest(desk, &end) < 0.5));
            out.push(Meant { target: target.into(), control, way });
        }
    }
    if let Some(hat) = of(ControlKind::Hat).next() {
        for (quarter, target) in [Up, Right, Down, Left].into_iter().enumerate() {
            out.push(Meant { target: target.into(), control: hat.name.clone(), way: Way::Toward(quarter as u8) });
        }
    }
    for target in TARGETS.into_iter().filter(|target| !target.is_stick()) {
        let free = !out.iter().any(|meant| meant.target == target) && draw.chance(0.9);
        if let Some(control) = free.then(|| buttons.pop()).flatten() {
            out.push(Meant { target: target.into(), control, way: Way::Down });
        }
    }
    out
}

/// The same for a pad of any model, using only what that has: axes with two ends by axes that rest in the middle, either way around, those with one
/// end by axes that rest at an end, hats by hats, buttons by buttons in any order; some of it by nothing.
pub fn draw_any(desk: &Desk, draw: &mut Draw) -> Vec<Meant> {
    let (model, all) = (desk.model(), desk.part().controls.clone());
    let of = |kind: ControlKind| all.iter().filter(move |control| control.kind == kind);
    let ends = |control: &&Control| !(0.25..0.75).contains(&rest(desk, control));
    let (mut ended, mut centred): (Vec<&Control>, Vec<&Control>) = of(ControlKind::Axis).partition(|one| ends(one));
    let mut buttons: Vec<&Control> = of(ControlKind::Button).collect();
    draw.shuffle(&mut ended);
    draw.shuffle(&mut centred);
    draw.shuffle(&mut buttons);
    let mut out = Vec::new();
    for axis in &model.axes {
        let own: Vec<Target> = model.on_lane(axis.lane).map(Target::Pad).collect();
        match own.as_slice() {
            [low, high] => {
                let Some(control) = centred.pop() else { continue };
                let turned = u8::from(draw.chance(0.3));
                for (target, end) in [(*low, turned), (*high, 1 - turned)] {
                    out.push(Meant { target, control: control.name.clone(), way: Way::End(end) });
                }
            }
            [target] => {
                let Some(control) = ended.pop() else { continue };
                let way = Way::End(u8::from(rest(desk, control) < 0.5));
                out.push(Meant { target: *target, control: control.name.clone(), way });
            }
            _ => {}
        }
    }
    for (at, hat) in of(ControlKind::Hat).enumerate().take(model.hats.len()) {
        let [up, down, left, right] = PadTarget::hat(at as u8);
        for (quarter, target) in [up, right, down, left].into_iter().enumerate() {
            out.push(Meant { target: target.into(), control: hat.name.clone(), way: Way::Toward(quarter as u8) });
        }
    }
    for (target, _) in &model.keys {
        if let Some(control) = draw.chance(0.9).then(|| buttons.pop()).flatten() {
            out.push(Meant { target: (*target).into(), control: control.name.clone(), way: Way::Down });
        }
    }
    out
}
