//! What happened in one world, recorded and played again: the same stamps, the same bytes.

use mantle_core::outgoing::Sent;
use mantle_core::pad::Events;
use mantle_core::path::{MadePad, PadFault};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Effect, Purpose};
use mantle_core::time::Micros;
use mantle_core::{
    cover::Strength,
    device::{DeviceId, NodeFacts, NodeId, OsFault},
};
use mantle_engine::{FilesToRead, Happening, World};
use std::collections::VecDeque;

/// One thing that happened.
#[derive(Clone, Debug)]
pub enum Taken {
    /// A report.
    Report(Micros, NodeId, Vec<u8>),
    /// A node came.
    Arrived(Micros, Box<NodeFacts>),
    /// A node went.
    Gone(Micros, NodeId),
    /// A node was opened, or refused.
    Opened(Micros, NodeId, Result<(), OsFault>),
    /// A pad was made, or refused.
    Pad(Micros, SlotNumber, Result<MadePad, PadFault>),
    /// The nodes that a slot types through were made, or refused.
    Keys(Micros, SlotNumber, Result<String, PadFault>),
    /// Something was sent, or not.
    Sent(Micros, NodeId, u32, Purpose, Result<Sent, OsFault>),
    /// A device was covered, or not.
    Covered(Micros, DeviceId, Result<Strength, OsFault>),
}

/// A world that records what another one reports.
#[derive(Debug)]
pub struct TakingDown<W> {
    inner: W,
    /// What happened so far.
    pub taken: Vec<Taken>,
}

impl<W> TakingDown<W> {
    /// Listens to a world.
    pub fn new(inner: W) -> Self {
        Self { inner, taken: Vec::new() }
    }
}

impl<W: World> World for TakingDown<W> {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        let happening = self.inner.next(until);
        let taken = match &happening {
            Happening::Report { at, node, bytes } => Some(Taken::Report(*at, *node, bytes.to_vec())),
            Happening::Arrived(at, facts) => Some(Taken::Arrived(*at, facts.clone())),
            Happening::Gone(at, node) => Some(Taken::Gone(*at, *node)),
            Happening::Opened(at, node, result) => Some(Taken::Opened(*at, *node, result.clone())),
            Happening::Pad(at, slot, result) => Some(Taken::Pad(*at, *slot, result.clone())),
            Happening::Keys(at, slot, result) => Some(Taken::Keys(*at, *slot, result.clone())),
            Happening::Sent(at, node, request, purpose, result) => {
                Some(Taken::Sent(*at, *node, *request, *purpose, result.clone()))
            }
            Happening::Covered(at, device, result) => Some(Taken::Covered(*at, *device, result.clone())),
            _ => None,
        };
        self.taken.extend(taken);
        happening
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        self.inner.write(slot, events)
    }

    fn files(&self) -> FilesToRead {
        self.inner.files()
    }

    fn clock(&self) -> Option<Micros> {
        self.inner.clock()
    }

    fn start(&mut self, effect: Effect) {
        self.inner.start(effect);
    }
}

/// A world that plays what was recorded; in between, it can wake the engine needlessly.
#[derive(Debug)]
pub struct ReplayWorld {
    left: VecDeque<Taken>,
    current: Vec<u8>,
    /// Moments at which the engine is woken needlessly.
    pub needless: VecDeque<Micros>,
}

impl ReplayWorld {
    /// Plays this.
    #[must_use]
    pub fn new(taken: Vec<Taken>) -> Self {
        Self { left: taken.into(), current: Vec::new(), needless: VecDeque::new() }
    }
}

impl Taken {
    fn at(&self) -> Micros {
        match self {
            Self::Report(at, ..)
            | Self::Arrived(at, _)
            | Self::Gone(at, _)
            | Self::Opened(at, ..)
            | Self::Pad(at, ..)
            | Self::Keys(at, ..)
            | Self::Sent(at, ..)
            | Self::Covered(at, ..) => *at,
        }
    }
}

impl World for ReplayWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        let Some(first) = self.left.front().map(Taken::at) else { return Happening::End };
        if let Some(moment) = self.needless.front().copied().filter(|moment| *moment <= first) {
            self.needless.pop_front();
            return Happening::Time(moment);
        }
        if let Some(until) = until.filter(|until| *until < first) {
            return Happening::Time(until);
        }
        match self.left.pop_front() {
            Some(Taken::Report(at, node, bytes)) => {
                self.current = bytes;
                Happening::Report { at, node, bytes: &self.current }
            }
            Some(Taken::Arrived(at, facts)) => Happening::Arrived(at, facts),
            Some(Taken::Gone(at, node)) => Happening::Gone(at, node),
            Some(Taken::Opened(at, node, result)) => Happening::Opened(at, node, result),
            Some(Taken::Pad(at, slot, result)) => Happening::Pad(at, slot, result),
            Some(Taken::Keys(at, slot, result)) => Happening::Keys(at, slot, result),
            Some(Taken::Sent(at, node, request, purpose, result)) => {
                Happening::Sent(at, node, request, purpose, result)
            }
            Some(Taken::Covered(at, device, result)) => Happening::Covered(at, device, result),
            None => Happening::End,
        }
    }

    fn write(&mut self, _slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn files(&self) -> FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, _effect: Effect) {}
}
