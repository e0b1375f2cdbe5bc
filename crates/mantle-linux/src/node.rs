//! A node that exists: open or not, read as reports or as events, held or not.

use crate::evdev::{Hold, InputNode, Pass, read_report};
use crate::sysfs::FoundNode;
use crate::workers::{Job, Workers};
use crate::writer::OutputRequest;
use crossbeam_channel::Sender;
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::outgoing::Act;
use mantle_core::table::Purpose;
use mantle_core::time::Micros;
use mantle_hid::Usage;
use rustix::fd::OwnedFd;

/// Reports that come this soon after one another had been waiting.
const BACKLOG: Micros = Micros(200);
/// The number of reports that the kernel keeps for a reader of a hidraw node: its ring has 64 places, one of which stays empty, and what comes when
/// it is full is dropped.
pub(crate) const QUEUE: u32 = 63;

pub(crate) struct Node {
    pub found: FoundNode,
    pub fd: Option<OwnedFd>,
    /// What is read from it, if it is an input node.
    pub input: Option<Box<InputNode>>,
    /// The device that it is held for, and what is used of it; the rest is passed on.
    held: Option<(DeviceId, Vec<Usage>)>,
    /// Losses of events that the journal already has.
    told: u64,
    /// When it was read last, and how many reports have been read since nothing waited.
    last_read: Micros,
    run: u32,
    /// Writes to it, one after the other, on a separate thread.
    writer: Option<Sender<OutputRequest>>,
}

impl Node {
    /// A node that was found.
    pub fn new(found: FoundNode) -> Self {
        Self { found, fd: None, input: None, held: None, told: 0, last_read: Micros(0), run: 0, writer: None }
    }

    /// The work of closing it; none if it is not open.
    pub fn close(&mut self) -> Option<Job> {
        self.held = None;
        self.writer = None;
        Some(Job::closing(self.fd.take()?, self.input.take()))
    }

    /// Sends something to it, or asks it for something, on its own writer; does nothing if it is not open.
    pub fn send(&mut self, id: NodeId, request: u32, purpose: Purpose, act: Act, workers: &Workers) {
        let Some(fd) = &self.fd else { return };
        if self.writer.is_none() {
            let second = fd.try_clone().ok();
            self.writer = second.map(|second| workers.writer(id, self.found.wanted.clone(), second));
        }
        if let Some(writer) = &self.writer {
            let _ = writer.send(OutputRequest { request, purpose, act });
        }
    }

    /// Reads its next report; none if it is not open.
    pub fn read(&mut self, buffer: &mut [u8]) -> Option<rustix::io::Result<usize>> {
        let fd = self.fd.as_ref()?;
        Some(read_report(fd, self.input.as_deref_mut(), buffer))
    }

    /// A report was read at this moment; returns whether the previous one was read only just before, so that more may be waiting.
    pub fn is_busy(&mut self, now: Micros) -> bool {
        let busy = now.since(self.last_read) < BACKLOG;
        self.last_read = now;
        self.run = if busy { self.run.saturating_add(1) } else { 1 };
        busy
    }

    /// Nothing is waiting any more; returns whether the kernel's queue of its reports had been full, so that some are lost.
    pub fn take_overflow(&mut self) -> bool {
        let full = self.input.is_none() && self.run >= QUEUE;
        self.run = 0;
        full
    }

    /// Whether events were lost since this was last asked.
    #[inline]
    pub fn take_loss(&mut self) -> bool {
        let lost = self.input.as_ref().map_or(self.told, |input| input.lost);
        std::mem::replace(&mut self.told, lost) != lost
    }

    /// Prepares holding it through a second handle of its descriptor; none if it is not open.
    pub fn hold(&mut self, id: NodeId, device: DeviceId, used: Option<Vec<Usage>>) -> Option<Hold> {
        let fd = self.fd.as_ref()?.try_clone().ok()?;
        let pass = used.as_ref().and(self.input.as_ref()).map(|input| input.caps().clone());
        self.held = Some((device, used.unwrap_or_default()));
        Some(Hold { id, path: self.found.facts.path.clone(), fd, pass })
    }

    /// It is held: what nothing uses is passed on through another node. Returns that node if it is no longer held.
    pub fn pass_on(&mut self, device: DeviceId, to: OwnedFd) -> Option<OwnedFd> {
        match (&mut self.input, &self.held) {
            (Some(input), Some((holder, used))) if *holder == device => {
                let pass = Pass::new(to, used, input.face());
                input.set_pass(Some(pass))
            }
            _ => Some(to),
        }
    }

    /// It is no longer held; returns what was passed on through.
    pub fn unhold(&mut self, device: DeviceId) -> Option<OwnedFd> {
        self.held.take_if(|(holder, _)| *holder == device)?;
        self.input.as_mut()?.set_pass(None)
    }
}
