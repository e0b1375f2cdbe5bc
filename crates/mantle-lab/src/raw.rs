//! A pad's event node, read as the kernel hands it out: no library in between.

use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::time::Timespec;
use std::time::{Duration, Instant};

/// Bytes of the kernel's `struct input_event` on 64-bit machines.
const EVENT: usize = 24;

/// Type, code and value of a frame's events, the sync event left out.
pub type Frame = Vec<(u16, u16, i32)>;

/// An open event node.
#[derive(Debug)]
pub struct RawPad {
    fd: OwnedFd,
    left: Vec<u8>,
}

impl RawPad {
    /// Opens a node.
    ///
    /// # Errors
    /// What the system refused.
    pub fn open(path: &str) -> Result<Self, String> {
        let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
        let fd = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| format!("{path}: {errno}"))?;
        Ok(Self { fd, left: Vec::new() })
    }

    /// Waits for the next frame.
    ///
    /// # Errors
    /// After [`crate::DEADLINE`], and when the node is gone.
    pub fn frame(&mut self, what: &str) -> Result<Frame, String> {
        self.within(crate::DEADLINE)?.ok_or_else(|| format!("the event node showed nothing for: {what}"))
    }

    /// The next frame, if one comes in time.
    ///
    /// # Errors
    /// When the node is gone.
    pub fn within(&mut self, patience: Duration) -> Result<Option<Frame>, String> {
        let until = Instant::now() + patience;
        loop {
            if let Some(frame) = self.complete() {
                return Ok(Some(frame));
            }
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return Ok(None);
            }
            let mut polled = [PollFd::new(&self.fd, PollFlags::IN)];
            let left = Timespec { tv_sec: left.as_secs() as i64, tv_nsec: left.subsec_nanos().into() };
            poll(&mut polled, Some(&left)).map_err(|errno| errno.to_string())?;
            let mut buffer = [0u8; EVENT * 64];
            match rustix::io::read(&self.fd, &mut buffer) {
                Ok(n) => self.left.extend(&buffer[..n]),
                Err(rustix::io::Errno::AGAIN) => {}
                Err(errno) => return Err(format!("the event node: {errno}")),
            }
        }
    }

    /// The first frame of what has been read, if all of it is there.
    fn complete(&mut self) -> Option<Frame> {
        let half = |event: &[u8], at: usize| u16::from_ne_bytes([event[at], event[at + 1]]);
        let is_sync = |event: &[u8]| (half(event, 16), half(event, 18)) == (0, 0);
        let sync = self.left.chunks_exact(EVENT).position(is_sync)?;
        let frame: Vec<u8> = self.left.drain(..(sync + 1) * EVENT).collect();
        let events = frame.chunks_exact(EVENT).take(sync);
        let value = |event: &[u8]| i32::from_ne_bytes([event[20], event[21], event[22], event[23]]);
        Some(events.map(|event| (half(event, 16), half(event, 18), value(event))).collect())
    }
}
