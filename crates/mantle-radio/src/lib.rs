//! The computer's radio, by the public D-Bus interface of the Bluetooth daemon (`org.bluez`).
//!
//! The crate promises: nobody waits. [`Bluez`] takes what it is asked for ([`mantle_core::connecting::Radio`]) and does it on threads of its own;
//! whatever comes of it, and whatever changes by itself, is told as [`mantle_core::connecting::RadioNews`]. Without a bus, a daemon or an adapter
//! that is what is told. The agent that answers for pairing belongs to this connection alone, is never the machine's default one, and answers
//! for the device that is being paired by this program: whatever else asks is refused, and said.
//!
//! ```no_run
//! use mantle_core::connecting::{Radio, RadioAct};
//! let radio = mantle_radio::Bluez::start(mantle_radio::Places::default(), |news| println!("{news:?}"));
//! radio.ask(RadioAct::Open);
//! ```
#![forbid(unsafe_code)]

mod agent;
mod blocked;
mod calls;
mod conversation;
mod faults;
mod line;
mod objects;
mod seen;

use crossbeam_channel::{Sender, unbounded};
use mantle_core::connecting::{Radio, RadioAct, RadioNews};
use std::path::PathBuf;

/// Where it looks, and where it keeps what it remembers.
#[derive(Clone, Debug)]
pub struct Places {
    /// Normally `/sys`.
    pub sys: PathBuf,
    /// The file with the times when known devices were last seen; none if nothing is kept.
    pub seen: Option<PathBuf>,
}

impl Default for Places {
    fn default() -> Self {
        Self { sys: "/sys".into(), seen: None }
    }
}

/// The Bluetooth daemon, with threads of its own that talk to it. Once this is dropped they end, and with them whatever the daemon did for them.
#[derive(Debug)]
pub struct Bluez {
    acts: Sender<RadioAct>,
}

impl Bluez {
    /// Begins to talk to the daemon; `tell` is called from another thread.
    #[must_use]
    pub fn start(places: Places, tell: impl Fn(RadioNews) + Send + Sync + 'static) -> Self {
        let (acts, wanted) = unbounded();
        std::thread::spawn(move || conversation::Conversation::new(places, Box::new(tell)).run(&wanted));
        Self { acts }
    }
}

impl Radio for Bluez {
    fn ask(&self, act: RadioAct) {
        let _ = self.acts.send(act);
    }
}
