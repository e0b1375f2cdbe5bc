//! Slots: who sits where, and what is kept for whom.

mod feedback;

pub use feedback::{DARK, Feedback, LampChoice, MOST_RUMBLE};

use crate::control::Calibration;
use crate::device::Key;
use crate::keys::KeyTarget;
use crate::pad::PadKind;
use serde::{Deserialize, Serialize};

/// How many players there are.
pub const SLOTS: usize = 8;
/// How many devices one player may have.
pub const MEMBERS: usize = 8;

/// A player's place, 1 to 8.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub struct SlotNumber(u8);

impl SlotNumber {
    /// A slot from its number; none outside 1 to 8.
    #[must_use]
    pub fn new(number: u8) -> Option<Self> {
        (1..=SLOTS as u8).contains(&number).then_some(Self(number))
    }

    /// A slot from its place in a table, 0 to 7.
    #[inline]
    #[must_use]
    pub fn from_index(index: usize) -> Option<Self> {
        if index < SLOTS { Some(Self(index as u8 + 1)) } else { None }
    }

    /// Its number, 1 to 8.
    #[must_use]
    pub fn number(self) -> u8 {
        self.0
    }

    /// Its place in a table, 0 to 7.
    #[inline]
    #[must_use]
    pub fn index(self) -> usize {
        // It is never 0 nor above; cut off, a table of all slots need not be asked how long it is.
        usize::from(self.0.wrapping_sub(1)) % SLOTS
    }

    /// All slots.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..SLOTS as u8).map(|index| Self(index + 1))
    }
}

impl TryFrom<u8> for SlotNumber {
    type Error = String;

    fn try_from(number: u8) -> Result<Self, Self::Error> {
        Self::new(number).ok_or_else(|| format!("slot {number} is not within 1 to {SLOTS}"))
    }
}

impl From<SlotNumber> for u8 {
    fn from(slot: SlotNumber) -> Self {
        slot.0
    }
}

impl std::fmt::Display for SlotNumber {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "slot {}", self.0)
    }
}

/// What is remembered of a slot.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct RememberedSlot {
    /// Its number.
    pub number: SlotNumber,
    /// The kind of pad.
    pub kind: PadKind,
    /// The profile's name.
    pub profile: String,
    /// What comes back to the hand.
    pub feedback: Feedback,
    /// The devices that play it.
    pub members: Vec<Key>,
    /// Since when none of them is here, in seconds from the beginning of 1970, where slots are not kept for good.
    pub away_since: Option<u64>,
}

/// What is kept across restarts: the slots file.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Remembered {
    /// The slots that are in use.
    pub slots: Vec<RememberedSlot>,
    /// Devices that the person has taken out: they get no slot unasked.
    pub taken_out: Vec<Key>,
    /// Serial numbers that two devices of one model were seen to share: they say nothing of who is who.
    pub shared_serials: Vec<Key>,
    /// Devices that are left to the game on purpose.
    pub left_to_game: Vec<Key>,
    /// Mice that may be held while they play though there is no other one.
    pub pointers: Vec<Key>,
    /// What was measured of axes: the device, and its controls by name.
    pub calibrated: Vec<(Key, Vec<(String, Calibration)>)>,
    /// Devices of which two axes were seen to be triggers where their descriptor lets one expect a stick.
    pub triggers_turned: Vec<Key>,
    /// What the person calls devices.
    pub nicknames: Vec<(Key, String)>,
    /// Nobody sits down unasked.
    pub locked: bool,
    /// Two buttons held together sit a device down, whether a screen is open or not.
    pub sit_by_two: bool,
    /// What profiles may type, by their names.
    pub agreed: Vec<(String, Vec<KeyTarget>)>,
    /// Keys are typed although the program's own screen may have the keyboard.
    pub types_here: bool,
    /// Devices of which the person has said that they are the same, in groups.
    pub same: Vec<Vec<Key>>,
}
