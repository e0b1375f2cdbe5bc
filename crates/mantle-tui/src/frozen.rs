//! The frozen Reports view: the last half minute, report by report.

use mantle_talk::{HistoryRow, NodeId};

/// Reports that stand still.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Frozen {
    /// Their node.
    pub node: NodeId,
    /// Those at hand, oldest first.
    pub rows: Vec<HistoryRow>,
    /// Index of the report shown; none before the first answer.
    pub at: Option<usize>,
    /// Whether there are older reports than those at hand.
    pub more: bool,
    /// Whether an answer is pending.
    pub asked: bool,
}

impl Frozen {
    /// The report shown.
    pub fn row(&self) -> Option<&HistoryRow> {
        self.rows.get(self.at?)
    }

    /// The previous report with the same first byte or, failing that, the previous one.
    pub fn before(&self, numbered: bool) -> Option<&HistoryRow> {
        let (at, row) = (self.at?, self.row()?);
        let same = |other: &&HistoryRow| !numbered || other.bytes.get(..2) == row.bytes.get(..2);
        self.rows[..at].iter().rev().find(same)
    }
}
