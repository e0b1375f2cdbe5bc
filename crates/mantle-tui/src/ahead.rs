//! Which keys wait for the details of a row, and when they act.

use crate::app::App;
use crate::key_table;
use crate::keys::Intent;
use crate::rows::View;
use ratatui::crossterm::event::Event;

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
        if !self.early.is_empty() {
            let known = self.is_fresh() || self.row.is_none();
            self.early.pass(known).iter().for_each(|event| self.handle_event(event));
        }
    }
}
