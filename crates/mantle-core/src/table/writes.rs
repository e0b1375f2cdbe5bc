//! What is to be written to pads: the events of the last change, and before them those of deadlines that were run first.

use super::Table;
use crate::pad::Events;
use crate::path::PadCondition;
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// What has been written for slots so far was of this moment: it is kept as it is, whatever comes next.
    pub(super) fn keep_writes(&mut self, due: Micros) {
        while self.writes != 0 {
            let index = self.writes.trailing_zeros() as usize;
            self.writes &= self.writes - 1;
            let slot = self.slots[index].as_deref().filter(|slot| slot.pad == PadCondition::Made);
            if let (Some(slot), Some(number)) = (slot, SlotNumber::from_index(index)) {
                self.backlog.push_back((due, number, slot.session.events().clone()));
            }
        }
    }

    #[cold]
    fn poll_backlog(&mut self) -> Option<(SlotNumber, Option<Micros>, &Events)> {
        let (at, number, events) = self.backlog.pop_front()?;
        self.popped = events;
        Some((number, Some(at), &self.popped))
    }

    /// A slot whose pad has events to take, and the events; with a moment if they are of an earlier one than what was
    /// handled last. They stand until the next report is handled.
    #[inline]
    pub fn poll_write(&mut self) -> Option<(SlotNumber, Option<Micros>, &Events)> {
        if !self.backlog.is_empty() {
            return self.poll_backlog();
        }
        while self.writes != 0 {
            let index = self.writes.trailing_zeros() as usize;
            self.writes &= self.writes - 1;
            let made = self.slots[index].as_deref().is_some_and(|slot| slot.pad == PadCondition::Made);
            if made {
                let slot = self.slots[index].as_deref()?;
                return Some((SlotNumber::from_index(index)?, None, slot.session.events()));
            }
        }
        None
    }
}
