//! One command on a real kernel.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// Whether this machine can boot the kernel suite; if not, what is missing.
///
/// # Errors
/// What is missing, in words.
pub fn ready(kernel: &Path) -> Result<(), String> {
    for (program, package) in [
        ("qemu-system-x86_64", "qemu-system-x86"),
        ("busybox", "busybox-static"),
        ("cpio", "cpio"),
        ("xz", "xz-utils"),
        ("udevadm", "udev"),
        ("setpriv", "util-linux"),
        ("loginctl", "systemd"),
        ("useradd", "passwd"),
    ] {
        if !on_path(program) {
            return Err(format!("{program} is missing (Debian: {package})"));
        }
    }
    if !kernel.join("lib/modules").is_dir() {
        return Err(format!("no kernel package is unpacked in {}", kernel.display()));
    }
    Ok(())
}

fn on_path(program: &str) -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let mut places: Vec<PathBuf> = std::env::split_paths(&path).collect();
    places.extend(["/sbin".into(), "/usr/sbin".into()]);
    places.iter().any(|place| place.join(program).is_file())
}

/// Who starts the command in a booted machine.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Init {
    /// Nothing but udev runs beside it.
    Bare,
    /// The system's own init, with its login manager and its bus.
    Systemd,
}

/// Boots, runs a command as root within so many seconds, and returns what it said. `ports` are serial ports of the machine's, by their
/// names, that are joined to sockets.
///
/// # Errors
/// When the runner cannot be started.
pub fn boot(
    kernel: &Path,
    init: Init,
    seconds: u32,
    ports: &[(&str, PathBuf)],
    command: &[&str],
) -> std::io::Result<Output> {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("vm/boot");
    let mut boot = Command::new(script);
    if init == Init::Systemd {
        boot.arg("--systemd");
    }
    for (name, socket) in ports {
        boot.args(["--port", name]).arg(socket);
    }
    boot.arg(kernel).arg(seconds.to_string()).args(command).output()
}
