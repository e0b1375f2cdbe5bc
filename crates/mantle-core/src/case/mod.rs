//! What a table was told by its world, as plain values: enough to say the same again elsewhere.
//!
//! A [`CaseLog`] keeps what happened within the last minute, and whatever still holds from before it. Reports are kept
//! elsewhere; they are too many. Documented in docs/case.md.

mod log;
mod node;

pub use log::{CASE_SPAN, CaseLog, SeatLog};
pub use node::CaseNode;

use crate::cover::Strength;
use crate::device::{Driven, NodeId, OsFault};
use crate::front::Front;
use crate::games::RunningProgram;
use crate::path::{Mark, PadFault, Sentence};
use crate::readiness::{Obstacle, ReadyFacts};
use crate::sight::Look;
use crate::slot::{Remembered, SlotNumber};
use crate::table::Purpose;
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// What goes into a case.
pub const GOES_IN: [&str; 4] = [
    "what the kernel says about each device, with its report descriptor",
    "the reports of the last minute",
    "your profiles, sheets, pad files, slots, settings and rules for games",
    "the journal, the sentences, and what a game would see of this computer",
];
/// What stays out of a case unless its owner asks for it.
pub const STAYS_OUT: [&str; 4] = [
    "serial numbers and addresses (twins can still be told apart)",
    "nicknames, and the names of programs, of your account and this computer",
    "feature reports that were read from devices",
    "the reports of keyboards",
];

/// Something that happened in the world.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "kebab-case", deny_unknown_fields)]
pub enum CaseEvent {
    /// A node appeared.
    Arrived {
        /// What was known of it.
        facts: Box<CaseNode>,
    },
    /// A node disappeared.
    Gone {
        /// The node.
        node: NodeId,
    },
    /// A node's rights changed.
    Changed {
        /// The node.
        node: NodeId,
    },
    /// The kernel's input nodes of a device changed.
    Inputs {
        /// The node.
        node: NodeId,
        /// Their paths.
        inputs: Vec<String>,
        /// What the driver offers besides.
        driven: Driven,
    },
    /// The system reported a battery.
    Power {
        /// The node.
        node: NodeId,
        /// Its charge, 0 to 1; none if it is no longer reported.
        charge: Option<f32>,
        /// Whether it is charging.
        #[serde(default)]
        charging: bool,
    },
    /// A node was opened, or refused.
    Opened {
        /// The node.
        node: NodeId,
        /// Why it was refused.
        fault: Option<OsFault>,
    },
    /// Something was sent to a node, or not.
    Sent {
        /// The node.
        node: NodeId,
        /// What for.
        purpose: Purpose,
        /// The report that was read, in hex, if one was asked for.
        got: Option<String>,
        /// Whether nobody was there who needed it.
        #[serde(default)]
        not_needed: bool,
        /// Why it failed.
        fault: Option<OsFault>,
    },
    /// A pad was made, or refused.
    Pad {
        /// Its slot.
        slot: SlotNumber,
        /// Its name in the system.
        name: String,
        /// Why it is not a separate device although it was to be.
        instead: Option<PadFault>,
        /// Why it was refused.
        fault: Option<PadFault>,
    },
    /// A pad stopped accepting events.
    PadLost {
        /// Its slot.
        slot: SlotNumber,
        /// Why.
        fault: PadFault,
    },
    /// The nodes through which a slot types were made, or refused.
    Keys {
        /// The slot.
        slot: SlotNumber,
        /// Their name.
        name: String,
        /// Why they were refused.
        fault: Option<PadFault>,
    },
    /// Whether pads can be made.
    Probed {
        /// Why not.
        fault: Option<PadFault>,
    },
    /// A device was covered, or not.
    Covered {
        /// Its first node.
        node: NodeId,
        /// How well.
        strength: Option<Strength>,
        /// Why not.
        fault: Option<OsFault>,
    },
    /// A device that is only held may be tried again.
    CoverAgain {
        /// Its first node.
        node: NodeId,
    },
    /// What a game would see.
    Looked {
        /// The machine.
        look: Look,
    },
    /// The machine's readiness.
    Ready {
        /// The facts.
        facts: Box<ReadyFacts>,
    },
    /// The programs that rules for games match.
    Running {
        /// Those that run.
        programs: Vec<RunningProgram>,
    },
    /// Whose turn it is.
    Front {
        /// Whose.
        front: Front,
    },
    /// The machine goes to sleep, or has woken.
    Sleep {
        /// Whether it sleeps.
        asleep: bool,
    },
}

/// How a table stood when its case was made.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct CaseTable {
    /// When.
    pub now: Micros,
    /// When what follows begins.
    pub from: Micros,
    /// The title at the top of the screen.
    pub title: String,
    /// The sentences, most urgent first.
    pub sentences: Vec<Sentence>,
    /// The journal: when, how urgent, what.
    pub journal: Vec<(Micros, Mark, String)>,
    /// What stands in the way of play, if somebody has looked.
    pub readiness: Option<Vec<Obstacle>>,
    /// Faults of the machine that stay.
    pub notices: Vec<String>,
    /// Whether everything is released.
    pub paused: bool,
    /// Seconds from the beginning of 1970 to moment 0, if that is known.
    pub began: Option<u64>,
    /// Whether devices are covered while they play.
    pub covers: bool,
    /// How many sheets are known.
    pub sheets: usize,
    /// Slots that the person has paused.
    pub paused_slots: Vec<SlotNumber>,
    /// Nodes whose reports are not kept because they are keyboards.
    pub keyboards: Vec<NodeId>,
    /// Nicknames, and the systems' names that they stand for.
    pub nicknames: Vec<(String, String)>,
}

/// Part of a case, as it is handed on: the table first, then everything else, then the end.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum CasePiece {
    /// How the table stood.
    Table(Box<CaseTable>),
    /// Who sits where: as it was at its beginning, unless somebody has changed that since; then as it is.
    Remembered(Box<Remembered>),
    /// What happened, and when.
    Event(Micros, Box<CaseEvent>),
    /// A file of the person's: its place below their directory, and its text.
    Text(String, String),
    /// Reports of a node: when, and the bytes in hex. A node with many comes in several pieces.
    Reports(NodeId, Vec<(Micros, String)>),
    /// That is all.
    End,
}
