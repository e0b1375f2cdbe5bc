//! The ledger: what was changed outside, written down beforehand, so that the next start can undo it. It is kept only under `/run`: a power cut
//! undoes both the changes and the ledger.

use crate::device::HidDevice;
use crate::machine::Machine;
use crate::rights::Rights;
use mantle_core::device::{Bus, Identity};
use serde::{Deserialize, Serialize};
use std::io;
use std::path::{Path, PathBuf};

/// The form of the file.
const VERSION: u32 = 1;

/// How far covering a device has got.
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

/// What distinguishes a node made by our own rebinding from any other.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct NodeAfter {
    /// Its path.
    pub path: String,
    /// Its device number.
    pub rdev: u64,
    /// Its inode.
    pub inode: u64,
}

/// One interface that is covered, or about to be.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Entry {
    /// Where it stands under `/sys`.
    pub sysfs: PathBuf,
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
    /// A device as it is before anything is done to it.
    #[must_use]
    pub fn of(device: &HidDevice, machine: &impl Machine) -> Self {
        let identity = &device.identity;
        let before = |path: String| Some(NodeBefore { rights: machine.rights(&path).ok()?, path });
        Self {
            sysfs: device.sysfs.clone(),
            ids: (identity.bus.0, identity.vendor, identity.product),
            uniq: identity.uniq.clone(),
            phys: identity.phys.clone(),
            driver: device.driver.clone().unwrap_or_default(),
            nodes: device.nodes().into_iter().filter_map(before).collect(),
            after: Vec::new(),
            step: Step::Planned,
        }
    }

    /// The identity, as far as the ledger keeps it.
    #[must_use]
    pub fn identity(&self) -> Identity {
        let (bus, vendor, product) = self.ids;
        let (uniq, phys) = (self.uniq.clone(), self.phys.clone());
        Identity { bus: Bus(bus), vendor, product, uniq, phys, ..Identity::default() }
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
    pub fn open(directory: &Path, machine: &impl Machine) -> Self {
        let path = directory.join("ledger.json");
        let boot = machine.boot();
        let entries = machine.read(&path).ok().and_then(|bytes| Self::entries(&bytes, &boot)).unwrap_or_default();
        Self { path, boot, entries }
    }

    /// The contents of a file, if it is from this boot.
    #[must_use]
    pub fn entries(bytes: &[u8], boot: &str) -> Option<Vec<Entry>> {
        let file: File = serde_json::from_slice(bytes).ok()?;
        (file.version == VERSION && file.boot == boot).then_some(file.entries)
    }

    /// The file that says this.
    ///
    /// # Errors
    /// Of a path that is no text.
    pub fn file(entries: &[Entry], boot: &str) -> io::Result<Vec<u8>> {
        let file = File { version: VERSION, boot: boot.to_owned(), entries: entries.to_vec() };
        Ok(serde_json::to_vec_pretty(&file)?)
    }

    /// Writes it down, synced; an empty one is taken away.
    ///
    /// # Errors
    /// When the system refuses: then nothing may be done.
    pub fn write(&self, machine: &mut impl Machine) -> io::Result<()> {
        if self.entries.is_empty() {
            return machine.remove(&self.path);
        }
        machine.save(&self.path, &Self::file(&self.entries, &self.boot)?)
    }
}
