//! The guided capture of bindings. A [`Capture`] watches one part of a device from a moment on. It takes the state of every control at that moment
//! for its rest, waits until something is pressed and everything has been released, and says what it takes that for, and why; or it asks for another
//! press if that is unclear. A control that trembles, or moved along with another one, is not taken. A [`RollCall`] goes through the pad's controls
//! with one capture after the other. What follows from an answer is not asked for (the other half of a stick's axis, the other directions of a hat),
//! and a control that answers a second time is asked about. Two buttons that have answered steer the roll call while held, so it works without a
//! keyboard. Order of use: [`RollCall::handle_frame`] and [`RollCall::handle_time`] with what happens, [`RollCall::step`] with what the person wants,
//! then [`RollCall::poll_changes`] until there are none; [`RollCall::deadline`] says when it wants to be told the time.

mod call;
mod capture;
mod said;
mod words;

pub use call::{HELD, RollCall};
pub use capture::{BEGINS, CALM, Capture, Doubt, Heard, PRESSED, STAYS, TRACE, Taken};
pub use said::{CallAnswer, CallState, CallStep, Elsewhere, Listened, Question};
pub use words::{ORDER, position};
