//! The sentences of the whole table: what is wrong first, or that all is well.

use super::NewsKind;
use super::words::{Mark, Mend, Proposal, Sentence, slot_sentences};
use super::{PadFault, SlotFacts, Stage};
use crate::front::Front;
use crate::slot::{SLOTS, SlotNumber};
use crate::time::Micros;

/// A connected device without a slot that games could use.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Slotless {
    /// Its name.
    pub name: String,
    /// The kernel driver made for it, if there is one.
    pub driver: Option<String>,
    /// Whether the person took it out, or left it to the game.
    pub on_purpose: bool,
    /// The command that places it, if a slot is free.
    pub place: Option<Proposal>,
}

/// Facts beyond the slots.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct TableFacts {
    /// Connected devices without a slot that games could use.
    pub slotless: Vec<Slotless>,
    /// Devices without a slot whose reports describe no controls.
    pub silent: Vec<String>,
    /// Number of connected devices.
    pub devices: usize,
    /// A device came back that could belong to this slot or to its twin's: its name, and the slot.
    pub twin: Option<(String, SlotNumber)>,
    /// A model of which two devices share a serial number.
    pub same_serial: Option<String>,
    /// Whether everything is released, and by whom.
    pub paused: Option<String>,
    /// Lent slots whose own device is back while the borrower still holds something: the slot, the own device, the borrower.
    pub returning: Vec<(SlotNumber, String, String)>,
    /// Whether the table is locked.
    pub locked: bool,
    /// How long the board will still ask for a press, and whether two buttons give a slot at any time.
    pub sitting: (Option<Micros>, bool),
    /// Whose turn it is.
    pub front: Front,
    /// Why no pad can be made, if no slot has one yet.
    pub pads: Option<PadFault>,
    /// Faults of files and of the machine, each in a sentence.
    pub notices: Vec<String>,
}

/// All sentences, most urgent first; the first is *the* sentence. Never empty.
#[must_use]
pub fn sentences(slots: &[SlotFacts], table: &TableFacts) -> Vec<Sentence> {
    sentences_with(slots, slots.iter().flat_map(slot_sentences), table)
}

/// The same, with the slots' sentences already known.
#[must_use]
pub fn sentences_with(
    slots: &[SlotFacts],
    of_slots: impl Iterator<Item = Sentence>,
    table: &TableFacts,
) -> Vec<Sentence> {
    let plain = |mark, text: &str, mend| Sentence {
        mark,
        slot: None,
        stage: None,
        word: String::new(),
        text: text.into(),
        mend,
        proposal: None,
        news: None,
    };
    let mut out: Vec<Sentence> = Vec::new();
    if let Some(by) = &table.paused {
        let by = if by.is_empty() { String::new() } else { format!(" {by}") };
        let text = format!("Everything is let go{by}: all pads are neutral, and nothing is held.");
        out.push(plain(Mark::Stop, &text, Some(Mend::Resume)));
    }
    if let Some(fault) = &table.pads {
        let text = format!("No pad can be made: {}", fault.told());
        out.push(Sentence { news: Some(NewsKind::NoPad), ..plain(Mark::Stop, &text, None) });
    }
    if let Some(text) = table.front.sentence() {
        out.push(plain(Mark::Kept, &text, None));
    }
    let asks = |slot: SlotNumber, text: String| Sentence {
        mark: Mark::Ask,
        slot: Some(slot),
        stage: Some(Stage::Device),
        word: "asks".into(),
        text,
        mend: None,
        proposal: None,
        news: None,
    };
    for (slot, owner, borrower) in &table.returning {
        out.push(asks(*slot, format!("{owner} is back: release {borrower}, and it gets {slot} again.")));
    }
    if let Some(left) = table.sitting.0 {
        let seconds = left.0.div_ceil(1_000_000);
        let text = format!("To sit down, press a button on a device without a slot ({seconds} s).");
        out.push(plain(Mark::Ask, &text, None));
    }
    if let Some((name, slot)) = &table.twin {
        let text = format!("Two devices are alike: press a button on the {name} that belongs in {slot}.");
        out.push(asks(*slot, text));
    }
    out.extend(table.notices.iter().map(|notice| plain(Mark::Doubt, notice, Some(Mend::Journal))));
    if let Some(name) = &table.same_serial {
        let text = format!(
            "Two devices named {name} have the same serial number, so they are told apart by port. Leave each in its port."
        );
        out.push(plain(Mark::Hint, &text, None));
    }
    // If all slots lack the same thing, it is said once.
    let mut pad_fault_said = table.pads.is_some();
    for sentence in of_slots {
        if table.paused.is_some() && sentence.mend == Some(Mend::Resume) {
            continue;
        }
        // Rights lost while it is another account's turn are not a fault.
        if table.front.rests()
            && sentence.mark == Mark::Stop
            && matches!(sentence.stage, Some(Stage::Device | Stage::Pad))
        {
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
    if !slots.is_empty() {
        out.extend(
            waiting(slots, table)
                .map(|(text, proposal)| Sentence { proposal, ..plain(Mark::Hint, &text, Some(Mend::Place)) }),
        );
    }
    out.sort_by_key(|sentence| (sentence.mark, sentence.slot));
    // Only what needs no action may stand beside "all is well".
    let nothing = |sentence: &Sentence| sentence.mark == Mark::Hint && sentence.word == "plays";
    let all_well = out.iter().all(nothing);
    if slots.is_empty() || all_well {
        let sentence = match (slots, table.devices) {
            ([], 0) => plain(
                Mark::Hint,
                "No device is connected. Plug in a controller, or pair it, and it appears here.",
                Some(Mend::Connect),
            ),
            ([], _) => {
                let proposal = table.slotless.first().and_then(|one| one.place.clone());
                let (text, mend) = match (table.slotless.first(), table.silent.first()) {
                    (Some(one), _) => {
                        let served = served(one).unwrap_or_default();
                        (
                            format!("No slot is in use. {} is connected{served}: place it in a slot.", one.name),
                            Mend::Place,
                        )
                    }
                    (None, Some(name)) => (
                        format!(
                            "No slot is in use. {name} does not describe its controls: R, then n, finds them by pressing."
                        ),
                        Mend::Look(Stage::Reports),
                    ),
                    (None, None) => {
                        ("No slot is in use, and no connected device is a game controller.".to_owned(), Mend::Place)
                    }
                };
                Sentence { proposal, ..plain(Mark::Hint, &text, Some(mend)) }
            }
            ([one], _) => plain(Mark::Well, &format!("All is well: {} plays.", one.number), None),
            (many, _) => plain(Mark::Well, &format!("All is well: {} slots play.", many.len()), None),
        };
        out.insert(if all_well { 0 } else { out.len() }, sentence);
    }
    out
}

/// That a kernel driver of its own serves a device, if one does.
fn served(one: &Slotless) -> Option<String> {
    let driver = one.driver.as_ref()?;
    Some(format!(", and the kernel's driver {driver} serves it already"))
}

/// What to say about devices that wait for a slot while others play, and the command that places each.
fn waiting<'a>(slots: &'a [SlotFacts], table: &'a TableFacts) -> impl Iterator<Item = (String, Option<Proposal>)> + 'a {
    let full = slots.len() >= SLOTS;
    // A device that is asked about gets its slot by the answer.
    let asked = |one: &&Slotless| table.twin.as_ref().is_some_and(|(name, _)| *name == one.name);
    table.slotless.iter().filter(move |one| !one.on_purpose && !asked(one)).map(move |one| {
        let name = &one.name;
        let text = match served(one) {
            _ if full => format!("{name} has no slot: all {SLOTS} are in use. Take another device out first."),
            Some(served) => {
                format!("{name} has no slot{served}: games may already know it. Place it if they do not.")
            }
            None if table.locked => {
                format!("{name} has no slot: the table is locked. Place it, or unlock the table (i).")
            }
            None if table.sitting.1 => {
                format!("{name} has no slot yet: hold two of its buttons together, or place it.")
            }
            None => format!("{name} has no slot yet: place it."),
        };
        (text, one.place.clone())
    })
}
