//! What a session types besides its pad.

use super::{Member, Session};
use crate::keys::{KeyOutput, KeyTarget, Pace, ProgramAction, Typed};
use crate::time::Micros;

impl Session {
    /// Sets what it types, and how; none stops typing. Keys that are no longer typed come up.
    pub fn set_strokes(&mut self, now: Micros, strokes: &[KeyTarget], pace: Pace, held_back: bool) {
        let before = self.key_output();
        if strokes.is_empty() && before.is_none() {
            return;
        }
        let key_output = KeyOutput::new(strokes, pace, before, held_back);
        self.own.get_or_insert_default().key_output = Some(key_output);
        self.type_strokes(now);
    }

    /// What it types.
    #[must_use]
    pub fn key_output(&self) -> Option<&KeyOutput> {
        self.own.as_ref().and_then(|own| own.key_output.as_ref())
    }

    /// Holds typing back, or resumes it.
    pub fn hold_back(&mut self, now: Micros, held: bool) {
        if let Some(key_output) = self.own.as_mut().and_then(|own| own.key_output.as_mut()) {
            key_output.hold_back(now, held);
        }
    }

    /// What was typed, oldest first.
    pub fn take_typed(&mut self) -> Option<(Micros, Typed)> {
        self.own.as_mut()?.key_output.as_mut()?.take()
    }

    /// Types the members' present output.
    pub(super) fn type_strokes(&mut self, now: Micros) {
        let paused = self.rests();
        // Held-back keys still count as tried.
        let given = self.members.iter().flat_map(|member| member.strokes()).filter(|_| !paused);
        given.for_each(|(stroke, share)| self.seen.handle_key(*stroke, *share));
        let Some(key_output) = self.own.as_mut().and_then(|own| own.key_output.as_mut()) else { return };
        let drawn = self.members.iter_mut().flat_map(Member::take_drawn);
        drawn.filter(|_| !paused).for_each(|(stroke, parts)| key_output.draw(stroke, parts));
        let given = self.members.iter().flat_map(|member| member.strokes());
        key_output.handle(now, given.filter(|(stroke, _)| !paused || !stroke.types()));
        self.due_moved |= key_output.has_actions();
    }

    /// Actions asked of the program, oldest first.
    pub fn take_action(&mut self) -> Option<ProgramAction> {
        self.own.as_mut()?.key_output.as_mut()?.take_action()
    }
}
