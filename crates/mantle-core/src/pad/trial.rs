//! A pad being tried: how round its sticks are, how far its triggers go, how they drift, and whether anything is stuck.

use super::model::{PadModel, PadStick};
use super::parts::PadAxis;
use super::state::PadState;
use super::target::PadTarget;
use crate::keys::KeyTarget;
use crate::time::Micros;

/// In how many directions the outline of a stick is kept.
pub const DIRECTIONS: usize = 36;
/// Beyond this share of full travel, a point belongs to the outline.
const OUT: f32 = 0.5;
/// An outline is complete once this many of its directions have been reached.
const WHOLE: usize = 30;
/// Whatever is off its rest for this long without moving is stuck.
const STUCK: Micros = Micros::seconds(10);
/// A stick or trigger this close to its rest, and this still, has been released.
const NEAR: f32 = 0.25;
const STILL: f32 = 0.05;
/// Over how many seconds drift is measured.
pub const SECONDS: usize = 60;

/// The outline of one stick.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Outline {
    /// How far it has been in each direction, clockwise from the right, in shares of full travel; 0 where it has not been.
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

    /// The shortest and longest reach once it has been rolled around, and the average deviation from a circle of the mean, as a share of that.
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

/// Where a stick's axis or a trigger rested, second by second.
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

    /// How far it wandered while nobody touched it, within the last minute, and in how many seconds that was seen.
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

/// A stick that is tried.
#[derive(Clone, Debug)]
pub struct StickTrial {
    /// What it is called.
    pub name: String,
    /// The lanes of its X and its Y.
    pub lanes: [usize; 2],
    /// How far it has been.
    pub outline: Outline,
}

/// An axis that is tried.
#[derive(Clone, Debug)]
pub struct AxisTrial {
    /// The axis.
    axis: PadAxis,
    /// What it is called.
    pub name: String,
    /// How far it went, from and to.
    travel: (i32, i32),
    rests: RestWatch,
}

impl AxisTrial {
    /// Its lane.
    #[must_use]
    pub fn lane(&self) -> usize {
        self.axis.lane
    }

    /// Its ends.
    #[must_use]
    pub fn ends(&self) -> (i32, i32) {
        (self.axis.info.min, self.axis.info.max)
    }

    /// How far it went, from and to, between its ends; none until something has been seen.
    #[must_use]
    pub fn travel(&self) -> Option<(i32, i32)> {
        let (low, high) = self.travel;
        (low <= high).then_some((low, high))
    }

    /// How far it wandered while nobody touched it, within the last minute, as a share of full travel, and in how many seconds that was seen.
    #[must_use]
    pub fn drift(&self, now: Micros) -> (f32, usize) {
        self.rests.drift(now)
    }
}

/// A trial under way.
#[derive(Clone, Debug)]
pub struct Trial {
    /// When it began.
    pub begun: Micros,
    /// The pad's sticks.
    pub sticks: Vec<StickTrial>,
    /// All of its axes, including those of sticks.
    pub axes: Vec<AxisTrial>,
    /// Where each target is, and since when.
    at: Vec<(PadTarget, f32, Micros)>,
    /// The same of what is typed.
    typed: Vec<(KeyTarget, f32, Micros)>,
}

impl Trial {
    /// Begins now, with a pad of this model.
    #[must_use]
    pub fn new(now: Micros, model: &PadModel) -> Self {
        let stick = |own: &PadStick| StickTrial {
            name: own.name.clone(),
            lanes: own.lanes,
            outline: Outline { far: [0.0; DIRECTIONS] },
        };
        let axis = |own: &PadAxis| AxisTrial {
            axis: *own,
            name: model.lane_name(own.lane).unwrap_or_default().to_owned(),
            travel: (i32::MAX, i32::MIN),
            rests: RestWatch::NONE,
        };
        Self {
            begun: now,
            sticks: model.sticks.iter().map(stick).collect(),
            axes: model.axes.iter().map(axis).collect(),
            at: model.targets.iter().map(|target| (*target, 0.0, now)).collect(),
            typed: Vec::new(),
        }
    }

    /// What the pad shows now; where its axes are before feel, by lane, in shares of full travel; and how far what it types is pressed.
    pub fn handle(
        &mut self,
        now: Micros,
        state: &PadState,
        before_feel: impl Fn(usize) -> f32,
        typed: impl Iterator<Item = (KeyTarget, f32)>,
    ) {
        for stick in &mut self.sticks {
            let [x, y] = stick.lanes.map(|lane| state.lane(lane) as f32 / 32_767.0);
            stick.outline.reach(x, y);
        }
        for axis in &mut self.axes {
            let value = axis.axis.shown(state.lane(axis.axis.lane));
            axis.travel = (axis.travel.0.min(value), axis.travel.1.max(value));
            axis.rests.handle(now, before_feel(axis.axis.lane));
        }
        for (target, at, since) in &mut self.at {
            move_to(at, since, now, state.share(*target));
        }
        for (stroke, share) in typed {
            match self.typed.iter_mut().find(|(own, ..)| *own == stroke) {
                Some((_, at, since)) => move_to(at, since, now, share),
                None => self.typed.push((stroke, share, now)),
            }
        }
    }

    /// Whatever has been off its rest for ten seconds without moving.
    #[must_use]
    pub fn stuck(&self, now: Micros) -> Vec<PadTarget> {
        stuck(&self.at, now).collect()
    }

    /// The same of what is typed.
    #[must_use]
    pub fn stuck_keys(&self, now: Micros) -> Vec<KeyTarget> {
        stuck(&self.typed, now).collect()
    }
}

/// Those that have been off their rest for ten seconds without moving.
fn stuck<T: Copy>(all: &[(T, f32, Micros)], now: Micros) -> impl Iterator<Item = T> + '_ {
    all.iter().filter(move |(_, at, since)| *at > 0.05 && now.since(*since) >= STUCK).map(|(one, ..)| *one)
}

/// Something is there now.
fn move_to(at: &mut f32, since: &mut Micros, now: Micros, share: f32) {
    if (share - *at).abs() > 0.01 {
        *since = now;
    }
    *at = share;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pad::{FlightShape, PadTarget};

    fn stick(x: f32, y: f32) -> PadState {
        let raw = |share: f32| (share * 32_767.0) as i32;
        PadState { axes: [raw(x), raw(y), 0, 0, 0, 0], ..PadState::default() }
    }

    /// The common pad shows this, and is here before feel.
    fn show(trial: &mut Trial, now: Micros, state: &PadState, before_feel: [f32; 6]) {
        trial.handle(now, state, |lane| before_feel[lane], std::iter::empty());
    }

    fn new() -> Trial {
        Trial::new(Micros(0), &PadModel::default())
    }

    fn rolled(shape: impl Fn(f32) -> (f32, f32)) -> Outline {
        let mut trial = new();
        for step in 0..720 {
            let (x, y) = shape(step as f32 / 720.0 * std::f32::consts::TAU);
            show(&mut trial, Micros(step * 4_000), &stick(x, y), [x, y, 0.0, 0.0, 0.0, 0.0]);
        }
        trial.sticks[0].outline
    }

    #[test]
    fn roundness_tells_circle_from_square_and_needs_a_full_roll() {
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

    fn travels(trial: &Trial) -> [Option<(i32, i32)>; 2] {
        [trial.axes[4].travel(), trial.axes[5].travel()]
    }

    #[test]
    fn trigger_travel_is_measured() {
        let mut trial = new();
        assert_eq!(travels(&trial), [None, None]);
        for value in [3, 40, 201] {
            let state = PadState { axes: [0, 0, 0, 0, value, 0], ..PadState::default() };
            show(&mut trial, Micros(1), &state, [0.0; 6]);
        }
        assert_eq!(travels(&trial), [Some((3, 201)), Some((0, 0))]);
        assert_eq!(trial.axes[4].name, "left trigger");
    }

    #[test]
    fn movement_of_an_untouched_stick_is_drift() {
        let mut trial = new();
        let mut at = |ms: u64, x: f32| {
            show(&mut trial, Micros::millis(ms), &stick(0.0, 0.0), [x, 0.0, 0.0, 0.0, 0.0, 0.0]);
        };
        for second in 0..20u64 {
            for step in 0..10 {
                // It creeps, and somebody pushes it in between.
                let pushed = second == 7 && step < 5;
                at(second * 1_000 + step * 100, if pushed { 0.9 } else { 0.01 + second as f32 * 0.002 });
            }
        }
        let (drift, seconds) = trial.axes[0].drift(Micros::seconds(20));
        assert!((drift - 0.038).abs() < 0.004, "{drift}");
        assert!(seconds >= 18, "{seconds}");
        assert_eq!(trial.axes[0].drift(Micros::seconds(200)), (0.0, 0), "only the last minute counts");
    }

    #[test]
    fn a_motionless_control_off_rest_is_stuck() {
        let mut trial = new();
        let down = PadState { bits: PadTarget::South.mask() as u32, ..PadState::default() };
        show(&mut trial, Micros::seconds(1), &down, [0.0; 6]);
        assert_eq!(trial.stuck(Micros::seconds(10)), []);
        assert_eq!(trial.stuck(Micros::seconds(11)), [PadTarget::South]);
        show(&mut trial, Micros::seconds(12), &PadState::default(), [0.0; 6]);
        assert_eq!(trial.stuck(Micros::seconds(30)), []);
    }

    /// A flight stick has a plane and lines of its own; typed keys can be stuck as well, even without a pad.
    #[test]
    fn every_kind_is_checked_by_its_model() {
        let shape = FlightShape::new(0b110_0011, 2, 1);
        let mut trial = Trial::new(Micros(0), &PadModel::flight(shape));
        let names: Vec<&str> = trial.axes.iter().map(|axis| axis.name.as_str()).collect();
        assert_eq!(names, ["X", "Y", "Rz", "throttle"]);
        assert_eq!(trial.sticks.iter().map(|stick| stick.name.as_str()).collect::<Vec<_>>(), ["X and Y"]);
        let throttle = PadTarget::named("throttle").expect("there is one");
        trial.handle(Micros(1), &PadState::only(throttle, 0.75), |_| 0.0, std::iter::empty());
        trial.handle(Micros(2), &PadState::default(), |_| 0.0, std::iter::empty());
        let (low, high) = trial.axes[3].travel().expect("it moved");
        assert!(low == 0 && (high as f32 / trial.axes[3].ends().1 as f32 - 0.75).abs() < 0.01, "{low} {high}");
        let stroke = KeyTarget::named("key A").expect("there is one");
        let mut trial = Trial::new(Micros(0), &PadModel::nothing());
        trial.handle(Micros(1), &PadState::default(), |_| 0.0, [(stroke, 1.0)].into_iter());
        assert_eq!(trial.stuck_keys(Micros::seconds(11)), [stroke]);
        trial.handle(Micros::seconds(12), &PadState::default(), |_| 0.0, [(stroke, 0.0)].into_iter());
        assert_eq!((trial.stuck_keys(Micros::seconds(30)), trial.axes.len()), (vec![], 0));
    }
}
