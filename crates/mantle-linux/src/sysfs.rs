//! What a scan of sysfs says about a node, and the small readings that every scan needs.

use crate::opener::Wanted;
use mantle_core::device::{Bus, NodeFacts};
use mantle_core::evdev::{EvdevCaps, event};
pub(crate) use mantle_helper::device::names;
use std::fs;
use std::path::Path;

/// A node as found by a scan, and what the opener needs to know about it.
#[derive(Clone, Debug)]
pub(crate) struct FoundNode {
    pub facts: NodeFacts,
    pub wanted: Wanted,
    /// What an input node offers.
    pub caps: Option<EvdevCaps>,
}

/// An attribute of a device; empty if it does not exist.
pub(crate) fn attribute(device: &Path, name: &str) -> String {
    fs::read_to_string(device.join(name)).unwrap_or_default().trim().to_owned()
}

/// The port of the USB device that a path runs through: the last component such as `1-2.4`.
pub(crate) fn usb_port(device: &Path) -> Option<String> {
    let is_port = |part: &str| {
        let (bus, ports) = part.split_once('-')?;
        let digits = |text: &str| !text.is_empty() && text.chars().all(|c| c.is_ascii_digit() || c == '.');
        (digits(bus) && digits(ports)).then(|| part.to_owned())
    };
    device.components().rev().find_map(|component| is_port(component.as_os_str().to_str()?))
}

/// A USB device without a USB parent (a stand-in) is distinguished by its phys.
pub(crate) fn phys_port(bus: Bus, phys: &str) -> Option<String> {
    let stem = phys.rsplit_once("/input").map_or(phys, |(stem, _)| stem);
    (bus == Bus::USB && !stem.is_empty()).then(|| stem.to_owned())
}

/// The bits of a bitmap as sysfs writes it: words in hex, the highest first.
pub(crate) fn bits(text: &str) -> Vec<u16> {
    let words = text.split_ascii_whitespace().rev().map(|word| u64::from_str_radix(word, 16).unwrap_or(0));
    let mut codes = Vec::new();
    for (word, bits) in words.enumerate().take(64) {
        codes.extend((0..64).filter(|bit| bits >> bit & 1 != 0).map(|bit| (word * 64 + bit) as u16));
    }
    codes
}

/// What an input device offers; the ranges of its axes are not available here.
pub(crate) fn capabilities(input: &Path) -> EvdevCaps {
    let mut caps = EvdevCaps::default();
    for (kind, name) in [(event::KEY, "key"), (event::REL, "rel"), (event::ABS, "abs")] {
        let codes = bits(&attribute(input, &format!("capabilities/{name}")));
        caps.codes.extend(codes.into_iter().map(|code| (kind, code)));
    }
    caps.properties = bits(&attribute(input, "properties"));
    caps
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bitmaps_are_read_from_the_lowest_word() {
        assert_eq!(bits("1 0 8000000000000003"), [0, 1, 63, 128]);
        assert!(bits("").is_empty());
    }
}
