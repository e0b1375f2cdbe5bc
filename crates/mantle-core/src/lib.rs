//! What the program decides, without I/O, clock, threads or allocation per report.
//!
//! The crate promises: the same inputs with the same stamps give the same outputs, however late anybody woke up;
//! nothing stays down that nobody holds; and no question about a slot needs more than its facts.
//!
//! Its nouns: a [`control::Control`] is one thing under a finger; a [`binding::Binding`] lets it play a
//! [`pad::Target`]; a [`session::Session`] is one slot at work; the [`table::Table`] is all slots and devices, the
//! engine's only entry. Things that happened go in by `handle_*`, wishes by commands, and what is to be done comes
//! out by `poll_*`.
//!
//! ```
//! use mantle_core::feel::Feel;
//! // The sticks of a slot that nobody has tuned: a small dead zone, then straight to the end.
//! assert_eq!(Feel::default().stick(0.02, 0.0), [0, 0]);
//! assert_eq!(Feel::default().stick(1.0, 0.0), [32767, 0]);
//! ```
#![forbid(unsafe_code)]

pub mod binding;
pub mod case;
pub mod command;
pub mod connecting;
pub mod control;
pub mod cover;
pub mod device;
pub mod evdev;
pub mod feel;
mod file_stem;
pub mod finding;
pub mod front;
pub mod games;
pub mod keys;
pub mod listening;
pub mod measure;
pub mod news;
pub mod outgoing;
pub mod pad;
pub mod path;
mod planted;
pub mod preferences;
pub mod priority;
pub mod readiness;
pub mod rollcall;
pub mod seating;
pub mod session;
pub mod sheet;
pub mod sight;
pub mod slot;
pub mod suggest;
pub mod table;
pub mod time;
pub mod visible;
pub mod watch;

pub use file_stem::file_stem;
