//! `setup`: what lets an ordinary account play, printed, and installed as root.

use crate::args::SetupArgs;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_core::cover::setup_rule;
use mantle_core::path::PadFault;
use std::path::{Path, PathBuf};
use std::process::Command;

/// The rule's file; the number must be under 73.
const FILE: &str = "70-placid-mantle.rules";
/// Loads the module at every start.
const MODULES: &str = "/etc/modules-load.d/placid-mantle.conf";

/// Prints the rule, and installs it as root.
pub fn run(args: &SetupArgs) -> Exit {
    let path = args.directory.join(FILE);
    let root = rustix::process::geteuid().is_root();
    if args.undo {
        return undo(&path, root);
    }
    let mut devices = Vec::new();
    for text in &args.devices {
        match parse(text) {
            Some(ids) => devices.push(ids),
            None => return refuse(format!("{text:?} is not VENDOR:PRODUCT, four hex digits each, such as 1209:0a02")),
        }
    }
    for key in placed() {
        devices.push(key);
    }
    devices.sort_unstable();
    devices.dedup();
    let rule = setup_rule(&devices);
    say!("# {}", path.display());
    rule.lines().for_each(|line| say!("{line}"));
    say!();
    say_uinput();
    if devices.is_empty() {
        say!(
            "No device is named yet: name one as VENDOR:PRODUCT (see: placid-mantle devices), or place it in a slot first."
        );
    }
    if args.print || !root {
        if !root {
            say!("Not root: nothing is installed. As root, this command installs it: sudo placid-mantle setup");
        }
        return Exit::Fine;
    }
    if let Err(error) = mantle_files::save(&path, rule.as_bytes()) {
        say_error!("placid-mantle: {}: {error}", path.display());
        return Exit::Failed;
    }
    let _ = std::fs::set_permissions(&path, std::os::unix::fs::PermissionsExt::from_mode(0o644));
    let _ = mantle_files::save(Path::new(MODULES), b"# Written by placid-mantle setup\nuinput\nuhid\n");
    // Not by `PATH`: this runs as root.
    let modprobe = ["/usr/sbin/modprobe", "/sbin/modprobe", "/usr/bin/modprobe", "/bin/modprobe"];
    if let Some(modprobe) = modprobe.into_iter().find(|path| std::path::Path::new(path).exists()) {
        let _ = Command::new(modprobe).args(["-a", "uinput", "uhid"]).status();
    }
    say!("Installed {}.", path.display());
    apply();
    say!("Plug the devices in again. Then, as yourself: placid-mantle run");
    Exit::Fine
}

fn undo(path: &Path, root: bool) -> Exit {
    if !root {
        return refuse("taking the rule away needs root: sudo placid-mantle setup --undo");
    }
    let mut failed = false;
    for path in [path.to_owned(), PathBuf::from(MODULES)] {
        match std::fs::remove_file(&path) {
            Ok(()) => say!("Removed {}.", path.display()),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {}
            Err(error) => {
                say_error!("placid-mantle: {}: {error}", path.display());
                failed = true;
            }
        }
    }
    apply();
    if failed { Exit::Failed } else { Exit::Fine }
}

/// Lets udev read the rules, and look at the nodes again.
fn apply() {
    let udevadm = |arguments: &[&str]| {
        Command::new(mantle_linux::coverer::udevadm_path())
            .args(arguments)
            .status()
            .is_ok_and(|status| status.success())
    };
    let done = udevadm(&["control", "--reload"])
        && udevadm(&["trigger", "--action=add", "--subsystem-match=misc", "--subsystem-match=hidraw"]);
    if !done {
        say!(
            "No udev answers here, so rules do nothing. In a container: pass /dev/uinput and the hidraw nodes in from"
        );
        say!(
            "the host. Without udev: as root, chgrp a group of yours to /dev/uinput and the nodes, and chmod 0660 them."
        );
    }
}

fn parse(text: &str) -> Option<(u16, u16)> {
    let (vendor, product) = text.split_once(':')?;
    let hex = |part: &str| (part.len() == 4).then(|| u16::from_str_radix(part, 16).ok()).flatten();
    Some((hex(vendor)?, hex(product)?))
}

/// The devices that sit in a slot: of this account, and under sudo of the one that called it.
fn placed() -> Vec<(u16, u16)> {
    let own = mantle_files::config_directory().map(|directory| directory.join("slots.toml"));
    let caller = std::env::var("SUDO_USER").ok().and_then(|caller| home_of(&caller));
    let callers = caller.map(|home| home.join(".config/placid-mantle/slots.toml"));
    let mut found = Vec::new();
    for path in [own, callers].into_iter().flatten() {
        let Ok(text) = std::fs::read_to_string(&path) else { continue };
        match mantle_files::slots::parse(&path.display().to_string(), &text) {
            Ok(memory) => {
                found.extend(memory.slots.iter().flat_map(|slot| &slot.members).map(|key| (key.vendor, key.product)))
            }
            Err(fault) => say_error!("placid-mantle: {fault}"),
        }
    }
    found
}

fn home_of(account: &str) -> Option<PathBuf> {
    let passwd = std::fs::read_to_string("/etc/passwd").ok()?;
    let line = passwd.lines().find(|line| line.split(':').next() == Some(account))?;
    line.split(':').nth(5).map(PathBuf::from)
}

/// Says which of its faults uinput has here, and what to do.
fn say_uinput() {
    match mantle_linux::uinput::open() {
        Ok(_) => say!("/dev/uinput can be opened by this account."),
        Err(fault) => {
            say!("{}. Remedy: {}.", fault.cause(), fault.remedy());
            if fault == PadFault::Denied {
                say!(
                    "The rule serves whoever sits at this machine. Over ssh a group is needed: as root, groupadd -f mantle;"
                );
                say!(
                    "usermod -aG mantle YOU; and in the rule GROUP=\"mantle\", MODE=\"0660\" instead of the tag. (The input"
                );
                say!("group would do too, but it may read every keyboard.)");
            }
        }
    }
}
