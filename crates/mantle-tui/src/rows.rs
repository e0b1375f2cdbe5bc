//! Rows, clicks, views and messages.

use crate::keys::Intent;
use mantle_talk::{DeviceId, Knob, MemberId, NodeId, SlotNumber, Stage, Target};

/// A row of the board.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Row {
    /// A slot.
    Slot(SlotNumber),
    /// A part of a device without a slot.
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
    /// Choose the stick or trigger with this index.
    Shaped(usize),
    /// Choose the option with this index; a second click steps it.
    Choice(usize),
    /// Choose this device of a player.
    Member(MemberId),
    /// Choose the profile with this index.
    Profile(usize),
    /// Choose this row of what a game sees.
    Listed(usize),
    /// Choose this found device; a second click connects it.
    Found(usize),
    /// Choose this offer; a second click takes it.
    Offer(usize),
    /// The same as the key.
    Key(Intent),
    /// A control of the device in hand.
    Control {
        /// The device's node and part.
        of: (NodeId, u8),
        /// Its number.
        number: u16,
        /// Whether the position along the width counts.
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

/// What follows a command that was done.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Then {
    Nothing,
    /// Nothing; but if it is refused, its line comes back.
    Typed,
    /// A stage of a slot opens.
    Open(SlotNumber, Stage),
    /// The command was an undo.
    Undone,
    /// The command was a redo.
    Redone,
}

/// A message above the hints.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Message {
    /// Something was done.
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
