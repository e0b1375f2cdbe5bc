//! HID devices as sysfs shows them. Everything is looked up below a root, which is `/` except in tests.

use mantle_core::device::{Bus, Identity};
use mantle_core::visible::visible;
use std::fs;
use std::path::{Path, PathBuf};

/// The names in a directory, by the numbers in them.
#[must_use]
pub fn names(dir: &Path) -> Vec<String> {
    let Ok(entries) = fs::read_dir(dir) else { return Vec::new() };
    let mut names: Vec<String> = entries.flatten().filter_map(|entry| entry.file_name().into_string().ok()).collect();
    names.sort_by_key(|name| {
        let digits: String = name.chars().filter(char::is_ascii_digit).collect();
        (digits.parse::<u32>().unwrap_or(0), name.clone())
    });
    names
}

/// What the kernel says about a HID device, line by line.
#[derive(Clone, Copy, Debug)]
pub struct Uevent<'a>(pub &'a str);

impl Uevent<'_> {
    /// A value, with visible signs instead of characters that a terminal would obey.
    #[must_use]
    pub fn field(&self, key: &str) -> String {
        let value = self.0.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('='));
        visible(value.unwrap_or_default()).into_owned()
    }

    /// Bus, vendor and product; none if they are missing.
    #[must_use]
    pub fn ids(&self) -> Option<(u16, u16, u16)> {
        let id = self.field("HID_ID");
        let mut numbers = id.split(':').map(|part| u32::from_str_radix(part, 16).unwrap_or(0) as u16);
        Some((numbers.next()?, numbers.next()?, numbers.next()?))
    }

    /// Whether a value contained line breaks of its own.
    #[must_use]
    pub fn is_forged(&self) -> bool {
        const KEYS: [&str; 6] = ["DRIVER=", "HID_ID=", "HID_NAME=", "HID_PHYS=", "HID_UNIQ=", "MODALIAS="];
        let known = |line: &str| KEYS.iter().position(|key| line.starts_with(key));
        let mut seen = [false; KEYS.len()];
        self.0.lines().any(|line| match known(line) {
            Some(at) => std::mem::replace(&mut seen[at], true),
            None => !line.contains('=') || line.starts_with(' '),
        })
    }
}

/// A HID device.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct HidDevice {
    /// Its directory under `/sys`.
    pub sysfs: PathBuf,
    /// Its ids, name, serial number and physical path; nothing else is filled in.
    pub identity: Identity,
    /// Its driver; none if it has none now.
    pub driver: Option<String>,
}

impl HidDevice {
    /// The device in a directory; none if that is no HID device.
    #[must_use]
    pub fn read(sysfs: &Path) -> Option<Self> {
        let sysfs = fs::canonicalize(sysfs).ok()?;
        let text = fs::read_to_string(sysfs.join("uevent")).ok()?;
        let uevent = Uevent(&text);
        let (bus, vendor, product) = uevent.ids()?;
        // A device whose strings contain line breaks could imitate the kernel: then only its place says who it is.
        let forged = uevent.is_forged();
        let place = sysfs.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let identity = Identity {
            bus: Bus(bus),
            vendor,
            product,
            name: uevent.field("HID_NAME"),
            uniq: if forged { String::new() } else { uevent.field("HID_UNIQ") },
            phys: if forged { place } else { uevent.field("HID_PHYS") },
            ..Identity::default()
        };
        let driver = fs::read_link(sysfs.join("driver")).ok();
        let driver = driver.and_then(|link| Some(link.file_name()?.to_str()?.to_owned()));
        Some(Self { sysfs, identity, driver })
    }

    /// The device with this number of the kernel's, which counts them from its start.
    #[must_use]
    pub fn numbered(root: &Path, number: u32) -> Option<Self> {
        let all = root.join("sys/bus/hid/devices");
        let name = names(&all).into_iter().find(|name| number_in(name) == Some(number))?;
        Self::read(&all.join(name))
    }

    /// All that there are.
    #[must_use]
    pub fn all(root: &Path) -> Vec<Self> {
        let all = root.join("sys/bus/hid/devices");
        names(&all).iter().filter_map(|name| Self::read(&all.join(name))).collect()
    }

    /// The kernel's number of it.
    #[must_use]
    pub fn number(&self) -> Option<u32> {
        number_in(&self.place())
    }

    /// The last part of its place: bus, ids and number.
    #[must_use]
    pub fn place(&self) -> String {
        self.sysfs.file_name().unwrap_or_default().to_string_lossy().into_owned()
    }

    /// Whether it is the one that this identified.
    #[must_use]
    pub fn is(&self, identity: &Identity) -> bool {
        let of = |who: &Identity| (who.bus, who.vendor, who.product, who.uniq.clone(), who.phys.clone());
        of(&self.identity) == of(identity)
    }

    /// The node of its reports.
    #[must_use]
    pub fn hidraw(&self) -> Option<String> {
        names(&self.sysfs.join("hidraw")).first().map(|name| format!("/dev/{name}"))
    }

    /// Its nodes: that of its reports, then those found by [`input_nodes`].
    #[must_use]
    pub fn nodes(&self) -> Vec<String> {
        self.hidraw().into_iter().chain(input_nodes(&self.sysfs)).collect()
    }
}

/// The number at the end of a HID device's name, such as 7 in `0003:1209:0A02.0007`.
#[must_use]
pub fn number_in(name: &str) -> Option<u32> {
    u32::from_str_radix(name.rsplit_once('.')?.1, 16).ok()
}

/// The input nodes that the kernel made for a HID device: event nodes first, then joystick nodes.
#[must_use]
pub fn input_nodes(device: &Path) -> Vec<String> {
    let input = device.join("input");
    let of = |start: &str| -> Vec<String> {
        let all = names(&input).into_iter().flat_map(|name| names(&input.join(name)));
        all.filter(|name| name.starts_with(start)).map(|name| format!("/dev/input/{name}")).collect()
    };
    let mut nodes = of("event");
    nodes.extend(of("js"));
    nodes
}

/// The place of a node under `/sys/class`.
#[must_use]
pub fn class_entry(root: &Path, node: &str) -> PathBuf {
    let class = if node.contains("hidraw") { "hidraw" } else { "input" };
    root.join("sys/class").join(class).join(Path::new(node).file_name().unwrap_or_default())
}

/// The device number that the kernel gave a node.
#[must_use]
pub fn device_number(root: &Path, node: &str) -> Option<u64> {
    let text = fs::read_to_string(class_entry(root, node).join("dev")).ok()?;
    let (major, minor) = text.trim().split_once(':')?;
    Some(rustix::fs::makedev(major.parse().ok()?, minor.parse().ok()?))
}

/// The USB device above something, by its place under `/sys`.
#[must_use]
pub fn usb_above(sysfs: &Path) -> Option<&Path> {
    sysfs.ancestors().find(|above| above.join("busnum").exists())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn device_strings_can_neither_control_the_terminal_nor_pose_as_the_kernel() {
        let plain = Uevent("DRIVER=hid-generic\nHID_ID=0003:1\nHID_NAME=A pad\nHID_PHYS=usb-1/input0\nHID_UNIQ=7\n");
        assert!(!plain.is_forged());
        assert_eq!((plain.field("HID_NAME"), plain.field("HID_UNIQ")), ("A pad".into(), "7".into()));
        let colour = Uevent("HID_NAME=\u{1b}[31mpad\u{7}\nHID_PHYS=p\n");
        assert_eq!(colour.field("HID_NAME"), "\u{241b}[31mpad\u{2407}");
        let forged = Uevent("HID_NAME=pad\nHID_PHYS=other\nHID_UNIQ=stolen\nHID_PHYS=p\nHID_UNIQ=\n");
        assert!(forged.is_forged());
        assert!(Uevent("HID_NAME=two\nlines\nHID_PHYS=p\n").is_forged());
    }
}
