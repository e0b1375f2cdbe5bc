//! The interface to the real kernel: one thread that waits for everything at once.

mod done;
mod holds;
mod hot_plug;
mod pads_back;
mod rank;
mod turn;

use crate::clock::{SleepWatch, SystemClocks, now};
use crate::keys::Keys;
use crate::lock::{Lock, Taken};
use crate::merge::Pending;
use crate::node::Node;
use crate::opener::Wanted;
use crate::priority::Rank;
use crate::virtual_pad::VirtualPad;
use crate::waker::Waker;
use crate::watch::{self};
use crate::workers::{Paths, Workers};
use mantle_core::device::NodeId;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::{SLOTS, SlotNumber};
use mantle_core::table::Effect;
use mantle_core::time::Micros;
use mantle_engine::{FilesToRead, Happening, Orders, World};
use mantle_talk::{Order, Wish};
use rustix::event::epoll::{self, EventData, EventFlags};
use rustix::fd::{AsFd, OwnedFd};
use rustix::io::Errno;
use rustix::time::Timespec;
use std::collections::VecDeque;
use std::io;
use std::mem::MaybeUninit;
use std::os::unix::net::UnixStream;
use std::path::PathBuf;
use turn::Turn;

const BELL: u64 = 1 << 32;
const WATCHER: u64 = 2 << 32;
const SIGNAL: u64 = 3 << 32;
const PAD: u64 = 4 << 32;
const NODE: u64 = 5 << 32;
const LOCK: u64 = 6 << 32;
/// How many reports of one node are read before another one has its turn.
const FAIRLY: u32 = 8;
/// How many reports are read before everything else is checked.
const PATIENCE: u32 = 64;
/// How often a node without a descriptor is examined again, and the pauses, before it is accepted as it is.
const READY_TRIES: u32 = 20;
const READY_PAUSE: Micros = Micros::millis(50);
/// A streaming device has sent another report after this long.
const STREAMS_WITHIN: Micros = Micros::millis(100);
/// How often batteries are asked, since their drivers may ask the device.
const POWER_EVERY: Micros = Micros::seconds(20);
/// Longer than the longest report, so that none is cut unnoticed.
const BUFFER: usize = 16_384 + 1;

/// The real world.
pub struct LinuxWorld {
    epoll: OwnedFd,
    watcher: Option<OwnedFd>,
    bell: Waker,
    orders: Option<Orders>,
    workers: Option<Workers>,
    nodes: Vec<Option<Node>>,
    pads: [Option<Box<VirtualPad>>; SLOTS],
    keys: [Option<Keys>; SLOTS],
    readable: VecDeque<u16>,
    /// What waits to be written to each pad, and which writes of that have failed.
    pending: [Pending; SLOTS],
    unwritten: [Option<PadFault>; SLOTS],
    /// Reports are known to be waiting behind the one that was handed over last.
    more: bool,
    ready: VecDeque<Happening<'static>>,
    scanning: bool,
    scan_again: bool,
    /// What a read has shown to be gone, until a scan no longer finds it: one already under way still does.
    dead: Vec<Wanted>,
    /// Where the person's own sheets and profiles are.
    own: Vec<PathBuf>,
    /// The directory of all of the person's own files.
    config: Option<PathBuf>,
    since_look: u32,
    turn: Turn,
    /// Whether the machine has slept since the last check.
    slept: SleepWatch,
    /// Whether anything has come since the engine was last told the time.
    waited: bool,
    /// How the engine's thread is scheduled.
    rank: Rank,
    /// When nodes that were not complete yet are examined again.
    scan_at: Option<Micros>,
    /// Batteries are asked then.
    power_at: Option<Micros>,
    /// Nodes that have lost reports, and when they are asked for their state.
    asks: Vec<(u16, Micros)>,
    unready: u32,
    /// When an effect of each pad begins or ends next, or it has something else to do.
    effects_due: [Option<Micros>; SLOTS],
    buffer: Box<[u8; BUFFER]>,
    _signals: Option<UnixStream>,
}

impl std::fmt::Debug for LinuxWorld {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("LinuxWorld").field("nodes", &self.nodes.len()).finish_non_exhaustive()
    }
}

impl LinuxWorld {
    /// Opens the world; what is connected already arrives as if it had just been plugged in. Ends on SIGINT, SIGTERM
    /// and SIGHUP. Without the lock it waits for it: the table has to be told so by [`LinuxWorld::front`].
    ///
    /// # Errors
    /// When the kernel refuses what every process may have.
    pub fn new(paths: &Paths, lock: Result<Lock, Taken>) -> io::Result<(Self, mantle_engine::OrderSender)> {
        let bell = Waker::new()?;
        let ring = bell.clone();
        let (give, orders) = mantle_engine::orders(move || ring.ring());
        let epoll = epoll::create(epoll::CreateFlags::CLOEXEC)?;
        let listen = |fd: rustix::fd::BorrowedFd<'_>, data: u64| {
            epoll::add(&epoll, fd, EventData::new_u64(data), EventFlags::IN)
        };
        listen(bell.fd().as_fd(), BELL)?;
        let watcher = watch::dev().ok();
        let own = paths.watched();
        if let Some(watcher) = &watcher {
            listen(watcher.as_fd(), WATCHER)?;
        }
        let ours = crate::listener::signals()?;
        listen(ours.as_fd(), SIGNAL)?;
        let workers = Workers::start(paths, &bell);
        if let Some(watcher) = watcher.as_ref().and_then(|watcher| watcher.try_clone().ok()) {
            workers.watch(watcher, own.clone());
        }
        let mut world = Self {
            epoll,
            watcher,
            bell,
            orders: Some(orders),
            workers: Some(workers),
            nodes: Vec::new(),
            pads: [const { None }; SLOTS],
            keys: [const { None }; SLOTS],
            readable: VecDeque::new(),
            pending: Default::default(),
            unwritten: [const { None }; SLOTS],
            more: false,
            ready: VecDeque::new(),
            own,
            config: paths.slots.as_deref().and_then(std::path::Path::parent).map(PathBuf::from),
            scanning: false,
            scan_again: false,
            dead: Vec::new(),
            since_look: 0,
            turn: Turn::new(lock),
            slept: SleepWatch::default(),
            waited: false,
            rank: Rank::default(),
            scan_at: None,
            power_at: None,
            asks: Vec::new(),
            unready: 0,
            effects_due: [None; SLOTS],
            buffer: Box::new([0; BUFFER]),
            _signals: Some(ours),
        };
        world.scan();
        world.await_lock();
        Ok((world, give))
    }

    /// Undoes everything: pads go, devices are uncovered, the slots file is saved. Dropping does the same.
    pub fn finish(&mut self) {
        for mut node in std::mem::take(&mut self.nodes).into_iter().flatten() {
            self.close(&mut node);
        }
        if let Some(workers) = self.workers.take() {
            for pad in self.pads.iter_mut().filter_map(Option::take) {
                workers.drop_pad(pad);
            }
            for keys in self.keys.iter_mut().filter_map(Option::take) {
                workers.drop_keys(keys);
            }
            workers.finish();
        }
    }

    fn handle_order(&mut self, order: Order) {
        let happening =
            if order.wish == Wish::Stop { Happening::End } else { Happening::Order(now(), Box::new(order)) };
        self.ready.push_back(happening);
    }

    fn wait(&mut self, until: Option<Micros>) -> io::Result<()> {
        self.waited = true;
        let timeout = until.map(|until| {
            let left = until.since(now()).0;
            Timespec { tv_sec: (left / 1_000_000) as i64, tv_nsec: (left % 1_000_000 * 1_000) as i64 }
        });
        let mut space = [MaybeUninit::<epoll::Event>::uninit(); 32];
        let (events, _) = match epoll::wait(&self.epoll, &mut space, timeout.as_ref()) {
            Ok(found) => found,
            Err(Errno::INTR) => return Ok(()),
            Err(errno) => return Err(errno.into()),
        };
        // Nothing came: there is time to look at the clocks.
        if events.is_empty() && self.slept.look(&SystemClocks) {
            self.ready.push_back(Happening::Sleep(now(), false));
        }
        let mut found: Vec<u64> = Vec::new();
        for event in events.iter() {
            let data = event.data.u64();
            if data & (7 << 32) == NODE {
                let index = data as u16;
                if !self.readable.contains(&index) {
                    self.readable.push_back(index);
                }
            } else {
                found.push(data);
            }
        }
        for data in found {
            match data & (7 << 32) {
                BELL => {
                    self.bell.hush();
                    self.look();
                }
                WATCHER => self.handle_watcher(),
                SIGNAL => self.ready.push_back(Happening::End),
                PAD => self.handle_pad_back((data & 0xff) as usize),
                LOCK => self.handle_lock(),
                _ => {}
            }
        }
        Ok(())
    }

    /// What has waited is written, and nothing waits behind it any more.
    fn flush(&mut self) {
        for ((pending, pad), unwritten) in self.pending.iter_mut().zip(&self.pads).zip(&mut self.unwritten) {
            if pending.is_empty() {
                continue;
            }
            if let Some(VirtualPad::Events(pad)) = pad.as_deref()
                && let Err(fault) = pad.write(pending.flush())
            {
                *unwritten = Some(fault);
            }
        }
    }
}

/// Watches the directories in which nodes appear and their rights change.
impl World for LinuxWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        loop {
            if let Some(happening) = self.ready.pop_front() {
                return happening;
            }
            if self.since_look >= PATIENCE {
                self.look();
                self.look_at_rank(now());
                continue;
            }
            if let Some(index) = self.readable.front().copied() {
                let node = self.nodes.get_mut(usize::from(index)).and_then(Option::as_mut);
                match node.and_then(|node| node.read(&mut self.buffer[..])) {
                    Some(Ok(length)) if length > 0 => {
                        let at = now();
                        let node = self.nodes[usize::from(index)].as_mut();
                        let (busy, buffered) =
                            node.map_or((false, false), |node| (node.is_busy(at), node.input.is_some()));
                        if self.nodes[usize::from(index)].as_mut().is_some_and(Node::take_loss) {
                            self.ready.push_back(Happening::Overrun(at, NodeId(index)));
                        }
                        self.since_look += 1;
                        self.more = busy;
                        if !busy && !self.asks.is_empty() {
                            self.asks.retain(|(asked, _)| *asked != index);
                        }
                        // With one report per wake-up there is one read: whether more are waiting is only checked where some have before, and where
                        // we keep some ourselves.
                        if !busy && !buffered {
                            self.readable.pop_front();
                        } else if self.since_look.is_multiple_of(FAIRLY) {
                            self.readable.rotate_left(1);
                        }
                        return Happening::Report { at, node: NodeId(index), bytes: &self.buffer[..length] };
                    }
                    Some(Err(Errno::AGAIN | Errno::INTR)) | None => {
                        self.readable.pop_front();
                        self.flush();
                        let node = self.nodes.get_mut(usize::from(index)).and_then(Option::as_mut);
                        if node.is_some_and(Node::take_overflow) {
                            // A streaming device shows its state with the next report; any other is asked.
                            self.asks.push((index, now().after(STREAMS_WITHIN)));
                        }
                    }
                    Some(outcome) => {
                        self.readable.pop_front();
                        if matches!(outcome, Err(Errno::IO | Errno::NODEV)) {
                            let node = self.nodes.get(usize::from(index)).and_then(Option::as_ref);
                            self.dead.extend(node.map(|node| node.found.wanted.clone()));
                        }
                        self.lose(index);
                        self.scan();
                    }
                }
                continue;
            }
            self.more = false;
            self.flush();
            let at = now();
            self.look_at_rank(at);
            if let Some(place) = self.asks.iter().position(|(_, due)| *due <= at) {
                let (index, _) = self.asks.swap_remove(place);
                self.ask(at, index);
                continue;
            }
            if self.give_up_lock(at) {
                continue;
            }
            if self.scan_at.take_if(|due| *due <= at).is_some() {
                self.scan();
                continue;
            }
            if self.power_at.is_some_and(|due| due <= at) {
                self.read_power(at);
                continue;
            }
            let effects = self.effects_due.iter().flatten().min().copied();
            if effects.is_some_and(|due| due <= at) {
                self.handle_effects(at);
                continue;
            }
            // Work in pieces must not delay a report by more than one of them.
            if self.waited && until.is_some_and(|until| until <= at) {
                self.waited = false;
                return Happening::Time(at);
            }
            if self
                .wait(
                    until
                        .into_iter()
                        .chain(effects)
                        .chain(self.scan_at)
                        .chain(self.power_at)
                        .chain(self.turn.due())
                        .chain(self.asks.iter().map(|(_, due)| *due))
                        .min(),
                )
                .is_err()
            {
                return Happening::End;
            }
        }
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        let Some(pad) = &mut self.pads[slot.index()] else { return Ok(()) };
        if let Some(fault) = self.unwritten[slot.index()].take() {
            return Err(fault);
        }
        let pad = match &mut **pad {
            VirtualPad::Events(pad) if pad.is_single() => pad,
            other => return other.write(now(), events),
        };
        let pending = &mut self.pending[slot.index()];
        if !self.more && pending.is_empty() {
            return pad.write(events.as_bytes());
        }
        if pending.take(now(), events, self.more) { pad.write(pending.bytes()) } else { Ok(()) }
    }

    #[inline]
    fn clock(&self) -> Option<Micros> {
        Some(now())
    }

    fn files(&self) -> FilesToRead {
        let directory = self.config.clone();
        Box::new(move || directory.map(|own| mantle_files::case::own_files(&own)).unwrap_or_default())
    }

    fn start(&mut self, effect: Effect) {
        let Some(workers) = &mut self.workers else { return };
        match effect {
            Effect::Open(id) => {
                if let Some(Some(node)) = self.nodes.get(usize::from(id.0)) {
                    workers.open(id, &node.found);
                }
            }
            Effect::Close(id) => {
                let node = self.nodes.get_mut(usize::from(id.0)).and_then(Option::as_mut);
                if let Some(node) = node {
                    if let Some(fd) = &node.fd {
                        let _ = epoll::delete(&self.epoll, fd);
                    }
                    node.close().into_iter().for_each(|job| workers.job(job));
                }
            }
            Effect::Send { node: id, request, purpose, act } => {
                if let Some(Some(node)) = self.nodes.get_mut(usize::from(id.0)) {
                    node.send(id, request, purpose, act, workers);
                }
            }
            Effect::MakePad { slot, model } => workers.make_pad(slot, model),
            Effect::ProbePads => workers.probe_pads(),
            Effect::PadBattery { slot, tenths, charges } => {
                if let Some(VirtualPad::Hid(pad)) = self.pads[slot.index()].as_deref_mut() {
                    pad.set_battery(tenths, charges);
                }
            }
            Effect::Look(process) => workers.look(process),
            Effect::LookReady => workers.look_ready(),
            Effect::Radio(act) => workers.ask_radio(act),
            Effect::WatchGames { round, rules } => workers.watch_games(round, rules),
            Effect::Rule { number, act } => workers.change_rule(number, act),
            Effect::DropPad { slot } => {
                self.effects_due[slot.index()] = None;
                self.pending[slot.index()].clear();
                self.unwritten[slot.index()] = None;
                if let Some(pad) = self.pads[slot.index()].take() {
                    let _ = epoll::delete(&self.epoll, pad.as_fd());
                    workers.drop_pad(pad);
                }
            }
            Effect::MakeKeys { slot } => workers.make_keys(slot),
            Effect::DropKeys { slot } => {
                if let Some(keys) = self.keys[slot.index()].take() {
                    workers.drop_keys(keys);
                }
            }
            Effect::Type { slot, at, typed } => {
                let Some(keys) = &self.keys[slot.index()] else { return };
                if let Err(fault) = keys.write(&typed) {
                    self.keys[slot.index()].take().into_iter().for_each(|keys| workers.drop_keys(keys));
                    self.ready.push_back(Happening::Keys(at, slot, Err(fault)));
                }
            }
            Effect::Cover(plan) if plan.holds() => self.hold(&plan),
            Effect::Cover(plan) => workers.cover(plan),
            Effect::Uncover(device) => {
                workers.uncover(device);
                self.unhold(device);
            }
            Effect::SaveSheet(sheet) => workers.save_sheet(sheet),
            Effect::Remember(remembered) => workers.remember(remembered),
            Effect::Profile { number, name, origin, act } => workers.change_profile(number, name, origin, act),
        }
    }
}

impl Drop for LinuxWorld {
    fn drop(&mut self) {
        self.finish();
    }
}
