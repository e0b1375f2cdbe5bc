//! Ties: several devices as one player.

use super::{PLAIN, Slot, Table};
use crate::command::{Command, CommandNumber};
use crate::device::{DeviceId, NodeId};
use crate::pad::PadKind;
use crate::path::Mark;
use crate::seating::{MemberId, Seat};
use crate::slot::{MEMBERS, RememberedSlot, SlotNumber};
use crate::time::Micros;

impl Table {
    /// Ties a part of a device to a slot that is in use; it leaves its former seat.
    pub(super) fn tie(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        slot: SlotNumber,
    ) -> Result<Option<Command>, String> {
        let identity = self.identity(device, part).ok_or("that device is no longer connected")?;
        let Some(entry) = self.slot(slot) else { return Err(format!("{slot} is empty: place it there instead")) };
        self.is_free_to_sit(device)?;
        let seat = self.seat(device, part);
        if seat.is_some_and(|seat| seat.slot == slot) {
            return Err(format!("{} already plays in {slot}", identity.name));
        }
        has_room(slot, entry)?;
        let back =
            seat.and_then(|seat| self.slot(seat.slot).map(|own| (seat.slot, own.kind.clone(), own.profile.clone())));
        self.end_conversations(now);
        if let Some(seat) = seat {
            // It plays on at once, and stays hidden from games.
            self.leave(now, seat, false);
        }
        self.sit_wanted(now, device, part, slot, &identity);
        // A paused slot is paused for its new member, too.
        if let Some(entry) = self.slots.get_mut(slot)
            && entry.session.paused()
        {
            entry.session.pause(now, true);
        }
        Ok(self.seat(device, part).map(|seat| Command::Untie { slot, member: seat.member, back }))
    }

    /// Unties a member; it gets no seat, or a slot of its own.
    pub(super) fn untie(
        &mut self,
        now: Micros,
        command: CommandNumber,
        slot: SlotNumber,
        member: MemberId,
        back: Option<(SlotNumber, PadKind, String)>,
    ) -> Result<Option<Command>, String> {
        let Some(entry) = self.slot(slot) else { return Err(format!("{slot} is empty")) };
        let seat = self.seating.seat_of(member).filter(|seat| seat.slot == slot);
        let gone = seat.and_then(|seat| Some((seat, entry.session.members.get(seat.index)?.key.clone())));
        let Some((seat, gone)) = gone else { return Err(format!("{slot} has no such device")) };
        if entry.session.members.len() == 1 {
            return Err(format!("{} is the only device in {slot}: take it out instead", gone.name));
        }
        let remembered = RememberedSlot {
            away_since: None,
            feedback: entry.feedback,
            number: slot,
            kind: entry.kind.clone(),
            profile: entry.profile.clone(),
            members: vec![gone.clone()],
        };
        let place = self.part_of(slot, seat.index).map(|(device, part)| (device.id, part.number));
        self.end_conversations(now);
        let free = back.filter(|(to, ..)| self.slot(*to).is_none());
        self.leave(now, seat, place.is_none() || free.is_none());
        match (place, free) {
            (Some((device, part)), Some((to, kind, profile))) => {
                let known = self.profiles.iter().any(|own| own.name == profile);
                let profile = if known { profile } else { PLAIN.to_owned() };
                self.place(now, device, part, to, kind, profile)?;
                return Ok(Some(Command::Tie { device, part, slot }));
            }
            _ => self.seating.kept.take_out(&gone),
        }
        self.trash.push((command, remembered));
        self.note(now, Mark::Well, format!("{} is no longer tied to {slot}", gone.name));
        Ok(Some(Command::TieAgain { slot, untied: command }))
    }

    /// Ties again what was untied under this number, once it is there.
    pub(super) fn tie_again(
        &mut self,
        now: Micros,
        slot: SlotNumber,
        untied: CommandNumber,
    ) -> Result<Option<Command>, String> {
        let at = self.trash.iter().position(|(number, _)| *number == untied).ok_or("nothing to restore")?;
        has_room(slot, self.slot(slot).ok_or_else(|| format!("{slot} is empty"))?)?;
        self.has_no_other_place(&self.trash[at].1.members)?;
        let Some(entry) = self.slots.get_mut(slot) else { return Err(format!("{slot} is empty")) };
        let (_, remembered) = self.trash.remove(at);
        let mut member = MemberId::default();
        for key in remembered.members {
            self.seating.kept.taken_out.retain(|other| !other.same_device(&key));
            entry.session.members.push(crate::session::Member::absent(key));
            member = self.seating.add(slot);
        }
        self.seat_waiting(now);
        Ok(Some(Command::Untie { slot, member, back: None }))
    }

    /// # Errors
    /// One of these devices has another seat by now.
    pub(super) fn has_no_other_place(&self, keys: &[crate::device::Key]) -> Result<(), String> {
        for (number, slot) in self.slots() {
            let members = self.members(number).zip(&slot.session.members).filter(|(id, _)| !self.is_lent(*id));
            for own in members.map(|(_, member)| &member.key) {
                let same = |key: &&crate::device::Key| {
                    let named = !key.uniq.is_empty() || key.port.is_some();
                    key.part == own.part && named && (own.same_device(key) || self.is_other_link(own, &key.identity()))
                };
                if let Some(key) = keys.iter().find(same) {
                    return Err(format!("{} now has a place in {number}: take it out there first", key.name));
                }
            }
        }
        Ok(())
    }

    /// A connected device without a seat takes the one kept for it, if any.
    pub(super) fn seat_waiting(&mut self, now: Micros) {
        let waiting: Vec<(DeviceId, NodeId)> =
            self.devices().flat_map(|d| d.sources.iter().map(|node| (d.id, *node))).collect();
        for (device, node) in waiting {
            self.seat_arrival(now, device, node, false);
        }
    }

    /// Removes a member from a slot; what it held is released, and if it gets no seat, games see it again. A slot without
    /// members loses its pad, too.
    pub(super) fn leave(&mut self, now: Micros, seat: Seat, uncover: bool) {
        let Some(slot) = self.slots.get_mut(seat.slot) else { return };
        slot.session.release(now, seat.index);
        let empty = slot.session.members.len() == 1;
        slot.session.members.remove(seat.index);
        slot.session.passed = Default::default();
        let left = self.seating.leave(seat.member);
        if uncover {
            self.uncover_idle(left);
        }
        if empty {
            self.drop_slot(seat.slot);
        } else {
            self.share_out(seat.slot);
        }
    }
}

/// # Errors
/// The slot is full.
fn has_room(number: SlotNumber, slot: &Slot) -> Result<(), String> {
    if slot.session.members.len() >= MEMBERS {
        return Err(format!("{number} has {MEMBERS} devices: more cannot be tied together"));
    }
    Ok(())
}
