//! The time: when the table wants to be told it, and what is due by then.

use super::Table;
use crate::time::Micros;

impl Table {
    /// When the table wants to be told the time, if nothing happens before.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        let pads = self.slots.iter().flatten().filter_map(|slot| slot.retry_at);
        let members = self.slots.iter().flatten().flat_map(|slot| &slot.session.members);
        let smooths = self.slots.iter().flatten().filter_map(|slot| slot.session.due());
        let chords = members.clone().filter_map(crate::session::Member::chord_due);
        let engines = members.filter_map(crate::session::Member::due);
        let rumbles = self.slots.iter().flatten().filter_map(|slot| slot.rumble.map(|(_, _, until)| until));
        let keys = self.slots.iter().flatten().filter_map(|slot| slot.keys.retry_at);
        let talks = self.sources.iter().flatten().filter_map(|source| source.talk.as_ref()?.deadline());
        let captures = self.capturing.iter().filter_map(|capturing| capturing.deadline());
        let captures = captures.chain(self.calling.iter().filter_map(|calling| calling.call.deadline()));
        let captures = captures.chain(self.measuring.iter().filter_map(|measuring| measuring.deadline()));
        let captures = captures.chain(self.looking.iter().filter_map(|looking| looking.deadline()));
        let pads = pads.chain(keys).chain(smooths).chain(rumbles).chain(talks).chain(engines).chain(captures);
        pads.chain(chords).chain(self.devices().filter_map(|device| device.back_until.map(|(_, until)| until))).min()
    }

    /// The time is at least this. What was due before happens now, in order of its due times.
    #[inline]
    pub fn handle_time(&mut self, now: Micros) {
        if self.due.is_some_and(|due| due <= now) {
            self.run_deadlines(now);
        }
    }

    #[cold]
    fn run_deadlines(&mut self, now: Micros) {
        let mut next = self.deadline();
        while let Some(due) = next.filter(|due| *due <= now) {
            for slot in self.slots.iter_mut().flatten() {
                if slot.retry_at == Some(due) {
                    slot.retry_at = None;
                    slot.asked = false;
                }
            }
            self.give_up_waiting(due);
            self.run_engines(due);
            self.run_capture(due);
            self.run_call(due);
            self.run_calibration(due);
            self.run_measuring(due);
            self.run_chords(due);
            self.end_rumbles(due);
            self.run_talks(due);
            self.retry_keys(due);
            if self.types {
                self.grant_wishes(due);
            }
            self.ask_for_pad(due);
            self.keep_writes(due);
            next = self.deadline();
        }
        self.due = next;
        if self.types {
            self.hold_strokes(now);
        }
    }
}
