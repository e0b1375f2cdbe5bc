//! The configuration in use, and whose it is.

use mantle_core::binding::Profile;
use mantle_core::games::GameRule;
use mantle_core::pad::OwnPad;
use mantle_core::preferences::Preferences;
use mantle_core::sheet::Sheet;
use mantle_core::slot::Remembered;
use mantle_files::FileFault;
use mantle_linux::lock::account_name;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Everything read from the configuration.
#[derive(Debug, Default)]
pub struct Home {
    /// Path of the slots file; none without a home directory.
    pub slots: Option<PathBuf>,
    /// The contents of the slots file.
    pub remembered: Remembered,
    /// Why the slots file must not be overwritten.
    pub fault: Option<FileFault>,
    /// The person's sheets, followed by the shipped ones.
    pub sheets: Vec<Sheet>,
    /// Faults in the person's sheets.
    pub sheet_faults: Vec<FileFault>,
    /// The person's profiles.
    pub profiles: Vec<Arc<Profile>>,
    /// Faults in them.
    pub profile_faults: Vec<FileFault>,
    /// The person's pad files.
    pub own_pads: Vec<Arc<OwnPad>>,
    /// Faults in them.
    pub pad_faults: Vec<FileFault>,
    /// The rules for games.
    pub rules: Vec<GameRule>,
    /// Faults in them.
    pub rule_faults: Vec<FileFault>,
    /// The settings.
    pub preferences: Preferences,
    /// Faults in them.
    pub setting_faults: Vec<FileFault>,
    /// The owner of the configuration, if it is not who runs the program.
    pub account: Option<String>,
}

/// Reads the configuration of this account.
pub fn open() -> Home {
    let directory = mantle_files::config_directory();
    let state = mantle_files::state_directory();
    let saved_in = directory.iter().flat_map(|own| [own.clone(), own.join("profiles"), own.join("sheets")]);
    saved_in.chain(state.into_iter().map(|state| state.join("trash"))).for_each(|own| mantle_files::clean_up(&own));
    let (sheets, sheet_faults) = sheets(directory.as_deref());
    let read_profiles = |own: &PathBuf| mantle_files::profile::read_directory(&own.join("profiles"));
    let (profiles, profile_faults) = directory.as_ref().map(read_profiles).unwrap_or_default();
    let profiles = profiles.into_iter().map(Arc::new).collect();
    let read_pads = |own: &PathBuf| mantle_files::own_pad::read_directory(&own.join("pads"));
    let (own_pads, pad_faults) = directory.as_ref().map(read_pads).unwrap_or_default();
    let rules = directory.as_ref().map(|own| own.join(mantle_files::games::FILE));
    let (rules, rule_faults) = rules.map(|rules| mantle_files::games::open(&rules)).unwrap_or_default();
    let settings = directory.as_ref().map(|own| own.join(mantle_files::settings::FILE));
    let (preferences, setting_faults) =
        settings.map(|settings| mantle_files::settings::open(&settings)).unwrap_or_default();
    let slots = directory.map(|directory| directory.join(mantle_files::slots::FILE));
    let (remembered, fault) = match slots.as_deref().map(read) {
        Some(Ok(remembered)) => (remembered, None),
        Some(Err(fault)) => (Remembered::default(), Some(fault)),
        None => (Remembered::default(), None),
    };
    let account = sudo_account(slots.as_deref());
    Home {
        slots,
        remembered,
        fault,
        sheets,
        sheet_faults,
        profiles,
        profile_faults,
        own_pads,
        pad_faults,
        rules,
        rule_faults,
        preferences,
        setting_faults,
        account,
    }
}

impl Home {
    /// A sentence about a directory that cannot be written to; none if all is well.
    pub fn unwritable(&self) -> Option<String> {
        let directory = self.slots.as_deref().and_then(Path::parent)?;
        // The first existing ancestor decides, since the rest would be created in it.
        let there = directory.ancestors().find(|one| one.is_dir())?;
        let may = rustix::fs::access(there, rustix::fs::Access::WRITE_OK);
        let error = may.err()?;
        Some(format!(
            "Nothing can be saved in {}: this account may not write there ({error}). Slots and profiles last until this run ends.",
            directory.display()
        ))
    }
}

/// The person's sheets, then the shipped ones, and the faults of the former.
pub fn sheets(directory: Option<&Path>) -> (Vec<Sheet>, Vec<FileFault>) {
    let own = directory.map(|own| mantle_files::sheet::read_directory(&own.join("sheets")));
    let (mut sheets, faults) = own.unwrap_or_default();
    sheets.extend(mantle_files::shipped::sheets());
    (sheets, faults)
}

fn read(path: &Path) -> Result<Remembered, FileFault> {
    let shown = path.display().to_string();
    match mantle_files::bounded::read_if_there(path, mantle_files::bounded::SLOTS_BYTES) {
        Ok(text) => text.map_or_else(|| Ok(Remembered::default()), |text| mantle_files::slots::parse(&shown, &text)),
        Err(error) => Err(FileFault::whole(&shown, error.to_string())),
    }
}

/// Under sudo, or as root: whose configuration this is.
fn sudo_account(slots: Option<&Path>) -> Option<String> {
    let caller = std::env::var("SUDO_USER").ok().filter(|caller| !caller.is_empty())?;
    let owner = account_name(rustix::process::geteuid().as_raw());
    let place = slots.and_then(Path::parent).map(|directory| directory.display().to_string()).unwrap_or_default();
    Some(format!("{caller} through sudo, configuration of {owner}: {place}"))
}
