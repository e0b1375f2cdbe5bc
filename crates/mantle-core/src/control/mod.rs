//! The neutral vocabulary: what is under a finger, on whatever device.

pub mod calibration;
mod checks;
mod extras;
mod groups;
mod half;
mod layout;
mod observed;
mod part_layout;
mod rest;
mod sensors;

pub use calibration::{Calibration, Rests};
pub use checks::{Check, Verify};
pub use extras::{Extras, Scale, Translated, Translation};
pub use half::Half;
pub(crate) use layout::rest_frame;
pub use layout::{Carried, Layout, PARTS, Reach};
pub use observed::{Observed, Sight};
pub use part_layout::PartLayout;
pub use rest::Zone;
pub use sensors::{AS_IT_IS, Contact, Measures, Sensors, Vector};

use crate::pad::PadTarget;
use mantle_hid::{Frame, Usage};
use serde::{Deserialize, Serialize};

/// The number of a control within its part, from 1, as people see it.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub struct ControlNumber(pub u16);

/// The bit order of a number.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Packing {
    /// Counted from the lowest bit of each byte, as HID does.
    #[default]
    Little,
    /// Counted from the highest bit of each byte.
    Big,
}

/// A default binding given by a sheet.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Plays {
    /// A button of the pad, or a trigger by its travel.
    Target(PadTarget),
    /// A stick's axis: 0 left X, 1 left Y, 2 right X, 3 right Y.
    Stick(u8),
    /// The whole d-pad, from a hat.
    DPad,
}

/// The kinds of control.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum ControlKind {
    /// Pressed or not.
    Button,
    /// Absolute, with a rest.
    Axis,
    /// Eight directions, or four, and a centre.
    Hat,
    /// Counts since the last report.
    Relative,
    /// A key of a keyboard.
    Key,
    /// A position on a surface that may be left; it has no rest.
    Pointer,
    /// Part of a touch contact: whether it is there, and where.
    Contact,
    /// One axis of a motion sensor.
    Motion,
    /// A state of the device itself, such as its battery.
    State,
}

impl ControlKind {
    /// Whether it goes both ways from a middle without being an axis.
    #[must_use]
    pub fn is_wide(self) -> bool {
        matches!(self, Self::Relative | Self::Pointer | Self::Contact | Self::Motion)
    }

    /// The kind in a word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Button => "button",
            Self::Axis => "axis",
            Self::Hat => "hat",
            Self::Relative => "relative",
            Self::Key => "key",
            Self::Pointer => "pointer",
            Self::Contact => "contact",
            Self::Motion => "motion",
            Self::State => "state",
        }
    }
}

/// Where a control's state is in the frame of its source.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Place {
    /// A bit.
    Bit(u16),
    /// A number.
    Value(u8),
}

/// One control of a part.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Control {
    /// Its number within the part.
    pub number: ControlNumber,
    /// Its kind.
    pub kind: ControlKind,
    /// The usage in the descriptor.
    pub usage: Usage,
    /// Its name: the usage's name, with a count if a part has several.
    pub name: String,
    /// Where its state is.
    pub place: Place,
    /// Smallest raw value.
    pub min: i32,
    /// Largest raw value.
    pub max: i32,
    /// Its position in the descriptor's order of controls.
    pub declared: u16,
    /// For a hat with one value more than directions: whether its lower end may be the centre instead of the upper one.
    pub centre_unclear: bool,
    /// The default binding given by a sheet.
    pub plays: Option<Plays>,
    /// Its calibration on this very device.
    pub calibration: Option<Calibration>,
}

impl Control {
    /// The directions of a hat's raw value, as the lowest four bits: up, down, left, right.
    ///
    /// A value out of range is the centre, with or without a null flag. Hats count 8 or 4 steps, clockwise from up.
    #[must_use]
    pub fn hat_directions(&self, raw: i32) -> u32 {
        hat_directions(self.min, self.max, raw)
    }

    /// Its raw value in a frame of its source; 0 or 1 for a bit.
    #[must_use]
    pub fn raw(&self, frame: &Frame) -> i32 {
        match self.place {
            Place::Bit(bit) => i32::from(frame.bit(bit)),
            Place::Value(value) => frame.values.get(usize::from(value)).copied().unwrap_or(0),
        }
    }

    /// Whether this raw value is a pressed button, or a hat off its centre; for wider controls, more than half.
    #[must_use]
    pub fn is_down(&self, raw: i32) -> bool {
        match self.kind {
            ControlKind::Hat => self.hat_directions(raw) != 0,
            _ => self.share(raw) > 0.5,
        }
    }

    /// The raw value as a share of its range, 0 to 1.
    #[must_use]
    pub fn share(&self, raw: i32) -> f32 {
        let span = (i64::from(self.max) - i64::from(self.min)).max(1);
        ((i64::from(raw) - i64::from(self.min)) as f32 / span as f32).clamp(0.0, 1.0)
    }
}

/// See [`Control::hat_directions`].
#[must_use]
#[inline]
pub fn hat_directions(min: i32, max: i32, raw: i32) -> u32 {
    const UP: u32 = 1;
    const DOWN: u32 = 2;
    const LEFT: u32 = 4;
    const RIGHT: u32 = 8;
    const EIGHT: [u32; 8] = [UP, UP | RIGHT, RIGHT, DOWN | RIGHT, DOWN, DOWN | LEFT, LEFT, UP | LEFT];
    if raw < min || raw > max {
        return 0;
    }
    let step = raw.wrapping_sub(min) as u32;
    let eighths = if max.wrapping_sub(min) == 3 { step.wrapping_mul(2) } else { step };
    EIGHT.get(eighths as usize).copied().unwrap_or(0)
}
