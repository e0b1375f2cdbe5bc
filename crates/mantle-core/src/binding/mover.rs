//! Controls without a position of their own, given one: a mouse's counts become a position that a
//! spring pulls back, and positions on a surface handle being left.
//!
//! A mover writes its output into the control's place in the frame, so that everything after it sees an
//! axis. Counts are spread evenly over the time since the previous report, and the spring pulls
//! in proportion; so a steady hand gives a steady deflection at any report rate.

use super::step::Hold;
use crate::control::{Control, ControlKind, PartLayout, Place};
use crate::time::Micros;
use mantle_hid::{Frame, Usage, VALUES, usage, usage::page};
use serde::{Deserialize, Serialize};

/// Full deflection of counts, in the frame.
pub const FULL: i32 = 1_000_000;
/// By default, this many counts within the spring's time are a full deflection.
pub const REACH: f32 = 120.0;
/// The spring's default time.
pub const SPRING: Micros = Micros::millis(100);
/// Reports further apart are no steady movement; the first one's counts are spread over this.
const FAR: Micros = Micros::millis(16);
const FIRST: Micros = Micros::millis(8);
/// While a spring pulls, it is worked out this often; nearer than this, it is in the middle.
const TICK: Micros = Micros::millis(8);
const THERE: f32 = 0.002;

/// The value by which a pointer says that it is there.
const IN_RANGE: Usage = Usage::new(page::DIGITIZER, 0x32);

/// What happens to a position when the surface is left.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Leave {
    /// It returns to the middle.
    #[default]
    Centre,
    /// It stays.
    Hold,
    /// It goes to the nearer end.
    Edge,
}

impl Leave {
    /// All of them, as written.
    pub const ALL: [(&'static str, Self); 3] = [("centre", Self::Centre), ("hold", Self::Hold), ("edge", Self::Edge)];

    /// As written.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, leave)| *leave == self).map_or("", |(word, _)| word)
    }
}

/// How counts in one direction move the position.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pull {
    /// Counts for a full deflection.
    pub reach: f32,
    /// The time in which the spring takes back all but a third; 0 for no spring.
    pub spring: Micros,
}

impl Default for Pull {
    fn default() -> Self {
        Self { reach: REACH, spring: SPRING }
    }
}

/// Counts that become a position.
#[derive(Clone, Debug)]
pub struct Counted {
    value: u8,
    /// Below the middle, and above.
    pull: [Pull; 2],
    centre: Option<Hold>,
    at: f32,
    /// When the last counts came, and until when the spring waits.
    since: Option<Micros>,
    hold: Micros,
}

/// A position that may be left.
#[derive(Clone, Debug)]
pub struct Placed {
    value: u8,
    range: (i32, i32),
    /// The bit that says whether something is there; an out-of-range value always means absent.
    present: Option<u16>,
    leave: Leave,
    last: Option<i32>,
}

/// A mover.
#[derive(Clone, Debug)]
pub enum Mover {
    Counted(Counted),
    Placed(Placed),
}

impl Mover {
    /// For counts; none for a control without a place in the frame.
    pub fn counted(control: &Control, pull: [Pull; 2], centre: Option<Hold>) -> Option<Self> {
        let Place::Value(value) = control.place else { return None };
        Some(Self::Counted(Counted { value, pull, centre, at: 0.0, since: None, hold: FIRST }))
    }

    /// For a position.
    pub fn placed(control: &Control, present: Option<u16>, leave: Leave) -> Option<Self> {
        let Place::Value(value) = control.place else { return None };
        let range = (control.min, control.max);
        Some(Self::Placed(Placed { value, range, present, leave, last: None }))
    }

    /// The value of the frame that it writes.
    pub fn value(&self) -> u8 {
        match self {
            Self::Counted(counted) => counted.value,
            Self::Placed(placed) => placed.value,
        }
    }

    /// Writes the position into a frame. `carried` has a bit for each value in the latest report. Returns false if it is at
    /// rest because nothing is there.
    pub fn handle_frame(&mut self, now: Micros, frame: &mut Frame, carried: u64) -> bool {
        match self {
            Self::Counted(counted) => {
                counted.handle_frame(now, frame, carried);
                true
            }
            Self::Placed(placed) => placed.handle_frame(frame),
        }
    }

    /// When it needs to run again even without a report.
    pub fn deadline(&self) -> Option<Micros> {
        let Self::Counted(counted) = self else { return None };
        let since = counted.since.filter(|_| counted.at != 0.0 && counted.spring() > Micros(0))?;
        Some(since.after(counted.hold).after(TICK))
    }

    /// Returns to the middle.
    pub fn release(&mut self) {
        match self {
            Self::Counted(counted) => (counted.at, counted.since) = (0.0, None),
            Self::Placed(placed) => placed.last = None,
        }
    }
}

impl Counted {
    fn spring(&self) -> Micros {
        self.pull[usize::from(self.at > 0.0)].spring
    }

    fn handle_frame(&mut self, now: Micros, frame: &mut Frame, carried: u64) {
        let place = usize::from(self.value) % VALUES;
        let counts = if carried >> (self.value & 63) & 1 == 1 { frame.values[place] } else { 0 };
        match counts {
            0 => self.relax(now),
            counts => self.count(now, counts),
        }
        if self.centre.as_mut().is_some_and(|centre| centre.handle_frame(frame, 0)) {
            self.at = 0.0;
        }
        frame.values[place] = (self.at * FULL as f32).round() as i32;
    }

    /// The spring pulls from the end of the last movement, in whole ticks, so that reading it changes nothing.
    fn relax(&mut self, now: Micros) {
        let Some(since) = self.since else { return };
        let over = since.after(self.hold);
        let ticks = now.since(over).0 / TICK.0;
        if ticks > 0 {
            self.pull_back(Micros(ticks * TICK.0));
            (self.since, self.hold) = (Some(Micros(over.0 + ticks * TICK.0)), Micros(0));
        }
        if self.at.abs() < THERE && self.spring() > Micros(0) {
            (self.at, self.since, self.hold) = (0.0, None, FIRST);
        }
    }

    fn pull_back(&mut self, passed: Micros) {
        let spring = self.spring();
        if spring > Micros(0) {
            self.at *= (-(passed.0 as f32) / spring.0 as f32).exp();
        }
    }

    fn count(&mut self, now: Micros, counts: i32) {
        let passed = self.since.map(|since| now.since(since)).filter(|passed| *passed <= FAR && self.hold > Micros(0));
        let spread = passed.unwrap_or(FIRST).max(Micros(250));
        if passed.is_none() {
            self.relax(now);
        }
        let pull = self.pull[usize::from(counts > 0)];
        let share = counts as f32 / pull.reach.max(1.0);
        let moved = match pull.spring.0 as f32 {
            0.0 => share,
            spring => {
                self.pull_back(spread);
                let far = spread.0 as f32 / spring;
                share * (1.0 - (-far).exp()) / far
            }
        };
        self.at = (self.at + moved).clamp(-1.0, 1.0);
        (self.since, self.hold) = (Some(now), spread);
    }
}

impl Placed {
    fn handle_frame(&mut self, frame: &mut Frame) -> bool {
        let place = usize::from(self.value) % VALUES;
        let (min, max) = self.range;
        let raw = frame.values[place];
        let middle = ((i64::from(min) + i64::from(max)) / 2) as i32;
        if (min..=max).contains(&raw) && self.present.is_none_or(|bit| frame.bit(bit)) {
            self.last = Some(raw);
            return true;
        }
        frame.values[place] = match (self.leave, self.last) {
            (Leave::Centre, _) | (_, None) => middle,
            (Leave::Hold, Some(last)) => last,
            (Leave::Edge, Some(last)) => {
                if last < middle {
                    min
                } else {
                    max
                }
            }
        };
        self.leave != Leave::Centre && self.last.is_some()
    }
}

/// The bit that says whether something is there: a contact's touch, or a pointer's in-range.
pub(super) fn present_bit(part: &PartLayout, control: &Control) -> Option<u16> {
    let bit = |control: &Control| match control.place {
        Place::Bit(bit) => Some(bit),
        Place::Value(_) => None,
    };
    if control.kind == ControlKind::Contact {
        let touches = |other: &&Control| other.kind == ControlKind::Contact && bit(other).is_some();
        let contact = control.name.rsplit_once(' ').map_or("", |(contact, _)| contact);
        let own = part.controls.iter().filter(touches).find(|other| other.name.eq_ignore_ascii_case(contact));
        // Sheets name their controls freely, so the first touch counts.
        return own.or_else(|| part.controls.iter().find(touches)).and_then(bit);
    }
    [IN_RANGE, usage::TIP_SWITCH].into_iter().find_map(|usage| part.find(usage).and_then(bit))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::control::ControlNumber;

    fn control(min: i32, max: i32) -> Control {
        Control {
            number: ControlNumber(1),
            kind: ControlKind::Relative,
            usage: Usage::new(1, 0x30),
            name: "X".into(),
            place: Place::Value(0),
            min,
            max,
            declared: 0,
            centre_unclear: false,
            plays: None,
            calibration: None,
        }
    }

    fn counted(pull: [Pull; 2]) -> Mover {
        Mover::counted(&control(-127, 127), pull, None).expect("it stands in the frame")
    }

    fn at(mover: &mut Mover, now: Micros, counts: Option<i32>) -> f32 {
        let mut frame = Frame::default();
        frame.values[0] = counts.unwrap_or(77);
        mover.handle_frame(now, &mut frame, u64::from(counts.is_some()));
        frame.values[0] as f32 / FULL as f32
    }

    /// Lowest and highest deflection in the second half of a second, at a steady speed in counts per second.
    fn steady(rate: u64, speed: f64) -> (f32, f32) {
        let mut mover = counted([Pull::default(); 2]);
        let (period, mut moved, mut sent) = (1_000_000 / rate, 0.0, 0i32);
        let (mut least, mut most) = (1.0f32, 0.0f32);
        let mut look = |now: Micros, share: f32| {
            if now > Micros::millis(500) {
                (least, most) = (least.min(share), most.max(share));
            }
        };
        for report in 1..rate {
            let now = Micros(report * period);
            while let Some(due) = mover.deadline().filter(|due| *due <= now) {
                let share = at(&mut mover, due, None);
                look(due, share);
            }
            moved += speed * period as f64 / 1e6;
            let counts = moved as i32 - sent;
            sent += counts;
            // A mouse that has not moved sends nothing.
            if counts != 0 {
                let share = at(&mut mover, now, Some(counts));
                look(now, share);
            }
        }
        (least, most)
    }

    #[test]
    fn a_steady_hand_gives_a_steady_deflection_at_every_report_rate() {
        for speed in [300.0, 600.0, 900.0, 5_000.0] {
            let meant = (speed as f32 * SPRING.0 as f32 / 1e6 / REACH).min(1.0);
            for rate in [125, 500, 1000] {
                let (least, most) = steady(rate, speed);
                let near = |value: f32| (value - meant).abs() <= 0.05 * meant;
                assert!(near(least) && near(most), "{speed} at {rate}: {least} to {most}, meant {meant}");
            }
        }
    }

    #[test]
    fn a_spring_brings_the_stick_back_to_rest() {
        let mut mover = counted([Pull::default(); 2]);
        assert!(at(&mut mover, Micros::millis(10), Some(60)) > 0.4);
        let mut now = Micros(0);
        let mut last = 1.0;
        while let Some(due) = mover.deadline() {
            let share = at(&mut mover, due, None);
            assert!(share < last, "at {due:?}: {share} after {last}");
            (now, last) = (due, share);
        }
        assert_eq!(last, 0.0);
        assert!(now < Micros::millis(900), "{now:?}");
    }

    #[test]
    fn extra_looks_change_nothing() {
        let (mut calm, mut nervous) = (counted([Pull::default(); 2]), counted([Pull::default(); 2]));
        for mover in [&mut calm, &mut nervous] {
            at(mover, Micros::millis(10), Some(90));
        }
        for look in 0..200 {
            at(&mut nervous, Micros(10_000 + look * 777), None);
        }
        let (a, b) = (at(&mut calm, Micros::millis(170), None), at(&mut nervous, Micros::millis(170), None));
        assert!((a - b).abs() < 1e-4, "{a} and {b}");
    }

    #[test]
    fn without_a_spring_it_steers_with_a_separate_reach_per_direction() {
        let slow = Pull { reach: 400.0, spring: Micros(0) };
        let mut mover = counted([slow, Pull { reach: 100.0, ..slow }]);
        assert_eq!(at(&mut mover, Micros::millis(1), Some(50)), 0.5);
        assert_eq!(at(&mut mover, Micros::seconds(9), None), 0.5, "it stays");
        assert_eq!(at(&mut mover, Micros::seconds(10), Some(-100)), 0.25);
        assert_eq!(mover.deadline(), None);
        mover.release();
        assert_eq!(at(&mut mover, Micros::seconds(11), None), 0.0);
    }

    #[test]
    fn the_counts_of_a_report_are_used_once() {
        let mut mover = counted([Pull { spring: Micros(0), ..Pull::default() }; 2]);
        let first = at(&mut mover, Micros(10), Some(12));
        for later in 0..5 {
            assert_eq!(at(&mut mover, Micros(20 + later), None), first);
        }
    }

    #[test]
    fn lifting_the_finger_holds_centres_or_goes_to_the_edge() {
        for (leave, meant) in [(Leave::Hold, 900), (Leave::Centre, 500), (Leave::Edge, 1000)] {
            let mut mover = Mover::placed(&control(0, 1000), Some(3), leave).expect("it stands in the frame");
            let mut put = |raw: i32, there: bool| {
                let mut frame = Frame::default();
                frame.values[0] = raw;
                frame.set_bit(3, there);
                mover.handle_frame(Micros(0), &mut frame, 1);
                frame.values[0]
            };
            assert_eq!(put(0, false), 500, "before it was ever there");
            assert_eq!(put(900, true), 900);
            assert_eq!((put(0, false), put(-1, true)), (meant, meant), "{leave:?}");
        }
    }
}
