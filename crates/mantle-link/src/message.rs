//! The messages.

use mantle_talk::{CasePiece, HistoryAnswer, Order, Snapshot};
use serde::{Deserialize, Serialize};

/// What a screen or a script says; the first message is [`ToEngine::Hello`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum ToEngine {
    /// Who comes.
    Hello {
        /// [`mantle_talk::VERSION`] of the newcomer.
        version: u32,
        /// A screen, and not a script.
        screen: bool,
    },
    /// An order; it is answered by its number, with a later snapshot.
    Order(Box<Order>),
}

/// What the engine says of itself.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Greeting {
    /// Its [`mantle_talk::VERSION`].
    pub version: u32,
    /// Its process.
    pub pid: i32,
    /// When it was started, in seconds since 1970.
    pub since: u64,
    /// Whether it stays when all screens have gone.
    pub stays: bool,
}

/// What the engine says; the first message is [`ToScreen::Welcome`], or [`ToScreen::Refused`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum ToScreen {
    /// It takes whoever has come.
    Welcome(Greeting),
    /// The state of everything, with the answers since the last one.
    Snapshot(Box<Snapshot>),
    /// What came from a node.
    History(Box<HistoryAnswer>),
    /// Part of a case.
    Case(Box<CasePiece>),
    /// It says no more, and why.
    Refused {
        /// In words.
        why: String,
        /// Its [`mantle_talk::VERSION`].
        version: u32,
    },
}
