//! Sentences on the screen: where they stand, the keys behind them, and what those keys do.

use crate::app::App;
use crate::keys::Intent;
use crate::panel::Ui;
use crate::rows::{Click, Row, Then, View};
use crate::widths::wrap;
use mantle_talk::{Command, Mark, Mend, Sentence, SlotNumber, SlotRow, Snapshot, Stage};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Where a sentence stands, which decides its keys.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum At {
    /// On the board, with this index: `w` walks to it.
    Board(u8),
    /// In a stage view.
    View,
}

/// Joins the words of a key, so that no line breaks between them.
const JOINT: &str = "\u{a0}";

/// The keys behind a sentence, each with what it does.
fn keys(sentence: &Sentence, at: At) -> Vec<(&'static str, String, Intent)> {
    let mend = sentence.mend.and_then(|mend| match at {
        At::Board(0) => Some(("w", mend_words(mend), Intent::Mend)),
        At::Board(place) => Some((if place == 1 { "w w" } else { "w w w" }, mend_words(mend), Intent::MendAt(place))),
        At::View => None,
    });
    let proposal = sentence.proposal.as_ref().filter(|_| matches!(at, At::Board(0) | At::View));
    let now = proposal.map(|proposal| ("W", proposal.words.clone(), Intent::MendNow));
    mend.into_iter().chain(now).collect()
}

/// The lines of a sentence, wrapped together with its keys.
pub fn lines(sentence: &Sentence, width: u16, at: At) -> Vec<String> {
    let keys = keys(sentence, at);
    let behind: String = keys.iter().map(|(key, words, _)| format!(" {}", joined(key, words))).collect();
    // Two blanks come before a key.
    wrap(&format!("{}{behind}", sentence.text), usize::from(width - 2 - keys.len() as u16))
}

fn joined(key: &str, words: &str) -> String {
    format!("{key} {words}").replace(' ', JOINT)
}

/// Draws a sentence with its sign. Returns the number of lines. The remedy stands at the end, so a sentence is
/// never cut.
pub fn sentence(ui: &mut Ui<'_>, x: u16, y: u16, width: u16, sentence: &Sentence, at: At) -> u16 {
    let (style, sign) = ui.theme.mark(sentence.mark);
    ui.text(x, y, 1, style, sign);
    let words = if sentence.mark == Mark::Hint { ui.theme.quiet } else { Style::new() };
    let (keys, lines) = (keys(sentence, at), lines(sentence, width, at));
    for (line, text) in lines.iter().enumerate() {
        let y = y + line as u16;
        let (mut x, mut rest) = (x + 2, text.as_str());
        for (key, what, intent) in &keys {
            let chunk = joined(key, what);
            let Some(from) = rest.find(&chunk) else { continue };
            let before = rest[..from].trim_end();
            if !before.is_empty() {
                x = ui.text(x, y, width, words, before) + 2;
            }
            let after = ui.text(x, y, key.len() as u16, ui.theme.key, key) + 1;
            let end = ui.text(after, y, width, ui.theme.quiet, what);
            ui.clicks.push((Rect { x, y, width: end - x, height: 1 }, Click::Key(*intent)));
            (x, rest) = (end + 2, &rest[from + chunk.len()..]);
        }
        ui.text(x, y, width, words, rest.trim());
    }
    lines.len() as u16
}

/// Says that there are more. Returns the number of lines.
pub fn more(ui: &mut Ui<'_>, x: u16, y: u16, width: u16, more: usize) -> u16 {
    if more == 0 {
        return 0;
    }
    let end = ui.text(x, y, width, ui.theme.quiet, &format!("and {more} more:"));
    let after = ui.text(end + 1, y, 1, ui.theme.key, "w") + 1;
    let end = ui.text(after, y, width, ui.theme.quiet, "press again for the next");
    ui.clicks.push((Rect { x, y, width: end - x, height: 1 }, Click::Key(Intent::Mend)));
    1
}

/// Where `w` leads for this remedy.
fn mend_words(mend: Mend) -> String {
    match mend {
        Mend::Look(stage) => format!("look at {}", stage.name()),
        Mend::Place => "place it".into(),
        Mend::Connect => "connect one".into(),
        Mend::Resume => "play again".into(),
        Mend::TakeOut => "go there".into(),
        Mend::Journal => "read it in the journal".into(),
    }
}

/// The sentence that a slot's views show: the one that `w` came for, or the slot's first.
pub fn of_slot<'a>(snapshot: &'a Snapshot, slot: &'a SlotRow, walked: Option<&Sentence>) -> &'a Sentence {
    let mut own = snapshot.sentences.iter().filter(|one| one.slot == Some(slot.number));
    walked.and_then(|last| own.find(|one| one.says_the_same(last))).unwrap_or(&slot.sentence)
}

impl App {
    /// The sentence whose keys are shown: the slot's in a stage view, else the first of all.
    pub(crate) fn told(&self, walked: Option<&Sentence>) -> Option<&Sentence> {
        match self.view {
            View::Stage => Some(of_slot(&self.snapshot, self.slot_row()?, walked)),
            _ => self.snapshot.sentences.first(),
        }
    }

    /// Does what the shown sentence proposes.
    pub(crate) fn mend_now(&mut self, walked: Option<&Sentence>) {
        let told = self.told(walked).cloned();
        // What rests is resumed by either key.
        if let Some(resting) = told.as_ref().filter(|told| told.mend == Some(Mend::Resume)) {
            self.resume(resting.slot);
            return;
        }
        let Some((slot, proposal)) = told.and_then(|told| Some((told.slot, told.proposal?))) else {
            self.message = Some("there is nothing that this program can mend: w goes to what is wrong first".into());
            return;
        };
        if let Some(slot) = slot {
            self.row = Some(Row::Slot(slot));
        }
        // Measuring happens in the view that shows it.
        if matches!(proposal.command, Command::Calibrate { .. }) {
            (self.stage, self.view) = (Stage::Controls, View::Stage);
            self.take_demo_in_hand();
        }
        self.command(proposal.command, Then::Nothing);
    }

    /// Lets a slot play again, or everything.
    fn resume(&mut self, slot: Option<SlotNumber>) {
        let one = |slot| Command::PauseSlot { slot, paused: false };
        self.command(slot.map_or(Command::Resume, one), Then::Nothing);
    }

    /// Does what the first sentence asks for, or goes where it can be done. Pressed again, does the same for the next one.
    pub(crate) fn mend(&mut self, walked: Option<Sentence>) {
        let all = &self.snapshot.sentences;
        let before = walked.and_then(|last| all.iter().position(|sentence| sentence.says_the_same(&last)));
        let next = before.map_or(0, |at| (at + 1) % all.len().max(1));
        let wrong = |sentence: &&Sentence| sentence.mark != Mark::Well;
        let Some(sentence) = all.get(next).filter(wrong).or(all.first()).filter(wrong).cloned() else {
            self.message = Some("nothing needs mending".into());
            return;
        };
        self.walked = Some(sentence.clone());
        let Some(mend) = sentence.mend else {
            let hint = sentence.mark == Mark::Hint;
            self.message = Some(if hint { "nothing needs mending".into() } else { sentence.text.into() });
            return;
        };
        if let Some(slot) = sentence.slot {
            self.row = Some(Row::Slot(slot));
        }
        match mend {
            Mend::Look(stage) => {
                self.stage = stage;
                self.view = View::Stage;
            }
            Mend::Place => {
                let first = self.slotless().next().map(|device| Row::Device(device.id, device.part));
                self.row = first.or(self.row);
                self.begin_placing();
            }
            Mend::Connect => self.begin_connecting(),
            Mend::Resume => self.resume(sentence.slot),
            Mend::TakeOut => self.view = View::Board,
            Mend::Journal => self.open_journal(),
        }
    }
}
