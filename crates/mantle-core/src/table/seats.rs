//! Seats: on arrival, and by command.

use super::{Device, Effect, PLAIN, PartRef, Profile, Route, Slot, Table};
use crate::command::{Command, CommandNumber};
use crate::control::PARTS;
use crate::cover::Cover;
use crate::device::{DeviceId, Driver, Identity, Key, NodeId};
use crate::feel::Feel;
use crate::pad::PadKind;
use crate::path::{Mark, PadCondition};
use crate::planted::planted;
use crate::seating::{DevicePart, MemberId, Seat};
use crate::session::{Member, Session};
use crate::slot::Feedback;
use crate::slot::{MEMBERS, Remembered, RememberedSlot, SlotNumber};
use crate::time::Micros;
use std::sync::Arc;

impl Table {
    /// The profile with this name, or the plain one if there is none.
    #[must_use]
    pub fn profile_of(&self, name: &str) -> Arc<Profile> {
        let known = self.profiles.iter().find(|profile| profile.name == name).cloned();
        known.unwrap_or_else(|| Arc::new(Profile::plain(name, Feel::default())))
    }

    pub(super) fn new_slot(&self, kind: PadKind, profile: String) -> Slot {
        let mut session = Session::new(self.profile_of(&profile).feel);
        let kind = self.resolved(kind);
        let model = Arc::new(kind.model());
        let feel_before = *session.feel();
        session.set_model(Micros(0), model.clone());
        Slot {
            session,
            kind,
            profile,
            pad: if model.is_made() { PadCondition::Making } else { PadCondition::Unwanted },
            model,
            pad_node: String::new(),
            instead: None,
            made_at: Micros(0),
            delay: Default::default(),
            late: None,
            rumble: None,
            feedback: Feedback::default(),
            lamp: Default::default(),
            battery: None,
            shakes: None,
            tuning: super::Tuning::default(),
            keys: super::KeysNode::default(),
            bound: None,
            by_game: None,
            paused_by: None,
            last_press: None,
            feel_before,
            asked: false,
            retry_at: None,
            away_since: None,
        }
    }

    pub(super) fn restore_slot(&mut self, now: Micros, remembered: RememberedSlot) {
        let mut slot = self.new_slot(remembered.kind, remembered.profile);
        for key in remembered.members.into_iter().take(MEMBERS) {
            self.seating.add(remembered.number);
            slot.session.members.push(Member::absent(key));
        }
        if self.paused {
            slot.session.pause(now, true);
        }
        slot.session.set_away(now, self.front.rests() || self.asleep);
        slot.away_since = remembered.away_since;
        slot.feedback = remembered.feedback;
        self.slots.put(remembered.number, slot);
    }

    /// What is kept across restarts.
    #[must_use]
    pub fn remembered(&self) -> Remembered {
        let slots = self.slots().map(|(number, slot)| {
            let mut own = RememberedSlot {
                number,
                kind: slot.kind.clone(),
                profile: slot.profile.clone(),
                away_since: slot.away_since,
                feedback: slot.feedback,
                members: self
                    .members(number)
                    .zip(&slot.session.members)
                    .filter(|(member, _)| !self.is_lent(*member))
                    .map(|(_, member)| member.key.clone())
                    .collect(),
            };
            if let Some(by_game) = &slot.by_game {
                by_game.put_back(&mut own);
            }
            own
        });
        Remembered {
            slots: slots.collect(),
            taken_out: self.seating.kept.taken_out.clone(),
            left_to_game: self.seating.kept.left_to_game.clone(),
            pointers: self.seating.kept.pointers.clone(),
            shared_serials: self.seating.kept.shared_serials.clone(),
            nicknames: self.seating.kept.nicknames.clone(),
            locked: self.locked,
            sit_by_two: self.sitting.always,
            calibrated: self.calibrated.clone(),
            agreed: self.agreed.clone(),
            triggers_turned: self.triggers_turned.clone(),
            types_here: self.types_here,
            same: self.links.same.clone(),
        }
    }

    /// A device's identity, from its first part.
    pub(super) fn identity_of(&self, device: &Device) -> Option<Identity> {
        self.identity(device.id, device.parts.first().map_or(0, |part| part.number))
    }

    pub(super) fn identity(&self, device: DeviceId, part: u8) -> Option<Identity> {
        let parts = self.device(device)?.parts.iter().filter(|p| p.number == part);
        parts.filter_map(|part| self.source(part.source)).map(|source| source.facts.identity.clone()).next()
    }

    /// Seats the parts of a node that has just appeared.
    pub(super) fn seat_arrival(&mut self, now: Micros, device: DeviceId, node: NodeId, back: bool) {
        let parts: Vec<u8> = self
            .device(device)
            .map(|d| d.parts.iter().filter(|p| p.source == node).map(|p| p.number).collect())
            .unwrap_or_default();
        for part in parts {
            if self.seat(device, part).is_some() {
                continue;
            }
            let Some(identity) = self.identity(device, part) else { continue };
            let Some(source) = self.source(node) else { continue };
            let local = usize::from(part % 8);
            let layout = source.layout().and_then(|layout| layout.parts.get(local));
            let controller = layout.is_some_and(|part| part.is_game_controller());
            let generic = source.facts.driver == Driver::Generic;
            if controller {
                self.open(node);
            }
            if let Some((member, playing)) = self.known_by_link(device, part, &identity) {
                // If its device plays already, it waits.
                if !playing {
                    self.sit(now, device, part, member, !back);
                }
                continue;
            }
            if let Some(member) = self.place_kept_for(now, device, part, &identity) {
                self.sit(now, device, part, member, !back);
                continue;
            }
            let key = Key::new(&identity, part);
            let asked_here = self.seating.kept.asking.iter().any(|asked| asked.part.device == device);
            let wanted = !self.is_taken_out(&identity);
            let left = self.device(device).is_some_and(|d| d.cover == Cover::LeftToGame);
            if controller
                && generic
                && wanted
                && !asked_here
                && !left
                && !self.locked
                && let Some(slot) = self.slots.free()
            {
                self.slots.put(slot, self.new_slot(PadKind::default(), PLAIN.into()));
                self.sit_new(now, device, part, slot, key);
            }
        }
        self.clean_covering_parts(device);
    }

    /// After a device was covered, parts of nodes that did not come back are forgotten.
    fn clean_covering_parts(&mut self, device: DeviceId) {
        let alive: Vec<NodeId> = self.device(device).map(|d| d.sources.clone()).unwrap_or_default();
        self.drop_parts(device, |part| !alive.contains(&part.source));
    }

    /// Parts of a device are gone; their seats are empty.
    pub(super) fn drop_parts(&mut self, device: DeviceId, gone: impl Fn(&PartRef) -> bool) {
        let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0)) else { return };
        let seating = &mut self.seating;
        entry.parts.retain(|part| {
            let gone = gone(part);
            if gone {
                seating.rise(DevicePart { device, part: part.number });
            }
            !gone
        });
    }

    /// A part's seat.
    #[must_use]
    pub fn seat(&self, device: DeviceId, part: u8) -> Option<Seat> {
        self.seating.seat(DevicePart { device, part })
    }

    /// The members of a slot, in order.
    pub fn members(&self, slot: SlotNumber) -> impl Iterator<Item = MemberId> {
        self.seating.members(slot).map(|(member, _)| member)
    }

    /// Whether a part is connected, and not away to be covered.
    pub(super) fn is_here(&self, part: DevicePart) -> bool {
        self.part(part).is_some_and(|(_, part)| self.source(part.source).is_some())
    }

    pub(super) fn part(&self, part: DevicePart) -> Option<(&Device, &PartRef)> {
        let device = self.device(part.device)?;
        Some((device, device.parts.iter().find(|own| own.number == part.part)?))
    }

    /// The device and part of a slot's member, by index.
    #[must_use]
    pub fn part_of(&self, slot: SlotNumber, index: usize) -> Option<(&Device, &PartRef)> {
        self.part(self.seating.part_at(slot, index)?)
    }

    /// For whom each part of a node plays, as the road needs it.
    pub(super) fn routes_of(&self, node: NodeId) -> [Option<Route>; PARTS] {
        let mut routes = [None; PARTS];
        let device = self.source(node).and_then(|source| self.device(source.device));
        let parts = device.into_iter().flat_map(|device| device.parts.iter().map(move |part| (device.id, part)));
        for (device, part) in parts.filter(|(_, part)| part.source == node && part.local < PARTS) {
            routes[part.local] = self.seat(device, part.number).map(|seat| (seat.slot, seat.index));
        }
        routes
    }

    /// Derives again what the road needs.
    pub(super) fn derive_routes(&mut self) {
        if planted("the road is not told who sits where") {
            return;
        }
        for index in 0..self.sources.len() {
            let routes = self.routes_of(NodeId(index as u16));
            if let Some(Some(source)) = self.sources.get_mut(index) {
                source.routes = routes;
            }
        }
    }

    /// Devices without a seat are shown to games again.
    pub(super) fn uncover_idle(&mut self, left: impl IntoIterator<Item = DevicePart>) {
        for part in left {
            let idle = !self.seating.plays(part.device) && !planted("what is taken out stays covered");
            if let Some(Some(device)) = self.devices.get_mut(usize::from(part.device.0))
                && idle
                && device.cover != Cover::LeftToGame
            {
                device.cover = Cover::Bare;
                self.effects.push_back(Effect::Uncover(device.id));
            }
        }
    }

    /// Empties a slot; its pad and its typing nodes go.
    pub(super) fn drop_slot(&mut self, number: SlotNumber) {
        self.drop_keys(number);
        self.slots.remove(number);
        self.effects.push_back(Effect::DropPad { slot: number });
    }

    /// Seats a part in a slot as its newest member; it is no longer asked about or kept out.
    pub(super) fn sit_wanted(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        slot: SlotNumber,
        identity: &Identity,
    ) {
        let key = Key::new(identity, part);
        self.seating.kept.want(identity);
        self.seating.kept.asking.retain(|asked| asked.part != DevicePart { device, part });
        self.sit_new(now, device, part, slot, key);
    }

    /// Seats a part as a new member of a slot.
    pub(super) fn sit_new(&mut self, now: Micros, device: DeviceId, part: u8, number: SlotNumber, key: Key) {
        let Some(slot) = self.slots.get_mut(number) else { return };
        slot.session.members.push(Member::absent(key));
        let member = self.seating.add(number);
        self.sit(now, device, part, member, false);
    }

    /// Seats a part as an existing member.
    pub(super) fn sit(&mut self, now: Micros, device: DeviceId, part: u8, member: MemberId, back: bool) {
        let Some(identity) = self.identity(device, part) else { return };
        let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0)) else { return };
        let alive = entry.sources.clone();
        let Some(node) = entry.parts.iter().find(|p| p.number == part && alive.contains(&p.source)).map(|p| p.source)
        else {
            return;
        };
        self.seating.sit(DevicePart { device, part }, member);
        let Some(Seat { slot: number, index, .. }) = self.seating.seat_of(member) else { return };
        let Some(slot) = self.slot(number) else { return };
        let (profile, model) = (self.profile_of(&slot.profile), slot.model.clone());
        self.recall_learnt(device, part);
        let layout = self.calibrated_part(device, part);
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let opened = source.opened;
        source.fresh = true;
        let Some(slot) = self.slots.get_mut(number) else { return };
        slot.bound = Some(profile.clone());
        let beside = slot.session.beside(index);
        let Some(seat) = slot.session.members.get_mut(index) else { return };
        let key = Key::new(&identity, part);
        seat.key = key;
        if let Some(layout) = layout {
            seat.attach(&layout, &profile, &model, beside, opened);
        }
        if back {
            // It is back, or another device like it: earlier counts say nothing about it.
            slot.session.passed = Default::default();
        }
        self.open(node);
        self.share_out(number);
        self.note(now, Mark::Well, format!("{} sits in {number}", identity.name));
    }

    pub(super) fn place(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        slot: SlotNumber,
        kind: PadKind,
        profile: String,
    ) -> Result<Option<Command>, String> {
        let identity = self.identity(device, part).ok_or("that device is no longer connected")?;
        if !self.profiles.iter().any(|p| p.name == profile) {
            return Err(format!("there is no profile named {profile}"));
        }
        self.is_free_to_sit(device)?;
        if let Some(Seat { slot: from, .. }) = self.seat(device, part) {
            if from != slot {
                return self.move_slot(now, from, slot);
            }
            // Whatever may be refused comes first, so that nothing is half done.
            let was = self.slot(slot).map_or(kind.clone(), |entry| entry.kind.clone());
            self.change_kind(now, slot, kind)?;
            let Some(entry) = self.slots.get_mut(slot) else { return Ok(None) };
            let before = std::mem::replace(&mut entry.profile, profile);
            self.bind_slot(now, slot);
            return Ok(Some(Command::Place { device, part, slot, kind: was, profile: before }));
        }
        if let Some(entry) = self.slot(slot) {
            let names: Vec<&str> = entry.session.members.iter().map(|m| m.key.name.as_str()).collect();
            return Err(format!(
                "{slot} belongs to {}: take that out first, or choose another slot",
                names.join(" and ")
            ));
        }
        self.slots.put(slot, self.new_slot(kind, profile));
        self.sit_wanted(now, device, part, slot, &identity);
        if self.paused
            && let Some(entry) = self.slots.get_mut(slot)
        {
            entry.session.pause(now, true);
        }
        Ok(Some(Command::TakeOut { slot }))
    }

    pub(super) fn move_slot(
        &mut self,
        now: Micros,
        from: SlotNumber,
        to: SlotNumber,
    ) -> Result<Option<Command>, String> {
        if self.slots.get(from).is_none() {
            return Err(format!("{from} is empty"));
        }
        if from == to {
            return Ok(None);
        }
        [from, to].into_iter().try_for_each(|number| self.end_game_of(now, number))?;
        // Pads stay with their slots, and players with their settings change places; a paused player stays paused.
        let rests = [to, from].map(|number| self.slot(number).is_some_and(|slot| slot.session.paused()));
        for number in [from, to] {
            if let Some(slot) = self.slots.get_mut(number) {
                slot.session.pause(now, true);
            }
        }
        let target_was_empty = self.slots.get(to).is_none();
        if target_was_empty {
            // A player who moves to a free slot takes the kind of pad along.
            let kind = self.slot(from).map(|slot| slot.kind.clone()).unwrap_or_default();
            self.slots.put(to, self.new_slot(kind, PLAIN.into()));
        }
        if let Some([a, b]) = self.slots.pair_mut(from, to) {
            std::mem::swap(&mut a.session.members, &mut b.session.members);
            let (first, second) = (*a.session.feel(), *b.session.feel());
            a.session.set_feel(now, second);
            b.session.set_feel(now, first);
            std::mem::swap(&mut a.profile, &mut b.profile);
            std::mem::swap(&mut a.away_since, &mut b.away_since);
            for (slot, rests) in [a, b].into_iter().zip(rests) {
                slot.session.seen = crate::pad::Seen::default();
                slot.session.passed = Default::default();
                slot.session.pause(now, rests || self.paused);
            }
        }
        self.seating.swap(from, to);
        if self.slot(from).map(|slot| &slot.kind) != self.slot(to).map(|slot| &slot.kind) {
            [from, to].into_iter().for_each(|number| self.bind_members(now, number));
        }
        if target_was_empty {
            self.drop_slot(from);
        }
        [from, to].into_iter().for_each(|number| self.take_up(now, number));
        self.note(now, Mark::Well, format!("{from} and {to} have swapped"));
        Ok(Some(Command::Move { from: to, to: from }))
    }

    pub(super) fn take_out(
        &mut self,
        now: Micros,
        command: CommandNumber,
        number: SlotNumber,
    ) -> Result<Option<Command>, String> {
        let remembered = self.remembered().slots.into_iter().find(|slot| slot.number == number);
        let Some(remembered) = remembered else { return Err(format!("{number} is already empty")) };
        let left = self.seating.empty(number);
        self.drop_slot(number);
        self.uncover_idle(left);
        remembered.members.iter().for_each(|key| self.seating.kept.take_out(key));
        self.trash.push((command, remembered));
        self.note(now, Mark::Well, format!("{number} is empty"));
        Ok(Some(Command::Restore { slot: number, taken_out: command }))
    }
}
