//! What sysfs says about delays on the way to a device: its polling interval, hubs, autosuspend.

use crate::sysfs::{attribute, names, usb_port};
use mantle_core::device::Connection;
use mantle_core::time::Micros;
use std::path::{Path, PathBuf};

/// The kernel's settings for polling intervals, by the first application in the descriptor: mouse, joystick, keyboard. There is none for game pads.
const SETTINGS: [(u8, &str); 3] = [(2, "mousepoll"), (4, "jspoll"), (6, "kbpoll")];
/// A USB interface is at most this far above what its driver makes.
const ABOVE: usize = 6;

/// The connection of the device in this directory, a HID device's or an input device's.
#[must_use]
pub fn connection(device: &Path, descriptor: &[u8]) -> Connection {
    // The USB interface is the first directory above that has an endpoint.
    let mut above = device.ancestors().take(ABOVE);
    let Some((interface, endpoint)) = above.find_map(|above| Some((above, endpoint(above)?))) else {
        return Connection::default();
    };
    let asks = setting(descriptor).and_then(|name| {
        // The module's directory is at the root of the device's tree.
        let root = interface.ancestors().find(|above| above.join("module").is_dir())?;
        let value = attribute(&root.join("module/usbhid/parameters"), name).parse().ok()?;
        Some((format!("usbhid.{name}"), value))
    });
    // A port such as 1-2.4 has a hub for each point.
    let hubs = usb_port(interface).map_or(0, |port| port.matches('.').count() as u8);
    let rests = interface.parent().is_some_and(|usb| attribute(usb, "power/control") == "auto");
    Connection { interval: interval(&attribute(&endpoint, "interval")), asks, hubs, rests }
}

/// The endpoint that a device's reports come from: the first interrupt endpoint that is read.
fn endpoint(interface: &Path) -> Option<PathBuf> {
    let mut all = names(interface).into_iter().filter(|name| name.starts_with("ep_")).map(|name| interface.join(name));
    all.find(|one| attribute(one, "direction") == "in" && attribute(one, "type") == "Interrupt")
}

/// An interval as sysfs writes it: `8ms`, or `125us`.
fn interval(text: &str) -> Option<Micros> {
    let number = |digits: &str| digits.parse::<u64>().ok();
    match text.strip_suffix("ms") {
        Some(digits) => number(digits).map(Micros::millis),
        None => text.strip_suffix("us").and_then(number).map(Micros),
    }
}

/// The setting for a device with this descriptor, by its first application.
fn setting(descriptor: &[u8]) -> Option<&'static str> {
    match descriptor {
        [0x05, 0x01, 0x09, usage, ..] => SETTINGS.iter().find(|(own, _)| own == usage).map(|(_, name)| *name),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn the_connection_of_a_usb_device_is_read() {
        let root = tempfile::tempdir().expect("a directory");
        let usb = root.path().join("devices/pci0000:00/usb1/1-2/1-2.4");
        let device = usb.join("1-2.4:1.0/0003:1209:0A02.0007");
        let file = |path: &Path, text: &str| {
            fs::create_dir_all(path.parent().expect("a parent")).expect("made");
            fs::write(path, text).expect("written");
        };
        file(&device.join("uevent"), "");
        file(&usb.join("power/control"), "auto\n");
        for (endpoint, direction, interval) in [("ep_02", "out", "4ms"), ("ep_81", "in", "8ms")] {
            let endpoint = usb.join("1-2.4:1.0").join(endpoint);
            file(&endpoint.join("direction"), &format!("{direction}\n"));
            file(&endpoint.join("type"), "Interrupt\n");
            file(&endpoint.join("interval"), &format!("{interval}\n"));
        }
        file(&root.path().join("module/usbhid/parameters/jspoll"), "0\n");
        let stick = [0x05, 0x01, 0x09, 0x04, 0xa1, 0x01];
        let expected = Connection {
            interval: Some(Micros::millis(8)),
            asks: Some(("usbhid.jspoll".into(), 0)),
            hubs: 1,
            rests: true,
        };
        assert_eq!(connection(&device, &stick), expected);
        assert_eq!(
            connection(&device, &[0x05, 0x01, 0x09, 0x05]).asks,
            None,
            "the kernel has no setting for a game pad"
        );
        assert_eq!(interval("125us"), Some(Micros(125)));
        assert_eq!(interval("soon"), None);
        assert_eq!(connection(root.path(), &stick), Connection::default());
    }
}
