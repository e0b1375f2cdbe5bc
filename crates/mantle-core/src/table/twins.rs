//! Twins: devices of one model, whose seat is whose, and what the person is asked.

use super::Table;
use crate::device::{DeviceId, Identity, Match, NodeId};
use crate::path::Mark;
use crate::planted::planted;
use crate::seating::{Asked, DevicePart, MemberId};
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// A serial number shared with another connected device is remembered, and no longer counts.
    pub(super) fn meet_twin(&mut self, device: DeviceId, identity: &Identity) {
        let same = |other: &Identity| other.same_model(identity) && other.uniq == identity.uniq;
        let shared = !identity.uniq.is_empty()
            && self.devices().filter(|other| other.id != device).any(|other| {
                let mut sources = other.sources.iter().filter_map(|node| self.source(*node));
                sources.any(|source| same(&source.facts.identity))
            });
        if shared {
            self.seating.kept.share_serial(identity);
        }
    }

    /// The member whose seat is kept for a part, if that is certain; asks otherwise.
    pub(super) fn place_kept_for(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        identity: &Identity,
    ) -> Option<MemberId> {
        let uniq_counts = self.seating.kept.uniq_counts(identity);
        let mut fits: Vec<(Match, SlotNumber, MemberId)> = Vec::new();
        let mut remembered_of_model = 0;
        for (number, slot) in self.slots() {
            for ((id, playing), member) in self.seating.members(number).zip(&slot.session.members) {
                if member.key.part != part {
                    continue;
                }
                let Some(fit) = member.key.fits(identity, uniq_counts) else { continue };
                remembered_of_model += 1;
                if !playing.is_some_and(|part| self.is_here(part)) {
                    fits.push((fit, number, id));
                }
            }
        }
        let best = fits.iter().max_by_key(|(fit, number, _)| (*fit, std::cmp::Reverse(*number))).copied()?;
        if best.0 > Match::Model {
            return Some(best.2);
        }
        let present_of_model = self
            .devices()
            .filter(|d| self.waits_for(d.id).is_none())
            .filter(|d| d.sources.iter().filter_map(|n| self.source(*n)).any(|s| s.facts.identity.same_model(identity)))
            .count();
        if remembered_of_model == 1 && (present_of_model == 1 || planted("a twin is guessed")) {
            return Some(best.2);
        }
        // If several are asked about, each is asked about another slot.
        let asked = |slot: SlotNumber| self.seating.kept.asking.iter().any(|own| own.slot == slot);
        let slot = fits.iter().map(|(_, number, _)| *number).filter(|slot| !asked(*slot)).min().unwrap_or(best.1);
        if self.seating.kept.ask(DevicePart { device, part }, slot) {
            self.ask(now);
        }
        None
    }

    /// Asks about the first of several that look alike.
    pub(super) fn ask(&mut self, now: Micros) {
        let Some(Asked { part, slot }) = self.seating.kept.asking.first().copied() else { return };
        let Some(name) = self.identity(part.device, part.part).map(|identity| identity.name) else { return };
        let text = format!("{name}: two are alike: press a button on the one for {slot}");
        if self.notes.back().is_none_or(|last| last.text != text) {
            self.note(now, Mark::Ask, text);
        }
    }

    pub(super) fn answer_twin(&mut self, now: Micros, node: NodeId) {
        let Some(Asked { part: asked, slot }) = self.seating.kept.asking.first().copied() else { return };
        let Some(source) = self.source(node) else { return };
        let (device, identity) = (source.device, source.facts.identity.clone());
        let part = asked.part;
        let like = self.identity(asked.device, part).is_some_and(|asked| asked.same_model(&identity));
        let local = usize::from(part % 8);
        let sits = self.seat(device, part).is_some() || self.waits_for(device).is_some();
        if !like || sits || !Self::any_button(source, local) {
            return;
        }
        self.sit_asked(now, DevicePart { device, part }, slot, &identity);
        // The press was the answer.
        if let Some(seat) = self.seat(device, part)
            && let Some(slot) = self.slots.get_mut(seat.slot)
            && let Some(member) = slot.session.members.get_mut(seat.index)
        {
            member.hold_off();
        }
        // With one device and one possible seat left, there is nothing to ask.
        let alike = |asked: &Asked| {
            self.identity(asked.part.device, asked.part.part).is_some_and(|other| other.same_model(&identity))
        };
        let left: Vec<Asked> = self.seating.kept.asking.iter().copied().filter(alike).collect();
        let places: Vec<SlotNumber> =
            SlotNumber::all().flat_map(|slot| self.kept_places(slot, &identity, None).map(move |_| slot)).collect();
        if let ([asked], [slot]) = (left.as_slice(), places.as_slice()) {
            self.sit_asked(now, asked.part, *slot, &identity);
        }
        self.ask(now);
    }

    /// Absent members of a slot whose seats are kept for a device like this one.
    pub(super) fn kept_places(
        &self,
        slot: SlotNumber,
        identity: &Identity,
        part: Option<u8>,
    ) -> impl Iterator<Item = MemberId> {
        let counts = self.seating.kept.uniq_counts(identity);
        let keys = self.slot(slot).into_iter().flat_map(|entry| entry.session.members.iter().map(|member| &member.key));
        let away = self.seating.members(slot).zip(keys).filter(move |((_, playing), key)| {
            part.is_none_or(|part| key.part == part)
                && key.fits(identity, counts).is_some()
                && !playing.is_some_and(|part| self.is_here(part))
        });
        away.map(|((member, _), _)| member)
    }

    /// Seats a part in the seat kept for one like it; it is no longer asked about.
    pub(super) fn sit_asked(&mut self, now: Micros, part: DevicePart, slot: SlotNumber, identity: &Identity) {
        let member = self.kept_places(slot, identity, Some(part.part)).next();
        self.seating.kept.answer(part, slot);
        if let Some(member) = member {
            self.sit(now, part.device, part.part, member, true);
        }
    }
}
