//! The ledger: what was changed outside, written down before it is done, so that the next start can undo it.
//!
//! It lives under `/run` only: a power cut undoes both the changes and the ledger.

use crate::rights::Rights;
use mantle_core::device::{Bus, Identity};
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The form of the file.
const VERSION: u32 = 1;

/// How far covering a device has come.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Serialize, Deserialize)]
pub enum Step {
    /// Nothing is done yet.
    Planned,
    /// The rule is written.
    Ruled,
    /// udev has read it.
    Reloaded,
    /// The driver was bound again; games have lost the device.
    Rebound,
}

/// A node and its rights before.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct NodeBefore {
    /// Its path.
    pub path: String,
    /// Its rights.
    pub rights: Rights,
}

/// A node that our own rebind has made, told from any other one.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct NodeAfter {
    /// Its path.
    pub path: String,
    /// Its device number.
    pub rdev: u64,
    /// Its inode.
    pub inode: u64,
}

impl NodeAfter {
    /// A node as it is now, if it is there.
    #[must_use]
    pub fn of(path: &str) -> Option<Self> {
        let Rights { rdev, inode, .. } = Rights::read(path).ok()?;
        Some(Self { path: path.to_owned(), rdev, inode })
    }
}

/// One interface that is covered, or about to be.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Entry {
    /// Where it stands under `/sys`.
    pub sysfs: String,
    /// Bus, vendor, product.
    pub ids: (u16, u16, u16),
    /// Serial number.
    pub uniq: String,
    /// Physical path.
    pub phys: String,
    /// Its driver.
    pub driver: String,
    /// Its nodes before, hidraw first.
    pub nodes: Vec<NodeBefore>,
    /// Its nodes once it was bound again.
    #[serde(default)]
    pub after: Vec<NodeAfter>,
    /// How far it has come.
    pub step: Step,
}

impl Entry {
    /// The identity, as far as the ledger keeps it.
    #[must_use]
    pub fn identity(&self) -> Identity {
        let (bus, vendor, product) = self.ids;
        Identity {
            bus: Bus(bus),
            vendor,
            product,
            uniq: self.uniq.clone(),
            phys: self.phys.clone(),
            ..Identity::default()
        }
    }
}

#[derive(Serialize, Deserialize)]
struct File {
    version: u32,
    boot: String,
    entries: Vec<Entry>,
}

/// The ledger on disk.
#[derive(Clone, Debug)]
pub struct Ledger {
    path: PathBuf,
    boot: String,
    /// What is covered, or about to be.
    pub entries: Vec<Entry>,
}

impl Ledger {
    /// Reads the ledger of this boot; an older one, or one that cannot be read, counts for nothing.
    #[must_use]
    pub fn open(directory: &Path) -> Self {
        let path = directory.join("ledger.json");
        let boot = fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default().trim().to_owned();
        let file: Option<File> = fs::read(&path).ok().and_then(|bytes| serde_json::from_slice(&bytes).ok());
        let entries = file.filter(|file| file.version == VERSION && file.boot == boot).map(|file| file.entries);
        Self { path, boot, entries: entries.unwrap_or_default() }
    }

    /// Writes it down, synced; an empty one is taken away.
    ///
    /// # Errors
    /// When the system refuses: then nothing may be done.
    pub fn write(&self) -> io::Result<()> {
        if self.entries.is_empty() {
            return match fs::remove_file(&self.path) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
                _ => Ok(()),
            };
        }
        let file = File { version: VERSION, boot: self.boot.clone(), entries: self.entries.clone() };
        mantle_files::save(&self.path, &serde_json::to_vec_pretty(&file)?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entry(step: Step) -> Entry {
        Entry {
            sysfs: "/sys/devices/x".into(),
            ids: (3, 0x1209, 1),
            uniq: "U".into(),
            phys: "p/input0".into(),
            driver: "hid-generic".into(),
            nodes: Vec::new(),
            after: Vec::new(),
            step,
        }
    }

    #[test]
    fn what_is_written_is_found_by_the_next_start() {
        let directory = tempfile::tempdir().expect("a directory");
        let mut ledger = Ledger::open(directory.path());
        ledger.entries.push(entry(Step::Ruled));
        ledger.write().expect("written");
        assert_eq!(Ledger::open(directory.path()).entries, [entry(Step::Ruled)]);
        ledger.entries.clear();
        ledger.write().expect("taken away");
        assert!(!directory.path().join("ledger.json").exists());
    }

    #[test]
    fn a_ledger_of_another_boot_or_a_damaged_one_counts_for_nothing() {
        let directory = tempfile::tempdir().expect("a directory");
        let mut ledger = Ledger::open(directory.path());
        ledger.boot = "another boot".into();
        ledger.entries.push(entry(Step::Rebound));
        ledger.write().expect("written");
        assert!(Ledger::open(directory.path()).entries.is_empty());
        fs::write(directory.path().join("ledger.json"), "{").expect("written");
        assert!(Ledger::open(directory.path()).entries.is_empty());
    }
}
