//! Slots that rest: everything is let go, another login session is in front, a device is left to the game.

use super::{Effect, Table};
use crate::command::Command;
use crate::cover::Cover;
use crate::device::{DeviceId, NodeId};
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// Everything rests, or plays again; `by` says who has let it go.
    pub(super) fn set_paused(&mut self, now: Micros, paused: bool, by: Option<String>) {
        self.paused = paused;
        self.watching.paused_by = by.filter(|_| paused);
        for (_, slot) in self.slots.iter_mut() {
            slot.session.pause(now, paused);
            slot.paused_by = None;
        }
        SlotNumber::all().filter(|_| paused).for_each(|number| self.stop_rumble(number));
        if paused {
            let mut free = Vec::new();
            for device in self.devices.iter_mut().flatten() {
                if device.cover == Cover::Covered(crate::cover::Strength::Held) {
                    device.cover = Cover::Bare;
                    free.push(Effect::Uncover(device.id));
                }
            }
            self.effects.extend(free);
        }
        self.note(
            now,
            if paused { Mark::Stop } else { Mark::Well },
            if paused { "everything is let go" } else { "pads play again" },
        );
    }

    /// While another login session is in front all pads rest; they play on when this one is back.
    pub(super) fn session_is(&mut self, now: Micros, front: bool) {
        if self.away != front {
            return;
        }
        self.away = !front;
        for (_, slot) in self.slots.iter_mut() {
            slot.session.set_away(now, !front);
        }
        if front {
            let refused: Vec<NodeId> = self
                .sources
                .iter()
                .flatten()
                .filter(|source| matches!(source.access, crate::device::Access::Refused(_)))
                .map(|source| source.facts.id)
                .collect();
            refused.into_iter().for_each(|node| self.open(node));
        } else {
            SlotNumber::all().for_each(|number| self.stop_rumble(number));
        }
        let text =
            if front { "this login session is in front again" } else { "another login session is in front: pads rest" };
        self.note(now, Mark::Well, text);
    }

    pub(super) fn leave_to_game(&mut self, now: Micros, id: DeviceId, left: bool) -> Result<Option<Command>, String> {
        let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) else {
            return Err("that device is no longer connected".into());
        };
        let (name, before) = (device.name.clone(), device.cover.clone());
        device.cover = if left { Cover::LeftToGame } else { Cover::Bare };
        let first = device.parts.first().map_or(0, |part| part.number);
        let Some(identity) = self.identity(id, first) else { return Ok(None) };
        self.seating.kept.leave_to_game(&identity, left);
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
