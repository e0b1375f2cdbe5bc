//! A press that is listened for, and what it is for.

use crate::keys::{Intent, Key, key};
use mantle_talk::{SlotNumber, Target};
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
            PressFor::Layer(name) => Some(format!("Press and release the control that holds {name}.")),
            PressFor::With => Some("Press and release the control that has to be held as well.".to_owned()),
        }
    }
}
