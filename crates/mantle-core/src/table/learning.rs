//! What a device's first reports show: applied to its parts, and remembered once it has held for long enough.

use super::Table;
use crate::control::{ControlKind, PartLayout};
use crate::device::{DeviceId, Key, NodeId};
use crate::path::Mark;
use crate::session::Learnt;
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// A node has been opened: its members' first reports are awaited.
    pub(super) fn tell_opened(&mut self, now: Micros, node: NodeId) {
        let routes = self.routes_of(node);
        for (number, index) in routes.into_iter().flatten() {
            let member = self.slots.get_mut(number).and_then(|slot| slot.session.members.get_mut(index));
            if let Some(member) = member {
                member.handle_opened(now);
            }
        }
    }

    /// What is remembered of a part's axes counts from the start.
    pub(super) fn recall_learnt(&mut self, device: DeviceId, part: u8) {
        let Some(identity) = self.identity(device, part) else { return };
        let counts = self.seating.kept.uniq_counts(&identity);
        let turned = self.triggers_turned.iter().any(|own| own.part == part && own.is(&identity, counts));
        if let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0))
            && let Some(own) = entry.parts.iter_mut().find(|own| own.number == part)
        {
            own.learnt.triggers_turned |= turned;
        }
    }

    /// A part's layout as its first reports have shown it.
    pub(super) fn apply_learnt(&self, device: DeviceId, part: u8, layout: &mut PartLayout) {
        let own = self.device(device).and_then(|device| device.parts.iter().find(|own| own.number == part));
        let Some(learnt) = own.map(|own| own.learnt) else { return };
        layout.triggers_turned = learnt.triggers_turned;
        for control in layout.controls.iter_mut().filter(|control| control.kind == ControlKind::Hat) {
            if learnt.hat_centre_low && control.centre_unclear {
                (control.min, control.max) = (control.min + 1, control.max + 1);
            }
        }
    }

    /// What a node's members have learnt from this report.
    #[cold]
    pub(super) fn learn(&mut self, now: Micros, node: NodeId) {
        let routes = self.routes_of(node);
        for (number, index) in routes.into_iter().flatten() {
            loop {
                let member = self.slots.get_mut(number).and_then(|slot| slot.session.members.get_mut(index));
                let Some(learnt) = member.and_then(|member| member.take_learnt()) else { break };
                self.take_in(now, number, index, learnt);
            }
        }
    }

    fn take_in(&mut self, now: Micros, number: SlotNumber, index: usize, learnt: Learnt) {
        let Some((device, part)) = self.part_of(number, index).map(|(device, part)| (device.id, part.number)) else {
            return;
        };
        let Some(identity) = self.identity(device, part) else { return };
        let key = Key::new(&identity, part);
        let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0)) else { return };
        let Some(own) = entry.parts.iter_mut().find(|own| own.number == part) else { return };
        let text = match learnt {
            Learnt::TriggersTurned(turned) => {
                own.learnt.triggers_turned = turned;
                if turned {
                    "two axes rest at their ends, so they are triggers"
                } else {
                    "two axes are a stick after all"
                }
            }
            Learnt::TriggersKept => {
                if !self.triggers_turned.contains(&key) {
                    self.triggers_turned.push(key);
                }
                return self.settle(now);
            }
            Learnt::HatCentre => {
                own.learnt.hat_centre_low = true;
                "its hat's centre is the lower end of its range"
            }
        };
        self.bind_members(now, number);
        self.note(now, Mark::Well, format!("{}: {text}", identity.name));
    }
}
