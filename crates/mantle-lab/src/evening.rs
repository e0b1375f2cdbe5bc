//! A whole evening in short: eight players with two devices each, all at 1000 reports per second, and screens that come, watch, stall and go. Devices
//! and pads are socket pairs; everything in between is the program's.

use crate::road::SMALL;
use mantle_core::device::{Bus, DeviceId, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::{SLOTS, SlotNumber};
use mantle_core::table::{Effect, Settings, Table};
use mantle_core::time::Micros;
use mantle_engine::{Comes, Happening, Mailbox, Orders, Publisher, Screens, World};
use mantle_link::{Place, attach, serve};
use mantle_talk::{Command, CommandNumber, Header, Order, VERSION, Watch, Wish};
use rustix::event::epoll::{self, EventData, EventFlags};
use rustix::fd::OwnedFd;
use rustix::io::{Errno, read, write};
use rustix::net::{AddressFamily, SocketFlags, SocketType, socketpair};
use rustix::time::{ClockId, Timespec, clock_gettime};
use std::collections::VecDeque;
use std::io::Write;
use std::mem::MaybeUninit;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixStream;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// Reports a second of each device.
pub const RATE: u64 = 1000;
/// Each player has one that presses, and one that moves.
pub const DEVICES: usize = 2 * SLOTS;
/// Bytes of a report of [`SMALL`]: buttons and hat, four axes.
const REPORT: usize = 6;
/// How often watchers come and go.
const COMES: Duration = Duration::from_millis(700);

/// What was seen of it.
#[derive(Clone, Debug)]
pub struct Seen {
    /// Reports that were sent, and edges of a button that arrived at pads in order.
    pub sent: u64,
    /// Those that arrived.
    pub arrived: u64,
    /// Frames in which only the player's other device moved, for the pad with the fewest.
    pub moves: u64,
    /// What arrived in the wrong order, or twice, in words; only the first.
    pub wrong: Option<String>,
    /// The share of one core that the engine's thread used, 0 to 1.
    pub share: f64,
    /// From a report to its edge at the pad, in microseconds: the median, and the 99th percentile.
    pub delay: (u64, u64),
    /// Snapshots that screens got.
    pub snapshots: u64,
    /// Screens that came.
    pub screens: u64,
}

fn now() -> Micros {
    let time = clock_gettime(ClockId::Monotonic);
    Micros(time.tv_sec as u64 * 1_000_000 + time.tv_nsec as u64 / 1_000)
}

fn thread_time() -> Duration {
    let time = clock_gettime(ClockId::ThreadCPUTime);
    Duration::new(time.tv_sec as u64, time.tv_nsec as u32)
}

fn pair() -> (OwnedFd, OwnedFd) {
    let flags = SocketFlags::NONBLOCK | SocketFlags::CLOEXEC;
    socketpair(AddressFamily::UNIX, SocketType::SEQPACKET, flags, None).expect("a socket pair")
}

/// A pad that takes everything: a late reader is waited for.
fn pad() -> (OwnedFd, OwnedFd) {
    let (pad, sink) = pair();
    rustix::fs::fcntl_setfl(&pad, rustix::fs::OFlags::RDWR).expect("a socket that waits");
    (pad, sink)
}

/// Devices and pads that are sockets, and orders.
struct SocketWorld {
    epoll: OwnedFd,
    devices: Vec<OwnedFd>,
    pads: Vec<OwnedFd>,
    bell: OwnedFd,
    orders: Orders,
    readable: VecDeque<usize>,
    ready: VecDeque<Happening<'static>>,
    buffer: [u8; 64],
    refused: Arc<AtomicU64>,
    /// Whether anything has come since the engine was last told the time.
    waited: bool,
}

impl World for SocketWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        loop {
            if let Some(happening) = self.ready.pop_front() {
                return happening;
            }
            if let Some(index) = self.readable.pop_front() {
                match read(&self.devices[index], &mut self.buffer) {
                    Ok(0) | Err(Errno::AGAIN) => continue,
                    Ok(length) => {
                        self.readable.push_back(index);
                        let node = NodeId(index as u16);
                        return Happening::Report { at: now(), node, bytes: &self.buffer[..length] };
                    }
                    Err(errno) => panic!("a device: {errno}"),
                }
            }
            let left = until.map(|until| until.since(now()).0);
            if left == Some(0) && std::mem::take(&mut self.waited) {
                return Happening::Time(now());
            }
            let timeout = left
                .map(|left| Timespec { tv_sec: (left / 1_000_000) as i64, tv_nsec: (left % 1_000_000 * 1000) as i64 });
            self.waited = true;
            let mut space = [MaybeUninit::<epoll::Event>::uninit(); 16];
            let (events, _) = match epoll::wait(&self.epoll, &mut space, timeout.as_ref()) {
                Ok(found) => found,
                Err(Errno::INTR) => continue,
                Err(errno) => panic!("epoll: {errno}"),
            };
            for event in events.iter() {
                match event.data.u64() as usize {
                    index if index < self.devices.len() => self.readable.push_back(index),
                    _ => {
                        let _ = read(&self.bell, &mut [0u8; 64]);
                        while let Ok(order) = self.orders.channel.try_recv() {
                            self.ready.push_back(if order.wish == Wish::Stop {
                                Happening::End
                            } else {
                                Happening::Order(now(), Box::new(order))
                            });
                        }
                    }
                }
            }
        }
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        if write(&self.pads[slot.index()], events.as_bytes()).is_err() {
            self.refused.fetch_add(1, Ordering::Relaxed);
        }
        Ok(())
    }

    fn files(&self) -> mantle_engine::FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        Some(now())
    }

    fn start(&mut self, effect: Effect) {
        let at = now();
        match effect {
            Effect::Open(node) => self.ready.push_back(Happening::Opened(at, node, Ok(()))),
            Effect::MakePad { slot, .. } => {
                let name = format!("pad {}", slot.number());
                self.ready.push_back(Happening::Pad(at, slot, Ok(name.into())));
            }
            Effect::ProbePads => self.ready.push_back(Happening::Probed(at, Ok(()))),
            _ => {}
        }
    }
}

fn node(index: usize) -> NodeFacts {
    NodeFacts {
        id: NodeId(index as u16),
        path: format!("/dev/hidraw{index}"),
        identity: Identity {
            bus: Bus::USB,
            vendor: 0x1209,
            product: 1,
            name: format!("pad {index}"),
            uniq: format!("S{index}"),
            phys: format!("usb-1-{index}/input0"),
            port: Some(format!("1-{index}")),
            interface: Some(0),
            ..Identity::default()
        },
        kind: NodeKind::Reports,
        driver: Driver::Generic,
        descriptor: SMALL.to_vec(),
        inputs: Vec::new(),
        driven: Default::default(),
        connection: Default::default(),
        sysfs: String::new(),
    }
}

/// Plays for so long, with screens that come and go or with none.
///
/// # Panics
/// When the system refuses what every process may have.
#[must_use]
pub fn play(span: Duration, screens: bool) -> Seen {
    let reports = span.as_millis() as u64 * RATE / 1000;
    let (devices, ends): (Vec<_>, Vec<_>) = (0..DEVICES).map(|_| pair()).unzip();
    let (pads, sinks): (Vec<_>, Vec<_>) = (0..SLOTS).map(|_| pad()).unzip();
    let (bell, ring) = pair();
    let epoll = epoll::create(epoll::CreateFlags::CLOEXEC).expect("epoll");
    for (index, fd) in devices.iter().chain([&bell]).enumerate() {
        epoll::add(&epoll, fd, EventData::new_u64(index as u64), EventFlags::IN).expect("epoll");
    }
    let (give, orders) = mantle_engine::orders(move || {
        let _ = write(&ring, &[1]);
    });
    let arrived = (0..DEVICES).map(|index| Happening::Arrived(now(), Box::new(node(index))));
    let tied = SlotNumber::all().map(|slot| {
        let tie = Command::Tie { device: DeviceId((SLOTS + slot.index()) as u16), part: 0, slot };
        Happening::Order(now(), Box::new(Order::unanswered(Wish::Command(tie))))
    });
    let ready = arrived.chain(tied).collect();
    let refused = Arc::new(AtomicU64::new(0));
    let mut world = SocketWorld {
        epoll,
        devices,
        pads,
        bell,
        orders,
        readable: VecDeque::new(),
        ready,
        buffer: [0; 64],
        refused: refused.clone(),
        waited: false,
    };
    let list = Screens::default();
    let runtime = tempfile::tempdir().expect("a directory");
    std::fs::set_permissions(runtime.path(), std::fs::Permissions::from_mode(0o700)).expect("its mode");
    let place = Place::within(runtime.path()).expect("a place");
    let served = serve(place.take().expect("the lock"), list.clone(), give.clone(), true).expect("a socket");
    let stamps: Vec<Vec<AtomicU64>> = (0..SLOTS).map(|_| (0..reports).map(|_| AtomicU64::new(0)).collect()).collect();
    let (over, fed) = (AtomicBool::new(false), AtomicBool::new(false));
    let busy = Mutex::new(Duration::ZERO);
    let (snapshots, came) = (AtomicU64::new(0), AtomicU64::new(0));
    let mut seen =
        Seen { sent: 0, arrived: 0, moves: 0, wrong: None, share: 0.0, delay: (0, 0), snapshots: 0, screens: 0 };
    let mut delays = Vec::with_capacity((reports as usize) * SLOTS);
    let took = std::thread::scope(|scope| {
        scope.spawn(|| {
            let mut table = Table::new(Settings::default());
            let mut publisher = Publisher::of(list, Header::default());
            let _ = mantle_linux::priority::take();
            mantle_engine::run(&mut world, &mut table, &mut publisher);
            *busy.lock().expect("nobody panics with it") = thread_time();
        });
        let feeder = scope.spawn(|| {
            // What devices send comes before all programs.
            let _ = mantle_linux::priority::take();
            // A hand that holds nothing first.
            let mut report = [0u8, 0x80, 128, 128, 128, 128];
            debug_assert_eq!(report.len(), REPORT);
            for end in &ends {
                let _ = write(end, &report);
            }
            std::thread::sleep(Duration::from_millis(200));
            let began = Instant::now();
            for turn in 0..reports {
                let due = Duration::from_micros(turn * 1_000_000 / RATE);
                std::thread::sleep(due.saturating_sub(began.elapsed()));
                // A button goes down and up, and a stick moves in a circle.
                (report[0], report[2]) = ((turn + 1) as u8 & 1, (turn % 256) as u8);
                let moves = [0, 0x80, 128, (turn % 256) as u8, 128, 128];
                for end in &ends[SLOTS..] {
                    while write(end, &moves) == Err(Errno::AGAIN) {
                        std::thread::yield_now();
                    }
                }
                for (end, stamps) in ends.iter().zip(&stamps) {
                    stamps[turn as usize].store(now().0, Ordering::Release);
                    while write(end, &report) == Err(Errno::AGAIN) {
                        std::thread::yield_now();
                    }
                }
            }
            fed.store(true, Ordering::Release);
            began.elapsed()
        });
        if screens {
            scope.spawn(|| look_on(&place, &over, &snapshots, &came));
        }
        // Whoever reads pads is not delayed by screens, so the engine is what is measured.
        let _ = mantle_linux::priority::take();
        // What arrives: the button's edges alternate, one per report.
        let (mut next, mut moves) = ([0u64; SLOTS], [0u64; SLOTS]);
        let sink = epoll::create(epoll::CreateFlags::CLOEXEC).expect("epoll");
        for (index, fd) in sinks.iter().enumerate() {
            epoll::add(&sink, fd, EventData::new_u64(index as u64), EventFlags::IN).expect("epoll");
        }
        let mut quiet = 0;
        while next.iter().any(|next| *next < reports) && quiet < 200 {
            let mut space = [MaybeUninit::<epoll::Event>::uninit(); 16];
            let patience = Timespec { tv_sec: 0, tv_nsec: 50_000_000 };
            let Ok((events, _)) = epoll::wait(&sink, &mut space, Some(&patience)) else { continue };
            quiet = if events.is_empty() && fed.load(Ordering::Acquire) { quiet + 1 } else { 0 };
            for event in events.iter() {
                let slot = event.data.u64() as usize;
                let mut buffer = [0u8; 4096];
                while let Ok(length) = read(&sinks[slot], &mut buffer) {
                    let at = now().0;
                    let button = buffer[..length].chunks_exact(24).find(|event| event[16..18] == 1u16.to_le_bytes());
                    let Some(button) = button else {
                        moves[slot] += 1;
                        continue;
                    };
                    let (turn, down) = (next[slot], button[20]);
                    if u64::from(down) != (turn + 1) & 1 && seen.wrong.is_none() {
                        seen.wrong = Some(format!("pad {slot}: its edge {turn} is {down}"));
                    }
                    let sent = stamps[slot].get(turn as usize).map_or(at, |sent| sent.load(Ordering::Acquire));
                    delays.push(at.saturating_sub(sent));
                    next[slot] += 1;
                }
            }
        }
        mantle_linux::priority::give_up();
        seen.arrived = next.iter().sum();
        seen.moves = moves.into_iter().min().unwrap_or(0);
        let took = feeder.join().expect("it feeds");
        over.store(true, Ordering::Release);
        give.give(Order::unanswered(Wish::Stop));
        took
    });
    drop(served);
    if refused.load(Ordering::Relaxed) > 0 {
        seen.wrong.get_or_insert(format!("{} frames were not taken by a pad", refused.load(Ordering::Relaxed)));
    }
    delays.sort_unstable();
    let at = |share: f64| delays.get(((delays.len().max(1) - 1) as f64 * share) as usize).copied().unwrap_or(0);
    seen.sent = reports * SLOTS as u64;
    seen.delay = (at(0.5), at(0.99));
    seen.share = busy.lock().expect("nobody panics with it").as_secs_f64() / took.as_secs_f64();
    (seen.snapshots, seen.screens) = (snapshots.load(Ordering::Relaxed), came.load(Ordering::Relaxed));
    seen
}

/// Three screens: two come, watch and go again and again; one comes and never reads what it gets.
fn look_on(place: &Place, over: &AtomicBool, snapshots: &AtomicU64, came: &AtomicU64) {
    let hello = format!("{{\"Hello\":{{\"version\":{VERSION},\"screen\":true}}}}");
    let mut stalled = UnixStream::connect(place.socket()).expect("it listens");
    let sent =
        stalled.write_all(&(hello.len() as u32).to_le_bytes()).and_then(|()| stalled.write_all(hello.as_bytes()));
    sent.expect("it takes a greeting");
    came.fetch_add(1, Ordering::Relaxed);
    while !over.load(Ordering::Acquire) {
        let until = Instant::now() + COMES;
        let mailboxes = [(); 2].map(|()| Mailbox::new(|| {}));
        let attached: Vec<_> = mailboxes
            .iter()
            .map(|mailbox| {
                let attached =
                    attach(place, Comes::AsScreen, mailbox.clone(), |_| {}).expect("it takes another screen");
                let watch = Watch { slot: SlotNumber::new(1), ..Watch::default() };
                attached.give(Order { number: CommandNumber(1), wish: Wish::Watch(watch) });
                came.fetch_add(1, Ordering::Relaxed);
                attached
            })
            .collect();
        while Instant::now() < until && !over.load(Ordering::Acquire) {
            std::thread::sleep(Duration::from_millis(10));
            let got = mailboxes.iter().filter(|mailbox| mailbox.take().is_some()).count();
            snapshots.fetch_add(got as u64, Ordering::Relaxed);
        }
        drop(attached);
    }
}
