//! One device's part at work for a slot.

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

/// What is seen of a part that plays, or will play again when it is back.
#[derive(Clone, Debug)]
pub struct Member {
    /// Who it is.
    pub key: Key,
    /// Its bindings.
    pub bindings: Bindings,
    /// What it gives to the pad now.
    pub contribution: Contribution,
    /// What it gives to what the common pad does not have, if its pad has more.
    pub more: More,
    /// What plays its pad's sensors, if anything does.
    pub(super) sensor: Option<Box<SensorPlayer>>,
    /// What runs where its profile asks for no more than that; else the engine runs.
    compiled: Compiled,
    engine: Option<Box<Engine>>,
    controls: Vec<Control>,
    /// What its first reports count for.
    arrival: Arrival,
    /// Axes that were calibrated: the value, its range, and what is known of it.
    corrections: Vec<(u8, i32, i32, Calibration)>,
    /// Values that count as being at rest.
    blocked: u64,
    held_off: Option<HeldOff>,
    chord: Chord,
    /// Since when the let-go chord is down.
    chord_since: Option<Micros>,
    /// It has had its effect: it has to be let go before it can have another one.
    chord_spent: bool,
    /// Whether something beside the compiled bindings has to be looked at.
    watchful: bool,
    /// Whether it wants to be evaluated again at another time than was known.
    pub(super) due_moved: bool,
    straight: [bool; 2],
    pressed: Pressed,
    /// What is noticed of its controls.
    pub(super) watch: PartWatch,
}

impl Member {
    /// A member whose device is not there.
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

    /// Its device is there, opened at this moment if it is open yet: bindings are made for what it offers.
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

    /// Its device goes on by another link: what is held there was held here, and counts.
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

    /// What has been learnt of its device since this was asked last.
    pub fn take_learnt(&mut self) -> Option<Learnt> {
        self.arrival.take_learnt()
    }

    /// Takes another profile: what the old one held is let go. `beside` are the other members.
    pub fn bind(&mut self, part: &PartLayout, profile: &Profile, model: &PadModel, beside: Beside) {
        // What was calibrated meanwhile counts from here on.
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

    /// Whether a stick, by its first axis, is played by nothing but what points at a place.
    fn points(&self, axis: usize) -> bool {
        let plays = |target: Target| target.lane().is_some_and(|own| own == axis || own == axis + 1);
        let mut sources = self.bindings.list.iter().filter(|binding| plays(binding.target)).peekable();
        let kind = |number| self.controls.iter().find(|control| control.number == number).map(|control| control.kind);
        sources.peek().is_some() && sources.all(|binding| kind(binding.control) == Some(ControlKind::Pointer))
    }

    /// Sticks that are played by what points at a place, and by nothing else of this member: they have no dead zone.
    #[must_use]
    pub fn straight(&self) -> [bool; 2] {
        self.straight
    }

    /// A frame as it would be if every axis were as its descriptor says.
    #[must_use]
    pub fn corrected(&self, frame: &Frame) -> Frame {
        let mut frame = *frame;
        for (value, min, max, calibration) in &self.corrections {
            let raw = &mut frame.values[usize::from(*value)];
            *raw = calibration.correct(*min, *max, *raw);
        }
        frame
    }

    /// Nothing that is down in the next frame plays until it has been let go, or moved.
    pub fn hold_off(&mut self) {
        self.held_off = Some(HeldOff::default());
        self.watchful = true;
    }

    /// Lets go of everything; what was switched on is off.
    pub fn release(&mut self) {
        (self.contribution, self.more) = (Contribution::default(), More::default());
        if let Some(sensor) = &mut self.sensor {
            sensor.release();
        }
        if let Some(engine) = &mut self.engine {
            engine.release();
        }
    }

    /// When it wants to be evaluated again though nothing has come.
    #[inline]
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.deadline())
    }

    /// When what moves by itself wants to go on.
    #[must_use]
    pub fn motion_due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.motion_due())
    }

    /// What was to be pressed again and again before `overdue` is not pressed any more.
    pub fn catch_up(&mut self, now: Micros, overdue: Micros) {
        if let Some(engine) = &mut self.engine {
            engine.catch_up(now, overdue);
        }
    }

    /// When a step of a binding wants to be worked out.
    #[must_use]
    pub fn step_due(&self) -> Option<Micros> {
        self.engine.as_ref().and_then(|engine| engine.step_due())
    }

    /// Evaluates the frame that was evaluated last once more, at a later time; returns whether what it gives has changed.
    pub fn handle_due(&mut self, now: Micros, frame: &Frame) -> bool {
        self.handle_frame(now, frame, Carried { values: 0, report: u8::MAX })
    }

    /// The device is gone: its chord is no longer held.
    pub fn drop_chord(&mut self) {
        self.chord_since = None;
    }

    /// When the let-go chord will have been held for long enough.
    #[must_use]
    pub fn chord_due(&self) -> Option<Micros> {
        self.chord_since.filter(|_| !self.chord_spent).map(|since| since.after(HELD))
    }

    /// Whether the chord has been held for long enough; says so once for each time that it is held.
    pub fn take_chord(&mut self, now: Micros) -> bool {
        let due = self.chord_due().is_some_and(|due| due <= now);
        self.chord_spent |= due;
        due
    }

    /// Whether the chord has gone down or up with this frame.
    #[inline]
    #[must_use]
    pub fn chord_turns(&self, frame: &Frame) -> bool {
        self.chord.down(frame) != self.chord_since.is_some()
    }

    /// It has: the time begins to count, or counts no more.
    #[cold]
    pub fn turn_chord(&mut self, now: Micros) {
        self.chord_since = self.chord_since.is_none().then_some(now);
        self.chord_spent = false;
    }

    /// Whether frames matter even where nothing changed.
    #[inline]
    #[must_use]
    pub fn watchful(&self) -> bool {
        self.watchful
    }

    /// Controls that play something and do not count yet: down when the device came, or a stick that stands at an end.
    pub fn held(&self) -> impl Iterator<Item = &Control> {
        self.controls.iter().filter(move |control| self.waits(control) && self.bindings.uses(control.number))
    }

    /// Whether a control does not count yet.
    pub(super) fn waits(&self, control: &Control) -> bool {
        self.arrival.was_down(control) || self.arrival.stands_at_end(control)
    }

    /// Whether one of those is a stick that stands at an end.
    #[must_use]
    pub fn stands_at_end(&self, control: &Control) -> bool {
        self.arrival.stands_at_end(control)
    }

    /// What its device has.
    #[must_use]
    pub fn controls(&self) -> &[Control] {
        &self.controls
    }

    /// What its bindings use.
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

    /// How many things beside the pad have a source now.
    #[must_use]
    pub fn bound_strokes(&self) -> usize {
        let mut all: Vec<KeyTarget> = self.bindings.list.iter().filter_map(|binding| binding.target.key()).collect();
        all.sort();
        all.dedup();
        all.len()
    }

    /// The binding that makes a target's present value, found off the road from what it gives now and the frame that
    /// it was made from: of several sources the one furthest from its rest, the first of equals.
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

    /// Whether there is nothing to it but compiled bindings.
    #[inline]
    pub fn is_plain(&self) -> bool {
        self.engine.is_none() && !self.watchful
    }

    /// Evaluates a frame where that is so; returns whether what it gives has changed.
    #[inline]
    pub fn handle_plain(&mut self, frame: &Frame) -> bool {
        if !self.compiled.is_usual(self.blocked) {
            return self.handle_unusual(frame);
        }
        let next = self.compiled.evaluate_usual(frame, &mut self.pressed);
        self.take(&next)
    }

    /// The same for what only few parts have.
    #[inline(never)]
    fn handle_unusual(&mut self, frame: &Frame) -> bool {
        let next = self.compiled.evaluate_after(frame, self.blocked, &mut self.pressed);
        let moved = self.compiled.has_more() && self.play_more(frame, self.blocked);
        self.take(&next) | moved
    }

    /// Evaluates a frame; returns whether what it gives has changed.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame, carried: Carried) -> bool {
        if self.is_plain() { self.handle_plain(frame) } else { self.handle_more(now, frame, carried) }
    }

    #[inline(always)]
    fn take(&mut self, next: &Contribution) -> bool {
        let changed = !next.same(&self.contribution);
        self.contribution = *next;
        changed
    }

    /// The same where there is more to it than compiled bindings.
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

    /// Whether something beside the compiled bindings has to be looked at.
    fn is_watchful(&self) -> bool {
        self.arrival.is_waiting() || self.held_off.is_some() || !self.corrections.is_empty() || self.sensor.is_some()
    }

    /// What it gives to more than the common pad has; returns whether that is another than before.
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

    /// The layers that it holds.
    pub fn own_layers(&self) -> usize {
        self.engine.as_ref().map_or(0, |engine| engine.own_layers())
    }

    /// Other devices of the same player hold these; returns whether that is news.
    pub fn share_layers(&mut self, now: Micros, layers: usize) -> bool {
        self.engine.as_mut().is_some_and(|engine| engine.share_layers(now, layers))
    }

    /// How far it brings a target from rest, 0 to 1.
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

    /// What it gives to the *keys* output.
    pub fn strokes(&self) -> &[(KeyTarget, f32)] {
        self.engine.as_ref().map_or(&[], |engine| engine.strokes())
    }

    /// What its last frame has drawn, in parts of a count; told once.
    pub fn take_drawn(&mut self) -> impl Iterator<Item = (KeyTarget, i64)> + '_ {
        self.engine.iter_mut().flat_map(|engine| engine.take_drawn())
    }

    /// The frame as it counts while something in it does not count yet, and which values count as being at rest.
    #[cold]
    fn watch(&mut self, now: Micros, frame: &Frame, carried: Carried) -> (Frame, u64) {
        let mut frame = self.corrected(frame);
        let controls = &self.controls;
        // Looked at once more, later, there is no report.
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

/// How far what is given brings a target from rest, 0 to 1.
fn share_of(given: &Contribution, more: &More, target: PadTarget) -> f32 {
    given.share(target).max(more.share(target))
}
