//! One device, listened to alone: for recording without an engine.

use crate::clock::now;
use crate::evdev::{self, InputNode};
use crate::opener;
use crate::scan;
use crate::writer;
use mantle_core::device::{NodeFacts, OsFault};
use mantle_core::outgoing::{Act, Sent};
use mantle_core::time::Micros;
use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::{AsFd, OwnedFd};
use rustix::io::Errno;
use rustix::time::Timespec;
use std::io;
use std::os::unix::net::UnixStream;
use std::path::Path;

/// Longer than the longest report.
const BUFFER: usize = 16_384 + 1;

/// What a listener hears.
#[derive(Debug)]
pub enum Heard<'a> {
    /// A report.
    Report(Micros, &'a [u8]),
    /// The moment has come.
    Time,
    /// The device is gone, or the program is to end.
    End,
}

/// An open device.
#[derive(Debug)]
pub struct Listener {
    fd: OwnedFd,
    path: String,
    input: Option<Box<InputNode>>,
    signals: UnixStream,
    buffer: Box<[u8]>,
}

impl Listener {
    /// Opens a node as it was found. Ends on SIGINT, SIGTERM and SIGHUP.
    ///
    /// # Errors
    /// What the system refused.
    pub fn open(node: &NodeFacts) -> Result<Self, OsFault> {
        let fd = opener::open(&opener::Wanted::of(node))?;
        let known = scan::sources(Path::new("/sys")).into_iter().find(|found| found.facts.path == node.path);
        let caps = known.and_then(|found| found.caps);
        let input = caps.and_then(|caps| InputNode::new(fd.as_fd(), &caps, node.identity.vendor)).map(Box::new);
        let failed = |error: io::Error| OsFault {
            operation: "watching for signals".into(),
            path: node.path.clone(),
            errno: error.raw_os_error().unwrap_or(5),
        };
        let signals = signals().map_err(failed)?;
        Ok(Self { fd, path: node.path.clone(), input, signals, buffer: vec![0; BUFFER].into() })
    }

    /// Sends something to the device, or asks it for something; blocks as long as the device does.
    ///
    /// # Errors
    /// What the system, or the device, refused.
    pub fn act(&self, act: &Act) -> Result<Sent, OsFault> {
        writer::act(&self.fd, &self.path, act)
    }

    /// What comes next, a report with its stamp, taken right after the read, or a moment.
    ///
    /// # Errors
    /// What the system says.
    pub fn next(&mut self, until: Option<Micros>) -> io::Result<Heard<'_>> {
        loop {
            let read = evdev::read_report(&self.fd, self.input.as_deref_mut(), &mut self.buffer);
            match read {
                Ok(0) | Err(Errno::IO | Errno::NODEV) => return Ok(Heard::End),
                Ok(length) => return Ok(Heard::Report(now(), &self.buffer[..length])),
                Err(Errno::AGAIN | Errno::INTR) => {}
                Err(errno) => return Err(errno.into()),
            }
            let left = match until.map(|until| until.since(now()).0) {
                Some(0) => return Ok(Heard::Time),
                Some(left) => {
                    Some(Timespec { tv_sec: (left / 1_000_000) as i64, tv_nsec: (left % 1_000_000 * 1_000) as i64 })
                }
                None => None,
            };
            let mut polled = [PollFd::new(&self.fd, PollFlags::IN), PollFd::new(&self.signals, PollFlags::IN)];
            match poll(&mut polled, left.as_ref()) {
                Ok(_) | Err(Errno::INTR) => {}
                Err(errno) => return Err(errno.into()),
            }
            // What came before the end still counts.
            let comes = |polled: &PollFd<'_>| polled.revents().contains(PollFlags::IN);
            if comes(&polled[1]) && !comes(&polled[0]) {
                return Ok(Heard::End);
            }
        }
    }
}

impl Drop for Listener {
    fn drop(&mut self) {
        if let Some(input) = &self.input {
            input.restore(self.fd.as_fd());
        }
    }
}

/// The signals on which the program ends in order.
#[must_use]
pub fn signals_that_end() -> [i32; 4] {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM};
    [SIGINT, SIGTERM, SIGHUP, SIGQUIT]
}

/// A stream that becomes readable when the program is to end.
pub(crate) fn signals() -> io::Result<UnixStream> {
    let (ours, theirs) = UnixStream::pair()?;
    ours.set_nonblocking(true)?;
    for signal in signals_that_end() {
        signal_hook::low_level::pipe::register(signal, theirs.try_clone()?)?;
    }
    Ok(ours)
}
