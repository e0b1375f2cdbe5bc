//! The Reports view stopped: what came in the last half minute, one report after the other.

use mantle_talk::{HistoryRow, NodeId};

/// Reports that stand still.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Frozen {
    /// Whose.
    pub node: NodeId,
    /// What is here of them, oldest first.
    pub rows: Vec<HistoryRow>,
    /// The one that is looked at; none before the first answer.
    pub at: Option<usize>,
    /// Whether there are older ones than are here.
    pub more: bool,
    /// Whether an answer is awaited.
    pub asked: bool,
}

impl Frozen {
    /// The report that is looked at.
    pub fn row(&self) -> Option<&HistoryRow> {
        self.rows.get(self.at?)
    }

    /// The one before it that has the same first byte, or simply the one before it.
    pub fn before(&self, numbered: bool) -> Option<&HistoryRow> {
        let (at, row) = (self.at?, self.row()?);
        let same = |other: &&HistoryRow| !numbered || other.bytes.get(..2) == row.bytes.get(..2);
        self.rows[..at].iter().rev().find(same)
    }
}
