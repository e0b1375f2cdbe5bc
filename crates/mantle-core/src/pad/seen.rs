//! The check-off list: which of the pad's controls have been seen from rest to full and back.

use super::common::PadState;
use super::target::{TARGETS, Target};

/// A direction of a stick counts as full from here on (of 32767); a trigger from 250 of 255.
const STICK_FULL: i32 = 31_000;
const TRIGGER_FULL: i32 = 250;
/// Within this a direction is back at rest.
const STICK_REST: i32 = 3_000;
const TRIGGER_REST: i32 = 10;

/// Targets seen so far, one bit each.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Seen {
    full: u32,
    done: u32,
}

/// Each stick axis with its two directions: the negative one, the positive one.
const STICKS: [(usize, Target, Target); 4] = [
    (0, Target::LeftStickLeft, Target::LeftStickRight),
    (1, Target::LeftStickUp, Target::LeftStickDown),
    (2, Target::RightStickLeft, Target::RightStickRight),
    (3, Target::RightStickUp, Target::RightStickDown),
];
const TRIGGERS: u32 = Target::LeftTrigger.mask() | Target::RightTrigger.mask();
const BUTTONS: u32 = ((1 << 17) - 1) & !TRIGGERS;

impl Seen {
    /// The pad has changed to this state.
    #[inline]
    pub fn handle_state(&mut self, state: &PadState) {
        self.full |= state.bits & BUTTONS;
        // Most reports reach no end: one comparison for each axis says so.
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

    #[cold]
    fn reach(&mut self, state: &PadState) {
        for (axis, low, high) in STICKS {
            let value = state.axes[axis];
            self.full |= u32::from(value >= STICK_FULL) << high.index();
            self.full |= u32::from(value <= -STICK_FULL) << low.index();
        }
        for (target, axis) in [(Target::LeftTrigger, 4), (Target::RightTrigger, 5)] {
            self.full |= u32::from(state.axes[axis] >= TRIGGER_FULL) << target.index();
        }
    }

    #[cold]
    fn come_back(&mut self, state: &PadState) {
        let mut rest = !state.bits & BUTTONS;
        for (axis, low, high) in STICKS {
            let value = state.axes[axis];
            rest |= u32::from(value <= STICK_REST) << high.index();
            rest |= u32::from(value >= -STICK_REST) << low.index();
        }
        for (target, axis) in [(Target::LeftTrigger, 4), (Target::RightTrigger, 5)] {
            rest |= u32::from(state.axes[axis] <= TRIGGER_REST) << target.index();
        }
        self.done |= self.full & rest;
    }

    /// Whether this target has been to full and back.
    #[must_use]
    #[inline]
    pub fn done(&self, target: Target) -> bool {
        self.done & target.mask() != 0
    }

    /// Whether it has been to full, and perhaps is there still.
    #[must_use]
    pub fn full(&self, target: Target) -> bool {
        self.full & target.mask() != 0
    }

    /// How many of these targets (a set of [`Target::mask`] bits) are done.
    #[must_use]
    pub fn count(&self, of: u32) -> u32 {
        (self.done & of).count_ones()
    }

    /// All targets that are done, as bits.
    #[must_use]
    pub fn bits(&self) -> u32 {
        TARGETS.iter().filter(|t| self.done(**t)).fold(0, |all, t| all | t.mask())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_target_is_seen_only_when_it_is_back() {
        let mut seen = Seen::default();
        seen.handle_state(&PadState { bits: Target::South.mask(), axes: [-32768, 0, 0, 0, 255, 0] });
        assert!(seen.full(Target::South) && !seen.done(Target::South));
        seen.handle_state(&PadState::default());
        for target in [Target::South, Target::LeftStickLeft, Target::LeftTrigger] {
            assert!(seen.done(target), "{}", target.name());
        }
        assert_eq!(seen.count(u32::MAX), 3);
    }

    #[test]
    fn half_way_is_not_full() {
        let mut seen = Seen::default();
        seen.handle_state(&PadState { bits: 0, axes: [16_000, 0, 0, 0, 128, 0] });
        seen.handle_state(&PadState::default());
        assert_eq!(seen.count(u32::MAX), 0);
    }
}
