//! What looks on while reports come: one thing at a time.
//!
//! What is only seen on a screen ([`OnView`]: controls, a pad) is looked at as long as nothing else goes on; a press, a roll
//! call, a measurement or a search for fields takes its place until it is over.

mod controls;
mod press;
mod roll;

pub use controls::Looking;
pub use press::Capturing;
pub use roll::Calling;

use crate::device::{DeviceId, NodeId};
use crate::feel::Measure;
use crate::pad::Trial;
use crate::session::Session;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::Frame;

/// What looks on.
#[derive(Clone, Debug, Default)]
pub enum Listening {
    /// Nothing does.
    #[default]
    Nothing,
    /// Somebody is to press what shall play a target.
    Press(Box<Capturing>),
    /// A roll call of a slot.
    RollCall(Box<Calling>),
    /// The controls of a part are looked at closely, and may be calibrated.
    Controls(Box<Looking>),
    /// A stick or trigger of a slot is measured.
    Measure(SlotNumber, Box<Measure>),
    /// A slot's pad is tried.
    Trial(SlotNumber, Box<Trial>),
    /// The fields of a node are looked for, by whoever was told of its reports.
    Fields(NodeId),
}

/// What a screen shows closely: it is looked at as long as nothing else goes on.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum OnView {
    /// Nothing that would have to be looked at.
    #[default]
    Nothing,
    /// The controls of a part of a device.
    Controls(DeviceId, u8),
    /// The pad of a slot.
    Pad(SlotNumber),
}

/// A report as those who look on are told of it.
#[derive(Clone, Copy, Debug)]
pub struct Overheard<'a> {
    /// The node that it came from.
    pub node: NodeId,
    /// For whom each of its parts plays: the slot, and the place of the member there.
    pub routes: &'a [Option<(SlotNumber, usize)>],
    /// What it says.
    pub frame: &'a Frame,
    /// The session of [`Listening::slot`], after the report.
    pub session: Option<&'a Session>,
}

impl Listening {
    /// Whether it has to be told of reports.
    #[inline]
    #[must_use]
    pub fn hears(&self) -> bool {
        !matches!(self, Self::Nothing | Self::Fields(_))
    }

    /// Whether it gives way to anything else: it is only looked at.
    #[must_use]
    pub fn gives_way(&self) -> bool {
        matches!(self, Self::Nothing | Self::Controls(_) | Self::Trial(..))
    }

    /// Whether somebody is doing something with a device that is not meant for a game, nor for a keyboard.
    #[must_use]
    pub fn takes_presses(&self) -> bool {
        match self {
            Self::Nothing | Self::Trial(..) => false,
            Self::Controls(looking) => looking.session.is_some(),
            Self::Press(_) | Self::RollCall(_) | Self::Measure(..) | Self::Fields(_) => true,
        }
    }

    /// The slot that it is about.
    #[must_use]
    pub fn slot(&self) -> Option<SlotNumber> {
        match self {
            Self::Press(capturing) => Some(capturing.slot),
            Self::RollCall(calling) => Some(calling.slot),
            Self::Measure(slot, _) | Self::Trial(slot, _) => Some(*slot),
            Self::Nothing | Self::Controls(_) | Self::Fields(_) => None,
        }
    }

    /// Whether it is about a node and nothing else.
    #[must_use]
    pub fn is_of(&self, node: NodeId) -> bool {
        match self {
            Self::Controls(looking) => looking.node == node,
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
            Self::Controls(looking) => looking.deadline(),
            Self::Measure(_, measure) => measure.deadline(),
            Self::Nothing | Self::Trial(..) | Self::Fields(_) => None,
        }
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        match self {
            Self::Press(capturing) => capturing.handle_time(now),
            Self::RollCall(calling) => calling.call.handle_time(now),
            Self::Controls(looking) => looking.handle_time(now),
            Self::Measure(_, measure) => measure.handle_time(now),
            Self::Nothing | Self::Trial(..) | Self::Fields(_) => {}
        }
    }

    /// A report has been read and has played what it plays.
    pub fn handle_frame(&mut self, now: Micros, heard: &Overheard<'_>) {
        let own = |slot: SlotNumber| heard.routes.iter().flatten().filter(move |(own, _)| *own == slot);
        match self {
            Self::Press(capturing) => {
                own(capturing.slot).for_each(|(_, index)| capturing.handle_frame(now, *index, heard.frame));
            }
            Self::RollCall(calling) => {
                own(calling.slot).for_each(|(_, index)| calling.call.handle_frame(now, *index, heard.frame));
            }
            Self::Controls(looking) if looking.node == heard.node => looking.handle_frame(now, heard.frame),
            Self::Measure(_, measure) => {
                if let Some(session) = heard.session {
                    measure.handle_lanes(now, session.lane_before_feel());
                }
            }
            Self::Trial(_, trial) => {
                if let Some(session) = heard.session {
                    trial.handle(now, session.state(), session.lane_before_feel(), session.strokes());
                }
            }
            Self::Nothing | Self::Controls(_) | Self::Fields(_) => {}
        }
    }
}
