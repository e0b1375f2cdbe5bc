//! Who sits where, and what belongs to a seat: read from the login manager's files and from udev's database, without its bus.

use crate::device::{HidDevice, device_number, usb_above};
use crate::judge::Peer;
use rustix::fs::{FileType, Mode, OFlags};
use std::fs;
use std::io::Read;
use std::path::Path;

const SEATS: &str = "/run/systemd/seats";
const SESSIONS: &str = "/run/systemd/sessions";
/// Nothing that is read here is longer.
const LONGEST: u64 = 1 << 20;
/// Without a login manager: the members of this group.
const GROUP: &str = "placid-mantle";

/// The contents of a plain file; nothing for anything else, such as a pipe, which nobody might ever write to.
fn text_of(path: &Path) -> String {
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let Ok(fd) = rustix::fs::open(path, flags, Mode::empty()) else { return String::new() };
    let plain = rustix::fs::fstat(&fd).is_ok_and(|stat| FileType::from_raw_mode(stat.st_mode) == FileType::RegularFile);
    let mut text = String::new();
    if plain {
        let _ = fs::File::from(fd).take(LONGEST).read_to_string(&mut text);
    }
    text
}

/// A value from a file of lines such as `ACTIVE_UID=1000`.
fn value<'a>(text: &'a str, key: &str) -> Option<&'a str> {
    text.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('='))
}

/// Who an account is at this moment.
#[must_use]
pub fn peer(uid: u32) -> Peer {
    if uid == 0 {
        return Peer::Root;
    }
    if !Path::new(SEATS).is_dir() {
        return if in_group(uid) { Peer::InGroup } else { Peer::Stranger };
    }
    let mut sits = Vec::new();
    for entry in fs::read_dir(SEATS).into_iter().flatten().flatten() {
        let text = text_of(&entry.path());
        if value(&text, "ACTIVE_UID").and_then(|active| active.parse().ok()) == Some(uid) {
            sits.push(entry.file_name().to_string_lossy().into_owned());
        }
    }
    if sits.is_empty() { Peer::Stranger } else { Peer::Sits(sits) }
}

/// Whether an account has a session at some seat, in front or not. Without a login manager everybody is here.
#[must_use]
pub fn is_here(uid: u32) -> bool {
    if uid == 0 || !Path::new(SEATS).is_dir() {
        return true;
    }
    // The file of a seat may name somebody who is gone; a session's own file disappears with it.
    fs::read_dir(SESSIONS).into_iter().flatten().flatten().any(|entry| {
        let text = text_of(&entry.path());
        let of = |key: &str| value(&text, key).unwrap_or_default();
        of("UID").parse() == Ok(uid) && !of("SEAT").is_empty() && of("STATE") != "closing"
    })
}

/// The name of an account.
#[must_use]
pub fn account_name(uid: u32) -> Option<String> {
    let passwd = text_of(Path::new("/etc/passwd"));
    passwd.lines().find_map(|line| {
        let mut fields = line.split(':');
        let name = fields.next()?;
        (fields.nth(1)?.parse() == Ok(uid)).then(|| name.to_owned())
    })
}

fn in_group(uid: u32) -> bool {
    let group = text_of(Path::new("/etc/group"));
    let line = group.lines().find(|line| line.split(':').next() == Some(GROUP));
    let members = line.and_then(|line| line.split(':').nth(3)).unwrap_or_default();
    account_name(uid).is_some_and(|name| members.split(',').any(|member| member == name))
}

/// Whether the administrator has named this vendor and product.
#[must_use]
pub fn named(file: &Path, vendor: u16, product: u16) -> bool {
    let text = text_of(file);
    let wanted = format!("{vendor:04x}:{product:04x}");
    text.lines().any(|line| line.split('#').next().unwrap_or_default().trim().eq_ignore_ascii_case(&wanted))
}

/// What the interfaces of one plug have in common: the place of the USB device, or the physical path without the interface.
#[must_use]
pub fn plug(device: &HidDevice) -> String {
    match usb_above(&device.sysfs) {
        Some(usb) => usb.display().to_string(),
        None => {
            let identity = &device.identity;
            let stem = identity.phys.rsplit_once("/input").map_or(&*identity.phys, |(stem, _)| stem);
            format!("{} {stem}", identity.uniq)
        }
    }
}

/// The seat that a device belongs to, according to udev's entry for its node.
#[must_use]
pub fn seat(device: &HidDevice) -> String {
    let root = Path::new("/");
    let of_node = |node: String| {
        let number = device_number(root, &node)?;
        let (major, minor) = (rustix::fs::major(number), rustix::fs::minor(number));
        let text = text_of(Path::new(&format!("/run/udev/data/c{major}:{minor}")));
        value(&text, "E:ID_SEAT").map(str::to_owned)
    };
    device.nodes().into_iter().find_map(of_node).unwrap_or_else(|| "seat0".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_list_of_names_is_read_line_by_line() {
        let directory = tempfile::tempdir().expect("a directory");
        let file = directory.path().join("devices");
        fs::write(&file, "# pads\n1209:0A02  # the one on the desk\n1209:0a0\nall\n").expect("written");
        assert!(named(&file, 0x1209, 0x0a02));
        assert!(!named(&file, 0x1209, 0x00a0) && !named(&file, 0, 0));
        assert!(!named(&directory.path().join("none"), 0x1209, 0x0a02));
    }

    #[test]
    fn a_pipe_without_a_writer_yields_nothing() {
        let directory = tempfile::tempdir().expect("a directory");
        let pipe = directory.path().join("1.ref");
        rustix::fs::mknodat(rustix::fs::CWD, &pipe, FileType::Fifo, Mode::RUSR | Mode::WUSR, 0).expect("made");
        assert_eq!(text_of(&pipe), "");
        assert_eq!(text_of(directory.path()), "");
    }

    #[test]
    fn a_value_belongs_to_its_full_key() {
        assert_eq!(value("XACTIVE_UID=1\nACTIVE_UID=2\n", "ACTIVE_UID"), Some("2"));
        assert_eq!(value("ACTIVE_UIDS=1\n", "ACTIVE_UID"), None);
    }
}
