//! Time: when the table wants to be told it, and what is due by then.

use super::Table;
use super::alarms::{Alarm, OVERDUE};
use crate::planted::planted;
use crate::session::{Member, Session};
use crate::time::Micros;

impl Table {
    /// When the table wants to be told the time, if nothing happens first. Telling it sooner does nothing.
    #[inline]
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        self.alarms.next()
    }

    /// The same without looks, which recur while anything is open.
    #[cfg(test)]
    pub(super) fn deadline_of_play(&self) -> Option<Micros> {
        let all = Alarm::ALL.into_iter().filter(|alarm| !matches!(alarm, Alarm::Watch | Alarm::Sight));
        all.map(|alarm| self.alarms.at(alarm)).filter(|at| *at < Micros::NEVER).min()
    }

    /// The time is at least this. Whatever was due happens now, in order of its due times.
    #[inline]
    pub fn handle_time(&mut self, now: Micros) {
        debug_assert!(!self.slots.owe_edges(), "poll_write has not been asked for everything that there was to write");
        self.pass_time(now);
    }

    /// Whatever was due until now happens first.
    #[inline]
    pub(super) fn pass_time(&mut self, now: Micros) {
        if self.alarms.any_due(now) {
            self.run_deadlines(now);
        }
    }

    #[cold]
    fn run_deadlines(&mut self, now: Micros) {
        let overdue = now.before(OVERDUE);
        if self.alarms.next().is_some_and(|next| next < overdue) {
            let members = self.slots.iter_mut().flat_map(|(_, slot)| &mut slot.session.members);
            members.for_each(|member| member.catch_up(now, overdue));
            self.set_alarms_of_reports();
        }
        while let Some(due) = self.alarms.next_due(now) {
            // Nothing else follows from a look.
            if self.alarms.only(Alarm::Watch, due, now) {
                self.look_around(due);
                self.set_alarm(Alarm::Watch);
                continue;
            }
            let mut facts = false;
            let set = self.alarms;
            for alarm in Alarm::ALL.into_iter().filter(|alarm| set.rings(*alarm, due, now)) {
                self.ring(alarm, due);
                facts |= alarm.changes_facts();
                // The others are set together, below.
                if !Alarm::OF_REPORTS.contains(&alarm) {
                    self.set_alarm(alarm);
                }
            }
            if self.types {
                facts |= self.do_actions(due);
            }
            if facts {
                self.settle(due);
            } else {
                self.set_alarms_of_reports();
            }
            self.slots.keep(due, now.before(OVERDUE));
        }
    }

    /// Carries out what is due for this reason.
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
            Alarm::Sitting => self.sitting_due(),
            Alarm::Keeping => self.keep_no_longer(due),
            Alarm::Radio => self.journey_due(due),
            Alarm::Sight => self.ask_for_look(due),
            Alarm::Watch => self.look_around(due),
        }
    }

    /// When a cause becomes due, by the facts.
    pub(super) fn due_of(&self, alarm: Alarm) -> Option<Micros> {
        let slots = || self.slots.iter().map(|(_, slot)| slot);
        match alarm {
            Alarm::Pads => slots().filter_map(|slot| slot.retry_at).min(),
            Alarm::Keys => slots().filter_map(|slot| slot.keys.retry_at).min(),
            Alarm::Motion | Alarm::Bindings | Alarm::Help | Alarm::Chords => {
                slots().filter_map(|slot| due_in(&slot.session, alarm)).min()
            }
            Alarm::Rumbles => {
                let games = slots().filter_map(|slot| slot.rumble.map(|(_, _, until)| until));
                games.chain(slots().filter_map(|slot| slot.shakes)).chain(self.signals_due()).min()
            }
            Alarm::Talks => self.sources.iter().flatten().filter_map(|source| source.talk.as_ref()?.deadline()).min(),
            Alarm::Listening => self.listening.deadline(),
            Alarm::Sitting => self.sitting.asks,
            Alarm::Keeping => self.kept_until(),
            Alarm::Radio => self.radio_due(),
            Alarm::Sight => self.sight_due(),
            Alarm::Watch => self.look_due(),
            Alarm::Covers => self.devices().filter_map(|device| device.back_until.map(|(_, until)| until)).min(),
        }
    }

    /// Sets alarms that a report may have moved, looking at each slot once.
    pub(super) fn set_alarms_of_reports(&mut self) {
        let mut all = Alarm::OF_REPORTS.map(|alarm| (alarm, None));
        for (_, slot) in self.slots.iter() {
            for (alarm, due) in &mut all {
                *due = earlier(*due, due_in(&slot.session, *alarm));
            }
        }
        for (alarm, due) in all {
            self.alarms.put(alarm, as_planted(due));
        }
        self.alarms.find_next();
    }

    /// Sets several alarms from the facts.
    pub(super) fn set_alarms(&mut self, alarms: impl IntoIterator<Item = Alarm>) {
        for alarm in alarms {
            let due = self.due_of(alarm);
            self.alarms.put(alarm, as_planted(due));
        }
        self.alarms.find_next();
    }

    /// Sets one alarm from the facts.
    pub(super) fn set_alarm(&mut self, alarm: Alarm) {
        self.set_alarms([alarm]);
    }
}

/// When a slot becomes due for a cause that a report may have moved.
fn due_in(session: &Session, alarm: Alarm) -> Option<Micros> {
    let of_members = |due: fn(&Member) -> Option<Micros>| session.members.iter().filter_map(due).min();
    match alarm {
        Alarm::Motion => earlier(session.motion_due(), of_members(Member::motion_due)),
        Alarm::Bindings => of_members(Member::step_due),
        Alarm::Help => session.help_due(),
        Alarm::Chords => of_members(Member::chord_due),
        _ => None,
    }
}

/// The earlier of two moments, either of which may never come.
fn earlier(one: Option<Micros>, other: Option<Micros>) -> Option<Micros> {
    one.into_iter().chain(other).min()
}

fn as_planted(due: Option<Micros>) -> Option<Micros> {
    if planted("an alarm rings late") { due.map(|due| due.after(Micros::millis(20))) } else { due }
}
