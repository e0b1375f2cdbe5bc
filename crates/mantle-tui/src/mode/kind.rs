//! Choosing a kind of pad and its shape, while placing a device or for a slot that plays already.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use crate::rows::Click;
use crate::widths::wrap;
use mantle_talk::{KindStep, PadKind, SlotNumber};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// An unfinished choice of a kind.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct KindChoice {
    /// The slot.
    pub slot: SlotNumber,
    /// The kind chosen so far.
    pub kind: PadKind,
    /// The kinds that its devices allow.
    pub kinds: Vec<PadKind>,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        letter('k', "k", Intent::Kind(KindStep::Next), "another kind", true),
        letter('K', "K", Intent::Kind(KindStep::Next), "another kind", false),
        letter('+', "+", Intent::Kind(KindStep::More), "one button more (flight stick)", false),
        letter('-', "-", Intent::Kind(KindStep::Fewer), "one button less", false),
        letter('h', "h", Intent::Kind(KindStep::Hats), "hats", false),
        letter('x', "x", Intent::Kind(KindStep::Axes), "axes", false),
        letter('p', "p", Intent::Kind(KindStep::Made), "a device of its own, or not (common pad)", false),
        key(KeyCode::Enter, "Enter", Intent::Open, "change it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "cancel", true),
    ]
}

/// Draws the kind and what of it can be chosen, in three lines.
pub(super) fn lines(ui: &mut Ui<'_>, at: Rect, kind: &PadKind) {
    let beside = at.width.saturating_sub(10);
    ui.text(at.x, at.y, 9, ui.theme.quiet, "kind");
    ui.text(at.x + 10, at.y, beside, Style::new(), kind.name());
    ui.text(at.x + 10, at.y + 1, beside, ui.theme.quiet, &kind.has());
    let choices = match kind.own() {
        Some(own) => own.numbers(),
        None if kind.is_shaped() => "x other axes   + - buttons   h hats".into(),
        None if kind.has_two_ways() => "p a device of its own, or not".into(),
        None => String::new(),
    };
    ui.text(at.x + 10, at.y + 2, beside, ui.theme.quiet, &choices);
}

impl KindChoice {
    /// Steps the kind, or its shape.
    pub fn step(&mut self, intent: Intent) {
        if let Intent::Kind(key) = intent {
            self.kind = self.kind.stepped(key, &self.kinds);
        }
    }
}

/// Draws the chooser.
pub fn draw(ui: &mut Ui<'_>, area: Rect, choice: &KindChoice) {
    let row = ui.snapshot.slots.iter().find(|row| row.number == choice.slot);
    // If libraries would misread a pad file, that is said before it is used.
    let misread = choice.kind.own().map(|own| own.misread()).unwrap_or_default();
    let misread: Vec<String> = misread.iter().flat_map(|why| wrap(&format!("▲ {why}"), 60)).take(6).collect();
    let more = misread.len() as u16 + u16::from(!misread.is_empty());
    let mut at = sheet(ui, area, 64, 15 + more, &format!("How games see {}", choice.slot));
    let now = row.map(|row| row.kind.clone()).unwrap_or_default();
    ui.text(at.x, at.y, 9, ui.theme.quiet, "now");
    let beside = at.width.saturating_sub(10);
    ui.text(at.x + 10, at.y, beside, Style::new(), now.name());
    ui.text(at.x + 10, at.y + 1, beside, ui.theme.quiet, &now.has());
    lines(ui, Rect { y: at.y + 3, ..at }, &choice.kind);
    ui.clicks.push((Rect { y: at.y + 3, height: 2, ..at }, Click::Key(Intent::Kind(KindStep::Next))));
    for (line, text) in misread.iter().enumerate() {
        ui.text(at.x, at.y + 7 + line as u16, at.width, ui.theme.doubt, text);
    }
    at.y += more;
    let not_apart = ui.slot_detail().is_some_and(|slot| slot.number == choice.slot && slot.not_apart);
    let words = match row {
        _ if now == choice.kind && not_apart => {
            ["It is made of event nodes, because it could not be a device", "of its own. Enter tries that again."]
        }
        _ if now == choice.kind => ["It is that kind now.", ""],
        Some(row) if now.model().is_made() && row.is_live() => {
            ["Running games see the pad disappear and another appear:", "tell them about it, or restart them."]
        }
        _ => ["Running games see another pad appear.", ""],
    };
    let readers = ui.slot_detail().filter(|slot| slot.number == choice.slot).and_then(|slot| slot.readers.as_ref());
    let known = match readers.map(Vec::as_slice).filter(|_| now != choice.kind) {
        None => String::new(),
        Some([]) => "No program that this account can inspect has it open now.".to_owned(),
        Some([one]) => format!("{one} has it open now."),
        Some(all) => format!("{} have it open now.", all.join(", ")),
    };
    ui.text(at.x, at.y + 9, at.width, ui.theme.doubt, &known);
    for (line, text) in words.iter().enumerate() {
        ui.text(at.x, at.y + 7 + line as u16, at.width, ui.theme.doubt, text);
    }
    let lost = "Bindings that it has no place for stay in the profile.";
    ui.text(at.x, at.y + 11, at.width, ui.theme.quiet, lost);
}
