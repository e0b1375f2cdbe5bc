//! A pad that is tried: how round its sticks are, how far its triggers go, how they drift, and whether anything sticks.

use super::state::{PadState, TRIGGER_FULL};
use super::target::{TARGETS, Target};
use crate::time::Micros;

/// The outline of a stick is kept in so many directions.
pub const DIRECTIONS: usize = 36;
/// What is further out than this belongs to the outline: a share of full travel.
const OUT: f32 = 0.5;
/// An outline is whole once so many of its directions have been reached.
const WHOLE: usize = 30;
/// What is off its rest for so long without a move sticks.
const STUCK: Micros = Micros::seconds(10);
/// A stick or trigger this near to its rest, and as still, has been let go.
const NEAR: f32 = 0.25;
const STILL: f32 = 0.05;
/// Drift is looked for over so many seconds.
pub const SECONDS: usize = 60;

/// The outline of one stick.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Outline {
    /// The furthest that it has been in each direction, from the right clockwise, in shares of full travel; 0 where it
    /// has not been.
    pub far: [f32; DIRECTIONS],
}

impl Outline {
    fn reach(&mut self, x: f32, y: f32) {
        let far = x.hypot(y);
        if far >= OUT {
            let turn = y.atan2(x) / std::f32::consts::TAU * DIRECTIONS as f32;
            let at = (turn.round() as i32).rem_euclid(DIRECTIONS as i32) as usize;
            self.far[at] = self.far[at].max(far);
        }
    }

    /// How far it goes at least and at most, once it has been rolled round; and by how much it is off a circle of the
    /// mean on the average, as a share of that.
    #[must_use]
    pub fn roundness(&self) -> Option<(f32, f32, f32)> {
        let reached: Vec<f32> = self.far.iter().copied().filter(|far| *far > 0.0).collect();
        if reached.len() < WHOLE {
            return None;
        }
        let mean = reached.iter().sum::<f32>() / reached.len() as f32;
        let off = reached.iter().map(|far| (far - mean).abs()).sum::<f32>() / reached.len() as f32 / mean;
        let (least, most) =
            (reached.iter().copied().fold(f32::MAX, f32::min), reached.iter().copied().fold(0.0, f32::max));
        Some((least, most, off))
    }

    /// The outline as points, in shares of full travel, X to the right and Y down.
    #[must_use]
    pub fn points(&self) -> Vec<(f32, f32)> {
        let reached = self.far.iter().enumerate().filter(|(_, far)| **far > 0.0);
        let point = |(at, far): (usize, &f32)| {
            let angle = at as f32 / DIRECTIONS as f32 * std::f32::consts::TAU;
            (far * angle.cos(), far * angle.sin())
        };
        reached.map(point).collect()
    }
}

/// Where one stick's axis or a trigger rested, second by second.
#[derive(Clone, Debug)]
struct RestWatch {
    seconds: [(u64, f32, f32); SECONDS],
    last: f32,
    since: Micros,
}

impl RestWatch {
    const NONE: Self = Self { seconds: [(u64::MAX, 0.0, 0.0); SECONDS], last: 0.0, since: Micros(0) };

    fn handle(&mut self, now: Micros, value: f32) {
        if (value - self.last).abs() > STILL {
            (self.last, self.since) = (value, now);
        }
        if value.abs() > NEAR || now.since(self.since) < Micros::millis(300) {
            return;
        }
        let second = now.0 / 1_000_000;
        let entry = &mut self.seconds[second as usize % SECONDS];
        *entry =
            if entry.0 == second { (second, entry.1.min(value), entry.2.max(value)) } else { (second, value, value) };
    }

    /// How far it went to and fro while nobody touched it, within the last minute, and in how many seconds that was seen.
    fn drift(&self, now: Micros) -> (f32, usize) {
        let second = now.0 / 1_000_000;
        let fresh = self.seconds.iter().filter(|(at, ..)| *at != u64::MAX && at + SECONDS as u64 > second);
        let (mut low, mut high, mut count) = (f32::MAX, f32::MIN, 0);
        for (_, least, most) in fresh {
            (low, high, count) = (low.min(*least), high.max(*most), count + 1);
        }
        if count == 0 { (0.0, 0) } else { (high - low, count) }
    }
}

/// A trial under way.
#[derive(Clone, Debug)]
pub struct Trial {
    /// When it began.
    pub begun: Micros,
    outlines: [Outline; 2],
    triggers: [(i32, i32); 2],
    rests: [RestWatch; 6],
    state: PadState,
    /// Since when each target is where it is.
    since: [Micros; TARGETS.len()],
}

impl Trial {
    /// Begins now.
    #[must_use]
    pub fn new(now: Micros) -> Self {
        Self {
            begun: now,
            outlines: [Outline { far: [0.0; DIRECTIONS] }; 2],
            triggers: [(TRIGGER_FULL, 0); 2],
            rests: [const { RestWatch::NONE }; 6],
            state: PadState::default(),
            since: [now; TARGETS.len()],
        }
    }

    /// The pad shows this; before feel its sticks and triggers stand there, in shares of full travel.
    pub fn handle(&mut self, now: Micros, state: &PadState, before_feel: &[f32; 6]) {
        for (at, outline) in self.outlines.iter_mut().enumerate() {
            let [x, y] = [0, 1].map(|axis| state.axes[2 * at + axis] as f32 / 32_767.0);
            outline.reach(x, y);
        }
        for (travel, axis) in self.triggers.iter_mut().zip([4, 5]) {
            *travel = (travel.0.min(state.axes[axis]), travel.1.max(state.axes[axis]));
        }
        for (rests, value) in self.rests.iter_mut().zip(before_feel) {
            rests.handle(now, *value);
        }
        for (target, since) in TARGETS.into_iter().zip(&mut self.since) {
            if (state.share(target) - self.state.share(target)).abs() > 0.01 {
                *since = now;
            }
        }
        self.state = *state;
    }

    /// The outlines of the left and the right stick.
    #[must_use]
    pub fn outlines(&self) -> &[Outline; 2] {
        &self.outlines
    }

    /// How far the left and the right trigger went, from and to, of 255; none as long as nothing has been seen.
    #[must_use]
    pub fn travels(&self) -> [Option<(i32, i32)>; 2] {
        self.triggers.map(|(low, high)| (low <= high).then_some((low, high)))
    }

    /// How far each stick's axes, and each trigger, went to and fro while nobody touched it, within the last minute, as a
    /// share of full travel, and in how many seconds that was seen: left stick X, Y, right stick X, Y, triggers.
    #[must_use]
    pub fn drifts(&self, now: Micros) -> [(f32, usize); 6] {
        std::array::from_fn(|at| self.rests[at].drift(now))
    }

    /// What has been off its rest for ten seconds without a move.
    #[must_use]
    pub fn stuck(&self, now: Micros) -> Vec<Target> {
        let off = |target: &Target| self.state.share(*target) > 0.05;
        let long = |target: &Target| now.since(self.since[target.index()]) >= STUCK;
        TARGETS.into_iter().filter(|target| off(target) && long(target)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stick(x: f32, y: f32) -> PadState {
        let raw = |share: f32| (share * 32_767.0) as i32;
        PadState { axes: [raw(x), raw(y), 0, 0, 0, 0], ..PadState::default() }
    }

    fn rolled(shape: impl Fn(f32) -> (f32, f32)) -> Outline {
        let mut trial = Trial::new(Micros(0));
        for step in 0..720 {
            let (x, y) = shape(step as f32 / 720.0 * std::f32::consts::TAU);
            trial.handle(Micros(step * 4_000), &stick(x, y), &[x, y, 0.0, 0.0, 0.0, 0.0]);
        }
        trial.outlines()[0]
    }

    #[test]
    fn a_circle_is_round_a_square_is_not_and_half_a_roll_says_nothing() {
        let (least, most, off) = rolled(|angle| (angle.cos(), angle.sin())).roundness().expect("rolled round");
        assert!(least > 0.99 && most < 1.01 && off < 0.002, "{least} {most} {off}");
        let square = rolled(|angle| {
            let far = 1.0 / angle.cos().abs().max(angle.sin().abs());
            (far * angle.cos(), far * angle.sin())
        });
        let (least, most, off) = square.roundness().expect("rolled round");
        assert!(least < 1.01 && most > 1.38 && off > 0.08, "{least} {most} {off}");
        assert_eq!(rolled(|angle| (angle.cos(), angle.sin().abs())).roundness(), None);
    }

    #[test]
    fn triggers_tell_how_far_they_go() {
        let mut trial = Trial::new(Micros(0));
        assert_eq!(trial.travels(), [None, None]);
        for value in [3, 40, 201] {
            let state = PadState { axes: [0, 0, 0, 0, value, 0], ..PadState::default() };
            trial.handle(Micros(1), &state, &[0.0; 6]);
        }
        assert_eq!(trial.travels(), [Some((3, 201)), Some((0, 0))]);
    }

    #[test]
    fn drift_is_what_moves_while_nobody_touches_it() {
        let mut trial = Trial::new(Micros(0));
        let mut at =
            |ms: u64, x: f32| trial.handle(Micros::millis(ms), &stick(0.0, 0.0), &[x, 0.0, 0.0, 0.0, 0.0, 0.0]);
        for second in 0..20u64 {
            for step in 0..10 {
                // It creeps; in between somebody pushes it.
                let pushed = second == 7 && step < 5;
                at(second * 1_000 + step * 100, if pushed { 0.9 } else { 0.01 + second as f32 * 0.002 });
            }
        }
        let (drift, seconds) = trial.drifts(Micros::seconds(20))[0];
        assert!((drift - 0.038).abs() < 0.004, "{drift}");
        assert!(seconds >= 18, "{seconds}");
        assert_eq!(trial.drifts(Micros::seconds(200))[0], (0.0, 0), "only the last minute counts");
    }

    #[test]
    fn what_stays_off_its_rest_without_a_move_sticks() {
        let mut trial = Trial::new(Micros(0));
        let down = PadState { bits: Target::South.mask() as u32, ..PadState::default() };
        trial.handle(Micros::seconds(1), &down, &[0.0; 6]);
        assert_eq!(trial.stuck(Micros::seconds(10)), []);
        assert_eq!(trial.stuck(Micros::seconds(11)), [Target::South]);
        trial.handle(Micros::seconds(12), &PadState::default(), &[0.0; 6]);
        assert_eq!(trial.stuck(Micros::seconds(30)), []);
    }
}
