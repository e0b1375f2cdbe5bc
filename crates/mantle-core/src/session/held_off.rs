//! Held-off controls: those that were pressed when their device came back, or when its slot resumed.

use crate::control::{Control, ControlKind, Place};
use mantle_hid::{Frame, WORDS};

/// Controls that were pressed when the device came back: none of them plays until it was released, or moved.
#[derive(Clone, Debug, Default)]
pub(super) struct HeldOff {
    begun: bool,
    bits: [u64; WORDS],
    pub(super) values: u64,
    first: Vec<(u8, i32)>,
}

impl HeldOff {
    /// Removes held-off controls from a frame. Returns whether any are left.
    pub fn handle_frame(&mut self, frame: &mut Frame, controls: &[Control]) -> bool {
        if !self.begun {
            self.begun = true;
            self.bits = frame.bits;
            for control in controls {
                let Place::Value(value) = control.place else { continue };
                let raw = frame.values[usize::from(value)];
                if !at_rest(control, raw) {
                    self.values |= 1 << value;
                    self.first.push((value, raw));
                }
            }
        }
        for control in controls {
            let Place::Value(value) = control.place else { continue };
            let raw = frame.values[usize::from(value)];
            let Some((_, first)) = self.first.iter().find(|(v, _)| *v == value) else { continue };
            let span = (i64::from(control.max) - i64::from(control.min)).max(1);
            let moved = (i64::from(raw) - i64::from(*first)).abs() * 16 >= span;
            if moved || at_rest(control, raw) {
                self.values &= !(1 << value);
            }
        }
        for (held, now) in self.bits.iter_mut().zip(&mut frame.bits) {
            *held &= *now;
            *now &= !*held;
        }
        self.values != 0 || self.bits.iter().any(|word| *word != 0)
    }
}

/// Whether a raw value plays nothing: a hat's centre, an axis in the middle or at its lower end.
fn at_rest(control: &Control, raw: i32) -> bool {
    match control.kind {
        ControlKind::Hat => control.hat_directions(raw) == 0,
        ControlKind::Axis => {
            let share = control.share(raw);
            share <= 0.05 || (0.45..=0.55).contains(&share)
        }
        // Counts end with their report; motion never rests; of a position, the touch is held.
        ControlKind::Relative | ControlKind::Motion | ControlKind::Pointer | ControlKind::Contact => true,
        _ => control.share(raw) <= 0.5,
    }
}
