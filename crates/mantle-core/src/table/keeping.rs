//! How long a slot waits for its device, if not for ever.

use super::Table;
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// The furthest moment; no alarm is set for later.
const FAR: u64 = 1 << 40;

impl Table {
    /// Applies the settings.
    #[must_use]
    pub fn preferences(&self) -> &crate::preferences::Preferences {
        &self.preferences
    }

    /// Remembers since when a slot has been waiting, and forgets it once somebody plays there.
    pub(super) fn look_after_kept(&mut self, now: Micros) {
        let Some(began) = self.began.filter(|_| self.preferences.kept.is_some()) else { return };
        for number in SlotNumber::all() {
            let waits = self.seating.members(number).all(|(_, part)| part.is_none());
            let Some(slot) = self.slots.get_mut(number) else { continue };
            let since = began.saturating_add(now.0 / 1_000_000);
            slot.away_since = waits.then(|| slot.away_since.map_or(since, |before| before.min(since)));
        }
    }

    /// When the next slot is given up.
    pub(super) fn kept_until(&self) -> Option<Micros> {
        self.waiting().map(|(_, until)| until).min()
    }

    fn waiting(&self) -> impl Iterator<Item = (SlotNumber, Micros)> {
        let known = self.began.zip(self.preferences.kept);
        let until = move |since: u64| {
            let (began, kept) = known?;
            // A slot that began to wait before this run may be overdue already.
            let until = since.saturating_add(kept.0 / 1_000_000).saturating_sub(began).min(FAR);
            Some(Micros(until * 1_000_000))
        };
        self.slots.iter().filter_map(move |(number, slot)| Some((number, until(slot.away_since?)?)))
    }

    /// Gives up slots that have waited long enough; their profiles stay.
    pub(super) fn keep_no_longer(&mut self, now: Micros) {
        let over: Vec<SlotNumber> =
            self.waiting().filter(|(_, until)| *until <= now).map(|(number, _)| number).collect();
        for number in over {
            let Some(slot) = self.slot(number) else { continue };
            let names: Vec<String> = slot.session.members.iter().map(|member| member.key.name.clone()).collect();
            let text =
                format!("{number} is free again: {} has been away for longer than slots are kept", names.join(" and "));
            self.seating.empty(number);
            self.drop_slot(number);
            self.note(now, Mark::Well, text);
        }
    }
}
