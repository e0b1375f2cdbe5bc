//! Looking at what a game would see: soon after each change, and repeatedly while somebody watches.

use super::alarms::Alarm;
use super::{Effect, Slot, Table};
use crate::cover::Cover;
use crate::device::DeviceId;
use crate::path::PadCondition;
use crate::sight::{GameList, Holder, ListedDevice, Look, Owner, SightView, Verdict, Whose};
use crate::slot::{SLOTS, SlotNumber};
use crate::time::Micros;

/// How long after a change everything has settled, and programs have opened what is new.
const SETTLES: Micros = Micros::millis(300);
/// How often to look while somebody watches.
const WATCHED_EVERY: Micros = Micros::seconds(2);
/// How often to look otherwise, since programs come and go.
const EVERY: Micros = Micros::seconds(20);

/// The last look, and what follows from it.
#[derive(Clone, Debug)]
pub(super) struct Looks {
    look: Option<Look>,
    owners: Vec<Owner>,
    sight: GameList,
    verdicts: [Verdict; SLOTS],
    /// When to look next.
    pub next: Micros,
    /// Whether a look is under way, and another one should follow it.
    asked: bool,
    again: bool,
    /// Whether anything has changed since the last one.
    outdated: bool,
    watched: bool,
}

impl Default for Looks {
    /// Whether nobody has looked yet, and nothing is there to look for.
    fn default() -> Self {
        Self {
            look: None,
            owners: Vec::new(),
            sight: GameList::default(),
            verdicts: Default::default(),
            next: Micros::NEVER,
            asked: false,
            again: false,
            outdated: false,
            watched: false,
        }
    }
}

impl Looks {
    /// The list, if nothing has changed since.
    fn current(&self) -> Option<&GameList> {
        self.look.as_ref().filter(|_| !self.outdated).map(|_| &self.sight)
    }
}

impl Table {
    /// What a game would see, by the last look.
    #[must_use]
    pub fn sight(&self) -> &GameList {
        &self.looks.sight
    }

    /// The same in words; none if nobody has looked yet.
    #[must_use]
    pub fn seen(&self) -> Option<SightView> {
        self.looks.look.as_ref()?;
        Some(SightView { outdated: self.looks.outdated, game: self.game_view(), ..self.looks.sight.view() })
    }

    /// What a game sees of a slot; unknown if anything has changed since the last look.
    #[must_use]
    pub fn verdict(&self, number: SlotNumber) -> &Verdict {
        const UNKNOWN: Verdict = Verdict::Unknown;
        if self.looks.outdated { &UNKNOWN } else { &self.looks.verdicts[number.index()] }
    }

    /// Which programs have a slot's pad open; none if unknown.
    #[must_use]
    pub fn readers(&self, number: SlotNumber) -> Option<&[Holder]> {
        Some(self.looks.current()?.pad_of(number).map_or(&[], |pad| &pad.holders))
    }

    /// Whether a screen is watching.
    pub(super) fn is_watched(&self) -> bool {
        self.looks.watched
    }

    /// Tells whether somebody is watching, which makes looks more frequent.
    pub fn handle_watched(&mut self, now: Micros, watched: bool) {
        if std::mem::replace(&mut self.looks.watched, watched) != watched && watched {
            self.look_within(now, SETTLES);
        }
    }

    /// Looks within this time.
    fn look_within(&mut self, now: Micros, span: Micros) {
        self.looks.next = self.looks.next.min(now.after(span));
        self.set_alarm(Alarm::Sight);
    }

    /// Looks now.
    pub(super) fn look_now(&mut self, now: Micros) {
        self.looks.outdated = true;
        self.look_within(now, Micros(0));
    }

    /// It is time to look.
    pub(super) fn ask_for_look(&mut self, due: Micros) {
        if std::mem::replace(&mut self.looks.asked, true) {
            // A look that is already under way may be of an earlier moment.
            self.looks.again = true;
        } else {
            self.effects.push_back(Effect::Look(self.game().map(|game| game.program.pid)));
            self.look_whether_ready();
        }
        self.looks.next = due.after(EVERY);
    }

    /// When to look next; never while there is no pad to be seen and nobody watching.
    pub(super) fn sight_due(&self) -> Option<Micros> {
        (self.looks.watched || self.slots().next().is_some())
            .then_some(self.looks.next)
            .filter(|at| *at < Micros::NEVER)
    }

    /// Handles a look. Returns whether it says anything new.
    pub(super) fn has_looked(&mut self, now: Micros, look: Look) -> bool {
        self.looks.asked = false;
        let held = self.looks.sight.list.iter().any(|seen| !seen.holders.is_empty());
        let news = self.take_look(look);
        let anew = self.cover_what_is_free(held && news);
        // Something wrong may be mended by somebody who does not tell us.
        let often = self.looks.watched || !self.looks.verdicts.iter().all(Verdict::is_well);
        let every = match std::mem::take(&mut self.looks.again) {
            true => Micros(0),
            false if often => WATCHED_EVERY,
            false => EVERY,
        };
        self.looks.next = now.after(every);
        self.set_alarm(Alarm::Sight);
        news || anew
    }

    fn take_look(&mut self, mut look: Look) -> bool {
        // Passing time is not news, so it is kept apart from what was seen.
        let at = look.at.take();
        if self.looks.look.as_ref() == Some(&look) && !self.looks.outdated {
            self.looks.sight.at = at;
            return false;
        }
        self.looks.outdated = self.looks.again;
        self.looks.look = Some(look);
        self.derive_sight();
        self.looks.sight.at = at;
        true
    }

    /// If pads and devices differ from the last look, look again.
    pub(super) fn look_after_sight(&mut self, now: Micros) {
        let owners = self.owners();
        if owners == self.looks.owners {
            return;
        }
        self.looks.owners = owners;
        self.looks.outdated = true;
        // A look that is already under way may be of the moment before.
        self.looks.again |= self.looks.asked;
        self.looks.next = self.looks.next.min(now.after(SETTLES));
    }

    fn derive_sight(&mut self) {
        let Some(look) = &self.looks.look else { return };
        let sight = GameList::of(look, &self.looks.owners);
        let game = self.game().map(|game| game.program.pid);
        let verdict = |number: SlotNumber| match self.slot(number).map(|slot| &slot.pad) {
            Some(PadCondition::Made) => Verdict::of_game(&sight, number, game),
            _ => Verdict::Unknown,
        };
        let mut verdicts = <[Verdict; SLOTS]>::default();
        SlotNumber::all().for_each(|number| verdicts[number.index()] = verdict(number));
        (self.looks.sight, self.looks.verdicts) = (sight, verdicts);
    }

    /// The owner of each node.
    fn owners(&self) -> Vec<Owner> {
        let mut owners = Vec::new();
        for (number, slot) in self.slots() {
            let Slot { pad, pad_node, .. } = slot;
            if *pad == PadCondition::Made {
                owners.push(Owner { node: pad_node.clone(), whose: Whose::Pad(number), cover: Cover::Bare });
            }
        }
        for device in self.devices() {
            let whose = Whose::Device(device.id, device.name.clone(), self.slot_of(device.id));
            for source in device.sources.iter().filter_map(|node| self.source(*node)) {
                for node in std::iter::once(&source.facts.path).chain(&source.facts.inputs) {
                    owners.push(Owner { node: node.clone(), whose: whose.clone(), cover: device.cover.clone() });
                }
            }
        }
        owners
    }

    /// Programs other than ours that have a device open.
    pub(super) fn held_by(&self, device: DeviceId) -> Vec<String> {
        let mut names: Vec<String> = Vec::new();
        for holder in self.looks.sight.of_device(device).flat_map(|seen| &seen.holders) {
            if !names.contains(&holder.name) {
                names.push(holder.name.clone());
            }
        }
        names
    }

    /// A device's input nodes, as seen; none if unknown.
    pub(super) fn seen_of(&self, device: DeviceId) -> Option<Vec<&ListedDevice>> {
        Some(self.looks.current()?.of_device(device).collect())
    }
}
