//! Lending: the slot of an absent device goes to another one until its own device returns.

use super::{Device, Table};
use crate::command::Command;
use crate::device::DeviceId;
use crate::path::Mark;
use crate::seating::MemberId;
use crate::slot::SlotNumber;
use crate::time::Micros;

impl Table {
    /// Lends a slot to a part of a device.
    pub(super) fn lend(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        slot: SlotNumber,
    ) -> Result<Option<Command>, String> {
        let here = (0..self.members(slot).count()).find_map(|index| self.part_of(slot, index));
        if let Some((own, _)) = here {
            return Err(format!(
                "{} is connected and plays in {slot}: tie the other device instead, or place it elsewhere",
                own.name
            ));
        }
        let inverse = self.tie(now, device, part, slot)?;
        if let Some(seat) = self.seat(device, part) {
            self.lent.push(seat.member);
            let name = self.device(device).map(|device| device.name.clone()).unwrap_or_default();
            self.note(now, Mark::Well, format!("{slot} is lent to {name} until its own device is back"));
        }
        Ok(inverse)
    }

    /// Whether a member only has its slot until the slot's own devices are back.
    #[must_use]
    pub fn is_lent(&self, member: MemberId) -> bool {
        self.lent.contains(&member)
    }

    /// Borrowers whose slot's own device is back: the slot, the member's index, both devices' names, and whether
    /// the borrower is holding anything.
    pub(super) fn to_give_back(&self) -> impl Iterator<Item = (SlotNumber, usize, String, String, bool)> + '_ {
        self.lent.iter().filter_map(|member| {
            let seat = self.seating.seat_of(*member)?;
            let owner = self.members(seat.slot).enumerate().filter(|(_, own)| !self.is_lent(*own));
            let here = |(index, _): (usize, MemberId)| self.part_of(seat.slot, index).map(|(device, _)| device);
            let owner: &Device = owner.filter_map(here).next()?;
            let borrower = self.slot(seat.slot)?.session.members.get(seat.index)?;
            let held = borrower.bindings.list.iter().any(|binding| borrower.gives(binding.target) > 0.0);
            Some((seat.slot, seat.index, owner.name.clone(), borrower.key.name.clone(), held))
        })
    }

    /// A borrower gives the slot back once its own device is here and nothing is held, so that nothing is released in anybody's hands.
    pub(super) fn give_back(&mut self, now: Micros) {
        if self.lent.is_empty() {
            return;
        }
        let seating = &self.seating;
        self.lent.retain(|member| seating.seat_of(*member).is_some());
        let ready: Vec<_> = self.to_give_back().filter(|(.., held)| !held).collect();
        for (slot, index, owner, borrower, _) in ready {
            let Some(member) = self.members(slot).nth(index) else { continue };
            let Some(seat) = self.seating.seat_of(member) else { continue };
            self.lent.retain(|own| *own != member);
            self.end_conversations(now);
            self.leave(now, seat, true);
            self.note(now, Mark::Well, format!("{owner} is back: {borrower} has given {slot} back"));
            self.settle(now);
        }
    }
}
