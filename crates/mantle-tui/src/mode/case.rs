//! The question before a case file is written: what goes in, and what stays out.

use super::sheet;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use mantle_talk::{GOES_IN, STAYS_OUT};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Enter, "Enter", Intent::Open, "write it", true),
        letter('X', "X", Intent::Open, "write it", false),
        key(KeyCode::Esc, "Esc", Intent::Back, "do not", true),
        letter('j', "j", Intent::Back, "do not", false),
    ]
}

/// Draws the question.
pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let at = sheet(ui, area, 78, 17, "Write a case file for somebody who helps?");
    let mut y = at.y;
    let mut line = |ui: &mut Ui<'_>, style: Style, sign: &str, words: &str| {
        if y < at.bottom() {
            ui.text(at.x, y, 2, style, sign);
            ui.text(at.x + 2, y, at.width.saturating_sub(2), style, words);
        }
        y += 1;
    };
    let (strong, quiet) = (ui.theme.strong, ui.theme.quiet);
    line(ui, strong, "", "This goes in:");
    for words in GOES_IN {
        line(ui, Style::new(), "+", words);
    }
    line(ui, strong, "", "This stays out:");
    for words in STAYS_OUT {
        line(ui, Style::new(), "-", words);
    }
    line(ui, quiet, "", "");
    line(ui, quiet, "", "It stays on this computer until you send it. To leave out less, or name");
    line(ui, quiet, "", "devices: placid-mantle case FILE --help");
}
