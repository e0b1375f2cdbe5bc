//! Kinds of pad as data, what they show, and its encoding to events.

mod effects;
mod model;
mod seen;
mod state;
mod target;
mod trial;

pub use effects::{EFFECTS, Effects, Rumble, RumbleEffect};
pub use model::{
    AbsInfo, FEWEST_BUTTONS, FLIGHT_AXES, FLIGHT_BUTTONS, FlightShape, Hand, PadAxis, PadIdentity, PadKind, PadModel,
    PadStick,
};
pub use seen::Seen;
pub use state::{EVENTS, Events, PadState, TRAVEL_FULL, TRIGGER_FULL, halves_of};
pub use target::{BUTTONS, FIRST_LINE, HATS, LINES, TARGETS, Target, WAYS};
pub use trial::{AxisTrial, DIRECTIONS, Outline, SECONDS, StickTrial, Trial};
