//! The person's own files: read again when they change, and changed on request, one thing after the other.

use super::{Done, Paths, Reporter};
use crate::games;
use crate::sheet_file;
use mantle_core::binding::ProfileAct;
use mantle_core::command::{CommandNumber, RuleAct};
use mantle_core::sheet::Sheet;
use mantle_core::slot::Remembered;
use mantle_files::FileFault;
use rustix::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What is kept for the next time.
pub(super) enum Memory {
    Slots(Remembered),
    Sheet(Arc<Sheet>),
    /// The person's own sheets are read again.
    ReadSheets,
    /// A profile is changed: by which command, the name of a new one, its file, the change.
    Profile(CommandNumber, String, String, ProfileAct),
    /// The profiles are read again.
    ReadProfiles,
    /// The person's own pad files are read again.
    ReadOwnPads,
    /// The settings are read again.
    ReadSettings,
    /// The rules for games are read again.
    ReadRules,
    /// One of them is saved or deleted.
    Rule(CommandNumber, RuleAct),
    /// Directories are watched.
    Watch(OwnedFd, Vec<PathBuf>),
}

/// Does all of it, and reports the results.
pub(super) fn worker(paths: &Paths, out: Reporter) -> impl FnMut(Memory) + Send + 'static {
    let (path, may_save) = (paths.slots.clone(), paths.save_slots);
    let (directory, shipped) = (paths.sheets(), paths.shipped);
    let (keeper, settings, own_pads, rules) = (paths.keeper(), paths.settings(), paths.own_pads(), paths.rules());
    move |memory: Memory| match (memory, path.as_deref()) {
        (Memory::Slots(remembered), Some(path)) if may_save => {
            if let Err(why) = save(path, &remembered) {
                out.report(Done::Note(why));
            }
        }
        (Memory::Sheet(sheet), Some(_)) => {
            let saved = directory.as_deref().map(|directory| sheet_file::save(directory, &sheet));
            if let Some(Err(why)) = saved {
                out.report(Done::Note(why));
            }
        }
        (Memory::ReadSheets, Some(_)) => {
            let read = directory.as_deref().map(mantle_files::sheet::read_directory);
            let (mut sheets, faults) = read.unwrap_or_default();
            sheets.extend(shipped());
            out.report(Done::Sheets(sheets, sentences(&faults)));
        }
        (Memory::Profile(number, name, origin, act), _) => {
            let none = || Err("there is no home directory for profiles".to_owned());
            let done = keeper.as_ref().map_or_else(none, |keeper| keeper.act(&name, &origin, &act));
            out.report(Done::Profile(number, done.map(Box::new)));
        }
        (Memory::ReadProfiles, Some(_)) => {
            let Some(keeper) = &keeper else { return };
            let (profiles, faults) = mantle_files::profile::read_directory(&keeper.profiles);
            out.report(Done::Profiles(profiles.into_iter().map(Arc::new).collect(), sentences(&faults)));
        }
        (Memory::ReadOwnPads, Some(_)) => {
            let Some(pads) = &own_pads else { return };
            let (pads, faults) = mantle_files::own_pad::read_directory(pads);
            out.report(Done::OwnPads(pads, sentences(&faults)));
        }
        (Memory::ReadSettings, Some(_)) => {
            let Some(settings) = &settings else { return };
            out.report(Done::Settings(without_fault(mantle_files::settings::open(settings))));
        }
        (Memory::ReadRules, Some(_)) => {
            let Some(rules) = &rules else { return };
            out.report(Done::Rules(without_fault(mantle_files::games::open(rules))));
        }
        (Memory::Rule(number, act), _) => {
            let none = || Err("there is no home directory for rules".to_owned());
            let done = rules.as_deref().map_or_else(none, |rules| games::change(rules, act));
            out.report(Done::Rule(number, done));
        }
        (Memory::Watch(watcher, directories), _) => {
            directories.iter().for_each(|directory| crate::watch::own(&watcher, directory));
        }
        _ => {}
    }
}

fn sentences(faults: &[FileFault]) -> Vec<String> {
    faults.iter().map(FileFault::sentence).collect()
}

/// The contents of a file; if anything in it is wrong, only the faults.
fn without_fault<T>((read, faults): (T, Vec<FileFault>)) -> Result<T, Vec<String>> {
    if faults.is_empty() { Ok(read) } else { Err(sentences(&faults)) }
}

/// Saves the slots file; what the person has written into it meanwhile is kept.
fn save(path: &Path, remembered: &Remembered) -> Result<(), String> {
    let shown = path.display().to_string();
    let before = match mantle_files::bounded::read_if_there(path, mantle_files::bounded::SLOTS_BYTES) {
        Ok(text) => text.unwrap_or_default(),
        Err(error) => return Err(format!("{shown}: {error}; slots are not saved")),
    };
    let text = mantle_files::slots::render(&shown, &before, remembered)
        .map_err(|fault| format!("{fault}; slots are not saved, and the file is left alone"))?;
    if text == before {
        return Ok(());
    }
    mantle_files::save(path, text.as_bytes()).map_err(|error| format!("{shown}: {error}; slots are not saved"))
}
