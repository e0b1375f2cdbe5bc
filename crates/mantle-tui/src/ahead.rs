//! Which keys wait, for what, and when they act: some for the details of a row, all of them for a view that an order is about to open.

use crate::app::App;
use crate::key_table;
use crate::keys::Intent;
use crate::rows::{Then, View};
use ratatui::crossterm::event::Event;

impl App {
    /// Whether an event has to wait.
    pub(crate) fn comes_early(&self, event: &Event) -> bool {
        let waits = self.opens() || !self.early.is_empty();
        let Event::Key(key) = event else { return matches!(event, Event::Paste(_)) && waits };
        match key_table::intent(self.place(), key) {
            Some(Intent::QuitNow) => false,
            _ if waits => true,
            Some(Intent::Binding(_) | Intent::Feel(_) | Intent::FindInList) => {
                self.view == View::Stage && self.mode.is_view() && self.row.is_some() && !self.is_fresh()
            }
            _ => false,
        }
    }

    /// Acts on what has waited, once the details are here.
    pub(crate) fn act_on_early(&mut self) {
        if !self.early.is_empty() {
            let known = !self.opens() && (self.is_fresh() || self.row.is_none());
            match self.early.pass(known) {
                Some(events) => events.iter().for_each(|event| self.handle_event(event)),
                None => self.drop_early(),
            }
        }
    }

    /// Drops what has waited for too long, and the view that was to open with it: an answer that comes later moves nobody.
    pub(crate) fn drop_early(&mut self) {
        self.early.clear();
        for (_, then) in &mut self.waiting {
            if matches!(then, Then::Open(..)) {
                *then = Then::Nothing;
            }
        }
    }

    /// Whether an order that opens another view has not been answered yet.
    fn opens(&self) -> bool {
        self.waiting.iter().any(|(_, then)| matches!(then, Then::Open(..)))
    }
}
