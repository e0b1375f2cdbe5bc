//! What the person has set once for everything: how long a slot is kept, what is news to them, and from where on they want to be
//! warned. Read from `settings.toml`, whenever that is saved.

use crate::pad::PadTarget;
use crate::path::{Limits, NewsKind};
use crate::time::Micros;

/// All of it.
#[derive(Clone, PartialEq, Debug)]
pub struct Preferences {
    /// For how long a slot waits for a device that does not come; none is for good.
    pub kept: Option<Micros>,
    /// The two that sit a device down when they are held together, where any two do not; by what its buttons would play.
    pub sit_down: Option<[PadTarget; 2]>,
    /// From where on it is warned.
    pub limits: Limits,
    /// What they are told of while they do not look.
    pub news: NewsChoice,
    /// Whether it is believed what a terminal says of having the keyboard.
    pub trusts_focus: bool,
    /// Whether an engine that was started by `serve` keeps devices from games.
    pub covers_served: bool,
}

/// What is told, and by which way.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct NewsChoice {
    /// By the desktop's notifications.
    pub desktop: bool,
    /// By the lamps of the player's own device: they blink.
    pub lamp: bool,
    /// By its motors: it shakes.
    pub rumble: bool,
    kinds: [bool; NewsKind::ALL.len()],
}

impl Default for NewsChoice {
    fn default() -> Self {
        Self { desktop: true, lamp: true, rumble: false, kinds: [true; NewsKind::ALL.len()] }
    }
}

impl NewsChoice {
    /// Whether news of this kind is told, by any way.
    #[must_use]
    pub fn tells(&self, kind: NewsKind) -> bool {
        (self.desktop || self.lamp || self.rumble) && self.kinds[kind as usize]
    }

    /// News of this kind is told, or not.
    pub fn set(&mut self, kind: NewsKind, told: bool) {
        self.kinds[kind as usize] = told;
    }
}

impl Default for Preferences {
    fn default() -> Self {
        Self {
            kept: None,
            sit_down: None,
            limits: Limits::default(),
            news: NewsChoice::default(),
            trusts_focus: true,
            covers_served: true,
        }
    }
}
