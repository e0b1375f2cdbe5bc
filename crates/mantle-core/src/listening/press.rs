//! Listening for a press.

use crate::binding::Target;
use crate::rollcall::{BEGINS, Capture, Heard};
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::Frame;

/// Listens for a press on all members of a slot.
#[derive(Clone, Debug)]
pub struct Capturing {
    /// The slot.
    pub slot: SlotNumber,
    /// The target for the press.
    pub target: Target,
    begun: Micros,
    /// What was heard of each member, by its index in the slot.
    captures: Vec<(usize, Capture)>,
}

impl Capturing {
    /// Listens to these members of a slot from now on.
    #[must_use]
    pub fn new(begun: Micros, slot: SlotNumber, target: Target, captures: Vec<(usize, Capture)>) -> Self {
        Self { slot, target, begun, captures }
    }

    /// Whether a press would be heard by now: reports at the very beginning count as rest, so nobody should be asked sooner.
    #[must_use]
    pub fn hears(&self, now: Micros) -> bool {
        now >= self.begun.after(BEGINS)
    }

    /// What was heard, and from which member.
    #[must_use]
    pub fn heard(&self) -> (usize, &Heard) {
        let rank = |heard: &Heard| match heard {
            Heard::Nothing => 0,
            Heard::Pressed => 1,
            Heard::Unclear(_) => 2,
            Heard::Taken(_) => 3,
        };
        let all = self.captures.iter().map(|(member, capture)| (*member, capture.heard()));
        all.max_by_key(|(_, heard)| rank(heard)).unwrap_or((0, &Heard::Nothing))
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        self.captures.iter().filter_map(|(_, capture)| capture.deadline()).min()
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        self.captures.iter_mut().for_each(|(_, capture)| capture.handle_time(now));
    }

    /// The member with this index has sent a report.
    pub fn handle_frame(&mut self, now: Micros, index: usize, frame: &Frame) {
        let own = self.captures.iter_mut().filter(|(member, _)| *member == index);
        own.for_each(|(_, capture)| capture.handle_frame(now, frame));
    }
}
