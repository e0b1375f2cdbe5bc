//! A pad's event node, read as the kernel delivers it, with no library in between.

use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::time::Timespec;
use std::time::{Duration, Instant};

/// Bytes of the kernel's `struct input_event` on 64-bit machines.
const EVENT: usize = 24;

/// Type, code and value of a frame's events, without the sync event.
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

    /// The first frame of what has been read, if it is complete.
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

/// `struct ff_effect` of the Linux input interface.
#[repr(C, align(8))]
struct EffectRequest {
    kind: u16,
    id: i16,
    direction: u16,
    trigger: [u16; 2],
    length: u16,
    delay: u16,
    pad: u16,
    /// What depends on its kind: the first three words, and the rest.
    words: [u16; 3],
    rest: [u8; 26],
}

const _: () = assert!(size_of::<EffectRequest>() == 48);

/// EVIOCSFF, EV_FF and FF_RUMBLE of the Linux input interface.
const UPLOAD: rustix::ioctl::Opcode = rustix::ioctl::opcode::write::<EffectRequest>(b'E', 0x80);
const EV_FF: u16 = 0x15;
const FF_RUMBLE: u16 = 0x50;
const FF_PERIODIC: u16 = 0x51;
const FF_SINE: u16 = 0x5a;
const FF_GAIN: u16 = 0x60;

/// A pad's event node, as used by a game that shakes it.
#[derive(Debug)]
pub struct Shaker {
    fd: OwnedFd,
}

impl Shaker {
    /// Opens a node.
    ///
    /// # Errors
    /// What the system refused.
    pub fn open(path: &str) -> Result<Self, String> {
        let flags = OFlags::RDWR | OFlags::CLOEXEC;
        let fd = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| format!("{path}: {errno}"))?;
        Ok(Self { fd })
    }

    /// Uploads a rumble of so many milliseconds; returns its number.
    ///
    /// # Errors
    /// What the system refused.
    pub fn upload(&self, strong: u16, weak: u16, length: u16) -> Result<i16, String> {
        self.change(-1, strong, weak, length)
    }

    /// Uploads another rumble in the place of one.
    ///
    /// # Errors
    /// What the system refused.
    pub fn change(&self, effect: i16, strong: u16, weak: u16, length: u16) -> Result<i16, String> {
        self.send(effect, FF_RUMBLE, [strong, weak, 0], length)
    }

    /// Uploads a wave of this magnitude, of so many milliseconds; returns its number.
    ///
    /// # Errors
    /// What the system refused.
    pub fn wave(&self, magnitude: i16, length: u16) -> Result<i16, String> {
        self.send(-1, FF_PERIODIC, [FF_SINE, 50, magnitude as u16], length)
    }

    fn send(&self, id: i16, kind: u16, words: [u16; 3], length: u16) -> Result<i16, String> {
        self.send_with(id, kind, (words, [0; 26]), length)
    }

    fn send_with(&self, id: i16, kind: u16, said: ([u16; 3], [u8; 26]), length: u16) -> Result<i16, String> {
        let (words, rest) = said;
        let mut request =
            EffectRequest { kind, id, direction: 0, trigger: [0; 2], length, delay: 0, pad: 0, words, rest };
        // SAFETY: the kernel reads a `struct ff_effect` of 48 bytes at this place, writes its number back into it, and
        // keeps no reference to it.
        unsafe {
            rustix::ioctl::ioctl(&self.fd, rustix::ioctl::Updater::<UPLOAD, EffectRequest>::new(&mut request))
                .map_err(|errno| format!("EVIOCSFF: {errno}"))?;
        }
        Ok(request.id)
    }

    /// Uploads a wave of full strength and so many milliseconds that swells from nothing all the while; returns its number.
    ///
    /// # Errors
    /// What the system refused.
    pub fn swell(&self, length: u16) -> Result<i16, String> {
        let mut rest = [0; 26];
        // After offset and phase: how long it swells, and from which level.
        rest[4..6].copy_from_slice(&length.to_ne_bytes());
        self.send_with(-1, FF_PERIODIC, ([FF_SINE, 20, 0x7fff], rest), length)
    }

    /// Plays an effect once.
    ///
    /// # Errors
    /// What the system refused.
    pub fn play(&self, effect: i16) -> Result<(), String> {
        self.write(effect as u16, 1)
    }

    /// Stops an effect.
    ///
    /// # Errors
    /// What the system refused.
    pub fn stop(&self, effect: i16) -> Result<(), String> {
        self.write(effect as u16, 0)
    }

    /// Makes all effects so strong together, of 65535.
    ///
    /// # Errors
    /// What the system refused.
    pub fn gain(&self, gain: u16) -> Result<(), String> {
        self.write(FF_GAIN, gain.into())
    }

    fn write(&self, code: u16, value: i32) -> Result<(), String> {
        let mut event = [0u8; EVENT];
        event[16..18].copy_from_slice(&EV_FF.to_ne_bytes());
        event[18..20].copy_from_slice(&code.to_ne_bytes());
        event[20..24].copy_from_slice(&value.to_ne_bytes());
        rustix::io::write(&self.fd, &event).map(drop).map_err(|errno| format!("EV_FF: {errno}"))
    }
}
