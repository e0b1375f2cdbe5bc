//! The person's choice for a slot: how much of a game's rumble reaches the hand, and what lamps show.

use super::{SLOTS, SlotNumber};
use crate::pad::colour_text;
use serde::{Deserialize, Serialize};

/// The most a rumble can be raised to, in percent of what a game asks for.
pub const MOST_RUMBLE: u8 = 200;
/// The lamp colours of the slots, distinguishable without seeing red and green.
const OF_SLOTS: [[u8; 3]; SLOTS] = [
    [255, 140, 0],
    [0, 200, 220],
    [200, 0, 160],
    [120, 220, 0],
    [255, 255, 255],
    [220, 20, 0],
    [20, 40, 255],
    [230, 210, 0],
];
/// A lamp that is off.
pub const DARK: [u8; 3] = [0, 0, 0];
/// The colours of a low battery, and of any other.
const LOW: [u8; 3] = [220, 20, 0];
const FULL: [u8; 3] = [0, 120, 40];

/// The choice for a slot.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub struct Feedback {
    /// Strength of rumble, in percent of what a game asks for: 0 (off) to [`MOST_RUMBLE`].
    pub rumble: u8,
    /// What their lamps show.
    pub lamp: LampChoice,
}

impl Default for Feedback {
    fn default() -> Self {
        Self { rumble: 100, lamp: LampChoice::default() }
    }
}

impl Feedback {
    /// The strength of a motor, of 65535, for the strength that a game asks for.
    #[must_use]
    pub fn scaled(&self, motor: u16) -> u16 {
        (u32::from(motor) * u32::from(self.rumble.min(MOST_RUMBLE)) / 100).min(u32::from(u16::MAX)) as u16
    }
}

/// What lamps show.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum LampChoice {
    /// The slot, or the colour a game wants.
    #[default]
    Slot,
    /// This colour: red, green, blue.
    Colour([u8; 3]),
    /// The battery: red if low.
    Battery,
    /// Nothing.
    Off,
}

impl LampChoice {
    /// As written in files and by hand: `slot`, `battery`, `off`, or a colour such as `#ff8000`.
    #[must_use]
    pub fn text(self) -> String {
        match self {
            Self::Slot => "slot".into(),
            Self::Colour(colour) => colour_text(colour),
            Self::Battery => "battery".into(),
            Self::Off => "off".into(),
        }
    }

    /// The choice with this text.
    #[must_use]
    pub fn named(text: &str) -> Option<Self> {
        match text {
            "slot" => Some(Self::Slot),
            "battery" => Some(Self::Battery),
            "off" => Some(Self::Off),
            _ => {
                let digits = text.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii())?;
                let part = |at: usize| u8::from_str_radix(&digits[at..at + 2], 16).ok();
                Some(Self::Colour([part(0)?, part(2)?, part(4)?]))
            }
        }
    }

    /// In words, for the screen.
    #[must_use]
    pub fn words(self) -> String {
        match self {
            Self::Slot => "the slot, or what a game wants".into(),
            Self::Colour(_) => format!("always {}", self.text()),
            Self::Battery => "the battery: red where it is low".into(),
            Self::Off => "nothing".into(),
        }
    }

    /// The colour of a slot's lamps: `game` is what a game wants, `low` whether the battery is low, if known.
    #[must_use]
    pub fn colour(self, slot: SlotNumber, game: Option<[u8; 3]>, low: Option<bool>) -> [u8; 3] {
        let own = OF_SLOTS[slot.index()];
        match self {
            Self::Slot => game.unwrap_or(own),
            Self::Colour(colour) => colour,
            Self::Battery => low.map_or(own, |low| if low { LOW } else { FULL }),
            Self::Off => DARK,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn feedback_round_trips_and_anything_else_is_refused() {
        let all = [LampChoice::Slot, LampChoice::Battery, LampChoice::Off, LampChoice::Colour([255, 128, 1])];
        for choice in all {
            assert_eq!(LampChoice::named(&choice.text()), Some(choice));
        }
        for text in ["", "#", "#12345", "#1234567", "#gg0000", "ff8000", "Slot", "#ü2345"] {
            assert_eq!(LampChoice::named(text), None, "{text}");
        }
    }

    #[test]
    fn rumble_is_scaled_and_capped() {
        let at = |rumble| Feedback { rumble, ..Feedback::default() };
        assert_eq!([0, 50, 100].map(|percent| at(percent).scaled(0x8000)), [0, 0x4000, 0x8000]);
        assert_eq!((at(200).scaled(0x8000), at(255).scaled(1)), (u16::MAX, 2));
    }
}
