//! What comes back through pads, and what they do by themselves.

use super::LinuxWorld;
use crate::clock::now;
use crate::hid_pad::PadBack;
use mantle_core::pad::{GameLamp, Rumble};
use mantle_core::slot::{SLOTS, SlotNumber};
use mantle_core::time::Micros;
use mantle_engine::Happening;

impl LinuxWorld {
    pub(super) fn handle_pad_back(&mut self, index: usize) {
        if let Some(pad) = self.pads.get_mut(index).and_then(Option::as_mut) {
            let back = pad.handle_back();
            self.tell_back(now(), index, back);
        }
    }

    /// Effects that begin or end by now.
    pub(super) fn handle_effects(&mut self, at: Micros) {
        for index in 0..SLOTS {
            if self.effects_due[index].is_none_or(|due| at < due) {
                continue;
            }
            self.effects_due[index] = None;
            if let Some(pad) = self.pads.get_mut(index).and_then(Option::as_mut) {
                match pad.handle_time(at) {
                    Ok(back) => self.tell_back(at, index, back),
                    // It is reported with the next frame, and made again.
                    Err(fault) => self.unwritten[index] = Some(fault),
                }
            }
        }
    }

    fn tell_back(&mut self, at: Micros, index: usize, back: PadBack) {
        let Some(slot) = SlotNumber::from_index(index) else { return };
        if let Some(Rumble { strong, weak, until, next }) = back.rumble {
            self.effects_due[index] = next;
            self.ready.push_back(Happening::Rumble(at, slot, strong, weak, until));
        }
        if back.lamp != GameLamp::default() {
            self.ready.push_back(Happening::Lamp(at, slot, back.lamp));
        }
        let due = self.pads[index].as_ref().and_then(|pad| pad.due());
        if let Some(due) = due {
            self.effects_due[index] = Some(self.effects_due[index].map_or(due, |own| own.min(due)));
        }
    }
}
