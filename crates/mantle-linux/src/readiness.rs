//! What is known about the machine before anything is played: nothing is changed, and no controller is opened.

use crate::hid_pad;
use crate::lock;
use crate::scan;
use crate::uinput;
use mantle_core::control::Layout;
use mantle_core::cover::setup_rule;
use mantle_core::device::{NodeFacts, OsFault};
use mantle_core::path::PadFault;
use mantle_core::readiness::{ReadyDevice, ReadyFacts, RuleFile};
use mantle_core::sight::Look;
use mantle_helper::device::usb_above;
use mantle_helper::serve::SOCKET;
use mantle_hid::Descriptor;
use rustix::fs::{Access, Mode, OFlags};
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// The name of the rule file that `setup` installs.
pub const RULE: &str = "70-placid-mantle.rules";
/// Where rules may be, the person's own first.
const RULES: [&str; 4] = ["/etc/udev/rules.d", "/run/udev/rules.d", "/usr/local/lib/udev/rules.d", "/lib/udev/rules.d"];
/// From this number on, what a rule tags is no longer handed out.
const HANDED_OUT_BY: u32 = 73;

/// The present state of a machine, with the rule file found by name.
#[must_use]
pub fn facts(rule: &str, look: &Look) -> ReadyFacts {
    let sys = Path::new("/sys");
    let root = rustix::process::geteuid().is_root();
    let udev = Path::new("/run/udev/control").exists();
    let controllers: Vec<NodeFacts> = scan::hidraw_nodes(sys).into_iter().filter(plays).collect();
    let pads = uinput::open().map(drop);
    let apart = rustix::fs::open(hid_pad::NODE, OFlags::RDWR | OFlags::CLOEXEC, Mode::empty()).map(drop);
    let apart = apart.map_err(|errno| {
        PadFault::of_uhid(OsFault { operation: "open".into(), path: hid_pad::NODE.into(), errno: errno.raw_os_error() })
    });
    let devices: Vec<ReadyDevice> = controllers.iter().map(ready).collect();
    let closed = std::iter::once(uinput::NODE).chain(devices.iter().filter(|one| one.denied).map(|one| &*one.node));
    ReadyFacts {
        group: closed.filter_map(|node| joined(Path::new(node))).next(),
        rule: rule_file(&RULES.map(PathBuf::from), rule),
        engine: other_engine(),
        translators: translators(&controllers, look),
        helper_missing: !Path::new(SOCKET).exists() && udev && Path::new("/run/systemd/system").is_dir(),
        namespaces: namespaces(),
        links: Vec::new(),
        pads,
        apart,
        udev,
        root,
        devices,
    }
}

/// Whether an ordinary account may make namespaces here, as far as the kernel's settings say.
#[must_use]
pub fn namespaces() -> bool {
    namespaces_by(Path::new("/proc/sys"))
}

fn namespaces_by(settings: &Path) -> bool {
    let is = |file: &str, value: &str| fs::read_to_string(settings.join(file)).is_ok_and(|text| text.trim() == value);
    !is("kernel/unprivileged_userns_clone", "0")
        && !is("user/max_user_namespaces", "0")
        && !is("kernel/apparmor_restrict_unprivileged_userns", "1")
}

/// Whether something in it is a game controller.
fn plays(node: &NodeFacts) -> bool {
    let Ok(descriptor) = Descriptor::parse(&node.descriptor) else { return false };
    Layout::new(&descriptor).parts.iter().any(mantle_core::control::PartLayout::is_game_controller)
}

fn ready(node: &NodeFacts) -> ReadyDevice {
    let about = fs::metadata(&node.path);
    let refused = rustix::fs::access(&*node.path, Access::READ_OK).is_err();
    let control = usb_above(Path::new(&node.sysfs)).map(|usb| usb.join("power/control"));
    let sleeps = control.filter(|file| fs::read_to_string(file).is_ok_and(|text| text.trim() == "auto"));
    ReadyDevice {
        name: node.identity.name.clone(),
        ids: (node.identity.vendor, node.identity.product),
        node: node.path.clone(),
        denied: refused,
        hidden: about.is_ok_and(|about| about.mode() & 0o777 == 0) && Path::new(SOCKET).exists(),
        sleeps: sleeps.map(|file| file.display().to_string()),
    }
}

/// The group of a node, if this account has been added to it since its session began.
fn joined(node: &Path) -> Option<String> {
    let about = fs::metadata(node).ok()?;
    if about.mode() & 0o060 == 0 || rustix::process::geteuid().is_root() {
        return None;
    }
    let groups = rustix::process::getgroups().unwrap_or_default();
    let has = groups.iter().map(|group| group.as_raw()).chain([rustix::process::getegid().as_raw()]);
    if has.into_iter().any(|group| group == about.gid()) {
        return None;
    }
    let own = lock::account_name(rustix::process::geteuid().as_raw());
    let text = fs::read_to_string("/etc/group").unwrap_or_default();
    text.lines().find_map(|line| {
        let mut fields = line.split(':');
        let (name, gid, members) = (fields.next()?, fields.nth(1)?, fields.next()?);
        (gid.parse() == Ok(about.gid()) && members.split(',').any(|member| member == own)).then(|| name.to_owned())
    })
}

/// The state of the rule in these directories.
#[must_use]
pub fn rule_file(directories: &[PathBuf], name: &str) -> RuleFile {
    let wanted = setup_rule(&[], None);
    let stem = name.split_once('-').map_or(name, |(_, stem)| stem);
    let mut elsewhere = None;
    for (at, directory) in directories.iter().enumerate() {
        for entry in fs::read_dir(directory).into_iter().flatten().flatten() {
            let file = entry.file_name().to_string_lossy().into_owned();
            let Some((number, _)) = file.split_once('-').filter(|(_, rest)| *rest == stem) else { continue };
            let text = fs::read_to_string(entry.path()).unwrap_or_default();
            // What covers devices while a slot plays is another one, in a directory of the running system.
            if !text.contains("static_node=uinput") {
                continue;
            }
            if number.parse::<u32>().is_ok_and(|number| number < HANDED_OUT_BY) {
                let lines = |text: &str| -> Vec<String> {
                    let all = text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
                    all.map(str::to_owned).collect()
                };
                let has = lines(&text);
                let older = lines(&wanted).iter().any(|line| !has.contains(line));
                return if older { RuleFile::Older } else { RuleFile::Fine };
            }
            elsewhere = elsewhere.or((at == 0).then(|| entry.path().display().to_string()));
        }
    }
    elsewhere.map_or(RuleFile::Missing, RuleFile::Elsewhere)
}

/// An engine of another account.
fn other_engine() -> Option<(i32, String)> {
    let other = lock::held_by()?;
    let own = rustix::process::geteuid().as_raw() == other.uid;
    (!own).then(|| (other.pid, lock::account_name(other.uid)))
}

/// Programs that have a controller's node open, and make input devices.
fn translators(controllers: &[NodeFacts], look: &Look) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for program in look.programs.iter().filter(|program| program.makes && !program.ours) {
        let of = |node: &NodeFacts| program.nodes.iter().any(|open| *open == node.path || node.inputs.contains(open));
        if let Some(device) = controllers.iter().find(|node| of(node)) {
            found.push((program.title(), device.identity.name.clone()));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_that_forbid_namespaces_are_recognized() {
        let root = tempfile::tempdir().expect("a directory");
        assert!(namespaces_by(root.path()), "a kernel without such settings");
        let forbids = [
            ("kernel", "unprivileged_userns_clone", "0", "1"),
            ("user", "max_user_namespaces", "0", "31000"),
            ("kernel", "apparmor_restrict_unprivileged_userns", "1", "0"),
        ];
        for (directory, file, forbidden, allowed) in forbids {
            let path = root.path().join(directory).join(file);
            fs::create_dir_all(root.path().join(directory)).expect("made");
            fs::write(&path, format!("{forbidden}\n")).expect("written");
            assert!(!namespaces_by(root.path()), "{file}");
            fs::write(&path, format!("{allowed}\n")).expect("written");
        }
        assert!(namespaces_by(root.path()));
    }

    #[test]
    fn the_installed_rule_is_found_and_an_older_one_recognized() {
        let root = tempfile::tempdir().expect("a directory");
        let own = root.path().join("etc");
        let run = root.path().join("run");
        let state = || rule_file(&[own.clone(), run.clone()], "70-placid-mantle.rules");
        assert_eq!(state(), RuleFile::Missing);
        fs::create_dir_all(&own).expect("made");
        fs::create_dir_all(&run).expect("made");
        // What hides devices while they play is another file.
        fs::write(run.join("71-placid-mantle.rules"), "SUBSYSTEM==\"input\", MODE=\"0000\"\n").expect("written");
        assert_eq!(state(), RuleFile::Missing);
        let late = own.join("99-placid-mantle.rules");
        fs::write(&late, setup_rule(&[], None)).expect("written");
        assert_eq!(state(), RuleFile::Elsewhere(late.display().to_string()));
        fs::write(own.join("70-placid-mantle.rules"), setup_rule(&[(1, 2)], None)).expect("written");
        assert_eq!(state(), RuleFile::Fine, "whatever it names besides");
        let older = setup_rule(&[], None).replace("KERNEL==\"uhid\"", "# KERNEL==\"uhid\"");
        fs::write(own.join("70-placid-mantle.rules"), older).expect("written");
        assert_eq!(state(), RuleFile::Older);
    }
}
