//! Watching: from time to time everything that plays is checked for what nobody would notice otherwise ([`crate::watch`]).

use super::alarms::Alarm;
use super::{Effect, Table};
use crate::control::ControlNumber;
use crate::device::{Access, Identity, Key};
use crate::path::{Mark, PadFault};
use crate::slot::SlotNumber;
use crate::time::Micros;
use crate::watch::{AT_REST, Outcome, SourceState, next_after};

/// How soon something that moves after a rest is checked, within the length of a tap.
const SOON: Micros = Micros::millis(50);
/// How long a press is mentioned after its release.
const SPOKEN_OF: Micros = Micros::seconds(6);
/// How often measurements are summed up, and how much of them is forgotten at a time.
const SUMMED: Micros = Micros::seconds(5);
const FORGOTTEN: Micros = Micros::seconds(10);
/// How many reports are needed before delay is reported.
const ENOUGH: u32 = 100;
/// The most disconnects that are counted.
const WITHIN: Micros = Micros::seconds(60);

/// The last press or movement in a slot, and what became of it.
#[derive(Clone, PartialEq, Debug)]
pub struct LastPress {
    /// The member, by index.
    pub member: usize,
    /// The control's name.
    pub control: String,
    /// What became of it.
    pub outcome: Outcome,
    /// Its value does not reach the pad because of the feel.
    pub shut: bool,
    /// When it was last seen.
    pub at: Micros,
}

/// The kinds of file, in the order of [`Table::file_faults`].
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum FilesOf {
    Profiles,
    Sheets,
    Settings,
    Pads,
    Rules,
}

/// What is kept between checks.
#[derive(Clone, Debug, Default)]
pub(super) struct Watching {
    looked: Micros,
    /// Measurements are summed up every five seconds, and their oldest part is forgotten every ten.
    summed: Micros,
    passed: Micros,
    /// Something moved after a rest, and has to be checked by then.
    soon: Option<Micros>,
    /// Nothing has come since the last check, so the next one can wait.
    pub at_rest: bool,
    /// Disconnected devices, and when.
    gone: Vec<(Identity, Micros)>,
    /// Why no pad can be made, found without making one.
    pub pads: Option<PadFault>,
    /// Who released everything.
    pub paused_by: Option<String>,
}

impl Table {
    /// When to check next.
    pub(super) fn look_due(&self) -> Option<Micros> {
        let open = self.sources.iter().flatten().any(|source| source.access == Access::Open);
        let period = if self.watching.at_rest { AT_REST } else { next_after(self.watching.looked) };
        let next = self.watching.looked.after(period);
        (open || self.watching.pads.is_some()).then(|| self.watching.soon.map_or(next, |soon| soon.min(next)))
    }

    /// A node has been opened: it is checked from now on.
    pub(super) fn look_from(&mut self, now: Micros) {
        self.watching.looked = self.watching.looked.max(now);
    }

    /// Something moves after a rest.
    #[cold]
    pub(super) fn look_soon(&mut self, now: Micros) {
        self.watching.at_rest = false;
        self.watching.soon = Some(now.after(SOON));
        self.alarms.set_at_latest(Alarm::Watch, self.look_due());
    }

    /// Checks everything that plays.
    pub(super) fn look_around(&mut self, now: Micros) {
        (self.watching.looked, self.watching.soon) = (now, None);
        self.watching.gone.retain(|(_, at)| now.since(*at) <= WITHIN);
        let mut news = false;
        for source in self.sources.iter_mut().flatten().filter(|source| source.access == Access::Open) {
            let state = SourceState {
                reports: source.reports.count,
                last: source.reports.last.max(source.opened.unwrap_or_default()),
                changed: source.changed.count,
                bad: source.bad.count,
            };
            news |= source.watch.look(now, state);
        }
        self.look_who_came();
        // A waiting link may have to take over at any time.
        self.watching.at_rest = !news && self.links.waiting.is_empty();
        self.give_back(now);
        self.look_at_links(now);
        for number in SlotNumber::all() {
            self.tell_battery(number);
            self.look_at_slot(now, number);
        }
        self.sum_up(now);
        // Lamps that show the battery follow it.
        self.refresh_outputs(now);
        if self.watching.pads.is_some() && self.slots().next().is_none() {
            self.effects.push_back(Effect::ProbePads);
        }
    }

    /// Sums up delays and gaps, and ages them.
    fn sum_up(&mut self, now: Micros) {
        if now.since(self.watching.summed) < SUMMED {
            return;
        }
        self.watching.summed = now;
        let forget = now.since(self.watching.passed) >= FORGOTTEN;
        if forget {
            self.watching.passed = now;
            for source in self.sources.iter_mut().flatten() {
                source.watch.gaps.pass();
            }
        }
        let late = self.preferences.limits.late;
        for number in SlotNumber::all() {
            let too_late = self.slot(number).and_then(|slot| {
                let summary = slot.delay.summary();
                let p99 = Micros(u64::from(summary.p99));
                (summary.count >= ENOUGH && p99 > late).then_some(p99)
            });
            if let Some(delay) = self.slots.delay(number).filter(|_| forget) {
                delay.pass();
            }
            if self.slot(number).is_some_and(|slot| slot.late != too_late)
                && let Some(slot) = self.slots.get_mut(number)
            {
                slot.late = too_late;
            }
        }
    }

    fn look_at_slot(&mut self, now: Micros, number: SlotNumber) {
        let members = self.slot(number).map_or(0, |slot| slot.session.members.len());
        let mut last = None;
        for index in 0..members {
            let node = self.part_of(number, index).map(|(_, part)| part.source);
            let Some(source) = node.and_then(|node| self.sources.get(usize::from(node.0))?.as_deref()) else {
                continue;
            };
            if source.good() == 0 {
                continue;
            }
            let Some(slot) = self.slots.get_mut(number) else { return };
            let member = &mut slot.session.members[index];
            member.look(now, &source.frame);
            if let Some(moved) = member.moved() {
                last = last.filter(|(at, _)| *at >= moved.last).or(Some((moved.last, index)));
            }
        }
        let Some(slot) = self.slot(number) else { return };
        let held = last.and_then(|(_, index)| {
            let moved = slot.session.members[index].moved().filter(|moved| moved.held)?;
            Some((index, moved.control))
        });
        let passes = held.is_some_and(|(index, control)| {
            let state = slot.session.state();
            slot.session.members[index].passes(control, |target| state.share(target) > 0.0)
        });
        let fresh = held.filter(|_| !passes).and_then(|(index, control)| self.lost_press(now, number, index, control));
        let Some(slot) = self.slots.get_mut(number) else { return };
        // Keys that pass are no longer asked about.
        let old = slot.last_press.take().filter(|last| !passes && now.since(last.at) <= SPOKEN_OF);
        slot.last_press = fresh.or(old);
    }

    /// What became of a press that does not reach the pad.
    #[cold]
    fn lost_press(&self, now: Micros, number: SlotNumber, index: usize, control: ControlNumber) -> Option<LastPress> {
        let slot = self.slot(number)?;
        let member = &slot.session.members[index];
        let name = &member.controls().iter().find(|own| own.number == control)?.name;
        let node = self.part_of(number, index)?.1.source;
        // The rules its members were bound by; the profile of that name may have changed, or be gone.
        let profile = slot.bound.clone().unwrap_or_else(|| self.profile_of(&slot.profile));
        let outcome = member.outcome(control, &self.source(node)?.frame, &profile);
        let shut = match &outcome {
            Outcome::Gives(given) => !slot.session.rests() && self.keeps_back(slot, given),
            _ => false,
        };
        Some(LastPress { member: index, control: name.clone(), outcome, shut, at: now })
    }

    /// Whether the pad shows nothing of a control's value.
    fn keeps_back(&self, slot: &super::Slot, given: &[(crate::binding::Target, f32)]) -> bool {
        let of_pad = given.iter().filter_map(|(target, share)| Some((target.pad()?, *share)));
        let mut of_pad = of_pad.filter(|(_, share)| slot.model.is_made() && *share > 0.0).peekable();
        let smoothed = slot.session.due().is_some();
        of_pad.peek().is_some()
            && !smoothed
            && of_pad.all(|(target, share)| {
                // Losing the little that lies in a normal dead zone is intended.
                share > 0.3 && slot.session.state().share(target) <= 0.0
            })
    }

    /// The latest moment known.
    pub(super) fn now(&self) -> Micros {
        let last = self.sources.iter().flatten().map(|source| source.reports.last).max();
        self.watching.looked.max(last.unwrap_or_default())
    }

    /// A device has disconnected.
    pub(super) fn count_going(&mut self, now: Micros, identity: &Identity) {
        self.watching.gone.push((identity.clone(), now));
    }

    /// How often such a device disconnected within the last minute.
    pub(super) fn goings(&self, key: &Key) -> usize {
        let same = |identity: &Identity| key.is(identity, self.seating.kept.uniq_counts(identity));
        self.watching.gone.iter().filter(|(identity, _)| same(identity)).count()
    }

    /// Files have been read again, with these faults.
    pub(super) fn files_read(&mut self, now: Micros, of: FilesOf, faults: Vec<String>) {
        let (which, what) =
            (of as usize, ["profiles", "sheets", "settings", "pad files", "rules for games"][of as usize]);
        let before = std::mem::replace(&mut self.file_faults[which], faults);
        let new: Vec<String> =
            self.file_faults[which].iter().filter(|fault| !before.contains(fault)).cloned().collect();
        for fault in new {
            self.note(now, Mark::Doubt, fault);
        }
        if self.file_faults[which].is_empty() && !before.is_empty() {
            self.note(now, Mark::Well, format!("all {what} can be read again"));
        }
    }

    /// Whether pads can be made, found without making one.
    pub(super) fn pads_probed(&mut self, fault: Option<PadFault>) {
        self.watching.pads = fault;
    }
}
