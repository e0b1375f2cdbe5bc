//! A roll call, as the screen sees it.

use mantle_core::binding::Target;
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// How far one target is.
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
    /// Its full end is rest.
    pub inverted: bool,
    /// What it was taken for, and why.
    pub why: String,
    /// What was measured, in raw numbers.
    pub figures: String,
    /// What follows from it.
    pub follows: Vec<Target>,
}

/// A roll call that goes on.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct RollCallView {
    /// The slot.
    pub slot: SlotNumber,
    /// What is asked for; none when it is over.
    pub target: Option<Target>,
    /// Where that is on the pad that games know.
    pub position: String,
    /// All that are called, in the order of asking.
    pub rows: Vec<(Target, CallState)>,
    /// Something is pressed now.
    pub pressed: bool,
    /// A control answered that plays something already: its name, and what it plays.
    pub question: Option<(String, Target)>,
    /// Why the last press could not be told.
    pub unclear: Option<String>,
    /// What was understood last.
    pub last: Option<HeardView>,
    /// What moved: the control, and how far it was off its rest, step by step, of 255.
    pub traces: Vec<(String, Vec<u8>)>,
    /// The buttons that steer while they are held: on, and back.
    pub steering: [Option<String>; 2],
    /// A member that is a keyboard: its keys answer, but for those that steer.
    pub keyboard: Option<String>,
}
