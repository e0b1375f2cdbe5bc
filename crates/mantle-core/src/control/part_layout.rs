//! A part of a device: what it is, from its top-level collection and its controls.

use super::{Control, ControlKind, Half, Sensors};
use mantle_hid::{Usage, usage, usage::page};

/// This many keys make a keyboard for using the machine; fewer are a keypad.
const WHOLE_KEYBOARD: usize = 40;

/// A top-level collection with controls.
#[derive(Clone, Debug)]
pub struct PartLayout {
    /// What the collection says it is.
    pub usage: Usage,
    /// Its controls, by number.
    pub controls: Vec<Control>,
    /// Number of elements without a place: too wide, too many, or without a meaning.
    pub unread: u32,
    /// Whether two axes that looked like its right stick were seen to rest at their ends, which makes them triggers.
    pub triggers_turned: bool,
    /// Its sensors.
    pub sensors: Sensors,
    /// Which half of a pad it is, if a sheet says so.
    pub half: Option<Half>,
}

impl PartLayout {
    /// Whether games would take it for a controller.
    #[must_use]
    pub fn is_game_controller(&self) -> bool {
        let kind = matches!(self.usage, usage::JOYSTICK | usage::GAME_PAD | usage::MULTI_AXIS)
            || matches!(
                (self.usage.page(), self.usage.id()),
                (page::SIMULATION, 0x01..=0x0c) | (page::GAME, 0x01..=0x03)
            );
        kind && !self.controls.is_empty()
    }

    /// Whether people type on it; what it sends is private.
    #[must_use]
    pub fn is_keyboard(&self) -> bool {
        matches!(self.usage, usage::KEYBOARD | usage::KEYPAD)
    }

    /// Whether it is a keyboard for using the machine, rather than a keypad of a few keys.
    #[must_use]
    pub fn is_whole_keyboard(&self) -> bool {
        let keys = self.controls.iter().filter(|control| control.kind == ControlKind::Key).count();
        self.is_keyboard() && keys >= WHOLE_KEYBOARD
    }

    /// Whether it is a keyboard, keypad or mouse, by which people use the machine.
    #[must_use]
    pub fn is_keyboard_or_mouse(&self) -> bool {
        self.is_keyboard()
            || matches!(self.usage, usage::MOUSE | usage::POINTER)
            || self.usage.page() == page::DIGITIZER
    }

    /// Whether it is what keyboards have besides their keys: media keys, power switches.
    #[must_use]
    pub fn is_beside_keys(&self) -> bool {
        self.usage.page() == page::CONSUMER || self.usage == usage::SYSTEM_CONTROL
    }

    /// Whether it points at places, without being a touch surface.
    #[must_use]
    pub fn is_absolute_pointer(&self) -> bool {
        matches!(self.usage, usage::MOUSE | usage::POINTER)
            && self.controls.iter().any(|control| control.kind == ControlKind::Pointer)
    }

    /// The control with this usage.
    #[must_use]
    pub fn find(&self, usage: Usage) -> Option<&Control> {
        self.controls.iter().find(|control| control.usage == usage)
    }
}
