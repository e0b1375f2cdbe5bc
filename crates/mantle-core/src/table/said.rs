//! What a command has done, in words: what, and where.

use super::Table;
use crate::binding::{Change, Combine, OptionChange, WideChange};
use crate::command::Command;
use crate::device::DeviceId;
use crate::feel::Setting;
use crate::pad::PadModel;
use crate::slot::SlotNumber;

/// Up to this many changes are listed one by one.
const TOLD: usize = 2;

impl Table {
    /// What will have been done; empty if it is obvious, or reported once it is saved.
    pub(super) fn said_of(&self, command: &Command) -> String {
        let name = |device: DeviceId| self.device(device).map_or("the device", |device| device.name.as_str());
        let name_in = |slot: SlotNumber| self.slot(slot).map_or("plain", |entry| entry.profile.as_str());
        let not = |on: bool, no: &'static str| if on { "" } else { no };
        match command {
            Command::Place { device, slot, kind, profile, .. } => {
                format!("{} plays in {slot} as {}, by {profile}", name(*device), kind.with_article())
            }
            Command::Kind { slot, kind } => format!("{slot} plays as {} now", kind.with_article()),
            Command::Move { from, to } => format!("{from} and {to} have swapped"),
            Command::TakeOut { slot } => format!("{slot} is empty"),
            Command::Restore { slot, .. } => format!("{slot} is as it was"),
            Command::Tie { device, slot, .. } => format!("{} is now tied in {slot}", name(*device)),
            Command::Lend { device, slot, .. } => {
                format!("{slot} is lent to {} until its own device is back", name(*device))
            }
            Command::SameDevice { device, slot, .. } => {
                format!("{} is the device of {slot}, over another link", name(*device))
            }
            Command::OtherDevice { device, .. } => format!("{} is a device of its own", name(*device)),
            Command::SetFeedback { slot, feedback } => {
                format!("{slot}: rumble {} %, lamps show {}", feedback.rumble, feedback.lamp.words())
            }
            Command::FindDevice { device } => format!("{} rumbles and blinks now", name(*device)),
            Command::Untie { slot, .. } => format!("one device less is tied in {slot}"),
            Command::TieAgain { slot, .. } => format!("it is now tied in {slot} again"),
            Command::LetGo => "everything is let go".into(),
            Command::Resume => "everything plays again".into(),
            Command::PauseSlot { slot, paused } => format!("{slot} {}", if *paused { "rests" } else { "plays again" }),
            Command::LetType { slot, allowed } => {
                format!("{} may {}type what it says", name_in(*slot), not(*allowed, "not "))
            }
            Command::TypeHere(here) => format!("keys are {}typed here too", not(*here, "not ")),
            Command::CoverAnew { device } => format!("{} is being covered again", name(*device)),
            Command::LeaveToGame { device, left } => {
                format!("{} is {}left to the game", name(*device), not(*left, "no longer "))
            }
            Command::TakePointer { device, taken } => {
                format!("{} is {}held while it plays", name(*device), not(*taken, "not "))
            }
            Command::Nickname { device, name: called } if called.trim().is_empty() => {
                format!("{} has its own name back", name(*device))
            }
            Command::Nickname { device, name: called } => format!("{} is now called {}", name(*device), called.trim()),
            Command::Lock(locked) => format!("the table is {}", if *locked { "locked" } else { "unlocked" }),
            Command::AskToSit(true) => "the next device without a slot that presses a button gets one".into(),
            Command::AskToSit(false) => "the board no longer asks for a press".into(),
            Command::SitByTwo(always) => {
                format!("two buttons together {}sit a device down", not(*always, "no longer "))
            }
            Command::PassOn { device, on } => {
                format!("what nothing uses of {} is {}passed on", name(*device), not(*on, "not "))
            }
            Command::PlayBy { slot, profile } => format!("{slot} plays by {profile}"),
            Command::FlipFeel { slot } => {
                let old = self.slot(*slot).is_some_and(|entry| !entry.tuning.flipped);
                format!("{slot}: the {} feel plays", if old { "old" } else { "new" })
            }
            Command::SetCalibration { device, axes, .. } if axes.is_empty() => {
                format!("the axes of {} are as the device describes them", name(*device))
            }
            Command::SetCalibration { device, .. } => format!("the axes of {} are calibrated", name(*device)),
            Command::PlayFor { pid, .. } => format!("this lasts as long as process {pid} runs"),
            Command::StepCalibration(_)
            | Command::Rule(_)
            | Command::Connect(_)
            | Command::HaveScreen(_)
            | Command::ChooseFeel { .. }
            | Command::Listen { .. }
            | Command::StopListening
            | Command::CallRoll { .. }
            | Command::StepCall(_)
            | Command::EndCall
            | Command::NewProfile { .. }
            | Command::ProfileStore(_)
            | Command::Edit { .. }
            | Command::Amend { .. }
            | Command::Undo { .. }
            | Command::Redo { .. }
            | Command::TakeBack { .. }
            | Command::MeasureFeel(_)
            | Command::WalkOutput { .. }
            | Command::EndWalk { .. }
            | Command::SendOnly { .. }
            | Command::PressFor { .. }
            | Command::Look
            | Command::TryPad { .. }
            | Command::Nudge { .. }
            | Command::LookAt(_)
            | Command::Calibrate { .. } => String::new(),
        }
    }
}

impl Table {
    /// A warning about a profile made for other kinds of pad than the slot's; none if it fits.
    pub(super) fn said_of_fit(&self, number: SlotNumber) -> Option<String> {
        let entry = self.slot(number)?;
        let profile = self.profile_of(&entry.profile);
        let kinds = profile.kinds();
        if kinds.iter().any(|name| entry.kind.answers_to(name)) {
            return None;
        }
        let lost = entry.unplayed(&profile).len();
        let lines = match lost {
            0 => String::new(),
            1 => ": one of its bindings does nothing here (B)".into(),
            many => format!(": {many} of its bindings do nothing here (B)"),
        };
        let kinds = match kinds.split_last() {
            Some((last, before)) if !before.is_empty() => format!("{} and {last}", before.join(", ")),
            _ => kinds.concat(),
        };
        Some(format!("; {} is for {kinds}{lines}", profile.name))
    }
}

/// Changes of a profile, in the names of this pad model.
pub(super) fn changes(changes: &[Change], model: &PadModel) -> String {
    let told: Vec<String> = changes.iter().take(TOLD).map(|change| one(change, model)).collect();
    match changes.len().saturating_sub(TOLD) {
        0 => told.join("; "),
        more => format!("{}; and {more} more", told.join("; ")),
    }
}

fn one(change: &Change, model: &PadModel) -> String {
    let in_layer = |layer: &str| if layer.is_empty() { String::new() } else { format!(" in {layer}") };
    let percent = |thousandths: u16| format!("{} %", f32::from(thousandths) / 10.0);
    match change {
        Change::Source { target, layer, source, inverted } => {
            let (key, target, layer) = (target.is_key(), target.name_on(model), in_layer(layer));
            match source.as_deref() {
                None if key => format!("nothing plays {target}{layer}"),
                None => format!("{target} has its default binding{layer}"),
                Some("none") => format!("nothing plays {target}{layer}"),
                Some(source) => format!("{target} ← {source}{}{layer}", if *inverted { ", inverted" } else { "" }),
            }
        }
        Change::Layer { name, hold: None, .. } => format!("the layer {name} is gone"),
        Change::Layer { name, hold: Some(hold), toggle } => {
            format!("{name} is {} {hold}", if *toggle { "switched by" } else { "held by" })
        }
        Change::Option { target, layer, which } => {
            format!("{}: {}{}", target.name_on(model), option(*which), in_layer(layer))
        }
        Change::With { target, layer, named } => {
            let target = target.name_on(model);
            match named {
                Some(named) => format!("{target} only while {named} is held{}", in_layer(layer)),
                None => format!("{target} whatever is held{}", in_layer(layer)),
            }
        }
        Change::Wide(WideChange::OppositeLast(last)) => {
            format!("of opposite directions {} counts", if *last { "the last one" } else { "neither" })
        }
        Change::Wide(WideChange::Turn { right, degrees }) => {
            format!("the {} stick is turned by {degrees}°", if *right { "right" } else { "left" })
        }
        Change::Wide(WideChange::Speed(speed)) => format!("the pointer moves {speed} counts per second"),
        Change::Wide(WideChange::Wheel(tenths)) => {
            format!("the wheel turns {:.1} steps per second", f32::from(*tenths) / 10.0)
        }
        Change::Combine(target, combine) => {
            let what = match combine {
                Combine::Largest => "the largest of several counts",
                Combine::Sum => "several are added up",
                Combine::Last => "the last of several counts",
            };
            format!("{}: {what}", target.name_on(model))
        }
        Change::Action(target, name) | Change::Prompt(target, name) if name.is_empty() => {
            format!("{} no longer has a name of its own", target.name_on(model))
        }
        Change::Action(target, name) => format!("{} is {name}", target.name_on(model)),
        Change::Prompt(target, name) => format!("games print {name} for {}", target.name_on(model)),
        Change::DeadZone { sticks, thousandths } => {
            format!("dead zone {} of all {}", percent(*thousandths), if *sticks { "sticks" } else { "triggers" })
        }
        Change::Feel(which, setting) => format!("{}: {}", which.name_on(model), felt(setting)),
        Change::Face(face) if face.is_empty() => "the card draws it by hands".into(),
        Change::Face(face) => format!("the card draws its {} controls in place", face.cells().count()),
        Change::Name(name) => format!("it is now called {name}"),
    }
}

fn felt(setting: &Setting) -> String {
    let percent = |thousandths: u16| format!("{} %", f32::from(thousandths) / 10.0);
    match setting {
        Setting::DeadZone(share) => format!("dead zone {}", percent(*share)),
        Setting::Outer(share) => format!("outer dead zone {}", percent(*share)),
        Setting::Minimum(share) => format!("minimum output {}", percent(*share)),
        Setting::Sensitivity(times) => format!("sensitivity × {:.2}", f32::from(*times) / 1000.0),
        Setting::Curve(points) if points.is_empty() => "a straight curve".into(),
        Setting::Curve(points) => format!("a curve of {} points", points.len()),
        Setting::Gate(_) => "another gate".into(),
        Setting::Invert([false, false]) => "not inverted".into(),
        Setting::Invert([x, y]) => format!("inverted{}{}", if *x { " X" } else { "" }, if *y { " Y" } else { "" }),
        Setting::Smoothing(0) => "no smoothing".into(),
        Setting::Smoothing(millis) => format!("smoothed over {millis} ms"),
        Setting::Default => "as usual".into(),
    }
}

fn option(which: OptionChange) -> String {
    let or_none = |name: &str, value: u16, unit: &str| match value {
        0 => format!("no {name}"),
        value => format!("{name} {value} {unit}"),
    };
    match which {
        OptionChange::Inverted(on) => if on { "inverted" } else { "not inverted" }.into(),
        OptionChange::Press(None) => "pressed from the default share".into(),
        OptionChange::Press(Some(share)) => format!("pressed from {} %", f32::from(share) / 10.0),
        OptionChange::Sensitivity(times) => format!("sensitivity × {:.2}", f32::from(times) / 1000.0),
        OptionChange::Ramp(millis) => or_none("ramp", millis, "ms"),
        OptionChange::Toggle(on) => if on { "each press turns it on or off" } else { "on while it is held" }.into(),
        OptionChange::Shortest(millis) => or_none("shortest press", millis, "ms"),
        OptionChange::Again(0) | OptionChange::Row(0) => "pressed once, and held".into(),
        OptionChange::Again(tenths) => format!("pressed {} times per second", f32::from(tenths) / 10.0),
        OptionChange::Row(presses) => format!("a row of {presses} presses"),
        OptionChange::Threshold(0) => "no threshold".into(),
        OptionChange::Threshold(share) => format!("threshold {} %", f32::from(share) / 10.0),
        OptionChange::Tap(0) => "counts however long it is held".into(),
        OptionChange::Tap(millis) => format!("counts as a tap within {millis} ms"),
        OptionChange::Reach(None) => "the default reach".into(),
        OptionChange::Reach(Some(counts)) => format!("reach {counts} counts"),
        OptionChange::Spring(None) => "the default spring".into(),
        OptionChange::Spring(Some(0)) => "no spring: it stays".into(),
        OptionChange::Spring(Some(millis)) => format!("spring {millis} ms"),
        OptionChange::Leave(leave) => format!("when the surface is left: {}", leave.word()),
        OptionChange::Region(None) => "counts everywhere on the surface".into(),
        OptionChange::Region(Some(_)) => "counts on a part of the surface".into(),
    }
}
