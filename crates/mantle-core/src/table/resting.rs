//! Resting: everything is released, it is another account's turn, a device is left to the game.

use super::{Effect, Table};
use crate::command::Command;
use crate::cover::Cover;
use crate::device::{DeviceId, NodeId};
use crate::front::Front;
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// A wake-up that is reported twice is reported within this time.
const TOLD_TWICE: Micros = Micros::seconds(10);

impl Table {
    /// Everything rests, or resumes; `by` says who released it.
    pub(super) fn set_paused(&mut self, now: Micros, paused: bool, by: Option<String>) {
        self.paused = paused;
        self.watching.paused_by = by.filter(|_| paused);
        for (_, slot) in self.slots.iter_mut() {
            slot.session.pause(now, paused);
            slot.paused_by = None;
        }
        for number in SlotNumber::all() {
            if paused {
                self.stop_rumble(number);
            } else {
                self.take_up(now, number);
            }
        }
        self.note(
            now,
            if paused { Mark::Stop } else { Mark::Well },
            if paused { "everything is let go" } else { "pads play again" },
        );
    }

    /// A slot resumes: what its devices are holding now does not count until it is released; everything else
    /// counts from its first press.
    pub(super) fn take_up(&mut self, now: Micros, number: SlotNumber) {
        for index in 0..self.slot(number).map_or(0, |slot| slot.session.members.len()) {
            let node = self.part_of(number, index).map(|(_, part)| part.source);
            let source = node.and_then(|node| self.source(node)).filter(|source| source.good() > 0);
            let Some(frame) = source.map(|source| source.frame) else { continue };
            if let Some(slot) = self.slots.get_mut(number) {
                slot.session.handle_due(now, index, &frame);
            }
        }
    }

    /// While it is another account's turn, all pads rest and nothing is held; they resume when it is ours again.
    pub(super) fn front_is(&mut self, now: Micros, front: Front) {
        if self.front == front {
            return;
        }
        let rested = std::mem::replace(&mut self.front, front).rests();
        let rests = self.front.rests();
        if let Some(text) = self.front.sentence() {
            self.note(now, Mark::Well, text);
        } else {
            self.note(now, Mark::Well, "This login session is in front again: pads play.");
        }
        if rested == rests {
            return;
        }
        for (_, slot) in self.slots.iter_mut() {
            slot.session.set_away(now, rests || self.asleep);
        }
        if !rests {
            let refused: Vec<NodeId> = self
                .sources
                .iter()
                .flatten()
                .filter(|source| matches!(source.access, crate::device::Access::Refused(_)))
                .map(|source| source.facts.id)
                .collect();
            refused.into_iter().for_each(|node| self.open(node));
            SlotNumber::all().for_each(|number| self.take_up(now, number));
        } else {
            SlotNumber::all().for_each(|number| self.stop_rumble(number));
        }
    }

    /// The machine is going to sleep, or has woken.
    pub(super) fn sleep_is(&mut self, now: Micros, asleep: bool) {
        let slept = std::mem::replace(&mut self.asleep, asleep);
        // Both the system and its clocks may report it.
        if !asleep && !slept && self.woke.is_some_and(|woke| now.since(woke) < TOLD_TWICE) {
            return;
        }
        self.woke = (!asleep).then_some(now);
        let rests = asleep || self.front.rests();
        for (_, slot) in self.slots.iter_mut() {
            // Sleep may be noticed only afterwards.
            if !asleep && !slept {
                slot.session.set_away(now, true);
            }
            slot.session.set_away(now, rests);
        }
        if asleep {
            SlotNumber::all().for_each(|number| self.stop_rumble(number));
            return self.note(now, Mark::Well, "the machine is going to sleep: pads rest");
        }
        SlotNumber::all().for_each(|number| self.take_up(now, number));
        // A device may have lost its start-up.
        let open = |source: &super::Source| source.access == crate::device::Access::Open;
        let nodes: Vec<NodeId> =
            self.sources.iter().flatten().filter(|source| open(source)).map(|source| source.facts.id).collect();
        for node in nodes {
            self.begin_talk(now, node);
        }
        self.note(now, Mark::Well, "the machine is awake: devices start up again");
    }

    pub(super) fn leave_to_game(&mut self, now: Micros, id: DeviceId, left: bool) -> Result<Option<Command>, String> {
        let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) else {
            return Err("that device is no longer connected".into());
        };
        let (name, before) = (device.name.clone(), device.cover.clone());
        device.cover = if left { Cover::LeftToGame } else { Cover::Bare };
        let Some(identity) = self.device(id).and_then(|device| self.identity_of(device)) else { return Ok(None) };
        self.seating.kept.leave_to_game(&identity, left);
        self.cover_is_chosen(id);
        if left && matches!(before, Cover::Covered(_) | Cover::Covering) {
            self.effects.push_back(Effect::Uncover(id));
        }
        self.note(
            now,
            Mark::Well,
            format!("{name} is {}", if left { "left to the game" } else { "no longer left to the game" }),
        );
        Ok(Some(Command::LeaveToGame { device: id, left: !left }))
    }
}
