//! A page that explains the view, with recipes for the devices that are there.

use super::{sheet, there_is_more};
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use crate::widths::wrap;
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Returns the text for a view by name, given the kinds of device that are there.
pub type Guide = fn(view: &str, devices: &[&str]) -> String;

/// Widths of the page and of its text.
const WIDTH: u16 = 76;
const TEXT: u16 = WIDTH - 4;

/// A page being read.
#[derive(Clone, Debug)]
pub struct GuidePage {
    /// Its heading.
    pub title: String,
    /// Its text, one paragraph per line.
    pub text: String,
    /// Index of the first line shown.
    pub from: u16,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "up", false),
        key(KeyCode::Down, "↓", Intent::Down, "down", false),
        key(KeyCode::Esc, "Esc", Intent::Back, "back", true),
        key(KeyCode::F(1), "F1", Intent::Back, "back", false),
        letter('q', "q", Intent::Back, "back", false),
    ]
}

impl GuidePage {
    fn lines(&self, width: u16) -> Vec<String> {
        let plain = self.text.replace(['`', '*'], "");
        plain
            .lines()
            .flat_map(|line| if line.is_empty() { vec![String::new()] } else { wrap(line, width.into()) })
            .collect()
    }

    /// Scrolls by one line; stops when the last line is visible at this height of the terminal.
    pub fn step(&mut self, intent: Intent, height: u16) {
        // The program's own lines, the page's frame and the line about more text take ten.
        let last = (self.lines(TEXT).len() as u16).saturating_sub(height.saturating_sub(10));
        self.from =
            if intent == Intent::Down { (self.from + 1).min(last) } else { self.from.min(last).saturating_sub(1) };
    }
}

/// Draws the page.
pub fn draw(ui: &mut Ui<'_>, area: Rect, page: &GuidePage) {
    let width = WIDTH.min(area.width.saturating_sub(6));
    let lines = page.lines(width.saturating_sub(4));
    let at = sheet(ui, area, width, lines.len() as u16 + 4, &page.title);
    let fits = lines.len() as u16 <= at.height;
    let height = if fits { at.height } else { at.height.saturating_sub(1) };
    let from = page.from.min((lines.len() as u16).saturating_sub(height));
    for (row, line) in lines.iter().skip(from.into()).take(height.into()).enumerate() {
        ui.text(at.x, at.y + row as u16, at.width, Style::new(), line);
    }
    if !fits {
        there_is_more(ui, at, from, lines.len() as u16);
    }
}
