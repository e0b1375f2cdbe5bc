//! What is connected, read from sysfs. Works without udev, and without opening any node.

use crate::connection;
use crate::driven;
use crate::opener::Wanted;
use crate::sysfs::{FoundNode, attribute, names, phys_port, usb_port};
use mantle_core::control::{Layout, PartLayout};
use mantle_core::device::{Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_helper::device::{HidDevice, Uevent, input_nodes};
use mantle_hid::Descriptor;
use mantle_hid::usage::page;
use rustix::fs::Access;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// All nodes that can be sources: hidraw nodes, then input nodes of devices without reports, and of keyboards.
#[must_use]
pub fn nodes(sys: &Path) -> Vec<NodeFacts> {
    sources(sys).into_iter().map(|found| found.facts).collect()
}

/// The same, with what the opener needs to know.
pub(crate) fn sources(sys: &Path) -> Vec<FoundNode> {
    let all = hidraw_nodes(sys);
    let typing = typing(&all, |node| rustix::fs::access(node, Access::READ_OK | Access::WRITE_OK).is_ok());
    let reports = all.into_iter().filter(|facts| !typing.contains(Path::new(&facts.sysfs)));
    let reports = reports.map(|facts| FoundNode { wanted: Wanted::of(&facts), facts, caps: None });
    reports.chain(crate::evdev::input_nodes(sys, &typing)).collect()
}

/// The HID devices that are read through their event nodes: whole keyboards, and whatever else the same device points or types with, if all of these
/// nodes may be opened. Only this way can what plays be kept from the system while the rest goes on; their reports say no more than that.
fn typing(all: &[NodeFacts], may_open: impl Fn(&str) -> bool) -> BTreeSet<PathBuf> {
    let unit = |node: &NodeFacts| node.identity.port.clone().unwrap_or_else(|| node.sysfs.clone());
    let mut units: BTreeMap<String, Vec<(&NodeFacts, Vec<PartLayout>)>> = BTreeMap::new();
    for node in all {
        let parts = Descriptor::parse(&node.descriptor).map(|descriptor| Layout::new(&descriptor).parts);
        units.entry(unit(node)).or_default().push((node, parts.unwrap_or_default()));
    }
    let steers = |parts: &[PartLayout]| parts.iter().any(PartLayout::is_keyboard_or_mouse);
    let types = |unit: &[(&NodeFacts, Vec<PartLayout>)]| {
        let parts = || unit.iter().flat_map(|(_, parts)| parts);
        // A controller types only on the side, and is covered with everything that belongs to it.
        let beside = |part: &PartLayout| part.is_beside_keys() || part.usage.page() >= page::VENDOR_FIRST;
        parts().any(PartLayout::is_whole_keyboard)
            && parts().all(|part| part.is_keyboard_or_mouse() || beside(part))
            && unit.iter().filter(|(_, parts)| steers(parts)).all(|(node, _)| {
                let mut events = node.inputs.iter().filter(|path| path.starts_with("/dev/input/event")).peekable();
                events.peek().is_some() && events.all(|path| may_open(path))
            })
    };
    let typing = units.into_values().filter(|unit| types(unit)).flatten();
    typing.filter(|(_, parts)| steers(parts)).map(|(node, _)| node.sysfs.as_str().into()).collect()
}

/// All hidraw nodes, in the order of their USB ports and paths, so that slots are the same at every start. Their numbers are not assigned yet.
#[must_use]
pub fn hidraw_nodes(sys: &Path) -> Vec<NodeFacts> {
    let class = sys.join("class/hidraw");
    let mut nodes: Vec<NodeFacts> =
        names(&class).iter().filter_map(|name| hidraw_node(&class.join(name), name)).collect();
    nodes.sort_by(|a, b| (&a.identity.port, &a.sysfs).cmp(&(&b.identity.port, &b.sysfs)));
    nodes
}

/// The physical path of the HID device in this directory.
pub(crate) fn hid_phys(device: &Path) -> Option<String> {
    let uevent = fs::read_to_string(device.join("uevent")).ok()?;
    Some(Uevent(&uevent).field("HID_PHYS"))
}

/// The name of the HID device in this directory, and its vendor and product.
pub(crate) fn hid_name(device: &Path) -> Option<(String, (u16, u16))> {
    let uevent = fs::read_to_string(device.join("uevent")).ok()?;
    let uevent = Uevent(&uevent);
    let ids = uevent.ids().map_or((0, 0), |(_, vendor, product)| (vendor, product));
    Some((uevent.field("HID_NAME"), ids))
}

/// Whether the HID device in this directory is one of our pads, of whichever engine: by its phys, and by the parent that uhid gives it. A physical
/// device may have the same ids, and a serial number like our addresses, but not that place.
pub(crate) fn is_pad_of_ours(device: &Path, phys: &str) -> bool {
    let made = device.parent().is_some_and(|parent| parent.ends_with("misc/uhid"));
    made && phys.starts_with(crate::uinput::PHYS_PREFIX)
}

fn hidraw_node(entry: &Path, name: &str) -> Option<NodeFacts> {
    let device = fs::canonicalize(entry.join("device")).ok()?;
    let HidDevice { identity: said, driver, .. } = HidDevice::read(&device)?;
    if is_pad_of_ours(&device, &said.phys) {
        return None;
    }
    let descriptor = fs::read(device.join("report_descriptor")).ok()?;
    let (bus, phys) = (said.bus, said.phys);
    let interface = phys.rsplit_once("/input").and_then(|(_, n)| n.parse().ok());
    let inputs = input_nodes(&device);
    let version = inputs.first().map_or(0, |_| input_version(&device));
    let identity = Identity {
        bus,
        vendor: said.vendor,
        product: said.product,
        version,
        name: said.name,
        system_name: None,
        uniq: said.uniq,
        port: usb_port(&device).or_else(|| phys_port(bus, &phys)),
        phys,
        interface,
        descriptor_hash: Identity::hash_descriptor(&descriptor),
    };
    Some(NodeFacts {
        id: NodeId(u16::MAX),
        path: format!("/dev/{name}"),
        identity,
        kind: NodeKind::Reports,
        driver: Driver::named(&driver.unwrap_or_default()),
        inputs,
        driven: driven::offered(&device),
        connection: connection::connection(&device, &descriptor),
        descriptor,
        sysfs: device.display().to_string(),
    })
}

fn input_version(device: &Path) -> u16 {
    let input = device.join("input");
    let first = names(&input).into_iter().find(|name| name.starts_with("input"));
    let text = first.and_then(|name| fs::read_to_string(input.join(name).join("id/version")).ok()).unwrap_or_default();
    u16::from_str_radix(text.trim(), 16).unwrap_or(0)
}

/// Input devices of another engine: the phys of each of our pads that this process has not made.
#[must_use]
pub fn foreign_pads(sys: &Path) -> Vec<String> {
    let class = sys.join("class/input");
    let mine = format!("{}{}/", crate::uinput::PHYS_PREFIX, std::process::id());
    let of_events = names(&class)
        .into_iter()
        .filter(|name| name.starts_with("input"))
        .map(|name| attribute(&class.join(name), "phys"));
    let hid = sys.join("bus/hid/devices");
    let of_reports = names(&hid).into_iter().filter_map(|name| hid_phys(&hid.join(name)));
    of_events
        .chain(of_reports)
        .filter(|phys| phys.starts_with(crate::uinput::PHYS_PREFIX) && !phys.starts_with(&mine))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::device::Bus;

    /// A tree as the kernel presents it for a USB device with one interface.
    fn tree() -> tempfile::TempDir {
        let root = tempfile::tempdir().expect("a directory");
        let device = root.path().join("devices/pci0000:00/0000:00:14.0/usb1/1-2/1-2.4/1-2.4:1.0/0003:1209:0A02.0007");
        let make = |path: &Path| fs::create_dir_all(path).expect("made");
        make(&device.join("hidraw/hidraw3"));
        make(&device.join("input/input21/event5"));
        make(&device.join("input/input21/js0"));
        make(&device.join("input/input21/id"));
        fs::write(device.join("input/input21/id/version"), "0110\n").expect("written");
        fs::write(device.join("report_descriptor"), [0x05, 0x01]).expect("written");
        fs::write(
            device.join("uevent"),
            "DRIVER=hid-generic\nHID_ID=0003:00001209:00000A02\nHID_NAME=Quay pad\n\
             HID_PHYS=usb-0000:00:14.0-2.4/input0\nHID_UNIQ=Q7\n",
        )
        .expect("written");
        std::os::unix::fs::symlink("/sys/bus/hid/drivers/hid-generic", device.join("driver")).expect("linked");
        let class = root.path().join("class/hidraw/hidraw3");
        make(&class);
        std::os::unix::fs::symlink(&device, class.join("device")).expect("linked");
        root
    }

    #[test]
    fn a_node_is_read_without_being_opened() {
        let root = tree();
        let nodes = hidraw_nodes(root.path());
        let [node] = nodes.as_slice() else { panic!("one node, not {}", nodes.len()) };
        assert_eq!(node.path, "/dev/hidraw3");
        assert_eq!(node.driver, Driver::Generic);
        assert_eq!(node.inputs, ["/dev/input/event5", "/dev/input/js0"]);
        let identity = &node.identity;
        assert_eq!(
            (identity.bus, identity.vendor, identity.product, identity.version),
            (Bus::USB, 0x1209, 0x0a02, 0x0110)
        );
        assert_eq!(
            (identity.uniq.as_str(), identity.port.as_deref(), identity.interface),
            ("Q7", Some("1-2.4"), Some(0))
        );
    }

    #[test]
    fn keyboards_are_read_as_events_if_all_nodes_can_be_opened() {
        let hex = |text: &str| -> Vec<u8> {
            text.split(' ').map(|byte| u8::from_str_radix(byte, 16).expect("two digits")).collect()
        };
        let whole = hex("05 01 09 06 a1 01 05 07 19 04 29 3f 15 00 25 01 75 01 95 3c 81 02 75 04 95 01 81 01 c0");
        let media = hex("05 0c 09 01 a1 01 19 b5 29 b8 15 00 25 01 75 01 95 04 81 02 95 04 81 01 c0");
        let stick = hex("05 01 09 04 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 c0");
        let few = hex("05 01 09 06 a1 01 05 07 19 e0 29 e7 15 00 25 01 75 01 95 08 81 02 c0");
        let node = |number: u8, port: &str, descriptor: &[u8]| NodeFacts {
            sysfs: format!("/sys/{number}"),
            inputs: vec![format!("/dev/input/event{number}"), format!("/dev/input/js{number}")],
            descriptor: descriptor.to_vec(),
            identity: Identity { port: Some(port.into()), ..Identity::default() },
            ..hidraw_nodes(tree().path()).remove(0)
        };
        let all = [
            // With its media keys; beside a stick; a keypad; one of whose nodes may not be opened.
            node(1, "1-1", &whole),
            node(2, "1-1", &media),
            node(3, "1-2", &whole),
            node(4, "1-2", &stick),
            node(5, "1-3", &few),
            node(6, "1-4", &whole),
        ];
        let by_events = typing(&all, |path| path != "/dev/input/event6");
        assert_eq!(by_events.into_iter().collect::<Vec<_>>(), [PathBuf::from("/sys/1")]);
        assert_eq!(typing(&all, |path| path != "/dev/input/event1").into_iter().next(), Some("/sys/6".into()));
    }

    #[test]
    fn a_device_without_a_usb_parent_uses_its_phys_as_port() {
        assert_eq!(phys_port(Bus::USB, "lab-3/input0"), Some("lab-3".into()));
        assert_eq!(phys_port(Bus::BLUETOOTH, "00:11"), None);
        assert_eq!(usb_port(Path::new("/sys/devices/virtual/misc/uhid/0003:1209:0A02.0001")), None);
    }
}
