//! Profiles: text files with what plays what, and how it feels, for one purpose. Documented in docs/profiles.md.
//!
//! Faults in a profile are pointed at, key by key; one bad binding disables itself alone. Changes by the program
//! keep the person's comments and order.

mod comings;
mod edit;
mod feel;
mod history;
mod reader;
mod store;
mod templates;

pub use comings::{foreign, hand_out};
pub use edit::{change, new};
pub use history::{Keeper, file_name};
pub use store::{From, ProfileStore};
pub use templates::{named_text, template};

use crate::fault::FileFault;
use crate::pointed::texts;
use mantle_core::binding::Profile;
use std::path::Path;

/// The ending of a profile's file name.
pub const ENDING: &str = "profile.toml";

/// A profile as far as it could be read, with its faults.
#[derive(Clone, PartialEq, Debug)]
pub struct ProfileFile {
    /// The profile; none if nothing of it can be used.
    pub profile: Option<Profile>,
    /// The faults, in the order of the file.
    pub faults: Vec<FileFault>,
}

/// Reads a profile. Unless it names itself, its name is the file's without the ending.
#[must_use]
pub fn read(path: &str, text: &str) -> ProfileFile {
    reader::read(path, text)
}

/// Reads all profiles of a directory, in the order of their file names; none if it does not exist. Of two with the
/// same name the first one counts, and the other is a fault.
#[must_use]
pub fn read_directory(directory: &Path) -> (Vec<Profile>, Vec<FileFault>) {
    let (mut profiles, mut faults): (Vec<Profile>, Vec<FileFault>) = (Vec::new(), Vec::new());
    for (shown, text) in texts(directory, |name| name.ends_with(ENDING) && !name.starts_with('.')) {
        match text {
            Ok(text) => {
                let read = read(&shown, &text);
                faults.extend(read.faults);
                let Some(profile) = read.profile else { continue };
                match profiles.iter().find(|other| other.name == profile.name) {
                    None => profiles.push(profile),
                    Some(other) => {
                        let why =
                            format!("{} is already the name of {}; this file is ignored", profile.name, other.origin);
                        faults.push(FileFault::whole(&shown, why));
                    }
                }
            }
            Err(fault) => faults.push(fault),
        }
    }
    (profiles, faults)
}

#[cfg(test)]
mod tests;
