//! The profiles of the simulated world: texts like those of files, kept until the end only.

use mantle_core::binding::{Change, Profile, ProfileAct};
use mantle_core::feel::DEAD_ZONE;
use mantle_files::SceneFile;
use mantle_files::profile::{change, file_name, new, read};
use std::sync::Arc;

/// A text, what it was, and what was taken back.
#[derive(Clone, Debug, Default)]
struct Kept {
    path: String,
    text: String,
    past: Vec<String>,
    taken_back: Vec<String>,
}

impl Kept {
    fn new(name: &str) -> Self {
        Self { path: format!("demo/{}.profile.toml", file_name(name)), text: new(name), ..Self::default() }
    }

    fn change(&self, changes: &[Change]) -> Result<String, String> {
        change(&self.path, &self.text, changes).map_err(|fault| fault.to_string())
    }

    fn profile(&self) -> Option<Profile> {
        read(&self.path, &self.text).profile
    }
}

/// All of them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Profiles(Vec<Kept>);

impl Profiles {
    /// Those of a scene, each with the dead zone of its sticks.
    pub fn of(scene: &SceneFile) -> Self {
        let one = |file: &mantle_files::ProfileFile| {
            let mut kept = Kept::new(&file.name);
            if file.dead_zone != DEAD_ZONE {
                let thousandths = (file.dead_zone * 1000.0).round() as u16;
                let changed = kept.change(&[Change::DeadZone { sticks: true, thousandths }]);
                kept.text = changed.unwrap_or(kept.text);
            }
            kept
        };
        Self(scene.profile.iter().map(one).collect())
    }

    /// As they are now.
    pub fn all(&self) -> Vec<Arc<Profile>> {
        self.0.iter().filter_map(Kept::profile).map(Arc::new).collect()
    }

    /// As [`mantle_files::profile::Keeper::act`], without any file.
    pub fn act(&mut self, name: &str, origin: &str, act: &ProfileAct) -> Result<Profile, String> {
        let at = self.0.iter().position(|kept| kept.path == origin).unwrap_or_else(|| {
            self.0.push(Kept::new(name));
            self.0.len() - 1
        });
        let kept = &mut self.0[at];
        let (next, from) = match act {
            ProfileAct::Change(changes) => {
                let next = kept.change(changes)?;
                kept.taken_back.clear();
                (next, &mut kept.past)
            }
            ProfileAct::Back => (kept.past.pop().ok_or("there is nothing to take back")?, &mut kept.taken_back),
            ProfileAct::Again => (kept.taken_back.pop().ok_or("nothing was taken back")?, &mut kept.past),
        };
        from.push(std::mem::replace(&mut kept.text, next));
        kept.profile().ok_or_else(|| "it cannot be read".into())
    }
}
