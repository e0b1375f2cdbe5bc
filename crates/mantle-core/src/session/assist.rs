//! Help for assigning controls inside a game: only one control is sent, or one is pressed by itself after a while.

use crate::pad::{PadState, PadTarget};
use crate::time::Micros;

/// After so long the one that was asked for is pressed.
pub const AFTER: Micros = Micros::seconds(5);
/// A button is down for so long; a stick or trigger takes so long to its end, and as long back.
const DOWN: Micros = Micros::millis(400);
const SWEEP: Micros = Micros::millis(800);
/// Steps of a sweep.
const STEP: Micros = Micros::millis(16);
/// Nobody has to remember that only one control is sent: it ends by itself.
pub const ONLY: Micros = Micros::seconds(120);

/// What is helped with.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Assist {
    /// Only this control is sent, until then.
    Only(PadTarget, Micros),
    /// This control is pressed automatically at this moment.
    Press(PadTarget, Micros),
}

impl Assist {
    /// When it changes next.
    pub fn deadline(self, now: Micros) -> Micros {
        match self {
            Self::Only(_, until) => until,
            Self::Press(_, from) if now < from => from,
            Self::Press(target, from) if target.travels() => {
                now.after(STEP).min(from.after(SWEEP).after(SWEEP).after(DOWN))
            }
            Self::Press(_, from) => from.after(DOWN),
        }
    }

    /// Whether it is over.
    pub fn is_over(self, now: Micros) -> bool {
        match self {
            Self::Only(_, until) => now >= until,
            Self::Press(target, from) if target.travels() => now >= from.after(SWEEP).after(SWEEP).after(DOWN),
            Self::Press(_, from) => now >= from.after(DOWN),
        }
    }

    /// What is sent instead of this state.
    pub fn put(self, now: Micros, state: &PadState) -> PadState {
        match self {
            Self::Only(target, _) => PadState::only(target, state.share(target)),
            Self::Press(_, from) if now < from => *state,
            // Whatever the hands do meanwhile does not disturb it.
            Self::Press(target, from) => PadState::only(target, press(target, now.since(from))),
        }
    }
}

/// How far it is pressed at a time.
fn press(target: PadTarget, since: Micros) -> f32 {
    let (since, sweep, down) = (since.0 as f32, SWEEP.0 as f32, DOWN.0 as f32);
    match since {
        _ if !target.travels() => 1.0,
        _ if since < sweep => since / sweep,
        _ if since < sweep + down => 1.0,
        _ => (1.0 - (since - sweep - down) / sweep).max(0.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pad::TARGETS;

    #[test]
    fn only_the_requested_control_is_sent() {
        let all =
            PadState { bits: (1 << 17) - 1, axes: [-32_768, 32_767, -32_768, 32_767, 255, 255], ..PadState::default() };
        for target in TARGETS {
            let sent = Assist::Only(target, Micros::seconds(9)).put(Micros(0), &all);
            for other in TARGETS {
                let expected = if other == target { all.share(target) } else { 0.0 };
                assert!((sent.share(other) - expected).abs() < 0.001, "{target:?} {other:?}: {}", sent.share(other));
            }
        }
    }

    #[test]
    fn an_assisted_press_waits_goes_to_full_and_returns() {
        for target in TARGETS {
            let assist = Assist::Press(target, Micros::seconds(5));
            let at = |now: Micros| assist.put(now, &PadState::default()).share(target);
            let (mut now, mut most) = (Micros(0), 0.0f32);
            assert_eq!(at(Micros::millis(4_999)), 0.0);
            while !assist.is_over(now) {
                now = assist.deadline(now);
                most = most.max(if assist.is_over(now) { 0.0 } else { at(now) });
            }
            assert!(most > 0.99, "{target:?} comes to {most}");
            assert!(now < Micros::seconds(8), "{target:?} ends at {now:?}");
        }
    }
}
