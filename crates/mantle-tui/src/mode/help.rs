//! The keys of a place, as a page.

use super::{sheet, there_is_more};
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "up", false),
        key(KeyCode::Down, "↓", Intent::Down, "down", false),
        key(KeyCode::Esc, "Esc", Intent::Back, "back", true),
        letter('?', "?", Intent::Explain, "what this view is for", true),
        key(KeyCode::F(1), "F1", Intent::Explain, "what this view is for", false),
        letter('q', "q", Intent::Back, "back", false),
    ]
}

/// What the signs mean; shown below the keys.
const SIGNS: [&str; 6] = [
    "",
    "● passes   ○ untried   ✕ stops   ▲ has a problem   ◌ kept for an absent device",
    "a heavy line: something is passing now",
    "",
    "In numbers, up is negative on sticks, as games count it.",
    "Everything can be clicked. Ctrl-C leaves at once.",
];

/// The furthest that the page can be scrolled.
fn lowest(keys: usize, height: u16) -> u16 {
    ((keys as u16).div_ceil(2) + SIGNS.len() as u16).saturating_sub(height)
}

/// Scrolls by one line.
pub fn step(from: u16, intent: Intent, keys: &[Key], height: u16) -> u16 {
    // The frame takes five lines, and one says that there is more.
    let last = lowest(listed(keys).len(), height.saturating_sub(6));
    match intent {
        Intent::Down => (from + 1).min(last),
        Intent::Up => from.min(last).saturating_sub(1),
        _ => from,
    }
}

fn listed(keys: &[Key]) -> Vec<&Key> {
    keys.iter().filter(|key| !matches!(key.intent, Intent::Slot(n) if n > 1)).collect()
}

/// Draws the keys that can be used now, from a line on.
pub fn draw(ui: &mut Ui<'_>, area: Rect, keys: &[Key], from: u16) {
    let listed = listed(keys);
    let rows = (listed.len() as u16).div_ceil(2);
    let lines = rows + SIGNS.len() as u16;
    let at = sheet(ui, area, 68, lines + 4, "Keys");
    // Lines that do not fit are counted, and can be scrolled to.
    let fits = lines <= at.height;
    let height = if fits { at.height } else { at.height.saturating_sub(1) };
    let from = from.min(lowest(listed.len(), height));
    for line in from..lines.min(from + height) {
        let y = at.y + line - from;
        if let Some(signs) = line.checked_sub(rows) {
            ui.text(at.x, y, at.width, ui.theme.quiet, SIGNS[usize::from(signs)]);
            continue;
        }
        for column in 0..2 {
            let Some(key) = listed.get(usize::from(column * rows + line)) else { continue };
            let (label, words) = match key.intent {
                Intent::Slot(_) => ("1 to 8", "that slot"),
                _ => (key.label, key.words),
            };
            let x = at.x + column * 34;
            if !matches!(key.intent, Intent::Slot(_)) {
                let row = Rect { x, y, width: 33, height: 1 };
                ui.clicks.push((row, crate::rows::Click::Key(key.intent)));
            }
            ui.text(x, y, 9, ui.theme.key, label);
            ui.text(x + 10, y, 23, Style::new(), words);
        }
    }
    if !fits {
        there_is_more(ui, at, from, lines);
    }
}
