//! The facts from which states and sentences are made.

use super::{Slot, Table};
use crate::keys::KeyTarget;
use crate::pad::Target;
use crate::path::{MemberFacts, PadCondition, SlotFacts, Stage, TableFacts};
use crate::slot::SlotNumber;
use std::collections::BTreeSet;

/// Controls of one kind that are named; a sentence has to end.
const SAID: usize = 3;

impl Table {
    /// How it stands with a slot's pad. Pads are made in the order of slots: what keeps an earlier one from being made keeps all later
    /// ones as well.
    fn pad_condition(&self, number: SlotNumber, slot: &Slot) -> PadCondition {
        let earlier = self.slots().take_while(|(other, _)| *other != number);
        let mut faults = earlier.map(|(_, other)| &other.pad).filter(|pad| matches!(pad, PadCondition::Fault(_)));
        match &slot.pad {
            PadCondition::Making => faults.next().unwrap_or(&slot.pad).clone(),
            own => own.clone(),
        }
    }

    /// The facts of one slot; none if it is not in use.
    #[must_use]
    pub fn slot_facts(&self, number: SlotNumber) -> Option<SlotFacts> {
        let slot = self.slot(number)?;
        let session = &slot.session;
        let mut controls = 0;
        let names = |member: &crate::session::Member, at_end: bool| {
            let held = member.held().filter(|control| member.stands_at_end(control) == at_end);
            held.map(|control| (control.name.clone(), control.kind)).take(SAID).collect::<Vec<_>>()
        };
        let members = session.members.iter().enumerate().map(|(index, member)| {
            let place = self.part_of(number, index);
            let source = place.and_then(|(_, part)| self.source(part.source));
            let layout = source.and_then(|s| s.layout()).zip(place).and_then(|(l, (_, part))| l.parts.get(part.local));
            controls += layout.map_or(0, |part| part.controls.len());
            let covering = place.is_some_and(|(device, _)| device.cover == crate::cover::Cover::Covering);
            MemberFacts {
                name: member.key.name.clone(),
                present: source.is_some() || covering,
                access: source.map(|s| s.access.clone()).unwrap_or_default(),
                fault: source.and_then(|s| s.fault()),
                was_down: names(member, false),
                at_end: names(member, true).into_iter().map(|(name, _)| name).collect(),
                cover: place.map(|(device, _)| device.cover.clone()).unwrap_or_default(),
                stays_bare: place.and_then(|(device, _)| self.stays_bare(device)),
            }
        });
        let members = members.collect();
        let passed = |stage: Stage| session.passed[stage as usize].count;
        let bound = session.members.iter().fold(0, |all, member| all | member.bound());
        let typed: BTreeSet<KeyTarget> = session
            .members
            .iter()
            .flat_map(|member| &member.bindings.list)
            .filter_map(|binding| match binding.target {
                Target::Key(stroke) if stroke.types() => Some(stroke),
                _ => None,
            })
            .collect();
        Some(SlotFacts {
            number,
            members,
            reports: passed(Stage::Reports),
            controls,
            moved: passed(Stage::Controls),
            bound,
            bindings_passed: passed(Stage::Bindings),
            feel_passed: passed(Stage::Feel),
            pad: self.pad_condition(number, slot),
            pad_passed: passed(Stage::Pad),
            paused: session.paused(),
            seen: session.seen.count(bound)
                + typed.iter().filter(|own| session.seen.done(Target::Key(**own))).count() as u32,
            to_try: bound.count_ones() + typed.len() as u32,
            strokes: session
                .members
                .iter()
                .any(|member| member.bindings.list.iter().any(|binding| binding.target.is_key())),
            not_agreed: self.not_agreed(&self.profile_of(&slot.profile)).len(),
        })
    }

    /// What is known beside the slots.
    #[must_use]
    pub fn table_facts(&self) -> TableFacts {
        let slotless = self.devices().filter(|device| {
            !self.seating.plays(device.id)
                && device.parts.iter().any(|part| {
                    let layout = self.source(part.source).and_then(|s| s.layout());
                    layout.and_then(|l| l.parts.get(part.local)).is_some_and(|p| p.is_game_controller())
                })
        });
        let silent = self.devices().filter(|device| {
            let mut layouts = device.sources.iter().filter_map(|node| self.source(*node)?.layout());
            !device.sources.is_empty()
                && !self.seating.plays(device.id)
                && layouts.all(|layout| layout.parts.iter().all(|part| part.controls.is_empty()))
        });
        TableFacts {
            silent: silent.map(|device| device.name.clone()).collect(),
            slotless: slotless.map(|device| device.name.clone()).collect(),
            devices: self.devices().count(),
            twin: self
                .seating
                .kept
                .asking
                .first()
                .and_then(|asked| Some((self.device(asked.part.device)?.name.clone(), asked.slot))),
            paused: self.paused,
            away: self.away,
        }
    }
}
