//! What is connected, read from sysfs. Works without udev, and without opening any node.

use crate::connection;
use crate::driven;
use crate::sysfs::{attribute, names, usb_port};
use mantle_core::device::{Bus, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_helper::device::{HidDevice, Uevent, input_nodes};
use std::fs;
use std::path::Path;

/// All nodes that can be sources: hidraw nodes, then input nodes of devices that have no reports.
#[must_use]
pub fn nodes(sys: &Path) -> Vec<NodeFacts> {
    hidraw_nodes(sys).into_iter().chain(crate::evdev::input_nodes(sys).into_iter().map(|found| found.facts)).collect()
}

/// All hidraw nodes, in the order of their USB ports and paths, so that slots come out the same at every start.
/// Their numbers are not given yet.
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

/// What the HID device in this directory is called, and its vendor and product.
pub(crate) fn hid_name(device: &Path) -> Option<(String, (u16, u16))> {
    let uevent = fs::read_to_string(device.join("uevent")).ok()?;
    let uevent = Uevent(&uevent);
    let ids = uevent.ids().map_or((0, 0), |(_, vendor, product)| (vendor, product));
    Some((uevent.field("HID_NAME"), ids))
}

/// Whether the HID device in this directory is a pad of ours, of whichever engine: by its phys, and by the parent that uhid gives it. A
/// physical device may have the same ids, and a serial number like our addresses; it does not lie there.
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

/// A USB device without a USB parent (a stand-in) is told apart by its phys.
fn phys_port(bus: Bus, phys: &str) -> Option<String> {
    let stem = phys.rsplit_once("/input").map_or(phys, |(stem, _)| stem);
    (bus == Bus::USB && !stem.is_empty()).then(|| stem.to_owned())
}

fn input_version(device: &Path) -> u16 {
    let input = device.join("input");
    let first = names(&input).into_iter().find(|name| name.starts_with("input"));
    let text = first.and_then(|name| fs::read_to_string(input.join(name).join("id/version")).ok()).unwrap_or_default();
    u16::from_str_radix(text.trim(), 16).unwrap_or(0)
}

/// Input devices of another engine: the phys of each pad of ours that this process has not made.
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

    /// A tree as the kernel lays it out for a USB device with one interface.
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
    fn a_stand_in_without_a_usb_parent_has_its_phys_for_a_port() {
        assert_eq!(phys_port(Bus::USB, "lab-3/input0"), Some("lab-3".into()));
        assert_eq!(phys_port(Bus::BLUETOOTH, "00:11"), None);
        assert_eq!(usb_port(Path::new("/sys/devices/virtual/misc/uhid/0003:1209:0A02.0001")), None);
    }
}
