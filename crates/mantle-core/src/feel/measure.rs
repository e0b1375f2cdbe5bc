//! Measures a dead zone and an outer dead zone: at rest for a while, then once all the way around. Order of use: [`Measure::handle_lanes`] and
//! [`Measure::handle_time`] with what happens; [`Measure::deadline`] says when it wants to be told the time.

use super::Shaped;
use crate::time::Micros;

/// For so long hands are off.
pub const REST: Micros = Micros::seconds(5);
/// Directions through which a stick has to be rolled.
pub const SECTORS: usize = 16;
/// Further off than this while hands should be off, somebody is moving it.
const MOVED: f32 = 0.35;
/// A direction in which it was pushed less far than this has not been rolled through.
const ROLLED: f32 = 0.5;
/// Back here, the roll is over.
const BACK: f32 = 0.3;

/// The proposal, in thousandths of full travel.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Measured {
    /// The dead zone.
    pub dead_zone: u16,
    /// The outer dead zone.
    pub outer: u16,
}

/// One stick or trigger being measured.
#[derive(Clone, Debug)]
pub struct Measure {
    which: Shaped,
    since: Micros,
    rolling: bool,
    moved: bool,
    rest: f32,
    reach: [f32; SECTORS],
    done: Option<Measured>,
}

impl Measure {
    /// Begins now: hands off.
    #[must_use]
    pub fn new(now: Micros, which: Shaped) -> Self {
        Self { which, since: now, rolling: false, moved: false, rest: 0.0, reach: [0.0; SECTORS], done: None }
    }

    /// What is measured.
    #[must_use]
    pub fn which(&self) -> Shaped {
        self.which
    }

    /// Whether it is to be rolled now; before that, hands are off.
    #[must_use]
    pub fn rolling(&self) -> bool {
        self.rolling
    }

    /// Whether it was moved while hands should have been off.
    #[must_use]
    pub fn moved(&self) -> bool {
        self.moved
    }

    /// How far it was off at rest at most, and how far it reached; for a stick, in its shortest direction. Shares.
    #[must_use]
    pub fn figures(&self) -> (f32, f32) {
        (self.rest, self.reached())
    }

    /// Directions that have been rolled through, of all.
    #[must_use]
    pub fn rolled(&self) -> (usize, usize) {
        let all = if self.which.is_stick() { SECTORS } else { 1 };
        (self.reach[..all].iter().filter(|reach| **reach >= ROLLED).count(), all)
    }

    /// What is proposed, once it is.
    #[must_use]
    pub fn proposal(&self) -> Option<Measured> {
        self.done
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        (!self.rolling).then(|| self.since.after(REST))
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        if self.deadline().is_some_and(|due| due <= now) {
            (self.rolling, self.moved) = (true, false);
        }
    }

    /// Where each lane is before feel.
    pub fn handle_lanes(&mut self, now: Micros, at: impl Fn(usize) -> f32) {
        self.handle_time(now);
        let axis = self.which.axis();
        let (x, y) = (at(axis), if self.which.is_stick() { at(axis + 1) } else { 0.0 });
        let distance = x.hypot(y);
        if !self.rolling {
            if distance > MOVED {
                (self.since, self.moved, self.rest) = (now, true, 0.0);
            } else {
                self.rest = self.rest.max(distance);
            }
            return;
        }
        if self.done.is_some() {
            return;
        }
        let turn = (y.atan2(x) / std::f32::consts::TAU).rem_euclid(1.0);
        let sector = if self.which.is_stick() { (turn * SECTORS as f32) as usize % SECTORS } else { 0 };
        self.reach[sector] = self.reach[sector].max(distance);
        let (rolled, all) = self.rolled();
        if rolled == all && distance < BACK {
            let share = |share: f32, most: u16| ((share * 100.0).ceil() as u16 * 10).min(most);
            // A quarter more than was seen, plus half a hundredth: five seconds do not show everything.
            let dead_zone = share(self.rest * 1.25 + 0.005, 900);
            let missing = 1.0 - self.reached();
            let outer = if missing > 0.005 { share(missing, 500) } else { 0 };
            self.done = Some(Measured { dead_zone, outer });
        }
    }

    fn reached(&self) -> f32 {
        let all = if self.which.is_stick() { SECTORS } else { 1 };
        self.reach[..all].iter().copied().fold(1.0, f32::min)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lanes(which: Shaped, x: f32, y: f32) -> impl Fn(usize) -> f32 {
        let axis = which.axis();
        move |lane| match lane {
            _ if lane == axis => x,
            _ if lane == axis + 1 && which.is_stick() => y,
            _ => 0.0,
        }
    }

    #[test]
    fn rest_and_a_full_roll_give_a_proposal() {
        let which = Shaped::RightStick;
        let mut measure = Measure::new(Micros(0), which);
        let mut now = Micros(0);
        let mut play = |measure: &mut Measure, x: f32, y: f32| {
            now = now.after(Micros::millis(8));
            measure.handle_lanes(now, lanes(which, x, y));
        };
        (0..100).for_each(|_| play(&mut measure, 0.02, 0.03));
        play(&mut measure, 0.6, 0.0);
        assert!(measure.moved() && !measure.rolling());
        (0..640).for_each(|step| play(&mut measure, 0.02, if step % 2 == 0 { 0.03 } else { 0.0 }));
        assert!(measure.rolling() && !measure.moved(), "five seconds from the movement on");
        for step in 0..64 {
            let angle = std::f32::consts::TAU * step as f32 / 64.0;
            // Worn on the left side.
            let far = if angle.cos() < -0.5 { 0.93 } else { 0.99 };
            assert_eq!(measure.proposal(), None, "half a roll is none");
            play(&mut measure, far * angle.cos(), far * angle.sin());
        }
        play(&mut measure, 0.0, 0.0);
        assert_eq!(measure.rolled(), (SECTORS, SECTORS));
        assert_eq!(measure.proposal(), Some(Measured { dead_zone: 60, outer: 70 }));
    }

    #[test]
    fn one_pull_measures_a_trigger() {
        let which = Shaped::LeftTrigger;
        let mut measure = Measure::new(Micros(0), which);
        measure.handle_time(REST);
        for (at, x) in [0.2f32, 0.6, 0.9, 0.5, 0.1].into_iter().enumerate() {
            measure.handle_lanes(REST.after(Micros::millis(8 * at as u64)), lanes(which, x, 0.0));
        }
        assert_eq!(measure.proposal(), Some(Measured { dead_zone: 10, outer: 110 }));
    }

    #[test]
    fn an_axis_is_measured_from_end_to_end() {
        let which = Shaped::Line(1);
        let mut measure = Measure::new(Micros(0), which);
        measure.handle_lanes(Micros(1), lanes(which, 0.05, 0.0));
        measure.handle_time(REST);
        for (at, x) in [-0.2f32, -0.6, -0.97, -0.1].into_iter().enumerate() {
            measure.handle_lanes(REST.after(Micros::millis(8 * at as u64)), lanes(which, x, 0.0));
        }
        assert_eq!(measure.proposal(), Some(Measured { dead_zone: 70, outer: 30 }));
    }
}
