//! Listening for a press, and what the press is for.

use crate::keys::{Intent, Key, key};
use mantle_talk::{SlotNumber, Target};
use ratatui::crossterm::event::KeyCode;

/// What is to be pressed.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum PressFor {
    /// The source of the target.
    Target,
    /// The control that holds a new layer.
    Layer(String),
    /// The control that has to be held as well.
    With,
}

/// A press being listened for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Listening {
    /// The slot whose devices are listened to.
    pub slot: SlotNumber,
    /// The target it is about.
    pub target: Target,
    /// What it is for.
    pub press: PressFor,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![key(KeyCode::Esc, "Esc", Intent::Back, "stop", true)]
}

impl Listening {
    /// The request in words, unless it is simply for the target's source.
    pub fn asks(&self) -> Option<String> {
        match &self.press {
            PressFor::Target => None,
            PressFor::Layer(name) => Some(format!("Press and release the control that holds {name}.")),
            PressFor::With => Some("Press and release the control that has to be held as well.".to_owned()),
        }
    }
}
