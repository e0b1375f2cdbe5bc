//! Which part of the machine's time the engine's thread gets before others.

use crate::path::Mark;
use serde::{Deserialize, Serialize};

/// How the engine's thread is scheduled.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Priority {
    /// As everything else; nobody has asked for more.
    #[default]
    Usual,
    /// Before everything that has no real-time priority: round robin, at the lowest such level.
    RealTime,
    /// More was asked for and refused: why.
    Refused(String),
    /// The thread had it, needed too much of a processor's time with it, and has given it up for a while.
    GivenUp,
}

impl Priority {
    /// What the journal says of it.
    #[must_use]
    pub fn note(&self) -> (Mark, String) {
        match self {
            Self::Usual => (Mark::Well, "The engine runs at normal priority.".into()),
            Self::RealTime => (Mark::Well, "The engine runs at real-time priority: other programs do not delay presses.".into()),
            Self::Refused(why) => (
                Mark::Well,
                format!("The engine runs at normal priority: presses may be late on a busy machine. Real-time priority was refused: {why}."),
            ),
            Self::GivenUp => (
                Mark::Doubt,
                "The engine needs more than half of a processor and has given up real-time priority so that nothing else starves; it asks again in a minute.".into(),
            ),
        }
    }
}
