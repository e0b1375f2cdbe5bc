//! Which programs have a node open, as far as this account may see that.

use mantle_core::visible::visible;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// So many are named at most.
const MOST: usize = 8;

/// The programs that have any of these nodes open, this one left out, by name and number of the process.
#[must_use]
pub fn of(proc: &Path, nodes: &[String]) -> Vec<String> {
    let own = std::process::id();
    let processes = fs::read_dir(proc).into_iter().flatten().flatten();
    let found = processes.filter_map(|entry| {
        let number: u32 = entry.file_name().to_str()?.parse().ok().filter(|number| *number != own)?;
        let descriptors = fs::read_dir(entry.path().join("fd")).ok()?;
        let has = |target: PathBuf| nodes.iter().any(|node| target.as_os_str() == node.as_str());
        descriptors.flatten().filter_map(|one| fs::read_link(one.path()).ok()).any(has).then_some(())?;
        let name = fs::read_to_string(entry.path().join("comm")).unwrap_or_default();
        Some((number, format!("{} ({number})", visible(name.trim()))))
    });
    let found: BTreeMap<u32, String> = found.collect();
    found.into_values().take(MOST).collect()
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::symlink;

    #[test]
    fn who_has_a_node_open_is_named_with_visible_signs() {
        let proc = tempfile::tempdir().expect("a directory");
        let process = |number: u32, name: &str, open: &[&str]| {
            let directory = proc.path().join(number.to_string());
            std::fs::create_dir_all(directory.join("fd")).expect("made");
            std::fs::write(directory.join("comm"), format!("{name}\n")).expect("written");
            for (at, target) in open.iter().enumerate() {
                symlink(target, directory.join("fd").join(at.to_string())).expect("linked");
            }
        };
        process(30, "ferry race", &["/dev/null", "/dev/input/event9"]);
        process(7, "\u{1b}[31mtide", &["/dev/hidraw2"]);
        process(8, "other", &["/dev/input/event90"]);
        process(std::process::id(), "we", &["/dev/input/event9"]);
        std::fs::write(proc.path().join("uptime"), "1").expect("written");
        let found = super::of(proc.path(), &["/dev/input/event9".into(), "/dev/hidraw2".into()]);
        assert_eq!(found, ["\u{241b}[31mtide (7)", "ferry race (30)"]);
    }
}
