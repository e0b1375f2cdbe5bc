//! Who sits where and who plays with whom: the only record of it, and what is kept for whom. Every member of a slot has a permanent number: it is not
//! a place in a list, and no other member ever gets it. Whatever else is asked (which slot a part of a device plays in, which member it is, what the
//! road of a report needs) is derived from this record.

mod kept;

pub use kept::{Asked, Kept};

use crate::device::DeviceId;
use crate::planted::planted;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The number of a member of a slot; unique within a run.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct MemberId(pub u32);

/// A part of a connected device.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct DevicePart {
    /// The device.
    pub device: DeviceId,
    /// The part's number within it.
    pub part: u8,
}

/// Where somebody sits.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Seat {
    /// The slot.
    pub slot: SlotNumber,
    /// The member that plays there.
    pub member: MemberId,
    /// Its place among the members of the slot, which changes when an earlier one leaves.
    pub index: usize,
}

/// One member: where it plays, and the part that plays, while that is connected.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
struct Membership {
    slot: SlotNumber,
    member: MemberId,
    part: Option<DevicePart>,
}

/// All members of all slots, in the order in which they came.
#[derive(Clone, Debug, Default)]
pub struct Seating {
    places: Vec<Membership>,
    last: u32,
    /// What is kept for devices whether or not they are connected.
    pub kept: Kept,
}

impl Seating {
    /// Adds a member to a slot; it is away until a part sits down.
    pub fn add(&mut self, slot: SlotNumber) -> MemberId {
        if !planted("a member gets another one's number") {
            self.last += 1;
        }
        let member = MemberId(self.last);
        self.places.push(Membership { slot, member, part: None });
        member
    }

    /// A part plays as this member from now on, and as nobody else.
    pub fn sit(&mut self, part: DevicePart, member: MemberId) {
        self.rise(part);
        if let Some(place) = self.places.iter_mut().find(|place| place.member == member) {
            place.part = Some(part);
        }
    }

    /// A part plays as nobody; the place of its member is kept.
    pub fn rise(&mut self, part: DevicePart) {
        self.rise_where(|own| own == part);
    }

    /// All parts of a device play as nobody.
    pub fn rise_all(&mut self, device: DeviceId) {
        self.rise_where(|own| own.device == device);
    }

    fn rise_where(&mut self, gone: impl Fn(DevicePart) -> bool) {
        for place in &mut self.places {
            place.part = place.part.filter(|part| !gone(*part));
        }
    }

    /// A member leaves for good; returns the part that it was.
    pub fn leave(&mut self, member: MemberId) -> Option<DevicePart> {
        let at = self.places.iter().position(|place| place.member == member)?;
        self.places.remove(at).part
    }

    /// All members of a slot leave for good; returns the parts that they were.
    pub fn empty(&mut self, slot: SlotNumber) -> Vec<DevicePart> {
        let parts = self.members(slot).filter_map(|(_, part)| part).collect();
        self.places.retain(|place| place.slot != slot);
        parts
    }

    /// Exchanges the members of two slots.
    pub fn swap(&mut self, first: SlotNumber, second: SlotNumber) {
        for place in &mut self.places {
            place.slot = match place.slot {
                slot if slot == first => second,
                slot if slot == second => first,
                slot => slot,
            };
        }
    }

    /// The members of a slot in order, and the parts that they are.
    pub fn members(&self, slot: SlotNumber) -> impl Iterator<Item = (MemberId, Option<DevicePart>)> {
        self.places.iter().filter(move |place| place.slot == slot).map(|place| (place.member, place.part))
    }

    /// The part that plays as the member at a place of a slot.
    #[must_use]
    pub fn part_at(&self, slot: SlotNumber, index: usize) -> Option<DevicePart> {
        self.members(slot).nth(index)?.1
    }

    /// Where a part sits.
    #[must_use]
    pub fn seat(&self, part: DevicePart) -> Option<Seat> {
        self.seat_where(|place| place.part == Some(part))
    }

    /// Where a member sits.
    #[must_use]
    pub fn seat_of(&self, member: MemberId) -> Option<Seat> {
        self.seat_where(|place| place.member == member)
    }

    fn seat_where(&self, wanted: impl Fn(&Membership) -> bool) -> Option<Seat> {
        let at = self.places.iter().position(wanted)?;
        let Membership { slot, member, .. } = self.places[at];
        let index = self.places[..at].iter().filter(|place| place.slot == slot).count();
        Some(Seat { slot, member, index })
    }

    /// Whether any part of a device plays.
    #[must_use]
    pub fn plays(&self, device: DeviceId) -> bool {
        self.places.iter().any(|place| place.part.is_some_and(|part| part.device == device))
    }
}

#[cfg(test)]
mod tests;
