//! Profiles as files that come and go: deleted and restored, imported and exported. Nothing is ever overwritten.

use super::store::unused;
use super::{ENDING, Keeper, change, file_name, read, read_directory};
use crate::atomic::save;
use crate::bounded::{PROFILE_BYTES, read_bytes, read_text};
use mantle_core::binding::{Change, Profile, ProfileAct, free_name};
use std::fs;
use std::path::{Path, PathBuf};

impl Keeper {
    /// Where deleted profiles are.
    #[must_use]
    pub fn trash(&self) -> PathBuf {
        self.past.parent().unwrap_or(&self.past).join("trash")
    }

    /// Deletes a profile. Returns where it is now. Its history stays, for when it is restored.
    ///
    /// # Errors
    /// It does not exist, or cannot be moved.
    pub fn throw_away(&self, origin: &Path) -> Result<PathBuf, String> {
        let said = |error: std::io::Error| format!("{}: {error}", origin.display());
        let text = read_bytes(origin, PROFILE_BYTES).map_err(said)?;
        let path = unused(&self.trash(), &stem(origin))?;
        // First it is copied, then removed: if killed in between, it exists twice.
        save(&path, &text).map_err(|error| format!("{}: {error}", path.display()))?;
        fs::remove_file(origin).map_err(said)?;
        // Its history goes along, since the name is free for a different profile now.
        let past = self.place(origin);
        if past.exists() {
            fs::rename(&past, past_of(&path)).map_err(said)?;
        }
        Ok(path)
    }

    /// Restores a profile from the trash, to where it was or, if something is there now, beside it.
    pub(super) fn bring_back(&self, trashed: &Path, origin: &Path) -> Result<Profile, String> {
        let said = |error: std::io::Error| format!("{}: {error}", trashed.display());
        let text = read_text(trashed, PROFILE_BYTES).map_err(said)?;
        let path = if origin.exists() { unused(&self.profiles, &stem(origin))? } else { origin.to_owned() };
        let profile = self.put(&path, &text)?;
        fs::remove_file(trashed).map_err(said)?;
        let (past, place) = (past_of(trashed), self.place(&path));
        if past.exists() && !place.exists() {
            fs::create_dir_all(&self.past).map_err(said)?;
            fs::rename(past, place).map_err(said)?;
        }
        Ok(profile)
    }

    /// Imports a file, under another name if its name is taken.
    pub(super) fn take_in(&self, from: &Path) -> Result<Profile, String> {
        let (known, _) = read_directory(&self.profiles);
        let (name, text) = foreign(from, |name| known.iter().any(|own| own.name == name))?;
        let path = self.put_new(&file_name(&name), &text)?;
        read_at(&path)
    }

    /// Exports a profile's file unchanged: to a file, or into a directory. Returns where it is.
    ///
    /// # Errors
    /// It does not exist, or something is at that place already.
    pub fn hand_out(&self, origin: &Path, to: &Path) -> Result<PathBuf, String> {
        let text = read_bytes(origin, PROFILE_BYTES).map_err(|error| format!("{}: {error}", origin.display()))?;
        hand_out(&text, origin, to)
    }

    fn put(&self, path: &Path, text: &str) -> Result<Profile, String> {
        save(path, text.as_bytes()).map_err(|error| format!("{}: {error}", path.display()))?;
        read(&path.display().to_string(), text)
            .profile
            .ok_or_else(|| format!("{}: it is not a profile", path.display()))
    }

    /// Carries out an act on files. Returns the profile as it is then, or was; its origin is where it is now.
    pub(super) fn moved(&self, origin: &str, act: &ProfileAct) -> Option<Result<Profile, String>> {
        let origin = Path::new(origin);
        Some(match act {
            ProfileAct::Delete => self.throw_away(origin).and_then(|path| read_at(&path)),
            ProfileAct::BringBack(trashed) => self.bring_back(Path::new(trashed), origin),
            ProfileAct::TakeIn(from) => self.take_in(&crate::typed_path(from)),
            ProfileAct::HandOut(to) => self.hand_out(origin, &crate::typed_path(to)).and_then(|path| read_at(&path)),
            _ => return None,
        })
    }
}

/// An imported file: its name here, and its text with that name. `taken` says whether a name is taken.
///
/// # Errors
/// It cannot be read, or is not a profile.
pub fn foreign(from: &Path, taken: impl Fn(&str) -> bool) -> Result<(String, String), String> {
    let shown = from.display().to_string();
    let text = read_text(from, PROFILE_BYTES).map_err(|error| format!("{shown}: {error}"))?;
    let read = read(&shown, &text);
    let Some(profile) = read.profile else {
        let why = read.faults.first().map_or_else(|| "it is not a profile".into(), ToString::to_string);
        return Err(why);
    };
    let name = free_name(&profile.name, |name| taken(name) || name == mantle_core::table::PLAIN);
    let text = change(&shown, &text, &[Change::Name(name.clone())]).map_err(|fault| fault.to_string())?;
    Ok((name, text))
}

/// Writes a profile's text to a file or, under its own file name, into a directory. Returns where it is.
///
/// # Errors
/// Something is there already, or it cannot be written.
pub fn hand_out(text: &[u8], origin: &Path, to: &Path) -> Result<PathBuf, String> {
    let named = |to: &Path| {
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        if name.ends_with(super::ENDING) {
            to.to_owned()
        } else {
            to.with_file_name(format!("{name}.{}", super::ENDING))
        }
    };
    let to = if to.is_dir() { to.join(origin.file_name().unwrap_or_default()) } else { named(to) };
    if to.exists() {
        return Err(format!("{}: it already exists, and is not overwritten", to.display()));
    }
    save(&to, text).map_err(|error| format!("{}: {error}", to.display()))?;
    Ok(to)
}

fn read_at(path: &Path) -> Result<Profile, String> {
    let shown = path.display().to_string();
    let text = read_text(path, PROFILE_BYTES).map_err(|error| format!("{shown}: {error}"))?;
    read(&shown, &text).profile.ok_or_else(|| format!("{shown}: it is not a profile"))
}

/// Where the history of a deleted profile is.
fn past_of(trashed: &Path) -> PathBuf {
    let mut name = trashed.file_name().unwrap_or_default().to_os_string();
    name.push(".past");
    trashed.with_file_name(name)
}

fn stem(path: &Path) -> String {
    let stem = path.file_name().and_then(|name| name.to_str()).and_then(|name| name.strip_suffix(ENDING));
    stem.unwrap_or("profile").trim_end_matches('.').to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::PadTarget;

    #[test]
    fn a_deleted_profile_comes_back_with_its_history() {
        let directory = tempfile::tempdir().expect("a directory");
        let keeper = Keeper { profiles: directory.path().join("profiles"), past: directory.path().join("past") };
        let bind = |button: &str| {
            let source = Some(button.to_owned());
            ProfileAct::Change(vec![Change::Source {
                target: PadTarget::South.into(),
                layer: String::new(),
                source,
                inverted: false,
            }])
        };
        let made = keeper.act("ferry", "", &bind("button 1")).expect("made");
        keeper.act("", &made.origin, &bind("button 2")).expect("changed");
        let gone = keeper.act("ferry", &made.origin, &ProfileAct::Delete).expect("thrown away");
        assert!(!Path::new(&made.origin).exists() && Path::new(&gone.origin).starts_with(keeper.trash()));
        let back = keeper.act("", &made.origin, &ProfileAct::BringBack(gone.origin.clone())).expect("back");
        assert_eq!((back.origin.as_str(), Path::new(&gone.origin).exists()), (made.origin.as_str(), false));
        let before = keeper.act("", &made.origin, &ProfileAct::Back).expect("what it was before is still known");
        assert_eq!(before.rules[0].source.as_ref().map(|named| named.text()).as_deref(), Some("button 1"));
        // Something has taken its place meanwhile: nothing is overwritten.
        let gone = keeper.act("ferry", &made.origin, &ProfileAct::Delete).expect("thrown away");
        fs::write(&made.origin, "version = 1\n# another one\n").expect("written");
        let back = keeper.act("", &made.origin, &ProfileAct::BringBack(gone.origin)).expect("back");
        assert_ne!(back.origin, made.origin);
        assert!(fs::read_to_string(&made.origin).expect("there").contains("another one"));
    }

    #[test]
    fn a_file_is_imported_under_a_free_name_and_exported_over_nothing() {
        let directory = tempfile::tempdir().expect("a directory");
        let keeper = Keeper { profiles: directory.path().join("profiles"), past: directory.path().join("past") };
        let foreign = directory.path().join("sent.profile.toml");
        let text = "version = 1\nname = \"ferry\" # theirs\n[[binding]]\ntarget = \"South\"\nsource = \"button 1\"\n";
        fs::write(&foreign, text).expect("written");
        let take = || keeper.act("", "", &ProfileAct::TakeIn(foreign.display().to_string()));
        let names = [take(), take()].map(|taken| taken.expect("taken in").name);
        assert_eq!(names, ["ferry", "ferry 2"]);
        let mine = keeper.profiles.join("ferry.profile.toml");
        assert_eq!(fs::read_to_string(&mine).expect("there"), text, "as it was, with its comments");
        let hand =
            |to: &Path| keeper.act("", &mine.display().to_string(), &ProfileAct::HandOut(to.display().to_string()));
        let out = directory.path().join("out");
        fs::create_dir(&out).expect("a directory");
        assert_eq!(hand(&out).map(|profile| profile.origin), Ok(out.join("ferry.profile.toml").display().to_string()));
        assert!(hand(&out).is_err_and(|why| why.contains("is not overwritten")));
        fs::write(&foreign, "version = 1\nname = ").expect("written");
        assert!(take().is_err_and(|why| why.contains("sent.profile.toml:2:")), "what is broken stays outside");
    }
}
