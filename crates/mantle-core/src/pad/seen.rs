//! The check-off list: which of the pad's controls have been seen from rest to full and back.

use super::state::PadState;
use super::target::PadTarget;
use crate::keys::KeyTarget;

/// From here on (of 32767) a direction of a stick counts as full; a trigger from 250 of 255.
const STICK_FULL: i32 = 31_000;
const TRIGGER_FULL: i32 = 250;
/// Within this a direction is back at rest.
const STICK_REST: i32 = 3_000;
const TRIGGER_REST: i32 = 10;

/// The same as shares of full travel.
const FULL: f32 = 0.95;
const REST: f32 = 0.09;

/// Targets seen so far, one bit each.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Seen {
    full: u32,
    done: u32,
    /// The same for other kinds of pad, which have more targets than these have room for.
    full_of_any: u128,
    done_of_any: u128,
    /// And for what is typed.
    full_of_keys: u128,
    done_of_keys: u128,
}

/// The bit of one of the common pad's targets.
const fn bit(target: PadTarget) -> u32 {
    target.mask() as u32
}

/// Each stick axis with its two directions: the bit of the negative one, and of the positive one.
const STICKS: [(usize, u32, u32); 4] = [
    (0, bit(PadTarget::LeftStickLeft), bit(PadTarget::LeftStickRight)),
    (1, bit(PadTarget::LeftStickUp), bit(PadTarget::LeftStickDown)),
    (2, bit(PadTarget::RightStickLeft), bit(PadTarget::RightStickRight)),
    (3, bit(PadTarget::RightStickUp), bit(PadTarget::RightStickDown)),
];
const PULLED: [(u32, usize); 2] = [(bit(PadTarget::LeftTrigger), 4), (bit(PadTarget::RightTrigger), 5)];
const TRIGGERS: u32 = bit(PadTarget::LeftTrigger) | bit(PadTarget::RightTrigger);
const BUTTONS: u32 = ((1 << 17) - 1) & !TRIGGERS;

impl Seen {
    /// The pad has changed to this state.
    #[inline]
    pub fn handle_state(&mut self, state: &PadState) {
        self.full |= state.bits & BUTTONS;
        // Most reports reach no end: one comparison for each axis shows that.
        let [lx, ly, rx, ry, left, right] = state.axes;
        let at_end = |value: i32| value.wrapping_add(STICK_FULL - 1) as u32 > 2 * (STICK_FULL as u32 - 1);
        let pulled = left.max(right) >= TRIGGER_FULL;
        if at_end(lx) | at_end(ly) | at_end(rx) | at_end(ry) | pulled {
            self.reach(state);
        }
        // Only what has been to full can come back from it.
        if self.full != self.done {
            self.come_back(state);
        }
    }

    /// The same for a pad of any kind, control by control.
    pub fn handle_any(&mut self, state: &PadState, targets: &[PadTarget]) {
        for target in targets {
            let share = state.share(*target);
            self.full_of_any |= if share >= FULL { target.mask() } else { 0 };
            self.done_of_any |= if share <= REST { self.full_of_any & target.mask() } else { 0 };
        }
    }

    /// How far something typed is pressed.
    pub fn handle_key(&mut self, stroke: KeyTarget, share: f32) {
        let bit = 1 << stroke.place();
        self.full_of_keys |= if share >= FULL { bit } else { 0 };
        self.done_of_keys |= if share <= REST { self.full_of_keys & bit } else { 0 };
    }

    #[cold]
    fn reach(&mut self, state: &PadState) {
        for (axis, low, high) in STICKS {
            let value = state.axes[axis];
            self.full |= if value >= STICK_FULL { high } else { 0 };
            self.full |= if value <= -STICK_FULL { low } else { 0 };
        }
        for (trigger, axis) in PULLED {
            self.full |= if state.axes[axis] >= TRIGGER_FULL { trigger } else { 0 };
        }
    }

    #[cold]
    fn come_back(&mut self, state: &PadState) {
        let mut rest = !state.bits & BUTTONS;
        for (axis, low, high) in STICKS {
            let value = state.axes[axis];
            rest |= if value <= STICK_REST { high } else { 0 };
            rest |= if value >= -STICK_REST { low } else { 0 };
        }
        for (trigger, axis) in PULLED {
            rest |= if state.axes[axis] <= TRIGGER_REST { trigger } else { 0 };
        }
        self.done |= self.full & rest;
    }

    /// Whether this target has been to full and back.
    #[must_use]
    #[inline]
    pub fn done(&self, target: PadTarget) -> bool {
        self.bits() & target.mask() != 0
    }

    /// Whether what is typed has been fully pressed and released.
    #[must_use]
    pub fn done_key(&self, stroke: KeyTarget) -> bool {
        self.done_of_keys >> stroke.place() & 1 != 0
    }

    /// Whether it has been to full, and perhaps still is.
    #[must_use]
    pub fn full(&self, target: PadTarget) -> bool {
        (u128::from(self.full) | self.full_of_any) & target.mask() != 0
    }

    /// How many of these targets (a set of [`PadTarget::mask`] bits) are done.
    #[must_use]
    pub fn count(&self, of: u128) -> u32 {
        (self.bits() & of).count_ones()
    }

    /// All targets that are done, as bits.
    #[must_use]
    pub fn bits(&self) -> u128 {
        u128::from(self.done) | self.done_of_any
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_target_counts_as_seen_after_its_return_to_rest() {
        let mut seen = Seen::default();
        seen.handle_state(&PadState {
            bits: PadTarget::South.mask() as u32,
            axes: [-32768, 0, 0, 0, 255, 0],
            ..PadState::default()
        });
        assert!(seen.full(PadTarget::South) && !seen.done(PadTarget::South));
        seen.handle_state(&PadState::default());
        for target in [PadTarget::South, PadTarget::LeftStickLeft, PadTarget::LeftTrigger] {
            assert!(seen.done(target), "{}", target.name());
        }
        assert_eq!(seen.count(u128::MAX), 3);
    }

    #[test]
    fn half_travel_is_not_full_travel() {
        let mut seen = Seen::default();
        seen.handle_state(&PadState { axes: [16_000, 0, 0, 0, 128, 0], ..PadState::default() });
        seen.handle_state(&PadState::default());
        assert_eq!(seen.count(u128::MAX), 0);
    }
}
