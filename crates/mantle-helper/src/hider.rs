//! Hides devices and gives them back. It writes an exact udev rule under `/run`, then binds the driver again, which makes games that already have the
//! device open lose it. Every step is written down before it is done, so whoever finds the ledger later can undo it from any step on.

use crate::device::{HidDevice, device_number};
use crate::ledger::{Entry, Ledger, NodeAfter, NodeBefore, Step};
use crate::machine::{Machine, ThisMachine};
use mantle_core::cover::{RuleError, rule_file};
use rustix::fd::OwnedFd;
use rustix::fs::FlockOperation;
use std::io;
use std::path::PathBuf;

/// Where the rule and the ledger are.
#[derive(Clone, Debug)]
pub struct CoverPaths {
    /// The directory of the ledger.
    pub run: PathBuf,
    /// The rules file.
    pub rule: PathBuf,
}

impl Default for CoverPaths {
    fn default() -> Self {
        Self { run: "/run/placid-mantle".into(), rule: "/run/udev/rules.d/71-placid-mantle.rules".into() }
    }
}

/// Reading and writing, for the owner.
const OWNERS: u32 = 0o600;

/// The names of the steps of hiding a device, and of giving it back.
pub const POINTS: [&str; 8] =
    ["planned", "ruled", "reloaded", "unbound", "rebound", "unruled", "read again", "restored"];

/// A refusal, as it travels between processes: numbers only.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Operation {
    /// There is no such device.
    Finding,
    /// The ledger could not be written.
    Ledger,
    /// The rule could not be written.
    Rule,
    /// udev did not read its rules.
    Reloading,
    /// The driver could not be unbound.
    Unbinding,
    /// The driver could not be bound again.
    Binding,
    /// A node could not be opened.
    Opening,
    /// Who asks may not have this done.
    Asking,
}

impl Operation {
    /// All of them, by their numbers in messages.
    pub const ALL: [Self; 8] = [
        Self::Finding,
        Self::Ledger,
        Self::Rule,
        Self::Reloading,
        Self::Unbinding,
        Self::Binding,
        Self::Opening,
        Self::Asking,
    ];

    /// What was being done.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Finding => "finding the device",
            Self::Ledger => "writing the ledger",
            Self::Rule => "writing the rule",
            Self::Reloading => "reloading the rules",
            Self::Unbinding => "unbinding",
            Self::Binding => "binding",
            Self::Opening => "open",
            Self::Asking => "asking the helper",
        }
    }
}

/// Hiding a device was refused; nothing is left changed.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Refused {
    /// What was being done.
    pub operation: Operation,
    /// The system's number for why.
    pub errno: i32,
}

impl Refused {
    fn by(operation: Operation) -> impl Fn(io::Error) -> Self {
        move |error| Self { operation, errno: error.raw_os_error().unwrap_or(5) }
    }
}

/// Devices that are hidden together, for somebody.
#[derive(Clone, Debug)]
struct Hidden {
    owner: u32,
    devices: Vec<HidDevice>,
}

/// Hides devices and gives them back.
#[derive(Debug)]
pub struct Hider<M: Machine> {
    machine: M,
    paths: CoverPaths,
    ledger: Ledger,
    hidden: Vec<Hidden>,
}

impl<M: Machine> Hider<M> {
    /// A hider that has hidden nothing. What is in the ledger belongs to another one, until it is claimed or undone.
    #[must_use]
    pub fn new(machine: M, paths: CoverPaths) -> Self {
        let ledger = Ledger::open(&paths.run, &machine);
        Self { machine, paths, ledger, hidden: Vec::new() }
    }

    /// What it works on.
    pub fn machine(&mut self) -> &mut M {
        &mut self.machine
    }

    /// How many covers somebody has.
    #[must_use]
    pub fn count(&self, owner: u32) -> usize {
        self.hidden.iter().filter(|hidden| hidden.owner == owner).count()
    }

    /// Hides devices, given by their numbers, all or none. Hidden already, they stay so: also those that an earlier process has hidden, and
    /// those that come back under a rule that stands.
    ///
    /// # Errors
    /// What was refused; then nothing of it is left changed that could be undone.
    pub fn hide(&mut self, owner: u32, numbers: &[u32]) -> Result<(), Refused> {
        let gone = Refused { operation: Operation::Finding, errno: 19 };
        let root = self.machine.root().to_owned();
        let devices: Option<Vec<HidDevice>> =
            numbers.iter().map(|number| HidDevice::numbered(&root, *number)).collect();
        let devices = devices.filter(|devices| !devices.is_empty()).ok_or(gone)?;
        if let Some(known) = self.known(&devices) {
            // If it is hidden for somebody else, who is no longer in front, it belongs to the newcomer from now on.
            self.hidden[known].owner = owner;
            return self.comes_back(known, devices);
        }
        let claimed = devices.iter().all(|device| {
            let done = |entry: &Entry| entry.sysfs == device.sysfs && entry.step == Step::Rebound;
            self.ledger.entries.iter().any(|entry| done(entry) && device.is(&entry.identity()))
        });
        let mine: Vec<PathBuf> = devices.iter().map(|device| device.sysfs.clone()).collect();
        self.hidden.push(Hidden { owner, devices });
        let done = if claimed { self.write_rule() } else { self.hide_last(&mine) };
        if done.is_err() {
            let at = self.hidden.len() - 1;
            // What cannot be undone stays written down.
            let _ = self.give_back(at);
        }
        done
    }

    fn known(&self, devices: &[HidDevice]) -> Option<usize> {
        self.hidden.iter().position(|hidden| {
            let pairs = || hidden.devices.iter().zip(devices);
            hidden.devices.len() == devices.len() && pairs().all(|(own, device)| device.is(&own.identity))
        })
    }

    /// The rule has already hidden it on its return.
    fn comes_back(&mut self, known: usize, devices: Vec<HidDevice>) -> Result<(), Refused> {
        for device in &devices {
            for entry in self.ledger.entries.iter_mut().filter(|entry| device.is(&entry.identity())) {
                entry.sysfs.clone_from(&device.sysfs);
            }
        }
        self.hidden[known].devices = devices;
        self.write_ledger()
    }

    fn write_ledger(&mut self) -> Result<(), Refused> {
        self.ledger.write(&mut self.machine).map_err(Refused::by(Operation::Ledger))
    }

    fn step(&mut self, mine: &[PathBuf], step: Step, point: &'static str) -> Result<(), Refused> {
        for entry in self.ledger.entries.iter_mut().filter(|entry| mine.contains(&entry.sysfs)) {
            entry.step = step;
        }
        self.write_ledger()?;
        self.machine.reached(point);
        Ok(())
    }

    fn hide_last(&mut self, mine: &[PathBuf]) -> Result<(), Refused> {
        let devices = self.hidden.last().map(|hidden| hidden.devices.clone()).unwrap_or_default();
        // If it is already written down, that describes its original state.
        for device in &devices {
            let written = |entry: &Entry| entry.sysfs == device.sysfs && device.is(&entry.identity());
            if !self.ledger.entries.iter().any(written) {
                self.ledger.entries.retain(|entry| entry.sysfs != device.sysfs);
                self.ledger.entries.push(Entry::of(device, &self.machine));
            }
        }
        self.step(mine, Step::Planned, "planned")?;
        self.write_rule()?;
        self.step(mine, Step::Ruled, "ruled")?;
        self.machine.reload().map_err(Refused::by(Operation::Reloading))?;
        self.step(mine, Step::Reloaded, "reloaded")?;
        for device in &devices {
            let driver = device.driver.clone().unwrap_or_default();
            self.machine.unbind(&device.sysfs, &driver).map_err(Refused::by(Operation::Unbinding))?;
            self.machine.reached("unbound");
            self.machine.bind(&device.sysfs, &driver).map_err(Refused::by(Operation::Binding))?;
        }
        // Once bound again, the device has other nodes: those of our own making are distinguished from others by what they are.
        for entry in self.ledger.entries.iter_mut().filter(|entry| mine.contains(&entry.sysfs)) {
            let nodes = HidDevice::read(&entry.sysfs).map(|device| device.nodes()).unwrap_or_default();
            let after = |path: String| {
                let rights = self.machine.rights(&path).ok()?;
                Some(NodeAfter { rdev: rights.rdev, inode: rights.inode, path })
            };
            entry.after = nodes.into_iter().filter_map(after).collect();
        }
        self.step(mine, Step::Rebound, "rebound")
    }

    /// Writes the rule for all that is hidden, or removes it.
    fn write_rule(&mut self) -> Result<(), Refused> {
        let refused = Refused::by(Operation::Rule);
        if self.hidden.is_empty() {
            return self.machine.remove(&self.paths.rule).map_err(refused);
        }
        let all = self.hidden.iter().flat_map(|hidden| &hidden.devices);
        let places: Vec<_> = all.map(|device| (device.identity.clone(), device.place())).collect();
        let text = rule_file(places.iter().map(|(identity, place)| (identity, place.as_str())))
            .map_err(|_: RuleError| Refused { operation: Operation::Rule, errno: 22 })?;
        self.machine.save(&self.paths.rule, text.as_bytes()).map_err(refused)
    }

    /// Gives back what somebody has hidden together, by one of its numbers. What cannot be undone now stays in the ledger.
    ///
    /// # Errors
    /// What could not be undone, in words.
    pub fn show(&mut self, owner: u32, number: u32) -> Result<(), String> {
        let has = |hidden: &Hidden| {
            hidden.owner == owner && hidden.devices.iter().any(|device| device.number() == Some(number))
        };
        match self.hidden.iter().position(has) {
            Some(at) => self.give_back(at),
            None => Ok(()),
        }
    }

    /// Gives back all that somebody has hidden.
    ///
    /// # Errors
    /// What could not be undone, in words.
    pub fn release(&mut self, owner: u32) -> Result<(), String> {
        let mut left = Vec::new();
        while let Some(at) = self.hidden.iter().position(|hidden| hidden.owner == owner) {
            left.extend(self.give_back(at).err());
        }
        if left.is_empty() { Ok(()) } else { Err(left.join("; ")) }
    }

    /// Undoes what a process that is gone has left, and nobody has claimed since.
    ///
    /// # Errors
    /// What could not be undone, in words.
    pub fn tidy(&mut self) -> Result<(), String> {
        let claimed: Vec<PathBuf> =
            self.hidden.iter().flat_map(|hidden| &hidden.devices).map(|device| device.sysfs.clone()).collect();
        let nobodys = |entry: &Entry| !claimed.contains(&entry.sysfs);
        let stale = claimed.is_empty() && self.machine.read(&self.paths.rule).is_ok();
        if !stale && !self.ledger.entries.iter().any(nobodys) {
            return Ok(());
        }
        self.undo(nobodys)
    }

    fn give_back(&mut self, at: usize) -> Result<(), String> {
        let Hidden { devices, .. } = self.hidden.remove(at);
        self.undo(|entry| devices.iter().any(|device| device.sysfs == entry.sysfs))
    }

    /// Removes the rule for all that is no longer hidden, and gives those back.
    fn undo(&mut self, mine: impl Fn(&Entry) -> bool) -> Result<(), String> {
        let words = |refused: Refused| format!("{}: errno {}", refused.operation.words(), refused.errno);
        let rule = self.write_rule().map_err(words);
        self.machine.reached("unruled");
        let read = self.machine.reload().map_err(|error| error.to_string());
        self.machine.reached("read again");
        // While the rule exists, or udev still goes by it, a node that is given back would be taken away again.
        let mut left: Vec<String> = rule.and(read).err().into_iter().collect();
        if left.is_empty() {
            left.extend(restore_all(&mut self.machine, &mut self.ledger, mine));
            self.machine.reached("restored");
        }
        left.extend(self.ledger.write(&mut self.machine).err().map(|error| format!("writing the ledger: {error}")));
        if left.is_empty() { Ok(()) } else { Err(left.join("; ")) }
    }
}

/// Whether nothing is written down, and no rule of ours exists.
#[must_use]
pub fn is_clean(machine: &impl Machine, paths: &CoverPaths) -> bool {
    Ledger::open(&paths.run, machine).entries.is_empty() && machine.read(&paths.rule).is_err()
}

/// Taken by whoever hides devices, or undoes it, for as long as it lives: there is one at a time.
///
/// # Errors
/// [`io::ErrorKind::WouldBlock`] while another one has it; else whatever the system says.
pub fn lock(paths: &CoverPaths) -> io::Result<OwnedFd> {
    let directory = ThisMachine::directory(&paths.run)?;
    rustix::fs::flock(&directory, FlockOperation::NonBlockingLockExclusive)?;
    Ok(directory)
}

/// The same, waiting until the other one has ended.
///
/// # Errors
/// Whatever the system says.
pub fn lock_in_turn(paths: &CoverPaths) -> io::Result<OwnedFd> {
    let directory = ThisMachine::directory(&paths.run)?;
    rustix::fs::flock(&directory, FlockOperation::LockExclusive)?;
    Ok(directory)
}

/// Undoes what a process that is gone has left behind; returns how many interfaces that were.
///
/// # Errors
/// When the rule or the ledger cannot be taken away, or a device cannot be given back: it stays written down.
pub fn recover(machine: &mut impl Machine, paths: &CoverPaths) -> io::Result<usize> {
    let mut ledger = Ledger::open(&paths.run, machine);
    let rule = machine.read(&paths.rule).is_ok();
    if ledger.entries.is_empty() && !rule {
        return ledger.write(machine).map(|()| 0);
    }
    if rule {
        machine.remove(&paths.rule)?;
    }
    let reloaded = machine.reload();
    let root = machine.root().to_owned();
    if ledger.entries.is_empty() {
        // A rule with nothing written down: whatever it may have taken rights from gets them back.
        for device in HidDevice::all(&root) {
            let hidraw = device.hidraw();
            if hidraw.is_some_and(|node| machine.rights(&node).is_ok_and(|now| now.mode == 0)) {
                free(machine, &device).map_err(io::Error::other)?;
            }
        }
    }
    let count = ledger.entries.len();
    let mut why = restore_all(machine, &mut ledger, |_| true);
    ledger.write(machine)?;
    // If no udev is running, nothing can still go by the rule.
    if machine.udev_runs() {
        why.extend(reloaded.err().map(|error| error.to_string()));
    }
    if why.is_empty() { Ok(count) } else { Err(io::Error::other(why.join("; "))) }
}

/// Gives back these devices of the ledger, which removes them from it. Returns what could not be given back.
fn restore_all(machine: &mut impl Machine, ledger: &mut Ledger, mine: impl Fn(&Entry) -> bool) -> Vec<String> {
    let mut left = Vec::new();
    ledger.entries.retain(|entry| match mine(entry).then(|| restore(machine, entry)) {
        Some(Err(why)) => {
            left.push(why);
            true
        }
        Some(Ok(())) => false,
        None => true,
    });
    left
}

/// Gives the nodes of an interface back as they were, if it is still the same device. If it was plugged in again meanwhile, it has other nodes, made
/// under the rule: they get what they would have had without it.
fn restore(machine: &mut impl Machine, entry: &Entry) -> Result<(), String> {
    let identity = entry.identity();
    let Some(device) = HidDevice::read(&entry.sysfs).filter(|device| device.is(&identity)) else {
        let others = HidDevice::all(machine.root()).into_iter().filter(|other| other.is(&identity));
        return others.into_iter().try_for_each(|other| free(machine, &other));
    };
    // It was ended between unbinding and binding: what is bound now has nodes of our making.
    let unbound = device.driver.is_none() && !entry.driver.is_empty();
    if unbound {
        let bound = machine.bind(&device.sysfs, &entry.driver);
        bound.map_err(|error| format!("binding {}: {error}", device.sysfs.display()))?;
    }
    free(machine, &device)?;
    // After our rebinding a node may have another number; in order, the nodes of a kind are still the same ones. A device that was plugged in again
    // is another one, whatever its name.
    let kind = |path: &str| path.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
    let mut left: Vec<&NodeBefore> = entry.nodes.iter().collect();
    for path in device.nodes() {
        let Some(at) = left.iter().position(|before| kind(&before.path) == kind(&path)) else { continue };
        let before = left.remove(at);
        let Ok(now) = machine.rights(&path) else { continue };
        let untouched = (now.rdev, now.inode) == (before.rights.rdev, before.rights.inode);
        let ours =
            entry.after.iter().any(|after| after.path == path && (after.rdev, after.inode) == (now.rdev, now.inode));
        // If it was killed before its nodes were written down, it may have been bound again already.
        let half = entry.after.is_empty() && entry.step == Step::Reloaded;
        if (unbound || untouched || ours || half) && Some(now.rdev) == device_number(machine.root(), &path) {
            let given = machine.give(&path, &before.rights, now.rdev);
            given.map_err(|error| format!("giving back {path}: {error}"))?;
        }
    }
    Ok(())
}

/// Lets udev process a device's nodes as if they had just appeared. It has no default for hidraw, whose nodes stay without their owner's rights
/// unless somebody restores these first, since what udev then adds for others takes them into account.
fn free(machine: &mut impl Machine, device: &HidDevice) -> Result<(), String> {
    open_to_owner(machine, device)?;
    for path in device.nodes() {
        let _ = machine.look_anew(&path);
    }
    // A udev that could not be told still goes by the rule.
    open_to_owner(machine, device)
}

fn open_to_owner(machine: &mut impl Machine, device: &HidDevice) -> Result<(), String> {
    let Some(path) = device.hidraw() else { return Ok(()) };
    match machine.rights(&path) {
        Ok(now) if now.mode & OWNERS == 0 => {
            let (rdev, mode) = (now.rdev, now.mode | OWNERS);
            let rights = crate::rights::Rights { mode, ..now };
            machine.give(&path, &rights, rdev).map_err(|error| format!("giving back {path}: {error}"))
        }
        _ => Ok(()),
    }
}
