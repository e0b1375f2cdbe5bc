//! A slot's roll call: the devices' reports go in, and what was understood goes into the slot's profile.

use super::Table;
use crate::binding::{Change, How, Named, ProfileAct, Target};
use crate::command::{CommandNumber, OWN};
use crate::control::ControlKind;
use crate::listening::{Calling, Listening};
use crate::pad::PadTarget;
use crate::path::Mark;
use crate::rollcall::{Elsewhere, Listened, RollCall};
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// Begins one for these targets; for all if none are given.
    pub(super) fn call_roll(&mut self, now: Micros, number: SlotNumber, targets: &[Target]) -> Result<(), String> {
        self.end_call(now);
        let Some(slot) = self.slot(number) else { return Err(format!("{number} is empty")) };
        let model = slot.model.clone();
        let all: Vec<Target> = match (targets.is_empty(), model.is_made()) {
            (false, _) => targets.iter().copied().filter(|one| !one.pad().is_some_and(PadTarget::is_whole)).collect(),
            // Targets played as wholes cannot be pressed.
            (true, true) => model.targets.iter().copied().filter(|one| !one.is_whole()).map(Target::Pad).collect(),
            // Without a pad, typed targets are called, which have to be named first.
            (true, false) => self.profile_of(&slot.profile).strokes().into_iter().map(Target::Key).collect(),
        };
        let targets = &all[..];
        if targets.is_empty() && model.is_made() {
            return Err("that is bound as a whole and cannot be pressed: choose it from the list (t)".into());
        }
        if targets.is_empty() {
            return Err(format!("{number} has no pad, and nothing is bound to a key or the mouse yet: K binds one"));
        }
        let (mut listened, mut elsewhere) = (Vec::new(), Vec::new());
        for (index, member) in slot.session.members.iter().enumerate() {
            let Some((_, part)) = self.part_of(number, index) else { continue };
            let Some(source) = self.source(part.source) else { continue };
            let Some(layout) = source.layout().and_then(|layout| layout.parts.get(part.local)) else { continue };
            let others = member.bindings.list.iter().filter(|one| one.layer == 0 && !targets.contains(&one.target));
            elsewhere.extend(others.filter_map(|binding| {
                let control = layout.controls.iter().find(|control| control.number == binding.control)?;
                let words = binding.how.words();
                let whole = binding.how == How::Travel && control.kind != ControlKind::Button;
                let text = format!("{} {}", control.name, if whole { "whole" } else { words });
                let (source, guessed) = (Named::parse(&text), binding.rule.is_none());
                Some(Elsewhere { target: binding.target, member: index, source, guessed })
            }));
            listened.push(Listened { member: index, part: layout.clone(), frame: source.frame });
        }
        if listened.is_empty() {
            return Err(format!("nothing of {number} is connected"));
        }
        let call = RollCall::new(now, listened, targets, elsewhere);
        self.begin_listening(now, Listening::RollCall(Box::new(Calling { slot: number, call, pending: Vec::new() })));
        Ok(())
    }

    /// Handles a step of the person's.
    pub(super) fn step_call(&mut self, now: Micros, step: crate::rollcall::CallStep) -> Result<(), String> {
        let Listening::RollCall(calling) = &mut self.listening else { return Err("no roll call is running".into()) };
        calling.call.step(now, step);
        self.save_call(now);
        Ok(())
    }

    /// Ends it.
    pub(super) fn end_call(&mut self, now: Micros) {
        self.end_listening(now, |own| matches!(own, Listening::RollCall(_)));
    }

    /// Saves what was understood to the profile, one change after the other.
    pub(super) fn save_call(&mut self, now: Micros) {
        let Listening::RollCall(calling) = &mut self.listening else { return };
        let slot = calling.slot;
        while let Some(changes) = calling.call.poll_changes() {
            calling.pending.extend(changes);
        }
        if calling.pending.is_empty() || self.editing.iter().any(|editing| editing.is_of(slot)) {
            return;
        }
        let changes = std::mem::take(&mut calling.pending);
        self.save_changes(now, slot, changes);
    }

    pub(super) fn save_changes(&mut self, now: Micros, slot: SlotNumber, changes: Vec<Change>) {
        self.own += 1;
        let number = CommandNumber(OWN + self.own);
        if let Err(why) = self.edit(number, slot, ProfileAct::Change(changes)) {
            self.note(now, Mark::Stop, format!("{slot}: the press could not be saved: {why}"));
        }
    }
}
