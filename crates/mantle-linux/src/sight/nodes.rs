//! The nodes of the machine, from sysfs and udev's database.

use super::SightPaths;
use crate::evdev;
use crate::scan;
use crate::sysfs::{attribute, capabilities, names};
use crate::uinput::PHYS_PREFIX;
use mantle_core::sight::{Maker, SeenNode, Takes, read_tags};
use mantle_core::visible::visible;
use rustix::fs::{Access, AtFlags, CWD};
use std::fs;
use std::path::Path;

/// The longest entry in udev's database for one device.
const MOST: u64 = 64 * 1024;
/// Nodes that are looked at.
const NODES: usize = 256;

/// Every event, joystick and hidraw node.
pub(super) fn all(paths: &SightPaths) -> Vec<SeenNode> {
    let input = paths.sys.join("class/input");
    let of_input = |name: &String| ["event", "js"].iter().any(|start| is_numbered(name, start));
    let inputs = names(&input).into_iter().filter(of_input).filter_map(|name| input_node(paths, &input, &name));
    let hidraw = paths.sys.join("class/hidraw");
    let reports = names(&hidraw).into_iter().filter_map(|name| reports_node(paths, &hidraw, &name));
    inputs.chain(reports).take(NODES).collect()
}

fn is_numbered(name: &str, start: &str) -> bool {
    name.strip_prefix(start).is_some_and(|rest| !rest.is_empty() && rest.chars().all(|c| c.is_ascii_digit()))
}

fn text(path: &Path) -> String {
    path.display().to_string()
}

fn input_node(paths: &SightPaths, class: &Path, name: &str) -> Option<SeenNode> {
    let place = fs::canonicalize(class.join(name)).ok()?;
    let input = place.parent()?.to_owned();
    // Below a device there is a directory "input", and in it the input device; what uinput makes has no device of its own.
    let virtual_one = input.parent().is_some_and(|parent| parent.ends_with("devices/virtual/input"));
    let behind = input.parent().and_then(Path::parent).filter(|_| !virtual_one);
    let device = behind.unwrap_or(&input);
    let number = |name: &str| u16::from_str_radix(&attribute(&input, name), 16).unwrap_or(0);
    let caps = capabilities(&input);
    let tags = udev_text(paths, &attribute(&place, "dev"));
    let phys = match attribute(&input, "phys") {
        // The driver of one of our pads may not pass it on.
        phys if phys.is_empty() => ours_by_device(device).unwrap_or_default(),
        phys => phys,
    };
    Some(SeenNode {
        path: format!("/dev/input/{name}"),
        name: visible(&attribute(&input, "name")).into_owned(),
        ids: (number("id/vendor"), number("id/product")),
        made_by: maker(&phys, virtual_one),
        abilities: Takes::by_abilities(&caps),
        tags: tags.as_deref().and_then(read_tags).map(|tags| Takes::by_tags(&tags, &caps)),
        refused: refused(&paths.dev.join("input").join(name)),
        grabbed: None,
        device: text(device),
        input: text(&input),
        place: text(&place),
    })
}

fn reports_node(paths: &SightPaths, class: &Path, name: &str) -> Option<SeenNode> {
    let place = fs::canonicalize(class.join(name)).ok()?;
    let device = fs::canonicalize(class.join(name).join("device")).ok()?;
    let (title, ids) = scan::hid_name(&device)?;
    Some(SeenNode {
        path: format!("/dev/{name}"),
        name: title,
        ids,
        made_by: maker(&ours_by_device(&device).unwrap_or_default(), false),
        refused: refused(&paths.dev.join(name)),
        place: text(&place),
        device: text(&device),
        ..SeenNode::default()
    })
}

/// The physical path of a HID device that is one of our pads.
fn ours_by_device(device: &Path) -> Option<String> {
    scan::hid_phys(device).filter(|phys| scan::is_pad_of_ours(device, phys))
}

fn maker(phys: &str, virtual_one: bool) -> Maker {
    match phys.strip_prefix(PHYS_PREFIX) {
        Some(rest) if rest.split('/').next() == Some(&std::process::id().to_string()) => Maker::ThisEngine,
        Some(_) => Maker::OtherEngine,
        None if virtual_one => Maker::Program,
        None => Maker::System,
    }
}

/// The entry for a device number in udev's database, if it has a sensible size.
fn udev_text(paths: &SightPaths, number: &str) -> Option<String> {
    let plain = !number.is_empty() && number.chars().all(|c| c.is_ascii_digit() || c == ':');
    let path = paths.udev.join("data").join(format!("c{number}"));
    let fits = plain && fs::metadata(&path).is_ok_and(|about| about.is_file() && about.len() <= MOST);
    fits.then(|| fs::read(&path).ok()).flatten().map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
}

/// The error with which this account cannot open a node. To root everything is open, so what is kept from everybody else counts as closed.
fn refused(path: &Path) -> Option<i32> {
    if rustix::process::geteuid().is_root() {
        use std::os::unix::fs::MetadataExt;
        return match fs::metadata(path) {
            Ok(about) => (about.mode() & 0o777 == 0).then_some(rustix::io::Errno::ACCESS.raw_os_error()),
            Err(error) => error.raw_os_error(),
        };
    }
    rustix::fs::accessat(CWD, path, Access::READ_OK, AtFlags::EACCESS).err().map(rustix::io::Errno::raw_os_error)
}

/// Whether somebody has grabbed an event node: it is grabbed for a moment, if nothing is down on it. None if that cannot be tried.
#[must_use]
pub fn probe(node: &str) -> Option<bool> {
    match evdev::try_hold(node) {
        Ok(held) => held.map(|_| false),
        Err(fault) => (fault.errno == rustix::io::Errno::BUSY.raw_os_error()).then_some(true),
    }
}
