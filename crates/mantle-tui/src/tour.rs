//! A tour: one step at a time, shown below everything else. A step waits until its words can be seen on the screen.
//!
//! ```text
//! the screen as ever, some lines lower
//! ── 3 of 10 ──────────────────────────── F2 skips this step
//! what to press, and what that shows
//! ```

use crate::keys::Intent;
use crate::panel::Ui;
use crate::rows::Click;
use crate::theme::Theme;
use crate::widths::{cells, wrap};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::widgets::{Clear, Widget};

/// A step: what to do, in Markdown, and the words that appear when it is done, in order.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct TourStep {
    /// What to press, and what that shows.
    pub text: String,
    /// The words that appear, in order; the last of them completes the step.
    pub seen: Vec<String>,
}

/// Shown when all steps are done.
const END: &str = "That was all of it. `F2` closes this; the demo goes on, and `q` leaves.";
/// The most lines for a step.
const MOST: u16 = 6;

/// A running tour.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Tour {
    steps: Vec<TourStep>,
    /// Index of the current step; after the last one, the tour is done.
    at: usize,
    /// How many of its words have appeared.
    seen: usize,
    /// Whether the person has pressed or clicked anything during this step.
    acted: bool,
}

impl Tour {
    /// Begins with the first step.
    pub fn new(steps: Vec<TourStep>) -> Self {
        Self { steps, at: 0, seen: 0, acted: false }
    }

    /// The person has pressed or clicked something.
    pub fn handle_act(&mut self) {
        self.acted = true;
    }

    /// Moves to the next step. Returns false if the tour is over and closes.
    pub fn skip(&mut self) -> bool {
        (self.at, self.seen, self.acted) = (self.at + 1, 0, false);
        self.at <= self.steps.len()
    }

    /// Number of lines at a width: the same for every step, so that nothing above it jumps.
    pub fn height(&self, width: u16) -> u16 {
        let lines = |text: &str| wrap(&plain(text), usize::from(width.saturating_sub(2))).len() as u16;
        let most = self.steps.iter().map(|step| lines(&step.text)).max().unwrap_or(0);
        most.max(lines(END)).min(MOST) + 1
    }

    /// Looks for the step's words on the screen above it. Words that stand there before the person has done anything
    /// do not count.
    pub fn see(&mut self, buffer: &Buffer, area: Rect) {
        let Some(step) = self.steps.get(self.at).filter(|_| self.acted) else { return };
        let screen = words_on(buffer, area);
        let waited = &step.seen[self.seen.min(step.seen.len())..];
        let found = waited.iter().take_while(|words| screen.contains(&squeezed(words))).count();
        self.seen += found;
        if self.seen == step.seen.len() {
            (self.at, self.seen, self.acted) = (self.at + 1, 0, false);
        }
    }

    /// Draws the step.
    pub fn draw(&self, buffer: &mut Buffer, area: Rect, theme: &Theme, clicks: &mut Vec<(Rect, Click)>) {
        let (text, title) = match self.steps.get(self.at) {
            Some(step) => (step.text.as_str(), format!("── {} of {} ", self.at + 1, self.steps.len())),
            None => (END, "── done ".to_owned()),
        };
        let skip = if self.at < self.steps.len() { "F2 skip this step" } else { "F2 close" };
        let line = "─".repeat(usize::from(area.width).saturating_sub(cells(&title) + cells(skip) + 3));
        let write = |buffer: &mut Buffer, x: u16, style: Style, text: &str| {
            crate::panel::write(buffer, x, area.y, area.right().saturating_sub(x), style, text)
        };
        let x = write(buffer, area.x, theme.key, &title);
        let x = write(buffer, x, theme.line, &line);
        let from = write(buffer, x, Style::new(), " ");
        let x = write(buffer, from, theme.key, "F2");
        let x = write(buffer, x, theme.quiet, skip.trim_start_matches("F2"));
        clicks.push((Rect { x: from, y: area.y, width: x - from, height: 1 }, Click::Key(Intent::SkipStep)));
        let mut styled = styled(text, theme).into_iter();
        for (row, line) in (1..area.height).zip(wrap(&plain(text), usize::from(area.width.saturating_sub(2)))) {
            let mut x = area.x + 1;
            for c in line.chars() {
                // Wrapping drops blanks, so each letter's style is found by its order.
                let style = styled.by_ref().find(|(own, _)| *own == c).map_or(Style::new(), |(_, style)| style);
                let mut own = [0; 4];
                x = crate::panel::write(
                    buffer,
                    x,
                    area.y + row,
                    area.right().saturating_sub(x),
                    style,
                    c.encode_utf8(&mut own),
                );
            }
        }
    }
}

/// Draws words for a first-time user at the bottom of the view, one sentence per line.
pub(crate) fn greet(ui: &mut Ui<'_>, area: Rect, greeting: &str) {
    if greeting.is_empty() {
        return;
    }
    let width = area.width.saturating_sub(2);
    let lines: Vec<String> = greeting.lines().flat_map(|line| wrap(line, usize::from(width))).collect();
    let height = (lines.len() as u16 + 1).min(area.height);
    let at = Rect { y: area.bottom() - height, height, ..area };
    Clear.render(at, ui.buffer);
    ui.text(at.x, at.y, at.width, ui.theme.line, &"─".repeat(usize::from(at.width)));
    for (row, line) in (1..height).zip(&lines) {
        ui.text(at.x + 1, at.y + row, width, ui.theme.strong, line);
    }
}

/// The text without the marks of keys and words.
fn plain(text: &str) -> String {
    text.replace(['`', '*'], "")
}

/// The letters of the text with their styles: keys as keys, words that appear in bold.
fn styled(text: &str, theme: &Theme) -> Vec<(char, Style)> {
    let (mut key, mut strong, mut out) = (false, false, Vec::new());
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '`' => key = !key,
            '*' => {
                if rest.next_if_eq(&'*').is_some() {
                    strong = !strong;
                }
            }
            c => out.push((
                c,
                if key {
                    theme.key
                } else if strong {
                    theme.strong
                } else {
                    Style::new()
                },
            )),
        }
    }
    out
}

/// Squeezes whitespace to single blanks.
fn squeezed(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// All words in an area of the screen, separated by single blanks, so that words broken between lines are whole again.
fn words_on(buffer: &Buffer, area: Rect) -> String {
    let row = |y: u16| {
        (area.left()..area.right())
            .filter_map(move |x| buffer.cell((x, y)).map(|cell| cell.symbol()))
            .collect::<String>()
    };
    squeezed(&(area.top()..area.bottom()).map(row).collect::<Vec<_>>().join(" "))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn screen(lines: &[&str]) -> (Buffer, Rect) {
        let buffer = Buffer::with_lines(lines.iter().copied());
        let area = buffer.area;
        (buffer, area)
    }

    fn tour() -> Tour {
        let step = |text: &str, seen: &[&str]| TourStep {
            text: text.into(),
            seen: seen.iter().map(|one| (*one).into()).collect(),
        };
        Tour::new(vec![
            step("Press `h`: **in hand:**, then `Esc`: **open**.", &["in hand:", "open"]),
            step("`q`.", &["ended"]),
        ])
    }

    #[test]
    fn a_step_waits_for_all_its_words_in_order_and_for_a_key() {
        let mut tour = tour();
        let (there, area) = screen(&["Enter open", "something in hand: it"]);
        tour.see(&there, area);
        assert_eq!((tour.at, tour.seen), (0, 0), "what stands there already is no answer");
        tour.handle_act();
        let (hand, area) = screen(&["it is in", "hand: 1 2 3"]);
        tour.see(&hand, area);
        assert_eq!((tour.at, tour.seen), (0, 1), "words that are broken between lines are found");
        tour.see(&hand, area);
        assert_eq!((tour.at, tour.seen), (0, 1));
        let (open, area) = screen(&["Enter open"]);
        tour.see(&open, area);
        assert_eq!((tour.at, tour.acted), (1, false));
        assert!(tour.skip(), "its end is shown");
        assert!(!tour.skip(), "and closed");
    }

    #[test]
    fn keys_and_words_are_highlighted_and_no_text_is_lost() {
        let theme = Theme::new(crate::theme::Look::default());
        let tour = tour();
        let area = Rect::new(0, 0, 24, tour.height(24));
        let (mut buffer, mut clicks) = (Buffer::empty(area), Vec::new());
        tour.draw(&mut buffer, area, &theme, &mut clicks);
        let said = words_on(&buffer, area);
        assert!(said.contains("Press h: in hand:, then Esc: open."), "{said}");
        assert_eq!(clicks.len(), 1);
        let style_of = |x: u16| buffer.cell((x, 1)).expect("a cell").style().add_modifier;
        assert_eq!(style_of(7), theme.key.add_modifier, "h is a key");
    }
}
