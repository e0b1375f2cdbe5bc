//! The sentences: what is wrong first, or that all is well, in words that say what to do.

use super::NewsKind;
use super::troubles::often;
use super::{MemberFacts, PadCondition, ReportsFault, SlotFacts, Stage, StageState, states_by, stops_at};
use crate::command::Command;
use crate::device::{Identity, OsFault};
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// Kinds of sentence, most urgent first.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum Mark {
    /// Something stops.
    Stop,
    /// A question that only the person can answer.
    Ask,
    /// It plays, but something wants attention.
    Doubt,
    /// A device is gone and its place is kept.
    Kept,
    /// Nothing has come yet.
    Hint,
    /// All is well.
    Well,
}

/// What the person can do about it with one key.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum Mend {
    /// Open this stage of the slot.
    Look(Stage),
    /// Place a device in a slot.
    Place,
    /// Connect a device.
    Connect,
    /// Resume after a release.
    Resume,
    /// Take the device out of its slot.
    TakeOut,
    /// Read all of it in the journal.
    Journal,
}

/// A remedy that the program can carry out when told to.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Proposal {
    /// What it does, in a few words that follow a key: "set the dead zone to 21 %".
    pub words: String,
    /// The command, which can be undone.
    pub command: Command,
}

/// One sentence.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Sentence {
    /// Its urgency.
    pub mark: Mark,
    /// The slot it is about.
    pub slot: Option<SlotNumber>,
    /// The stage it is about.
    pub stage: Option<Stage>,
    /// The state in a word or two, for the slot's row.
    pub word: String,
    /// The words.
    pub text: String,
    /// Where it can be mended.
    pub mend: Option<Mend>,
    /// The remedy, if the program can carry it out.
    pub proposal: Option<Proposal>,
    /// Its kind of news, for people who are not looking; other sentences are not reported to them.
    pub news: Option<NewsKind>,
}

impl Sentence {
    /// That nothing is wrong with a slot.
    #[must_use]
    pub fn well(slot: SlotNumber) -> Self {
        let text = format!("{} plays.", slot_word(slot));
        let word = "plays".into();
        Self { mark: Mark::Well, slot: Some(slot), stage: None, word, text, mend: None, proposal: None, news: None }
    }

    /// Whether it says the same as another sentence, ignoring figures: a silence that goes on is one sentence.
    #[must_use]
    pub fn says_the_same(&self, other: &Self) -> bool {
        let plain = |text: &str| text.chars().filter(|c| !c.is_ascii_digit()).collect::<String>();
        (self.slot, self.stage) == (other.slot, other.stage) && plain(&self.text) == plain(&other.text)
    }
}

pub(super) fn slot_word(slot: SlotNumber) -> String {
    format!("Slot {}", slot.number())
}

/// A slot's sentence: the first of [`slot_sentences`].
#[must_use]
pub fn slot_sentence(facts: &SlotFacts) -> Sentence {
    slot_sentences(facts).into_iter().next().unwrap_or_else(|| Sentence::well(facts.number))
}

/// Everything to be said about a slot, worked out once.
#[derive(Clone, PartialEq, Debug)]
pub struct Looked {
    /// The states of its seven stages.
    pub states: [StageState; Stage::COUNT],
    /// Everything that is not as it should be, most urgent first; empty if all is well.
    pub sentences: Vec<Sentence>,
    /// The next step; none if it is ready.
    pub next: Option<String>,
}

impl Looked {
    /// Works it out from the slot's facts.
    #[must_use]
    pub fn at(facts: &SlotFacts) -> Self {
        let doubts = super::troubles::doubts(facts);
        let states = states_by(facts, &doubts);
        Self { states, next: next_step(facts, &states), sentences: sentences_by(facts, doubts, &states) }
    }
}

/// Everything about a slot that is not as it should be, most urgent first; empty if all is well.
pub(super) fn slot_sentences(facts: &SlotFacts) -> Vec<Sentence> {
    let doubts = super::troubles::doubts(facts);
    let states = states_by(facts, &doubts);
    sentences_by(facts, doubts, &states)
}

fn sentences_by(facts: &SlotFacts, doubts: Vec<Sentence>, states: &[StageState; Stage::COUNT]) -> Vec<Sentence> {
    let slot = slot_word(facts.number);
    let say = |mark, stage, word: &str, text: String, mend| Sentence {
        mark,
        slot: Some(facts.number),
        stage,
        word: word.into(),
        text,
        mend,
        proposal: None,
        news: match (mark, stage) {
            (Mark::Stop, Some(Stage::Pad)) => Some(NewsKind::NoPad),
            (Mark::Stop, Some(Stage::Device | Stage::Reports)) => Some(NewsKind::Stops),
            _ => None,
        },
    };
    let mut all = Vec::new();
    if facts.all_gone() {
        let names = names(facts.members.iter());
        if matches!(facts.pad, PadCondition::Fault(_)) {
            let (word, text, mend) = stop(facts, Stage::Pad, &slot);
            all.push(say(Mark::Stop, Some(Stage::Pad), word, text, mend));
        }
        let often = facts.members.iter().find_map(often).unwrap_or_default();
        let text = format!("{slot} is kept for {names}: its pad stays, in neutral.{often} Plug it in again.");
        all.push(say(Mark::Kept, Some(Stage::Device), "kept", text, Some(Mend::TakeOut)));
        return all;
    }
    let stops = stops_at(states);
    if let Some(stage) = stops
        && !doubts.iter().any(|doubt| doubt.mark == Mark::Stop && doubt.stage == Some(stage))
    {
        let (word, text, mend) = stop(facts, stage, &slot);
        all.push(say(Mark::Stop, Some(stage), word, text, mend));
    }
    if stops != Some(Stage::Pad) && matches!(facts.pad, PadCondition::Fault(_)) {
        let (word, text, mend) = stop(facts, Stage::Pad, &slot);
        all.push(say(Mark::Stop, Some(Stage::Pad), word, text, mend));
    }
    // What waits for permission is not untried.
    if facts.not_agreed > 0 {
        let what = match facts.not_agreed {
            1 => "something".to_owned(),
            many => format!("{many} things"),
        };
        let text = format!("{slot}'s profile wants to type {what}. See what, and allow it, in Bindings.");
        all.push(say(Mark::Ask, Some(Stage::Bindings), "asks", text, Some(Mend::Look(Stage::Bindings))));
    }
    // A known fault is said instead of what has not come yet.
    let known = doubts.iter().any(|doubt| doubt.mark < Mark::Kept && doubt.stage < Some(Stage::Games));
    let hindered = stops.is_some() || facts.not_agreed > 0 || known;
    if let Some((stage, text)) = untried(facts, states).filter(|_| !hindered) {
        all.push(say(Mark::Hint, Some(stage), "untried", text, None));
    }
    // After a stage that stops, what a game sees does not matter yet; nor does what nobody has tried.
    let quiet = stops.is_some() || all.iter().any(|one| one.mark == Mark::Hint);
    let counts = |doubt: &Sentence| match doubt.stage {
        Some(Stage::Games) => !quiet,
        _ => doubt.word != "plays" || stops.is_none(),
    };
    all.extend(doubts.into_iter().filter(counts));
    all.sort_by_key(|sentence| sentence.mark);
    all
}

/// The subject of a sentence.
fn names<'a>(members: impl Iterator<Item = &'a MemberFacts>) -> String {
    let names: Vec<&str> = members.map(|member| member.name.as_str()).collect();
    if names.is_empty() { "its device".to_owned() } else { names.join(" and ") }
}

/// What to press, if nothing has come yet.
fn untried(facts: &SlotFacts, states: &[StageState; Stage::COUNT]) -> Option<(Stage, String)> {
    let untried = Stage::ALL.into_iter().find(|s| states[*s as usize] == StageState::Untried)?;
    let slot = slot_word(facts.number);
    let names = names(facts.present());
    let text = match untried {
        Stage::Reports | Stage::Controls => format!("{slot} has not been tried: press a button on {names}."),
        Stage::Pad if facts.pad == PadCondition::Making => format!("{slot}: its pad is being made."),
        Stage::Bindings if facts.press.is_some() => return None,
        Stage::Bindings => {
            format!("{slot} is ready: press a button on {names}.")
        }
        _ => format!("{slot} has not been tried at {}: press a button on {names}.", untried.name()),
    };
    Some((untried, text))
}

/// Makes a sentence of a few words: a capital letter at its beginning, a full stop at its end.
#[must_use]
pub fn as_sentence(text: &str) -> String {
    let mut all = text.chars();
    let first: String = all.next().into_iter().flat_map(char::to_uppercase).collect();
    format!("{first}{}.", all.as_str())
}

/// Why a node of this device, which sits in a slot, cannot be opened, and what to do about it; the system's words come last.
pub(super) fn closed(name: &str, fault: &OsFault) -> (String, String) {
    closed_unless(name, "sudo placid-mantle setup --install", fault)
}

/// The same, with the command that lets an account open it.
fn closed_unless(name: &str, command: &str, fault: &OsFault) -> (String, String) {
    let let_in = format!("Run {command}, then plug it in again");
    let (why, remedy) = match fault.errno {
        1 | 13 => (format!("your account may not read {name}"), let_in.as_str()),
        16 => (format!("another program holds {name}"), "Close that program"),
        2 | 6 | 19 => (format!("{name} is no longer there"), "Plug it in again"),
        _ => (format!("{name} cannot be opened"), "Plug it in again; if that does not help, see the journal"),
    };
    (why, format!("{remedy} ({}: {}).", fault.path, fault.name()))
}

/// Why the node of a device that may be in no slot cannot be opened, and what to do about it: from the middle of a sentence on, to the end of
/// another.
#[must_use]
pub fn not_opened(device: &Identity, fault: &OsFault) -> String {
    // Only what sits in a slot is known there without being named.
    let command = format!("sudo placid-mantle setup --install {:04x}:{:04x}", device.vendor, device.product);
    let (why, remedy) = closed_unless(&device.name, &command, fault);
    format!("{why}. {remedy}")
}

/// Why a stage stops: in a word, in a sentence, and what can be done here.
fn stop(facts: &SlotFacts, stage: Stage, slot: &str) -> (&'static str, String, Option<Mend>) {
    let (text, mend) = stop_words(facts, stage, slot);
    (if stage == Stage::Feel { "paused" } else { "stops" }, text, mend)
}

fn stop_words(facts: &SlotFacts, stage: Stage, slot: &str) -> (String, Option<Mend>) {
    let first = facts.members.iter().find(|m| m.present).map_or("its device", |m| m.name.as_str());
    match stage {
        Stage::Device => {
            let Some((member, fault)) = facts.refused() else {
                return (format!("{slot} stops at Device."), None);
            };
            let (why, remedy) = closed(&member.name, fault);
            let text = format!("{slot} stops at Device: {why}. {remedy}");
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
                    "{slot} stops at Reports: {} does not start up: {why}. The program tries every {} s; switch the device off and on.",
                    member.name,
                    crate::outgoing::AGAIN_AFTER.0 / 1_000_000
                ),
                Some(Mend::Look(Stage::Reports)),
            ),
            None => (format!("{slot} stops at Reports."), None),
        },
        Stage::Controls => (
            format!("{slot} stops at Controls: the reports of {first} describe no button and no axis."),
            Some(Mend::Look(Stage::Controls)),
        ),
        Stage::Bindings if facts.pad == PadCondition::Unwanted => (
            format!("{slot} stops at Bindings: it has no pad, and nothing is bound to a key or the mouse yet."),
            Some(Mend::Look(Stage::Bindings)),
        ),
        Stage::Bindings => {
            let idle = facts.present().flat_map(|member| &member.idle).next();
            let why = match idle {
                Some((control, why)) => format!("{first} has no default bindings; {control}: {why}. Bind it."),
                None => format!("{first} has no default bindings, so nothing is bound. Bind it."),
            };
            (format!("{slot} stops at Bindings: {why}"), Some(Mend::Look(Stage::Bindings)))
        }
        Stage::Feel => {
            let by = facts.paused_by.as_ref().map(|by| format!(" {by}")).unwrap_or_default();
            (format!("{slot} is paused{by}: its pad rests until you resume."), Some(Mend::Resume))
        }
        Stage::Pad | Stage::Games => match &facts.pad {
            PadCondition::Fault(fault) => {
                (format!("{slot} stops at Pad: no pad can be made, as {}", fault.told()), Some(Mend::Look(Stage::Pad)))
            }
            _ => (format!("{slot} stops at {}.", stage.name()), None),
        },
    }
}

/// The next step for a slot, in the order of the work; none if it is ready.
fn next_step(facts: &SlotFacts, states: &[StageState; Stage::COUNT]) -> Option<String> {
    if facts.all_gone() {
        return Some("connect its device".into());
    }
    if matches!(facts.pad, PadCondition::Fault(_)) {
        return Some("make the machine ready (P says how)".into());
    }
    if let Some(stage) = stops_at(states) {
        return Some(format!("mend {} (w)", stage.name()));
    }
    if facts.not_agreed > 0 {
        return Some("allow what it types (B, then A)".into());
    }
    if facts.seen == 0 && facts.to_try > 0 {
        return Some("try it: press each control once (P shows it)".into());
    }
    if facts.seen < facts.to_try {
        return Some(format!("try the rest (P): {} of {} seen", facts.seen, facts.to_try));
    }
    if facts.doubtful_cover().is_some() {
        return Some("hide it: setup --install --helper".into());
    }
    None
}
