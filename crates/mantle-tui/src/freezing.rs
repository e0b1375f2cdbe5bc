//! The Reports view is stopped, stepped through, and let go on.

use crate::app::App;
use crate::frozen::Frozen;
use mantle_talk::{HistoryAnswer, HistoryRequest, Micros, Wish};

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
        self.order(Wish::History(HistoryRequest { node, until: self.snapshot.now }));
    }

    /// Goes some reports back or forth.
    pub(crate) fn step_frozen(&mut self, by: i32) {
        let Some(frozen) = &mut self.frozen else {
            self.message = Some("f stops the view; then you can step through it".into());
            return;
        };
        let Some(at) = frozen.at else { return };
        let next = at as i64 + i64::from(by);
        frozen.at = Some(next.clamp(0, frozen.rows.len() as i64 - 1) as usize);
        // Older ones are fetched before the end is reached.
        if frozen.more && !frozen.asked && next < 32 {
            frozen.asked = true;
            let (node, oldest) = (frozen.node, frozen.rows.first().map(|row| row.at));
            if let Some(oldest) = oldest {
                self.order(Wish::History(HistoryRequest { node, until: Micros(oldest.0.saturating_sub(1)) }));
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
