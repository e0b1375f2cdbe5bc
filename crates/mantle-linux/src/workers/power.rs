//! Batteries, if something other than a device's reports says how full they are.

use super::{Done, Workers};
use crate::opener::Wanted;
use mantle_core::device::NodeId;
use std::path::Path;

/// Where a battery's charge is known.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Supply {
    /// The directory of one of the kernel's power supplies.
    File(String),
    /// The address of a device by radio, which somebody else may know.
    Address(String),
}

impl Supply {
    /// Its charge, 0 to 1, and whether it is charging, as far as that is known; `known` is what somebody else has said about addresses.
    fn power(&self, known: &[(String, f32)]) -> Option<(f32, bool)> {
        match self {
            Self::File(path) => crate::driven::power(Path::new(path)),
            Self::Address(address) => {
                let own = known.iter().find(|(other, _)| other.eq_ignore_ascii_case(address));
                own.map(|(_, share)| (*share, false))
            }
        }
    }
}

impl Workers {
    /// Asks batteries, on a separate thread, since their drivers may ask the devices.
    pub fn read_power(&self, supplies: Vec<(NodeId, Wanted, Supply)>) {
        let batteries = self.batteries;
        self.aside("power", move |out| {
            let asked = supplies.iter().any(|(.., supply)| matches!(supply, Supply::Address(_)));
            let known = if asked { batteries() } else { Vec::new() };
            for (node, wanted, supply) in supplies {
                out.report(Done::Power(node, wanted, supply.power(&known)));
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_battery_by_radio_is_found_by_its_address_in_any_notation() {
        let known = [("A4:0B:11:22:33:44".to_owned(), 0.37)];
        let of = |address: &str| Supply::Address(address.into()).power(&known);
        assert_eq!(of("a4:0b:11:22:33:44"), Some((0.37, false)));
        assert_eq!(of("a4:0b:11:22:33:45"), None);
        // The kernel's own, from its files.
        let supply = tempfile::tempdir().expect("a directory");
        std::fs::write(supply.path().join("capacity"), "62\n").expect("written");
        std::fs::write(supply.path().join("status"), "Charging\n").expect("written");
        let file = Supply::File(supply.path().display().to_string());
        assert_eq!(file.power(&known), Some((0.62, true)));
    }
}
