//! What can be chosen, clicked and looked at.

use crate::keys::Intent;
use mantle_talk::{DeviceId, Knob, MemberId, NodeId, SlotNumber, Stage, Target};

/// A row of the board.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Row {
    /// A slot.
    Slot(SlotNumber),
    /// A part of a device that no slot has.
    Device(DeviceId, u8),
}

/// What a click means.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Click {
    /// Choose this cell; a second click opens it.
    Cell(Row, Stage),
    /// Choose this target; a second click binds it.
    Target(Target),
    /// Choose this setting of the feel; a second click steps it.
    Knob(Knob),
    /// Choose this stick or trigger, by its place.
    Shaped(usize),
    /// Choose this option of a binding, by its place; a second click steps it.
    Choice(usize),
    /// Choose this one of a player's devices.
    Member(MemberId),
    /// Choose this profile, by its place.
    Profile(usize),
    /// Choose this line of what a game sees.
    Listed(usize),
    /// Choose this device of those that were found; a second click connects it.
    Found(usize),
    /// Choose this line of what may be chosen; a second click takes it.
    Offer(usize),
    /// As the key.
    Key(Intent),
    /// A control of the device in hand.
    Control {
        /// Its device's node, and its part.
        of: (NodeId, u8),
        /// Its number.
        number: u16,
        /// Whether the place along the width counts.
        travels: bool,
    },
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum View {
    Board,
    Stage,
    Journal,
    Profiles,
}

/// What happens when a command has been done.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Then {
    Nothing,
    /// Nothing; but if it is refused, the line that it was typed in comes back.
    Typed,
    /// Open a stage of a slot.
    Open(SlotNumber, Stage),
    /// It was itself an undo.
    Undone,
    /// It does again what was undone.
    Redone,
}

/// What is said above the keys.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Message {
    /// Something has been done.
    Done(String),
    /// Something wants attention.
    Attention(String),
}

impl From<String> for Message {
    fn from(text: String) -> Self {
        Self::Attention(text)
    }
}

impl From<&str> for Message {
    fn from(text: &str) -> Self {
        Self::Attention(text.to_owned())
    }
}
