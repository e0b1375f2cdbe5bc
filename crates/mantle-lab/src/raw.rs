//! A pad's event node, read as the kernel hands it out: no library in between.

use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::time::Timespec;
use std::time::Instant;

/// Bytes of the kernel's `struct input_event` on 64-bit machines.
const EVENT: usize = 24;

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

    /// Waits for the next frame: type, code and value of its events, the sync event left out.
    ///
    /// # Errors
    /// After [`crate::DEADLINE`], and when the node is gone.
    pub fn frame(&mut self, what: &str) -> Result<Vec<(u16, u16, i32)>, String> {
        let until = Instant::now() + crate::DEADLINE;
        let mut frame = Vec::new();
        loop {
            while self.left.len() >= EVENT {
                let event: Vec<u8> = self.left.drain(..EVENT).collect();
                let half = |at: usize| u16::from_ne_bytes([event[at], event[at + 1]]);
                let value = i32::from_ne_bytes([event[20], event[21], event[22], event[23]]);
                match (half(16), half(18)) {
                    (0, 0) => return Ok(frame),
                    (kind, code) => frame.push((kind, code, value)),
                }
            }
            if Instant::now() > until {
                return Err(format!("the event node showed nothing for: {what}"));
            }
            let mut polled = [PollFd::new(&self.fd, PollFlags::IN)];
            let patience = Timespec { tv_sec: 1, tv_nsec: 0 };
            poll(&mut polled, Some(&patience)).map_err(|errno| errno.to_string())?;
            let mut buffer = [0u8; EVENT * 64];
            match rustix::io::read(&self.fd, &mut buffer) {
                Ok(n) => self.left.extend(&buffer[..n]),
                Err(rustix::io::Errno::AGAIN) => {}
                Err(errno) => return Err(format!("the event node: {errno}")),
            }
        }
    }
}
