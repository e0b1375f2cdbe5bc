//! Finding fields by pressing, as the screen sees it.

use mantle_core::device::NodeId;
use serde::{Deserialize, Serialize};

/// What the person wants of it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum FindOrder {
    /// Begin with a node's device.
    Begin(NodeId),
    /// What is proposed is right.
    Accept,
    /// Once more: forget, or add to, what was seen.
    Again,
    /// Leave this control out.
    Skip,
    /// The control before.
    Back,
    /// It is done as asked, though nothing was seen.
    Now,
    /// Stop, and use what was found so far.
    Stop,
}

/// A control that is asked for.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct FoundRow {
    /// Its name.
    pub name: String,
    /// Where it was found; none if it was not, or not yet.
    pub place: Option<String>,
    /// Whether that is sure.
    pub sure: bool,
}

/// How far it is.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct FindingView {
    /// The device's node.
    pub node: NodeId,
    /// The device's name.
    pub name: String,
    /// What is asked of the person.
    pub prompt: String,
    /// Why something is asked for once more, if it is.
    pub remark: Option<String>,
    /// Whether it is being taken down at this moment.
    pub taking: bool,
    /// Which spell of this control this is, from 1, and how many there are.
    pub step: (u16, u16),
    /// Which control is asked for, by its place in the list.
    pub at: u16,
    /// All that are asked for.
    pub rows: Vec<FoundRow>,
    /// What is proposed: where, whether that is sure, and why; without a place nothing was found.
    pub proposal: Option<(Option<String>, bool, String)>,
    /// Everything has been asked.
    pub done: bool,
    /// What was found out about the report besides.
    pub besides: String,
}
