//! The screen: draws snapshots, and turns keys and clicks into orders.
//!
//! The crate promises: a frame is drawn from one snapshot and nothing else; nothing is drawn while nothing changes;
//! the terminal is left as it was found, even after a panic.
//!
//! Its nouns: [`App`] is the state of the screen; [`keys::Intent`] is what a key means; [`Look`] says how to draw;
//! [`run`] is the loop.
//!
//! ```
//! use mantle_tui::{App, Look};
//! use ratatui::{Terminal, backend::TestBackend};
//! let mut app = App::new(Look::default());
//! let mut terminal = Terminal::new(TestBackend::new(80, 24))?;
//! terminal.draw(|frame| app.draw(frame))?;
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
#![forbid(unsafe_code)]

mod acts;
mod ahead;
mod answering;
mod answers;
mod app;
mod ascii;
mod binding;
mod board;
mod calibrating;
mod calling;
mod chosen_profile;
mod connecting;
mod drawing;
mod early;
mod feel;
mod freezing;
mod frozen;
mod game_keys;
mod hand;
mod hand_keys;
mod in_hand;
mod intents;
mod key_table;
pub mod keys;
mod lines;
mod listed;
mod listening;
mod mode;
mod mouse;
mod offer;
mod offering;
mod options;
mod panel;
mod place;
mod places;
mod possible;
mod profiles;
mod rows;
mod ruling;
mod stage_view;
mod stepping;
mod strip;
mod terminal;
mod theme;
mod told;
mod tour;
mod traces;
mod trying;
mod widths;

pub use app::App;
pub use offer::Files;
pub use strip::Strip;
pub use terminal::{Outcome, Unfit, Wake, check_corner, check_terminal, run, run_strip, watch_terminal};
pub use theme::Look;
pub use tour::TourStep;
