//! Kinds of pad as data, what they show, and its encoding to events.

mod effects;
mod kind;
mod model;
mod seen;
mod state;
mod target;
mod trial;

pub use effects::{EFFECTS, Effects, Rumble, RumbleEffect};
pub use kind::{FEWEST_BUTTONS, FLIGHT_AXES, FLIGHT_BUTTONS, FlightShape, KindStep, PadKind};
pub use model::{AbsInfo, Hand, PadAxis, PadIdentity, PadModel, PadStick, Publisher};
pub use seen::Seen;
pub use state::{EVENTS, Events, PadState, TRAVEL_FULL, TRIGGER_FULL, halves_of};
pub use target::{BUTTONS, FIRST_LINE, HATS, LINES, PadTarget, TARGETS, WAYS};
pub use trial::{AxisTrial, DIRECTIONS, Outline, SECONDS, StickTrial, Trial};
