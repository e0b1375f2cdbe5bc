//! All profiles of a person as files: made, copied, renamed, thrown away, and compared. Nothing is ever written over, and what
//! is thrown away lies in a trash.

use super::{ENDING, Keeper, change, file_name, new, read_directory};
use crate::atomic::save;
use mantle_core::binding::{Change, Named, Profile, ProfileAct, Rule};
use mantle_core::pad::Target;
use std::fs;
use std::path::{Path, PathBuf};

/// What a new profile is made from.
#[derive(Clone, Copy, Debug)]
pub enum From<'a> {
    /// Nothing: it says nothing.
    Nothing,
    /// A profile that there is, by its name.
    Profile(&'a str),
    /// A template, by its name.
    Template(&'a str),
    /// A text, and where it comes from.
    Text(&'a str, &'a str),
}

/// The profiles of a person, and where those go that are thrown away.
#[derive(Clone, Debug)]
pub struct Shelf {
    /// The profiles, and what they were.
    pub keeper: Keeper,
    /// The trash.
    pub trash: PathBuf,
}

impl Shelf {
    /// The profile of a name.
    ///
    /// # Errors
    /// There is none; those that there are are named.
    pub fn find(&self, name: &str) -> Result<Profile, String> {
        let (profiles, _) = read_directory(&self.keeper.profiles);
        let names: Vec<&str> = profiles.iter().map(|profile| profile.name.as_str()).collect();
        let known =
            if names.is_empty() { "there are none yet".into() } else { format!("there are {}", names.join(", ")) };
        let why = format!("there is no profile named {name}; {known}");
        profiles.into_iter().find(|profile| profile.name == name).ok_or(why)
    }

    /// A new profile. Returns its file.
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
                let text = fs::read_to_string(&origin).map_err(|error| format!("{origin}: {error}"))?;
                named(&origin, &text)?
            }
        };
        let path = unused(&self.keeper.profiles, &file_name(name))?;
        save(&path, text.as_bytes()).map_err(|error| format!("{}: {error}", path.display()))?;
        Ok(path)
    }

    /// Copies a profile's file to another place, as it is.
    ///
    /// # Errors
    /// There is no such profile, or something is there already.
    pub fn export(&self, name: &str, to: &Path) -> Result<(), String> {
        let origin = self.find(name)?.origin;
        let text = fs::read(&origin).map_err(|error| format!("{origin}: {error}"))?;
        if to.exists() {
            return Err(format!("{}: something is there already; nothing is written over", to.display()));
        }
        save(to, &text).map_err(|error| format!("{}: {error}", to.display()))
    }

    /// Gives a profile another name; its file stays, and the change can be taken back.
    ///
    /// # Errors
    /// There is no such profile, the name is taken, or it cannot be saved.
    pub fn rename(&self, from: &str, to: &str) -> Result<(), String> {
        self.free(to)?;
        let origin = self.find(from)?.origin;
        self.keeper.act(to, &origin, &ProfileAct::Change(vec![Change::Name(to.to_owned())])).map(|_| ())
    }

    /// Throws a profile away; returns where it lies now.
    ///
    /// # Errors
    /// There is no such profile, or it cannot be moved.
    pub fn delete(&self, name: &str) -> Result<PathBuf, String> {
        let origin = PathBuf::from(self.find(name)?.origin);
        let said = |error: std::io::Error| format!("{}: {error}", origin.display());
        let text = fs::read(&origin).map_err(said)?;
        let stem = origin.file_name().and_then(|name| name.to_str()).and_then(|name| name.strip_suffix(ENDING));
        let path = unused(&self.trash, stem.unwrap_or("profile").trim_end_matches('.'))?;
        // First it is there as well, then no longer here: killed in between it is there twice.
        save(&path, &text).map_err(|error| format!("{}: {error}", path.display()))?;
        fs::remove_file(&origin).map_err(said)?;
        Ok(path)
    }

    /// What differs between two profiles, line by line; nothing if they play and feel alike.
    ///
    /// # Errors
    /// There is no such profile.
    pub fn compare(&self, one: &str, other: &str) -> Result<Vec<String>, String> {
        Ok(differences(&self.find(one)?, &self.find(other)?))
    }

    fn free(&self, name: &str) -> Result<(), String> {
        if name.trim().is_empty() || name == mantle_core::table::PLAIN {
            return Err("a profile needs a name of its own".into());
        }
        match self.find(name) {
            Ok(profile) => Err(format!("there is a profile named {name} already: {}", profile.origin)),
            Err(_) => Ok(()),
        }
    }
}

/// A file that is not there yet.
pub(super) fn unused(directory: &Path, stem: &str) -> Result<PathBuf, String> {
    let named = |number: u32| match number {
        1 => directory.join(format!("{stem}.{ENDING}")),
        number => directory.join(format!("{stem}-{number}.{ENDING}")),
    };
    let free = (1..1000).map(named).find(|path| !path.exists());
    free.ok_or_else(|| format!("{}: there are too many files of that name", directory.display()))
}

/// What a rule says, without its place in the file.
fn words(rule: &Rule) -> String {
    let source = rule.source.as_ref().map_or("nothing".into(), Named::text);
    let plain = mantle_core::binding::Options::default();
    if rule.options == plain { source } else { format!("{source} ({:?})", rule.options) }
}

/// What differs between two profiles.
fn differences(one: &Profile, other: &Profile) -> Vec<String> {
    let mut out = Vec::new();
    let mut say = |what: String, a: String, b: String| {
        if a != b {
            let shown = |text: String| if text.is_empty() { "–".to_owned() } else { text };
            out.push(format!("{what}: {} | {}", shown(a), shown(b)));
        }
    };
    say("what is not said".into(), guessed(one).into(), guessed(other).into());
    let mut layers: Vec<&str> = vec![""];
    for layer in one.layers.iter().chain(&other.layers) {
        if !layers.contains(&layer.name.as_str()) {
            layers.push(&layer.name);
        }
    }
    for name in layers {
        let place = |profile: &Profile| match name {
            "" => Some(0),
            name => profile.layers.iter().position(|layer| layer.name == name).map(|at| at + 1),
        };
        let during = if name.is_empty() { String::new() } else { format!(" in {name}") };
        if !name.is_empty() {
            let held = |profile: &Profile| {
                let own = profile.layers.iter().find(|layer| layer.name == name);
                own.map_or(String::new(), |layer| {
                    format!("{}{}", layer.hold.text(), if layer.toggle { ", toggled" } else { "" })
                })
            };
            say(format!("layer {name}"), held(one), held(other));
        }
        for target in Target::all() {
            let of = |profile: &Profile| {
                let own =
                    profile.rules.iter().filter(|rule| rule.target == target && Some(rule.layer) == place(profile));
                own.map(words).collect::<Vec<_>>().join(", ")
            };
            say(format!("{}{during}", target.name()), of(one), of(other));
        }
    }
    for which in mantle_core::feel::Shaped::ALL {
        let of = |profile: &Profile| format!("{:?}", profile.feel.of(which));
        if of(one) != of(other) {
            let short = |profile: &Profile| {
                let shape = profile.feel.of(which);
                let curve = shape.curve.name().unwrap_or("a curve of its own");
                let (dead, outer, least) = (shape.dead_zone, shape.outer, shape.minimum);
                let millis = shape.smoothing.0 / 1000;
                format!(
                    "dead zone {dead:.2}, outer {outer:.2}, minimum {least:.2}, {curve}, × {:.2}, gate {}, inverted {:?}, {millis} ms",
                    shape.sensitivity,
                    shape.gate.word(),
                    shape.invert
                )
            };
            say(format!("feel of the {}", which.name()), short(one), short(other));
        }
    }
    for target in Target::all() {
        let word = |word: Option<&str>| word.unwrap_or_default().to_owned();
        say(format!("{} is called", target.name()), word(one.action(target)), word(other.action(target)));
        say(format!("games print for {}", target.name()), word(one.prompt(target)), word(other.prompt(target)));
    }
    let mouse = |profile: &Profile| {
        let pace = profile.pace;
        format!("{} counts a second, wheel {}, dead zone {:.2}", pace.speed, pace.wheel, pace.dead_zone)
    };
    say("mouse".into(), mouse(one), mouse(other));
    let rest = |profile: &Profile| format!("{:?}, turned {:?}, {:?}", profile.opposite, profile.turn, profile.combine);
    say("opposites, turns, several sources".into(), rest(one), rest(other));
    out
}

fn guessed(profile: &Profile) -> &'static str {
    if profile.defaults { "plays as guessed" } else { "plays nothing" }
}

#[cfg(test)]
mod tests {
    use super::*;
    fn shelf(directory: &Path) -> Shelf {
        let keeper = Keeper { profiles: directory.join("profiles"), past: directory.join("past") };
        Shelf { keeper, trash: directory.join("trash") }
    }

    #[test]
    fn profiles_are_made_copied_renamed_and_thrown_away() {
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
    fn what_differs_is_said_line_by_line() {
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
        change("b", vec![Change::Source { target: Target::South, layer: String::new(), source, inverted: false }]);
        change(
            "b",
            vec![Change::DeadZone { sticks: false, thousandths: 100 }, Change::Action(Target::East, "jump".into())],
        );
        let said = shelf.compare("a", "b").expect("both are there");
        assert_eq!((said[0].as_str(), said.len()), ("South: – | button 4", 4), "{said:?}");
        assert!(said[1].starts_with("feel of the left trigger: dead zone 0.04"), "{said:?}");
        assert_eq!(said[3], "East is called: – | jump");
    }
}
