//! The controls of the common pad, by position.

use serde::{Deserialize, Serialize};

/// A control of the pad, or a direction of one. The first 17 are also the bit numbers of [`super::PadState::bits`].
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[allow(missing_docs, reason = "the names are the positions themselves")]
#[repr(u8)]
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
}

/// All targets, in the order in which they are listed everywhere.
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
    /// Its place in [`TARGETS`].
    #[must_use]
    pub const fn index(self) -> usize {
        self as usize
    }

    /// Its bit in a set of targets.
    #[must_use]
    pub const fn mask(self) -> u32 {
        1 << self as u32
    }

    /// Whether it is a direction of a stick.
    #[must_use]
    pub const fn is_stick(self) -> bool {
        self as u32 >= Self::LeftStickUp as u32
    }

    /// Whether it takes a travel, not only a press: a stick's direction, a trigger.
    #[must_use]
    pub const fn travels(self) -> bool {
        self.is_stick() || matches!(self, Self::LeftTrigger | Self::RightTrigger)
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
        }
    }
}
