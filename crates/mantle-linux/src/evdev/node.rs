//! An open input node, read as reports.

use crate::ioctls;
use mantle_core::evdev::{EvdevCaps, EvdevEvent, InputState, NodeCapabilities, Took, event};
use mantle_hid::Usage;
use rustix::fd::{AsFd, BorrowedFd, OwnedFd};
use rustix::io::{Errno, Result};

/// Bytes of `struct input_event` on a 64-bit machine.
const EVENT: usize = 24;
const KEY_BYTES: usize = 96;

/// An input node: what was read from it, and where it goes.
#[derive(Debug)]
pub(crate) struct InputNode {
    state: InputState,
    caps: EvdevCaps,
    buffer: Box<[u8; EVENT * 64]>,
    from: usize,
    until: usize,
    /// Where what nothing uses is passed on, while it is held.
    pass: Option<Pass>,
    /// What was down when it was opened has not been reported yet.
    fresh: bool,
    /// How often events were lost and the state was read again.
    pub lost: u64,
}

/// The way out for events that nothing uses.
#[derive(Debug)]
pub(crate) struct Pass {
    to: OwnedFd,
    used: Vec<(u16, u16)>,
    frame: Vec<u8>,
    /// Keys that are down on the other side.
    down: [u8; KEY_BYTES],
}

impl Pass {
    /// Passes on everything except certain usages.
    pub fn new(to: OwnedFd, used: &[Usage], face: &NodeCapabilities) -> Self {
        let used = used.iter().filter_map(|usage| face.code_of(*usage)).collect();
        Self { to, used, frame: Vec::with_capacity(EVENT * 64), down: [0; KEY_BYTES] }
    }

    fn take(&mut self, bytes: &[u8], event: EvdevEvent) {
        match event.kind {
            event::SYN => self.send(),
            event::KEY | event::REL | event::ABS if !self.used.contains(&(event.kind, event.code)) => {
                self.frame.extend_from_slice(bytes);
                if event.kind == event::KEY {
                    self.note(event.code, event.value != 0);
                }
            }
            _ => {}
        }
    }

    fn note(&mut self, code: u16, down: bool) {
        if let Some(byte) = self.down.get_mut(usize::from(code / 8)) {
            *byte = *byte & !(1 << (code % 8)) | u8::from(down) << (code % 8);
        }
    }

    fn send(&mut self) {
        if self.frame.is_empty() {
            return;
        }
        self.frame.extend_from_slice(&[0; EVENT]);
        let _ = rustix::io::write(&self.to, &self.frame);
        self.frame.clear();
    }

    /// Events were lost: what is up on the node goes up on the other side.
    fn mend(&mut self, keys: &[u8; KEY_BYTES]) {
        self.frame.clear();
        for code in 0..(KEY_BYTES * 8) as u16 {
            let bit = |bits: &[u8; KEY_BYTES]| bits[usize::from(code / 8)] >> (code % 8) & 1 != 0;
            if bit(&self.down) && !bit(keys) {
                let mut bytes = [0; EVENT];
                bytes[16..18].copy_from_slice(&event::KEY.to_ne_bytes());
                bytes[18..20].copy_from_slice(&code.to_ne_bytes());
                self.frame.extend_from_slice(&bytes);
                self.note(code, false);
            }
        }
        self.send();
    }
}

/// Reads the next report of an open node, its own or one made from its events.
pub(crate) fn read_report(fd: &OwnedFd, input: Option<&mut InputNode>, buffer: &mut [u8]) -> Result<usize> {
    let Some(input) = input else { return rustix::io::read(fd, buffer) };
    input.next(fd)?;
    let report = input.report();
    buffer[..report.len()].copy_from_slice(report);
    Ok(report.len())
}

impl InputNode {
    /// Reads a node that was just opened; none if it has nothing to play with. The kernel's smoothing of small steps is switched off for it.
    pub fn new(fd: BorrowedFd<'_>, caps: &EvdevCaps, vendor: u16) -> Option<Self> {
        let state = InputState::new(NodeCapabilities::new(caps, vendor)?);
        let mut node = Self {
            state,
            caps: caps.clone(),
            buffer: Box::new([0; EVENT * 64]),
            from: 0,
            until: 0,
            pass: None,
            fresh: true,
            lost: 0,
        };
        node.set_fuzz(fd, |_| 0);
        let _ = node.read_state(fd);
        Some(node)
    }

    pub fn caps(&self) -> &EvdevCaps {
        &self.caps
    }

    pub fn face(&self) -> &NodeCapabilities {
        self.state.face()
    }

    /// The report that is complete.
    pub fn report(&self) -> &[u8] {
        self.state.report()
    }

    /// Passes on what nothing uses from now on, or no longer; returns what it was passed on through.
    pub fn set_pass(&mut self, pass: Option<Pass>) -> Option<OwnedFd> {
        std::mem::replace(&mut self.pass, pass).map(|pass| pass.to)
    }

    /// Restores the kernel's smoothing for it.
    pub fn restore(&self, fd: BorrowedFd<'_>) {
        self.set_fuzz(fd, |fuzz| fuzz);
    }

    fn set_fuzz(&self, fd: BorrowedFd<'_>, wanted: impl Fn(i32) -> i32) {
        for axis in self.caps.axes.iter().filter(|axis| axis.fuzz != 0) {
            if let Ok(info) = ioctls::abs_info(fd, axis.code) {
                let _ = ioctls::set_abs_info(fd, axis.code, ioctls::AbsInfo { fuzz: wanted(axis.fuzz), ..info });
            }
        }
    }

    /// Reads on until a report is complete; the first one tells how it stood when it was opened. Events wait in a buffer
    /// between two reports.
    ///
    /// # Errors
    /// `EAGAIN` when there is nothing to read, `ENODEV` when the node is gone.
    pub fn next(&mut self, fd: &OwnedFd) -> Result<()> {
        if std::mem::take(&mut self.fresh) {
            return Ok(());
        }
        loop {
            while let Some(bytes) = self.buffer[..self.until].get(self.from..self.from + EVENT) {
                self.from += EVENT;
                let number = |at: usize| u16::from_ne_bytes([bytes[at], bytes[at + 1]]);
                let value = i32::from_ne_bytes([bytes[20], bytes[21], bytes[22], bytes[23]]);
                let event = EvdevEvent { kind: number(16), code: number(18), value };
                if let Some(pass) = &mut self.pass {
                    pass.take(bytes, event);
                }
                match self.state.handle(event) {
                    Took::Nothing => {}
                    Took::Report => return Ok(()),
                    Took::Lost => {
                        self.lost += 1;
                        self.drain(fd)?;
                        self.read_state(fd.as_fd())?;
                        self.state.restored();
                        return Ok(());
                    }
                }
            }
            (self.from, self.until) = (0, 0);
            self.until = rustix::io::read(fd, &mut self.buffer[..])?;
            if self.until < EVENT {
                return Err(Errno::NODEV);
            }
        }
    }

    /// After a loss, everything read since, and everything that can still be read, is older than the state that is read next. Only counts are kept of
    /// it.
    fn drain(&mut self, fd: &OwnedFd) -> Result<()> {
        loop {
            for bytes in self.buffer[..self.until].get(self.from..).unwrap_or_default().chunks_exact(EVENT) {
                let number = |at: usize| u16::from_ne_bytes([bytes[at], bytes[at + 1]]);
                let value = i32::from_ne_bytes([bytes[20], bytes[21], bytes[22], bytes[23]]);
                let event = EvdevEvent { kind: number(16), code: number(18), value };
                self.state.salvage(event);
                if let Some(pass) = self.pass.as_mut().filter(|_| matches!(event.kind, event::REL | event::SYN)) {
                    pass.take(bytes, event);
                }
            }
            (self.from, self.until) = (0, 0);
            match rustix::io::read(fd, &mut self.buffer[..]) {
                Ok(n) if n >= EVENT => self.until = n,
                Ok(_) => return Err(Errno::NODEV),
                Err(Errno::AGAIN) => return Ok(()),
                Err(Errno::INTR) => {}
                Err(errno) => return Err(errno),
            }
        }
    }

    /// What is down and the value of every axis, as the kernel knows it.
    fn read_state(&mut self, fd: BorrowedFd<'_>) -> Result<()> {
        let keys = ioctls::keys_down(fd)?;
        for code in self.caps.of(event::KEY) {
            let byte = keys.get(usize::from(code / 8)).copied().unwrap_or(0);
            self.state.set_key(code, byte >> (code % 8) & 1 != 0);
        }
        for axis in &self.caps.axes {
            let contact = (event::ABS_MT_SLOT + 1..0x3e).contains(&axis.code);
            if contact {
                for (slot, value) in
                    ioctls::contacts(fd, axis.code).unwrap_or([-1; ioctls::CONTACTS]).iter().enumerate()
                {
                    self.state.set_contact(slot);
                    self.state.set_abs(axis.code, *value);
                }
            }
        }
        for axis in self.caps.axes.iter().filter(|axis| axis.code <= event::ABS_MT_SLOT) {
            self.state.set_abs(axis.code, ioctls::abs_info(fd, axis.code)?.value);
        }
        if let Some(pass) = &mut self.pass {
            pass.mend(&keys);
        }
        Ok(())
    }
}
