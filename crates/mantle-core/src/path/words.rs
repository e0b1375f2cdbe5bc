//! The sentences: what is wrong first, or that all is well, in words that say what to do.

use super::{MemberFacts, PadCondition, ReportsFault, SlotFacts, Stage, StageState, StaysBare, stages, stops_at};
use crate::control::ControlKind;
use crate::cover::{Cover, Strength};
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// What kind of sentence it is, most urgent first.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum Mark {
    /// Something stops.
    Stop,
    /// It plays, but something wants attention.
    Doubt,
    /// A question that only the person can answer.
    Ask,
    /// A device is gone and its place is kept.
    Kept,
    /// Nothing has come yet.
    Hint,
    /// All is well.
    Well,
}

/// What the person can do about it from here, with one key.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum Mend {
    /// Open this stage of the slot.
    Look(Stage),
    /// Place a device in a slot.
    Place,
    /// Play again after a let go.
    Resume,
    /// Take the device out of its slot.
    TakeOut,
}

/// One sentence.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Sentence {
    /// How urgent.
    pub mark: Mark,
    /// The slot it speaks of.
    pub slot: Option<SlotNumber>,
    /// The stage it speaks of.
    pub stage: Option<Stage>,
    /// The words.
    pub text: String,
    /// What can be done here.
    pub mend: Option<Mend>,
}

/// What is known beside the slots.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct TableFacts {
    /// Names of connected devices that no slot has and that a game could use.
    pub slotless: Vec<String>,
    /// Devices without a slot whose reports say nothing of controls.
    pub silent: Vec<String>,
    /// Connected devices in all.
    pub devices: usize,
    /// A device came back that could belong to this slot or to its twin's: its name, and the slot.
    pub twin: Option<(String, SlotNumber)>,
    /// Whether everything is let go.
    pub paused: bool,
    /// Whether another login session is in front.
    pub away: bool,
}

fn slot_word(slot: SlotNumber) -> String {
    format!("Slot {}", slot.number())
}

/// The sentence of one slot.
#[must_use]
pub fn slot_sentence(facts: &SlotFacts) -> Sentence {
    let states = stages(facts);
    let slot = slot_word(facts.number);
    let say = |mark, stage, text: String, mend| Sentence { mark, slot: Some(facts.number), stage, text, mend };
    let names = || {
        let names: Vec<&str> = facts.members.iter().map(|m| m.name.as_str()).collect();
        if names.is_empty() { "its device".to_owned() } else { names.join(" and ") }
    };
    if let Some(stage) = stops_at(&states) {
        let (text, mend) = stop(facts, stage, &slot);
        return say(Mark::Stop, Some(stage), text, mend);
    }
    if facts.all_gone() {
        let text = format!("{slot} is kept for {}: its pad stays, neutral. Plug it in again.", names());
        return say(Mark::Kept, Some(Stage::Device), text, Some(Mend::TakeOut));
    }
    let untried = Stage::ALL.into_iter().find(|s| states[*s as usize] == StageState::Untried);
    // What cannot leave before somebody agrees is not untried.
    if facts.not_agreed > 0 {
        let what = match facts.not_agreed {
            1 => "something".to_owned(),
            many => format!("{many} things"),
        };
        let text = format!("{slot}'s profile would type {what}: see what, and agree to it, in Bindings.");
        return say(Mark::Ask, Some(Stage::Bindings), text, Some(Mend::Look(Stage::Bindings)));
    }
    if let Some((text, stage)) = not_counted(&slot, facts) {
        return say(Mark::Doubt, Some(stage), text, Some(Mend::Look(stage)));
    }
    if let Some(untried) = untried {
        let text = match untried {
            Stage::Reports => format!("{slot} is untried: press something on {}.", names()),
            Stage::Pad if facts.pad == PadCondition::Making => format!("{slot}: its pad is being made."),
            Stage::Bindings => {
                let several = facts.members.iter().filter(|member| member.present).count() > 1;
                let (verb, whose) = if several { ("move", "their") } else { ("moves", "its") };
                format!("{slot}: {} {verb}, but nothing that is bound. Press one of {whose} buttons.", names())
            }
            _ => format!("{slot} is untried at {}: press a button on {}.", untried.name(), names()),
        };
        return say(Mark::Hint, Some(untried), text, None);
    }
    if let Some(member) = facts.doubtful_cover() {
        return say(Mark::Doubt, Some(Stage::Games), doubt(&slot, member), Some(Mend::Look(Stage::Games)));
    }
    say(Mark::Well, None, format!("{slot} plays."), None)
}

/// What of a slot's devices does not count because of where it stood when they came.
fn not_counted(slot: &str, facts: &SlotFacts) -> Option<(String, Stage)> {
    facts.members.iter().filter(|member| member.present).find_map(|member| {
        let name = &member.name;
        let text = match (member.was_down.as_slice(), member.at_end.as_slice()) {
            ([], []) => return None,
            ([], sticks) => format!(
                "{slot}: {} of {name} has stood at an end since it came, and does not count: bring it to its middle, or measure it.",
                sticks.join(" and ")
            ),
            (down, _) => {
                let names: Vec<&str> = down.iter().map(|(name, _)| name.as_str()).collect();
                let axis = down.iter().any(|(_, kind)| *kind == ControlKind::Axis);
                let (were, go, count) =
                    if down.len() == 1 { ("was", "it", "counts") } else { ("were", "them", "count") };
                let they = if down.len() == 1 { "it" } else { "they" };
                let measure = if axis { format!(" If nobody holds {go}, measure {go}.") } else { String::new() };
                let names = names.join(" and ");
                format!("{slot}: {names} of {name} {were} down when it came: let {go} go, and {they} {count}.{measure}")
            }
        };
        Some((text, Stage::Controls))
    })
}

fn doubt(slot: &str, member: &MemberFacts) -> String {
    let name = &member.name;
    match &member.cover {
        Cover::Covered(Strength::Held) => format!(
            "{slot} plays, but a game still lists {name}, as a dead pad: choose the pad in the game, or run as root to cover it wholly."
        ),
        Cover::Failed(fault) => format!(
            "{slot} plays, but a game would see {name} beside its pad: {} of {} failed ({}). Run as root to cover it.",
            fault.operation,
            fault.path,
            fault.name()
        ),
        _ => match member.stays_bare {
            Some(StaysBare::LastMouse) => format!(
                "{slot} plays, and {name} moves the pointer as well: it is the only mouse. Plug in another one, and it is covered."
            ),
            Some(StaysBare::Keyboard) => format!(
                "{slot} plays, and what {name} types reaches the system as well: keyboards are not covered, so that somebody can always type."
            ),
            None => format!("{slot} plays, but a game would see {name} beside its pad, and take both for players."),
        },
    }
}

fn stop(facts: &SlotFacts, stage: Stage, slot: &str) -> (String, Option<Mend>) {
    let first = facts.members.iter().find(|m| m.present).map_or("its device", |m| m.name.as_str());
    match stage {
        Stage::Device => {
            let Some((member, fault)) = facts.refused() else {
                return (format!("{slot} stops at Device."), None);
            };
            let remedy = match fault.errno {
                1 | 13 => "As root: placid-mantle setup, then plug it in again.",
                16 => "Another program holds it: close that program.",
                2 | 6 | 19 => "Plug it in again.",
                _ => "Plug it in again; if that does not help, see the journal.",
            };
            let text = format!(
                "{slot} stops at Device: {} of {} cannot be opened ({}). {remedy}",
                fault.path,
                member.name,
                fault.name()
            );
            (text, Some(Mend::Look(Stage::Device)))
        }
        Stage::Reports => match facts.reports_fault() {
            Some((member, ReportsFault::Descriptor(why))) => (
                format!("{slot} stops at Reports: the report descriptor of {} cannot be read: {why}.", member.name),
                Some(Mend::Look(Stage::Reports)),
            ),
            Some((member, ReportsFault::Unreadable(why))) => (
                format!("{slot} stops at Reports: what {} sends cannot be read: {why}.", member.name),
                Some(Mend::Look(Stage::Reports)),
            ),
            Some((member, ReportsFault::Asleep(why))) => (
                format!(
                    "{slot} stops at Reports: {} does not wake: {why}. It is tried again every {} s; switch it off and on.",
                    member.name,
                    crate::outgoing::AGAIN_AFTER.0 / 1_000_000
                ),
                Some(Mend::Look(Stage::Reports)),
            ),
            None => (format!("{slot} stops at Reports."), None),
        },
        Stage::Controls => (
            format!("{slot} stops at Controls: the reports of {first} name no button and no axis."),
            Some(Mend::Look(Stage::Controls)),
        ),
        Stage::Bindings if facts.pad == PadCondition::Unwanted => (
            format!("{slot} stops at Bindings: it has no pad, and nothing is bound to a key or the mouse yet."),
            Some(Mend::Look(Stage::Bindings)),
        ),
        Stage::Bindings => (
            format!("{slot} stops at Bindings: nothing on {first} could be guessed, so nothing is bound."),
            Some(Mend::Look(Stage::Bindings)),
        ),
        Stage::Feel => (format!("{slot} is paused: its pad rests until you resume."), Some(Mend::Resume)),
        Stage::Pad | Stage::Games => match &facts.pad {
            PadCondition::Fault(fault) => (
                format!("{slot} stops at Pad: no pad can be made, {}. Remedy: {}.", fault.cause(), fault.remedy()),
                Some(Mend::Look(Stage::Pad)),
            ),
            _ => (format!("{slot} stops at {}.", stage.name()), None),
        },
    }
}

/// All sentences, most urgent first; the first is *the* sentence. Never empty.
#[must_use]
pub fn sentences(slots: &[SlotFacts], table: &TableFacts) -> Vec<Sentence> {
    let plain = |mark, text: &str, mend| Sentence { mark, slot: None, stage: None, text: text.into(), mend };
    let mut out: Vec<Sentence> = Vec::new();
    if table.paused {
        out.push(plain(
            Mark::Stop,
            "Everything is let go: all pads rest at neutral, nothing is held.",
            Some(Mend::Resume),
        ));
    }
    if table.away {
        let text = "Another login session is in front: all pads rest, and play on when this one is back.";
        out.push(plain(Mark::Kept, text, None));
    }
    if let Some((name, slot)) = &table.twin {
        out.push(Sentence {
            mark: Mark::Ask,
            slot: Some(*slot),
            stage: Some(Stage::Device),
            text: format!("Two devices are alike: press something on the {name} that belongs to {slot}."),
            mend: None,
        });
    }
    // All slots stop at the same missing thing: say it once.
    let mut pad_fault_said = false;
    for facts in slots {
        let sentence = slot_sentence(facts);
        if sentence.mark == Mark::Well || (table.paused && sentence.mend == Some(Mend::Resume)) {
            continue;
        }
        // Rights that are gone while another session is in front are nobody's fault.
        if table.away && sentence.mark == Mark::Stop && matches!(sentence.stage, Some(Stage::Device | Stage::Pad)) {
            continue;
        }
        if sentence.mark == Mark::Stop && sentence.stage == Some(Stage::Pad) {
            if pad_fault_said {
                continue;
            }
            pad_fault_said = true;
        }
        out.push(sentence);
    }
    out.sort_by_key(|sentence| (sentence.mark, sentence.slot));
    if out.is_empty() {
        out.push(match (slots, table.devices) {
            ([], 0) => plain(
                Mark::Hint,
                "No device is connected. Plug a controller in, or pair it; it appears here by itself.",
                None,
            ),
            ([], _) => {
                let (text, mend) = match (table.slotless.first(), table.silent.first()) {
                    (Some(name), _) => {
                        (format!("No slot is in use. {name} is connected: place it in a slot."), Mend::Place)
                    }
                    (None, Some(name)) => (
                        format!(
                            "No slot is in use. {name} says nothing of its controls: in its reports (R), n finds them by pressing."
                        ),
                        Mend::Look(Stage::Reports),
                    ),
                    (None, None) => {
                        ("No slot is in use, and no connected device is a game controller.".to_owned(), Mend::Place)
                    }
                };
                plain(Mark::Hint, &text, Some(mend))
            }
            ([one], _) => plain(Mark::Well, &format!("All is well: {} plays.", one.number), None),
            (many, _) => plain(Mark::Well, &format!("All is well: {} slots play.", many.len()), None),
        });
    }
    out
}

/// What to do next with a slot, in the order of the work; none when it is ready.
#[must_use]
pub fn next_step(facts: &SlotFacts) -> Option<String> {
    let states = stages(facts);
    if facts.all_gone() {
        return Some("connect its device".into());
    }
    if matches!(facts.pad, PadCondition::Fault(_)) {
        return Some("make the machine ready: see Pad".into());
    }
    if let Some(stage) = stops_at(&states) {
        return Some(format!("mend {}", stage.name()));
    }
    if facts.not_agreed > 0 {
        return Some("agree to what it types: Bindings".into());
    }
    if facts.seen == 0 && facts.to_try > 0 {
        return Some("try it: press each control once".into());
    }
    if facts.seen < facts.to_try {
        return Some(format!("try the rest: {} of {} seen", facts.seen, facts.to_try));
    }
    if facts.doubtful_cover().is_some() {
        return Some("cover it: run as root".into());
    }
    None
}
