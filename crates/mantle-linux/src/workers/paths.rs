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
    /// Where earlier versions of profiles are kept; none if there is no home.
    pub past: Option<PathBuf>,
    /// The sheets that come with the program; the person's own, beside the slots file, come before them.
    pub shipped: fn() -> Vec<Sheet>,
    /// The addresses of devices whose batteries somebody else knows, with their charge, 0 to 1: used if the kernel has no power supply for a device
    /// by radio.
    pub batteries: fn() -> Vec<(String, f32)>,
    /// Whoever talks to the computer's radio, once something is wanted of it; it reports what the radio says.
    pub radio: BeginRadio,
    /// Asks somebody who may grant it for real-time priority for a thread of this process, at a level, if the account's limits do not allow it.
    pub raise: fn(u32, u32) -> Result<(), String>,
    /// Gives one of our processes a group of its own with this name, so that a stop that kills our whole group leaves it alone.
    pub apart: fn(&str, u32) -> Result<(), String>,
}

impl Paths {
    /// Where the person's own sheets are.
    #[must_use]
    pub fn sheets(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.parent()?.join("sheets"))
    }

    /// Where the person's own pad files are.
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

    /// The settings file, beside the slots file.
    #[must_use]
    pub fn settings(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.with_file_name(mantle_files::settings::FILE))
    }

    /// The rules for games, beside the slots file.
    #[must_use]
    pub fn rules(&self) -> Option<PathBuf> {
        Some(self.slots.as_deref()?.with_file_name(mantle_files::games::FILE))
    }

    /// Where the person's profiles are, and their earlier versions.
    #[must_use]
    pub fn keeper(&self) -> Option<Keeper> {
        let profiles = self.slots.as_deref()?.parent()?.join("profiles");
        Some(Keeper { profiles, past: self.past.clone()? })
    }
}
