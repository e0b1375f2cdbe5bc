//! Freezes the Reports view and steps through it.

use crate::app::App;
use crate::frozen::Frozen;
use mantle_talk::{HistoryAnswer, HistoryRequest, Micros, Wish};

impl App {
    /// Freezes the view, or resumes it.
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

    /// Steps some reports back or forward.
    pub(crate) fn step_frozen(&mut self, by: i32) {
        let Some(frozen) = &mut self.frozen else {
            self.message = Some("f stops the view; then you can step through it".into());
            return;
        };
        let Some(at) = frozen.at else { return };
        let next = at as i64 + i64::from(by);
        frozen.at = Some(next.clamp(0, frozen.rows.len() as i64 - 1) as usize);
        // Older reports are fetched before the end of the list is reached.
        if frozen.more && !frozen.asked && next < 32 {
            frozen.asked = true;
            let (node, oldest) = (frozen.node, frozen.rows.first().map(|row| row.at));
            if let Some(oldest) = oldest {
                self.order(Wish::History(HistoryRequest { node, until: Micros(oldest.0.saturating_sub(1)) }));
            }
        }
    }

    /// The requested reports have arrived.
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
