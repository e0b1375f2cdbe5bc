//! Kinds of pad as data, what they show, and how that is encoded as events.

mod common_report;
mod effects;
mod kind;
mod model;
mod motion_report;
mod own;
mod parts;
mod seen;
mod sensed;
mod state;
mod target;
mod trial;

pub use common_report::CommonReport;
pub use effects::{EFFECTS, Effects, Envelope, Rumble, RumbleEffect};
pub use kind::{FEWEST_BUTTONS, FLIGHT_AXES, FLIGHT_BUTTONS, FlightShape, KindStep, PadKind};
pub use model::{Hand, PadIdentity, PadModel, PadStick, Publisher};
pub use motion_report::{MotionBack, MotionReport, address_of};
pub use own::{AXIS_CODES, BUTTON_CODES, OwnPad, PadStart, REACH, axis_of, lane_named, lane_names};
pub use parts::{AbsInfo, ComesBack, HidForm, PadAxis, PadHat, PadNode, PadSurface};
pub use seen::Seen;
pub use sensed::{CONTACTS, GRAVITY, GameLamp, SURFACE, Sensed, SensedLane, Touch, colour_text};
pub use state::{EVENTS, Events, MORE_NODES, PadState, TRAVEL_FULL, TRIGGER_FULL, halves_of};
pub use target::{BUTTONS, FIRST_LINE, HATS, LINES, PadTarget, TARGETS, WAYS};
pub use trial::{AxisTrial, DIRECTIONS, Outline, SECONDS, StickTrial, Trial};
