//! What the screen asks of the engine.

use crate::finding::FindOrder;
use crate::reports::HistoryRequest;
use mantle_core::command::{Command, CommandNumber};
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// What the next snapshots shall show closely.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Watch {
    /// This slot.
    pub slot: Option<SlotNumber>,
    /// This part of a device, if no slot.
    pub device: Option<(DeviceId, u8)>,
    /// The whole journal.
    pub journal: bool,
    /// The reports as they arrive.
    pub reports: bool,
    /// Those of keyboards as well: what is typed is kept, for as long as this is so.
    pub keyboards: bool,
    /// What a game would see of this machine.
    pub sight: bool,
    /// What stands in the way of play.
    pub readiness: bool,
    /// What turns up, and what the computer's radio finds: it looks as long as somebody does.
    pub connecting: bool,
    /// The profiles, and how two of them, by their places, differ.
    pub shelf: Option<(u16, u16)>,
}

/// A device in the person's hands: a control is moved.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub enum HandMove {
    /// Take it in hand, or put it down.
    Take(bool),
    /// Put a control, by its number, at a share of its range, 0 to 1; a hat at eighths clockwise from up.
    Put {
        /// The control's number.
        control: u16,
        /// Where to.
        share: f32,
    },
    /// The same for a short while: a key of a terminal has no release.
    Tap {
        /// The control's number.
        control: u16,
        /// Where to.
        share: f32,
    },
    /// A key of the person's own: it holds a control until it is pressed again. For devices whose controls nobody knows.
    Hold(HandKey),
    /// The control that was held last goes through its whole travel a few times.
    Travel,
    /// Back to its rest.
    Rest {
        /// The control's number.
        control: u16,
    },
}

/// A key that moves a device in hand.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum HandKey {
    /// A letter or a digit.
    Letter(char),
    /// Arrow up.
    Up,
    /// Arrow to the right.
    Right,
    /// Arrow down.
    Down,
    /// Arrow to the left.
    Left,
}

/// How a recording is played.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Play {
    /// Wait, or go on.
    Pause,
    /// The next report, and wait.
    Step,
    /// Twice as fast.
    Faster,
    /// Half as fast.
    Slower,
}
/// What is wanted of a recording that plays as a device.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum PlaybackOrder {
    /// Open a file: what was typed. Answered once it has been read.
    Open(String),
    /// One that was asked for has been read.
    Opened,
    /// Take the device of this node away.
    Close(NodeId),
    /// How the one of this node is played.
    Play(NodeId, Play),
}

/// What can be put on paper, of the slot that is seen.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Paper {
    /// The layout card.
    Card,
    /// The response curves.
    Curves,
    /// What trying the pad has found.
    Results,
    /// What takes time between its devices and its pad.
    Delay,
    /// How far the axes of its devices go.
    Ranges,
    /// What its first device is, how healthy it is, and what it plays.
    Report,
}

/// What the screen asks of the engine, and the number by which it is answered: done, or refused and why.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Order {
    /// The number.
    pub number: CommandNumber,
    /// What is wanted.
    pub wish: Wish,
}

/// What can be asked of the engine. Only a command changes anything that stays, so only commands can be taken back.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Wish {
    /// A command.
    Command(Command),
    /// What to show closely.
    Watch(Watch),
    /// What came from a node, which comes beside the answer.
    History(HistoryRequest),
    /// A simulated device in hand.
    Hand {
        /// Its node.
        node: NodeId,
        /// The part, from 0 within the node.
        part: u8,
        /// What is done to it.
        act: HandMove,
    },
    /// Fields are found by pressing.
    Find(FindOrder),
    /// Record a node's reports, or end that.
    Record(NodeId, bool),
    /// Recordings that play as devices.
    Playback(PlaybackOrder),
    /// Something of what is seen goes on paper; whoever has the screen does it.
    Paper(Paper),
    /// The machine goes to sleep, or has woken: said by whoever the system tells.
    Sleep(bool),
    /// End: pads are taken away and everything is undone. The end is the answer.
    Stop,
}

impl Order {
    /// An order that nobody waits for the answer of.
    #[must_use]
    pub fn unanswered(wish: Wish) -> Self {
        Self { number: CommandNumber(0), wish }
    }
}
