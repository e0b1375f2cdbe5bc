//! What is held off: it was down when its device came back, or its slot played again.

use crate::control::{Control, ControlKind, Place};
use mantle_hid::{Frame, WORDS};

/// What was down when the device came back: nothing of it plays until it has been let go, or moved.
#[derive(Clone, Debug, Default)]
pub(super) struct HeldOff {
    begun: bool,
    bits: [u64; WORDS],
    pub(super) values: u64,
    first: Vec<(u8, i32)>,
}

impl HeldOff {
    /// Takes what is held off out of a frame; returns whether anything still is.
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

/// Whether a raw value is one at which nothing plays: a hat's centre, an axis in the middle or at its lower end.
fn at_rest(control: &Control, raw: i32) -> bool {
    match control.kind {
        ControlKind::Hat => control.hat_directions(raw) == 0,
        ControlKind::Axis => {
            let share = control.share(raw);
            share <= 0.05 || (0.45..=0.55).contains(&share)
        }
        // Counts are over with their report; motion is always somewhere; of a position it is the touch that is held.
        ControlKind::Relative | ControlKind::Motion | ControlKind::Pointer | ControlKind::Contact => true,
        _ => control.share(raw) <= 0.5,
    }
}
