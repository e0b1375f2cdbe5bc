//! What is typed faster than the engine answers: keys that need the details of a row, or the view that an order is about to open, wait until
//! these are here, and all that is typed after them waits behind them.

use ratatui::crossterm::event::Event;

/// The most keys that wait; what comes after is dropped.
const MOST: usize = 256;

/// After this many snapshots in vain, what waits is dropped.
const PATIENCE: u8 = 30;

/// What waits, in order, and how many snapshots have passed meanwhile.
#[derive(Clone, Debug, Default)]
pub(crate) struct Early {
    events: Vec<Event>,
    passed: u8,
}

impl Early {
    pub fn is_empty(&self) -> bool {
        self.events.is_empty()
    }

    pub fn push(&mut self, event: &Event) {
        if self.events.len() < MOST {
            self.events.push(event.clone());
        }
    }

    pub fn clear(&mut self) {
        *self = Self::default();
    }

    /// Another snapshot came: returns what may act now; none once it has waited for too long.
    pub fn pass(&mut self, known: bool) -> Option<Vec<Event>> {
        self.passed += 1;
        match known {
            true => Some(std::mem::take(self).events),
            false => (self.passed <= PATIENCE).then(Vec::new),
        }
    }
}
