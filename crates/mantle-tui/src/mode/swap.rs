//! A source plays another target already: what becomes of that one.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use crate::rows::Click;
use mantle_talk::{SlotNumber, Target};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// A source that plays another target already.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Swap {
    /// The slot.
    pub slot: SlotNumber,
    /// What it shall play.
    pub target: Target,
    /// What it plays now.
    pub other: Target,
    /// The source, as a profile names it.
    pub source: String,
    /// Whether its full end is rest.
    pub inverted: bool,
    /// What plays the target now; none if nothing does.
    pub old: Option<String>,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        letter('m', "m", Intent::MoveSource, "move it", true),
        letter('s', "s", Intent::SwapSources, "swap the two", true),
        letter('b', "b", Intent::BothTargets, "both", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "leave it", true),
    ]
}

/// Draws what becomes of a target whose source another one is to have.
pub fn draw(ui: &mut Ui<'_>, area: Rect, swap: &Swap) {
    let Swap { target, other, source, old, .. } = swap;
    let (target, other) = (ui.name_of(*target), ui.name_of(*other));
    let at = sheet(ui, area, 70, 9, &format!("{source} already plays {other}"));
    let old = old.as_deref().unwrap_or("nothing");
    let lines = [
        ("m", Intent::MoveSource, format!("{target} gets {source}, and {other} is unbound")),
        ("s", Intent::SwapSources, format!("{target} gets {source}, and {other} gets {old}")),
        ("b", Intent::BothTargets, format!("{source} plays both")),
    ];
    // Where nothing plays the target, to move the source and to swap both would be the same.
    let lines = lines.into_iter().filter(|(_, intent, _)| *intent != Intent::SwapSources || swap.old.is_some());
    for (line, (letter, intent, text)) in lines.enumerate() {
        let y = at.y + line as u16;
        ui.text(at.x, y, 1, ui.theme.key, letter);
        ui.text(at.x + 3, y, at.width - 3, Style::new(), &text);
        ui.clicks.push((Rect { y, height: 1, ..at }, Click::Key(intent)));
    }
    ui.text(at.x, at.y + 4, at.width, ui.theme.quiet, "u undoes whatever you choose.");
}
