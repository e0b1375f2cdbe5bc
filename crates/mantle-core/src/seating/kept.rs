//! What is kept for devices whether or not they are connected: who was taken out, who is left to the game, whose serial number means nothing, and
//! whom the person is asked about.

use super::DevicePart;
use crate::device::{Identity, Key};
use crate::slot::SlotNumber;

/// A part that could be one of several alike.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Asked {
    /// The part.
    pub part: DevicePart,
    /// The slot that is asked about.
    pub slot: SlotNumber,
}

/// All of it.
#[derive(Clone, Debug, Default)]
pub struct Kept {
    /// Devices that the person took out: they get no slot unasked.
    pub taken_out: Vec<Key>,
    /// Devices that games shall see.
    pub left_to_game: Vec<Key>,
    /// Mice that may be held while they play although there is no other.
    pub pointers: Vec<Key>,
    /// Serial numbers that two devices shared.
    pub shared_serials: Vec<Key>,
    /// What the person calls devices.
    pub nicknames: Vec<(Key, String)>,
    /// Parts that the person is asked about, in the order of their slots.
    pub asking: Vec<Asked>,
}

/// Adds a device to a list, or removes it.
fn list(keys: &mut Vec<Key>, identity: &Identity, counts: bool, is: bool) {
    keys.retain(|key| !key.is(identity, counts));
    if is {
        keys.push(Key::new(identity, 0));
    }
}

impl Kept {
    /// Whether a serial number identifies a device among its model: not if two of them ever shared it.
    #[must_use]
    pub fn uniq_counts(&self, identity: &Identity) -> bool {
        !self.shared_serials.iter().any(|key| {
            (key.bus, key.vendor, key.product, key.uniq.as_str())
                == (identity.bus, identity.vendor, identity.product, identity.uniq.as_str())
        })
    }

    /// Whether a device was taken out.
    #[must_use]
    pub fn is_taken_out(&self, identity: &Identity) -> bool {
        self.is_listed(&self.taken_out, identity)
    }

    /// Whether a device is left to the game.
    #[must_use]
    pub fn is_left_to_game(&self, identity: &Identity) -> bool {
        self.is_listed(&self.left_to_game, identity)
    }

    /// Whether a mouse may be held although there is no other.
    #[must_use]
    pub fn may_take_pointer(&self, identity: &Identity) -> bool {
        self.is_listed(&self.pointers, identity)
    }

    fn is_listed(&self, list: &[Key], identity: &Identity) -> bool {
        let counts = self.uniq_counts(identity);
        list.iter().any(|key| key.is(identity, counts))
    }

    /// The person's nickname for a device, if it has one.
    #[must_use]
    pub fn nickname(&self, identity: &Identity) -> Option<&str> {
        let counts = self.uniq_counts(identity);
        self.nicknames.iter().find(|(key, _)| key.is(identity, counts)).map(|(_, name)| name.as_str())
    }

    /// Sets a device's nickname; an empty one removes it.
    pub fn call(&mut self, identity: &Identity, name: &str) {
        let counts = self.uniq_counts(identity);
        self.nicknames.retain(|(key, _)| !key.is(identity, counts));
        if !name.is_empty() {
            let key = Key { name: identity.system_name().to_owned(), ..Key::new(identity, 0) };
            self.nicknames.push((key, name.to_owned()));
        }
    }

    /// A device is wanted again.
    pub fn want(&mut self, identity: &Identity) {
        let counts = self.uniq_counts(identity);
        self.taken_out.retain(|key| !key.is(identity, counts));
    }

    /// Whether a device must not get a slot unasked.
    pub fn take_out(&mut self, key: &Key) {
        if !self.taken_out.contains(key) {
            self.taken_out.push(key.clone());
        }
    }

    /// Whether a device is left to the game from now on.
    pub fn leave_to_game(&mut self, identity: &Identity, left: bool) {
        let counts = self.uniq_counts(identity);
        list(&mut self.left_to_game, identity, counts, left);
    }

    /// Whether a mouse may be held although there is no other, from now on.
    pub fn take_pointer(&mut self, identity: &Identity, taken: bool) {
        let counts = self.uniq_counts(identity);
        list(&mut self.pointers, identity, counts, taken);
    }

    /// Two connected devices have the same serial number, which counts for nothing from now on.
    pub fn share_serial(&mut self, identity: &Identity) {
        if self.uniq_counts(identity) {
            self.shared_serials.push(Key { port: None, ..Key::new(identity, 0) });
        }
    }

    /// Asks the person about a part; nothing changes if that is so already. Returns whether it is new.
    pub fn ask(&mut self, part: DevicePart, slot: SlotNumber) -> bool {
        let new = !self.asking.iter().any(|asked| asked.part == part);
        if new {
            self.asking.push(Asked { part, slot });
        }
        new
    }

    /// A part was identified as the one of a slot: whoever was asked about that slot is asked about the remaining one.
    pub fn answer(&mut self, part: DevicePart, slot: SlotNumber) {
        let own = self.asking.iter().position(|asked| asked.part == part);
        let freed = own.map_or(slot, |at| self.asking.remove(at).slot);
        for other in self.asking.iter_mut().filter(|other| other.slot == slot) {
            other.slot = freed;
        }
        self.asking.sort_by_key(|asked| asked.slot);
    }
}
