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
    /// How often; only grows.
    pub count: u64,
    /// When last.
    pub last: Micros,
}

impl Counter {
    /// It has passed once more.
    #[inline]
    pub fn tick(&mut self, now: Micros) {
        self.count += 1;
        self.last = now;
    }
}

/// A slot's members and the pad that they play.
#[derive(Clone, Debug, Default)]
pub struct Session {
    /// Those who play.
    pub members: Vec<Member>,
    /// How it feels, as it is said, and ready to run.
    feel: Feel,
    shaper: Shaper,
    /// What it does beyond dead zones.
    own: Option<Box<extras::OutputExtras>>,
    pub(crate) passed: [Counter; Stage::COUNT],
    /// The check-off list.
    pub seen: Seen,
    /// What the pad shall show.
    wanted: PadState,
    /// What it has been told to show.
    shown: PadState,
    paused: bool,
    /// Another login session is in front: the pad rests as if it were paused.
    away: bool,
    /// A member wants to be told the time at another moment than before.
    due_moved: bool,
}

impl Session {
    /// A session without members.
    #[must_use]
    pub fn new(feel: Feel) -> Self {
        Self { feel, shaper: Shaper::new(&feel), own: extras::OutputExtras::new(&feel, None), ..Self::default() }
    }

    /// Its pad is of this kind from now on.
    pub fn set_model(&mut self, now: Micros, model: Arc<PadModel>) {
        let model = Some(model).filter(|model| !model.is_written_as_common());
        if model.is_some() || self.own.is_some() {
            self.own.get_or_insert_default().model = model;
            self.forget_own();
        }
        // A pad of another kind has been told nothing yet, and shows nothing that only the old one had.
        (self.wanted, self.shown, self.seen) = (PadState::default(), PadState::default(), Seen::default());
        self.shape(now);
    }

    /// How it feels.
    #[must_use]
    pub fn feel(&self) -> &Feel {
        &self.feel
    }

    /// When anything that it does by itself wants to go on.
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.deadline())
    }

    /// When what is smoothed, or moves the pointer, wants to go on.
    #[must_use]
    pub fn motion_due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.motion_due())
    }

    /// When what is walked up or helped with wants to go on.
    #[must_use]
    pub fn help_due(&self) -> Option<Micros> {
        self.own.as_ref().and_then(|own| own.help_due())
    }

    /// What is smoothed or walked up goes on.
    pub fn handle_own(&mut self, now: Micros) {
        if let Some(own) = &mut self.own {
            own.handle_time(now);
        }
        self.shape(now);
        self.forget_own();
    }

    /// A stick or trigger goes up slowly from rest, whatever its device says.
    pub fn walk(&mut self, now: Micros, which: Shaped) {
        self.own.get_or_insert_default().walk(now, which);
    }

    /// What is walked up, and how far it is.
    #[must_use]
    pub fn walking(&self) -> Option<(Shaped, f32)> {
        self.own.as_ref().and_then(|own| own.walking())
    }

    /// It stops; returns what was walked up, and how far.
    pub fn end_walk(&mut self, now: Micros) -> Option<(Shaped, f32)> {
        let walked = self.walking()?;
        self.stop_walk();
        self.shape(now);
        Some(walked)
    }

    /// Helps with assigning controls inside a game, or no longer.
    pub fn help(&mut self, now: Micros, assist: Option<Assist>) {
        self.own.get_or_insert_default().help(now, assist);
        self.forget_own();
        self.shape(now);
    }

    /// What is helped with.
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

    /// Where there is nothing beyond dead zones any more, nobody looks for it.
    fn forget_own(&mut self) {
        self.own = self.own.take().filter(|own| own.is_something());
    }

    /// What the pad shall show, as soon as it is there.
    #[must_use]
    pub fn state(&self) -> &PadState {
        &self.wanted
    }

    /// What the pad has been told to show.
    #[must_use]
    pub fn shown(&self) -> &PadState {
        &self.shown
    }

    /// The events that make the pad show what it shall. Returns whether there are any.
    #[inline(always)]
    pub fn hand_out_all(&mut self, out: &mut Events) -> bool {
        match self.own.as_ref().and_then(|own| own.model.as_ref()) {
            None => tell(&mut self.shown, &self.wanted, out),
            Some(model) => tell_as(model, &mut self.shown, &self.wanted, out),
        }
    }

    /// The events that make the pad show this. Returns whether there are any.
    #[inline]
    pub fn hand_out(&mut self, state: &PadState, out: &mut Events) -> bool {
        match self.own.as_ref().and_then(|own| own.model.as_ref()) {
            None => tell(&mut self.shown, state, out),
            Some(model) => tell_as(model, &mut self.shown, state, out),
        }
    }

    /// Whether the person holds the pad at neutral.
    #[must_use]
    pub fn paused(&self) -> bool {
        self.paused
    }

    /// Whether the pad is held at neutral, for whatever reason.
    #[must_use]
    pub fn rests(&self) -> bool {
        self.paused || self.away
    }

    /// A member's source has been decoded; `carried` are the values that the report had, one bit each.
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

    /// A layer that one device of a player holds is on for all of them.
    #[cold]
    fn share_layers(&mut self, now: Micros) {
        for at in 0..self.members.len() {
            let others = self.members.iter().enumerate().filter(|(other, _)| *other != at);
            let layers = others.fold(0, |all, (_, member)| all | member.own_layers());
            self.due_moved |= self.members[at].share_layers(now, layers);
        }
    }

    /// While the pad rests the program still hears what it is told.
    #[cold]
    fn hear_paused(&mut self, now: Micros) {
        self.type_strokes(now);
    }

    /// Whether a let-go chord has gone down or up, or something runs by itself, since this was asked last.
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

    /// What has passed each stage. What the pad has taken, games get: those two are one counter.
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

    /// A member is gone or cannot be read: what it held is let go at once.
    pub fn release(&mut self, now: Micros, index: usize) {
        if let Some(member) = self.members.get_mut(index) {
            member.release();
            member.drop_chord();
        }
        self.share_layers(now);
        self.release_smooth();
        self.shape(now);
    }

    /// What all members held is let go at once.
    pub fn release_all(&mut self, now: Micros) {
        (0..self.members.len()).for_each(|index| self.release(now, index));
    }

    /// Holds the pad at neutral, or lets it play again; nothing plays until it is freshly pressed.
    pub fn pause(&mut self, now: Micros, paused: bool) {
        self.paused = paused;
        self.rest(now);
    }

    /// The others beside a member that is there, or is about to be the last one.
    #[must_use]
    pub fn beside(&self, index: usize) -> Beside {
        let taken = self.members.iter().take(index).fold(0, |all, member| all | member.bindings.bound());
        Beside { taken, any: self.members.len().max(index + 1) > 1 }
    }

    /// Holds the pad at neutral while another login session is in front.
    pub fn set_away(&mut self, now: Micros, away: bool) {
        if self.away != away {
            self.away = away;
            self.rest(now);
        }
    }

    /// Everything is let go, and nothing plays until it is freshly pressed.
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

    /// What was let go is at rest at once.
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

    /// The pad has been made afresh and stands at neutral.
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

    /// The same for several members, while paused, or where there is more to it than dead zones.
    #[cold]
    fn shape_several(&mut self, now: Micros) {
        let merged = if self.rests() { Contribution::default() } else { self.for_feel() };
        if self.own.is_some() {
            return self.shape_own(now, &merged);
        }
        let next = state_of(merged.bits, self.shaper.shape(&merged.lanes));
        self.want(now, &next, true);
    }

    /// The same where there is more to it than dead zones.
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
        // What was pressed for the person has not been tried by them.
        match model {
            Some(model) => self.want_any(now, &next, !helped, &model),
            None => self.want(now, &next, !helped),
        }
    }

    /// The pad, of whatever kind, shall show this from now on.
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

    /// The pad shall show this from now on; `tried` says whether the person does it.
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

/// The pad's state: a trigger that is a button is pulled wholly.
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

/// Makes a pad that shows `shown` show `state`. Returns whether there are any events.
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
