//! What the screen asks of the engine.

use crate::finding::FindOrder;
use crate::reports::HistoryRequest;
use mantle_core::command::{Command, CommandNumber};
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// What the next snapshots show in detail.
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
    /// Those of keyboards as well; what is typed is kept for as long as this is set.
    pub keyboards: bool,
    /// What a game would see of this machine.
    pub sight: bool,
    /// What stands in the way of play.
    pub readiness: bool,
    /// The Connect view; the radio searches while somebody watches it.
    pub connecting: bool,
    /// The profiles, and the differences of two of them, by index.
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
    /// The same for a short while, since a terminal's keys have no release.
    Tap {
        /// The control's number.
        control: u16,
        /// Where to.
        share: f32,
    },
    /// A key of the person's own: it holds a control until it is pressed again. For devices whose controls are unknown.
    Hold(HandKey),
    /// Move the control held last through its whole travel a few times.
    Travel,
    /// Return it to rest.
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
/// What is done with a recording that plays as a device.
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

/// What can be exported of the shown slot.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Paper {
    /// The layout card.
    Card,
    /// The response curves.
    Curves,
    /// The results of trying the pad.
    Results,
    /// The delays between its devices and its pad.
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

/// What can be asked of the engine. Only a command makes lasting changes, so only commands can be undone.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Wish {
    /// A command.
    Command(Command),
    /// Watch something.
    Watch(Watch),
    /// Ask for a node's past reports, which come beside the answer.
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
    /// Everything that explains this table from afar, which comes beside the answer; with the reports of keyboards or not.
    Case(bool),
    /// Fields are found by pressing.
    Find(FindOrder),
    /// Record a node's reports, or stop.
    Record(NodeId, bool),
    /// Recordings that play as devices.
    Playback(PlaybackOrder),
    /// Export something that is shown; carried out where the screen is.
    Paper(Paper),
    /// The machine is going to sleep, or has woken: reported by whoever hears it from the system.
    Sleep(bool),
    /// End: pads are removed and everything is undone. The end is the answer.
    Stop,
}

impl Order {
    /// An order that nobody waits for the answer of.
    #[must_use]
    pub fn unanswered(wish: Wish) -> Self {
        Self { number: CommandNumber(0), wish }
    }
}
