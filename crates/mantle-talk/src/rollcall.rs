//! A roll call, as the screen sees it.

use mantle_core::binding::Target;
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The progress of one target.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum CallState {
    /// Not asked for yet.
    Waiting,
    /// Left as it was.
    Skipped,
    /// Answered with this source, as it is written.
    Answered(String),
}

/// What was understood last.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HeardView {
    /// What it plays.
    pub target: Target,
    /// The device that it is on.
    pub device: String,
    /// The source, as it is written.
    pub source: String,
    /// Whether it is inverted.
    pub inverted: bool,
    /// What it was taken for, and why.
    pub why: String,
    /// What was measured, in raw numbers.
    pub figures: String,
    /// What follows from it.
    pub follows: Vec<Target>,
}

/// A running roll call.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct RollCallView {
    /// The slot.
    pub slot: SlotNumber,
    /// The current target; none when it is over.
    pub target: Option<Target>,
    /// Where that is on the pad that games know.
    pub position: String,
    /// All targets, in the order of asking.
    pub rows: Vec<(Target, CallState)>,
    /// Whether a press would be heard by now.
    pub hears: bool,
    /// Something is pressed now.
    pub pressed: bool,
    /// A control answered that plays something already: its name, and what it plays.
    pub question: Option<(String, Target)>,
    /// Why the last press was unclear.
    pub unclear: Option<String>,
    /// What was understood last.
    pub last: Option<HeardView>,
    /// What moved: the control, and how far it was off its rest, step by step, of 255.
    pub traces: Vec<(String, Vec<u8>)>,
    /// The buttons that steer while they are held: forward, and back.
    pub steering: [Option<String>; 2],
    /// Whether a member is a keyboard: its keys answer, except those that steer.
    pub keyboard: Option<String>,
}
