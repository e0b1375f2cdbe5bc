//! uhid: a HID device of our own making, as described in the kernel's documentation of uhid. Only the used part of the event is written, not the
//! whole union.

use rustix::fd::{AsFd, BorrowedFd, OwnedFd};
use rustix::fs::{Mode, OFlags};
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};

const DESTROY: u32 = 1;
const START: u32 = 2;
const OPEN: u32 = 4;
const CLOSE: u32 = 5;
const OUTPUT: u32 = 6;
const GET_REPORT: u32 = 9;
const GET_REPORT_REPLY: u32 = 10;
const CREATE2: u32 = 11;
const INPUT2: u32 = 12;
const SET_REPORT: u32 = 13;
const SET_REPORT_REPLY: u32 = 14;
const STOP: u32 = 3;
/// Data of a report in the event: `UHID_DATA_MAX`.
const DATA: usize = 4096;
const EIO: u16 = 5;

/// What a device made through uhid is told.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum UhidEvent {
    /// The driver is bound.
    Start,
    /// The driver is gone.
    Stop,
    /// Somebody has opened a node of it.
    Open,
    /// Nobody has any more.
    Close,
    /// An output report.
    Output(Vec<u8>),
    /// A feature or input report is requested; refused automatically.
    Asked {
        /// Its number.
        report: u8,
    },
    /// A report is set; accepted or refused automatically.
    Set(Vec<u8>),
    /// Anything else.
    Other(u32),
}

/// A device made through uhid; dropping it removes it.
#[derive(Debug)]
pub struct UhidDevice {
    fd: OwnedFd,
    refuses: AtomicBool,
    silent: AtomicBool,
}

/// Who a made device is.
#[derive(Clone, Debug)]
pub struct UhidIdentity<'a> {
    /// Name.
    pub name: &'a str,
    /// Physical path.
    pub phys: &'a str,
    /// Serial number.
    pub uniq: &'a str,
    /// Bus type.
    pub bus: u16,
    /// Vendor, product, version.
    pub ids: (u16, u16, u16),
}

fn field(out: &mut Vec<u8>, text: &str, size: usize) {
    let bytes = &text.as_bytes()[..text.len().min(size - 1)];
    out.extend_from_slice(bytes);
    out.resize(out.len() + size - bytes.len(), 0);
}

impl UhidDevice {
    /// Makes a device.
    ///
    /// # Errors
    /// When `/dev/uhid` cannot be opened or refuses the device.
    pub fn create(identity: &UhidIdentity<'_>, descriptor: &[u8]) -> io::Result<Self> {
        let fd = rustix::fs::open("/dev/uhid", OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty())?;
        let mut out = CREATE2.to_ne_bytes().to_vec();
        field(&mut out, identity.name, 128);
        field(&mut out, identity.phys, 64);
        field(&mut out, identity.uniq, 64);
        out.extend_from_slice(&(descriptor.len() as u16).to_ne_bytes());
        out.extend_from_slice(&identity.bus.to_ne_bytes());
        let (vendor, product, version) = identity.ids;
        for number in [vendor, product, version] {
            out.extend_from_slice(&u32::from(number).to_ne_bytes());
        }
        out.extend_from_slice(&0u32.to_ne_bytes());
        out.extend_from_slice(descriptor);
        let device = Self { fd, refuses: AtomicBool::new(false), silent: AtomicBool::new(false) };
        device.send(&out)?;
        Ok(device)
    }

    fn send(&self, bytes: &[u8]) -> io::Result<()> {
        rustix::io::write(&self.fd, bytes)?;
        Ok(())
    }

    /// Its descriptor, to wait on.
    #[must_use]
    pub fn as_fd(&self) -> BorrowedFd<'_> {
        self.fd.as_fd()
    }

    /// From now on it refuses reports that are set.
    pub fn refuse_sets(&self) {
        self.refuses.store(true, Ordering::Relaxed);
    }

    /// From now on it does not answer reports that are set: whoever sets one waits until the kernel gives up.
    pub fn ignore_sets(&self) {
        self.silent.store(true, Ordering::Relaxed);
    }

    /// Sends an input report.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn input(&self, report: &[u8]) -> io::Result<()> {
        let mut out = INPUT2.to_ne_bytes().to_vec();
        out.extend_from_slice(&(report.len() as u16).to_ne_bytes());
        out.extend_from_slice(report);
        self.send(&out)
    }

    /// The next event, none if there is none now. Questions are answered by refusal, so that nobody waits.
    ///
    /// # Errors
    /// When the device cannot be read.
    pub fn event(&self) -> io::Result<Option<UhidEvent>> {
        self.event_answered(|_| None)
    }

    /// The same, with answers to what is asked for: a report by its number, its id first. What has none is refused.
    ///
    /// # Errors
    /// When the device cannot be read.
    pub fn event_answered(&self, answer: impl Fn(u8) -> Option<Vec<u8>>) -> io::Result<Option<UhidEvent>> {
        let mut buffer = [0u8; 4 + 4 + DATA + 512];
        let n = match rustix::io::read(&self.fd, &mut buffer) {
            Ok(n) => n,
            Err(rustix::io::Errno::AGAIN) => return Ok(None),
            Err(errno) => return Err(errno.into()),
        };
        if n < 4 {
            return Ok(None);
        }
        let word = |at: usize| u32::from_ne_bytes([buffer[at], buffer[at + 1], buffer[at + 2], buffer[at + 3]]);
        Ok(Some(match word(0) {
            START => UhidEvent::Start,
            STOP => UhidEvent::Stop,
            OPEN => UhidEvent::Open,
            CLOSE => UhidEvent::Close,
            OUTPUT => {
                let size = usize::from(u16::from_ne_bytes([buffer[4 + DATA], buffer[5 + DATA]])).min(DATA);
                UhidEvent::Output(buffer[4..4 + size].to_vec())
            }
            GET_REPORT => {
                let mut out = GET_REPORT_REPLY.to_ne_bytes().to_vec();
                out.extend_from_slice(&word(4).to_ne_bytes());
                let report = answer(buffer[8]).filter(|report| report.len() <= DATA);
                out.extend_from_slice(&if report.is_some() { 0 } else { EIO }.to_ne_bytes());
                let report = report.unwrap_or_default();
                out.extend_from_slice(&(report.len() as u16).to_ne_bytes());
                out.extend_from_slice(&report);
                self.send(&out)?;
                UhidEvent::Asked { report: buffer[8] }
            }
            SET_REPORT => {
                let size = usize::from(u16::from_ne_bytes([buffer[10], buffer[11]])).min(DATA);
                let mut out = SET_REPORT_REPLY.to_ne_bytes().to_vec();
                out.extend_from_slice(&word(4).to_ne_bytes());
                let refused = if self.refuses.load(Ordering::Relaxed) { EIO } else { 0 };
                out.extend_from_slice(&refused.to_ne_bytes());
                if !self.silent.load(Ordering::Relaxed) {
                    self.send(&out)?;
                }
                UhidEvent::Set(buffer[12..12 + size].to_vec())
            }
            other => UhidEvent::Other(other),
        }))
    }
}

impl Drop for UhidDevice {
    fn drop(&mut self) {
        let _ = self.send(&DESTROY.to_ne_bytes());
    }
}
