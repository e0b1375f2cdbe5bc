//! A press that is listened for, and what it is for.

use super::Mode;
use crate::app::App;
use crate::keys::{Intent, Key, key};
use crate::rows::Then;
use mantle_talk::{Change, Command, SlotNumber, Target};
use ratatui::crossterm::event::KeyCode;

/// What is to be pressed.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum PressFor {
    /// What shall play the target.
    Target,
    /// What shall be held for a layer, which is made with it.
    Layer(String),
    /// What has to be held as well, so that the target is played.
    With,
}

/// A press that is listened for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Listening {
    /// The slot on whose devices something is to be pressed.
    pub slot: SlotNumber,
    /// The target that it is about.
    pub target: Target,
    /// What it is for.
    pub press: PressFor,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![key(KeyCode::Esc, "Esc", Intent::Back, "stop", true)]
}

impl Listening {
    /// What is to be pressed, if it is not what shall play the target.
    pub fn asks(&self) -> Option<String> {
        match &self.press {
            PressFor::Target => None,
            PressFor::Layer(name) => Some(format!("Press what shall be held for {name}, and let it go.")),
            PressFor::With => Some("Press what has to be held as well, and let it go.".to_owned()),
        }
    }

    pub(super) fn handle(self, app: &mut App, intent: Intent) {
        app.mode = Mode::Listening(self);
        if intent == Intent::Back {
            app.stop_listening();
        }
    }
}

impl App {
    /// The press that is listened for.
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

    /// A press is listened for no more.
    pub(crate) fn stop_listening(&mut self) -> Option<Listening> {
        let Mode::Listening(listening) = std::mem::take(&mut self.mode) else { return None };
        self.command(Command::StopListening, Then::Nothing);
        self.put_down();
        Some(listening)
    }

    /// What came of listening.
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
