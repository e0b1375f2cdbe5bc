//! The board's columns at each width; also widths of text.

use mantle_talk::{Stage, visible};
use ratatui::text::Span;

/// The smallest screen on which everything fits.
pub const SMALLEST: (u16, u16) = (80, 24);

/// The columns of the board.
#[derive(Clone, Debug)]
pub struct Columns {
    /// The stages shown, each with its first cell and its width.
    pub stages: Vec<(Stage, u16, u16)>,
    /// Width of the column before them.
    pub head: u16,
}

impl Columns {
    /// The columns at a width; narrow screens have fewer, in the same order.
    pub fn at(width: u16) -> Self {
        use Stage::{Bindings, Controls, Device, Feel, Games, Pad, Reports};
        let wanted: &[(Stage, u16)] = match width {
            0..100 => &[(Device, 21), (Reports, 10), (Bindings, 12), (Pad, 13), (Games, 13)],
            100..130 => &[(Device, 22), (Reports, 11), (Controls, 13), (Bindings, 14), (Pad, 16), (Games, 18)],
            _ => &[(Device, 25), (Reports, 16), (Controls, 19), (Bindings, 17), (Feel, 17), (Pad, 22), (Games, 26)],
        };
        let head = if width < 100 { 10 } else { 13 };
        let room = u32::from(width.saturating_sub(head + 1));
        let sum: u32 = wanted.iter().map(|(_, w)| u32::from(*w)).sum();
        let mut at = head;
        let stages = wanted.iter().map(|(stage, weight)| {
            let width = (u32::from(*weight) * room / sum) as u16;
            let first = at;
            at += width;
            (*stage, first, width)
        });
        Self { stages: stages.collect(), head }
    }

    /// The shown stage nearest to one that may be hidden.
    pub fn nearest(&self, stage: Stage) -> Stage {
        self.stages.iter().map(|(s, ..)| *s).min_by_key(|s| (*s as i32 - stage as i32).abs()).unwrap_or(stage)
    }
}

/// Width of text in cells; some characters take two.
pub fn cells(text: &str) -> usize {
    if text.chars().all(is_narrow) { text.chars().count() } else { Span::raw(visible(text)).width() }
}

/// Whether a character surely takes one cell: Latin letters, and the signs that the screen draws.
#[inline]
pub fn is_narrow(c: char) -> bool {
    matches!(c, ' '..='~' | '\u{a1}'..='\u{ac}' | '\u{ae}'..='\u{2ff}' | '–' | '…' | '✓' | '✗' | '\u{2190}'..='\u{21ff}' | '\u{2500}'..='\u{25fc}')
}

/// The first of these words, the longest first, that fits into a width; the last one if none does.
pub fn fitting<'a>(words: &[&'a str], width: usize) -> &'a str {
    let fits = words.iter().find(|words| cells(words) <= width);
    fits.or(words.last()).copied().unwrap_or_default()
}

/// Shortens a name to a width by dropping its middle: names differ at the beginning and the end.
pub fn middle(text: &str, width: usize) -> std::borrow::Cow<'_, str> {
    if cells(text) <= width || width < 5 {
        return text.into();
    }
    let all: Vec<char> = text.chars().collect();
    // The end keeps a third, such as a number or a side.
    let (mut end, mut kept) = (all.len(), 0);
    while end > 0 && kept + cells(&all[end - 1].to_string()) <= width / 3 {
        end -= 1;
        kept += cells(&all[end].to_string());
    }
    let (mut begin, mut used) = (0, 0);
    while begin < end && used + cells(&all[begin].to_string()) + kept < width {
        used += cells(&all[begin].to_string());
        begin += 1;
    }
    let first: String = all[..begin].iter().collect();
    let last: String = all[end..].iter().collect();
    format!("{}…{}", first.trim_end(), last.trim_start()).into()
}

/// Breaks text into lines of a width, between words.
pub fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split(' ') {
        match lines.last_mut() {
            Some(line) if cells(line) + 1 + cells(word) <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel;
    use ratatui::buffer::Buffer;
    use ratatui::layout::Rect;
    use ratatui::style::Style;

    /// The fast path agrees with the general library wherever every character takes one cell.
    #[test]
    fn narrow_text_matches_the_librarys_output() {
        let mut all: Vec<char> = (' '..='\u{ffff}').filter(|c| is_narrow(*c)).collect();
        all.truncate(2000);
        for c in all {
            let text = c.to_string();
            assert_eq!((cells(&text), Span::raw(text.as_str()).width()), (1, 1), "{c:?} {:#x}", c as u32);
            let at = Rect { width: 3, height: 1, ..Rect::default() };
            let (mut ours, mut theirs) = (Buffer::empty(at), Buffer::empty(at));
            panel::write(&mut ours, 0, 0, 3, Style::new(), &text);
            theirs.set_stringn(0, 0, &text, 3, Style::new());
            assert_eq!(ours, theirs, "{c:?}");
        }
    }

    #[test]
    fn the_longest_fitting_wording_is_used() {
        let words = ["in hand: all keys", "in hand", "灯"];
        assert_eq!(
            [17, 16, 7, 6, 1].map(|width| fitting(&words, width)),
            [words[0], words[1], words[1], words[2], words[2]]
        );
        assert_eq!(fitting(&[], 5), "");
    }

    #[test]
    fn a_long_name_keeps_its_beginning_and_its_end() {
        assert_eq!(middle("Quay pad", 8), "Quay pad");
        assert_eq!(middle("Placid Mantle common pad 2", 16), "Placid Man…pad 2");
        assert_ne!(middle("Lantern of the pier, left", 14), middle("Lantern of the pier, right", 14));
        for width in 5..30 {
            for name in ["遊園地のパッド 二号", "Placid Mantle common pad 2", "a"] {
                assert!(cells(&middle(name, width)) <= width, "{name} at {width}");
            }
        }
    }

    #[test]
    fn double_width_letters_are_cut_whole() {
        let at = Rect { width: 6, height: 1, ..Rect::default() };
        let line = |text: &str, width: u16| {
            let mut buffer = Buffer::empty(at);
            let end = panel::write(&mut buffer, 0, 0, width, Style::new(), text);
            let said: String = buffer.content.iter().map(|cell| cell.symbol()).collect();
            (said, end)
        };
        assert_eq!(cells("遊園地"), 6);
        assert_eq!(line("遊園地", 6).1, 6);
        // Two and a half characters do not fit: the last cell says that there is more.
        let (said, end) = line("遊園地", 5);
        assert!(said.starts_with("遊 園 …") && end == 5, "{said:?} {end}");
        let (said, end) = line("遊園地", 4);
        assert!(said.starts_with("遊 …") && end == 3, "{said:?} {end}");
        assert_eq!(line("plain text", 6), ("plain…".to_owned(), 6));
    }
}
