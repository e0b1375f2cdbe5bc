//! The profiles of the simulated world: texts as in files, kept only until the end.

use mantle_core::binding::{NewFrom, Profile, ProfileAct};
use mantle_core::feel::{DEAD_ZONE, Feel};
use mantle_files::case::CaseText;
use mantle_files::profile::{change, file_name, foreign, hand_out, named_text, new, read};
use mantle_files::typed_path;
use mantle_files::{FileFault, SceneFile, SceneProfile};
use std::path::Path;
use std::sync::Arc;

/// A text, its contents, earlier versions, and undone ones.
#[derive(Clone, Debug)]
struct Kept {
    /// The shipped text, which has not been read yet if it is still the present one.
    shipped: Option<String>,
    text: String,
    now: Arc<Profile>,
    past: Vec<String>,
    taken_back: Vec<String>,
    /// What is wrong in the text.
    faults: Vec<String>,
}

impl Kept {
    /// A shipped one, not read yet; otherwise one that only sets the sticks' dead zone. The text is not read for this, since that would delay the
    /// first frame.
    fn new(name: &str, dead_zone: f32, like: Option<&String>) -> Self {
        let feel = Feel::plain(dead_zone, DEAD_ZONE);
        let origin = format!("demo/{}.profile.toml", file_name(name));
        let made = like.and_then(|like| named_text(name, &NewFrom::Template(like.clone()), no_file).ok());
        if let Some(text) = made.or_else(|| mantle_files::shipped::profile_text(name).map(str::to_owned)) {
            let now = Arc::new(Profile { origin, ..Profile::plain(name, feel) });
            let (past, taken_back, faults) = Default::default();
            return Self { shipped: Some(text.clone()), text, now, past, taken_back, faults };
        }
        let mut text = new(name);
        if dead_zone != DEAD_ZONE {
            text.push_str(&format!("\n[feel]\nstick_dead_zone = {dead_zone}\n"));
        }
        let now = Arc::new(Profile { origin, ..Profile::plain(name, feel) });
        let (past, taken_back, faults) = Default::default();
        Self { shipped: None, text, now, past, taken_back, faults }
    }

    /// One with a text of its own.
    fn own(name: &str, text: &str) -> Result<Self, NoProfile> {
        let kept = Self::new(name, DEAD_ZONE, None);
        let read = read(&kept.now.origin, text);
        let faults: Vec<String> = read.faults.iter().map(FileFault::sentence).collect();
        match read.profile {
            Some(now) => Ok(Self { shipped: None, text: text.into(), now: Arc::new(now), faults, ..kept }),
            None => Err(NoProfile { path: kept.now.origin.clone(), text: text.into(), faults }),
        }
    }
}

fn no_file(path: &str) -> Result<String, String> {
    Err(format!("{path}: a scene has no files"))
}

/// All of them, deleted ones, and texts that are no profiles.
#[derive(Clone, Debug, Default)]
pub(crate) struct Profiles(Vec<Kept>, Vec<Kept>, Vec<NoProfile>);

/// A text that is no profile: where it is, and its faults.
#[derive(Clone, Debug)]
struct NoProfile {
    path: String,
    text: String,
    faults: Vec<String>,
}

impl Profiles {
    /// Those of a scene, each with its sticks' dead zone.
    pub fn of(scene: &SceneFile) -> Self {
        let own = |SceneProfile { name, dead_zone, like, text, .. }: &SceneProfile| match text {
            Some(text) => Kept::own(name, text),
            None => Ok(Kept::new(name, *dead_zone, like.as_ref())),
        };
        let (all, broken): (Vec<_>, Vec<_>) = scene.profile.iter().map(own).partition(Result::is_ok);
        let broken = broken.into_iter().filter_map(Result::err).collect();
        Self(all.into_iter().flatten().collect(), Vec::new(), broken)
    }

    /// Those of files.
    pub fn of_texts(files: &[CaseText]) -> Self {
        let mut all = Self::default();
        for file in files {
            let read = read(&file.path, &file.text);
            let faults: Vec<String> = read.faults.iter().map(FileFault::sentence).collect();
            match read.profile {
                Some(now) => all.0.push(Kept {
                    shipped: None,
                    text: file.text.clone(),
                    now: Arc::new(now),
                    past: Vec::new(),
                    taken_back: Vec::new(),
                    faults,
                }),
                None => all.2.push(NoProfile { path: file.path.clone(), text: file.text.clone(), faults }),
            }
        }
        all
    }

    /// Their texts, and where each is.
    pub fn texts(&self) -> Vec<(String, String)> {
        self.0.iter().map(|kept| (kept.now.origin.clone(), kept.text.clone())).collect()
    }

    /// Texts that are no profiles, and where each is.
    pub fn unusable(&self) -> Vec<(String, String)> {
        self.2.iter().map(|own| (own.path.clone(), own.text.clone())).collect()
    }

    /// What is wrong with their texts.
    pub fn faults(&self) -> Vec<String> {
        let broken = self.2.iter().flat_map(|own| &own.faults);
        broken.chain(self.0.iter().flat_map(|kept| &kept.faults)).cloned().collect()
    }

    /// Reads the shipped texts; returns whether there are any. This comes later than the rest, since it would delay the first frame.
    pub fn read(&mut self) -> bool {
        let mut any = false;
        for kept in &mut self.0 {
            let untouched = kept.shipped.as_ref() == Some(&kept.text);
            if let Some(profile) = read(&kept.now.origin, &kept.text).profile.filter(|_| untouched) {
                kept.now = Arc::new(profile);
                any = true;
            }
        }
        any
    }

    /// As they are now.
    pub fn all(&self) -> Vec<Arc<Profile>> {
        self.0.iter().map(|kept| kept.now.clone()).collect()
    }

    /// Like [`mantle_files::profile::Keeper::act`], without any files except imported and exported ones.
    pub fn act(&mut self, name: &str, origin: &str, act: &ProfileAct) -> Result<Profile, String> {
        let place = |origin: &str, all: &[Kept]| {
            let found = all.iter().position(|kept| kept.now.origin == origin);
            found.ok_or_else(|| format!("there is no {origin}"))
        };
        match act {
            ProfileAct::Delete => {
                let kept = self.0.remove(place(origin, &self.0)?);
                let now = (*kept.now).clone();
                self.1.push(kept);
                return Ok(now);
            }
            ProfileAct::BringBack(trashed) => {
                let kept = self.1.remove(place(trashed, &self.1)?);
                let now = (*kept.now).clone();
                self.0.push(kept);
                return Ok(now);
            }
            ProfileAct::TakeIn(from) => {
                let taken = |name: &str| self.0.iter().any(|kept| kept.now.name == name);
                let (name, text) = foreign(&typed_path(from), taken)?;
                let mut kept = Kept::new(&name, DEAD_ZONE, None);
                let read = read(&kept.now.origin, &text);
                kept.faults = read.faults.iter().map(FileFault::sentence).collect();
                let now = read.profile.ok_or("it cannot be read")?;
                (kept.now, kept.text) = (Arc::new(now.clone()), text);
                self.0.push(kept);
                return Ok(now);
            }
            ProfileAct::HandOut(to) => {
                let kept = &self.0[place(origin, &self.0)?];
                let path = hand_out(kept.text.as_bytes(), Path::new(origin), &typed_path(to))?;
                return Ok(Profile { origin: path.display().to_string(), ..(*kept.now).clone() });
            }
            _ => {}
        }
        let texts: Vec<_> = self.0.iter().map(|kept| (kept.now.origin.clone(), kept.text.clone())).collect();
        let at = self.0.iter().position(|kept| kept.now.origin == origin).unwrap_or_else(|| {
            self.0.push(Kept::new(name, DEAD_ZONE, None));
            self.0.len() - 1
        });
        let kept = &mut self.0[at];
        // The state before an amendment is the one before the change that it amends.
        let mut amended = Vec::new();
        let (next, from) = match act {
            ProfileAct::Change(changes) => {
                let next = change(&kept.now.origin, &kept.text, changes).map_err(|fault| fault.to_string())?;
                kept.taken_back.clear();
                (next, &mut kept.past)
            }
            ProfileAct::Amend(changes) => {
                let next = change(&kept.now.origin, &kept.text, changes).map_err(|fault| fault.to_string())?;
                (next, &mut amended)
            }
            ProfileAct::New(from) => {
                let read = |origin: &str| {
                    let text = texts.iter().find(|(own, _)| own == origin).map(|(_, text)| text.clone());
                    text.ok_or_else(|| format!("there is no {origin}"))
                };
                (named_text(name, from, read)?, &mut kept.past)
            }
            ProfileAct::Back => (kept.past.pop().ok_or("there is nothing to undo")?, &mut kept.taken_back),
            ProfileAct::Again => (kept.taken_back.pop().ok_or("nothing was undone")?, &mut kept.past),
            // Those have been done above.
            ProfileAct::Delete | ProfileAct::BringBack(_) | ProfileAct::TakeIn(_) | ProfileAct::HandOut(_) => {
                return Err("this is not a change".into());
            }
        };
        from.push(std::mem::replace(&mut kept.text, next));
        let read = read(&kept.now.origin, &kept.text);
        kept.faults = read.faults.iter().map(FileFault::sentence).collect();
        let now = read.profile.ok_or("it cannot be read")?;
        kept.now = Arc::new(now.clone());
        Ok(now)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loaded_profile_equals_its_text() {
        for (name, dead_zone) in [("lighthouse", DEAD_ZONE), ("night ferry", 0.08)] {
            let kept = Kept::new(name, dead_zone, None);
            let read = read(&kept.now.origin, &kept.text);
            assert_eq!((read.profile.as_ref(), read.faults), (Some(&*kept.now), Vec::new()));
        }
    }

    #[test]
    fn built_in_profiles_load_lazily_and_equal_their_text() {
        for name in mantle_files::shipped::profile_names() {
            let mut all = Profiles(vec![Kept::new(&name, DEAD_ZONE, None)], Vec::new(), Vec::new());
            assert!(all.0[0].now.rules.is_empty() && all.0[0].now.actions.is_empty(), "{name} is not read yet");
            assert!(all.read());
            let said = read(&all.0[0].now.origin, &all.0[0].text);
            assert_eq!((said.profile.as_ref(), said.faults), (Some(&*all.0[0].now), Vec::new()));
        }
    }
}
