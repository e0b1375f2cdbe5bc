//! Profiles on disk: each change is saved at once, and the previous text is kept, so that it can be undone even
//! after a restart.
//!
//! The previous text is written first, then the profile; each completely or not at all. A process killed
//! in between leaves an undo step without effect, which is skipped.

use super::store::unused;
use super::{change, new, read};
use crate::atomic::{save, save_new};
use crate::bounded::{PROFILE_BYTES, read_text};
use mantle_core::binding::{Profile, ProfileAct};
use std::fs;
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};

/// The most steps kept for each profile.
const STEPS: usize = 100;

/// A file name for a profile, without its ending.
#[must_use]
pub fn file_name(name: &str) -> String {
    mantle_core::file_stem(name, "profile")
}

/// Where profiles and their histories are.
#[derive(Clone, Debug)]
pub struct Keeper {
    /// The profiles.
    pub profiles: PathBuf,
    /// Their histories.
    pub past: PathBuf,
}

/// Undo, or redo.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Way {
    Back,
    Again,
}

impl Way {
    fn word(self) -> &'static str {
        match self {
            Self::Back => "back",
            Self::Again => "again",
        }
    }
}

impl Keeper {
    /// Acts on a profile's file or, if that is empty, on a new one with that name.
    ///
    /// # Errors
    /// In words, with the path; the file is unchanged then.
    pub fn act(&self, name: &str, origin: &str, act: &ProfileAct) -> Result<Profile, String> {
        if let Some(moved) = self.moved(origin, act) {
            return moved;
        }
        let path = if origin.is_empty() { unused(&self.profiles, &file_name(name))? } else { PathBuf::from(origin) };
        let said = |error: io::Error| format!("{}: {error}", path.display());
        let before = match read_text(&path, PROFILE_BYTES) {
            Ok(text) => text,
            Err(error) if error.kind() == ErrorKind::NotFound => new(name),
            Err(error) => return Err(said(error)),
        };
        if origin.is_empty() {
            // The history of another profile with this file name does not belong to this one.
            self.part_with_past(&path)?;
        }
        let after = match act {
            ProfileAct::Change(changes) => {
                let shown = path.display().to_string();
                let after = change(&shown, &before, changes).map_err(|fault| fault.to_string())?;
                if after != before {
                    self.push(&path, Way::Back, &before).map_err(said)?;
                    self.clear(&path, Way::Again);
                }
                after
            }
            ProfileAct::Amend(changes) => {
                change(&path.display().to_string(), &before, changes).map_err(|fault| fault.to_string())?
            }
            ProfileAct::New(from) => {
                let read =
                    |path: &str| read_text(Path::new(path), PROFILE_BYTES).map_err(|error| format!("{path}: {error}"));
                super::named_text(name, from, read)?
            }
            ProfileAct::Back => self.step(&path, &before, Way::Back, Way::Again)?,
            ProfileAct::Again => self.step(&path, &before, Way::Again, Way::Back)?,
            // Those were handled above.
            ProfileAct::Delete | ProfileAct::BringBack(_) | ProfileAct::TakeIn(_) | ProfileAct::HandOut(_) => before,
        };
        // If two processes make one, each gets its own file.
        let path = if origin.is_empty() {
            self.put_new(&file_name(name), &after)?
        } else {
            save(&path, after.as_bytes()).map_err(said)?;
            path
        };
        let read = read(&path.display().to_string(), &after);
        read.profile.ok_or_else(|| read.faults.first().map_or_else(String::new, ToString::to_string))
    }

    /// Takes the newest kept text that differs from the present one, and keeps the present one for the way back.
    fn step(&self, path: &Path, now: &str, from: Way, to: Way) -> Result<String, String> {
        let said = |error: io::Error| format!("{}: {error}", self.past.display());
        loop {
            let Some(newest) = self.steps(path, from).pop() else {
                return Err(format!("{}: nothing to do {}", path.display(), from.word()));
            };
            let text = read_text(&newest, PROFILE_BYTES).map_err(said)?;
            if text != now {
                self.push(path, to, now).map_err(said)?;
                // This comes last: if killed before, the text exists twice, and is skipped next time.
                fs::remove_file(&newest).map_err(said)?;
                return Ok(text);
            }
            fs::remove_file(&newest).map_err(said)?;
        }
    }

    /// The kept texts of a profile, oldest first.
    fn steps(&self, path: &Path, way: Way) -> Vec<PathBuf> {
        let entries = fs::read_dir(self.place(path)).into_iter().flatten().flatten();
        let mut all: Vec<PathBuf> = entries.map(|entry| entry.path()).collect();
        let of_way =
            |path: &PathBuf| path.file_name().is_some_and(|name| name.to_string_lossy().starts_with(way.word()));
        all.retain(of_way);
        all.sort();
        all
    }

    pub(super) fn place(&self, path: &Path) -> PathBuf {
        self.past.join(path.file_name().unwrap_or_default())
    }

    /// Writes a profile to a new file, even if others make one at the same time. Returns the file.
    pub(super) fn put_new(&self, stem: &str, text: &str) -> Result<PathBuf, String> {
        loop {
            let path = unused(&self.profiles, stem)?;
            match save_new(&path, text.as_bytes()) {
                Ok(()) => return Ok(path),
                Err(error) if error.kind() == ErrorKind::AlreadyExists => {}
                Err(error) => return Err(format!("{}: {error}", path.display())),
            }
        }
    }

    /// Moves a profile's history to the trash, if there is any.
    fn part_with_past(&self, path: &Path) -> Result<(), String> {
        let past = self.place(path);
        if !past.exists() {
            return Ok(());
        }
        let said = |error: io::Error| format!("{}: {error}", past.display());
        fs::create_dir_all(self.trash()).map_err(said)?;
        let name = past.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let free = (1..).map(|number: u32| self.trash().join(format!("{name}.past-{number}"))).find(|to| !to.exists());
        fs::rename(&past, free.unwrap_or_else(|| self.trash().join(name))).map_err(said)
    }

    fn push(&self, path: &Path, way: Way, text: &str) -> io::Result<()> {
        let steps = self.steps(path, way);
        let number = |path: &PathBuf| path.file_stem()?.to_str()?.rsplit('-').next()?.parse::<u64>().ok();
        let next = steps.last().and_then(number).map_or(1, |last| last + 1);
        save(&self.place(path).join(format!("{}-{next:08}.toml", way.word())), text.as_bytes())?;
        for old in steps.iter().take((steps.len() + 1).saturating_sub(STEPS)) {
            let _ = fs::remove_file(old);
        }
        Ok(())
    }

    fn clear(&self, path: &Path, way: Way) {
        for old in self.steps(path, way) {
            let _ = fs::remove_file(old);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::binding::Change;
    use mantle_core::pad::PadTarget;

    fn keeper(directory: &Path) -> Keeper {
        Keeper { profiles: directory.join("profiles"), past: directory.join("past") }
    }

    fn source(button: u8) -> ProfileAct {
        let source = Some(format!("button {button}"));
        ProfileAct::Change(vec![Change::Source {
            target: PadTarget::South.into(),
            layer: String::new(),
            source,
            inverted: false,
        }])
    }

    fn now(profile: &Profile) -> Option<String> {
        profile.rules.first().and_then(|rule| rule.source.as_ref()).map(|source| source.text())
    }

    #[test]
    fn changes_are_saved_and_undoable_after_restarts() {
        let directory = tempfile::tempdir().expect("a directory");
        let first = keeper(directory.path()).act("Quay pad", "", &source(1)).expect("a new one");
        assert!(first.origin.ends_with("profiles/quay-pad.profile.toml"), "{}", first.origin);
        for button in 2..=4 {
            keeper(directory.path()).act("", &first.origin, &source(button)).expect("changed");
        }
        // Each time as a fresh process.
        let act = |act: ProfileAct| keeper(directory.path()).act("", &first.origin, &act).map(|profile| now(&profile));
        assert_eq!(act(ProfileAct::Back), Ok(Some("button 3".into())));
        assert_eq!(act(ProfileAct::Back), Ok(Some("button 2".into())));
        assert_eq!(act(ProfileAct::Again), Ok(Some("button 3".into())));
        assert_eq!(act(source(9)), Ok(Some("button 9".into())));
        // An amendment is undone together with the change it amends, in one step.
        let ProfileAct::Change(more) = source(8) else { panic!("it is a change") };
        assert_eq!(act(ProfileAct::Amend(more)), Ok(Some("button 8".into())));
        assert!(act(ProfileAct::Again).is_err(), "what was done instead cannot be done again");
        assert_eq!(act(ProfileAct::Back), Ok(Some("button 3".into())));
        assert_eq!(act(ProfileAct::Back), Ok(Some("button 2".into())));
        assert_eq!(act(ProfileAct::Back), Ok(Some("button 1".into())));
        assert_eq!(act(ProfileAct::Back), Ok(None));
        let why = act(ProfileAct::Back).expect_err("there is no more");
        assert!(why.ends_with("nothing to do back"), "{why}");
    }

    /// Killed after the previous text was kept, but before the profile was saved: undo still works.
    #[test]
    fn undo_skips_steps_without_effect() {
        let directory = tempfile::tempdir().expect("a directory");
        let keeper = keeper(directory.path());
        let first = keeper.act("p", "", &source(1)).expect("a new one");
        keeper.act("", &first.origin, &source(2)).expect("changed");
        let path = PathBuf::from(&first.origin);
        let text = fs::read_to_string(&path).expect("it is there");
        keeper.push(&path, Way::Back, &text).expect("kept");
        assert_eq!(now(&keeper.act("", &first.origin, &ProfileAct::Back).expect("back")), Some("button 1".into()));
    }

    /// Undoing loses nothing that somebody else wrote meanwhile.
    #[test]
    fn edits_by_hand_can_be_undone() {
        let directory = tempfile::tempdir().expect("a directory");
        let keeper = keeper(directory.path());
        let first = keeper.act("p", "", &source(1)).expect("a new one");
        keeper.act("", &first.origin, &source(2)).expect("changed");
        let mine = "version = 1\n# mine\n[[binding]]\ntarget = \"South\"\nsource = \"hat up\"\n";
        fs::write(&first.origin, mine).expect("written");
        keeper.act("", &first.origin, &ProfileAct::Back).expect("back");
        keeper.act("", &first.origin, &ProfileAct::Again).expect("again");
        assert_eq!(fs::read_to_string(&first.origin).expect("there"), mine);
    }

    #[test]
    fn a_broken_file_is_never_overwritten() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("bad.profile.toml");
        fs::write(&path, "version = 1\nname = ").expect("written");
        let why = keeper(directory.path()).act("", &path.display().to_string(), &source(1)).expect_err("it is broken");
        assert!(why.contains("bad.profile.toml:2:"), "{why}");
        assert_eq!(fs::read_to_string(&path).expect("there"), "version = 1\nname = ");
    }
}
