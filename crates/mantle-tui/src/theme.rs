//! Styles by meaning. Colours appear nowhere else.

use mantle_talk::{Mark, StageState};
use ratatui::style::{Color, Modifier, Style};

/// How the screen may be drawn.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Look {
    /// ASCII only.
    pub ascii: bool,
    /// No colours.
    pub plain: bool,
}

/// The styles, by meaning.
#[derive(Clone, Copy, Debug)]
pub struct Theme {
    /// Important text.
    pub strong: Style,
    /// Secondary text.
    pub quiet: Style,
    /// Lines and frames.
    pub line: Style,
    /// Moving now, or well.
    pub live: Style,
    /// Wants attention.
    pub doubt: Style,
    /// Wrong.
    pub wrong: Style,
    /// Kept for an absent device.
    pub kept: Style,
    /// A key to press.
    pub key: Style,
    /// Chosen.
    pub chosen: Style,
}

impl Theme {
    /// The styles for a look.
    pub fn new(look: Look) -> Self {
        let plain = Style::new();
        let colour = |colour: Color, instead: Modifier| {
            if look.plain { plain.add_modifier(instead) } else { plain.fg(colour) }
        };
        let none = Modifier::empty();
        Self {
            strong: plain.fg(Color::Reset).add_modifier(Modifier::BOLD),
            quiet: colour(Color::Indexed(245), Modifier::DIM),
            line: colour(Color::Indexed(240), Modifier::DIM),
            live: colour(Color::Indexed(79), none),
            doubt: colour(Color::Indexed(179), none),
            wrong: colour(Color::Indexed(209), Modifier::BOLD),
            kept: colour(Color::Indexed(141), none),
            key: colour(Color::Indexed(79), Modifier::BOLD).add_modifier(Modifier::BOLD),
            chosen: plain.fg(Color::Reset).add_modifier(Modifier::BOLD | Modifier::UNDERLINED),
        }
    }

    /// Style and sign of a stage.
    pub fn stage(&self, state: StageState) -> (Style, &'static str) {
        match state {
            StageState::Untried => (self.quiet, "○"),
            StageState::Passing => (self.live, "●"),
            StageState::Doubtful => (self.doubt, "▲"),
            StageState::Stopped => (self.wrong, "✕"),
            StageState::Kept => (self.kept, "◌"),
        }
    }

    /// Style and sign of a sentence.
    pub fn mark(&self, mark: Mark) -> (Style, &'static str) {
        match mark {
            Mark::Stop => (self.wrong, "✕"),
            Mark::Doubt => (self.doubt, "▲"),
            Mark::Ask => (self.doubt, "?"),
            Mark::Kept => (self.kept, "◌"),
            Mark::Hint => (self.quiet, "○"),
            Mark::Well => (self.live, "✓"),
        }
    }
}
