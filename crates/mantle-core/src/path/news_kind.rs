//! Sentences as news, and the limits from which they appear.

use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// The limits from which warnings appear.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Limits {
    /// A battery below this share is low.
    pub battery: f32,
    /// A device whose reports are further apart than this is slow.
    pub delay: Micros,
    /// The longest delay from report to pad that may be exceeded by only 1 %.
    pub late: Micros,
    /// The share of a steady stream's reports that may be lost within a minute.
    pub lost: f32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { battery: 0.2, delay: Micros::millis(100), late: Micros::millis(10), lost: 0.02 }
    }
}

/// The kinds of news.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[repr(u8)]
pub enum NewsKind {
    /// No pad can be made for a player.
    NoPad,
    /// A device sends nothing any more, or cannot be read.
    Stops,
    /// Presses arrive late.
    Delay,
    /// A battery is low.
    Battery,
    /// A device that should be hidden from games is not.
    Uncovered,
}

impl NewsKind {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::NoPad, Self::Stops, Self::Delay, Self::Battery, Self::Uncovered];

    /// Its name in `settings.toml`.
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

    /// The heading of such a message.
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

    /// Whether it keeps somebody from playing.
    #[must_use]
    pub const fn is_urgent(self) -> bool {
        matches!(self, Self::NoPad | Self::Stops)
    }
}
