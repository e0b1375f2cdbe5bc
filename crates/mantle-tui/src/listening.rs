//! Listening for a press: begin, hear, end.

use crate::app::App;
use crate::mode::{Listening, Mode, PressFor};
use crate::rows::Then;
use mantle_talk::{Change, Command, SlotNumber};

impl App {
    /// The press being listened for.
    pub(crate) fn listening(&self) -> Option<&Listening> {
        match &self.mode {
            Mode::Listening(listening) => Some(listening),
            _ => None,
        }
    }

    pub(crate) fn listen(&mut self, slot: SlotNumber, press: PressFor) {
        self.target = if self.target.is_key() { self.target } else { self.target() };
        self.mode = Mode::Listening(Listening { slot, target: self.target, press });
        self.take_demo_in_hand();
        self.command(Command::Listen { slot, target: self.target }, Then::Nothing);
    }

    /// Stops listening.
    pub(crate) fn stop_listening(&mut self) -> Option<Listening> {
        let Mode::Listening(listening) = std::mem::take(&mut self.mode) else { return None };
        self.command(Command::StopListening, Then::Nothing);
        self.put_down();
        Some(listening)
    }

    /// Handles what was heard.
    pub(crate) fn look_at_capture(&mut self) {
        let (Some(capture), Some(listening)) = (self.snapshot.capture.clone(), self.listening()) else { return };
        if (capture.slot, capture.target) != (listening.slot, listening.target)
            || Some(capture.slot) != self.bound_slot()
        {
            return;
        }
        let (slot, target) = (capture.slot, capture.target);
        match (capture.taken, capture.unclear) {
            (Some((source, inverted, _)), _) => {
                let Some(Listening { press, .. }) = self.stop_listening() else { return };
                match press {
                    PressFor::Target => self.bind(slot, target, source, inverted),
                    PressFor::With => {
                        let layer = self.layer();
                        let mut changes = self.said_first().unwrap_or_default();
                        changes.push(Change::With { target, layer, named: Some(source) });
                        self.edit(slot, changes);
                    }
                    PressFor::Layer(name) => {
                        self.layer.clone_from(&name);
                        self.edit(slot, vec![Change::Layer { name, hold: Some(source), toggle: false }]);
                    }
                }
            }
            (None, Some(why)) => {
                self.message = Some(why.into());
                self.command(Command::Listen { slot, target }, Then::Nothing);
            }
            (None, None) => {}
        }
    }
}
