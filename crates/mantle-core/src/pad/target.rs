//! The controls of the common pad, by position.

use crate::keys::{KeyAct, KeyTarget};
use serde::{Deserialize, Serialize};

/// A control of the pad, or a direction of one; or something that the *keys* output does. The first 17 are also the bit
/// numbers of [`super::PadState::bits`].
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[allow(missing_docs, reason = "the names are the positions themselves")]
pub enum Target {
    South,
    East,
    West,
    North,
    LeftShoulder,
    RightShoulder,
    LeftTrigger,
    RightTrigger,
    Select,
    Start,
    LeftStickPress,
    RightStickPress,
    Mode,
    Up,
    Down,
    Left,
    Right,
    LeftStickUp,
    LeftStickDown,
    LeftStickLeft,
    LeftStickRight,
    RightStickUp,
    RightStickDown,
    RightStickLeft,
    RightStickRight,
    Key(KeyTarget),
}

/// All targets of the pad, in the order in which they are listed everywhere.
pub const TARGETS: [Target; 25] = {
    use Target::*;
    [
        South,
        East,
        West,
        North,
        LeftShoulder,
        RightShoulder,
        LeftTrigger,
        RightTrigger,
        Select,
        Start,
        LeftStickPress,
        RightStickPress,
        Mode,
        Up,
        Down,
        Left,
        Right,
        LeftStickUp,
        LeftStickDown,
        LeftStickLeft,
        LeftStickRight,
        RightStickUp,
        RightStickDown,
        RightStickLeft,
        RightStickRight,
    ]
};

impl Target {
    /// Its place in [`TARGETS`]; what the *keys* output does stands behind them.
    #[must_use]
    pub const fn index(self) -> usize {
        match self {
            Self::South => 0,
            Self::East => 1,
            Self::West => 2,
            Self::North => 3,
            Self::LeftShoulder => 4,
            Self::RightShoulder => 5,
            Self::LeftTrigger => 6,
            Self::RightTrigger => 7,
            Self::Select => 8,
            Self::Start => 9,
            Self::LeftStickPress => 10,
            Self::RightStickPress => 11,
            Self::Mode => 12,
            Self::Up => 13,
            Self::Down => 14,
            Self::Left => 15,
            Self::Right => 16,
            Self::LeftStickUp => 17,
            Self::LeftStickDown => 18,
            Self::LeftStickLeft => 19,
            Self::LeftStickRight => 20,
            Self::RightStickUp => 21,
            Self::RightStickDown => 22,
            Self::RightStickLeft => 23,
            Self::RightStickRight => 24,
            Self::Key(stroke) => TARGETS.len() + stroke.place(),
        }
    }

    /// Its bit in a set of the pad's targets; none of what the *keys* output does.
    #[must_use]
    pub const fn mask(self) -> u32 {
        match self {
            Self::Key(_) => 0,
            _ => 1 << self.index(),
        }
    }

    /// Whether it is a direction of a stick.
    #[must_use]
    pub const fn is_stick(self) -> bool {
        self.index() >= Self::LeftStickUp.index() && !self.is_key()
    }

    /// Whether it is something that the *keys* output does, and not the pad.
    #[must_use]
    pub const fn is_key(self) -> bool {
        matches!(self, Self::Key(_))
    }

    /// The controls of the pad, and behind them everything that is played beside it.
    pub fn all() -> impl Iterator<Item = Self> {
        TARGETS.into_iter().chain(KeyTarget::all().map(Self::Key))
    }

    /// The one that is written so, of the pad or of the *keys* output.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::all().find(|target| target.name().eq_ignore_ascii_case(name.trim()))
    }

    /// Whether it takes a travel, not only a press: a stick's direction, a trigger, the pointer.
    #[must_use]
    pub const fn travels(self) -> bool {
        match self {
            Self::Key(stroke) => stroke.travels(),
            _ => self.is_stick() || matches!(self, Self::LeftTrigger | Self::RightTrigger),
        }
    }

    /// Which direction of a hat plays it where nobody says, as one of the four bits up, down, left, right.
    #[must_use]
    pub fn direction(self) -> Option<u8> {
        Some(match self {
            Self::Up | Self::LeftStickUp | Self::RightStickUp => 1,
            Self::Down | Self::LeftStickDown | Self::RightStickDown => 2,
            Self::Left | Self::LeftStickLeft | Self::RightStickLeft => 4,
            Self::Right | Self::LeftStickRight | Self::RightStickRight => 8,
            Self::Key(stroke) => match stroke.act() {
                KeyAct::Motion(0, -1) => 4,
                KeyAct::Motion(0, _) => 8,
                KeyAct::Motion(_, -1) => 1,
                KeyAct::Motion(..) => 2,
                KeyAct::Wheel(8, 1) => 1,
                KeyAct::Wheel(8, _) => 2,
                KeyAct::Wheel(_, -1) => 4,
                KeyAct::Wheel(..) => 8,
                _ => return None,
            },
            _ => return None,
        })
    }

    /// The axis of [`super::PadState::axes`] that it lies on, and which way; none for a button.
    #[must_use]
    pub const fn axis(self) -> Option<(usize, f32)> {
        Some(match self {
            Self::LeftStickLeft => (0, -1.0),
            Self::LeftStickRight => (0, 1.0),
            Self::LeftStickUp => (1, -1.0),
            Self::LeftStickDown => (1, 1.0),
            Self::RightStickLeft => (2, -1.0),
            Self::RightStickRight => (2, 1.0),
            Self::RightStickUp => (3, -1.0),
            Self::RightStickDown => (3, 1.0),
            Self::LeftTrigger => (4, 1.0),
            Self::RightTrigger => (5, 1.0),
            _ => return None,
        })
    }

    /// Its name as people see it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::South => "South",
            Self::East => "East",
            Self::West => "West",
            Self::North => "North",
            Self::LeftShoulder => "left shoulder",
            Self::RightShoulder => "right shoulder",
            Self::LeftTrigger => "left trigger",
            Self::RightTrigger => "right trigger",
            Self::Select => "Select",
            Self::Start => "Start",
            Self::LeftStickPress => "left stick press",
            Self::RightStickPress => "right stick press",
            Self::Mode => "Mode",
            Self::Up => "d-pad up",
            Self::Down => "d-pad down",
            Self::Left => "d-pad left",
            Self::Right => "d-pad right",
            Self::LeftStickUp => "left stick up",
            Self::LeftStickDown => "left stick down",
            Self::LeftStickLeft => "left stick left",
            Self::LeftStickRight => "left stick right",
            Self::RightStickUp => "right stick up",
            Self::RightStickDown => "right stick down",
            Self::RightStickLeft => "right stick left",
            Self::RightStickRight => "right stick right",
            Self::Key(stroke) => stroke.name(),
        }
    }
}
