//! Links: one device by cable and by radio, or in another mode with other ids. One link plays, the others wait; changing
//! links is not a disconnect.

use super::{PartRef, Source, Table};
use crate::command::Command;
use crate::control::PartLayout;
use crate::cover::Cover;
use crate::device::{Bus, DeviceId, Identity, Key, Match, NodeId};
use crate::path::Mark;
use crate::seating::{DevicePart, MemberId};
use crate::slot::{RememberedSlot, SlotNumber};
use crate::time::Micros;

/// A link that moves while the playing one stands still for this long takes its place.
const UNMATCHED: Micros = Micros::millis(300);
/// A movement on both reaches the slower one within this time.
const BEHIND: Micros = Micros::millis(100);

/// What is known of devices with several links.
#[derive(Clone, Debug, Default)]
pub(super) struct Links {
    /// Groups of devices that the person says are the same.
    pub same: Vec<Vec<Key>>,
    /// Parts whose device plays already over another link, and as whom.
    pub waiting: Vec<(DevicePart, MemberId)>,
    /// Slots that parts have left because their device was said to be another's; restored when that is taken back.
    pub left: Vec<(DevicePart, RememberedSlot)>,
}

impl Links {
    /// Whether the person says that a remembered device and a connected one are the same.
    fn said_same(&self, key: &Key, identity: &Identity) -> bool {
        let other = Key::new(identity, 0);
        let is = |own: &Key| names(own, &other) || same_by_address(own.bus, &own.uniq, identity);
        self.same.iter().any(|group| group.iter().any(|own| names(own, key)) && group.iter().any(is))
    }
}

/// Whether both name the same device: by serial number, or by port if neither has one. The same model or the same port alone
/// is not enough.
fn names(own: &Key, other: &Key) -> bool {
    let model = |key: &Key| (key.bus, key.vendor, key.product);
    model(own) == model(other) && own.uniq == other.uniq && (!own.uniq.is_empty() || own.port == other.port)
}

/// Whether an address or serial number belongs to the same device on another bus.
pub(super) fn same_by_address(bus: Bus, uniq: &str, other: &Identity) -> bool {
    bus != other.bus && !uniq.is_empty() && uniq.eq_ignore_ascii_case(&other.uniq)
}

/// The better of two links; a cable beats radio.
fn is_better(identity: &Identity, than: &Identity) -> bool {
    identity.bus == Bus::USB && than.bus != Bus::USB
}

impl Table {
    /// Whether a remembered device is the connected one, over another link.
    pub(super) fn is_other_link(&self, key: &Key, identity: &Identity) -> bool {
        let kept = &self.seating.kept;
        // A serial number that two devices had says nothing about either.
        kept.uniq_counts(identity)
            && kept.uniq_counts(&key.identity())
            && (same_by_address(key.bus, &key.uniq, identity) || self.links.said_same(key, identity))
    }

    /// The part of a device that plays the same as another link's part: the one with that number, or its first controller.
    fn counterpart(&self, device: DeviceId, part: u8) -> Option<u8> {
        let parts = &self.device(device)?.parts;
        let controller = |own: &&PartRef| self.part_layout(own).is_some_and(PartLayout::is_game_controller);
        let own = parts.iter().find(|own| own.number == part).filter(controller);
        own.or_else(|| parts.iter().find(controller)).map(|own| own.number)
    }

    fn part_layout(&self, part: &PartRef) -> Option<&PartLayout> {
        self.source(part.source)?.layout()?.parts.get(part.local)
    }

    /// The member that a part belongs to by serial number or another link, and whether somebody plays there now.
    pub(super) fn known_by_link(&self, device: DeviceId, part: u8, identity: &Identity) -> Option<(MemberId, bool)> {
        let counts = self.seating.kept.uniq_counts(identity);
        let members =
            || self.slots().flat_map(|(number, slot)| self.seating.members(number).zip(&slot.session.members));
        let own = members()
            .find(|(_, member)| member.key.part == part && member.key.fits(identity, counts) == Some(Match::Uniq));
        let by_link = || {
            members().find(|(_, member)| {
                self.is_other_link(&member.key, identity) && self.counterpart(device, member.key.part) == Some(part)
            })
        };
        let ((member, playing), _) = own.or_else(by_link)?;
        Some((member, playing.is_some_and(|part| self.is_here(part))))
    }

    /// Whether a device was taken out, over this link or another.
    pub(super) fn is_taken_out(&self, identity: &Identity) -> bool {
        let kept = &self.seating.kept;
        kept.is_taken_out(identity) || kept.taken_out.iter().any(|key| self.is_other_link(key, identity))
    }

    /// The slot whose device also has this link.
    #[must_use]
    pub fn waits_for(&self, device: DeviceId) -> Option<SlotNumber> {
        let (_, member) = self.links.waiting.iter().find(|(part, _)| part.device == device)?;
        self.seating.seat_of(*member).map(|seat| seat.slot)
    }

    /// # Errors
    /// It waits for a slot whose device it is.
    pub(super) fn is_free_to_sit(&self, device: DeviceId) -> Result<(), String> {
        let Some(slot) = self.waits_for(device) else { return Ok(()) };
        let name = self.device(device).map_or("it", |device| device.name.as_str());
        Err(format!("{name} is the device of {slot} over another link, and already plays there"))
    }

    /// Works out again who waits: parts without a slot whose device plays over another link. If the place is free, they take it.
    pub(super) fn look_after_links(&mut self, now: Micros) {
        let mut all = Vec::new();
        for device in self.devices().filter(|device| device.cover != Cover::LeftToGame) {
            let parts =
                device.parts.iter().map(|part| (DevicePart { device: device.id, part: part.number }, part.source));
            all.extend(parts.filter(|(part, _)| self.seating.seat(*part).is_none() && self.is_here(*part)));
        }
        let before = std::mem::take(&mut self.links.waiting);
        for (part, node) in all {
            let Some(identity) = self.identity(part.device, part.part) else { continue };
            let Some((member, playing)) = self.known_by_link(part.device, part.part, &identity) else { continue };
            if !playing {
                self.sit(now, part.device, part.part, member, true);
                continue;
            }
            self.links.waiting.push((part, member));
            if !before.iter().any(|(own, _)| *own == part) {
                let slot = self.seating.seat_of(member).map(|seat| seat.slot.to_string()).unwrap_or_default();
                let text = format!("{} is {slot}'s, also by {}, which waits", identity.name, identity.place());
                self.note(now, Mark::Well, text);
                self.open(node);
            }
        }
        let waiting = &self.links.waiting;
        let over: Vec<DevicePart> =
            before.iter().map(|(part, _)| *part).filter(|part| !waiting.iter().any(|(own, _)| own == part)).collect();
        self.uncover_idle(over);
    }

    /// Better links, and links that move while the playing one stands still, take over.
    pub(super) fn look_at_links(&mut self, now: Micros) {
        for (part, member) in self.links.waiting.clone() {
            let playing = self.seating.seat_of(member).and_then(|seat| self.seating.part_at(seat.slot, seat.index));
            let of = |part: DevicePart| self.part(part).and_then(|(_, part)| self.source(part.source));
            let (Some(waits), Some(plays)) = (of(part), playing.and_then(of)) else { continue };
            if waits.changed.count == 0 {
                continue;
            }
            let (own, other) = (waits.changed.last, plays.changed.last);
            let alone = own.since(other) >= UNMATCHED && now.since(own) >= BEHIND;
            let better = is_better(&waits.facts.identity, &plays.facts.identity) && own.after(UNMATCHED) >= other;
            if alone || (better && own.since(other) < UNMATCHED) {
                self.change_link(now, part, member);
                self.settle(now);
            }
        }
    }

    /// Moves a member to another link; whatever is held on it stays held.
    pub(super) fn change_link(&mut self, now: Micros, part: DevicePart, member: MemberId) {
        let Some(seat) = self.seating.seat_of(member) else { return };
        let Some(identity) = self.identity(part.device, part.part) else { return };
        let Some((_, own)) = self.part(part) else { return };
        let (node, playing) = (own.source, self.seating.part_at(seat.slot, seat.index));
        self.links.waiting.retain(|(own, _)| *own != part);
        if let Some(before) = playing.filter(|before| self.is_here(*before)) {
            self.links.waiting.push((before, member));
        }
        self.seating.sit(part, member);
        self.recall_learnt(part.device, part.part);
        let (layout, frame) = (self.calibrated_part(part.device, part.part), self.source(node).map(|own| own.frame));
        let Some(slot) = self.slot(seat.slot) else { return };
        let (profile, model) = (self.profile_of(&slot.profile), slot.model.clone());
        let Some(slot) = self.slots.get_mut(seat.slot) else { return };
        let beside = slot.session.beside(seat.index);
        if let (Some(layout), Some(frame), Some(own)) = (layout, frame, slot.session.members.get_mut(seat.index)) {
            own.key = Key::new(&identity, part.part);
            own.change_link(&layout, &profile, &model, beside);
            slot.session.handle_due(now, seat.index, &frame);
        }
        self.note(now, Mark::Well, format!("{} now plays in {} by {}", identity.name, seat.slot, identity.place()));
    }

    /// Before a node goes, members that use it move to a waiting link, if that has sent anything.
    pub(super) fn take_other_link(&mut self, now: Micros, node: NodeId) {
        let parts: Vec<DevicePart> = self
            .devices()
            .flat_map(|device| device.parts.iter().map(move |part| (device.id, part)))
            .filter(|(_, part)| part.source == node)
            .map(|(device, part)| DevicePart { device, part: part.number })
            .collect();
        self.links.waiting.retain(|(part, _)| !parts.contains(part));
        for part in parts {
            let Some(member) = self.seating.seat(part).map(|seat| seat.member) else { continue };
            let own = self.links.waiting.iter().find(|(_, own)| *own == member).map(|(part, _)| *part);
            let Some(other) = own else { continue };
            let said = |source: &Source| source.good() > 0;
            if self.part(other).and_then(|(_, part)| self.source(part.source)).is_some_and(said) {
                self.change_link(now, other, member);
                self.links.waiting.retain(|(own, _)| *own != part);
            }
        }
    }

    /// Says that a connected device is a slot's own, in another mode or over another link, and remembers it.
    pub(super) fn same_device(
        &mut self,
        now: Micros,
        id: DeviceId,
        part: u8,
        number: SlotNumber,
    ) -> Result<Option<Command>, String> {
        let identity = self.identity(id, part).ok_or("that device is no longer connected")?;
        let slot = self.slot(number).ok_or_else(|| format!("{number} is empty"))?;
        let seated = self.seat(id, part);
        if seated.is_some_and(|seat| seat.slot == number) {
            return Err(format!("{} already plays in {number}", identity.name));
        }
        self.is_free_to_sit(id)?;
        // If the slot has several devices, the absent one is meant, or else the first.
        let away = |(index, _): &(usize, &crate::session::Member)| self.part_of(number, *index).is_none();
        let mut members = slot.session.members.iter().enumerate();
        let meant =
            members.clone().find(away).or_else(|| members.next()).map(|(index, member)| (index, member.key.clone()));
        let Some((index, key)) = meant else { return Err(format!("{number} has no device")) };
        let named = |identity: &Identity| {
            (identity.port.is_some() || !identity.uniq.is_empty()) && self.seating.kept.uniq_counts(identity)
        };
        if let Some(other) = [&identity, &key.identity()].into_iter().find(|one| !named(one)) {
            let name = if other.name.is_empty() { &key.name } else { &other.name };
            return Err(format!("{name} has neither a port nor a serial number, so it could not be recognised again"));
        }
        if let Some(seat) = seated {
            if self.slot(seat.slot).is_some_and(|own| own.session.members.len() > 1) {
                return Err(format!("{} is tied in {}: untie it there first", identity.name, seat.slot));
            }
            self.end_conversations(now);
            let own = DevicePart { device: id, part };
            self.links.left.retain(|(other, _)| *other != own);
            let left = self.remembered().slots.into_iter().find(|slot| slot.number == seat.slot);
            self.links.left.extend(left.map(|slot| (own, slot)));
            self.leave(now, seat, false);
        }
        self.seating.kept.want(&identity);
        self.seating.kept.asking.retain(|asked| asked.part != DevicePart { device: id, part });
        self.join_group(key, Key::new(&identity, part));
        let Some((member, playing)) = self.seating.members(number).nth(index) else { return Ok(None) };
        // If the other link plays, it waits.
        if !playing.is_some_and(|part| self.is_here(part)) {
            self.sit(now, id, part, member, true);
        }
        Ok(Some(Command::OtherDevice { device: id, part }))
    }

    fn join_group(&mut self, key: Key, other: Key) {
        let has = |group: &Vec<Key>, key: &Key| group.iter().any(|own| names(own, key));
        let mut joined = vec![key.clone(), other.clone()];
        self.links.same.retain(|group| {
            let meets = has(group, &key) || has(group, &other);
            if meets {
                joined.extend(group.iter().cloned());
            }
            !meets
        });
        let mut group: Vec<Key> = Vec::new();
        for key in joined {
            if !group.iter().any(|own| names(own, &key)) {
                group.push(key);
            }
        }
        self.links.same.push(group);
    }

    /// Makes a device separate, whatever was said before, with a place of its own.
    pub(super) fn other_device(&mut self, now: Micros, id: DeviceId, part: u8) -> Result<Option<Command>, String> {
        let identity = self.identity(id, part).ok_or("that device is no longer connected")?;
        let key = Key::new(&identity, part);
        let group = self.links.same.iter().position(|group| group.iter().any(|own| names(own, &key)));
        let Some(at) = group else {
            return Err(format!("{} was never said to be the same as another device", identity.name));
        };
        self.links.same[at].retain(|own| !names(own, &key));
        // A device that has a place already needs none.
        let first =
            self.links.same[at].first().filter(|first| self.has_no_other_place(std::slice::from_ref(first)).is_ok());
        let first = first.cloned();
        self.links.same.retain(|group| group.len() > 1);
        let own = DevicePart { device: id, part };
        let waits = self.links.waiting.iter().find(|(part, _)| *part == own).map(|(_, member)| *member);
        self.links.waiting.retain(|(part, _)| *part != own);
        let seat = self.seat(id, part);
        let member = waits.or(seat.map(|seat| seat.member));
        let number = member.and_then(|member| self.seating.seat_of(member)).map(|seat| seat.slot);
        if let Some((seat, first)) = seat.zip(first) {
            // The place stays, and waits for its own device.
            if let Some(slot) = self.slots.get_mut(seat.slot) {
                slot.session.release(now, seat.index);
                slot.session.members.get_mut(seat.index).into_iter().for_each(|own| own.key.clone_from(&first));
            }
            self.seating.rise(own);
            self.uncover_idle([own]);
        }
        let left = self.links.left.iter().position(|(other, _)| *other == own).map(|at| self.links.left.remove(at).1);
        let is_free = |slot: &RememberedSlot| self.slot(slot.number).is_none();
        if let Some(left) = left.filter(is_free).filter(|slot| self.has_no_other_place(&slot.members).is_ok()) {
            self.restore_slot(now, left);
            self.seat_waiting(now);
        } else if let Some(node) = self.part(own).map(|(_, part)| part.source) {
            self.seat_arrival(now, id, node, false);
        }
        Ok(number.map(|slot| Command::SameDevice { device: id, part, slot }))
    }
}
