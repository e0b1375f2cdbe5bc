//! The time: when the table wants to be told it, and what is due by then.

use super::Table;
use super::alarms::{Alarm, OVERDUE};
use crate::planted::planted;
use crate::session::Member;
use crate::time::Micros;

impl Table {
    /// When the table wants to be told the time, if nothing happens before. It may be told sooner for nothing.
    #[inline]
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        self.alarms.next()
    }

    /// The time is at least this. What was due before happens now, in order of its due times.
    #[inline]
    pub fn handle_time(&mut self, now: Micros) {
        debug_assert!(!self.slots.owe_edges(), "poll_write has not been asked for everything that there was to write");
        self.pass_time(now);
    }

    /// What was due until now happens first.
    #[inline]
    pub(super) fn pass_time(&mut self, now: Micros) {
        if self.alarms.any_due(now) {
            self.run_deadlines(now);
        }
    }

    #[cold]
    fn run_deadlines(&mut self, now: Micros) {
        while let Some(due) = self.alarms.next_due(now) {
            let mut facts = false;
            let set = self.alarms;
            for alarm in Alarm::ALL.into_iter().filter(|alarm| set.rings(*alarm, due, now)) {
                self.ring(alarm, due);
                facts |= alarm.changes_facts();
                self.set_alarm(alarm);
            }
            if self.types {
                facts |= self.do_actions(due);
            }
            if facts {
                self.settle(due);
            } else {
                self.set_alarms(Alarm::OF_REPORTS);
            }
            self.slots.keep(due, now.before(OVERDUE));
        }
    }

    /// What is due for this reason happens.
    fn ring(&mut self, alarm: Alarm, due: Micros) {
        match alarm {
            Alarm::Pads => self.retry_pads(due),
            Alarm::Keys => self.retry_keys(due),
            Alarm::Motion | Alarm::Bindings | Alarm::Help => self.run_engines(due),
            Alarm::Chords => self.run_chords(due),
            Alarm::Rumbles => self.end_rumbles(due),
            Alarm::Talks => self.run_talks(due),
            Alarm::Listening => self.run_listening(due),
            Alarm::Covers => self.give_up_waiting(due),
        }
    }

    /// When a cause becomes due, by the facts.
    pub(super) fn due_of(&self, alarm: Alarm) -> Option<Micros> {
        let slots = || self.slots.iter().map(|(_, slot)| slot);
        let members = || slots().flat_map(|slot| &slot.session.members);
        match alarm {
            Alarm::Pads => slots().filter_map(|slot| slot.retry_at).min(),
            Alarm::Keys => slots().filter_map(|slot| slot.keys.retry_at).min(),
            Alarm::Motion => {
                let outputs = slots().filter_map(|slot| slot.session.motion_due());
                outputs.chain(members().filter_map(Member::motion_due)).min()
            }
            Alarm::Bindings => members().filter_map(Member::step_due).min(),
            Alarm::Help => slots().filter_map(|slot| slot.session.help_due()).min(),
            Alarm::Chords => members().filter_map(Member::chord_due).min(),
            Alarm::Rumbles => {
                let games = slots().filter_map(|slot| slot.rumble.map(|(_, _, until)| until));
                games.chain(slots().filter_map(|slot| slot.shakes)).min()
            }
            Alarm::Talks => self.sources.iter().flatten().filter_map(|source| source.talk.as_ref()?.deadline()).min(),
            Alarm::Listening => self.listening.deadline(),
            Alarm::Covers => self.devices().filter_map(|device| device.back_until.map(|(_, until)| until)).min(),
        }
    }

    /// Several alarms are set by the facts.
    pub(super) fn set_alarms(&mut self, alarms: impl IntoIterator<Item = Alarm>) {
        for alarm in alarms {
            let due = self.due_as_planted(alarm);
            self.alarms.put(alarm, due);
        }
        self.alarms.find_next();
    }

    /// One alarm is set by the facts.
    pub(super) fn set_alarm(&mut self, alarm: Alarm) {
        self.set_alarms([alarm]);
    }

    fn due_as_planted(&self, alarm: Alarm) -> Option<Micros> {
        let due = self.due_of(alarm);
        if planted("an alarm rings late") { due.map(|due| due.after(Micros::millis(20))) } else { due }
    }
}
