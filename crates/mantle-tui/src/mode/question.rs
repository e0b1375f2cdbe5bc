//! The question before leaving.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        letter('y', "y", Intent::Open, "leave", true),
        key(KeyCode::Enter, "Enter", Intent::Open, "leave", false),
        letter('n', "n", Intent::Back, "stay", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "stay", false),
    ]
}

/// Draws the question.
pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let at = sheet(ui, area, 64, 8, "Leave?");
    let live = ui.snapshot.slots.iter().filter(|slot| slot.is_live()).count();
    let words = if live == 1 {
        "1 pad is in use and will disappear".to_owned()
    } else {
        format!("{live} pads are in use and will disappear")
    };
    ui.text(at.x, at.y, at.width, Style::new(), &format!("{words}; games lose their players."));
    ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, "Slots are remembered.");
}
