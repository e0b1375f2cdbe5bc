//! `setup`: lets an ordinary account play; prints what that takes, or installs it as root.

use crate::args::SetupArgs;
use crate::exit::{Exit, refuse};
use crate::helper;
use crate::say::{say, say_error};
use mantle_core::cover::{RumbleDriver, setup_rule};
use mantle_core::path::PadFault;
use mantle_linux::rumble_driver;
use std::path::{Path, PathBuf};
use std::process::Command;

/// Name of the rule; its number must be below 73.
pub const FILE: &str = mantle_linux::readiness::RULE;
/// Where rules are installed.
const DIRECTORY: &str = "/etc/udev/rules.d";
/// Loads the modules at every start.
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
    let devices = all_named(&path, &devices);
    if args.install && !root {
        return refuse("installing needs root: sudo placid-mantle setup --install");
    }
    let driver = rumble_driver::find(args.install);
    let told = driver.as_deref().map(|name| RumbleDriver { name, alias: rumble_driver::ALIAS });
    let rule = setup_rule(&devices, told);
    say!("# {}", path.display());
    rule.lines().for_each(|line| say!("{line}"));
    say!();
    say_uinput();
    if devices.is_empty() {
        say!(
            "No device was named: name one as VENDOR:PRODUCT (see placid-mantle devices), or place it in a slot first."
        );
    }
    if !args.install {
        if args.helper {
            helper::print();
        }
        say!("Nothing is installed yet. To install it: sudo placid-mantle setup --install");
        return Exit::Fine;
    }
    let helper = args.helper.then_some(devices.as_slice());
    if let Err(why) = put(&path, &rule, driver.as_deref(), helper) {
        say_error!("placid-mantle: {why}");
        return Exit::Failed;
    }
    say!("Plug the devices in again. Then, as yourself: placid-mantle run");
    Exit::Fine
}

/// Installs the rule as [`run`] does, for these devices as well as those named already or placed in a slot.
///
/// # Errors
/// What was refused.
pub fn install(devices: &[(u16, u16)], helper: bool) -> Result<(), String> {
    let path = Path::new(DIRECTORY).join(FILE);
    let devices = all_named(&path, devices);
    let driver = rumble_driver::find(true);
    let told = driver.as_deref().map(|name| RumbleDriver { name, alias: rumble_driver::ALIAS });
    put(&path, &setup_rule(&devices, told), driver.as_deref(), helper.then_some(devices.as_slice()))
}

fn put(path: &Path, rule: &str, driver: Option<&str>, helper: Option<&[(u16, u16)]>) -> Result<(), String> {
    mantle_files::save(path, rule.as_bytes()).map_err(|error| format!("{}: {error}", path.display()))?;
    let _ = std::fs::set_permissions(path, std::os::unix::fs::PermissionsExt::from_mode(0o644));
    let _ = mantle_files::save(Path::new(MODULES), b"# Written by placid-mantle setup\nuinput\nuhid\n");
    if let Some(modprobe) = rumble_driver::modprobe() {
        let _ = Command::new(modprobe).args(["-a", "uinput", "uhid"]).output();
    }
    say!("Installed {}.", path.display());
    apply(driver);
    helper.map_or(Ok(()), helper::install)
}

/// These devices, those in a slot, and those that the rule names already: naming one more never drops another.
fn all_named(path: &Path, devices: &[(u16, u16)]) -> Vec<(u16, u16)> {
    let before = std::fs::read_to_string(path).unwrap_or_default();
    let named = before.split("KERNELS==\"*:").skip(1).filter_map(|rest| parse(rest.get(..9)?));
    let mut all: Vec<(u16, u16)> = devices.iter().copied().chain(placed()).chain(named).collect();
    all.sort_unstable();
    all.dedup();
    all
}

fn undo(path: &Path, root: bool) -> Exit {
    if !root {
        return refuse("removing the rule needs root: sudo placid-mantle setup --undo");
    }
    let mut failed = false;
    if let Err(why) = helper::remove() {
        say_error!("placid-mantle: {why}");
        failed = true;
    }
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
    apply(None);
    if failed { Exit::Failed } else { Exit::Fine }
}

/// Has udev reload its rules and apply them to existing nodes and to the driver for rumble.
fn apply(driver: Option<&str>) {
    let udevadm = |arguments: &[&str]| {
        Command::new(mantle_linux::coverer::udevadm_path())
            .args(arguments)
            .output()
            .is_ok_and(|output| output.status.success())
    };
    let done = udevadm(&["control", "--reload"])
        && udevadm(&["trigger", "--action=add", "--subsystem-match=misc", "--subsystem-match=hidraw"]);
    if let Some(driver) = driver {
        udevadm(&["trigger", "--type=subsystems", "--action=add", &format!("--sysname-match={driver}")]);
    }
    if !done {
        say!(
            "udev does not answer here, so rules have no effect. In a container: pass in /dev/uinput and the hidraw nodes from"
        );
        say!(
            "the host. Without udev: give /dev/uinput and the nodes to a group of yours with sudo chgrp and sudo chmod 0660."
        );
    }
}

fn parse(text: &str) -> Option<(u16, u16)> {
    let (vendor, product) = text.split_once(':')?;
    let hex = |part: &str| (part.len() == 4).then(|| u16::from_str_radix(part, 16).ok()).flatten();
    Some((hex(vendor)?, hex(product)?))
}

/// The devices in slots of this account and, under sudo, of the calling account.
fn placed() -> Vec<(u16, u16)> {
    let own = mantle_files::config_directory().map(|directory| directory.join(mantle_files::slots::FILE));
    let caller = std::env::var("SUDO_USER").ok().and_then(|caller| home_of(&caller));
    let callers = caller.map(|home| home.join(".config/placid-mantle").join(mantle_files::slots::FILE));
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

/// Says what is wrong with uinput, and the remedy.
fn say_uinput() {
    match mantle_linux::uinput::open() {
        Ok(_) => say!("/dev/uinput can be opened by this account."),
        Err(fault) => {
            say!("No pad can be made: {}", fault.told());
            if fault == PadFault::Denied {
                say!(
                    "The rule is for the person at this machine. Over ssh a group is needed: run sudo groupadd -f mantle"
                );
                say!(
                    "and sudo usermod -aG mantle YOU; in the rule write GROUP=\"mantle\", MODE=\"0660\" instead of the tag."
                );
                say!("(The group input would work too, but it may read every keyboard.)");
            }
        }
    }
}
