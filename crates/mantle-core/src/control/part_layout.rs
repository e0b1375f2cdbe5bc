//! A part of a device: what it is, by what its top-level collection says and by its controls.

use super::{Control, ControlKind, Half, Sensors};
use mantle_hid::{Usage, usage, usage::page};

/// So many keys are a keyboard that a machine can be steered with; fewer are a keypad.
const WHOLE_KEYBOARD: usize = 40;

/// A top-level collection with controls.
#[derive(Clone, Debug)]
pub struct PartLayout {
    /// What the collection says it is.
    pub usage: Usage,
    /// Its controls, by number.
    pub controls: Vec<Control>,
    /// Elements that found no place: too wide, too many, or without a meaning.
    pub unread: u32,
    /// Whether two axes that would be its right stick were seen to rest at their ends, so that they are triggers.
    pub triggers_turned: bool,
    /// Its sensors.
    pub sensors: Sensors,
    /// Which half of a pad it is, where a sheet says so.
    pub half: Option<Half>,
}

impl PartLayout {
    /// Whether this is something that a game would take for a controller.
    #[must_use]
    pub fn is_game_controller(&self) -> bool {
        let kind = matches!(self.usage, usage::JOYSTICK | usage::GAME_PAD | usage::MULTI_AXIS)
            || matches!(
                (self.usage.page(), self.usage.id()),
                (page::SIMULATION, 0x01..=0x0c) | (page::GAME, 0x01..=0x03)
            );
        kind && !self.controls.is_empty()
    }

    /// Whether this is something to type on: what it sends is nobody's business.
    #[must_use]
    pub fn is_keyboard(&self) -> bool {
        matches!(self.usage, usage::KEYBOARD | usage::KEYPAD)
    }

    /// Whether this is a keyboard that a machine can be steered with, and no keypad of a few keys.
    #[must_use]
    pub fn is_whole_keyboard(&self) -> bool {
        let keys = self.controls.iter().filter(|control| control.kind == ControlKind::Key).count();
        self.is_keyboard() && keys >= WHOLE_KEYBOARD
    }

    /// Whether this is a keyboard, a keypad or a mouse: what a person steers the machine with.
    #[must_use]
    pub fn is_keyboard_or_mouse(&self) -> bool {
        self.is_keyboard()
            || matches!(self.usage, usage::MOUSE | usage::POINTER)
            || self.usage.page() == page::DIGITIZER
    }

    /// Whether this is what keyboards have beside their keys: media keys, and what switches a machine off.
    #[must_use]
    pub fn is_beside_keys(&self) -> bool {
        self.usage.page() == page::CONSUMER || self.usage == usage::SYSTEM_CONTROL
    }

    /// Whether this is something that points at a place, and no surface to touch.
    #[must_use]
    pub fn is_absolute_pointer(&self) -> bool {
        matches!(self.usage, usage::MOUSE | usage::POINTER)
            && self.controls.iter().any(|control| control.kind == ControlKind::Pointer)
    }

    /// The control that bears this usage.
    #[must_use]
    pub fn find(&self, usage: Usage) -> Option<&Control> {
        self.controls.iter().find(|control| control.usage == usage)
    }
}
