//! Who a device is: all evidence is kept, and compared from the strongest to the weakest.

use serde::{Deserialize, Serialize};

/// The bus type of the Linux input system.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct Bus(pub u16);

impl Bus {
    /// USB.
    pub const USB: Self = Self(3);
    /// Bluetooth.
    pub const BLUETOOTH: Self = Self(5);

    /// The bus in a word.
    #[must_use]
    pub fn name(self) -> String {
        match self {
            Self::USB => "usb".into(),
            Self::BLUETOOTH => "bluetooth".into(),
            Self(6) => "virtual".into(),
            Self(0x18) => "i2c".into(),
            Self(other) => format!("bus {other:#04x}"),
        }
    }
}

/// All evidence of who a node's device is.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default)]
pub struct Identity {
    /// Bus type.
    pub bus: Bus,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Device version.
    pub version: u16,
    /// Its name: the person's nickname, or the system's name.
    pub name: String,
    /// The system's name, if there is a nickname.
    pub system_name: Option<String>,
    /// Serial number or Bluetooth address; empty if there is none.
    pub uniq: String,
    /// Physical path; for Bluetooth, the computer's adapter.
    pub phys: String,
    /// USB port path, for example `1-2.4`; none if the bus has no ports.
    pub port: Option<String>,
    /// Interface number, from the `/inputN` at the end of phys.
    pub interface: Option<u8>,
    /// Hash of the report descriptor.
    pub descriptor_hash: u64,
}

impl Identity {
    /// The system's name, ignoring any nickname.
    #[must_use]
    pub fn system_name(&self) -> &str {
        self.system_name.as_deref().unwrap_or(&self.name)
    }

    /// Whether two nodes are interfaces of one device: same ids and serial, same phys up to the interface, and
    /// different interfaces.
    #[must_use]
    pub fn same_device(&self, other: &Self) -> bool {
        let stem = |identity: &Self| {
            let phys = &identity.phys;
            identity.interface.and_then(|_| phys.rfind("/input").map(|at| phys[..at].to_owned()))
        };
        (self.bus, self.vendor, self.product, &self.uniq) == (other.bus, other.vendor, other.product, &other.uniq)
            && stem(self).is_some()
            && stem(self) == stem(other)
            && self.interface != other.interface
    }

    /// Whether two devices are the same model.
    #[must_use]
    pub fn same_model(&self, other: &Self) -> bool {
        (self.bus, self.vendor, self.product) == (other.bus, other.vendor, other.product)
    }

    /// Where it is plugged in, in short: `usb 1-2`, `bluetooth`.
    #[must_use]
    pub fn place(&self) -> String {
        match &self.port {
            Some(port) => format!("{} {port}", self.bus.name()),
            None => self.bus.name(),
        }
    }

    /// FNV-1a of a descriptor.
    #[must_use]
    pub fn hash_descriptor(bytes: &[u8]) -> u64 {
        bytes.iter().fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3))
    }
}

/// What is remembered of a part of a device across restarts.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct Key {
    /// Bus type.
    pub bus: Bus,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Name, shown while it is away.
    pub name: String,
    /// Serial number or address; empty if there is none.
    pub uniq: String,
    /// USB port path.
    pub port: Option<String>,
    /// Part of the device, from 0.
    pub part: u8,
}

/// How well a device fits a key, weakest first.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Match {
    /// Same model, elsewhere.
    Model,
    /// Same model at the same port.
    Port,
    /// Same serial number or address.
    Uniq,
}

impl Key {
    /// The key of a part of a device.
    #[must_use]
    pub fn new(identity: &Identity, part: u8) -> Self {
        Self {
            bus: identity.bus,
            vendor: identity.vendor,
            product: identity.product,
            name: identity.name.clone(),
            uniq: identity.uniq.clone(),
            port: identity.port.clone(),
            part,
        }
    }

    /// How well a device fits. `uniq_counts` is false for a model of which two present devices share a serial
    /// number, which then identifies nothing.
    #[must_use]
    pub fn fits(&self, identity: &Identity, uniq_counts: bool) -> Option<Match> {
        if (self.bus, self.vendor, self.product) != (identity.bus, identity.vendor, identity.product) {
            return None;
        }
        let both = uniq_counts && !self.uniq.is_empty() && !identity.uniq.is_empty();
        if both {
            return (self.uniq == identity.uniq).then_some(Match::Uniq);
        }
        if self.port.is_some() && self.port == identity.port {
            return Some(Match::Port);
        }
        Some(Match::Model)
    }

    /// Whether a device is this one, ignoring the part: by its serial number wherever it is plugged
    /// in, otherwise by its port, and if neither side has either, by its model. `uniq_counts` as in [`Key::fits`].
    #[must_use]
    pub fn is(&self, identity: &Identity, uniq_counts: bool) -> bool {
        let unnamed = (self.uniq.is_empty() && identity.uniq.is_empty()) || !uniq_counts;
        let bare = self.port.is_none() && identity.port.is_none() && unnamed;
        self.fits(identity, uniq_counts) > Some(Match::Model) || (bare && self.fits(identity, uniq_counts).is_some())
    }

    /// Whether another key is of the same device, by the same evidence.
    #[must_use]
    pub fn same_device(&self, other: &Self) -> bool {
        self.is(&other.identity(), true)
    }

    /// What it says of a device.
    #[must_use]
    pub fn identity(&self) -> Identity {
        Identity {
            bus: self.bus,
            vendor: self.vendor,
            product: self.product,
            uniq: self.uniq.clone(),
            port: self.port.clone(),
            ..Identity::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pad(uniq: &str, port: &str) -> Identity {
        Identity {
            bus: Bus::USB,
            vendor: 0x1209,
            product: 1,
            uniq: uniq.into(),
            phys: format!("usb-0000:00:14.0-{port}/input0"),
            port: Some(port.into()),
            interface: Some(0),
            ..Identity::default()
        }
    }

    #[test]
    fn a_serial_number_outweighs_the_port() {
        let key = Key::new(&pad("A1", "1-2"), 0);
        assert_eq!(key.fits(&pad("A1", "1-7"), true), Some(Match::Uniq));
        assert_eq!(key.fits(&pad("B2", "1-2"), true), None);
        assert_eq!(key.fits(&pad("A1", "1-7"), false), Some(Match::Model));
    }

    #[test]
    fn twins_without_a_serial_number_are_told_apart_by_port() {
        let key = Key::new(&pad("", "1-2"), 0);
        assert_eq!(key.fits(&pad("", "1-2"), true), Some(Match::Port));
        assert_eq!(key.fits(&pad("", "1-3"), true), Some(Match::Model));
    }

    #[test]
    fn interfaces_of_one_device_belong_together() {
        let first = pad("A1", "1-2");
        let second = Identity { interface: Some(1), phys: first.phys.replace("input0", "input1"), ..first.clone() };
        assert!(first.same_device(&second));
        assert!(!first.same_device(&first.clone()));
        assert!(!first.same_device(&pad("A1", "1-3")));
    }
}
