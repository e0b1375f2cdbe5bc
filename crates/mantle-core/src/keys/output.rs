//! The *keys* output of a slot: bindings become keys that go down and up, a pointer that moves, a wheel
//! that turns.
//!
//! Motion is computed in whole steps of time given by the clock alone, so that it does not depend
//! on a device's report rate. Held-back keys are released at once, and go down again only when freshly pressed.

use crate::keys::{KeyAct, KeyTarget, ProgramAction};
use crate::time::Micros;
use std::collections::VecDeque;

/// Fractions per count of the pointer, or per step of the wheel.
pub const COUNT: i64 = 1_000_000_000;

/// The speeds of pointer and wheel.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Pace {
    /// Counts per second with a stick at its end.
    pub speed: f32,
    /// Wheel steps per second.
    pub wheel: f32,
    /// The share of its travel up to which a stick does not move the pointer.
    pub dead_zone: f32,
}

impl Default for Pace {
    fn default() -> Self {
        Self { speed: 1_000.0, wheel: 12.0, dead_zone: 0.12 }
    }
}

/// How often pointer and wheel move while they move.
pub const STEP: Micros = Micros::millis(8);

/// The most events in one frame, without the sync at its end.
pub const STROKES: usize = 12;

/// What is typed at one moment: event types, codes, values.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Typed {
    places: [(u16, u16, i32); STROKES],
    len: usize,
}

impl Typed {
    /// The events, in order.
    #[must_use]
    pub fn events(&self) -> &[(u16, u16, i32)] {
        &self.places[..self.len]
    }
}

#[derive(Clone, Copy, Debug)]
struct KeyState {
    stroke: KeyTarget,
    /// How far it is pressed.
    wants: f32,
    /// A key that is down.
    down: bool,
    /// It was pressed when it was held back, and has to be released first.
    stale: bool,
    /// It may no longer be typed: it comes up, and is forgotten.
    gone: bool,
}

/// Something that moves: the distance still owed, and its speed.
#[derive(Clone, Copy, Debug, Default)]
struct Moving {
    owed: i64,
    rate: i64,
}

/// Everything a slot types.
#[derive(Clone, Debug, Default)]
pub struct KeyOutput {
    own: Vec<KeyState>,
    pace: Pace,
    /// X, Y, wheel up and down, wheel right and left.
    moving: [Moving; 4],
    /// Movement that is less than a whole count so far, for the same four.
    drawn: [i64; 4],
    since: Micros,
    held_back: bool,
    /// Typed and not taken yet.
    typed: VecDeque<(Micros, Typed)>,
    /// Actions asked of the program and not taken yet.
    wishes: Vec<ProgramAction>,
}

/// Which of the four a code moves.
fn lane(act: KeyAct) -> Option<(usize, f32)> {
    match act {
        KeyAct::Motion(code, way) => Some((usize::from(code & 1), f32::from(way))),
        KeyAct::Wheel(8, way) => Some((2, f32::from(way))),
        KeyAct::Wheel(_, way) => Some((3, f32::from(way))),
        KeyAct::Key(_) | KeyAct::Button(_) | KeyAct::ProgramAction(_) => None,
    }
}

/// The codes of the four.
const CODES: [u16; 4] = [0, 1, 8, 6];

impl KeyOutput {
    /// An output that types only these; what the previous one holds down stays, or is released with the first
    /// frame handled.
    #[must_use]
    pub fn new(strokes: &[KeyTarget], pace: Pace, before: Option<&Self>, held_back: bool) -> Self {
        let mut out = Self { pace, held_back, ..Self::default() };
        if let Some(before) = before {
            out.typed.clone_from(&before.typed);
            (out.moving, out.since) = (before.moving, before.since);
        }
        let own = before.map_or(&[][..], |before| &before.own);
        for stroke in strokes {
            let known = own.iter().find(|own| own.stroke == *stroke);
            let fresh = KeyState { stroke: *stroke, wants: 0.0, down: false, stale: false, gone: false };
            out.own.push(known.map_or(fresh, |own| KeyState { gone: false, ..*own }));
        }
        let dropped = own.iter().filter(|own| own.down && !strokes.contains(&own.stroke));
        out.own.extend(dropped.map(|own| KeyState { gone: true, ..*own }));
        out.typed.reserve(64);
        out.wishes.reserve(8);
        out
    }

    /// How the pointer and the wheel move.
    #[must_use]
    pub fn pace(&self) -> Pace {
        self.pace
    }

    /// Restricts what it may type.
    pub fn strokes(&self) -> impl Iterator<Item = (KeyTarget, f32)> + '_ {
        let own = self.own.iter().filter(|own| !own.gone);
        own.map(|own| (own.stroke, if own.stale { 0.0 } else { own.wants }))
    }

    /// When pointer or wheel move next.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        let moves = self.moving.iter().any(|moving| moving.rate != 0);
        moves.then(|| Micros((self.since.0 / STEP.0 + 1) * STEP.0))
    }

    /// Holds typing back, or resumes it.
    pub fn hold_back(&mut self, now: Micros, held: bool) {
        if self.held_back != held {
            self.held_back = held;
            if !held {
                self.own.iter_mut().for_each(|own| own.stale |= own.wants > 0.0);
            }
            self.write(now);
        }
    }

    /// Takes what the bindings give; of several that press one key, the furthest counts.
    pub fn handle<'a>(&mut self, now: Micros, given: impl Iterator<Item = &'a (KeyTarget, f32)>) {
        self.own.iter_mut().for_each(|own| own.wants = 0.0);
        for (stroke, share) in given {
            if let Some(own) = self.own.iter_mut().find(|own| own.stroke == *stroke) {
                own.wants = own.wants.max(*share);
            }
        }
        self.write(now);
    }

    /// A finger, a mouse or motion moves pointer or wheel by fractions of a count; written with the next
    /// frame handled.
    pub fn draw(&mut self, stroke: KeyTarget, parts: i64) {
        let may = self.own.iter().any(|own| own.stroke == stroke && !own.gone);
        if let Some((lane, way)) = lane(stroke.act()).filter(|_| may && !self.held_back) {
            self.drawn[lane] += parts * way as i64;
        }
    }

    fn write(&mut self, now: Micros) {
        let mut typed = Typed::default();
        self.advance(now, &mut typed);
        for (lane, code) in CODES.into_iter().enumerate() {
            let counts = self.drawn[lane] / COUNT;
            if counts != 0 {
                self.drawn[lane] -= counts * COUNT;
                self.put(now, &mut typed, (2, code, counts as i32));
            }
        }
        for at in 0..self.own.len() {
            let own = &mut self.own[at];
            own.stale &= own.wants > 0.0;
            let wants = own.wants > 0.0 && !own.stale && !own.gone;
            // The program's own actions work even while nothing is typed.
            let down = wants && (!self.held_back || !own.stroke.types());
            if down == own.down {
                continue;
            }
            own.down = down;
            match own.stroke.act() {
                KeyAct::Key(code) | KeyAct::Button(code) => {
                    self.put(now, &mut typed, (1, code, i32::from(down)));
                }
                KeyAct::ProgramAction(wish) if down && self.wishes.len() < 8 => self.wishes.push(wish),
                _ => {}
            }
        }
        self.own.retain(|own| !own.gone);
        self.set_rates(now, &mut typed);
        if typed.len > 0 {
            self.typed.push_back((now, typed));
        }
    }

    /// More than a frame holds becomes two frames.
    fn put(&mut self, now: Micros, typed: &mut Typed, event: (u16, u16, i32)) {
        if typed.len == STROKES {
            self.typed.push_back((now, std::mem::take(typed)));
        }
        typed.places[typed.len] = event;
        typed.len += 1;
    }

    /// The movement until now, written at whole steps of time.
    fn advance(&mut self, now: Micros, typed: &mut Typed) {
        let passed = now.since(self.since).0.min(1_000_000) as i64;
        let writes = now.0 / STEP.0 != self.since.0 / STEP.0;
        self.since = now;
        for (at, code) in CODES.into_iter().enumerate() {
            let moving = &mut self.moving[at];
            moving.owed += moving.rate * passed;
            let counts = moving.owed / COUNT;
            if writes && counts != 0 {
                moving.owed -= counts * COUNT;
                self.put(now, typed, (2, code, counts as i32));
            }
        }
    }

    fn set_rates(&mut self, now: Micros, typed: &mut Typed) {
        let mut ways = [0.0f32; 4];
        for own in &self.own {
            if let Some((lane, way)) = lane(own.stroke.act()).filter(|_| !own.stale && !own.gone && !self.held_back) {
                ways[lane] += way * own.wants;
            }
        }
        let [x, y, up, right] = ways;
        // As a plane, by the square of the deflection, so that small movements can be aimed.
        let far = x.hypot(y);
        let free = ((far - self.pace.dead_zone) / (1.0 - self.pace.dead_zone)).clamp(0.0, 1.0);
        let pull = if far > 0.0 { free * free * self.pace.speed / far } else { 0.0 };
        let rates = [x * pull, y * pull, up * self.pace.wheel, right * self.pace.wheel];
        for (at, rate) in rates.into_iter().enumerate() {
            let rate = (rate * 1_000.0).round() as i64;
            let before = std::mem::replace(&mut self.moving[at].rate, rate);
            if rate == 0 || (before < 0) != (rate < 0) {
                self.moving[at].owed = 0;
            }
            // A wheel that starts turning turns at once.
            if at >= 2 && before == 0 && rate != 0 {
                self.put(now, typed, (2, CODES[at], rate.signum() as i32));
            }
        }
    }

    /// What was typed, oldest first.
    pub fn take(&mut self) -> Option<(Micros, Typed)> {
        self.typed.pop_front()
    }

    /// Actions asked of the program, oldest first.
    pub fn take_action(&mut self) -> Option<ProgramAction> {
        if self.wishes.is_empty() { None } else { Some(self.wishes.remove(0)) }
    }

    /// Whether there is anything to take.
    #[must_use]
    pub fn has_actions(&self) -> bool {
        !self.wishes.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn stroke(name: &str) -> KeyTarget {
        KeyTarget::named(name).expect("there is one")
    }

    fn key_output(names: &[&str]) -> KeyOutput {
        let strokes: Vec<KeyTarget> = names.iter().map(|name| stroke(name)).collect();
        KeyOutput::new(&strokes, Pace::default(), None, false)
    }

    fn taken(key_output: &mut KeyOutput) -> Vec<(u16, u16, i32)> {
        std::iter::from_fn(|| key_output.take()).flat_map(|(_, typed)| typed.events().to_vec()).collect()
    }

    #[test]
    fn a_key_goes_down_and_up_once() {
        let mut key_output = key_output(&["key A"]);
        let a = [(stroke("key A"), 1.0)];
        key_output.handle(Micros(10), a.iter());
        key_output.handle(Micros(20), a.iter());
        assert_eq!(taken(&mut key_output), [(1, 30, 1)]);
        key_output.handle(Micros(30), [].iter());
        assert_eq!(taken(&mut key_output), [(1, 30, 0)]);
    }

    #[test]
    fn held_back_keys_are_released_and_need_a_fresh_press() {
        let mut key_output = key_output(&["key A"]);
        let a = [(stroke("key A"), 1.0)];
        key_output.handle(Micros(10), a.iter());
        key_output.hold_back(Micros(20), true);
        assert_eq!(taken(&mut key_output), [(1, 30, 1), (1, 30, 0)]);
        key_output.handle(Micros(30), a.iter());
        key_output.hold_back(Micros(40), false);
        key_output.handle(Micros(50), a.iter());
        assert_eq!(taken(&mut key_output), []);
        key_output.handle(Micros(60), [].iter());
        key_output.handle(Micros(70), a.iter());
        assert_eq!(taken(&mut key_output), [(1, 30, 1)]);
    }

    #[test]
    fn revoking_permission_releases_keys() {
        let mut key_output = key_output(&["key A", "key B"]);
        let both = [(stroke("key A"), 1.0), (stroke("key B"), 1.0)];
        key_output.handle(Micros(10), both.iter());
        taken(&mut key_output);
        let mut next = KeyOutput::new(&[stroke("key B")], Pace::default(), Some(&key_output), false);
        next.handle(Micros(20), both.iter());
        assert_eq!(taken(&mut next), [(1, 30, 0)]);
    }

    #[test]
    fn a_wheel_turns_at_once_then_at_its_own_rate() {
        let mut key_output = key_output(&["wheel up"]);
        let up = [(stroke("wheel up"), 1.0)];
        key_output.handle(Micros(0), up.iter());
        assert_eq!(taken(&mut key_output), [(2, 8, 1)]);
        let mut turned = 0;
        while let Some(due) = key_output.deadline().filter(|due| *due <= Micros::seconds(2)) {
            key_output.handle(due, up.iter());
            turned += taken(&mut key_output).iter().map(|(_, _, value)| value).sum::<i32>();
        }
        assert_eq!(turned, 24);
    }

    /// Counts to the right within a second, for a stick's deflection and this report interval.
    fn moved(share: f32, apart: Micros) -> i32 {
        let mut key_output = key_output(&["mouse right"]);
        let right = [(stroke("mouse right"), share)];
        let (mut x, mut report, mut counts) = (Micros(0), Micros(0), 0);
        while x < Micros::seconds(1) {
            x = report.min(key_output.deadline().unwrap_or(report));
            report = if x == report { report.after(apart) } else { report };
            key_output.handle(x, right.iter());
            counts += taken(&mut key_output).iter().map(|(_, _, value)| value).sum::<i32>();
        }
        counts
    }

    #[test]
    fn pointer_speed_grows_quadratically_outside_the_dead_zone() {
        let rate = Micros::millis(4);
        assert_eq!(moved(0.1, rate), 0);
        assert!((moved(1.0, rate) - 1000).abs() <= 8);
        assert!((moved(0.56, rate) - 250).abs() <= 8);
    }

    proptest! {
        #[test]
        fn pointer_distance_is_independent_of_report_rate(share in 0.0f32..1.0, apart in 1u64..20_000) {
            let often = moved(share, Micros(500));
            prop_assert!((moved(share, Micros(apart)) - often).abs() <= 1);
        }

        #[test]
        fn every_pressed_key_is_released_in_the_end(
            steps in prop::collection::vec((0usize..3, any::<bool>(), 0u8..4), 1..60),
        ) {
            let names = ["key A", "mouse button left", "mouse up"];
            let mut key_output = key_output(&names);
            let mut down = [0.0f32; 3];
            let mut keys = std::collections::BTreeMap::new();
            let mut now = Micros(0);
            for (which, press, act) in steps {
                now = now.after(Micros::millis(3));
                match act {
                    0 => key_output.hold_back(now, press),
                    1 => key_output = KeyOutput::new(&[stroke(names[which])], Pace::default(), Some(&key_output), false),
                    _ => down[which] = f32::from(u8::from(press)),
                }
                let given: Vec<_> = names.iter().zip(down).map(|(name, share)| (stroke(name), share)).collect();
                key_output.handle(now, given.iter());
                for (kind, code, value) in taken(&mut key_output) {
                    if kind == 1 {
                        prop_assert_ne!(keys.insert(code, value).unwrap_or(0), value, "pressed or let go twice");
                    }
                }
            }
            key_output.handle(now.after(Micros(1)), [].iter());
            for (kind, code, value) in taken(&mut key_output) {
                if kind == 1 {
                    keys.insert(code, value);
                }
            }
            prop_assert!(keys.values().all(|value| *value == 0), "{:?}", keys);
            prop_assert_eq!(key_output.deadline(), None);
        }
    }
}
