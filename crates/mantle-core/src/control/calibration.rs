//! Calibration: where an axis of one device really rests, how far it really goes, and how noisy it is.
//!
//! A [`Calibration`] maps a raw value to the value the axis would have if it were as its descriptor says: its
//! rest in the middle, or at the end where it rests, and its ends at the ends. It belongs to one device, not to the model.
//!
//! A [`CalibrationSession`] measures one: hands off, then everything through its whole travel, then hands off again. The
//! second step ends once everything was moved and hands are off; broken controls never move, so the person can end it, too. Order of use:
//! [`CalibrationSession::handle_frame`] and [`CalibrationSession::handle_time`] for events, [`CalibrationSession::next`] when the person is done;
//! [`CalibrationSession::deadline`] says when it wants to be told the time.

use super::{Control, ControlKind, ControlNumber, PartLayout};
use crate::time::Micros;
use mantle_hid::Frame;
use serde::{Deserialize, Serialize};

/// How long hands are off at first.
pub const REST: Micros = Micros::seconds(3);
/// And at the end, after this long for controls to fall back to rest.
pub const LET_GO: Micros = Micros::seconds(2);
const FALLS_BACK: Micros = Micros::millis(700);
/// A control that moves by this share of its range while hands should be off is being moved.
const MOVED: f32 = 0.1;
/// An axis that travelled less than this share of its range was not moved through its travel.
const TRAVELLED: f32 = 0.2;
/// An axis that travelled this share of its range was certainly moved through all of it.
const THROUGH: f64 = 0.85;
/// Once everything was moved and pressed, hands off for this long ends the step.
pub const DONE: Micros = Micros::seconds(2);
/// The outermost share of a travel counts as its end, since the end is not always reached.
const MARGIN: f32 = 0.01;

/// Where an axis rests.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Rests {
    /// Between its ends: a stick.
    Middle,
    /// At its lower end: a trigger.
    Low,
    /// At its upper end: an inverted pedal.
    High,
}

/// The calibration of one axis of one device, in raw values.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Calibration {
    /// The lowest value.
    pub low: i32,
    /// The rest.
    pub rest: i32,
    /// The highest value.
    pub high: i32,
    /// The noise around its rest, either way.
    pub noise: i32,
}

impl Calibration {
    /// Whether it makes sense: low below high, with the rest between.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        self.low < self.high && (self.low..=self.high).contains(&self.rest) && self.noise >= 0
    }

    /// Where it rests; within a fifth of an end counts as that end.
    #[must_use]
    pub fn rests(&self) -> Rests {
        let span = (f64::from(self.high) - f64::from(self.low)).max(1.0);
        match (f64::from(self.rest) - f64::from(self.low)) / span {
            ..0.2 => Rests::Low,
            0.8.. => Rests::High,
            _ => Rests::Middle,
        }
    }

    /// Maps a raw value to an axis as its descriptor says, `min` to `max`.
    #[must_use]
    pub fn correct(&self, min: i32, max: i32, raw: i32) -> i32 {
        let (min, max) = (f64::from(min), f64::from(max));
        let middle = (min + max) / 2.0;
        // If a range has two middle values, both are rest.
        let [below, at, above] = match self.rests() {
            Rests::Middle => [middle.floor(), middle.floor(), middle.ceil()],
            Rests::Low => [min; 3],
            Rests::High => [max; 3],
        };
        let (raw, rest, noise) = (f64::from(raw), f64::from(self.rest), f64::from(self.noise));
        let along = |far: f64, room: f64| (far / room.max(1.0)).clamp(0.0, 1.0);
        let value = if raw > rest + noise {
            above + (max - above) * along(raw - rest - noise, f64::from(self.high) - rest - noise)
        } else if raw < rest - noise {
            below - (below - min) * along(rest - noise - raw, rest - noise - f64::from(self.low))
        } else {
            at
        };
        value.round().clamp(min, max) as i32
    }
}

/// The steps of a calibration.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum CalibrationPhase {
    /// Hands off.
    Rest,
    /// Everything through its whole travel, until the person is done.
    Travel,
    /// Hands off again.
    LetGo,
    /// Done, with a proposal.
    Proposal,
}

/// What was seen of one control.
#[derive(Clone, Debug)]
struct AxisSeen {
    control: Control,
    /// At rest: lowest, highest, sum, count; the first value.
    rest: (i32, i32, i64, i64),
    first: Option<i32>,
    /// The same after release.
    again: (i32, i32, i64, i64),
    /// Overall: lowest and highest.
    range: (i32, i32),
    pressed: bool,
    last: i32,
}

/// The proposal for one axis.
#[derive(Clone, PartialEq, Debug)]
pub struct AxisProposal {
    /// The control.
    pub control: ControlNumber,
    /// Its name.
    pub name: String,
    /// The measurement; none if it was not moved through its travel.
    pub calibration: Option<Calibration>,
    /// Whether it was moved only one way from the middle of its range.
    pub one_way: bool,
    /// How far its rest has drifted, as a share of the travel on one side.
    pub drift: f32,
    /// The dead zone that hides noise and drift, as a share of that travel.
    pub dead_zone: f32,
}

/// A calibration in progress.
#[derive(Clone, Debug)]
pub struct CalibrationSession {
    phase: CalibrationPhase,
    since: Micros,
    /// Since when everything has been moved and pressed with hands off.
    done: Option<Micros>,
    seen: Vec<AxisSeen>,
    /// What moved while hands should have been off.
    moved: Option<String>,
}

const NOTHING: (i32, i32, i64, i64) = (i32::MAX, i32::MIN, 0, 0);

fn add((low, high, sum, count): &mut (i32, i32, i64, i64), raw: i32) {
    *low = (*low).min(raw);
    *high = (*high).max(raw);
    *sum += i64::from(raw);
    *count += 1;
}

fn mean((_, _, sum, count): (i32, i32, i64, i64)) -> Option<f64> {
    (count > 0).then(|| sum as f64 / count as f64)
}

impl AxisSeen {
    fn span(&self) -> f64 {
        (f64::from(self.control.max) - f64::from(self.control.min)).max(1.0)
    }

    fn travels(&self) -> bool {
        matches!(self.control.kind, ControlKind::Axis | ControlKind::Pointer)
    }

    /// Whether a control is finished: moved through its whole range, or pressed, and back at rest.
    fn is_done(&self) -> bool {
        if !self.travels() {
            return self.pressed && !self.is_off(self.last);
        }
        let through = f64::from(self.range.1) - f64::from(self.range.0) >= self.span() * THROUGH;
        let rest = mean(self.rest).unwrap_or(f64::from(self.first.unwrap_or(self.last)));
        let back = (f64::from(self.last) - rest).abs() <= self.span() * f64::from(MOVED);
        through && (back || self.control.kind == ControlKind::Pointer)
    }

    /// Whether this value presses a button or a hat.
    fn is_off(&self, raw: i32) -> bool {
        if self.control.kind == ControlKind::Hat { self.control.hat_directions(raw) != 0 } else { raw != 0 }
    }

    fn propose(&self) -> AxisProposal {
        let travel = f64::from(self.range.1) - f64::from(self.range.0);
        let rest = mean(self.rest).unwrap_or(f64::from(self.last));
        let again = mean(self.again).unwrap_or(rest);
        let noise_of = |(low, high, _, count): (i32, i32, i64, i64), mean: f64| {
            if count == 0 { 0.0 } else { (f64::from(high) - mean).max(mean - f64::from(low)) }
        };
        let noise = noise_of(self.rest, rest).max(noise_of(self.again, again));
        // An axis cannot fail to reach the end at which it rests.
        let margin = (travel * f64::from(MARGIN)).floor();
        let (down, up) = (rest - f64::from(self.range.0), f64::from(self.range.1) - rest);
        let inward = |room: f64| if room > travel * 0.1 { margin as i32 } else { 0 };
        let (low, high) = (self.range.0.saturating_add(inward(down)), self.range.1.saturating_sub(inward(up)));
        let rest = rest.round().clamp(f64::from(low), f64::from(high)) as i32;
        let calibration = Calibration { low, rest, high, noise: noise.round() as i32 };
        let moved = travel >= self.span() * f64::from(TRAVELLED) && calibration.is_whole();
        // An axis resting in the middle most likely goes both ways, so half of its range is not its travel.
        let middle = (f64::from(rest) - f64::from(self.control.min)) / self.span();
        let one_way = self.control.kind == ControlKind::Axis
            && (0.3..0.7).contains(&middle)
            && down.min(up) < travel * f64::from(TRAVELLED);
        // For a stick the shorter side counts, where noise matters most.
        let side = match calibration.rests() {
            Rests::Middle => (high - rest).min(rest - low),
            Rests::Low => high - rest,
            Rests::High => rest - low,
        };
        let side = f64::from(side.max(1));
        let drift = (again - f64::from(rest)).abs() / side;
        // A quarter more than was seen, plus one raw step, since three seconds do not show everything.
        let dead_zone = ((noise / side + drift) * 1.25 + 1.0 / side).min(0.9);
        let hundredths = (dead_zone * 100.0).ceil() / 100.0;
        AxisProposal {
            control: self.control.number,
            name: self.control.name.clone(),
            calibration: (moved && !one_way).then_some(calibration),
            one_way: moved && one_way,
            drift: drift as f32,
            dead_zone: hundredths as f32,
        }
    }
}

impl CalibrationSession {
    /// Begins with hands off.
    #[must_use]
    pub fn new(now: Micros, part: &PartLayout, frame: &Frame) -> Self {
        let kinds = [ControlKind::Axis, ControlKind::Pointer, ControlKind::Button, ControlKind::Key, ControlKind::Hat];
        let controls = part.controls.iter().filter(|control| kinds.contains(&control.kind));
        let seen = controls.map(|control| {
            let control = control.clone();
            let last = control.raw(frame);
            let (rest, again, first) = (NOTHING, NOTHING, None);
            AxisSeen { control, rest, first, again, range: (last, last), pressed: false, last }
        });
        Self { phase: CalibrationPhase::Rest, since: now, done: None, seen: seen.collect(), moved: None }
    }

    /// The present step.
    #[must_use]
    pub fn phase(&self) -> CalibrationPhase {
        self.phase
    }

    /// What moved while hands should have been off.
    #[must_use]
    pub fn moved(&self) -> Option<&str> {
        self.moved.as_deref()
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        match self.phase {
            CalibrationPhase::Rest => Some(self.since.after(REST)),
            CalibrationPhase::LetGo => Some(self.since.after(LET_GO)),
            CalibrationPhase::Travel => self.done.map(|done| done.after(DONE)),
            CalibrationPhase::Proposal => None,
        }
    }

    /// Handles a frame.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        self.handle_time(now);
        let mut moved = None;
        for seen in &mut self.seen {
            let raw = seen.control.raw(frame);
            seen.last = raw;
            if !seen.travels() {
                seen.pressed |= seen.is_off(raw) && self.phase == CalibrationPhase::Travel;
                continue;
            }
            match self.phase {
                CalibrationPhase::Rest => {
                    let first = *seen.first.get_or_insert(raw);
                    let by = (f64::from(raw) - f64::from(first)).abs() / seen.span();
                    // A position has no rest, and may be anywhere.
                    if by > f64::from(MOVED) && seen.control.kind == ControlKind::Axis {
                        moved = Some(seen.control.name.clone());
                    }
                    add(&mut seen.rest, raw);
                }
                CalibrationPhase::LetGo if now.since(self.since) >= FALLS_BACK => add(&mut seen.again, raw),
                _ => {}
            }
            if self.phase != CalibrationPhase::Proposal {
                seen.range = (seen.range.0.min(raw), seen.range.1.max(raw));
            }
        }
        if let Some(name) = moved {
            self.begin_rest(now, Some(name));
        }
        if self.phase == CalibrationPhase::Travel {
            let all = self.seen.iter().all(AxisSeen::is_done);
            self.done = all.then(|| self.done.unwrap_or(now));
        }
    }

    fn begin_rest(&mut self, now: Micros, moved: Option<String>) {
        (self.phase, self.since, self.done, self.moved) = (CalibrationPhase::Rest, now, None, moved);
        for seen in &mut self.seen {
            (seen.rest, seen.again, seen.first) = (NOTHING, NOTHING, None);
            (seen.range, seen.pressed) = ((seen.last, seen.last), false);
        }
    }

    /// Handles the time.
    pub fn handle_time(&mut self, now: Micros) {
        let Some(due) = self.deadline().filter(|due| *due <= now) else { return };
        match self.phase {
            CalibrationPhase::Rest => (self.phase, self.since, self.moved) = (CalibrationPhase::Travel, due, None),
            CalibrationPhase::Travel => self.next(due),
            _ => self.end(),
        }
    }

    fn end(&mut self) {
        // A device that is silent at rest rests where it was last.
        for seen in self.seen.iter_mut().filter(|seen| seen.travels()) {
            if seen.again.3 == 0 {
                add(&mut seen.again, seen.last);
            }
            if seen.rest.3 == 0 {
                seen.rest = seen.again;
            }
        }
        self.phase = CalibrationPhase::Proposal;
    }

    /// Everything was moved: on to hands off.
    pub fn next(&mut self, now: Micros) {
        if self.phase == CalibrationPhase::Travel {
            (self.phase, self.since) = (CalibrationPhase::LetGo, now);
        }
    }

    /// Starts over.
    pub fn again(&mut self, now: Micros) {
        self.begin_rest(now, None);
    }

    /// What would be proposed now, axis by axis.
    #[must_use]
    pub fn proposals(&self) -> Vec<AxisProposal> {
        self.seen.iter().filter(|seen| seen.travels()).map(AxisSeen::propose).collect()
    }

    /// Buttons, keys and hats that nobody has pressed.
    #[must_use]
    pub fn silent(&self) -> Vec<&str> {
        let silent = self.seen.iter().filter(|seen| !seen.travels() && !seen.pressed);
        silent.map(|seen| seen.control.name.as_str()).collect()
    }
}

#[cfg(test)]
#[path = "calibration_tests.rs"]
mod tests;
