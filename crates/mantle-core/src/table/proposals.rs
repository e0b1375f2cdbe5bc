//! Proposals: what the program itself could do about a trouble, as commands that the person only has to confirm.

use super::{PLAIN, Slot, Table};
use crate::binding::{Change, Named, OptionChange, Profile, Target, meant};
use crate::command::Command;
use crate::control::ControlKind;
use crate::device::DeviceId;
use crate::feel::{Feel, Setting, Shaped, percent};
use crate::pad::{FIRST_LINE, PadKind, PadModel, PadTarget};
use crate::path::Proposal;
use crate::session::Member;
use crate::slot::SlotNumber;
use crate::watch::{Ailment, Outcome};

/// Smoothing that hides a single wrong value, in milliseconds.
pub(super) const HIDES_JUMPS: u16 = 50;

fn edit(slot: SlotNumber, words: String, changes: Vec<Change>) -> Proposal {
    Proposal { words, command: Command::Edit { slot, changes } }
}

/// What has the feel for this lane: a stick, or the lane by itself.
pub(super) fn felt_as(model: &PadModel, feel: &Feel, lane: usize) -> Shaped {
    let stick = model.sticks.iter().any(|stick| stick.lanes.contains(&lane));
    match (Shaped::LANES.get(lane), lane.checked_sub(FIRST_LINE)) {
        (Some(_), _) if lane < 4 && stick && !feel.is_apart(lane / 2) => {
            if lane < 2 {
                Shaped::LeftStick
            } else {
                Shaped::RightStick
            }
        }
        (Some(own), _) => *own,
        (None, line) => Shaped::Line(line.unwrap_or(0) as u8),
    }
}

/// The name of a layer by index; the base has none.
fn layer_name(profile: &Profile, layer: usize) -> String {
    profile.layer(layer).map(|layer| layer.name.clone()).unwrap_or_default()
}

/// The remedy for an ailing control: a feel that covers it, or unbinding it.
pub(super) fn of_ailing(
    number: SlotNumber,
    slot: &Slot,
    lane: Option<usize>,
    targets: &[Target],
    ailment: &Ailment,
    dead_zone: Option<f32>,
) -> Option<Proposal> {
    let shaped = lane.map(|lane| felt_as(&slot.model, slot.session.feel(), lane));
    let feel = |what: &str, setting| Some(set_feel(number, shaped?, &slot.model, what, setting));
    let thousandths = |share: f32| (share * 1000.0).round() as u16;
    match ailment {
        Ailment::Drifts(_) | Ailment::Trembles(_) => {
            let zone = dead_zone?;
            feel(&format!("a dead zone of {}", percent(zone)), Setting::DeadZone(thousandths(zone)))
        }
        Ailment::Short(end, _) => {
            let zone = ((1.0 - end) * 100.0).ceil() / 100.0;
            feel(&format!("an outer dead zone of {}", percent(zone)), Setting::Outer(thousandths(zone.min(0.5))))
        }
        Ailment::Jumps(_) => feel(&format!("smoothing of {HIDES_JUMPS} ms"), Setting::Smoothing(HIDES_JUMPS)),
        Ailment::Down(..) => {
            let nothing = |target: &Target| Change::Source {
                target: *target,
                layer: String::new(),
                source: Some("none".into()),
                inverted: false,
            };
            let names: Vec<&str> = targets.iter().map(|target| target.name_on(&slot.model)).collect();
            let words = format!("unbind {}", names.join(" and "));
            (!targets.is_empty()).then(|| edit(number, words, targets.iter().map(nothing).collect()))
        }
    }
}

/// The remedy for a feel that blocks everything.
pub(super) fn of_shut(number: SlotNumber, shaped: Shaped, model: &PadModel, setting: Setting) -> Proposal {
    let what = match &setting {
        Setting::DeadZone(zone) => format!("a dead zone of {}", percent(f32::from(*zone) / 1000.0)),
        Setting::Sensitivity(_) => "a sensitivity of 1".into(),
        Setting::Smoothing(_) => "no smoothing".into(),
        _ => "a straight curve".into(),
    };
    set_feel(number, shaped, model, &what, setting)
}

fn set_feel(number: SlotNumber, shaped: Shaped, model: &PadModel, what: &str, setting: Setting) -> Proposal {
    let words = format!("set {what} for the {}", shaped.name_on(model));
    edit(number, words, vec![Change::Feel(shaped, setting)])
}

/// The command that holds the only mouse while it plays.
pub(super) fn taking_pointer(device: DeviceId) -> Proposal {
    Proposal { words: "hold the mouse while it plays".into(), command: Command::TakePointer { device, taken: true } }
}

/// The remedy for a profile with rules that nothing plays.
pub(super) fn of_profile(
    number: SlotNumber,
    slot: &Slot,
    profile: &Profile,
    lost: &[(u32, String)],
) -> Option<Proposal> {
    let rules = profile.rules.iter().filter(|rule| rule.source.is_some()).count();
    if rules > 1 && lost.len() == rules {
        return Some(as_guessed(number));
    }
    let (line, _) = lost.first()?;
    let rule = profile.rules.iter().find(|rule| rule.line == *line)?;
    let source = rule.source.as_ref()?;
    let known = slot.session.members.iter().flat_map(Member::controls);
    let meant = meant(known.map(|control| control.name.as_str()), &source.control)?;
    let source = Named { control: meant.to_owned(), part: source.part }.text();
    let layer = layer_name(profile, rule.layer);
    let words = format!("bind {source} to {}", rule.target.name_on(&slot.model));
    let inverted = rule.options.inverted;
    let change = Change::Source { target: rule.target, layer, source: Some(source), inverted };
    Some(edit(number, words, vec![change]))
}

/// The command that returns to the default bindings.
pub(super) fn as_guessed(number: SlotNumber) -> Proposal {
    Proposal {
        words: "play the default bindings".into(),
        command: Command::PlayBy { slot: number, profile: PLAIN.into() },
    }
}

/// The command that would let a lost press play.
pub(super) fn of_press(
    number: SlotNumber,
    slot: &Slot,
    profile: &Profile,
    member: &Member,
    control: &str,
    outcome: &Outcome,
) -> Option<Proposal> {
    match outcome {
        Outcome::Unbound(_) => {
            let own = member.controls().iter().find(|own| own.name == control)?;
            let button = matches!(own.kind, ControlKind::Button | ControlKind::Key);
            let bound = slot.session.members.iter().fold(0, |all, member| all | member.bound());
            let free = |target: &&PadTarget| target.axis().is_none() && bound & target.mask() == 0;
            let target = *slot.model.targets.iter().find(free).filter(|_| button)?;
            let source = Some(own.name.clone());
            let words = format!("bind it to {}", slot.model.name_of(target));
            let change = Change::Source { target: target.into(), layer: String::new(), source, inverted: false };
            Some(edit(number, words, vec![change]))
        }
        Outcome::Below(_, way, target, at) => {
            let layer = layer_name(profile, *at);
            let rule = profile.rules.iter().find(|rule| rule.target == *target && rule.layer == *at)?;
            // Well below where it is held now.
            let from = (way * 80.0).floor() / 100.0;
            let thousandths = (from * 1000.0).round() as u16;
            let which = [
                (rule.options.threshold > 0.0).then_some(OptionChange::Threshold(thousandths)),
                rule.options.press.map(|_| OptionChange::Press(Some(thousandths))),
            ];
            let option = |which| Change::Option { target: *target, layer: layer.clone(), which };
            let words = format!("let it count from {:.0} %", from * 100.0);
            Some(edit(number, words, which.into_iter().flatten().map(option).collect()))
        }
        Outcome::Gives(given) => {
            let lane = given.iter().find_map(|(target, _)| target.lane())?;
            let shaped = felt_as(&slot.model, slot.session.feel(), lane);
            let shape = slot.session.feel().of_lane(lane);
            let numb = (shape.dead_zone > 0.3).then_some(Setting::USUAL_DEAD_ZONE);
            let back = numb.or_else(|| shape.keeps_back().map(|(.., back)| back)).unwrap_or(Setting::Curve(Vec::new()));
            Some(of_shut(number, shaped, &slot.model, back))
        }
        _ => None,
    }
}

impl Table {
    /// The command that measures a member's axes.
    pub(super) fn measuring_of(&self, number: SlotNumber, index: usize) -> Option<Proposal> {
        let (device, part) = self.part_of(number, index)?;
        let (device, part) = (device.id, part.number);
        Some(Proposal { words: "measure it".into(), command: Command::Calibrate { device, part } })
    }
}

/// The command that makes a pad a separate device.
pub(super) fn set_apart(number: SlotNumber, kind: PadKind) -> Proposal {
    Proposal { words: "make it a device of its own".into(), command: Command::Kind { slot: number, kind } }
}

/// The command that takes a slot's device out again.
/// The command that covers a device again.
pub(super) fn covering_anew(device: DeviceId) -> Proposal {
    Proposal { words: "cover it again".into(), command: Command::CoverAnew { device } }
}

pub(super) fn taking_out(number: SlotNumber) -> Proposal {
    Proposal { words: format!("take it out of {number}"), command: Command::TakeOut { slot: number } }
}
