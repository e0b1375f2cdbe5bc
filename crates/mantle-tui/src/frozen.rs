//! The Reports view stopped: what came in the last half minute, one report after the other.

use crate::app::App;
use mantle_talk::{HistoryAnswer, HistoryRequest, HistoryRow, Micros, NodeId, Order};

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
    asked: bool,
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

impl App {
    /// Stops the view at what is there now, or lets it go on.
    pub(crate) fn freeze(&mut self) {
        if self.frozen.take().is_some() {
            return;
        }
        let Some(node) = self.device().map(|device| device.node) else {
            self.message = Some("no device is chosen".into());
            return;
        };
        self.frozen = Some(Frozen { node, rows: Vec::new(), at: None, more: false, asked: true });
        self.orders.push(Order::History(HistoryRequest { node, until: self.snapshot.now }));
    }

    /// Goes some reports back or forth.
    pub(crate) fn step_frozen(&mut self, by: i32) {
        let Some(frozen) = &mut self.frozen else {
            self.message = Some("f stops the view; then there is something to step through".into());
            return;
        };
        let Some(at) = frozen.at else { return };
        let next = at as i64 + i64::from(by);
        frozen.at = Some(next.clamp(0, frozen.rows.len() as i64 - 1) as usize);
        // Older ones are fetched before the end is reached.
        if frozen.more && !frozen.asked && next < 32 {
            frozen.asked = true;
            if let Some(oldest) = frozen.rows.first() {
                let until = Micros(oldest.at.0.saturating_sub(1));
                self.orders.push(Order::History(HistoryRequest { node: frozen.node, until }));
            }
        }
    }

    /// What was asked for has come.
    pub fn handle_history(&mut self, answer: HistoryAnswer) {
        let Some(frozen) = self.frozen.as_mut().filter(|frozen| frozen.node == answer.node && frozen.asked) else {
            return;
        };
        frozen.asked = false;
        frozen.more = answer.more;
        let came = answer.rows.len();
        frozen.at = match frozen.at {
            Some(at) => Some(at + came),
            None => came.checked_sub(1),
        };
        frozen.rows.splice(0..0, answer.rows);
    }
}
