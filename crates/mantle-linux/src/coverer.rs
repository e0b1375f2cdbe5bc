//! Covers devices and uncovers them.
//!
//! As root: an exact udev rule under `/run`, then the driver is bound again, which puts out games that have the
//! device open already. Otherwise its input nodes are held, which games see as a dead pad.

use crate::hooks::pause_at;
use crate::ledger::{Entry, Ledger, NodeAfter, NodeBefore, Step};
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
const REBOUND_WITHIN: Duration = Duration::from_secs(5);

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
    /// What unused events will be passed on through, of those that wait for their fingers to be lifted.
    passes: HashMap<DeviceId, evdev::Passes>,
    /// When covering by rule is tried again after a step has failed, how often it has been, and with what it failed first.
    again: HashMap<DeviceId, Again>,
    notes: Vec<String>,
}

#[derive(Debug)]
struct Again {
    at: Instant,
    tries: u32,
}

/// A step that fails under load may work a moment later: it is tried again with growing pauses for so long.
const TRIES: u32 = 6;
const FIRST_PAUSE: Duration = Duration::from_millis(100);

/// What came of covering a device.
#[derive(Debug)]
pub enum Covered {
    /// Something is down on it, or a step has failed that may work soon: to be tried again.
    Waits,
    /// It is covered, or that was refused; then nothing is left changed.
    Done(Result<Strength, OsFault>),
    /// It is held, where it should be hidden: to be tried once more after a while.
    Weaker,
}

/// How long to wait for fingers to be lifted before giving up.
const LIFTED_WITHIN: Duration = Duration::from_secs(20);

fn fault(operation: &str, path: &Path, error: &io::Error) -> OsFault {
    OsFault { operation: operation.into(), path: path.display().to_string(), errno: error.raw_os_error().unwrap_or(5) }
}

/// Where udev's tool may be. Not by `PATH`: this runs as root.
const UDEVADM: [&str; 4] = ["/usr/bin/udevadm", "/bin/udevadm", "/usr/sbin/udevadm", "/sbin/udevadm"];

/// The path of udev's tool.
#[must_use]
pub fn udevadm_path() -> &'static str {
    UDEVADM.into_iter().find(|path| Path::new(path).exists()).unwrap_or(UDEVADM[0])
}

fn udevadm(arguments: &[&str]) -> io::Result<()> {
    let status = Command::new(udevadm_path()).args(arguments).status()?;
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
        let (held, sources, passes, again) = (HashMap::new(), HashMap::new(), HashMap::new(), HashMap::new());
        Self { paths, root, hidden: Vec::new(), held, sources, passes, again, notes: Vec::new() }
    }

    /// What the journal should know.
    pub fn take_notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    /// Covers a device, asked for at a moment. Covering twice does nothing; of one that is only held it is tried to hide it.
    pub fn cover(&mut self, plan: &CoverPlan, since: Instant) -> Covered {
        let mut weaker = false;
        if self.root {
            if self.again.get(&plan.device).is_some_and(|again| Instant::now() < again.at) {
                return Covered::Waits;
            }
            match self.hide(plan) {
                Ok(()) => {
                    self.again.remove(&plan.device);
                    self.held.remove(&plan.device);
                    return Covered::Done(Ok(Strength::Hidden));
                }
                Err(error) => {
                    // What was half done is undone first.
                    self.undo_hiding(plan.device);
                    let tries = self.again.get(&plan.device).map_or(0, |again| again.tries);
                    if tries < TRIES {
                        let at = Instant::now() + FIRST_PAUSE * 2u32.pow(tries);
                        self.again.insert(plan.device, Again { at, tries: tries + 1 });
                        return Covered::Waits;
                    }
                    self.again.remove(&plan.device);
                    weaker = true;
                    if !self.held.contains_key(&plan.device) {
                        let (operation, path, errno) = (&error.operation, &error.path, error.name());
                        self.notes.push(format!(
                            "covering by rule failed {TRIES} times, it is held until that works: {operation} {path} ({errno})"
                        ));
                    }
                }
            }
        }
        let done = if weaker { Covered::Weaker } else { Covered::Done(Ok(Strength::Held)) };
        if self.held.contains_key(&plan.device) {
            return done;
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
        done
    }

    /// Holds input nodes that are sources, as soon as nothing is down on them. Returns through what their unused events
    /// are passed on.
    pub(crate) fn hold(
        &mut self,
        device: DeviceId,
        nodes: &[evdev::Hold],
        since: Instant,
    ) -> Result<Option<evdev::Passes>, OsFault> {
        match evdev::hold(nodes, self.passes.entry(device).or_default())? {
            Some(held) => {
                self.sources.insert(device, held);
                Ok(self.passes.remove(&device))
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
                after: Vec::new(),
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
        pause_at("planned");
        self.write_rule()?;
        reach(Step::Ruled).map_err(ledger_fault)?;
        pause_at("ruled");
        udevadm(&["control", "--reload"]).map_err(|error| fault("reloading the rules", &self.paths.rule, &error))?;
        reach(Step::Reloaded).map_err(ledger_fault)?;
        pause_at("reloaded");
        for interface in &plan.interfaces {
            rebind(Path::new(&interface.sysfs))?;
        }
        reach(Step::Rebound).map_err(ledger_fault)?;
        // Bound again, the device has other nodes: those of our own doing are told from others by what they are.
        for entry in ledger.entries.iter_mut().filter(|entry| mine.contains(&entry.sysfs)) {
            let nodes = nodes_of(Path::new(&entry.sysfs)).into_iter();
            entry.after = nodes.filter_map(|path| NodeAfter::of(&path)).collect();
        }
        ledger.write().map_err(ledger_fault)?;
        pause_at("rebound");
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

    /// Uncovers a device; what cannot be undone now is left in the ledger for the next start, and said.
    pub fn uncover(&mut self, device: DeviceId) {
        self.held.remove(&device);
        self.sources.remove(&device);
        self.passes.remove(&device);
        self.again.remove(&device);
        self.undo_hiding(device);
    }

    fn undo_hiding(&mut self, device: DeviceId) {
        if let Some(at) = self.hidden.iter().position(|(id, _)| *id == Some(device)) {
            self.unhide(at);
        }
    }

    fn unhide(&mut self, at: usize) {
        let (_, interfaces) = self.hidden.remove(at);
        let rule =
            self.write_rule().map_err(|fault| format!("{} of {}: {}", fault.operation, fault.path, fault.name()));
        let read = udevadm(&["control", "--reload"]).map_err(|error| error.to_string());
        let mut ledger = Ledger::open(&self.paths.run);
        let mine = |entry: &Entry| interfaces.iter().any(|interface| interface.sysfs == entry.sysfs);
        // While the rule stands, or udev still goes by it, a node that is given back would be taken away again.
        let mut left: Vec<String> = rule.and(read).err().into_iter().collect();
        if left.is_empty() {
            ledger.entries.retain(|entry| match mine(entry).then(|| restore(entry)) {
                Some(Err(why)) => {
                    left.push(why);
                    true
                }
                Some(Ok(())) => false,
                None => true,
            });
        }
        left.extend(ledger.write().err().map(|error| format!("writing the ledger: {error}")));
        if !left.is_empty() {
            self.notes.push(format!(
                "not all of a cover could be undone ({}): the next start, or `placid-mantle uncover --all`, tries it again",
                left.join("; ")
            ));
        }
    }

    /// Uncovers everything.
    pub fn uncover_all(&mut self) {
        self.held.clear();
        self.sources.clear();
        self.passes.clear();
        self.again.clear();
        while !self.hidden.is_empty() {
            self.unhide(self.hidden.len() - 1);
        }
    }
}

impl Drop for Coverer {
    /// Whatever ends it, a fault of its own thread too, nothing stays covered.
    fn drop(&mut self) {
        self.uncover_all();
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
    let reloaded = udevadm(&["control", "--reload"]);
    if ledger.entries.is_empty() {
        // A rule that nothing is written down of: whatever it may have taken the rights from gets them back.
        for node in scan::hidraw_nodes(Path::new("/sys")) {
            if Rights::read(&node.path).is_ok_and(|now| now.mode == 0) {
                free(Path::new(&node.sysfs)).map_err(io::Error::other)?;
            }
        }
    }
    let mut why = Vec::new();
    let count = ledger.entries.len();
    ledger.entries.retain(|entry| match restore(entry) {
        Ok(()) => false,
        Err(left) => {
            why.push(left);
            true
        }
    });
    ledger.write()?;
    // Without a udev that runs there is nothing that could still go by the rule.
    if Path::new("/run/udev/control").exists() {
        why.extend(reloaded.err().map(|error| error.to_string()));
    }
    if why.is_empty() { Ok(count) } else { Err(io::Error::other(why.join("; "))) }
}

/// Gives the nodes of an interface back as they were, if it is still the same device. One that was plugged in again
/// meanwhile has other nodes, made under the rule: they get what they would have had without it.
fn restore(entry: &Entry) -> Result<(), String> {
    let identity: Identity = entry.identity();
    let Some(device) = scan::same_device(&entry.sysfs, &identity) else {
        let others = scan::hidraw_nodes(Path::new("/sys")).into_iter();
        return others
            .filter(|other| scan::same_device(&other.sysfs, &identity).is_some())
            .try_for_each(|other| free(Path::new(&other.sysfs)));
    };
    // It was ended between unbinding and binding: what is bound now has nodes of our making.
    let unbound = driver_of(&device).is_none() && !entry.driver.is_empty();
    if unbound {
        bind(&device, &entry.driver).map_err(|error| format!("binding {}: {error}", device.display()))?;
        wait_for_nodes(&device);
    }
    free(&device)?;
    // Bound again by us, a node may have another number; in their order the nodes of a kind are still the same ones. One that
    // came with another plug is another one, whatever its name is.
    let kind = |path: &str| path.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
    let mut left: Vec<&NodeBefore> = entry.nodes.iter().collect();
    for path in nodes_of(&device) {
        let Some(at) = left.iter().position(|before| kind(&before.path) == kind(&path)) else { continue };
        let before = left.remove(at);
        let Ok(now) = Rights::read(&path) else { continue };
        let untouched = (now.rdev, now.inode) == (before.rights.rdev, before.rights.inode);
        let ours =
            entry.after.iter().any(|after| after.path == path && (after.rdev, after.inode) == (now.rdev, now.inode));
        // Only what the kernel says is this device's node is touched.
        if (unbound || untouched || ours) && Some(now.rdev) == device_number(&path) {
            before.rights.restore(&path).map_err(|errno| format!("giving back {path}: {errno}"))?;
        }
    }
    Ok(())
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
fn free(device: &Path) -> Result<(), String> {
    for path in nodes_of(device) {
        let _ = udevadm(&["trigger", "--action=add", "--settle", &class_entry(&path).display().to_string()]);
    }
    if let Some(path) = hidraw_of(device)
        && Rights::read(&path).is_ok_and(|now| now.mode == 0)
    {
        rustix::fs::chmod(&path, rustix::fs::Mode::from_raw_mode(0o600))
            .map_err(|errno| format!("giving back {path}: {errno}"))?;
    }
    Ok(())
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
    pause_at("unbound");
    bind(device, &driver).map_err(|error| fault("binding", device, &error))?;
    wait_for_nodes(device);
    let _ = udevadm(&["settle", "--timeout=5"]);
    Ok(())
}

fn wait_for_nodes(device: &Path) {
    let until = Instant::now() + REBOUND_WITHIN;
    while Instant::now() < until {
        if hidraw_of(device).is_some_and(|node| Path::new(&node).exists()) {
            return;
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}
