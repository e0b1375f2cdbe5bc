//! Installs the helper for `setup --install --helper`: a copy owned by root, its units, and the list of devices that the administrator named.

use crate::say::say;
use crate::units::{HELPER as NAME, PACKAGED, helper_service, helper_socket};
use mantle_helper::serve::{NAMED, SOCKET};
use std::fs;
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The note in its units: who wrote them, and how to remove them.
const BY: &str = "Written by placid-mantle setup --helper. Undo: placid-mantle setup --undo";
/// Where this is, a package has brought the helper.
const PACKAGED_UNIT: &str = "/usr/lib/systemd/system/placid-mantle-helper.socket";
const PLACE: &str = "/usr/local/lib/placid-mantle";
const UNITS: &str = "/etc/systemd/system";

fn units() -> [(PathBuf, String); 2] {
    let unit = |kind: &str| Path::new(UNITS).join(format!("{NAME}.{kind}"));
    [(unit("socket"), helper_socket(BY)), (unit("service"), helper_service(BY, &format!("{PLACE}/{NAME}")))]
}

/// Prints what would be installed.
pub fn print() {
    for (path, text) in units() {
        say!("# {}", path.display());
        text.lines().for_each(|line| say!("{line}"));
        say!();
    }
}

fn systemctl(arguments: &[&str]) -> Result<(), String> {
    let done = Command::new("systemctl").args(arguments).stdin(Stdio::null()).output();
    match done {
        Ok(done) if done.status.success() => Ok(()),
        Ok(done) => Err(format!("systemctl {}: {}", arguments.join(" "), String::from_utf8_lossy(&done.stderr).trim())),
        Err(error) => Err(format!("systemctl: {error}")),
    }
}

/// Writes a file owned by root.
fn put(path: &Path, bytes: &[u8], mode: u32) -> Result<(), String> {
    let refused = |error: io::Error| format!("{}: {error}", path.display());
    mantle_files::save(path, bytes).map_err(refused)?;
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).map_err(refused)
}

/// Installs the helper, names these devices, and starts listening.
///
/// # Errors
/// What is missing, or was refused.
pub fn install(devices: &[(u16, u16)]) -> Result<(), String> {
    if !Path::new("/run/systemd/system").is_dir() {
        return Err(format!(
            "the helper needs systemd, which is not running here; as root, placid-mantle run hides devices without it ({NAME} is not installed)"
        ));
    }
    // A package brings its own copy and units.
    let packaged = Path::new(PACKAGED_UNIT).exists();
    if !packaged {
        let own = std::env::current_exe().map_err(|error| error.to_string())?.with_file_name(NAME);
        let program = fs::read(&own).map_err(|error| {
            format!("{}: {error}; the helper is a separate program that belongs next to this one", own.display())
        })?;
        put(&Path::new(PLACE).join(NAME), &program, 0o755)?;
        for (path, text) in units() {
            put(&path, text.as_bytes(), 0o644)?;
        }
    }
    let before = fs::read_to_string(NAMED).unwrap_or_default();
    let mut named = if before.is_empty() {
        "# Devices that the helper may hide and hand out although their report descriptor is no controller's.\n".into()
    } else {
        before
    };
    for (vendor, product) in devices {
        if !mantle_helper::people::named(Path::new(NAMED), *vendor, *product) {
            named.push_str(&format!("{vendor:04x}:{product:04x}\n"));
        }
    }
    put(Path::new(NAMED), named.as_bytes(), 0o644)?;
    systemctl(&["daemon-reload"])?;
    // A running helper keeps its old code; the next one is new.
    let _ = systemctl(&["stop", &format!("{NAME}.service")]);
    systemctl(&["enable", "--now", &format!("{NAME}.socket")])?;
    let place = if packaged { PACKAGED } else { PLACE };
    say!("Installed {place}/{NAME}: it listens at {SOCKET}.");
    Ok(())
}

/// Removes the helper, if it is installed.
///
/// # Errors
/// What was refused.
pub fn remove() -> Result<(), String> {
    let program = Path::new(PLACE).join(NAME);
    let files = units().map(|(path, _)| path).into_iter().chain([program, PathBuf::from(NAMED)]);
    let there: Vec<PathBuf> = files.filter(|path| path.exists()).collect();
    if there.is_empty() {
        return Ok(());
    }
    // Stopping it gives back what it has hidden.
    let _ = systemctl(&["disable", "--now", &format!("{NAME}.socket")]);
    let _ = systemctl(&["stop", &format!("{NAME}.service")]);
    for path in &there {
        fs::remove_file(path).map_err(|error| format!("{}: {error}", path.display()))?;
        say!("Removed {}.", path.display());
    }
    let _ = fs::remove_dir(PLACE);
    let _ = fs::remove_dir(Path::new(NAMED).parent().unwrap_or(Path::new("/")));
    let _ = systemctl(&["daemon-reload"]);
    Ok(())
}
