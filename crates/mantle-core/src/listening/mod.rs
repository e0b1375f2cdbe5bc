//! What listens while reports come.
//!
//! A press, a roll call, a calibration, a measurement and a search for fields all need somebody to use a device: only one
//! at a time, in the whole engine. What is merely shown ([`Views`]: controls, a pad) is separate for each screen.

mod controls;
mod press;
mod roll;
mod views;

pub use controls::{Calibrating, Looking};
pub use press::Capturing;
pub use roll::Calling;
pub use views::{OnView, View, Views};

use crate::device::NodeId;
use crate::feel::Measure;
use crate::session::Session;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::Frame;

/// What listens.
#[derive(Clone, Debug, Default)]
pub enum Listening {
    /// Nothing.
    #[default]
    Nothing,
    /// A press as a source for a target.
    Press(Box<Capturing>),
    /// A roll call of a slot.
    RollCall(Box<Calling>),
    /// The calibration of a part.
    Calibration(Box<Calibrating>),
    /// The measurement of a stick or trigger.
    Measure(SlotNumber, Box<Measure>),
    /// The search for a node's fields.
    Fields(NodeId),
}

/// A report, as listeners get it.
#[derive(Clone, Copy, Debug)]
pub struct Overheard<'a> {
    /// Its node.
    pub node: NodeId,
    /// For whom each of its parts plays: the slot, and the member's index there.
    pub routes: &'a [Option<(SlotNumber, usize)>],
    /// Its decoded state.
    pub frame: &'a Frame,
}

impl Listening {
    /// Whether it needs reports.
    #[inline]
    #[must_use]
    pub fn hears(&self) -> bool {
        !matches!(self, Self::Nothing | Self::Fields(_))
    }

    /// Whether somebody is using a device in a way that is not meant for games or typing.
    #[must_use]
    pub fn takes_presses(&self) -> bool {
        !matches!(self, Self::Nothing)
    }

    /// The slot it is about.
    #[must_use]
    pub fn slot(&self) -> Option<SlotNumber> {
        match self {
            Self::Press(capturing) => Some(capturing.slot),
            Self::RollCall(calling) => Some(calling.slot),
            Self::Measure(slot, _) => Some(*slot),
            Self::Nothing | Self::Calibration(_) | Self::Fields(_) => None,
        }
    }

    /// Whether it is about a node alone.
    #[must_use]
    pub fn is_of(&self, node: NodeId) -> bool {
        match self {
            Self::Calibration(calibrating) => calibrating.node == node,
            Self::Fields(own) => *own == node,
            _ => false,
        }
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        match self {
            Self::Press(capturing) => capturing.deadline(),
            Self::RollCall(calling) => calling.call.deadline(),
            Self::Calibration(calibrating) => calibrating.session.deadline(),
            Self::Measure(_, measure) => measure.deadline(),
            Self::Nothing | Self::Fields(_) => None,
        }
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        match self {
            Self::Press(capturing) => capturing.handle_time(now),
            Self::RollCall(calling) => calling.call.handle_time(now),
            Self::Calibration(calibrating) => calibrating.session.handle_time(now),
            Self::Measure(_, measure) => measure.handle_time(now),
            Self::Nothing | Self::Fields(_) => {}
        }
    }

    /// A report has been read and played; `session` gives the slots' states after it.
    pub fn handle_frame<'a>(
        &mut self,
        now: Micros,
        heard: &Overheard<'_>,
        session: impl Fn(SlotNumber) -> Option<&'a Session>,
    ) {
        let own = |slot: SlotNumber| heard.routes.iter().flatten().filter(move |(own, _)| *own == slot);
        match self {
            Self::Press(capturing) => {
                own(capturing.slot).for_each(|(_, index)| capturing.handle_frame(now, *index, heard.frame));
            }
            Self::RollCall(calling) => {
                own(calling.slot).for_each(|(_, index)| calling.call.handle_frame(now, *index, heard.frame));
            }
            Self::Calibration(calibrating) if calibrating.node == heard.node => {
                calibrating.session.handle_frame(now, heard.frame);
            }
            Self::Measure(slot, measure) => {
                if let Some(session) = session(*slot) {
                    measure.handle_lanes(now, session.lane_before_feel());
                }
            }
            Self::Nothing | Self::Calibration(_) | Self::Fields(_) => {}
        }
    }
}
