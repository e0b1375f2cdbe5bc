//! The helper: a small process that is root and serves ordinary accounts over a socket. It has one thread; a connection's covers end with it.

use crate::descriptors;
use crate::device::{HidDevice, class_entry, device_number};
use crate::hider::{CoverPaths, Hider, Operation, Refused, lock_in_turn};
use crate::judge::{self, Asked, Peer, Verdict};
use crate::machine::{Machine, ThisMachine};
use crate::people;
use crate::wire::{Answer, REQUEST, Request};
use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::OwnedFd;
use rustix::fs::{FileType, Mode, OFlags};
use std::io::{self, Read, Write};
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::Path;
use std::time::{Duration, Instant};

/// The most connections at once, and the most per account.
const CONNECTIONS: usize = 8;
const OF_ONE: usize = 4;
/// The most covers of an account, over all its connections.
const COVERS: usize = 16;
/// The least time between two covers, since each makes udev read its rules.
const BETWEEN: Duration = Duration::from_secs(1);
/// What an ended process left behind is undone if nobody has claimed it by then.
const CLAIMED_WITHIN: Duration = Duration::from_secs(5);
/// How often to check whether somebody has logged out, while anything is covered or handed out.
const LOOK: Duration = Duration::from_secs(2);
/// After this long with nobody there it ends; its socket starts it again.
const IDLE: Duration = Duration::from_secs(30);
/// Where the socket stands.
pub const SOCKET: &str = "/run/placid-mantle/helper.sock";
/// The devices that the administrator has named, one per line: vendor and product, four hex digits each, with a colon between.
pub const NAMED: &str = "/etc/placid-mantle/devices";

/// Somebody who is connected.
struct Connection {
    stream: UnixStream,
    owner: u32,
    uid: u32,
    /// What has come of a request.
    bytes: Vec<u8>,
    /// What was handed out: it is bound again when the account logs out.
    handed: Vec<u32>,
    /// When it last said something.
    heard: Instant,
}

/// What serves.
struct Server {
    hider: Hider<ThisMachine>,
    connections: Vec<Connection>,
    next_owner: u32,
    covered_last: Option<Instant>,
    tidied: bool,
    /// For accounts that have closed their connections: what they may still hold.
    handed: Vec<(u32, u32)>,
}

/// Serves whoever connects, until a signal comes through `ends`, or nobody is there for a while.
///
/// # Errors
/// When the socket cannot be listened to.
pub fn serve(listener: &UnixListener, ends: &UnixStream, paths: CoverPaths) -> io::Result<()> {
    listener.set_nonblocking(true)?;
    let _lock = lock_in_turn(&paths)?;
    let hider = Hider::new(ThisMachine::default(), paths);
    let mut server =
        Server { hider, connections: Vec::new(), next_owner: 1, covered_last: None, tidied: false, handed: Vec::new() };
    let began = Instant::now();
    let mut busy = Instant::now();
    loop {
        let ready = server.wait(listener, ends)?;
        if ready.ends {
            break;
        }
        if ready.comes {
            server.accept(listener);
        }
        for owner in ready.speak {
            server.hear(owner);
        }
        server.look_who_left();
        if !server.tidied && began.elapsed() >= CLAIMED_WITHIN {
            server.tidied = server.hider.tidy().is_ok();
        }
        if !server.connections.is_empty() || !server.handed.is_empty() || !server.tidied {
            busy = Instant::now();
        }
        if busy.elapsed() >= IDLE {
            break;
        }
    }
    for connection in std::mem::take(&mut server.connections) {
        let _ = server.hider.release(connection.owner);
    }
    server.hider.tidy().map_err(io::Error::other)
}

/// What has happened.
struct Ready {
    ends: bool,
    comes: bool,
    speak: Vec<u32>,
}

impl Server {
    fn wait(&self, listener: &UnixListener, ends: &UnixStream) -> io::Result<Ready> {
        let look = rustix::event::Timespec { tv_sec: LOOK.as_secs() as i64, tv_nsec: 0 };
        let mut all = vec![PollFd::new(ends, PollFlags::IN), PollFd::new(listener, PollFlags::IN)];
        all.extend(self.connections.iter().map(|one| PollFd::new(&one.stream, PollFlags::IN)));
        match poll(&mut all, Some(&look)) {
            Ok(_) | Err(rustix::io::Errno::INTR) => {}
            Err(errno) => return Err(errno.into()),
        }
        let came: Vec<bool> = all.iter().map(|one| !one.revents().is_empty()).collect();
        let speak = self.connections.iter().zip(&came[2..]).filter(|(_, came)| **came).map(|(one, _)| one.owner);
        Ok(Ready { ends: came[0], comes: came[1], speak: speak.collect() })
    }

    fn accept(&mut self, listener: &UnixListener) {
        let Ok((stream, _)) = listener.accept() else { return };
        let Ok(credentials) = rustix::net::sockopt::socket_peercred(&stream) else { return };
        let uid = credentials.uid.as_raw();
        let own = self.connections.iter().filter(|one| one.uid == uid).count();
        // One too many is closed at once; it may come again.
        if self.connections.len() >= CONNECTIONS || own >= OF_ONE || stream.set_nonblocking(true).is_err() {
            return;
        }
        let owner = self.next_owner;
        self.next_owner = self.next_owner.wrapping_add(1).max(1);
        self.connections.push(Connection {
            stream,
            owner,
            uid,
            bytes: Vec::new(),
            handed: Vec::new(),
            heard: Instant::now(),
        });
    }

    /// Reads what somebody says; whoever sends nonsense, or leaves, is disconnected, and loses the covers.
    fn hear(&mut self, owner: u32) {
        let Some(at) = self.connections.iter().position(|one| one.owner == owner) else { return };
        let connection = &mut self.connections[at];
        let mut space = [0; REQUEST];
        let wanted = REQUEST - connection.bytes.len();
        let goes = match connection.stream.read(&mut space[..wanted]) {
            Ok(0) => true,
            Ok(count) => {
                connection.heard = Instant::now();
                connection.bytes.extend_from_slice(&space[..count]);
                false
            }
            Err(error) => !matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::Interrupted),
        };
        let whole: Option<[u8; REQUEST]> = connection.bytes.as_slice().try_into().ok();
        let goes = goes
            || match whole.map(|bytes| Request::read(&bytes)) {
                Some(Ok(request)) => {
                    connection.bytes.clear();
                    !self.answer(at, &request)
                }
                Some(Err(_)) => true,
                None => false,
            };
        if goes {
            self.put_out(at);
        }
    }

    fn put_out(&mut self, at: usize) {
        let gone = self.connections.remove(at);
        let _ = self.hider.release(gone.owner);
        // What was handed out may have been passed on.
        self.handed.extend(gone.handed.iter().map(|number| (gone.uid, *number)));
    }

    /// Does what is requested, if it is allowed; returns whether the connection is still good.
    fn answer(&mut self, at: usize, request: &Request) -> bool {
        let Connection { owner, uid, .. } = self.connections[at];
        let peer = people::peer(uid);
        let mut handed = None;
        let answer = match request {
            Request::Cover(numbers) => match self.may_cover(uid, &peer, numbers) {
                Err(refused) => Answer::Refused(refused),
                Ok(()) => {
                    // One after the other, so that nobody can keep udev busy.
                    if let Some(left) = self.covered_last.and_then(|last| BETWEEN.checked_sub(last.elapsed())) {
                        std::thread::sleep(left);
                    }
                    let hidden = self.hider.hide(owner, numbers);
                    self.covered_last = Some(Instant::now());
                    hidden.map_or_else(Answer::Refused, |()| Answer::Done(0))
                }
            },
            Request::Uncover(number) => self.hider.show(owner, *number).map_or(Answer::Left, |()| Answer::Done(0)),
            Request::Status => Answer::Done(self.hider.count(owner) as u32),
            Request::Open(number) | Request::OpenEvent(number, _) => match open(&peer, request, *number) {
                Ok(fd) => {
                    handed = Some(fd);
                    if !self.connections[at].handed.contains(number) {
                        self.connections[at].handed.push(*number);
                    }
                    Answer::Done(0)
                }
                Err(refused) => Answer::Refused(refused),
            },
        };
        let stream = &mut self.connections[at].stream;
        match handed {
            None => stream.write_all(&answer.bytes()).is_ok(),
            Some(fd) => descriptors::send(stream, &answer.bytes(), &fd).is_ok(),
        }
    }

    fn may_cover(&self, uid: u32, peer: &Peer, numbers: &[u32]) -> Result<(), Refused> {
        let refused = |errno| Refused { operation: Operation::Asking, errno };
        let own = self.connections.iter().filter(|one| one.uid == uid);
        if own.map(|one| self.hider.count(one.owner)).sum::<usize>() >= COVERS {
            return Err(refused(122));
        }
        let asked: Option<Vec<Asked>> = numbers.iter().map(|number| Some(facts(&device(*number)?))).collect();
        let asked = asked.ok_or(Refused { operation: Operation::Finding, errno: 19 })?;
        allowed(judge::cover(peer, &asked))
    }

    /// An account that has logged out holds nothing any more: its covers end, and what it was handed is bound again, which ends its descriptors.
    fn look_who_left(&mut self) {
        let over = |one: &Connection| {
            let has = !one.handed.is_empty() || self.hider.count(one.owner) > 0;
            // Whoever has nothing here may come again; meanwhile the place belongs to another one.
            if has { !people::is_here(one.uid) } else { one.heard.elapsed() >= IDLE }
        };
        let over: Vec<u32> = self.connections.iter().filter(|one| over(one)).map(|one| one.owner).collect();
        for owner in over {
            if let Some(at) = self.connections.iter().position(|one| one.owner == owner) {
                self.put_out(at);
            }
        }
        let (left, stay): (Vec<_>, Vec<_>) = self.handed.drain(..).partition(|(uid, _)| !people::is_here(*uid));
        self.handed = stay;
        for (_, number) in left {
            if let Some(HidDevice { sysfs, driver: Some(driver), .. }) = device(number) {
                let machine = self.hider.machine();
                if machine.unbind(&sysfs, &driver).is_ok() {
                    let _ = machine.bind(&sysfs, &driver);
                }
            }
        }
    }
}

fn device(number: u32) -> Option<HidDevice> {
    HidDevice::numbered(Path::new("/"), number)
}

/// What is read about a requested device.
fn facts(device: &HidDevice) -> Asked {
    let descriptor = std::fs::read(device.sysfs.join("report_descriptor")).unwrap_or_default();
    let (vendor, product) = (device.identity.vendor, device.identity.product);
    Asked {
        applications: Asked::applications(&descriptor),
        named: people::named(Path::new(NAMED), vendor, product),
        plug: people::plug(device),
        seat: people::seat(device),
    }
}

fn allowed(verdict: Verdict) -> Result<(), Refused> {
    let refused = |errno| Err(Refused { operation: Operation::Asking, errno });
    match verdict {
        Verdict::Allowed => Ok(()),
        Verdict::NotYours => refused(13),
        Verdict::NoController | Verdict::NoPart | Verdict::SecurityKey => refused(1),
    }
}

/// Opens a node of a device, if it may be handed out: the node that the kernel names, following no link.
fn open(peer: &Peer, request: &Request, number: u32) -> Result<OwnedFd, Refused> {
    let gone = Refused { operation: Operation::Finding, errno: 19 };
    let device = device(number).ok_or(gone)?;
    allowed(judge::open(peer, &facts(&device)))?;
    let node = match request {
        Request::OpenEvent(_, event) => {
            let node = format!("/dev/input/event{event}");
            device.nodes().into_iter().find(|own| *own == node)
        }
        _ => device.hidraw(),
    };
    let node = node.ok_or(gone)?;
    let refused = |errno: rustix::io::Errno| Refused { operation: Operation::Opening, errno: errno.raw_os_error() };
    let flags = OFlags::RDWR | OFlags::NONBLOCK | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let fd = rustix::fs::open(&*node, flags, Mode::empty()).map_err(refused)?;
    let stat = rustix::fs::fstat(&fd).map_err(refused)?;
    let same =
        std::fs::canonicalize(class_entry(Path::new("/"), &node)).is_ok_and(|own| own.starts_with(&device.sysfs));
    let is_it = FileType::from_raw_mode(stat.st_mode) == FileType::CharacterDevice
        && Some(stat.st_rdev) == device_number(Path::new("/"), &node)
        && same;
    if is_it { Ok(fd) } else { Err(gone) }
}
