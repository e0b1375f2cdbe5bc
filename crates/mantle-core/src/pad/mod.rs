//! Kinds of pad, their state, and their encoding to events.

mod common;
mod effects;
mod seen;
mod target;
mod trial;

pub use common::{ABS_INFO, AbsInfo, EVENTS, Events, KEYS, PadIdentity, PadState, TRIGGER_FULL, game_index, identity};
pub use effects::{EFFECTS, Effects, Rumble, RumbleEffect};
pub use seen::Seen;
pub use target::{TARGETS, Target};
pub use trial::{DIRECTIONS, Outline, SECONDS, Trial};

use serde::{Deserialize, Serialize};

/// The kinds of virtual output.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PadKind {
    /// The pad that every game knows.
    #[default]
    Common,
}

impl PadKind {
    /// Its name as people see it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Common => "common pad",
        }
    }
}
