//! What has the keys while the view lies below it: one thing at a time, each with its own keys, answers and picture.

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

/// What has the keys.
#[derive(Clone, Debug, Default)]
pub(crate) enum Mode {
    /// Nothing but the view.
    #[default]
    View,
    /// A slot is chosen, for a device or a player.
    Choose(Choose),
    /// Another kind of pad is chosen for a slot.
    Kind(KindChoice),
    /// One of a player's devices is chosen.
    Members(Members),
    /// A line is typed.
    Typing(Typing),
    /// A source plays another target already.
    Swap(Swap),
    /// A press is listened for.
    Listening(Listening),
    /// The question before leaving.
    Question,
    /// What stands in the way of play, from this finding on.
    Readiness(usize),
    /// A device is connected.
    Connect(Connecting),
    /// The keys, as a page, from this line on.
    Help(u16),
    /// What the view is for, as a page.
    Guide(GuidePage),
}

impl Mode {
    /// Whether nothing lies over the view.
    pub fn is_view(&self) -> bool {
        matches!(self, Self::View)
    }

    /// Where its keys are pressed; none where they are the view's own.
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
            Self::Readiness(_) => Place::Readiness,
            Self::Connect(connecting) if connecting.types() => Place::ConnectTyping,
            Self::Connect(_) => Place::Connect,
            Self::Help(_) => Place::Help,
            Self::Guide(_) => Place::Guide,
        })
    }

    /// Its picture; a press that is listened for has it in the view.
    pub fn draw(&self, ui: &mut Ui<'_>, area: Rect, below: &[Key]) {
        match self {
            Self::View | Self::Listening(_) => {}
            Self::Choose(choose) => choose::draw(ui, area, choose),
            Self::Kind(choice) => kind::draw(ui, area, choice),
            Self::Members(members) => members::draw(ui, area, members),
            Self::Typing(typing) => typing::draw(ui, area, typing),
            Self::Swap(swap) => swap::draw(ui, area, swap),
            Self::Question => question::draw(ui, area),
            Self::Readiness(from) => readiness::draw(ui, area, *from),
            Self::Connect(connecting) => connect::draw(ui, area, connecting),
            Self::Help(from) => help::draw(ui, area, below, *from),
            Self::Guide(page) => guide::draw(ui, area, page),
        }
    }
}

/// The keys of such a place; none where it is none.
pub fn keys(place: Place) -> Option<Vec<Key>> {
    Some(match place {
        Place::Choose => choose::keys(),
        Place::Kind => kind::keys(),
        Place::Members => members::keys(),
        Place::Typing => typing::keys(),
        Place::Swap => swap::keys(),
        Place::Listening => listening::keys(),
        Place::Question => question::keys(),
        Place::Readiness => readiness::keys(),
        Place::Connect => connect::keys(),
        Place::ConnectTyping => connect::typing_keys(),
        Place::Help => help::keys(),
        Place::Guide => guide::keys(),
        _ => return None,
    })
}

/// Clears a place in the middle and puts a heading on it; returns what is left of it.
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

/// Below a page that does not fit: how many of its lines are above and below what is seen, which begins with line `from`.
fn there_is_more(ui: &mut Ui<'_>, page: Rect, from: u16, lines: u16) {
    let seen = page.height.saturating_sub(1);
    let below = lines.saturating_sub(from + seen);
    let words = format!("↑ {from} lines above   ↓ {below} lines below");
    ui.text(page.x, page.y + seen, page.width, ui.theme.quiet, &words);
}
