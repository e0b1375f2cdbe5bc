//! A press that is listened for.

use crate::binding::Target;
use crate::rollcall::{BEGINS, Capture, Heard};
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::Frame;

/// A press is listened for on all members of a slot.
#[derive(Clone, Debug)]
pub struct Capturing {
    /// The slot.
    pub slot: SlotNumber,
    /// What the press shall play.
    pub target: Target,
    begun: Micros,
    /// What is heard of each member, by its place in the slot.
    captures: Vec<(usize, Capture)>,
}

impl Capturing {
    /// Listens to these members of a slot from now on.
    #[must_use]
    pub fn new(begun: Micros, slot: SlotNumber, target: Target, captures: Vec<(usize, Capture)>) -> Self {
        Self { slot, target, begun, captures }
    }

    /// Whether a press is heard by now: what comes at the very beginning is taken for rest, so nobody should be asked sooner.
    #[must_use]
    pub fn hears(&self, now: Micros) -> bool {
        now >= self.begun.after(BEGINS)
    }

    /// What has been heard, and from which member.
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

    /// The member at a place of the slot has sent a report.
    pub fn handle_frame(&mut self, now: Micros, index: usize, frame: &Frame) {
        let own = self.captures.iter_mut().filter(|(member, _)| *member == index);
        own.for_each(|(_, capture)| capture.handle_frame(now, frame));
    }
}
