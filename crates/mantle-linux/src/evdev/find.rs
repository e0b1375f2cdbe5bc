//! Input nodes that are sources: those of devices without reports of their own.

use crate::ioctls;
use crate::opener::Wanted;
use crate::sysfs::{FoundNode, attribute, capabilities, names, phys_port, usb_port};
use mantle_core::device::{Bus, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_core::evdev::{EvdevAxis, NodeCapabilities, event};
use rustix::fd::AsFd;
use rustix::fs::{Mode, OFlags};
use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

/// The key code of the letter A.
const LETTER: u16 = 30;
/// What an axis is assumed to be while its node may not be opened.
const UNKNOWN: (i32, i32) = (-32_768, 32_767);

/// All input nodes that somebody could play with, except our pads and those of HID devices other than these, in the order of their ports and paths.
pub(crate) fn input_nodes(sys: &Path, typing: &BTreeSet<PathBuf>) -> Vec<FoundNode> {
    let class = sys.join("class/input");
    let mut found: Vec<FoundNode> = names(&class)
        .iter()
        .filter(|name| name.starts_with("event"))
        .filter_map(|name| input_node(&class.join(name), name, typing))
        .collect();
    found.sort_by(|a, b| {
        let key = |found: &FoundNode| (found.facts.identity.port.clone(), found.facts.sysfs.clone());
        key(a).cmp(&key(b))
    });
    found
}

fn input_node(entry: &Path, name: &str, typing: &BTreeSet<PathBuf>) -> Option<FoundNode> {
    let device = fs::canonicalize(entry.join("device")).ok()?;
    let text = |name: &str| attribute(&device, name);
    let number = |name: &str| u16::from_str_radix(&text(name), 16).unwrap_or(0);
    let phys = text("phys");
    // A HID device is read through its reports, which say more; and our own pads are not read. While a driver is being bound again, a device's input
    // nodes exist before its hidraw node, so what counts is the bus.
    let on_hid = |parent: &Path| fs::canonicalize(parent.join("subsystem")).is_ok_and(|bus| bus.ends_with("hid"));
    let parent = device.ancestors().nth(2);
    let types = parent.is_some_and(|parent| typing.contains(parent));
    let hid = parent.is_some_and(|parent| on_hid(parent) || parent.join("hidraw").is_dir());
    if (hid && !types) || phys.starts_with(crate::uinput::PHYS_PREFIX) {
        return None;
    }
    let path = format!("/dev/input/{name}");
    let mut caps = capabilities(&device);
    // Beside the keyboard itself there may be nodes of its media keys and its switch.
    if types && !(caps.has(event::KEY, LETTER) || caps.has(event::REL, 0)) {
        return None;
    }
    caps.axes = axes(&path, caps.of(event::ABS).filter(|code| *code < 0x40));
    let vendor = number("id/vendor");
    let descriptor = NodeCapabilities::new(&caps, vendor)?.descriptor().to_vec();
    let bus = Bus(number("id/bustype"));
    let port = usb_port(&device).or_else(|| phys_port(bus, &phys).filter(|_| types));
    let identity = Identity {
        bus,
        vendor,
        product: number("id/product"),
        version: number("id/version"),
        name: text("name"),
        system_name: None,
        uniq: text("uniq"),
        port,
        interface: phys.rsplit_once("/input").and_then(|(_, n)| n.parse().ok()),
        phys,
        descriptor_hash: Identity::hash_descriptor(&descriptor),
    };
    let facts = NodeFacts {
        id: NodeId(u16::MAX),
        inputs: vec![path.clone()],
        driven: crate::driven::offered(&device),
        connection: crate::connection::connection(&device, &descriptor),
        path,
        identity,
        kind: NodeKind::Input,
        driver: Driver::InputNode,
        descriptor,
        sysfs: device.display().to_string(),
    };
    Some(FoundNode { wanted: Wanted::of(&facts), facts, caps: Some(caps) })
}

/// The ranges of some axes of an input node; the kernel only tells whoever may open it, and otherwise they are guessed.
#[must_use]
pub fn axes(path: &str, codes: impl Iterator<Item = u16>) -> Vec<EvdevAxis> {
    let mut codes = codes.peekable();
    if codes.peek().is_none() {
        return Vec::new();
    }
    let fd = rustix::fs::open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty()).ok();
    let one = |code| match fd.as_ref().and_then(|fd| ioctls::abs_info(fd.as_fd(), code).ok()) {
        Some(info) => EvdevAxis {
            code,
            min: info.minimum,
            max: info.maximum,
            fuzz: info.fuzz,
            flat: info.flat,
            resolution: info.resolution,
        },
        None => EvdevAxis { code, min: UNKNOWN.0, max: UNKNOWN.1, ..EvdevAxis::default() },
    };
    codes.map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A keyboard that is no HID device, a power button, and the input node of a HID device.
    #[test]
    fn nodes_without_reports_are_found() {
        let root = tempfile::tempdir().expect("a directory");
        let make = |device: &str, event: &str, keys: &str, hid: bool| {
            let device = root.path().join("devices").join(device);
            fs::create_dir_all(device.join("capabilities")).expect("made");
            fs::create_dir_all(device.join("id")).expect("made");
            fs::write(device.join("capabilities/key"), keys).expect("written");
            fs::write(device.join("id/bustype"), "0011\n").expect("written");
            fs::write(device.join("name"), "Sample keys\n").expect("written");
            fs::write(device.join("phys"), "isa0060/serio0/input0\n").expect("written");
            if hid {
                fs::create_dir_all(device.ancestors().nth(2).expect("a parent").join("hidraw/hidraw0")).expect("made");
            }
            if event == "event5" {
                let parent = device.ancestors().nth(2).expect("a parent");
                let bus = root.path().join("bus/hid");
                fs::create_dir_all(&bus).expect("made");
                std::os::unix::fs::symlink(bus, parent.join("subsystem")).expect("linked");
            }
            let class = root.path().join("class/input").join(event);
            fs::create_dir_all(&class).expect("made");
            std::os::unix::fs::symlink(&device, class.join("device")).expect("linked");
        };
        let letters = "402000000 3803078f800d001 feffffdfffefffff fffffffffffffffe";
        make("platform/serio0/input/input3", "event3", letters, false);
        make("platform/power/input/input1", "event1", "10000000000000 0", false);
        make("usb/0003:1209:0001.0001/input/input4", "event4", letters, true);
        // Its driver is being bound: the hidraw node is still to come.
        make("usb/0003:1209:0001.0002/input/input5", "event5", letters, false);
        let found = input_nodes(root.path(), &BTreeSet::new());
        let paths: Vec<&str> = found.iter().map(|found| found.facts.path.as_str()).collect();
        assert_eq!(paths, ["/dev/input/event3"]);
        let facts = &found[0].facts;
        assert!(facts.is_input_node());
        assert_eq!((facts.identity.bus, facts.identity.interface), (Bus(0x11), Some(0)));
        assert!(mantle_hid::Descriptor::parse(&facts.descriptor).is_ok());
    }
}
