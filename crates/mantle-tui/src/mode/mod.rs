//! Modes: what is open over the view and takes the keys. One at a time, each with its own keys, answers and picture.

mod case;
mod choose;
mod connect;
mod guide;
mod help;
mod kind;
mod listening;
mod members;
mod question;
mod readiness;
mod swap;
mod typing;

pub use choose::{Choose, Chosen};
pub use connect::{Ask, Connecting, FoundRow};
pub use guide::{Guide, GuidePage};
pub use help::step as step_help;
pub use kind::KindChoice;
pub use listening::{Listening, PressFor};
pub use members::Members;
pub use swap::Swap;
pub use typing::{TypedFor, Typing};

use crate::keys::{Key, Place};
use crate::panel::Ui;
use ratatui::layout::Rect;
use ratatui::widgets::{Clear, Widget};

/// What is open over the view.
#[derive(Clone, Debug, Default)]
pub(crate) enum Mode {
    /// Nothing.
    #[default]
    View,
    /// The chooser of a slot, for a device or a player.
    Choose(Choose),
    /// The chooser of a kind of pad.
    Kind(KindChoice),
    /// The chooser of one of a player's devices.
    Members(Members),
    /// A line being typed.
    Typing(Typing),
    /// The question about a source that was taken from another target.
    Swap(Swap),
    /// A press being listened for.
    Listening(Listening),
    /// The question before leaving.
    Question,
    /// The question before a case file is written.
    Case,
    /// Readiness, from this finding on.
    Readiness(usize),
    /// The Connect view.
    Connect(Connecting),
    /// The page of keys, from this line on.
    Help(u16),
    /// The page that explains the view.
    Guide(GuidePage),
}

impl Mode {
    /// Whether nothing is open over the view.
    pub fn is_view(&self) -> bool {
        matches!(self, Self::View)
    }

    /// The place whose keys apply; none if the view's own do.
    pub fn place(&self) -> Option<Place> {
        Some(match self {
            Self::View => return None,
            Self::Choose(_) => Place::Choose,
            Self::Kind(_) => Place::Kind,
            Self::Members(_) => Place::Members,
            Self::Typing(_) => Place::Typing,
            Self::Swap(_) => Place::Swap,
            Self::Listening(_) => Place::Listening,
            Self::Question => Place::Question,
            Self::Case => Place::Case,
            Self::Readiness(_) => Place::Readiness,
            Self::Connect(connecting) if connecting.types() => Place::ConnectTyping,
            Self::Connect(_) => Place::Connect,
            Self::Help(_) => Place::Help,
            Self::Guide(_) => Place::Guide,
        })
    }

    /// Draws it. A press that is listened for is drawn by the view.
    pub fn draw(&self, ui: &mut Ui<'_>, area: Rect, below: &[Key]) {
        match self {
            Self::View | Self::Listening(_) => {}
            Self::Choose(choose) => choose::draw(ui, area, choose),
            Self::Kind(choice) => kind::draw(ui, area, choice),
            Self::Members(members) => members::draw(ui, area, members),
            Self::Typing(typing) => typing::draw(ui, area, typing),
            Self::Swap(swap) => swap::draw(ui, area, swap),
            Self::Question => question::draw(ui, area),
            Self::Case => case::draw(ui, area),
            Self::Readiness(from) => readiness::draw(ui, area, *from),
            Self::Connect(connecting) => connect::draw(ui, area, connecting),
            Self::Help(from) => help::draw(ui, area, below, *from),
            Self::Guide(page) => guide::draw(ui, area, page),
        }
    }
}

/// The keys of such a place; none if the place is not a mode.
pub fn keys(place: Place) -> Option<Vec<Key>> {
    Some(match place {
        Place::Choose => choose::keys(),
        Place::Kind => kind::keys(),
        Place::Members => members::keys(),
        Place::Typing => typing::keys(),
        Place::Swap => swap::keys(),
        Place::Listening => listening::keys(),
        Place::Question => question::keys(),
        Place::Case => case::keys(),
        Place::Readiness => readiness::keys(),
        Place::Connect => connect::keys(),
        Place::ConnectTyping => connect::typing_keys(),
        Place::Help => help::keys(),
        Place::Guide => guide::keys(),
        _ => return None,
    })
}

/// Clears an area in the middle and draws a heading; returns the rest of it.
fn sheet(ui: &mut Ui<'_>, area: Rect, width: u16, height: u16, title: &str) -> Rect {
    let width = width.min(area.width - 4);
    let height = height.min(area.height);
    let at = Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 3, width, height };
    let margin = Rect { x: at.x - 2, y: at.y.saturating_sub(1).max(area.y), width: width + 4, height: height + 2 };
    Clear.render(margin.intersection(area), ui.buffer);
    for y in [at.y, at.bottom() - 1] {
        let text = "─".repeat(usize::from(width));
        ui.text(at.x, y, width, ui.theme.line, &text);
    }
    ui.text(at.x + 2, at.y, width - 4, ui.theme.strong, &format!(" {title} "));
    Rect { x: at.x + 2, y: at.y + 2, width: width - 4, height: height.saturating_sub(3) }
}

/// Says below a page how many lines are hidden above and below; `from` is the first line shown.
fn there_is_more(ui: &mut Ui<'_>, page: Rect, from: u16, lines: u16) {
    let seen = page.height.saturating_sub(1);
    let below = lines.saturating_sub(from + seen);
    let words = format!("↑ {from} lines above   ↓ {below} lines below");
    ui.text(page.x, page.y + seen, page.width, ui.theme.quiet, &words);
}
