//! A member: one device's part at work for a slot.

use super::arrival::{Arrival, Learnt};
use super::chord::{Chord, HELD};
use super::held_off::HeldOff;
use crate::binding::{
    Beside, BindingNumber, Bindings, Compiled, Contribution, Engine, More, Pressed, Profile, SensorPlayer, Target,
    resolve,
};
use crate::control::{Calibration, Carried, Control, ControlKind, PartLayout, Place};
use crate::device::Key;
use crate::keys::KeyTarget;
use crate::pad::{PadModel, PadTarget};
use crate::time::Micros;
use crate::watch::PartWatch;
use mantle_hid::Frame;

/// A part that plays, or will play again when it is back.
#[derive(Clone, Debug)]
pub struct Member {
    /// Its identity.
    pub key: Key,
    /// Its bindings.
    pub bindings: Bindings,
    /// Its present output for the pad.
    pub contribution: Contribution,
    /// Its output for controls that the common pad lacks.
    pub more: More,
    /// What plays the pad's sensors, if anything.
    pub(super) sensor: Option<Box<SensorPlayer>>,
    /// The compiled bindings, if its profile needs no more; otherwise the engine runs.
    compiled: Compiled,
    engine: Option<Box<Engine>>,
    controls: Vec<Control>,
    /// What its first reports show.
    arrival: Arrival,
    /// Calibrated axes: the value, its range, and its calibration.
    corrections: Vec<(u8, i32, i32, Calibration)>,
    /// Values that count as at rest.
    blocked: u64,
    held_off: Option<HeldOff>,
    chord: Chord,
    /// Since when the let-go chord has been held.
    chord_since: Option<Micros>,
    /// Whether the chord has acted, and must be released before it can act again.
    chord_spent: bool,
    /// Whether anything besides the compiled bindings needs checking.
    watchful: bool,
    /// Whether its wake-up has changed.
    pub(super) due_moved: bool,
    straight: [bool; 2],
    pressed: Pressed,
    /// What was noticed about its controls.
    pub(super) watch: PartWatch,
}

impl Member {
    /// A member whose device is absent.
    #[must_use]
    pub fn absent(key: Key) -> Self {
        Self {
            key,
            bindings: Bindings::default(),
            contribution: Contribution::default(),
            more: More::default(),
            sensor: None,
            compiled: Compiled::default(),
            engine: None,
            controls: Vec::new(),
            arrival: Arrival::default(),
            corrections: Vec::new(),
            blocked: 0,
            held_off: None,
            chord: Chord::default(),
            chord_since: None,
            chord_spent: false,
            watchful: false,
            due_moved: false,
            straight: [false; 2],
            pressed: Pressed::default(),
            watch: PartWatch::default(),
        }
    }

    /// Its device is there, opened at this moment if it is open: makes bindings for what it offers.
    pub fn attach(
        &mut self,
        part: &PartLayout,
        profile: &Profile,
        model: &PadModel,
        beside: Beside,
        opened: Option<Micros>,
    ) {
        self.chord = Chord::of(part);
        self.arrival = Arrival::new(part, opened);
        self.bind(part, profile, model, beside);
    }

    /// Its device moves to another link: whatever is held there was held here, and counts.
    pub fn change_link(&mut self, part: &PartLayout, profile: &Profile, model: &PadModel, beside: Beside) {
        if self.controls != part.controls {
            self.bind(part, profile, model, beside);
        }
        self.chord = Chord::of(part);
        (self.arrival, self.blocked, self.held_off) = (Arrival::default(), 0, None);
        self.watchful = !self.corrections.is_empty() || self.sensor.is_some();
    }

    /// Its node has been opened.
    pub fn handle_opened(&mut self, now: Micros) {
        self.arrival.handle_opened(now);
    }

    /// What has been learnt about its device since the last call.
    pub fn take_learnt(&mut self) -> Option<Learnt> {
        self.arrival.take_learnt()
    }

    /// Takes another profile; what the old one held is released. `beside` are the other members.
    pub fn bind(&mut self, part: &PartLayout, profile: &Profile, model: &PadModel, beside: Beside) {
        // Calibrations made meanwhile count from here on.
        self.controls = part.controls.clone();
        let calibrated = |control: &Control| match (control.calibration, control.place) {
            (Some(calibration), Place::Value(value)) => Some((value, control.min, control.max, calibration)),
            _ => None,
        };
        self.corrections = part.controls.iter().filter_map(calibrated).collect();
        self.bindings = resolve(profile, part, model, beside);
        self.sensor = SensorPlayer::new(&self.bindings, part);
        self.watch.begin_again();
        let engine = Engine::new(profile, &self.bindings, part);
        self.engine = match engine.simple() {
            Some(simple) => {
                self.compiled = simple.clone();
                None
            }
            None => Some(Box::new(engine)),
        };
        self.pressed = Pressed::default();
        self.straight = [0, 2].map(|axis| self.points(axis));
        self.arrival.expect(&self.controls, &self.bindings.rests);
        self.blocked = self.arrival.blocked();
        self.watchful = self.is_watchful();
    }

    /// Whether a stick, given by its first axis, is played only by a pointer.
    fn points(&self, axis: usize) -> bool {
        let plays = |target: Target| target.lane().is_some_and(|own| own == axis || own == axis + 1);
        let mut sources = self.bindings.list.iter().filter(|binding| plays(binding.target)).peekable();
        let kind = |number| self.controls.iter().find(|control| control.number == number).map(|control| control.kind);
        sources.peek().is_some() && sources.all(|binding| kind(binding.control) == Some(ControlKind::Pointer))
    }

    /// Sticks that this member plays only by pointers; those have no dead zone.
    #[must_use]
    pub fn straight(&self) -> [bool; 2] {
        self.straight
    }

    /// A frame with every axis as its descriptor says.
    #[must_use]
    pub fn corrected(&self, frame: &Frame) -> Frame {
        let mut frame = *frame;
        for (value, min, max, calibration) in &self.corrections {
            let raw = &mut frame.values[usize::from(*value)];
            *raw = calibration.correct(*min, *max, *raw);
        }
        frame
    }

    /// Whatever is pressed in the next frame does not play until it was released, or moved.
    pub fn hold_off(&mut self) {
        self.held_off = Some(HeldOff::default());
        self.watchful = true;
    }

    /// Releases everything; toggles go off.
    pub fn release(&mut self) {
        (self.contribution, self.more) = (Contribution::default(), More::default());
        if let Some(sensor) = &mut self.sensor {
            sensor.release();
        }
        if let Some(engine) = &mut self.engine {
            engine.release();
        }
    }

    /// When it has to be evaluated again even without a report.
    #[inline]
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.deadline())
    }

    /// When something that moves by itself continues.
    #[must_use]
    pub fn motion_due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.motion_due())
    }

    /// Skips repeated presses from before `overdue`.
    pub fn catch_up(&mut self, now: Micros, overdue: Micros) {
        if let Some(engine) = &mut self.engine {
            engine.catch_up(now, overdue);
        }
    }

    /// When a binding's step is due.
    #[must_use]
    pub fn step_due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.step_due())
    }

    /// Evaluates the last frame again at a later time. Returns whether its output has changed.
    pub fn handle_due(&mut self, now: Micros, frame: &Frame) -> bool {
        self.handle_frame(now, frame, Carried { values: 0, report: u8::MAX })
    }

    /// The device is gone, so its chord is no longer held.
    pub fn drop_chord(&mut self) {
        self.chord_since = None;
    }

    /// When the let-go chord will have been held long enough.
    #[must_use]
    pub fn chord_due(&self) -> Option<Micros> {
        self.chord_since.filter(|_| !self.chord_spent).map(|since| since.after(HELD))
    }

    /// Whether the chord has been held long enough; true once for each time it is held.
    pub fn take_chord(&mut self, now: Micros) -> bool {
        let due = self.chord_due().is_some_and(|due| due <= now);
        self.chord_spent |= due;
        due
    }

    /// Whether the chord went down or up in this frame.
    #[inline]
    #[must_use]
    pub fn chord_turns(&self, frame: &Frame) -> bool {
        self.chord.down(frame) != self.chord_since.is_some()
    }

    /// Starts or stops the chord's time.
    #[cold]
    pub fn turn_chord(&mut self, now: Micros) {
        self.chord_since = self.chord_since.is_none().then_some(now);
        self.chord_spent = false;
    }

    /// Whether frames matter even if nothing changed.
    #[inline]
    #[must_use]
    pub fn watchful(&self) -> bool {
        self.watchful
    }

    /// Controls that do not count yet: pressed when the device came, or a stick at an end.
    pub fn held(&self) -> impl Iterator<Item = &Control> {
        self.controls.iter().filter(move |control| self.waits(control) && self.bindings.uses(control.number))
    }

    /// Whether a control does not count yet.
    pub(super) fn waits(&self, control: &Control) -> bool {
        self.arrival.was_down(control) || self.arrival.stands_at_end(control)
    }

    /// Whether one of those is a stick at an end.
    #[must_use]
    pub fn stands_at_end(&self, control: &Control) -> bool {
        self.arrival.stands_at_end(control)
    }

    /// What its device offers.
    #[must_use]
    pub fn controls(&self) -> &[Control] {
        &self.controls
    }

    /// The controls its bindings use.
    pub fn used(&self) -> impl Iterator<Item = mantle_hid::Usage> {
        self.controls.iter().filter(|control| self.bindings.uses(control.number)).map(|control| control.usage)
    }

    /// The targets that really have a source now, as bits.
    #[must_use]
    pub fn bound(&self) -> u128 {
        let held: Vec<_> =
            self.held().filter(|control| control.kind == ControlKind::Axis).map(|one| one.number).collect();
        self.bindings.bound_without(&held)
    }

    /// How many targets besides the pad have a source now.
    #[must_use]
    pub fn bound_strokes(&self) -> usize {
        let mut all: Vec<KeyTarget> = self.bindings.list.iter().filter_map(|binding| binding.target.key()).collect();
        all.sort();
        all.dedup();
        all.len()
    }

    /// The binding that makes a target's present value, found off the road from its output and the last
    /// frame: of several sources, the first one furthest from rest.
    #[must_use]
    pub fn origin(&self, target: Target, frame: &Frame) -> Option<BindingNumber> {
        if self.gives(target) <= 0.0 {
            return None;
        }
        let frame = &self.corrected(frame);
        let playing = |binding: &&crate::binding::Binding| {
            self.engine.as_ref().is_none_or(|engine| engine.plays_plainly(binding.number))
        };
        let steps = self.engine.iter().flat_map(|engine| engine.giving(target));
        let alone = self.bindings.of(target).filter(playing).filter_map(|binding| {
            let (mut compiled, target) = (Compiled::default(), target.pad()?);
            if let Some(control) = self.controls.iter().find(|control| control.number == binding.control) {
                compiled.add(control, binding.how, target);
            }
            let (given, more) = (compiled.evaluate(frame, self.blocked), compiled.more(frame, self.blocked));
            Some((share_of(&given, &more, target), binding.number))
        });
        let best = alone
            .chain(steps)
            .filter(|(share, _)| *share > 0.0)
            .reduce(|best, next| if next.0 > best.0 { next } else { best });
        best.map(|(_, number)| number)
    }

    /// Whether only compiled bindings matter.
    #[inline]
    pub fn is_plain(&self) -> bool {
        self.engine.is_none() && !self.watchful
    }

    /// Evaluates a frame in that case. Returns whether its output has changed.
    #[inline]
    pub fn handle_plain(&mut self, frame: &Frame) -> bool {
        if !self.compiled.is_usual(self.blocked) {
            return self.handle_unusual(frame);
        }
        let next = self.compiled.evaluate_usual(frame, &mut self.pressed);
        self.take(&next)
    }

    /// The same with rare features.
    #[inline(never)]
    fn handle_unusual(&mut self, frame: &Frame) -> bool {
        let next = self.compiled.evaluate_after(frame, self.blocked, &mut self.pressed);
        let moved = self.compiled.has_more() && self.play_more(frame, self.blocked);
        self.take(&next) | moved
    }

    /// Evaluates a frame. Returns whether its output has changed.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame, carried: Carried) -> bool {
        if self.is_plain() { self.handle_plain(frame) } else { self.handle_more(now, frame, carried) }
    }

    #[inline(always)]
    fn take(&mut self, next: &Contribution) -> bool {
        let changed = !next.same(&self.contribution);
        self.contribution = *next;
        changed
    }

    /// The same if there is more than compiled bindings.
    #[inline(never)]
    fn handle_more(&mut self, now: Micros, frame: &Frame, carried: Carried) -> bool {
        let seen;
        let (frame, blocked) = if self.watchful {
            seen = self.watch(now, frame, carried);
            (&seen.0, seen.1)
        } else {
            (frame, self.blocked)
        };
        let (next, moved) = match &mut self.engine {
            Some(engine) => {
                let next = engine.handle_frame(now, frame, carried.values, blocked);
                self.due_moved |= engine.take_due_moved();
                let moved = engine.take_strokes_moved();
                (next, if engine.plays_more() { self.play_more(frame, blocked) | moved } else { moved })
            }
            None => (self.compiled.evaluate(frame, blocked), self.play_more(frame, blocked)),
        };
        let sensed = self.sensor.as_mut().is_some_and(|sensor| sensor.handle_frame(frame));
        self.take(&next) | moved | sensed
    }

    /// Whether anything besides the compiled bindings needs checking.
    fn is_watchful(&self) -> bool {
        self.arrival.is_waiting() || self.held_off.is_some() || !self.corrections.is_empty() || self.sensor.is_some()
    }

    /// Works out its output for controls that the common pad lacks. Returns whether it has changed.
    #[cold]
    fn play_more(&mut self, frame: &Frame, blocked: u64) -> bool {
        let mut more = More::default();
        match &self.engine {
            Some(engine) => engine.add_more_to(frame, blocked, &mut more),
            None => self.compiled.add_more_to(frame, blocked, &mut more),
        }
        std::mem::replace(&mut self.more, more) != more
    }

    /// The layers that are on, one bit each.
    pub fn layers(&self) -> usize {
        self.engine.as_ref().map_or(0, |engine| engine.layers())
    }

    /// The layers it holds.
    pub fn own_layers(&self) -> usize {
        self.engine.as_ref().map_or(0, |engine| engine.own_layers())
    }

    /// Sets the layers held by the player's other devices. Returns whether that has changed.
    pub fn share_layers(&mut self, now: Micros, layers: usize) -> bool {
        self.engine.as_mut().is_some_and(|engine| engine.share_layers(now, layers))
    }

    /// How far it moves a target from rest, 0 to 1.
    #[must_use]
    pub fn gives(&self, target: Target) -> f32 {
        match target {
            Target::Key(stroke) if self.engine.as_ref().is_some_and(|engine| engine.is_drawing(stroke)) => 1.0,
            Target::Key(stroke) => {
                self.strokes().iter().find(|(own, _)| *own == stroke).map_or(0.0, |(_, share)| *share)
            }
            Target::Pad(target) if target.is_whole() => {
                self.sensor.as_ref().map_or(0.0, |sensor| sensor.sensed().share(target))
            }
            Target::Pad(target) => share_of(&self.contribution, &self.more, target),
        }
    }

    /// Its output for *keys*.
    pub fn strokes(&self) -> &[(KeyTarget, f32)] {
        self.engine.as_ref().map_or(&[], |engine| engine.strokes())
    }

    /// The pointer movement of its last frame, in fractions of a count; reported once.
    pub fn take_drawn(&mut self) -> impl Iterator<Item = (KeyTarget, i64)> + '_ {
        self.engine.iter_mut().flat_map(|engine| engine.take_drawn())
    }

    /// The frame without what does not count yet, and the values that count as at rest.
    #[cold]
    fn watch(&mut self, now: Micros, frame: &Frame, carried: Carried) -> (Frame, u64) {
        let mut frame = self.corrected(frame);
        let controls = &self.controls;
        // Without a report, nothing is carried.
        if carried.report != u8::MAX && self.arrival.is_waiting() {
            self.blocked = self.arrival.handle_frame(now, &mut frame, controls, carried);
            self.due_moved |= self.arrival.has_learnt();
        } else {
            self.arrival.take_out(&mut frame);
        }
        let mut blocked = self.blocked;
        if let Some(held) = &mut self.held_off {
            if held.handle_frame(&mut frame, controls) {
                blocked |= held.values;
            } else {
                self.held_off = None;
            }
        }
        self.watchful = self.is_watchful();
        (frame, blocked)
    }
}

/// How far an output moves a target from rest, 0 to 1.
fn share_of(given: &Contribution, more: &More, target: PadTarget) -> f32 {
    given.share(target).max(more.share(target))
}
