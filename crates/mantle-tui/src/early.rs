//! What is typed faster than the engine answers: keys that need the details of a row wait until these are here, and all that is typed after
//! them waits behind them.

use crate::app::App;
use crate::key_table;
use crate::keys::Intent;
use crate::rows::View;
use ratatui::crossterm::event::Event;

/// The most keys that wait; what comes after is dropped.
const MOST: usize = 256;

/// After this many snapshots without the details, what waits is dropped.
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
}

impl App {
    /// Whether an event has to wait for the details of the chosen row.
    pub(crate) fn comes_early(&self, event: &Event) -> bool {
        let Event::Key(key) = event else { return matches!(event, Event::Paste(_)) && !self.early.is_empty() };
        match key_table::intent(self.place(), key) {
            Some(Intent::QuitNow) => false,
            _ if !self.early.is_empty() => true,
            Some(Intent::Binding(_) | Intent::Feel(_) | Intent::FindInList) => {
                self.view == View::Stage && self.mode.is_view() && self.row.is_some() && !self.is_fresh()
            }
            _ => false,
        }
    }

    /// Acts on what has waited, once the details are here.
    pub(crate) fn act_on_early(&mut self) {
        if self.early.is_empty() {
            return;
        }
        self.early.passed += 1;
        if self.is_fresh() || self.row.is_none() {
            let events = std::mem::take(&mut self.early).events;
            events.iter().for_each(|event| self.handle_event(event));
        } else if self.early.passed > PATIENCE {
            self.early.clear();
        }
    }
}
