//! A source was taken from another target: the person decides about that target.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use crate::rows::Click;
use mantle_talk::{SlotNumber, Target};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// A source that has moved from one target to another.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Swap {
    /// The slot.
    pub slot: SlotNumber,
    /// The target it plays now.
    pub target: Target,
    /// The target it played before.
    pub other: Target,
    /// The source, as profiles write it.
    pub source: String,
    /// Whether it is inverted.
    pub inverted: bool,
    /// The target's previous source, if it had one.
    pub old: Option<String>,
}

/// Its keys. Any other key keeps the change and acts on the view below.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Enter, "Enter", Intent::Open, "keep it", true),
        letter('s', "s", Intent::SwapSources, "swap the two", true),
        letter('b', "b", Intent::BothTargets, "both", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "put it back", true),
    ]
}

/// Draws the choices for the target that lost its source.
pub fn draw(ui: &mut Ui<'_>, area: Rect, swap: &Swap) {
    let Swap { target, other, source, old, .. } = swap;
    let (target, other) = (ui.name_of(*target), ui.name_of(*other));
    let at = sheet(ui, area, 70, 9, &format!("{source} moved from {other} to {target}"));
    let old = old.as_deref().unwrap_or("nothing");
    let lines = [
        ("Enter", Intent::Open, format!("keep that: {other} is now unbound")),
        ("s", Intent::SwapSources, format!("swap: {other} gets {old}")),
        ("b", Intent::BothTargets, format!("both: {source} plays {other} too")),
        ("Esc", Intent::Back, format!("put it back: {source} plays {other}")),
    ];
    // If the target had no source, there is nothing to swap.
    let lines = lines.into_iter().filter(|(_, intent, _)| *intent != Intent::SwapSources || swap.old.is_some());
    for (line, (letter, intent, text)) in lines.enumerate() {
        let y = at.y + line as u16;
        ui.text(at.x, y, 5, ui.theme.key, letter);
        ui.text(at.x + 7, y, at.width - 7, Style::new(), &text);
        ui.clicks.push((Rect { y, height: 1, ..at }, Click::Key(intent)));
    }
}
