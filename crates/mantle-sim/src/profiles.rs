//! The profiles of the simulated world: texts like those of files, kept until the end only.

use mantle_core::binding::{Change, Profile, ProfileAct};
use mantle_core::feel::DEAD_ZONE;
use mantle_files::SceneFile;
use mantle_files::profile::{change, file_name, new, read};

/// A text, what it was, and what was taken back.
#[derive(Clone, Debug, Default)]
struct Kept {
    path: String,
    text: String,
    past: Vec<String>,
    taken_back: Vec<String>,
}

/// All of them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Profiles(Vec<Kept>);

impl Profiles {
    /// Those of a scene.
    pub fn of(scene: &SceneFile) -> Self {
        let mut all = Self::default();
        for one in &scene.profile {
            all.add(&one.name, one.dead_zone);
        }
        all
    }

    /// A profile of the scene, by its name and the dead zone of its sticks.
    pub fn add(&mut self, name: &str, dead_zone: f32) -> Profile {
        let (path, text) = (format!("demo/{}.profile.toml", file_name(name)), new(name));
        let thousandths = (dead_zone * 1000.0).round() as u16;
        let text = match dead_zone == DEAD_ZONE {
            true => text,
            false => change(&path, &text, &Change::DeadZone { sticks: true, thousandths }).unwrap_or(text),
        };
        let profile = read(&path, &text).profile.unwrap_or_default();
        self.0.push(Kept { path, text, ..Kept::default() });
        profile
    }

    /// As [`mantle_files::profile::Keeper::act`], without any file.
    pub fn act(&mut self, name: &str, origin: &str, act: &ProfileAct) -> Result<Profile, String> {
        let at = self.0.iter().position(|kept| kept.path == origin).unwrap_or_else(|| {
            self.add(name, DEAD_ZONE);
            self.0.len() - 1
        });
        let kept = &mut self.0[at];
        let next = match act {
            ProfileAct::Change(changes) => {
                let done = changes.iter().try_fold(kept.text.clone(), |text, one| change(&kept.path, &text, one));
                let next = done.map_err(|fault| fault.to_string())?;
                kept.past.push(kept.text.clone());
                kept.taken_back.clear();
                next
            }
            ProfileAct::Back => {
                let next = kept.past.pop().ok_or("there is nothing to take back")?;
                kept.taken_back.push(kept.text.clone());
                next
            }
            ProfileAct::Again => {
                let next = kept.taken_back.pop().ok_or("nothing was taken back")?;
                kept.past.push(kept.text.clone());
                next
            }
        };
        kept.text = next;
        read(&kept.path, &kept.text).profile.ok_or_else(|| "it cannot be read".into())
    }
}
