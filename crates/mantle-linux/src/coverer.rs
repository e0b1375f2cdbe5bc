//! Covers devices and uncovers them. Where a guard (as root) or the helper can do it, a device is hidden. Otherwise its input nodes are held, which
//! games see as a dead pad.

use crate::evdev;
use crate::privileged::{Hiding, fault};
use crossbeam_channel::{Receiver, Sender, bounded};
use mantle_core::cover::{CoverPlan, Strength};
use mantle_core::device::{DeviceId, OsFault};
use mantle_helper::device::{input_nodes, number_in};
use mantle_helper::machine::{Machine, ThisMachine};
use mantle_helper::wire::{Answer, Request};
use mantle_helper::{guard, hider};
use rustix::fd::OwnedFd;
use std::collections::HashMap;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant};

pub use mantle_helper::hider::CoverPaths;
pub use mantle_helper::machine::udevadm_path;

/// Covers devices and uncovers them.
#[derive(Debug)]
pub struct Coverer {
    hiding: Option<Hiding>,
    /// Whether a guard was started before: tests only stop the first one.
    started: bool,
    apart: Apart,
    gone: (Sender<()>, Receiver<()>),
    /// What is hidden, by the kernel's numbers of its interfaces.
    hidden: HashMap<DeviceId, Vec<u32>>,
    held: HashMap<DeviceId, Vec<OwnedFd>>,
    /// Sources that are held through their own descriptors.
    sources: HashMap<DeviceId, Vec<evdev::Held>>,
    /// What unused events will be passed on through, while some of these wait for their keys to be released.
    passes: HashMap<DeviceId, evdev::Passes>,
    /// When hiding is tried again after a failed step, how often it has been tried, and the first error.
    again: HashMap<DeviceId, Again>,
    notes: Vec<String>,
}

#[derive(Debug)]
struct Again {
    at: Instant,
    tries: u32,
}

/// A step that fails under load may work a moment later, so it is tried again with growing pauses for this long.
const TRIES: u32 = 6;
const FIRST_PAUSE: Duration = Duration::from_millis(100);

/// The directory of systemd, if that started this machine.
const SYSTEMD: &str = "/run/systemd/system";

/// What came of covering a device.
#[derive(Debug)]
pub enum Covered {
    /// Something is down on it, or a step has failed that may work soon: try again.
    Waits,
    /// It is covered, or that was refused and nothing was changed.
    Done(Result<Strength, OsFault>),
    /// It is held although it should be hidden: try once more after a while.
    Weaker,
}

/// How long to wait for keys to be released before giving up.
const LIFTED_WITHIN: Duration = Duration::from_secs(20);

/// Fingers were not lifted in time.
fn stays_down(path: &str) -> OsFault {
    let errno = rustix::io::Errno::BUSY.raw_os_error();
    OsFault { operation: "holding (something stays down)".into(), path: path.into(), errno }
}

/// Why a device is not hidden.
enum Unhidden {
    /// Nobody here can hide devices.
    Nobody,
    /// The one who could does not do it for this device.
    Forbidden(OsFault),
    /// It was tried, and may work later.
    Failed(OsFault),
}

/// The kernel's numbers of a plan's interfaces, as far as they are HID devices.
fn numbers(plan: &CoverPlan) -> Vec<u32> {
    let places = plan.interfaces.iter().filter_map(|interface| Path::new(&interface.sysfs).file_name()?.to_str());
    places.filter_map(number_in).collect()
}

/// Gives a process a group of its own, with a name.
type Apart = fn(&str, u32) -> Result<(), String>;

impl Coverer {
    /// A coverer that has covered nothing, and what gives its guard a process group of its own.
    #[must_use]
    pub fn new(apart: Apart) -> Self {
        Self {
            apart,
            hiding: None,
            started: false,
            gone: bounded(8),
            hidden: HashMap::new(),
            held: HashMap::new(),
            sources: HashMap::new(),
            passes: HashMap::new(),
            again: HashMap::new(),
            notes: Vec::new(),
        }
    }

    /// What the journal should know.
    pub fn take_notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    /// Reports when whoever hides devices for us is gone: then call [`Coverer::hide_all_again`].
    #[must_use]
    pub fn gone(&self) -> Receiver<()> {
        self.gone.1.clone()
    }

    /// Whoever hides devices here, found or started.
    fn hiding(&mut self) -> Option<&mut Hiding> {
        if self.hiding.is_none() {
            let found = Hiding::by_helper();
            let machine = ThisMachine::default();
            let guarded = found.is_none() && rustix::process::geteuid().is_root() && machine.udev_runs();
            let found = match guarded {
                true => self.guard(),
                false => found,
            };
            if let Some(hiding) = &found
                && let Ok(stream) = hiding.watched()
            {
                let gone = self.gone.0.clone();
                std::thread::spawn(move || watch(&stream, &gone));
            }
            self.hiding = found;
        }
        self.hiding.as_mut()
    }

    /// A guard, started now. A stop that kills our whole group of processes must not reach it, so that it gives back what is hidden.
    fn guard(&mut self) -> Option<Hiding> {
        let first = !std::mem::replace(&mut self.started, true);
        let started = Hiding::by_guard(first);
        let hiding = started
            .inspect_err(|error| self.notes.push(format!("the guard of hidden devices cannot be started: {error}")))
            .ok()?;
        if Path::new(SYSTEMD).is_dir()
            && let Some(guard) = hiding.guard()
            && let Err(why) = (self.apart)(&format!("placid-mantle-guard-{guard}"), guard)
        {
            self.notes.push(format!(
                "the guard of hidden devices runs in the engine's own control group: if both are killed at once, the next start gives the devices back ({why})"
            ));
        }
        Some(hiding)
    }

    /// Asks whoever hides devices; if that is gone, it is replaced once.
    fn ask(&mut self, request: &Request) -> Option<io::Result<Answer>> {
        let asked = self.hiding()?.ask(request);
        if asked.is_ok() {
            return Some(asked);
        }
        self.hiding = None;
        self.hide_what_was_hidden();
        Some(self.hiding()?.ask(request))
    }

    /// Whoever hid devices for us is gone: another one takes over what is hidden. Returns the devices for which that failed.
    pub fn hide_all_again(&mut self) -> Vec<DeviceId> {
        // It may have been noticed by a request.
        if self.hiding.as_mut().is_some_and(|hiding| hiding.ask(&Request::Status).is_ok()) {
            return Vec::new();
        }
        self.hiding = None;
        self.hide_what_was_hidden()
    }

    fn hide_what_was_hidden(&mut self) -> Vec<DeviceId> {
        let hidden: Vec<(DeviceId, Vec<u32>)> = self.hidden.iter().map(|(id, own)| (*id, own.clone())).collect();
        let mut lost = Vec::new();
        for (id, numbers) in hidden {
            let done = self.hiding().map(|hiding| hiding.ask(&Request::Cover(numbers)));
            if !matches!(done, Some(Ok(Answer::Done(_)))) {
                self.hidden.remove(&id);
                lost.push(id);
            }
        }
        lost
    }

    /// Covers a device, as requested at a moment. Covering twice does nothing, except that hiding is tried if it is only held.
    pub fn cover(&mut self, plan: &CoverPlan, since: Instant) -> Covered {
        let mut weaker = false;
        if self.again.get(&plan.device).is_some_and(|again| Instant::now() < again.at) {
            return Covered::Waits;
        }
        let hidden = if plan.only_held { Err(Unhidden::Nobody) } else { self.hide(plan) };
        match hidden {
            Ok(()) => {
                self.again.remove(&plan.device);
                self.held.remove(&plan.device);
                return Covered::Done(Ok(Strength::Hidden));
            }
            Err(Unhidden::Nobody) => {}
            Err(Unhidden::Forbidden(refused)) => {
                if !self.held.contains_key(&plan.device) {
                    let why = match refused.errno {
                        13 => "another account sits at this machine",
                        122 => "this account has hidden as many as it may",
                        _ => {
                            "its report descriptor is not a controller's; an administrator can name it (placid-mantle setup --install --helper VENDOR:PRODUCT)"
                        }
                    };
                    self.notes.push(format!("the helper does not hide it, so it is held: {why}"));
                }
            }
            Err(Unhidden::Failed(error)) => {
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
                        "covering by rule failed {TRIES} times, so it is held until that works: {operation} {path} ({errno})"
                    ));
                }
            }
        }
        let done = if weaker { Covered::Weaker } else { Covered::Done(Ok(Strength::Held)) };
        if self.held.contains_key(&plan.device) {
            return done;
        }
        let mut held = Vec::new();
        for interface in &plan.interfaces {
            let nodes = input_nodes(Path::new(&interface.sysfs));
            for node in nodes.iter().filter(|node| node.starts_with("/dev/input/event")) {
                match evdev::try_hold(node) {
                    Ok(Some(fd)) => held.push(fd),
                    Ok(None) if since.elapsed() < LIFTED_WITHIN => return Covered::Waits,
                    Ok(None) => return Covered::Done(Err(stays_down(node))),
                    // Only the system may read what is typed, so that side stays as it is.
                    Err(refused) if interface.side && refused.errno == 13 => {}
                    Err(refused) => return Covered::Done(Err(refused)),
                }
            }
        }
        self.held.insert(plan.device, held);
        done
    }

    fn hide(&mut self, plan: &CoverPlan) -> Result<(), Unhidden> {
        let numbers = numbers(plan);
        if numbers.len() != plan.interfaces.len() || numbers.is_empty() {
            return Err(Unhidden::Nobody);
        }
        let path = plan.interfaces.first().map(|interface| interface.sysfs.as_str()).unwrap_or_default();
        match self.ask(&Request::Cover(numbers.clone())) {
            None => Err(Unhidden::Nobody),
            Some(Ok(Answer::Done(_))) => {
                // The numbers belong to another device now.
                self.hidden.retain(|_, own| own.iter().all(|number| !numbers.contains(number)));
                self.hidden.insert(plan.device, numbers);
                Ok(())
            }
            Some(Ok(Answer::Refused(refused))) if refused.operation == hider::Operation::Asking => {
                Err(Unhidden::Forbidden(fault(refused, path)))
            }
            Some(Ok(Answer::Refused(refused))) => Err(Unhidden::Failed(fault(refused, path))),
            Some(Ok(_)) => Err(Unhidden::Nobody),
            Some(Err(error)) => Err(Unhidden::Failed(OsFault {
                operation: "asking the guard".into(),
                path: path.into(),
                errno: error.raw_os_error().unwrap_or(5),
            })),
        }
    }

    /// Holds input nodes that are sources, as soon as nothing is down on them. Returns what their unused events are passed on through.
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

    /// Uncovers a device; what cannot be undone now stays in the ledger for the next start, and is reported.
    pub fn uncover(&mut self, device: DeviceId) {
        self.held.remove(&device);
        self.sources.remove(&device);
        self.passes.remove(&device);
        self.again.remove(&device);
        let Some(number) = self.hidden.remove(&device).and_then(|own| own.first().copied()) else { return };
        // If it is gone, it has undone that, or another one has taken over.
        if let Some(Ok(Answer::Left) | Err(_)) = self.ask(&Request::Uncover(number)) {
            self.notes.push(
                "a cover could not be undone completely: the next start, or `placid-mantle uncover --all`, tries again"
                    .into(),
            );
        }
    }

    /// Uncovers everything.
    pub fn uncover_all(&mut self) {
        self.held.clear();
        self.sources.clear();
        self.passes.clear();
        self.again.clear();
        let hidden: Vec<DeviceId> = self.hidden.keys().copied().collect();
        hidden.into_iter().for_each(|device| self.uncover(device));
    }
}

impl Drop for Coverer {
    /// Whatever ends it, even a panic of its own thread, nothing stays covered.
    fn drop(&mut self) {
        self.uncover_all();
    }
}

/// Reports when the other side of a connection is gone.
fn watch(stream: &std::os::unix::net::UnixStream, gone: &Sender<()>) {
    use rustix::event::{PollFd, PollFlags, poll};
    loop {
        // Since only the end is requested, answers do not wake it.
        let mut polled = [PollFd::new(stream, PollFlags::RDHUP)];
        match poll(&mut polled, None) {
            Ok(_) if !polled[0].revents().is_empty() => break,
            Ok(_) | Err(rustix::io::Errno::INTR) => {}
            Err(_) => return,
        }
    }
    let _ = gone.try_send(());
}

/// Serves as the guard of the engine at the other end of the standard input, until that is gone.
pub fn guard() {
    use std::os::fd::AsFd;
    let Ok(mut stream) = io::stdin().as_fd().try_clone_to_owned().map(std::os::unix::net::UnixStream::from) else {
        return;
    };
    guard::serve(&mut stream, guard::machine(), &CoverPaths::default());
}

/// How long a guard whose engine is gone may take to give everything back.
const GUARD_WITHIN: Duration = Duration::from_secs(15);

/// Undoes what an engine that is gone has left behind; returns how many interfaces that were. What a guard or a helper that lives has hidden is
/// its own.
///
/// # Errors
/// When the rule or the ledger cannot be taken away.
pub fn recover(paths: &CoverPaths) -> io::Result<usize> {
    if Hiding::by_helper().is_some() {
        // It undoes by itself what nobody claims.
        return Ok(0);
    }
    if !rustix::process::geteuid().is_root() {
        let left = paths.run.join("ledger.json").exists() || paths.rule.exists();
        let words = "devices that an earlier run left hidden need root: sudo placid-mantle uncover --all";
        return if left { Err(io::Error::other(words)) } else { Ok(0) };
    }
    let mut machine = ThisMachine::default();
    if hider::is_clean(&machine, paths) {
        return Ok(0);
    }
    let until = Instant::now() + GUARD_WITHIN;
    let _lock = loop {
        match hider::lock(paths) {
            Err(error) if error.kind() == io::ErrorKind::WouldBlock && Instant::now() < until => {
                std::thread::sleep(Duration::from_millis(20));
            }
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                return Err(io::Error::other("a running engine has hidden it: end that one, or pause it there"));
            }
            locked => break locked?,
        }
    };
    hider::recover(&mut machine, paths)
}
