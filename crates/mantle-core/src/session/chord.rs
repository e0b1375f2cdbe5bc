//! The let-go chord of a device: it follows from what the device has, so that no profile can take it away.

use crate::binding::default_bindings;
use crate::control::{ControlKind, PartLayout, Place};
use crate::pad::Target;
use crate::time::Micros;
use mantle_hid::{Frame, WORDS};

/// So long the chord is held before everything is let go, or plays again: longer than any game asks for.
pub const HELD: Micros = Micros::seconds(3);

/// Buttons of one device that together mean *let go*: Select and Start, or, where it lacks one of them, its first
/// four buttons.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Chord {
    word: u8,
    mask: u64,
}

impl Default for Chord {
    /// No chord: a device with fewer than four buttons.
    fn default() -> Self {
        Self { word: 0, mask: u64::MAX }
    }
}

impl Chord {
    /// The chord of a part.
    #[must_use]
    pub fn of(part: &PartLayout) -> Self {
        let bindings = default_bindings(part);
        let of_target = |target| {
            let number = bindings.of(target).next()?.control;
            match part.controls.iter().find(|control| control.number == number)?.place {
                Place::Bit(bit) => Some(bit),
                Place::Value(_) => None,
            }
        };
        if let (Some(select), Some(start)) = (of_target(Target::Select), of_target(Target::Start)) {
            return Self::from_bits(&[select, start]);
        }
        let buttons = part.controls.iter().filter(|control| control.kind == ControlKind::Button);
        let bits: Vec<u16> = buttons
            .filter_map(|control| match control.place {
                Place::Bit(bit) => Some(bit),
                Place::Value(_) => None,
            })
            .take(4)
            .collect();
        if bits.len() < 4 { Self::default() } else { Self::from_bits(&bits) }
    }

    fn from_bits(bits: &[u16]) -> Self {
        let word = bits.first().map_or(0, |bit| bit / 64);
        if bits.iter().any(|bit| bit / 64 != word) {
            return Self::default();
        }
        Self { word: word as u8, mask: bits.iter().fold(0, |mask, bit| mask | 1 << (bit % 64)) }
    }

    /// Whether all of it is down.
    #[inline]
    #[must_use]
    pub fn down(self, frame: &Frame) -> bool {
        frame.bits[usize::from(self.word) % WORDS] & self.mask == self.mask
    }
}
