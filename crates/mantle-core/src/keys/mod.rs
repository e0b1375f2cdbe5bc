//! The other output of a slot: keys of a keyboard, buttons, motion and wheel of a mouse, in time.

mod output;
mod target;

pub use output::{COUNT, KeyOutput, Pace, STROKES, Typed};
pub use target::{KeyAct, KeyTarget, ProgramAction};
