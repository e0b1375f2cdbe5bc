//! The let-go chord of a device, which follows from its controls, so that no profile can remove it.

use crate::binding::default_bindings;
use crate::control::{ControlKind, PartLayout, Place};
use crate::pad::PadTarget;
use crate::time::Micros;
use mantle_hid::{Frame, Usage, WORDS, usage, usage::page};

/// How long the chord is held before everything is released, or resumes: longer than any game asks for.
pub const HELD: Micros = Micros::seconds(3);

/// Left shift and Escape.
const KEYS: [Usage; 2] = [Usage::new(page::KEYBOARD, 0xe1), Usage::new(page::KEYBOARD, 0x29)];
/// The first two buttons of a mouse.
const MOUSE: [Usage; 2] = [Usage::new(page::BUTTON, 1), Usage::new(page::BUTTON, 2)];

/// Buttons of one device that together mean *let go*: Select and Start or, without one of them, its first
/// four buttons; left shift and Escape on a keyboard, the first two buttons on a mouse.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Chord {
    first: (u8, u64),
    /// Buttons in another word of the frame; rarely any.
    second: (u8, u64),
}

impl Default for Chord {
    /// No chord, for a device with fewer than four buttons.
    fn default() -> Self {
        Self { first: (0, u64::MAX), second: (0, 0) }
    }
}

impl Chord {
    /// The chord of a part.
    #[must_use]
    pub fn of(part: &PartLayout) -> Self {
        let fixed = if part.usage == usage::MOUSE { MOUSE } else { KEYS };
        let both = fixed.map(|usage| part.find(usage).map(|control| control.place));
        if let [Some(Place::Bit(first)), Some(Place::Bit(second))] = both {
            return Self::from_bits(&[first, second]);
        }
        let bindings = default_bindings(part);
        let of_target = |target| {
            let number = bindings.of(target).next()?.control;
            match part.controls.iter().find(|control| control.number == number)?.place {
                Place::Bit(bit) => Some(bit),
                Place::Value(_) => None,
            }
        };
        if let (Some(select), Some(start)) = (of_target(PadTarget::Select), of_target(PadTarget::Start)) {
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
        let mut words = [0u64; WORDS];
        for bit in bits {
            words[usize::from(bit / 64) % WORDS] |= 1 << (bit % 64);
        }
        let mut used = words.iter().enumerate().filter(|(_, mask)| **mask != 0).map(|(at, mask)| (at as u8, *mask));
        match (used.next(), used.next(), used.next()) {
            (Some(first), second, None) => Self { first, second: second.unwrap_or_default() },
            _ => Self::default(),
        }
    }

    /// Whether all of it is pressed.
    #[inline]
    #[must_use]
    pub fn down(self, frame: &Frame) -> bool {
        let down = |(word, mask): (u8, u64)| frame.bits[usize::from(word) % WORDS] & mask == mask;
        down(self.first) && down(self.second)
    }
}
