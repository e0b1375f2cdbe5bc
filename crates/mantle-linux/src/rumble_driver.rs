//! The kernel driver that lets games shake a common pad which is a HID device: found by the ids that it knows, and told about ours by a rule.

use crate::sysfs::names;
use std::path::{Path, PathBuf};
use std::process::Command;

/// Ids that this driver serves, in the form used by kernel modules.
pub const ALIAS: &str = "hid:b0005g0001v0000045Ep00000B13";

/// modprobe, but not from `PATH`, since it runs as root.
#[must_use]
pub fn modprobe() -> Option<PathBuf> {
    let all = ["/usr/sbin/modprobe", "/sbin/modprobe", "/usr/bin/modprobe", "/bin/modprobe"];
    all.into_iter().map(PathBuf::from).find(|path| path.exists())
}

/// The driver's name. Its module tells it once it is loaded, which can be requested; otherwise it is guessed from the module's name.
#[must_use]
pub fn find(load: bool) -> Option<String> {
    let modprobe = modprobe()?;
    let found = Command::new(&modprobe).args(["-R", ALIAS]).output().ok().filter(|out| out.status.success())?;
    // The generic driver may be listed there as well.
    let modules = String::from_utf8(found.stdout).ok()?.replace('-', "_");
    let module =
        modules.lines().map(str::trim).find(|module| !module.is_empty() && *module != "hid_generic")?.to_owned();
    if load {
        let _ = Command::new(&modprobe).args(["-q", &module]).status();
    }
    called(Path::new("/sys"), &module)
}

fn called(sys: &Path, module: &str) -> Option<String> {
    let drivers = names(&sys.join("module").join(module).join("drivers"));
    let told = drivers.iter().find_map(|name| name.strip_prefix("hid:").map(str::to_owned));
    let plain = |name: &String| name.chars().all(|c| c.is_ascii_alphanumeric() || "_-".contains(c));
    told.or_else(|| module.strip_prefix("hid_").map(str::to_owned)).filter(plain)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loaded_module_names_its_driver_and_others_are_guessed() {
        let sys = tempfile::tempdir().expect("a directory");
        std::fs::create_dir_all(sys.path().join("module/hid_tide/drivers/hid:Tide")).expect("made");
        assert_eq!(called(sys.path(), "hid_tide").as_deref(), Some("Tide"));
        assert_eq!(called(sys.path(), "hid_ferry").as_deref(), Some("ferry"));
        assert_eq!(called(sys.path(), "ferry"), None);
        std::fs::create_dir_all(sys.path().join("module/hid_odd/drivers/hid:a\"b")).expect("made");
        assert_eq!(called(sys.path(), "hid_odd"), None, "it would end a string of the rule");
    }
}
