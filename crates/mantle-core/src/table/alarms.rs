//! When things become due: one moment for each of a fixed list of causes.

use crate::time::Micros;

/// What may become due.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Alarm {
    /// Retry a pad that could not be made.
    Pads,
    /// Retry a slot's typing nodes that could not be made.
    Keys,
    /// Continue what moves by itself: smoothing, pointer and wheel, the spring of a mouse that acts as a stick.
    Motion,
    /// A step of a binding: a ramp, a shortest press, a chord that must be held.
    Bindings,
    /// Raising the output, or an automatic press.
    Help,
    /// The let-go chord has been held long enough.
    Chords,
    /// A rumble ends.
    Rumbles,
    /// A device must be sent something, has not answered, or has been silent for longer than its sheet allows.
    Talks,
    /// A listener: a press, a roll call, a calibration, a measurement.
    Listening,
    /// A device that left to be covered has not come back.
    Covers,
    /// The board stops asking for a press.
    Sitting,
    /// A slot is no longer kept.
    Keeping,
    /// A device being connected takes too long over a step.
    Radio,
    /// Look at what a game would see.
    Sight,
    /// Check everything that plays.
    Watch,
}

impl Alarm {
    /// All of them, in the order in which those of one moment happen.
    pub const ALL: [Self; 15] = [
        Self::Pads,
        Self::Covers,
        Self::Sitting,
        Self::Keeping,
        Self::Motion,
        Self::Bindings,
        Self::Help,
        Self::Listening,
        Self::Chords,
        Self::Rumbles,
        Self::Talks,
        Self::Keys,
        Self::Radio,
        Self::Sight,
        Self::Watch,
    ];

    /// Those that a report may have moved.
    pub const OF_REPORTS: [Self; 4] = [Self::Motion, Self::Bindings, Self::Help, Self::Chords];

    /// Whether what happens then changes facts that others follow from.
    pub fn changes_facts(self) -> bool {
        !matches!(
            self,
            Self::Motion | Self::Bindings | Self::Help | Self::Rumbles | Self::Talks | Self::Sight | Self::Watch
        )
    }
}

/// Motion that is late by more than this is done in one step: after the process was stopped, nobody wants every step.
pub(super) const OVERDUE: Micros = Micros::millis(100);

/// The alarms. One may ring too early, which does nothing, but never too late.
#[derive(Clone, Copy, Debug)]
pub(super) struct Alarms {
    at: [Micros; Alarm::ALL.len()],
    next: Micros,
}

impl Default for Alarms {
    fn default() -> Self {
        Self { at: [Micros::NEVER; Alarm::ALL.len()], next: Micros::NEVER }
    }
}

impl Alarms {
    /// Sets when a cause becomes due, or that it never does.
    #[cfg(test)]
    pub fn set(&mut self, alarm: Alarm, at: Option<Micros>) {
        self.put(alarm, at);
        self.find_next();
    }

    /// When a cause becomes due.
    #[cfg(test)]
    pub fn at(&self, alarm: Alarm) -> Micros {
        self.at[alarm as usize]
    }

    /// Sets it before [`Alarms::find_next`] is called: of several in a row, only the last needs that.
    pub fn put(&mut self, alarm: Alarm, at: Option<Micros>) {
        self.at[alarm as usize] = at.unwrap_or(Micros::NEVER);
    }

    /// Finds the earliest again.
    pub fn find_next(&mut self) {
        self.next = self.at.into_iter().min().unwrap_or(Micros::NEVER);
    }

    /// Makes a cause due by this moment at the latest.
    pub fn set_at_latest(&mut self, alarm: Alarm, at: Option<Micros>) {
        let at = at.unwrap_or(Micros::NEVER).min(self.at[alarm as usize]);
        self.at[alarm as usize] = at;
        self.next = self.next.min(at);
    }

    /// The next moment.
    #[inline]
    pub fn next(&self) -> Option<Micros> {
        (self.next != Micros::NEVER).then_some(self.next)
    }

    /// Whether any is due.
    #[inline]
    pub fn any_due(&self, now: Micros) -> bool {
        self.next <= now
    }

    /// When a cause happens if it is `now`: at its own time, however late, except overdue motion and checks.
    fn moment(&self, alarm: Alarm, now: Micros) -> Micros {
        let at = self.at[alarm as usize];
        let once = matches!(alarm, Alarm::Motion | Alarm::Watch);
        if once && at < Micros::NEVER { at.max(now.before(OVERDUE)) } else { at }
    }

    /// The next moment that is due by now.
    pub fn next_due(&self, now: Micros) -> Option<Micros> {
        Alarm::ALL.into_iter().map(|alarm| self.moment(alarm, now)).min().filter(|at| *at <= now)
    }

    /// Whether only this cause happens at a moment that is due by now.
    pub fn only(&self, alarm: Alarm, at: Micros, now: Micros) -> bool {
        self.next == self.at[alarm as usize]
            && Alarm::ALL.into_iter().all(|other| self.rings(other, at, now) == (other == alarm))
    }

    /// Whether a cause happens at a moment that is due by now.
    pub fn rings(&self, alarm: Alarm, at: Micros, now: Micros) -> bool {
        self.moment(alarm, now) <= at
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn overdue_motion_runs_once_and_other_alarms_in_order() {
        let mut alarms = Alarms::default();
        alarms.set(Alarm::Motion, Some(Micros::millis(8)));
        alarms.set(Alarm::Rumbles, Some(Micros::millis(500)));
        assert_eq!(alarms.next_due(Micros::millis(50)), Some(Micros::millis(8)));
        let late = Micros::seconds(2);
        assert_eq!(alarms.next_due(late), Some(Micros::millis(500)));
        assert!(!alarms.rings(Alarm::Motion, Micros::millis(500), late));
        alarms.set(Alarm::Rumbles, None);
        assert_eq!(alarms.next_due(late), Some(Micros::millis(1_900)));
        assert!(alarms.rings(Alarm::Motion, Micros::millis(1_900), late));
    }

    proptest! {
        #[test]
        fn the_next_event_is_always_the_earliest(acts in prop::collection::vec((0usize..11, prop::option::of(0u64..1000), any::<bool>()), 1..50)) {
            let (mut alarms, mut plain) = (Alarms::default(), [None::<u64>; 11]);
            for (which, at, latest) in acts {
                let alarm = *Alarm::ALL.iter().find(|alarm| **alarm as usize == which).expect("each is listed");
                if latest {
                    alarms.set_at_latest(alarm, at.map(Micros));
                    plain[which] = plain[which].into_iter().chain(at).min();
                } else {
                    alarms.set(alarm, at.map(Micros));
                    plain[which] = at;
                }
                prop_assert_eq!(alarms.next(), plain.into_iter().flatten().min().map(Micros));
            }
        }
    }
}
