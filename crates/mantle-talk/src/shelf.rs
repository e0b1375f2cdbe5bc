//! All profiles, and what differs between two of them.

use mantle_core::binding::Difference;
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The most differences in a snapshot; their number is always complete.
pub const DIFFERENCES: usize = 200;

/// The profiles, as the screen sees them.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct ProfilesView {
    /// A row for each, in the order of the snapshot's names.
    pub rows: Vec<ProfileRow>,
    /// The two that are compared, by index, and their differences: how the second one does it comes second.
    pub compared: (u16, u16),
    /// What differs between them; nothing if they play and feel alike.
    pub differences: Vec<Difference>,
    /// How many differences there are in all.
    pub count: u16,
}

/// One profile.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct ProfileRow {
    /// Its name.
    pub name: String,
    /// Its file; empty if it is none.
    pub file: String,
    /// Its bindings.
    pub bindings: u16,
    /// Its layers.
    pub layers: u8,
    /// Keys and the like that it types.
    pub types: u16,
    /// For which kinds of pad it is, by their names.
    pub kinds: Vec<String>,
    /// Who uses it.
    pub players: Vec<SlotNumber>,
    /// The person's notes.
    pub notes: String,
}
