//! Covers devices and uncovers them.
//!
//! As root: an exact udev rule under `/run`, then the driver is bound again, which puts out games that have the
//! device open already. Otherwise its input nodes are held, which games see as a dead pad.

use crate::ledger::{Entry, Ledger, NodeBefore, Step};
use crate::rights::Rights;
use crate::{evdev, scan};
use mantle_core::cover::{CoverInterface, CoverPlan, Strength, rule_file};
use mantle_core::device::{DeviceId, Identity, OsFault};
use rustix::fd::OwnedFd;
use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// Where the rule and the ledger stand.
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

/// How long nodes may take to come back.
const BACK_WITHIN: Duration = Duration::from_secs(5);

/// Covers devices and uncovers them.
#[derive(Debug)]
pub struct Coverer {
    paths: CoverPaths,
    root: bool,
    /// What the rule names; without a number for devices that are away and covered for their return.
    hidden: Vec<(Option<DeviceId>, Vec<CoverInterface>)>,
    held: HashMap<DeviceId, Vec<OwnedFd>>,
    /// Sources that are held through what they are read by.
    sources: HashMap<DeviceId, Vec<evdev::Held>>,
    notes: Vec<String>,
}

/// What came of covering a device.
#[derive(Debug)]
pub enum Covered {
    /// Something is down on it: to be tried again soon.
    Waits,
    /// It is covered, or that was refused; then nothing is left changed.
    Done(Result<Strength, OsFault>),
}

/// How long to wait for fingers to be lifted before giving up.
const LIFTED_WITHIN: Duration = Duration::from_secs(20);

fn fault(operation: &str, path: &Path, error: &io::Error) -> OsFault {
    OsFault { operation: operation.into(), path: path.display().to_string(), errno: error.raw_os_error().unwrap_or(5) }
}

/// Tests stop the program here to end it as a crash would; nothing happens unless they ask for it.
fn pause_for_tests(step: &str) {
    if std::env::var("PLACID_MANTLE_PAUSE_AT").is_ok_and(|at| at == step) {
        println!("paused at {step}");
        loop {
            std::thread::park();
        }
    }
}

fn udevadm(arguments: &[&str]) -> io::Result<()> {
    let status = Command::new("udevadm").args(arguments).status()?;
    if status.success() { Ok(()) } else { Err(io::Error::other(format!("udevadm {} failed", arguments.join(" ")))) }
}

/// Fingers were not lifted in time.
fn stays_down(path: &str) -> OsFault {
    let busy = io::Error::from_raw_os_error(rustix::io::Errno::BUSY.raw_os_error());
    fault("holding (something stays down)", Path::new(path), &busy)
}

impl Coverer {
    /// A coverer that has covered nothing.
    #[must_use]
    pub fn new(paths: CoverPaths) -> Self {
        let root = rustix::process::geteuid().is_root() && Path::new("/run/udev/control").exists();
        Self { paths, root, hidden: Vec::new(), held: HashMap::new(), sources: HashMap::new(), notes: Vec::new() }
    }

    /// What the journal should know.
    pub fn take_notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    /// Covers a device, asked for at a moment. Covering twice does nothing.
    pub fn cover(&mut self, plan: &CoverPlan, since: Instant) -> Covered {
        if self.root && !self.held.contains_key(&plan.device) {
            match self.hide(plan) {
                Ok(()) => return Covered::Done(Ok(Strength::Hidden)),
                Err(error) => {
                    self.uncover(plan.device);
                    let (operation, path, errno) = (&error.operation, &error.path, error.name());
                    self.notes
                        .push(format!("covering by rule failed, it is held instead: {operation} {path} ({errno})"));
                }
            }
        }
        if self.held.contains_key(&plan.device) {
            return Covered::Done(Ok(Strength::Held));
        }
        let mut held = Vec::new();
        for interface in &plan.interfaces {
            let device = PathBuf::from(&interface.sysfs);
            for node in scan::input_nodes(&device).iter().filter(|node| node.starts_with("/dev/input/event")) {
                match evdev::try_hold(node) {
                    Ok(Some(fd)) => held.push(fd),
                    Ok(None) if since.elapsed() < LIFTED_WITHIN => return Covered::Waits,
                    Ok(None) => return Covered::Done(Err(stays_down(node))),
                    Err(refused) => return Covered::Done(Err(refused)),
                }
            }
        }
        self.held.insert(plan.device, held);
        Covered::Done(Ok(Strength::Held))
    }

    /// Holds input nodes that are sources, as soon as nothing is down on them. Returns through what their unused events
    /// are passed on.
    pub(crate) fn hold(
        &mut self,
        device: DeviceId,
        nodes: &[evdev::Hold],
        since: Instant,
    ) -> Result<Option<evdev::Passes>, OsFault> {
        match evdev::hold(nodes)? {
            Some((held, passes)) => {
                self.sources.insert(device, held);
                Ok(Some(passes))
            }
            None if since.elapsed() < LIFTED_WITHIN => Ok(None),
            None => Err(stays_down(nodes.first().map(|node| node.path.as_str()).unwrap_or_default())),
        }
    }

    fn hide(&mut self, plan: &CoverPlan) -> Result<(), OsFault> {
        let same = |a: &Identity, b: &Identity| {
            (&a.phys, &a.uniq, a.vendor, a.product) == (&b.phys, &b.uniq, b.vendor, b.product)
        };
        let known = self.hidden.iter().position(|(_, interfaces)| {
            interfaces.len() == plan.interfaces.len()
                && interfaces.iter().zip(&plan.interfaces).all(|(a, b)| same(&a.identity, &b.identity))
        });
        for (id, _) in &mut self.hidden {
            // The number belongs to another device now.
            *id = id.filter(|id| *id != plan.device);
        }
        if let Some(known) = known {
            // The rule has covered it on its return already.
            self.hidden[known] = (Some(plan.device), plan.interfaces.clone());
            let mut ledger = Ledger::open(&self.paths.run);
            for interface in &plan.interfaces {
                for entry in ledger.entries.iter_mut().filter(|entry| same(&entry.identity(), &interface.identity)) {
                    entry.sysfs.clone_from(&interface.sysfs);
                }
            }
            return ledger.write().map_err(|error| fault("writing the ledger", &self.paths.run, &error));
        }
        self.hidden.push((Some(plan.device), plan.interfaces.clone()));
        let mut ledger = Ledger::open(&self.paths.run);
        let ledger_fault = |error: io::Error| fault("writing the ledger", &self.paths.run, &error);
        for interface in &plan.interfaces {
            let device = PathBuf::from(&interface.sysfs);
            let mut nodes = vec![interface.node.clone()];
            nodes.extend(scan::input_nodes(&device));
            let before =
                nodes.into_iter().filter_map(|path| Some(NodeBefore { rights: Rights::read(&path).ok()?, path }));
            ledger.entries.retain(|entry| entry.sysfs != interface.sysfs);
            ledger.entries.push(Entry {
                sysfs: interface.sysfs.clone(),
                ids: (interface.identity.bus.0, interface.identity.vendor, interface.identity.product),
                uniq: interface.identity.uniq.clone(),
                phys: interface.identity.phys.clone(),
                driver: driver_of(&device).unwrap_or_default(),
                nodes: before.collect(),
                step: Step::Planned,
            });
        }
        let mine: Vec<String> = plan.interfaces.iter().map(|interface| interface.sysfs.clone()).collect();
        let mut reach = |step: Step| {
            for entry in ledger.entries.iter_mut().filter(|entry| mine.contains(&entry.sysfs)) {
                entry.step = step;
            }
            ledger.write()
        };
        reach(Step::Planned).map_err(ledger_fault)?;
        pause_for_tests("planned");
        self.write_rule()?;
        reach(Step::Ruled).map_err(ledger_fault)?;
        pause_for_tests("ruled");
        udevadm(&["control", "--reload"]).map_err(|error| fault("reloading the rules", &self.paths.rule, &error))?;
        reach(Step::Reloaded).map_err(ledger_fault)?;
        pause_for_tests("reloaded");
        for interface in &plan.interfaces {
            rebind(Path::new(&interface.sysfs))?;
        }
        reach(Step::Rebound).map_err(ledger_fault)?;
        pause_for_tests("rebound");
        Ok(())
    }

    /// Writes the rule for all that is hidden, or takes it away.
    fn write_rule(&self) -> Result<(), OsFault> {
        let refused = |error: &io::Error| fault("writing the rule", &self.paths.rule, error);
        if self.hidden.is_empty() {
            return match fs::remove_file(&self.paths.rule) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => Err(refused(&error)),
                _ => Ok(()),
            };
        }
        let text = rule_file(self.hidden.iter().flat_map(|(_, interfaces)| interfaces))
            .map_err(|error| refused(&io::Error::new(io::ErrorKind::InvalidInput, error.to_string())))?;
        mantle_files::save(&self.paths.rule, text.as_bytes()).map_err(|error| refused(&error))
    }

    /// Uncovers a device; what cannot be undone now is left in the ledger for the next start.
    pub fn uncover(&mut self, device: DeviceId) {
        self.held.remove(&device);
        self.sources.remove(&device);
        if let Some(at) = self.hidden.iter().position(|(id, _)| *id == Some(device)) {
            self.unhide(at);
        }
    }

    fn unhide(&mut self, at: usize) {
        let (_, interfaces) = self.hidden.remove(at);
        let _ = self.write_rule();
        let _ = udevadm(&["control", "--reload"]);
        let mut ledger = Ledger::open(&self.paths.run);
        let mine = |entry: &Entry| interfaces.iter().any(|interface| interface.sysfs == entry.sysfs);
        for entry in ledger.entries.iter().filter(|entry| mine(entry)) {
            restore(entry);
        }
        ledger.entries.retain(|entry| !mine(entry));
        let _ = ledger.write();
    }

    /// Uncovers everything.
    pub fn uncover_all(&mut self) {
        self.held.clear();
        self.sources.clear();
        while !self.hidden.is_empty() {
            self.unhide(self.hidden.len() - 1);
        }
    }
}

/// Undoes what an engine that is gone has left behind; returns how many interfaces that were.
///
/// # Errors
/// When the rule or the ledger cannot be taken away.
pub fn recover(paths: &CoverPaths) -> io::Result<usize> {
    let mut ledger = Ledger::open(&paths.run);
    let rule = paths.rule.exists();
    if ledger.entries.is_empty() && !rule {
        return ledger.write().map(|()| 0);
    }
    if rule {
        fs::remove_file(&paths.rule)?;
    }
    let _ = udevadm(&["control", "--reload"]);
    for entry in &ledger.entries {
        restore(entry);
    }
    if ledger.entries.is_empty() {
        // A rule that nothing is written down of: whatever it may have taken the rights from gets them back.
        for node in scan::hidraw_nodes(Path::new("/sys")) {
            if Rights::read(&node.path).is_ok_and(|now| now.mode == 0) {
                free(Path::new(&node.sysfs));
            }
        }
    }
    let count = ledger.entries.len();
    ledger.entries.clear();
    ledger.write()?;
    Ok(count)
}

/// Gives the nodes of an interface back as they were, if it is still the same device. One that was plugged in again
/// meanwhile has other nodes, made under the rule: they get what they would have had without it.
fn restore(entry: &Entry) {
    let identity: Identity = entry.identity();
    let Some(device) = scan::same_device(&entry.sysfs, &identity) else {
        for other in scan::hidraw_nodes(Path::new("/sys")) {
            if scan::same_device(&other.sysfs, &identity).is_some() {
                free(Path::new(&other.sysfs));
            }
        }
        return;
    };
    if driver_of(&device).is_none() && !entry.driver.is_empty() {
        // It was ended between unbinding and binding.
        let _ = bind(&device, &entry.driver);
        wait_for_nodes(&device);
    }
    free(&device);
    // Bound again, a node may have another number; in their order the nodes of a kind are still the same ones.
    let kind = |path: &str| path.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
    let mut left: Vec<&NodeBefore> = entry.nodes.iter().collect();
    for path in nodes_of(&device) {
        let Some(at) = left.iter().position(|before| kind(&before.path) == kind(&path)) else { continue };
        let before = left.remove(at);
        // Only what the kernel says is this device's node is touched.
        if Rights::read(&path).is_ok_and(|now| Some(now.rdev) == device_number(&path)) {
            let _ = before.rights.restore(&path);
        }
    }
}

/// A device's nodes, hidraw first.
fn nodes_of(device: &Path) -> Vec<String> {
    hidraw_of(device).into_iter().chain(scan::input_nodes(device)).collect()
}

/// Where a node stands under `/sys/class`.
fn class_entry(path: &str) -> PathBuf {
    let class = if path.contains("hidraw") { "hidraw" } else { "input" };
    Path::new("/sys/class").join(class).join(Path::new(path).file_name().unwrap_or_default())
}

/// The device number that the kernel gives a node.
fn device_number(path: &str) -> Option<u64> {
    let text = fs::read_to_string(class_entry(path).join("dev")).ok()?;
    let (major, minor) = text.trim().split_once(':')?;
    Some(rustix::fs::makedev(major.parse().ok()?, minor.parse().ok()?))
}

/// Lets udev look at a device's nodes again as if they had just appeared. It has no default for hidraw, whose nodes
/// stay without any rights unless somebody gives them back.
fn free(device: &Path) {
    for path in nodes_of(device) {
        let _ = udevadm(&["trigger", "--action=add", "--settle", &class_entry(&path).display().to_string()]);
    }
    if let Some(path) = hidraw_of(device)
        && Rights::read(&path).is_ok_and(|now| now.mode == 0)
    {
        let _ = rustix::fs::chmod(path, rustix::fs::Mode::from_raw_mode(0o600));
    }
}

fn driver_of(device: &Path) -> Option<String> {
    Some(fs::read_link(device.join("driver")).ok()?.file_name()?.to_str()?.to_owned())
}

fn hidraw_of(device: &Path) -> Option<String> {
    let name = fs::read_dir(device.join("hidraw")).ok()?.flatten().next()?.file_name().into_string().ok()?;
    Some(format!("/dev/{name}"))
}

fn bind(device: &Path, driver: &str) -> io::Result<()> {
    let name = device.file_name().unwrap_or_default().to_string_lossy().into_owned();
    fs::write(Path::new("/sys/bus/hid/drivers").join(driver).join("bind"), name)
}

/// Takes the driver away and gives it back, so that everybody loses the nodes, and waits until they are there again.
fn rebind(device: &Path) -> Result<(), OsFault> {
    let driver = driver_of(device).unwrap_or_default();
    let name = device.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let unbind = Path::new("/sys/bus/hid/drivers").join(&driver).join("unbind");
    fs::write(&unbind, name).map_err(|error| fault("unbinding", device, &error))?;
    pause_for_tests("unbound");
    bind(device, &driver).map_err(|error| fault("binding", device, &error))?;
    wait_for_nodes(device);
    let _ = udevadm(&["settle", "--timeout=5"]);
    Ok(())
}

fn wait_for_nodes(device: &Path) {
    let until = Instant::now() + BACK_WITHIN;
    while Instant::now() < until {
        if hidraw_of(device).is_some_and(|node| Path::new(&node).exists()) {
            return;
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}
