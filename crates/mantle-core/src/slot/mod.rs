//! Slots: who sits where, and what is kept for whom.

mod feedback;

pub use feedback::{DARK, Feedback, LampChoice, MOST_RUMBLE};

use crate::control::Calibration;
use crate::device::Key;
use crate::keys::KeyTarget;
use crate::pad::PadKind;
use serde::{Deserialize, Serialize};

/// Number of slots.
pub const SLOTS: usize = 8;
/// The most devices of one player.
pub const MEMBERS: usize = 8;

/// A player's place, 1 to 8.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub struct SlotNumber(u8);

impl SlotNumber {
    /// A slot by its number; none outside 1 to 8.
    #[must_use]
    pub fn new(number: u8) -> Option<Self> {
        (1..=SLOTS as u8).contains(&number).then_some(Self(number))
    }

    /// A slot by its index, 0 to 7.
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

    /// Its index, 0 to 7.
    #[inline]
    #[must_use]
    pub fn index(self) -> usize {
        // It is never 0 nor above 8; masked, so that indexing a table of all slots needs no check.
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
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct RememberedSlot {
    /// Its number.
    pub number: SlotNumber,
    /// The kind of pad.
    pub kind: PadKind,
    /// The profile's name.
    pub profile: String,
    /// What comes back to the hand.
    pub feedback: Feedback,
    /// Its devices.
    pub members: Vec<Key>,
    /// Since when none of them has been here, in seconds since 1970, if slots are not kept for ever.
    pub away_since: Option<u64>,
}

/// What is kept across restarts: the slots file.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Remembered {
    /// The slots in use.
    pub slots: Vec<RememberedSlot>,
    /// Devices that were taken out, and get no slot unasked.
    pub taken_out: Vec<Key>,
    /// Serial numbers that two devices of one model shared, and that identify nothing.
    pub shared_serials: Vec<Key>,
    /// Devices that are left to the game on purpose.
    pub left_to_game: Vec<Key>,
    /// Mice that may be held while they play although there is no other.
    pub pointers: Vec<Key>,
    /// Calibrations: the device, and its controls by name.
    pub calibrated: Vec<(Key, Vec<(String, Calibration)>)>,
    /// Devices of which two axes turned out to be triggers although their descriptor suggests a stick.
    pub triggers_turned: Vec<Key>,
    /// Nicknames.
    pub nicknames: Vec<(Key, String)>,
    /// Whether the table is locked.
    pub locked: bool,
    /// Whether two buttons held together give a device a slot, even without a screen.
    pub sit_by_two: bool,
    /// What profiles may type, by their names.
    pub agreed: Vec<(String, Vec<KeyTarget>)>,
    /// Whether keys are typed although the program's own screen may have the keyboard.
    pub types_here: bool,
    /// Groups of devices that the person says are the same.
    pub same: Vec<Vec<Key>>,
}
