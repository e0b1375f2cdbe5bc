//! What games take an input device for: by its own abilities, as libraries do that check for themselves, and by udev's tags, as those do that go by
//! its database. For some devices the two differ.

use crate::evdev::{EvdevCaps, event};
use serde::{Deserialize, Serialize};

/// What an input device is to a game.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum Takes {
    /// Nothing.
    #[default]
    Nothing,
    /// A pad: its buttons have the codes of a game pad.
    Pad,
    /// A joystick: its controls have to be assigned in the game.
    Joystick,
    /// A mouse.
    Mouse,
    /// A touch surface, a tablet or a screen.
    Touch,
    /// A keyboard, or some keys.
    Keys,
    /// A motion sensor.
    Motion,
}

/// Codes, with the names in the Linux input documentation.
mod code {
    pub const KEY_MAX_OF_KEYS: u16 = 0x100;
    pub const BTN_1: u16 = 0x101;
    pub const BTN_MOUSE: u16 = 0x110;
    pub const BTN_TRIGGER: u16 = 0x120;
    pub const BTN_SOUTH: u16 = 0x130;
    pub const BTN_TOOL_PEN: u16 = 0x140;
    pub const BTN_TOOL_FINGER: u16 = 0x145;
    pub const BTN_TOUCH: u16 = 0x14a;
    pub const BTN_STYLUS: u16 = 0x14b;
    pub const ABS_X: u16 = 0;
    pub const ABS_Y: u16 = 1;
    pub const ABS_Z: u16 = 2;
    pub const ABS_RX: u16 = 3;
    pub const ABS_RY: u16 = 4;
    pub const ABS_RZ: u16 = 5;
    /// Throttle, rudder, wheel, gas, brake.
    pub const ABS_OF_VEHICLES: std::ops::RangeInclusive<u16> = 6..=10;
    pub const REL_X: u16 = 0;
    pub const REL_Y: u16 = 1;
    pub const PROP_ACCELEROMETER: u16 = 6;
}

impl Takes {
    /// Whether a game takes it for something to play with.
    #[must_use]
    pub fn is_pad(self) -> bool {
        matches!(self, Self::Pad | Self::Joystick)
    }

    /// The same in a word or two.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::Pad => "a controller",
            Self::Joystick => "a joystick",
            Self::Mouse => "a mouse",
            Self::Touch => "a touch surface",
            Self::Keys => "keys",
            Self::Motion => "a motion sensor",
        }
    }

    /// A device to play with, by its buttons.
    fn played(caps: &EvdevCaps) -> Self {
        if caps.has(event::KEY, code::BTN_SOUTH) { Self::Pad } else { Self::Joystick }
    }

    /// What a library takes it for that checks its abilities itself: X and Y, and a button or an axis that only controllers have.
    #[must_use]
    pub fn by_abilities(caps: &EvdevCaps) -> Self {
        let (abs, key) = (|code| caps.has(event::ABS, code), |code| caps.has(event::KEY, code));
        let has_keys = caps.of(event::KEY).next().is_some();
        let senses = |axes: [u16; 3]| axes.into_iter().all(abs) && !has_keys;
        if caps.properties.contains(&code::PROP_ACCELEROMETER)
            || senses([code::ABS_X, code::ABS_Y, code::ABS_Z])
            || senses([code::ABS_RX, code::ABS_RY, code::ABS_RZ])
        {
            return Self::Motion;
        }
        let plane = abs(code::ABS_X) && abs(code::ABS_Y);
        let buttons = [code::BTN_TRIGGER, code::BTN_SOUTH, code::BTN_1].into_iter().any(key);
        let axes = (code::ABS_RX..=code::ABS_RZ).chain(code::ABS_OF_VEHICLES).any(abs);
        if plane && (buttons || axes) {
            return Self::played(caps);
        }
        let drawn = key(code::BTN_STYLUS) || key(code::BTN_TOOL_PEN);
        if plane && (drawn || key(code::BTN_TOOL_FINGER) || key(code::BTN_TOUCH)) {
            return Self::Touch;
        }
        let moves = caps.has(event::REL, code::REL_X) && caps.has(event::REL, code::REL_Y);
        if key(code::BTN_MOUSE) && (moves || plane) {
            return Self::Mouse;
        }
        let types = caps.of(event::KEY).any(|own| own < code::KEY_MAX_OF_KEYS && own != 0);
        if types { Self::Keys } else { Self::Nothing }
    }

    /// What a library takes it for that goes by udev's database.
    #[must_use]
    pub fn by_tags(tags: &[&str], caps: &EvdevCaps) -> Self {
        let has = |tag: &str| tags.contains(&tag);
        match () {
            () if has("ID_INPUT_JOYSTICK") => Self::played(caps),
            () if has("ID_INPUT_ACCELEROMETER") => Self::Motion,
            () if has("ID_INPUT_MOUSE") => Self::Mouse,
            () if has("ID_INPUT_TOUCHPAD") || has("ID_INPUT_TOUCHSCREEN") || has("ID_INPUT_TABLET") => Self::Touch,
            () if has("ID_INPUT_KEYBOARD") || has("ID_INPUT_KEY") => Self::Keys,
            () => Self::Nothing,
        }
    }
}

/// What udev's database says about an input device: the properties that begin with `ID_INPUT` and are set. None if it has no entry for it: udev has
/// not processed it yet.
#[must_use]
pub fn read_tags(text: &str) -> Option<Vec<&str>> {
    let properties = text.lines().filter_map(|line| line.strip_prefix("E:"));
    let set = properties.filter_map(|line| line.split_once('=')).filter(|(name, _)| name.starts_with("ID_INPUT"));
    let all: Vec<(&str, &str)> = set.collect();
    if all.is_empty() {
        return None;
    }
    Some(all.into_iter().filter(|(_, value)| *value == "1").map(|(name, _)| name).collect())
}
