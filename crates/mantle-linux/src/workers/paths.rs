//! Where everything is that the world reads and writes.

use mantle_core::connecting::BeginRadio;
use mantle_core::sheet::Sheet;
use mantle_files::profile::Keeper;
use std::path::{Path, PathBuf};

/// Where things are; tests put them elsewhere.
#[derive(Clone, Debug)]
pub struct Paths {
    /// Normally `/sys`.
    pub sys: PathBuf,
    /// The slots file; none if there is no home.
    pub slots: Option<PathBuf>,
    /// Whether it may be written: not if it could not be read.
    pub save_slots: bool,
    /// Where it is kept what profiles were before; none if there is no home.
    pub past: Option<PathBuf>,
    /// The sheets that come with the program: the person's own, beside the slots file, come before them.
    pub shipped: fn() -> Vec<Sheet>,
    /// The addresses of devices whose batteries somebody else knows, and how full those are, 0 to 1: asked where the kernel has no power
    /// supply of a device by radio.
    pub batteries: fn() -> Vec<(String, f32)>,
    /// Whoever speaks to the computer's radio, once somebody wants something of it; it tells what the radio says.
    pub radio: BeginRadio,
    /// Asks somebody who may give it for real-time priority for a thread of this process, at a level: where the account's limits do
    /// not allow it.
    pub raise: fn(u32, u32) -> Result<(), String>,
    /// Gives a process of ours a group of its own by this name, so that a stop that kills all of our group leaves it alone.
    pub apart: fn(&str, u32) -> Result<(), String>,
}

impl Paths {
    /// Where the person's own sheets are.
    #[must_use]
    pub fn sheets(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.parent()?.join("sheets"))
    }

    /// Where the pads of the person's own are.
    #[must_use]
    pub fn own_pads(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.parent()?.join("pads"))
    }

    /// Directories of the person's own in which files are read again when they change.
    #[must_use]
    pub fn watched(&self) -> Vec<PathBuf> {
        let home = self.slots.as_deref().and_then(Path::parent).map(Path::to_owned);
        [self.sheets(), self.keeper().map(|keeper| keeper.profiles), self.own_pads(), home]
            .into_iter()
            .flatten()
            .collect()
    }

    /// Where the settings file is, beside the slots file.
    #[must_use]
    pub fn settings(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.with_file_name(mantle_files::settings::FILE))
    }

    /// Where the rules for games are, beside the slots file.
    #[must_use]
    pub fn rules(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.with_file_name(mantle_files::games::FILE))
    }

    /// Where the person's profiles are, and what they were before.
    #[must_use]
    pub fn keeper(&self) -> Option<Keeper> {
        let profiles = self.slots.as_deref()?.parent()?.join("profiles");
        Some(Keeper { profiles, past: self.past.clone()? })
    }
}
