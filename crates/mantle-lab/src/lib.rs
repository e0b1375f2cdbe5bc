//! The workshop in which the product is proved on a real kernel and in a real terminal.
//!
//! The crate promises: real things are waited for by what they show, until a generous deadline, never by sleeping
//! for luck.
//!
//! Its nouns: a [`vm`] boot runs one command on a real kernel; a [`StandIn`] is a device of ours on that kernel, an
//! [`InputStandIn`] one without reports, a [`DrivenStandIn`] one that a driver of the kernel's own serves; a [`Reader`] is what a game sees, a [`RawPad`] what the kernel hands out; [`Lines`] waits for what a program says; [`Tmux`] is a terminal with somebody at
//! it.
//!
//! ```no_run
//! let file = mantle_files::shipped::device("quay-pad")?;
//! let mut pad = mantle_lab::StandIn::plug(&file, "lab-1", None)?;
//! pad.send(0, &[0x01, 0x01, 0x80, 0x80, 0x80, 0x80, 0x80, 0x00, 0x00])?;
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod browser;
mod bus;
pub mod callgrind;
mod driven_stand_in;
pub mod evening;
mod gadget;
mod input_stand_in;
mod lines;
mod radio_daemon;
mod radio_peer;
mod raw;
mod reader;
pub mod road;
mod stand_in;
pub mod targets;
mod tmux;
pub mod vm;

pub use browser::{Browser, PROGRAM as BROWSER, SeenPad};
pub use bus::{Asked, Bus};
pub use driven_stand_in::DrivenStandIn;
pub use gadget::Gadget;
pub use input_stand_in::{InputFacts, InputStandIn};
pub use lines::Lines;
pub use radio_daemon::{Pairs, RadioDaemon, path_of};
pub use radio_peer::{PeerLine, RadioPeer, join_air};
pub use raw::{RawPad, Shaker};
pub use reader::Reader;
pub use stand_in::StandIn;
pub use tmux::Tmux;

use std::time::{Duration, Instant};

/// How long anything real may take before a test gives up: far more than it needs on a slow machine.
pub const DEADLINE: Duration = Duration::from_secs(60);

/// Waits until something is so; tells what it was waiting for if it never is.
///
/// # Errors
/// After [`DEADLINE`].
pub fn wait_for<T>(what: &str, mut look: impl FnMut() -> Option<T>) -> Result<T, String> {
    let until = Instant::now() + DEADLINE;
    loop {
        if let Some(found) = look() {
            return Ok(found);
        }
        if Instant::now() > until {
            return Err(format!("waited {} s for: {what}", DEADLINE.as_secs()));
        }
        std::thread::sleep(Duration::from_millis(10));
    }
}
