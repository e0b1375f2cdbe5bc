//! Which programs are browsers, by their desktop entries.

use std::fs;
use std::path::{Path, PathBuf};

/// Where the desktop entries of programs are: the person's own, and the system's.
pub(super) fn applications() -> Vec<PathBuf> {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let own = std::env::var_os("XDG_DATA_HOME").map(PathBuf::from);
    let own = own.or_else(|| home.map(|home| home.join(".local/share")));
    let system = std::env::var("XDG_DATA_DIRS").unwrap_or_default();
    let system = if system.is_empty() { "/usr/local/share:/usr/share".to_owned() } else { system };
    let all = own.into_iter().chain(system.split(':').map(PathBuf::from));
    all.filter(|directory| directory.is_absolute()).map(|directory| directory.join("applications")).collect()
}

/// A browser, by its desktop entry.
pub(super) struct Browser {
    /// The entry's name without its ending: the application's id.
    id: String,
    /// What it starts.
    program: PathBuf,
}

impl Browser {
    /// Whether a process belongs to it: by its program's name, by that program's place (for a script that starts another program beside itself), or
    /// by the application's id in the name of its control group, if a sandbox shows nothing else.
    pub(super) fn is(&self, process: &Path) -> bool {
        let target = fs::read_link(process.join("exe")).unwrap_or_default();
        let target = target.to_string_lossy();
        let exe = Path::new(target.strip_suffix(" (deleted)").unwrap_or(&target));
        let same_name = exe.file_name().is_some_and(|name| Some(name) == self.program.file_name());
        let real = fs::canonicalize(&self.program).ok();
        let beside =
            real.as_deref().and_then(Path::parent).filter(|place| !COMMON.iter().any(|own| *place == Path::new(own)));
        let in_group = || {
            let group = fs::read_to_string(process.join("cgroup")).unwrap_or_default();
            let unit = group.trim().rsplit('/').next().unwrap_or_default().to_owned();
            unit.starts_with("app-") && unit.replace("\\x2d", "-").contains(&format!("-{}-", self.id))
        };
        same_name || beside.is_some_and(|place| exe.parent() == Some(place)) || in_group()
    }
}

/// Directories that contain programs of all kinds.
const COMMON: [&str; 4] = ["/usr/bin", "/bin", "/usr/local/bin", "/usr/games"];

/// The browsers among desktop entries.
pub(super) fn known(applications: &[PathBuf]) -> Vec<Browser> {
    let entries = applications.iter().flat_map(|directory| fs::read_dir(directory).into_iter().flatten().flatten());
    entries
        .filter_map(|entry| {
            let path = entry.path();
            let id = path.file_name()?.to_str()?.strip_suffix(".desktop")?.to_owned();
            let text = fs::read_to_string(&path).ok()?;
            let mut main = text.lines().skip_while(|line| line.trim() != "[Desktop Entry]").skip(1);
            let (mut is_one, mut program) = (false, None);
            for line in main.by_ref().take_while(|line| !line.trim_start().starts_with('[')) {
                match line.split_once('=').map(|(key, value)| (key.trim(), value.trim())) {
                    Some(("Categories", value)) => is_one = value.split(';').any(|one| one == "WebBrowser"),
                    Some(("Exec", value)) => program = started(value),
                    _ => {}
                }
            }
            Some(Browser { id, program: program.filter(|_| is_one)? })
        })
        .collect()
}

/// The program started by the command line of a desktop entry.
fn started(line: &str) -> Option<PathBuf> {
    let line = line.trim();
    let word = match line.strip_prefix('"') {
        Some(rest) => rest.split('"').next()?,
        None => line.split_ascii_whitespace().next()?,
    };
    if word != "env" && !word.ends_with("/env") {
        return Some(PathBuf::from(word));
    }
    line.split_ascii_whitespace().skip(1).find(|word| !word.contains('=') && !word.starts_with('-')).map(PathBuf::from)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    fn process(proc: &Path, number: u32, exe: &str) {
        let directory = proc.join(number.to_string());
        fs::create_dir_all(&directory).expect("made");
        symlink(exe, directory.join("exe")).expect("linked");
    }

    #[test]
    fn browsers_are_identified_by_desktop_entries() {
        let (proc, shared) = (tempfile::tempdir().expect("a directory"), tempfile::tempdir().expect("a directory"));
        let lodge = shared.path().join("lodge");
        fs::create_dir_all(&lodge).expect("made");
        fs::write(lodge.join("start"), "").expect("written");
        symlink(lodge.join("start"), shared.path().join("started")).expect("linked");
        let entry = |name: &str, text: String| fs::write(shared.path().join(name), text).expect("written");
        entry("pier.desktop", "[Desktop Entry]\nExec=/usr/bin/pier %U\nCategories=Network;WebBrowser;\n".into());
        let other = "[Desktop Action new]\nExec=/usr/bin/ferry\nCategories=WebBrowser;\n";
        entry("ferry.desktop", format!("[Desktop Entry]\nExec=/usr/bin/ferry\nCategories=Game;\n{other}"));
        let beside = shared.path().join("started");
        entry("lodge.desktop", format!("[Desktop Entry]\nCategories=WebBrowser;\nExec=\"{}\" %u\n", beside.display()));
        entry(
            "net.example.Quay.desktop",
            "[Desktop Entry]\nExec=env A=1 sandbox run quay\nCategories=WebBrowser\n".into(),
        );
        process(proc.path(), 1, "/usr/lib/pier/pier (deleted)");
        process(proc.path(), 2, "/usr/bin/ferry");
        process(proc.path(), 3, &lodge.join("lodge-bin").to_string_lossy());
        process(proc.path(), 4, "/app/bin/quay");
        let group = "0::/user.slice/app.slice/app-sandbox-net.example.Quay-77.scope\n";
        fs::write(proc.path().join("4/cgroup"), group).expect("written");
        let all = known(&[shared.path().to_owned()]);
        let is_one = |number: u32| all.iter().any(|browser| browser.is(&proc.path().join(number.to_string())));
        assert_eq!([1, 2, 3, 4].map(is_one), [true, false, true, true]);
    }
}
