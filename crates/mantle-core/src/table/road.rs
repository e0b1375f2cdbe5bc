//! The road of one report: routed, decoded, evaluated. Nothing here allocates while all is well.

use super::alarms::Alarm;
use super::guests::Sitting;
use super::{Offer, Route, Source, Table};
use crate::device::{NodeId, OsFault};
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::DecodeError;

/// What a report leads to besides its pad's state.
#[derive(Clone, Copy, PartialEq, Eq, Default)]
struct After(u8);

impl After {
    /// Something listens to the device.
    const HEARD: u8 = 1;
    /// A deadline has moved.
    const DUE_MOVED: u8 = 2;
    /// The report is longer than its descriptor says.
    const LONG: u8 = 4;
    /// Something moved on a part that nobody plays with.
    const UNSEATED: u8 = 8;
    /// Nothing had come for a while.
    const AT_REST: u8 = 16;
    /// It is one of the few that are checked for jumps.
    const SPIKES: u8 = 32;

    #[inline(always)]
    fn is(&mut self, what: u8, so: bool) {
        if so {
            self.0 |= what;
        }
    }

    fn has(self, what: u8) -> bool {
        self.0 & what != 0
    }
}

impl Table {
    /// Handles a report from a node, stamped right after it was read.
    #[inline]
    pub fn handle_report(&mut self, now: Micros, node: NodeId, bytes: &[u8]) {
        self.handle_time(now);
        self.take_report(now, node, bytes);
    }

    #[inline(always)]
    fn take_report(&mut self, now: Micros, node: NodeId, bytes: &[u8]) {
        let Some(source) = self.sources.get_mut(usize::from(node.0)).and_then(|source| source.as_deref_mut()) else {
            return;
        };
        if source.reports.count > 0 {
            source.watch.gaps.take(now.0.wrapping_sub(source.reports.last.0));
        }
        source.reports.tick(now);
        let Offer::Layout(layout) = &source.offer else { return };
        if let Some(talk) = &mut source.talk {
            let mut moved = false;
            if talk.hear(now, bytes, layout.plan.numbered(), &mut moved) {
                return self.handle_answer(now, node);
            }
            if moved {
                self.alarms.set_at_latest(Alarm::Talks, talk.deadline());
            }
        }
        if !layout.checks.iter().all(|check| check.holds(bytes)) {
            return self.handle_bad_report(now, node, DecodeError::Checksum);
        }
        let (index, changed) = match layout.decode(bytes, &mut source.frame) {
            Ok(found) => found,
            Err(error) => return self.handle_bad_report(now, node, error),
        };
        source.last_good = now;
        let Some(reach) = layout.reach.get(usize::from(index.0)) else { return };
        let changed = changed || reach.any_counts(&source.frame);
        let mut after = After::default();
        if changed {
            source.changed.tick(now);
            after.is(After::AT_REST, self.watching.at_rest);
        }
        after.is(After::SPIKES, source.spikes.wants(source.reports.count));
        let (mut parts, carried) = (reach.parts, reach.carries());
        let evaluate = changed || source.fresh;
        source.fresh = false;
        after.is(After::LONG, bytes.len() > reach.bytes && !source.noted_long);
        while parts != 0 {
            let part = parts.trailing_zeros() as usize;
            parts &= parts - 1;
            let Some((number, member)) = source.routes[part] else {
                after.is(After::UNSEATED, changed);
                continue;
            };
            let Some(slot) = self.slots.get_mut(number) else { continue };
            let session = &mut slot.session;
            session.handle_report(now);
            if evaluate || session.members.get(member).is_some_and(|member| member.watchful()) {
                session.handle_frame(now, member, &source.frame, carried);
            }
            after.is(After::DUE_MOVED, session.take_due_moved());
        }
        after.is(After::HEARD, self.listening.hears() || self.views.hears());
        if after != After::default() {
            self.follow_report(now, node, bytes.len(), after);
        }
    }

    /// Rare consequences of a report.
    #[cold]
    fn follow_report(&mut self, now: Micros, node: NodeId, length: usize, after: After) {
        if after.has(After::SPIKES)
            && let Some(Some(source)) = self.sources.get_mut(usize::from(node.0))
        {
            source.spikes.see(now, source.reports.count, &source.frame);
            if after == After(After::SPIKES) {
                return;
            }
        }
        if after.has(After::HEARD) {
            self.hear(now, node);
        }
        if after.has(After::DUE_MOVED) {
            self.learn(now, node);
            self.set_alarms_of_reports();
            if self.types && self.do_actions(now) {
                self.settle(now);
            }
        }
        if after.has(After::AT_REST) {
            self.look_soon(now);
        }
        if after.has(After::LONG) {
            self.note_long(now, node, length);
        }
        if after.has(After::UNSEATED) && self.sitting != Sitting::default() {
            self.sit_down(now, node);
            self.settle(now);
        }
        if after.has(After::UNSEATED) && !self.seating.kept.asking.is_empty() {
            self.answer_twin(now, node);
            self.settle(now);
        }
    }

    pub(super) fn asked(&mut self, now: Micros, node: NodeId, result: &Result<Vec<Vec<u8>>, OsFault>) {
        match result {
            // They belong to one moment, so the pad gets them as one change.
            Ok(reports) => reports.iter().for_each(|bytes| self.take_report(now, node, bytes)),
            Err(fault) => {
                let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
                source.fresh = true;
                let (routes, name) = (source.routes, source.facts.identity.name.clone());
                let why = fault.name();
                self.release_routes(now, &routes);
                let text = format!(
                    "the state of {name} cannot be read ({why}): what it held is released until its next report"
                );
                self.note(now, Mark::Doubt, text);
            }
        }
    }

    /// The pad of a slot has taken its events.
    #[inline]
    pub fn handle_written(&mut self, now: Micros, number: SlotNumber) {
        if let Some(passed) = self.slots.passed(number) {
            // Whatever the pad has taken reaches games: the two stages share a counter.
            passed[crate::path::Stage::Pad as usize].tick(now);
        }
    }

    /// Records the delay from a report to its pad.
    #[inline]
    pub fn handle_delay(&mut self, number: SlotNumber, took: Micros) {
        if let Some(delay) = self.slots.delay(number) {
            delay.take(took.0);
        }
    }

    /// Evaluates members whose bindings run by themselves again, with their devices' last state.
    pub(super) fn run_engines(&mut self, due: Micros) {
        for number in SlotNumber::all() {
            let members = self.slot(number).map_or(0, |slot| slot.session.members.len());
            if let Some(slot) = self.slots.get_mut(number)
                && slot.session.due().is_some_and(|wants| wants <= due)
            {
                slot.session.handle_own(due);
            }
            for index in 0..members {
                let wants = self.slot(number).and_then(|slot| slot.session.members[index].due());
                if wants.is_none_or(|wants| wants > due) {
                    continue;
                }
                let node = self.part_of(number, index).map(|(_, part)| part.source);
                let Some(frame) = node.and_then(|node| self.source(node)).map(|source| source.frame) else {
                    // An absent device holds nothing and waits for nothing.
                    if let Some(slot) = self.slots.get_mut(number) {
                        slot.session.members[index].release();
                    }
                    continue;
                };
                if let Some(slot) = self.slots.get_mut(number) {
                    slot.session.handle_due(due, index, &frame);
                }
            }
        }
    }

    /// Chords that were held long enough release everything, or resume.
    pub(super) fn run_chords(&mut self, due: Micros) {
        let mut held = Vec::new();
        for (_, slot) in self.slots.iter_mut() {
            for member in &mut slot.session.members {
                if member.take_chord(due) {
                    held.push(member.key.name.clone());
                }
            }
        }
        for name in held {
            self.note(due, Mark::Well, format!("the let-go chord was held on {name}"));
            self.set_paused(due, !self.paused, Some(format!("by the let-go chord on {name}")));
        }
    }

    #[cold]
    fn note_long(&mut self, now: Micros, node: NodeId, got: usize) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        source.noted_long = true;
        let name = source.facts.identity.name.clone();
        self.note(
            now,
            Mark::Doubt,
            format!("{name}: a report of {got} bytes is longer than its descriptor says; the rest is ignored"),
        );
    }

    /// An unreadable report changes nothing, but what its device held is released until one can be read.
    #[cold]
    fn handle_bad_report(&mut self, now: Micros, node: NodeId, error: DecodeError) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        source.bad.tick(now);
        let text = error.to_string();
        let first = source.last_bad != text;
        if first {
            source.last_bad.clone_from(&text);
        }
        let routes = source.routes;
        let name = source.facts.identity.name.clone();
        for (number, _) in routes.iter().flatten() {
            if let Some(slot) = self.slots.get_mut(*number) {
                slot.session.handle_report(now);
            }
        }
        // An id that nobody described says nothing about controls; a truncated report does.
        if matches!(error, DecodeError::Short { .. } | DecodeError::Empty | DecodeError::Checksum) {
            if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) {
                source.fresh = true;
            }
            self.release_routes(now, &routes);
            self.set_alarms_of_reports();
        }
        if first {
            self.note(now, Mark::Stop, format!("{name}: {text}"));
        }
    }

    pub(super) fn release_routes(&mut self, now: Micros, routes: &[Option<Route>]) {
        for (number, member) in routes.iter().flatten() {
            if let Some(slot) = self.slots.get_mut(*number) {
                slot.session.release(now, *member);
            }
        }
    }

    /// Whether any button is pressed in a part of a source.
    pub(super) fn any_button(source: &Source, local: usize) -> bool {
        let Some(part) = source.layout().and_then(|layout| layout.parts.get(local)) else { return false };
        part.controls.iter().any(|control| match control.place {
            crate::control::Place::Bit(bit) => source.frame.bit(bit),
            crate::control::Place::Value(_) => false,
        })
    }
}
