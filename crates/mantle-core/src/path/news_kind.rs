//! What a sentence is as news, and from where on things are said at all.

use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// From where on something is said.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Limits {
    /// A battery is low below this share.
    pub battery: f32,
    /// A device is slow whose reports come further apart.
    pub delay: Micros,
    /// So long may it take from a report to the pad, but for one of a hundred.
    pub late: Micros,
    /// This share of a steady stream's reports may be lost within a minute.
    pub lost: f32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { battery: 0.2, delay: Micros::millis(100), late: Micros::millis(10), lost: 0.02 }
    }
}

/// What kind of news it is.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[repr(u8)]
pub enum NewsKind {
    /// Somebody plays, and no pad can be made for them.
    NoPad,
    /// A device sends nothing any more, or cannot be read.
    Stops,
    /// What is pressed arrives late.
    Delay,
    /// A battery is low.
    Battery,
    /// A device that should be kept from games is not.
    Uncovered,
}

impl NewsKind {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::NoPad, Self::Stops, Self::Delay, Self::Battery, Self::Uncovered];

    /// What it is called in `settings.toml`.
    #[must_use]
    pub const fn key(self) -> &'static str {
        match self {
            Self::NoPad => "no-pad",
            Self::Stops => "stops",
            Self::Delay => "delay",
            Self::Battery => "battery",
            Self::Uncovered => "uncovered",
        }
    }

    /// What stands above such a message.
    #[must_use]
    pub const fn title(self) -> &'static str {
        match self {
            Self::NoPad => "A player has no pad",
            Self::Stops => "A device has stopped",
            Self::Delay => "Presses arrive late",
            Self::Battery => "A battery is low",
            Self::Uncovered => "A game may see a device twice",
        }
    }

    /// Whether somebody cannot play because of it.
    #[must_use]
    pub const fn is_urgent(self) -> bool {
        matches!(self, Self::NoPad | Self::Stops)
    }
}
