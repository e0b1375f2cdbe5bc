//! A person's profiles as files: created, copied, renamed, deleted, compared. Nothing is ever overwritten, and deleted
//! profiles go to a trash.

use super::{ENDING, Keeper, change, file_name, new, read_directory};
use crate::bounded::{PROFILE_BYTES, read_text};
use mantle_core::binding::{Change, Difference, Profile, ProfileAct, differences};
use mantle_core::feel::Feel;
use std::path::{Path, PathBuf};

/// What a new profile starts from.
#[derive(Clone, Copy, Debug)]
pub enum From<'a> {
    /// Nothing: the plain profile.
    Nothing,
    /// An existing profile, by name.
    Profile(&'a str),
    /// A template, by name.
    Template(&'a str),
    /// A text, and where it comes from.
    Text(&'a str, &'a str),
}

/// The profiles of a person.
#[derive(Clone, Debug)]
pub struct ProfileStore {
    /// The profiles with their histories.
    pub keeper: Keeper,
}

impl ProfileStore {
    /// The profile with this name.
    ///
    /// # Errors
    /// There is none; the existing ones are named.
    pub fn find(&self, name: &str) -> Result<Profile, String> {
        let (profiles, _) = read_directory(&self.keeper.profiles);
        let names: Vec<&str> = profiles.iter().map(|profile| profile.name.as_str()).collect();
        let known =
            if names.is_empty() { "there are none yet".into() } else { format!("there are {}", names.join(", ")) };
        let why = format!("there is no profile named {name}; {known}");
        profiles.into_iter().find(|profile| profile.name == name).ok_or(why)
    }

    /// Creates a profile. Returns its file.
    ///
    /// # Errors
    /// The name is taken, or it cannot be saved.
    pub fn make(&self, name: &str, from: From<'_>) -> Result<PathBuf, String> {
        self.free(name)?;
        let named = |origin: &str, text: &str| {
            change(origin, text, &[Change::Name(name.to_owned())]).map_err(|fault| fault.to_string())
        };
        let text = match from {
            From::Nothing => new(name),
            From::Template(from) => named(from, super::template(from)?)?,
            From::Text(text, origin) => named(origin, text)?,
            From::Profile(from) => {
                let origin = self.find(from)?.origin;
                let text =
                    read_text(Path::new(&origin), PROFILE_BYTES).map_err(|error| format!("{origin}: {error}"))?;
                named(&origin, &text)?
            }
        };
        self.keeper.put_new(&file_name(name), &text)
    }

    /// Exports a profile's file unchanged.
    ///
    /// # Errors
    /// There is no such profile, or something is there already.
    pub fn export(&self, name: &str, to: &Path) -> Result<PathBuf, String> {
        self.keeper.hand_out(Path::new(&self.find(name)?.origin), to)
    }

    /// Renames a profile; its file stays, and the change can be undone.
    ///
    /// # Errors
    /// There is no such profile, the name is taken, or it cannot be saved.
    pub fn rename(&self, from: &str, to: &str) -> Result<(), String> {
        self.free(to)?;
        let origin = self.find(from)?.origin;
        self.keeper.act(to, &origin, &ProfileAct::Change(vec![Change::Name(to.to_owned())])).map(|_| ())
    }

    /// Deletes a profile. Returns where it is now.
    ///
    /// # Errors
    /// There is no such profile, or it cannot be moved.
    pub fn delete(&self, name: &str) -> Result<PathBuf, String> {
        self.keeper.throw_away(Path::new(&self.find(name)?.origin))
    }

    /// The profile with this name; the plain one exists without a file, unless somebody has made one with that name.
    fn find_or_plain(&self, name: &str) -> Result<Profile, String> {
        match self.find(name) {
            Err(_) if name == "plain" => Ok(Profile::plain(name, Feel::default())),
            found => found,
        }
    }

    /// The differences of two profiles; empty if they play and feel alike.
    ///
    /// # Errors
    /// There is no such profile.
    pub fn compare(&self, one: &str, other: &str) -> Result<Vec<Difference>, String> {
        Ok(differences(&self.find_or_plain(one)?, &self.find_or_plain(other)?))
    }

    fn free(&self, name: &str) -> Result<(), String> {
        if name.trim().is_empty() || name == mantle_core::table::PLAIN {
            return Err("the profile needs a name that no other has".into());
        }
        match self.find(name) {
            Ok(profile) => Err(format!("a profile named {name} already exists: {}", profile.origin)),
            Err(_) => Ok(()),
        }
    }
}

/// A file that does not exist yet.
pub(super) fn unused(directory: &Path, stem: &str) -> Result<PathBuf, String> {
    let named = |number: u32| match number {
        1 => directory.join(format!("{stem}.{ENDING}")),
        number => directory.join(format!("{stem}-{number}.{ENDING}")),
    };
    let free = (1..1000).map(named).find(|path| !path.exists());
    free.ok_or_else(|| format!("{}: there are too many files with that name", directory.display()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::PadTarget;
    use std::fs;

    fn shelf(directory: &Path) -> ProfileStore {
        let keeper = Keeper { profiles: directory.join("profiles"), past: directory.join("past") };
        ProfileStore { keeper }
    }

    #[test]
    fn profiles_are_made_copied_renamed_and_deleted() {
        let directory = tempfile::tempdir().expect("a directory");
        let shelf = shelf(directory.path());
        let path = shelf.make("night ferry", From::Nothing).expect("made");
        assert!(path.ends_with("night-ferry.profile.toml"), "{path:?}");
        let text = fs::read_to_string(&path).expect("it is there")
            + "# mine\n[[binding]]\ntarget = \"South\"\nsource = \"button 4\"\n";
        fs::write(&path, &text).expect("edited");
        assert!(
            shelf.make("night ferry", From::Nothing).is_err_and(|why| why.contains("already")),
            "nothing is written over"
        );
        let copy = shelf.make("crane", From::Profile("night ferry")).expect("copied");
        assert_eq!(fs::read_to_string(copy).expect("it is there"), text.replace("\"night ferry\"", "\"crane\""));
        assert_eq!(shelf.compare("crane", "night ferry"), Ok(Vec::new()));
        shelf.rename("night ferry", "ferry").expect("renamed");
        assert!(shelf.find("night ferry").is_err_and(|why| why.ends_with("there are crane, ferry")));
        assert!(shelf.rename("crane", "ferry").is_err() && shelf.rename("crane", "plain").is_err());
        let first = shelf.delete("ferry").expect("thrown away");
        assert_eq!(
            fs::read_to_string(&first).expect("it is in the trash"),
            text.replace("\"night ferry\"", "\"ferry\"")
        );
        shelf.make("ferry", From::Nothing).expect("the name is free again");
        assert_ne!(shelf.delete("ferry").expect("thrown away"), first, "and nothing in the trash is written over");
    }

    #[test]
    fn differences_are_listed_line_by_line() {
        let directory = tempfile::tempdir().expect("a directory");
        let shelf = shelf(directory.path());
        for name in ["a", "b"] {
            shelf.make(name, From::Nothing).expect("made");
        }
        let change = |name: &str, changes: Vec<Change>| {
            let origin = shelf.find(name).expect("it is there").origin;
            shelf.keeper.act(name, &origin, &ProfileAct::Change(changes)).expect("changed");
        };
        let source = Some("button 4".to_owned());
        change(
            "b",
            vec![Change::Source { target: PadTarget::South.into(), layer: String::new(), source, inverted: false }],
        );
        change(
            "b",
            vec![
                Change::DeadZone { sticks: false, thousandths: 100 },
                Change::Action(PadTarget::East.into(), "jump".into()),
            ],
        );
        let said = shelf.compare("a", "b").expect("both are there");
        let line = |at: usize| (said[at].what.as_str(), said[at].one.as_str(), said[at].other.as_str());
        assert_eq!((line(0), said.len()), (("South", "", "button 4"), 4), "{said:?}");
        assert!(line(1) == ("dead zone of the left trigger", "4 %", "10 %"), "{said:?}");
        assert_eq!(line(3), ("East is called", "", "jump"));
    }
}
