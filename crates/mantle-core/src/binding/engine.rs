//! A profile at work on one part: each set of layers compiled, plus the rules that need more than that.
//!
//! Bindings without memory and options run as [`Compiled`], compiled for each set of layers that can be on, so that
//! layers cost a lookup of what holds them. The others are steps. A step is worked out only when something it depends on
//! has changed, and the combined result is kept until then.

use super::compiled::More;
use super::drag::Drag;
use super::fold::{Fold, Given, Opposed, give};
use super::mover::Mover;
use super::step::{BindingStep, Hold, StepSource};
use super::{BindingNumber, Compiled, Contribution, Opposite, Pressed, Target};
use crate::keys::KeyTarget;
use crate::time::Micros;
use mantle_hid::{Frame, VALUES, WORDS};

/// A control that turns a layer on.
#[derive(Clone, Debug)]
pub(super) struct Switch {
    pub(super) hold: Hold,
    pub(super) toggle: bool,
    pub(super) on: bool,
}

/// Something in the frame that steps depend on.
#[derive(Clone, Debug)]
pub(super) struct WatchedPlace<S> {
    /// Where it is: a [`StepSource`], or the number of a value.
    pub(super) source: S,
    /// Its state when the steps were last worked out.
    pub(super) last: i32,
    /// The steps, each with its fold.
    pub(super) steps: Vec<(u16, u16)>,
}

/// Everything the steps depend on.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) struct Under {
    layers: usize,
    blocked: u64,
}

impl Under {
    /// No set of layers equals this, so the first frame always counts as a change.
    const NOTHING: Self = Self { layers: usize::MAX, blocked: 0 };
}

impl Default for Under {
    fn default() -> Self {
        Self::NOTHING
    }
}

/// A profile at work.
#[derive(Clone, Debug, Default)]
pub struct Engine {
    pub(super) switches: Vec<Switch>,
    pub(super) sets: Vec<Compiled>,
    /// What the buttons last pressed, for the set of layers that was on.
    pub(super) pressed: Pressed,
    pub(super) steps: Vec<BindingStep>,
    pub(super) folds: Vec<Fold>,
    /// Bits are read when one has changed, values with every report.
    pub(super) watched: Vec<WatchedPlace<StepSource>>,
    pub(super) watched_values: Vec<WatchedPlace<u8>>,
    /// Controls that are given a position.
    pub(super) movers: Vec<Mover>,
    /// Sources that move the pointer.
    pub(super) drags: Vec<Drag>,
    /// Whether there are any of these two.
    pub(super) moves: bool,
    /// Whether a layer is held by something other than a bit.
    pub(super) held_by_value: bool,
    /// The frame's bits when last read, and those that are watched.
    pub(super) bits: [u64; WORDS],
    pub(super) watched_bits: [u64; WORDS],
    /// The combined result of the steps, axis by axis and button by button.
    pub(super) given: Contribution,
    pub(super) given_more: More,
    /// Whether any of it plays something the common pad lacks.
    pub(super) plays_more: bool,
    /// What the *keys* output gets, and whether that has changed since it was last asked for.
    pub(super) strokes: Vec<(KeyTarget, f32)>,
    pub(super) strokes_moved: bool,
    /// Whether the next wake-up has changed since it was last asked for.
    pub(super) due_moved: bool,
    pub(super) axes: Vec<Opposed>,
    /// Layers and blocked values when the steps were last worked out.
    pub(super) under: Under,
    pub(super) due: Option<Micros>,
    /// The binding of each step.
    pub(super) numbers: Vec<BindingNumber>,
    /// The bindings in each compiled set.
    pub(super) plain: Vec<Vec<BindingNumber>>,
    pub(super) opposite: Opposite,
    /// Cosine and sine of each stick's turn; none if neither is turned.
    pub(super) turn: Option<[(f32, f32); 2]>,
    /// The layers that are on, one bit each: held by this part, held by the player's other devices, and both.
    pub(super) own_layers: usize,
    pub(super) shared: usize,
    pub(super) layers: usize,
}

impl Engine {
    /// Whether only the first compiled set needs to run.
    #[must_use]
    pub fn simple(&self) -> Option<&Compiled> {
        let simple = self.steps.is_empty() && self.switches.is_empty() && self.drags.is_empty() && self.turn.is_none();
        self.sets.first().filter(|_| simple)
    }

    /// The combined result of this frame, before feel. Values whose bit is set in `blocked` count as at rest;
    /// `carried` has a bit for each value in the latest report.
    #[inline]
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame, carried: u64, blocked: u64) -> Contribution {
        if self.moves { self.handle_moving(now, frame, carried, blocked) } else { self.run(now, frame, blocked) }
    }

    /// The same with controls that move by themselves.
    #[cold]
    fn handle_moving(&mut self, now: Micros, frame: &Frame, carried: u64, blocked: u64) -> Contribution {
        let before = self.motion_due();
        let mut moved = *frame;
        // An absent finger is at rest, even for a whole axis whose middle would not be.
        let mut at_rest = blocked;
        for mover in &mut self.movers {
            at_rest |= u64::from(!mover.handle_frame(now, &mut moved, carried)) << (mover.value() & 63);
        }
        let out = self.run(now, &moved, at_rest);
        let layers = 1 << self.layers;
        for drag in &mut self.drags {
            self.strokes_moved |= drag.handle_frame(now, frame, carried, blocked, layers);
        }
        self.due_moved |= self.motion_due() != before;
        out
    }

    #[inline(always)]
    fn run(&mut self, now: Micros, frame: &Frame, blocked: u64) -> Contribution {
        let mut turned = 0;
        for ((bits, last), watched) in frame.bits.iter().zip(&mut self.bits).zip(&self.watched_bits) {
            turned |= (bits ^ *last) & watched;
            *last = *bits;
        }
        if turned != 0 || self.held_by_value || self.under == Under::NOTHING {
            self.own_layers = 0;
            for (index, switch) in self.switches.iter_mut().enumerate() {
                let before = switch.hold.is_down();
                let down = switch.hold.handle_frame(frame, blocked);
                switch.on ^= switch.toggle && down && !before;
                self.own_layers |= usize::from(if switch.toggle { switch.on } else { down }) << index;
            }
        }
        self.layers = self.own_layers | self.shared;
        let layers = self.layers;
        let under = Under { layers, blocked };
        let mut stale = self.under != under;
        if stale {
            self.pressed = Pressed::default();
            self.steps.iter_mut().for_each(|step| step.stale = true);
            self.folds.iter_mut().for_each(|fold| fold.stale = true);
            self.under = under;
        }
        let mut out = match self.sets.get(layers) {
            Some(set) => set.evaluate_after(frame, blocked, &mut self.pressed),
            None => Contribution::default(),
        };
        let (steps, folds) = (&mut self.steps, &mut self.folds);
        let mut see = |last: &mut i32, raw: i32, of: &[(u16, u16)]| {
            if raw != *last {
                *last = raw;
                for (step, fold) in of {
                    steps[usize::from(*step)].stale = true;
                    folds[usize::from(*fold)].stale = true;
                }
                stale = true;
            }
        };
        for WatchedPlace { source, last, steps } in &mut self.watched_values {
            see(last, frame.values[usize::from(*source) % VALUES], steps);
        }
        if turned != 0 {
            for WatchedPlace { source, last, steps } in &mut self.watched {
                see(last, source.raw(frame), steps);
            }
        }
        if stale || self.due.is_some_and(|due| due <= now) {
            self.work_out(now, frame, blocked);
        }
        out.bits |= self.given.bits;
        // Side by side, without a branch for each.
        out.lanes = std::array::from_fn(|at| {
            let (lane, given) = (out.lanes[at], self.given.lanes[at]);
            if given.abs() > lane.abs() { given } else { lane }
        });
        if let Some(by) = &self.turn { turn_sticks(out, by) } else { out }
    }

    /// Works out the steps that are stale or run by themselves, and the combined result.
    fn work_out(&mut self, now: Micros, frame: &Frame, blocked: u64) {
        let mut due = Micros::NEVER;
        for fold in &mut self.folds {
            if fold.stale || fold.due <= now {
                let steps = &mut self.steps[usize::from(fold.steps.0)..usize::from(fold.steps.1)];
                fold.work_out(now, frame, blocked, 1 << self.layers, steps);
            }
            due = due.min(fold.due);
        }
        let due = (due != Micros::NEVER).then_some(due);
        self.due_moved |= due != self.due;
        self.due = due;
        self.merge();
    }

    /// Combines all folds.
    fn merge(&mut self) {
        if !self.strokes.is_empty() {
            self.merge_strokes();
        }
        let mut given = Contribution::default();
        let more = &mut self.given_more;
        if self.plays_more {
            more.bits = 0;
        }
        for fold in &self.folds {
            give(&mut given, more, fold.given, fold.value);
        }
        for axis in &self.axes {
            let fold = |place: Option<u16>| place.and_then(|place| self.folds.get(usize::from(place)));
            let [minus, plus] =
                axis.folds.map(|place| fold(place).map_or((0.0, Micros(0)), |one| (one.value, one.since)));
            let [(minus, minus_since), (plus, plus_since)] = [minus, plus];
            let (minus, plus) = match self.opposite {
                Opposite::Last if minus > 0.0 && plus > 0.0 && minus_since > plus_since => (minus, 0.0),
                Opposite::Last if minus > 0.0 && plus > 0.0 => (0.0, plus),
                _ => (minus, plus),
            };
            let [low, high] = axis.given;
            match low {
                Given::Lane(_) | Given::Line(_) => give(&mut given, more, low, plus - minus + 0.0),
                _ => {
                    give(&mut given, more, low, minus);
                    give(&mut given, more, high, plus);
                }
            }
        }
        self.given = given;
    }

    fn merge_strokes(&mut self) {
        let folds = self.folds.iter().filter(|fold| fold.target.is_key());
        for ((_, given), fold) in self.strokes.iter_mut().zip(folds) {
            self.strokes_moved |= *given != fold.value;
            *given = fold.value;
        }
    }

    /// The pointer movement of the last frame: which stroke, and how many fractions of a count. Reported once.
    pub fn take_drawn(&mut self) -> impl Iterator<Item = (KeyTarget, i64)> + '_ {
        self.drags.iter_mut().filter_map(Drag::take)
    }

    /// Whether any binding moves the pointer.
    #[must_use]
    pub fn is_drawing(&self, stroke: KeyTarget) -> bool {
        self.drags.iter().any(|drag| drag.stroke == stroke && drag.is_moving())
    }

    /// What the last frame gives to other kinds of pad: from the active compiled set, and from
    /// steps.
    pub fn add_more_to(&self, frame: &Frame, blocked: u64, out: &mut More) {
        if let Some(set) = self.sets.get(self.layers) {
            set.add_more_to(frame, blocked, out);
        }
        out.merge(&self.given_more);
    }

    /// Whether any of it plays something the common pad lacks.
    #[inline]
    #[must_use]
    pub fn plays_more(&self) -> bool {
        self.plays_more
    }

    /// What the *keys* output gets.
    #[must_use]
    pub fn strokes(&self) -> &[(KeyTarget, f32)] {
        &self.strokes
    }

    /// Whether that has changed since it was last asked for.
    #[inline]
    pub fn take_strokes_moved(&mut self) -> bool {
        std::mem::take(&mut self.strokes_moved)
    }

    /// Whether the next wake-up has changed since it was last asked for.
    #[inline]
    pub fn take_due_moved(&mut self) -> bool {
        std::mem::take(&mut self.due_moved)
    }

    /// Skips repeated presses that were due before `overdue`: nobody wants them all at once.
    pub fn catch_up(&mut self, now: Micros, overdue: Micros) {
        for fold in &mut self.folds {
            let steps = &mut self.steps[usize::from(fold.steps.0)..usize::from(fold.steps.1)];
            steps.iter_mut().for_each(|step| step.catch_up(now, overdue));
            fold.due = steps.iter().filter_map(|step| step.due).min().unwrap_or(Micros::NEVER);
        }
        let due = self.folds.iter().map(|fold| fold.due).min().filter(|due| *due != Micros::NEVER);
        self.due_moved |= due != self.due;
        self.due = due;
    }

    /// The layers held by this part.
    #[must_use]
    pub fn own_layers(&self) -> usize {
        self.own_layers
    }

    /// The layers that are on.
    #[must_use]
    pub fn layers(&self) -> usize {
        self.layers
    }

    /// Sets the layers held by the player's other devices. Returns whether that has changed; if so, it needs to run again at
    /// once.
    pub fn share_layers(&mut self, now: Micros, layers: usize) -> bool {
        let news = self.shared != layers;
        if news {
            (self.shared, self.due) = (layers, Some(now));
        }
        news
    }

    /// When it needs to run again even without a report.
    #[must_use]
    #[inline]
    pub fn deadline(&self) -> Option<Micros> {
        if !self.moves { self.due } else { self.motion_due().into_iter().chain(self.due).min() }
    }

    /// When something that moves by itself continues.
    #[cold]
    #[must_use]
    pub fn motion_due(&self) -> Option<Micros> {
        let movers = self.movers.iter().filter_map(Mover::deadline);
        movers.chain(self.drags.iter().filter_map(Drag::deadline)).min()
    }

    /// When a step is due.
    #[must_use]
    pub fn step_due(&self) -> Option<Micros> {
        self.due
    }

    /// Releases everything: toggles go off, and whatever runs by itself stops.
    pub fn release(&mut self) {
        self.steps.iter_mut().for_each(BindingStep::release);
        self.movers.iter_mut().for_each(Mover::release);
        self.drags.iter_mut().for_each(Drag::release);
        for switch in &mut self.switches {
            switch.on = false;
            switch.hold.release();
        }
        for fold in &mut self.folds {
            (fold.value, fold.off, fold.due) = (0.0, false, Micros::NEVER);
        }
        (self.own_layers, self.layers, self.under, self.due) = (0, self.shared, Under::NOTHING, None);
        self.given = Contribution::default();
        self.given_more = More::default();
        self.strokes_moved |= self.strokes.iter().any(|(_, given)| *given != 0.0);
        self.strokes.iter_mut().for_each(|(_, given)| *given = 0.0);
    }

    /// The bindings whose steps make a target's present value, and how far each one does.
    pub fn giving(&self, target: Target) -> impl Iterator<Item = (f32, BindingNumber)> + '_ {
        let of_target = move |(step, number): (&BindingStep, &BindingNumber)| {
            let (gives, _) = step.gives();
            (step.target == target && gives > 0.0).then_some((gives, *number))
        };
        let drawing = self.drags.iter().filter(move |drag| Target::Key(drag.stroke) == target && drag.is_moving());
        self.steps.iter().zip(&self.numbers).filter_map(of_target).chain(drawing.map(|drag| (1.0, drag.number)))
    }

    /// Whether a binding without memory is active in the layers that are on.
    #[must_use]
    pub fn plays_plainly(&self, number: BindingNumber) -> bool {
        self.plain.get(self.layers).is_some_and(|inside| inside.contains(&number))
    }
}

/// Turns both sticks. Kept out of line, so that unturned lanes stay side by side.
#[cold]
fn turn_sticks(mut out: Contribution, [left, right]: &[(f32, f32); 2]) -> Contribution {
    let [lx, ly, rx, ry, ..] = &mut out.lanes;
    turn(lx, ly, *left);
    turn(rx, ry, *right);
    out
}

/// Turns a stick clockwise; values beyond its range end there.
fn turn(x: &mut f32, y: &mut f32, (cos, sin): (f32, f32)) {
    let (a, b) = (*x, *y);
    // Down is positive, so this is clockwise on the screen.
    *x = (a * cos - b * sin).clamp(-1.0, 1.0) + 0.0;
    *y = (a * sin + b * cos).clamp(-1.0, 1.0) + 0.0;
}
