//! What the Reports view is told.

use mantle_core::device::NodeId;
use mantle_core::measure::{ByteRole, Gaps, SpreadView};
use mantle_core::time::Micros;
use serde::{Deserialize, Serialize};

/// The reports of one node, as they arrive.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct ReportsDetail {
    /// Whether reports start with an id.
    pub numbered: bool,
    /// Reports that can be stepped back through.
    pub kept: u32,
    /// The latest report of each id, in the order in which ids first came.
    pub ids: Vec<ReportRow>,
    /// The gaps of the last minute.
    pub spread: SpreadView,
    /// Reports per second of a device that sends all the time; none for others, or while unknown.
    pub steady: Option<f32>,
    /// How many reports of a steady stream were lost within the last minute, and how many were expected.
    pub lost: (u32, u32),
    /// What adds delay between the device and this computer, and what can be done about it.
    pub causes: Vec<String>,
}

/// The latest report of one id.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct ReportRow {
    /// The id, 0 if the device numbers none.
    pub id: u8,
    /// How many have come.
    pub count: u64,
    /// How many in the last second.
    pub rate: u32,
    /// When the latest came.
    pub at: Micros,
    /// How many bytes it had.
    pub len: u16,
    /// Its first bytes in hex.
    pub bytes: String,
    /// For each bit of these bytes, lowest first, how recently it changed: 9 just now, 0 not recently.
    pub heat: String,
    /// The role of each byte.
    pub roles: Vec<ByteRole>,
    /// How regularly they come, in microseconds.
    pub gaps: Gaps,
}

/// Asks for a node's past reports.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HistoryRequest {
    /// The node.
    pub node: NodeId,
    /// Nothing later than this.
    pub until: Micros,
}

/// The newest of what was asked for, oldest first.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HistoryAnswer {
    /// The node.
    pub node: NodeId,
    /// The reports.
    pub rows: Vec<HistoryRow>,
    /// Whether there are older ones.
    pub more: bool,
}

/// A report that came.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HistoryRow {
    /// When.
    pub at: Micros,
    /// How many bytes it had.
    pub len: u16,
    /// Its first bytes in hex.
    pub bytes: String,
}
