//! The keys of a place, as a page.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Esc, "Esc", Intent::Back, "back", true),
        letter('?', "?", Intent::Back, "back", false),
        letter('q', "q", Intent::Back, "back", false),
    ]
}

/// Draws the keys of a place that are of use now.
pub fn draw(ui: &mut Ui<'_>, area: Rect, keys: &[Key]) {
    let listed: Vec<_> = keys.iter().filter(|key| !matches!(key.intent, Intent::Slot(n) if n > 1)).collect();
    let rows = (listed.len() as u16).div_ceil(2);
    let at = sheet(ui, area, 68, rows + 10, "Keys");
    // Where there is no room for all, the signs go first.
    let shown = rows.min(at.height);
    for (index, key) in listed.iter().enumerate() {
        let (column, row) = (index as u16 / rows.max(1), index as u16 % rows.max(1));
        if row >= shown {
            continue;
        }
        let (x, y) = (at.x + column * 34, at.y + row);
        let (label, words) = match key.intent {
            Intent::Slot(_) => ("1 to 8", "that slot"),
            _ => (key.label, key.words),
        };
        ui.text(x, y, 9, ui.theme.key, label);
        ui.text(x + 10, y, 23, Style::new(), words);
    }
    let signs = [
        "",
        "● passes   ○ untried   ✕ stops   ▲ look at it   ◌ kept for somebody",
        "a heavy line: something passes just now",
        "",
        "Up is negative on sticks in every number, as games count it.",
        "What can be clicked may be clicked; Ctrl-C leaves at once.",
    ];
    if rows + signs.len() as u16 <= at.height {
        for (line, text) in signs.iter().enumerate() {
            ui.text(at.x, at.y + rows + line as u16, at.width, ui.theme.quiet, text);
        }
    }
}
