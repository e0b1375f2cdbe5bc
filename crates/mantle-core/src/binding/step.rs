//! One rule at work: what its source gives, and what becomes of that over time.

use super::beat::Beat;
use super::drag::{Finger, Region, lies_in};
use super::lanes::Line;
use super::mover::FULL;
use super::{How, Options, PRESS, Target};
use crate::control::{Control, ControlKind, Place, hat_directions};
use crate::time::Micros;
use mantle_hid::{Frame, VALUES, WORDS};

/// Closer to an edge than this counts as reached: shares are rounded, and 40 % of a travel is 40 %.
const NEARLY: f32 = 1e-4;
/// How long a tap is pressed, unless the rule says longer.
const TAPPED: Micros = Micros::millis(50);
/// A finger that has moved this far across the surface has not tapped it.
const DRAWN: f32 = 0.05;
/// How often something that moves by itself is worked out.
const TICK: Micros = Micros::millis(8);

/// A raw value's place in the frame.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum StepSource {
    Bit { word: u8, bit: u8 },
    Value(u8),
}

impl StepSource {
    #[inline]
    pub fn raw(self, frame: &Frame) -> i32 {
        match self {
            Self::Bit { word, bit } => (frame.bits[usize::from(word) % WORDS] >> (bit & 63) & 1) as i32,
            Self::Value(value) => frame.values[usize::from(value) % VALUES],
        }
    }
}

/// Where a share comes from.
#[derive(Clone, Copy, Debug)]
pub enum Input {
    Bit { word: u8, bit: u8 },
    Whole(Line),
    Half(Line, f32),
    Direction { value: u8, min: i32, max: i32, mask: u32 },
}

impl Input {
    /// A control that the device lacks: always at rest.
    pub const NOTHING: Self = Self::Direction { value: 0, min: 0, max: 0, mask: 0 };

    pub fn new(control: &Control, how: How) -> Self {
        match (control.place, how) {
            (Place::Bit(bit), _) => Self::Bit { word: (bit / 64) as u8, bit: (bit % 64) as u8 },
            (Place::Value(value), How::Direction(mask)) => {
                Self::Direction { value, min: control.min, max: control.max, mask: u32::from(mask) }
            }
            (Place::Value(value), How::LowerHalf | How::UpperHalf) if control.kind == ControlKind::Relative => {
                Self::Half(Line::position(value, FULL), if how == How::LowerHalf { -1.0 } else { 1.0 })
            }
            (Place::Value(value), How::LowerHalf) => Self::Half(Line::centred(control, value), -1.0),
            (Place::Value(value), How::UpperHalf) => Self::Half(Line::centred(control, value), 1.0),
            (Place::Value(value), How::Down | How::Travel) => Self::Whole(Line::travel(control, value)),
        }
    }

    /// What it depends on in the frame.
    pub fn source(&self) -> StepSource {
        match *self {
            Self::Bit { word, bit } => StepSource::Bit { word, bit },
            Self::Whole(line) | Self::Half(line, _) => StepSource::Value(line.value()),
            Self::Direction { value, .. } => StepSource::Value(value),
        }
    }

    /// Whether it has only two states.
    fn is_digital(&self) -> bool {
        matches!(self, Self::Bit { .. } | Self::Direction { .. })
    }

    /// Its share of full travel, 0 to 1. A value whose bit is set in `blocked` is at rest, which gives none.
    #[inline]
    fn share(&self, frame: &Frame, blocked: u64) -> Option<f32> {
        let source = self.source();
        if matches!(source, StepSource::Value(value) if blocked >> (value & 63) & 1 == 1) {
            return None;
        }
        let raw = source.raw(frame);
        Some(match *self {
            Self::Bit { .. } => raw as f32,
            Self::Whole(line) => line.share(raw, true),
            Self::Half(line, sign) => (line.share(raw, false) * sign).max(0.0),
            Self::Direction { min, max, mask, .. } => f32::from(u8::from(hat_directions(min, max, raw) & mask != 0)),
        })
    }
}

/// A control that has to be held.
#[derive(Clone, Copy, Debug)]
pub struct Hold {
    pub input: Input,
    down: bool,
}

impl Hold {
    pub fn new(input: Input) -> Self {
        Self { input, down: false }
    }

    /// Whether it was held in the last frame.
    pub fn is_down(&self) -> bool {
        self.down
    }

    /// Whether it is held in this frame.
    #[inline]
    pub fn handle_frame(&mut self, frame: &Frame, blocked: u64) -> bool {
        let share = self.input.share(frame, blocked).unwrap_or(0.0);
        self.down = share + NEARLY >= if self.down { PRESS.1 } else { PRESS.0 };
        self.down
    }

    pub fn release(&mut self) {
        self.down = false;
    }
}

/// A rule at work.
#[derive(Clone, Debug)]
pub(super) struct BindingStep {
    input: Input,
    pub target: Target,
    /// Whether something it depends on has changed since it was worked out.
    pub stale: bool,
    /// When it has to be worked out again even without a report.
    pub due: Option<Micros>,
    /// The sets of layers in which it is active, one bit each.
    visible: u16,
    /// Whether it gives only rest or full.
    digital: bool,
    press: (f32, f32),
    inverted: bool,
    sensitivity: f32,
    ramp: Micros,
    toggle: bool,
    shortest: Micros,
    beat: Beat,
    with: Vec<Hold>,
    threshold: f32,
    tap: Micros,
    spot: Option<Spot>,
    state: StepState,
}

/// Where on a surface it can be pressed.
#[derive(Clone, Debug)]
pub(super) struct Spot {
    pub finger: Finger,
    /// Only in this region, if there is one.
    pub inside: Option<Region>,
    /// Not in these regions, which belong to other rules.
    pub outside: Vec<Region>,
}

impl Spot {
    fn takes(&self, at: Option<[f32; 2]>) -> bool {
        let lies = |region: &Region| at.is_some_and(|at| lies_in(at, *region));
        self.inside.as_ref().is_none_or(lies) && !self.outside.iter().any(lies)
    }
}

/// The distance between two places.
fn far([x, y]: [f32; 2], [other_x, other_y]: [f32; 2]) -> f32 {
    (x - other_x).hypot(y - other_y)
}

/// Its memory.
#[derive(Clone, Copy, Debug, Default)]
struct StepState {
    down: bool,
    /// Whether it is toggled on.
    on: bool,
    /// Whether it is pressed, and the earliest moment of release.
    until: Option<Micros>,
    /// Since when a repeated press is on, and when it changes next.
    beats: Option<Micros>,
    beat_due: Option<Micros>,
    /// Where its ramp started, when, and where it is going.
    from: u64,
    set_out: Micros,
    goal: u64,
    /// Its last result, when that was worked out, and since when it has been off its rest.
    gives: f32,
    seen: Micros,
    since: Micros,
    /// Pressed where it does not count; it has to be released first.
    elsewhere: bool,
    /// When it went down, and where the finger was.
    down_at: Micros,
    touched: Option<[f32; 2]>,
}

impl BindingStep {
    pub fn new(
        input: Input,
        target: Target,
        visible: u16,
        options: &Options,
        with: Vec<Hold>,
        spot: Option<Spot>,
    ) -> Self {
        let takes_travel = target.travels();
        let beat = Beat::new(options);
        Self {
            input,
            target,
            stale: true,
            due: None,
            visible,
            digital: input.is_digital()
                || options.press.is_some()
                || options.toggle
                || options.tap > Micros(0)
                || beat.is_there()
                || !takes_travel,
            press: options.press.unwrap_or(PRESS),
            inverted: options.inverted,
            sensitivity: options.sensitivity,
            ramp: if takes_travel { options.ramp } else { Micros(0) },
            toggle: options.toggle,
            shortest: options.shortest,
            beat,
            with,
            threshold: options.threshold,
            tap: options.tap,
            spot,
            state: StepState::default(),
        }
    }

    /// Works out its result for this frame, in the set of layers with this bit.
    #[inline]
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame, blocked: u64, layers: u16) {
        let visible = self.visible & layers != 0;
        let mut held = true;
        for hold in &mut self.with {
            // Each has its own memory, so none is skipped.
            held &= hold.handle_frame(frame, blocked);
        }
        let share = match self.input.share(frame, blocked) {
            Some(share) => {
                let share = if self.inverted { 1.0 - share } else { share };
                (above(self.threshold, share) * self.sensitivity).min(1.0)
            }
            None => 0.0,
        };
        let gives = if self.digital {
            self.press(now, share, held, visible, frame)
        } else if visible && held {
            share
        } else {
            0.0
        };
        let was_off = self.is_off();
        let gives = if self.ramp == Micros(0) { gives } else { self.move_towards(now, gives) };
        if !was_off && (gives > 0.0 || self.state.goal > 0) {
            self.state.since = now;
        }
        (self.state.gives, self.state.seen) = (gives, now);
    }

    #[inline]
    fn press(&mut self, now: Micros, share: f32, held: bool, visible: bool, frame: &Frame) -> f32 {
        let before = self.state.down;
        self.state.down = held && share + NEARLY >= if before { self.press.1 } else { self.press.0 };
        let holds = if self.spot.is_some() || self.tap > Micros(0) {
            self.press_there(now, before, visible, frame)
        } else {
            if visible && self.state.down && !before {
                self.begin(now, self.shortest);
            }
            self.state.down
        };
        let state = &mut self.state;
        state.until = state.until.filter(|until| *until > now);
        let mut is_on = if self.toggle { state.on } else { visible && holds || state.until.is_some() };
        if self.beat.is_there() {
            is_on = self.beats(now, is_on);
        }
        f32::from(u8::from(is_on))
    }

    /// Its state at this moment while it is on, if that varies.
    #[cold]
    fn beats(&mut self, now: Micros, is_on: bool) -> bool {
        let state = &mut self.state;
        if !is_on {
            (state.beats, state.beat_due) = (None, None);
            return false;
        }
        let began = *state.beats.get_or_insert(now);
        let (pressed, next) = self.beat.at(now.since(began));
        state.beat_due = next.map(|next| began.after(next));
        pressed
    }

    /// A press counts: it toggles, and lasts for its shortest time.
    #[inline]
    fn begin(&mut self, now: Micros, least: Micros) {
        self.state.on = !self.state.on;
        self.state.until = (least > Micros(0)).then(|| now.after(least));
    }

    /// Handles presses whose place or duration matters. Returns whether it is held.
    #[cold]
    fn press_there(&mut self, now: Micros, before: bool, visible: bool, frame: &Frame) -> bool {
        let finger = self.spot.as_ref().and_then(|spot| spot.finger.at(frame));
        let is_tap = self.tap > Micros(0);
        let state = &mut self.state;
        if state.down && !before {
            state.elsewhere = self.spot.as_ref().is_some_and(|spot| !spot.takes(finger));
            (state.down_at, state.touched) = (now, finger);
        }
        // A moving finger does not tap.
        state.elsewhere |= is_tap && state.touched.zip(finger).is_some_and(|(from, to)| far(from, to) > DRAWN);
        let tapped = before && !state.down && now.since(state.down_at) <= self.tap;
        let counts = if is_tap { tapped } else { state.down && !before };
        let holds = state.down && !state.elsewhere && !is_tap;
        if visible && counts && !state.elsewhere {
            self.begin(now, if is_tap { self.shortest.max(TAPPED) } else { self.shortest });
        }
        holds
    }

    /// What else it depends on in the frame: how a finger moves while it is down.
    pub fn follows(&self) -> impl Iterator<Item = StepSource> {
        let finger = self.spot.as_ref().filter(|_| self.tap > Micros(0)).map(|spot| spot.finger);
        finger.into_iter().flat_map(|finger| finger.sources())
    }

    /// Moves at its ramp's speed, in whole microseconds. Its position depends only on when it started, so
    /// reading it changes nothing.
    fn move_towards(&mut self, now: Micros, goal: f32) -> f32 {
        let goal = (goal * self.ramp.0 as f32).round() as u64;
        let level = self.level_at(now);
        if goal != self.state.goal {
            (self.state.from, self.state.set_out, self.state.goal) = (level, now, goal);
        }
        level as f32 / self.ramp.0 as f32
    }

    fn level_at(&self, now: Micros) -> u64 {
        let StepState { from, goal, set_out, .. } = self.state;
        let passed = now.since(set_out).0;
        // It stands still between two ticks.
        let moved = if passed < from.abs_diff(goal) { passed - passed % TICK.0 } else { passed };
        if from < goal { from.saturating_add(moved).min(goal) } else { from.saturating_sub(moved).max(goal) }
    }

    /// When it has to be worked out again even without a report: at the next tick, or on arrival.
    pub fn deadline(&self) -> Option<Micros> {
        let StepState { from, goal, set_out, seen, until, beat_due, .. } = self.state;
        let far = from.abs_diff(goal);
        let passed = seen.since(set_out).0;
        let next = (passed < far).then(|| set_out.after(Micros(far.min(passed - passed % TICK.0 + TICK.0))));
        until.into_iter().chain(next).chain(beat_due).min()
    }

    /// Presses that were due before `overdue` are skipped.
    pub fn catch_up(&mut self, now: Micros, overdue: Micros) {
        if self.state.beat_due.is_some_and(|due| due < overdue) {
            self.state.beat_due = Some(now);
            self.due = self.deadline();
        }
    }

    /// Its last result, and since when it has been off its rest.
    pub fn gives(&self) -> (f32, Micros) {
        (self.state.gives, self.state.since)
    }

    /// Whether it is off its rest, or on its way.
    pub fn is_off(&self) -> bool {
        self.state.gives > 0.0 || self.state.goal > 0
    }

    /// Releases everything; toggles go off.
    pub fn release(&mut self) {
        (self.state, self.due) = (StepState::default(), None);
        self.with.iter_mut().for_each(Hold::release);
    }
}

/// The share above a threshold, scaled; without a threshold, the whole share.
#[inline]
pub(super) fn above(threshold: f32, share: f32) -> f32 {
    if threshold == 0.0 { share } else { ((share - threshold) / (1.0 - threshold)).max(0.0) }
}
