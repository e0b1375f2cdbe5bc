//! Events of the simulated world that are due at a time.

use mantle_core::command::CommandNumber;
use mantle_core::device::NodeId;
use mantle_core::games::GameRule;
use mantle_core::outgoing::Act;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Profile, Purpose};
use mantle_core::time::Micros;

#[derive(Clone, Debug)]
pub(super) enum Due {
    Plug(usize),
    Unplug(usize),
    Rights(usize),
    Taken(usize),
    Probe,
    Faults,
    Tick { device: usize, interface: usize, plugged: Micros },
    Raw(usize),
    Opened(NodeId),
    Pad(SlotNumber),
    Keys(SlotNumber),
    Look,
    Ready,
    Games,
    Radio(super::radio::RadioDue),
    Rule(CommandNumber, Box<Result<(GameRule, Option<GameRule>), String>>),
    Profiles,
    Sheets,
    Covered(mantle_core::device::DeviceId),
    Sent { node: NodeId, request: u32, purpose: Purpose, act: Act },
    Profile(CommandNumber, Result<Box<Profile>, String>),
    TapEnds { device: usize, interface: usize, part: usize, control: u16 },
}
