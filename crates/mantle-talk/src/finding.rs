//! Finding fields by pressing, as the screen sees it.

use mantle_core::device::NodeId;
use serde::{Deserialize, Serialize};

/// The person's answers.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum FindOrder {
    /// Begin with a node's device.
    Begin(NodeId),
    /// Accept the proposal.
    Accept,
    /// Again: forget, or add to, what was seen.
    Again,
    /// Skip this control.
    Skip,
    /// Go back to the previous control.
    Back,
    /// Done as asked, though nothing was seen.
    Now,
    /// Stop, and use what was found.
    Stop,
}

/// A control that is asked for.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct FoundRow {
    /// Its name.
    pub name: String,
    /// Where it was found; none if not, or not yet.
    pub place: Option<String>,
    /// Whether that is certain.
    pub sure: bool,
}

/// The progress.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct FindingView {
    /// The device's node.
    pub node: NodeId,
    /// The device's name.
    pub name: String,
    /// The request.
    pub prompt: String,
    /// Why it is repeated, if it is.
    pub remark: Option<String>,
    /// Whether samples are being taken at this moment.
    pub taking: bool,
    /// Which repetition of this control this is, from 1, and how many there are.
    pub step: (u16, u16),
    /// Index of the current control.
    pub at: u16,
    /// All controls.
    pub rows: Vec<FoundRow>,
    /// The proposal: where, whether that is certain, and why; without a place, nothing was found.
    pub proposal: Option<(Option<String>, bool, String)>,
    /// Whether everything has been asked.
    pub done: bool,
    /// What else was found out about the report.
    pub besides: String,
}
