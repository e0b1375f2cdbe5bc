//! Whether the radio is blocked: the kernel's rfkill, as shown by sysfs.

use std::path::Path;

/// Whether the radio for Bluetooth is blocked, by a setting or by a switch. One that is not blocked is enough.
pub(crate) fn blocked(sys: &Path) -> Option<Block> {
    let mut found = None;
    for entry in std::fs::read_dir(sys.join("class/rfkill")).ok()?.flatten() {
        let read = |name: &str| std::fs::read_to_string(entry.path().join(name)).unwrap_or_default().trim().to_owned();
        if read("type") != "bluetooth" {
            continue;
        }
        match (read("hard").as_str(), read("soft").as_str()) {
            ("1", _) => found = Some(Block::Switch),
            (_, "1") => found = found.or(Some(Block::Setting)),
            _ => return None,
        }
    }
    found
}

/// What keeps it off.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Block {
    /// A setting.
    Setting,
    /// A switch.
    Switch,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hardware_switch_precedes_a_setting_and_other_radios_are_ignored() {
        let sys = tempfile::tempdir().expect("a directory");
        let radio = |number: u8, kind: &str, soft: &str, hard: &str| {
            let at = sys.path().join(format!("class/rfkill/rfkill{number}"));
            std::fs::create_dir_all(&at).expect("made");
            for (name, text) in [("type", kind), ("soft", soft), ("hard", hard)] {
                std::fs::write(at.join(name), format!("{text}\n")).expect("written");
            }
        };
        assert_eq!(blocked(sys.path()), None, "there is no such class at all");
        radio(0, "wlan", "1", "1");
        assert_eq!(blocked(sys.path()), None);
        radio(1, "bluetooth", "1", "0");
        assert_eq!(blocked(sys.path()), Some(Block::Setting));
        radio(1, "bluetooth", "1", "1");
        assert_eq!(blocked(sys.path()), Some(Block::Switch));
        radio(1, "bluetooth", "0", "0");
        assert_eq!(blocked(sys.path()), None);
    }
}
