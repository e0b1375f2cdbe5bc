//! Input nodes as sources: what a node offers, laid out as a report of our own.
//!
//! An input node has no reports and no descriptor, only events. [`NodeCapabilities`] lays its state out as one report with a
//! descriptor that says what stands where, and [`InputState`] keeps that report: one is complete with every sync event. So
//! everything behind the decoder is the same for every source, and a recording of it plays back anywhere.

mod capabilities;
mod codes;
mod state;

pub use capabilities::NodeCapabilities;
pub use state::{InputState, Took};

use serde::Serialize;

/// What an input node offers.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize)]
pub struct EvdevCaps {
    /// Event types and codes, in rising order.
    pub codes: Vec<(u16, u16)>,
    /// Absolute axes.
    pub axes: Vec<EvdevAxis>,
    /// Properties.
    pub properties: Vec<u16>,
}

/// The range of an absolute axis.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize)]
pub struct EvdevAxis {
    /// Its code.
    pub code: u16,
    /// Smallest value.
    pub min: i32,
    /// Largest value.
    pub max: i32,
    /// Changes up to this are smoothed away by the kernel.
    pub fuzz: i32,
    /// Values up to this count as rest.
    pub flat: i32,
    /// Units a millimetre, or a radian.
    pub resolution: i32,
}

/// An event of an input node.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct EvdevEvent {
    /// Its type.
    pub kind: u16,
    /// Its code.
    pub code: u16,
    /// Its value.
    pub value: i32,
}

impl EvdevCaps {
    /// The codes of one event type.
    pub fn of(&self, kind: u16) -> impl Iterator<Item = u16> + '_ {
        self.codes.iter().filter(move |(other, _)| *other == kind).map(|(_, code)| *code)
    }

    /// Whether there is a code.
    #[must_use]
    pub fn has(&self, kind: u16, code: u16) -> bool {
        self.codes.contains(&(kind, code))
    }
}

/// Event types and codes, as the Linux input documentation names them.
pub mod event {
    /// Synchronisation.
    pub const SYN: u16 = 0;
    /// Keys and buttons.
    pub const KEY: u16 = 1;
    /// Relative motion.
    pub const REL: u16 = 2;
    /// Absolute axes.
    pub const ABS: u16 = 3;
    /// The end of a frame.
    pub const SYN_REPORT: u16 = 0;
    /// Events were lost: what is known is out of date.
    pub const SYN_DROPPED: u16 = 3;
    /// The touch contact that the next events are about.
    pub const ABS_MT_SLOT: u16 = 0x2f;
    /// Where a contact is.
    pub const ABS_MT_POSITION_X: u16 = 0x35;
    /// Where a contact is.
    pub const ABS_MT_POSITION_Y: u16 = 0x36;
    /// Which contact it is; -1 when it has left.
    pub const ABS_MT_TRACKING_ID: u16 = 0x39;
}
