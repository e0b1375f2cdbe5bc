//! One slot at work: decoded frames in, pad states and events out.

mod arrival;
mod assist;
mod chord;
mod extras;
mod given;
mod held_off;
mod member;
mod noticed;
mod typing;

pub use arrival::{AT_ONCE, Learnt, STANDS};
pub use assist::{AFTER, Assist, ONLY};
pub use chord::{Chord, HELD};
pub use member::Member;

use crate::binding::{Beside, Contribution};
use crate::control::Carried;
use crate::feel::{Feel, Shaped, Shaper};
use crate::pad::{Events, LINES, PadModel, PadState, PadTarget, Seen, Sensed, TRIGGER_FULL};
use crate::path::Stage;
use crate::planted::planted;
use crate::time::Micros;
use mantle_hid::Frame;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// How often something passed, and when last.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Counter {
    /// The count; it only grows.
    pub count: u64,
    /// The last time.
    pub last: Micros,
}

impl Counter {
    /// Counts one more.
    #[inline]
    pub fn tick(&mut self, now: Micros) {
        self.count += 1;
        self.last = now;
    }
}

/// A slot's members and the pad they play.
#[derive(Clone, Debug, Default)]
pub struct Session {
    /// The members.
    pub members: Vec<Member>,
    /// The feel, as set and ready to run.
    feel: Feel,
    shaper: Shaper,
    /// Everything beyond dead zones.
    own: Option<Box<extras::OutputExtras>>,
    pub(crate) passed: [Counter; Stage::COUNT],
    /// The check-off list.
    pub seen: Seen,
    /// What the pad shall show.
    wanted: PadState,
    /// What it was told to show.
    shown: PadState,
    paused: bool,
    /// Whether another login session is in front, so that the pad rests as if paused.
    away: bool,
    /// Whether a member's wake-up has changed.
    due_moved: bool,
}

impl Session {
    /// A session without members.
    #[must_use]
    pub fn new(feel: Feel) -> Self {
        Self { feel, shaper: Shaper::new(&feel), own: extras::OutputExtras::new(&feel, None), ..Self::default() }
    }

    /// Changes the kind of its pad.
    pub fn set_model(&mut self, now: Micros, model: Arc<PadModel>) {
        let model = Some(model).filter(|model| !model.is_written_as_common());
        if model.is_some() || self.own.is_some() {
            self.own.get_or_insert_default().model = model;
            self.forget_own();
        }
        // A new pad has been told nothing yet, and shows nothing that only the old kind had.
        (self.wanted, self.shown, self.seen) = (PadState::default(), PadState::default(), Seen::default());
        self.shape(now);
    }

    /// The feel.
    #[must_use]
    pub fn feel(&self) -> &Feel {
        &self.feel
    }

    /// When anything it does by itself continues.
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.deadline())
    }

    /// When smoothing or the pointer continues.
    #[must_use]
    pub fn motion_due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.motion_due())
    }

    /// When raising or helping continues.
    #[must_use]
    pub fn help_due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.help_due())
    }

    /// Continues smoothing and raising.
    pub fn handle_own(&mut self, now: Micros) {
        if let Some(own) = &mut self.own {
            own.handle_time(now);
        }
        self.shape(now);
        self.forget_own();
    }

    /// Raises a stick or trigger slowly from rest, whatever its device does.
    pub fn walk(&mut self, now: Micros, which: Shaped) {
        self.own.get_or_insert_default().walk(now, which);
    }

    /// What is being raised, and how far.
    #[must_use]
    pub fn walking(&self) -> Option<(Shaped, f32)> {
        self.own.as_ref().and_then(|own| own.walking())
    }

    /// Stops raising. Returns what was raised, and how far.
    pub fn end_walk(&mut self, now: Micros) -> Option<(Shaped, f32)> {
        let walked = self.walking()?;
        self.stop_walk();
        self.shape(now);
        Some(walked)
    }

    /// Starts or stops helping to assign controls inside a game.
    pub fn help(&mut self, now: Micros, assist: Option<Assist>) {
        self.own.get_or_insert_default().help(now, assist);
        self.forget_own();
        self.shape(now);
    }

    /// The helped control.
    #[must_use]
    pub fn helping(&self) -> Option<Assist> {
        self.own.as_ref().and_then(|own| own.helping())
    }

    fn stop_walk(&mut self) {
        if let Some(own) = &mut self.own {
            own.end();
        }
        self.forget_own();
    }

    /// Drops extras that are no longer needed.
    fn forget_own(&mut self) {
        self.own = self.own.take().filter(|own| own.is_something());
    }

    /// What the pad shall show, once it is there.
    #[must_use]
    pub fn state(&self) -> &PadState {
        &self.wanted
    }

    /// What the pad was told to show.
    #[must_use]
    pub fn shown(&self) -> &PadState {
        &self.shown
    }

    /// The events that bring the pad to what it shall show. Returns whether there are any.
    #[inline(always)]
    pub fn hand_out_all(&mut self, out: &mut Events) -> bool {
        match self.own.as_ref().and_then(|own| own.model.as_ref()) {
            None => tell(&mut self.shown, &self.wanted, out),
            Some(model) => tell_as(model, &mut self.shown, &self.wanted, out),
        }
    }

    /// The events that bring the pad to this state. Returns whether there are any.
    #[inline]
    pub fn hand_out(&mut self, state: &PadState, out: &mut Events) -> bool {
        match self.own.as_ref().and_then(|own| own.model.as_ref()) {
            None => tell(&mut self.shown, state, out),
            Some(model) => tell_as(model, &mut self.shown, state, out),
        }
    }

    /// Whether the person has paused the pad.
    #[must_use]
    pub fn paused(&self) -> bool {
        self.paused
    }

    /// Whether the pad rests, for whatever reason.
    #[must_use]
    pub fn rests(&self) -> bool {
        self.paused || self.away
    }

    /// A member's source has been decoded; `carried` are the values in the report, one bit each.
    #[inline(always)]
    pub fn handle_frame(&mut self, now: Micros, index: usize, frame: &Frame, carried: Carried) {
        let Some(member) = self.members.get_mut(index) else { return };
        self.passed[Stage::Controls as usize].tick(now);
        if member.chord_turns(frame) {
            member.turn_chord(now);
            self.due_moved = true;
        }
        let changed = if member.is_plain() {
            member.handle_plain(frame)
        } else {
            let changed = member.handle_frame(now, frame, carried);
            self.due_moved |= std::mem::take(&mut member.due_moved);
            changed
        };
        if self.members.len() > 1 {
            self.share_layers(now);
        }
        if !changed {
            return;
        }
        if self.rests() {
            return self.hear_paused(now);
        }
        self.passed[Stage::Bindings as usize].tick(now);
        self.shape(now);
    }

    /// A layer held on one of a player's devices is on for all of them.
    #[cold]
    fn share_layers(&mut self, now: Micros) {
        for at in 0..self.members.len() {
            let others = self.members.iter().enumerate().filter(|(other, _)| *other != at);
            let layers = others.fold(0, |all, (_, member)| all | member.own_layers());
            self.due_moved |= self.members[at].share_layers(now, layers);
        }
    }

    /// Even while the pad rests, the program's own actions work.
    #[cold]
    fn hear_paused(&mut self, now: Micros) {
        self.type_strokes(now);
    }

    /// Whether a let-go chord went down or up, or something started to run by itself, since the last call.
    #[inline]
    pub fn take_due_moved(&mut self) -> bool {
        std::mem::take(&mut self.due_moved)
    }

    /// A member that runs by itself is due.
    pub fn handle_due(&mut self, now: Micros, index: usize, frame: &Frame) {
        let Some(member) = self.members.get_mut(index) else { return };
        if !member.handle_due(now, frame) || self.paused || self.away {
            return;
        }
        self.passed[Stage::Bindings as usize].tick(now);
        self.shape(now);
    }

    /// What has passed each stage. Whatever the pad has taken reaches games, so those two share a counter.
    #[must_use]
    pub fn passed(&self) -> [Counter; Stage::COUNT] {
        let mut passed = self.passed;
        passed[Stage::Games as usize] = passed[Stage::Pad as usize];
        passed
    }

    /// A report has come that changes nothing, or nothing yet.
    #[inline]
    pub fn handle_report(&mut self, now: Micros) {
        self.passed[Stage::Reports as usize].tick(now);
    }

    /// A member is gone or cannot be read: what it held is released at once.
    pub fn release(&mut self, now: Micros, index: usize) {
        if let Some(member) = self.members.get_mut(index) {
            member.release();
            member.drop_chord();
        }
        self.share_layers(now);
        self.release_smooth();
        self.shape(now);
    }

    /// Releases what all members held at once.
    pub fn release_all(&mut self, now: Micros) {
        (0..self.members.len()).for_each(|index| self.release(now, index));
    }

    /// Pauses the pad, or resumes; nothing plays until it is freshly pressed.
    pub fn pause(&mut self, now: Micros, paused: bool) {
        self.paused = paused;
        self.rest(now);
    }

    /// The members beside one that is there, or is about to be added.
    #[must_use]
    pub fn beside(&self, index: usize) -> Beside {
        let taken = self.members.iter().take(index).fold(0, |all, member| all | member.bindings.bound());
        Beside { taken, any: self.members.len().max(index + 1) > 1 }
    }

    /// Rests the pad while another login session is in front.
    pub fn set_away(&mut self, now: Micros, away: bool) {
        if self.away != away {
            self.away = away;
            self.rest(now);
        }
    }

    /// Releases everything; nothing plays until it is freshly pressed.
    fn rest(&mut self, now: Micros) {
        self.stop_walk();
        for member in &mut self.members {
            member.release();
            member.hold_off();
        }
        self.share_layers(now);
        self.release_smooth();
        self.shape(now);
    }

    /// Released lanes are at rest at once.
    fn release_smooth(&mut self) {
        if let Some(own) = &mut self.own {
            own.release();
        }
    }

    /// Takes another feel.
    pub fn set_feel(&mut self, now: Micros, feel: Feel) {
        if feel != self.feel {
            self.feel = feel;
            self.shaper = Shaper::new(&feel);
            self.own = extras::OutputExtras::new(&feel, self.own.take());
        }
        self.shape(now);
    }

    /// The pad was made anew and rests.
    pub fn handle_new_pad(&mut self) {
        self.shown = PadState::default();
    }

    #[inline]
    fn shape(&mut self, now: Micros) {
        if let [one] = self.members.as_slice()
            && !self.rests()
            && self.own.is_none()
            && one.straight() == [false; 2]
        {
            let next = state_of(one.contribution.bits, self.shaper.shape(&one.contribution.lanes));
            return self.want(now, &next, true);
        }
        self.shape_several(now);
    }

    /// The same for several members, while paused, or with more than dead zones.
    #[cold]
    fn shape_several(&mut self, now: Micros) {
        let merged = if self.rests() { Contribution::default() } else { self.for_feel() };
        if self.own.is_some() {
            return self.shape_own(now, &merged);
        }
        let next = state_of(merged.bits, self.shaper.shape(&merged.lanes));
        self.want(now, &next, true);
    }

    /// The same with more than dead zones.
    #[cold]
    fn shape_own(&mut self, now: Micros, merged: &Contribution) {
        let before = self.due();
        self.type_strokes(now);
        let (given, sensed) = (self.more_before_feel(), self.sensed());
        let Some(own) = &mut self.own else { return };
        let mut state = state_of(merged.bits, own.shape(now, &self.shaper, &merged.lanes));
        let model = own.model.clone();
        if let Some(model) = &model {
            state.numbered = given.bits;
            let lines = own.shape_lines(now, &self.feel, &given.lines);
            model.lines().for_each(|line| state.lines[line] = lines[line]);
            state.sensed = sensed;
        }
        self.due_moved |= own.deadline() != before;
        let (next, helped) = own.put(now, &state);
        // An automatic press does not count as tried.
        match model {
            Some(model) => self.want_any(now, &next, !helped, &model),
            None => self.want(now, &next, !helped),
        }
    }

    /// Sets what the pad, of whatever kind, shall show.
    #[cold]
    fn want_any(&mut self, now: Micros, next: &PadState, tried: bool, model: &PadModel) {
        if *next == self.wanted {
            return;
        }
        self.passed[Stage::Feel as usize].tick(now);
        self.wanted = *next;
        if tried {
            self.seen.handle_any(next, &model.targets);
        }
    }

    /// Sets what the pad shall show; `tried` says whether the person did it.
    #[inline(always)]
    fn want(&mut self, now: Micros, next: &PadState, tried: bool) {
        if next.same_as_common(&self.wanted) {
            return;
        }
        self.passed[Stage::Feel as usize].tick(now);
        self.wanted.take_common(next);
        if tried {
            self.seen.handle_state(&self.wanted);
        }
    }
}

/// The pad's state; a trigger played by a button is fully pulled.
#[inline(always)]
fn state_of(bits: u32, [lx, ly, rx, ry, left, right, ..]: [i32; 8]) -> PadState {
    let mut triggers = [left, right];
    const DIGITAL: u32 = (PadTarget::LeftTrigger.mask() | PadTarget::RightTrigger.mask()) as u32;
    if bits & DIGITAL != 0 {
        for (trigger, target) in triggers.iter_mut().zip([PadTarget::LeftTrigger, PadTarget::RightTrigger]) {
            if bits & target.mask() as u32 != 0 {
                *trigger = TRIGGER_FULL;
            }
        }
    }
    PadState {
        bits,
        numbered: 0,
        axes: [lx, ly, rx, ry, triggers[0], triggers[1]],
        lines: [0; LINES.len()],
        sensed: Sensed::default(),
    }
}

/// The events that take a pad from `shown` to `state`. Returns whether there are any.
#[inline]
fn tell(shown: &mut PadState, state: &PadState, out: &mut Events) -> bool {
    shown.events_to(state, out);
    if !planted("what a pad was told is forgotten") {
        shown.take_common(state);
    }
    !out.is_empty()
}

/// The same for a pad of any kind.
#[cold]
fn tell_as(model: &PadModel, shown: &mut PadState, state: &PadState, out: &mut Events) -> bool {
    shown.events_of(state, model, out);
    *shown = *state;
    !out.is_empty()
}
