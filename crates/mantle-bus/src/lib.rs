//! What the session is told, and what it tells, over D-Bus.
//!
//! The crate promises: without any bus, or with one that does not answer, nothing waits and nothing else changes. Everything
//! happens on threads of its own.
//!
//! Its nouns: [`Notices`] are what the desktop shows to somebody who does not look; [`watch_sleep`] says that the machine goes to
//! sleep, and keeps it awake until that has been heard; [`raise`] asks for real-time priority; [`scope`] has a process
//! outlive the unit that it was started in; [`batteries`] asks the
//! Bluetooth daemon.
//!
//! ```
//! use mantle_core::{news::Message, path::NewsKind};
//! let notices = mantle_bus::Notices::start(|fault| eprintln!("{fault}"));
//! notices.tell(Message::Tell(NewsKind::Battery, "Slot 1: the battery is low.".into()));
//! // What still stands is withdrawn at the end.
//! drop(notices);
//! ```
#![forbid(unsafe_code)]

mod battery;
mod notices;
mod raise;
mod scope;
mod sleep;

pub use battery::batteries;
pub use notices::Notices;
pub use raise::raise;
pub use scope::scope;
pub use sleep::watch_sleep;

use std::time::Duration;

/// Whoever does not answer within this time never will.
const PATIENCE: Duration = Duration::from_secs(2);

/// Somebody on the system bus who is asked for something.
async fn on_system(
    name: &'static str,
    path: &'static str,
    interface: &'static str,
) -> zbus::Result<zbus::Proxy<'static>> {
    let connection = zbus::connection::Builder::system().method_timeout(PATIENCE).build().await?;
    zbus::Proxy::new_owned(connection, name, path, interface).await
}

/// Why something cannot be said or heard over a bus, in words.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{what}: {why}")]
pub struct BusFault {
    /// What was tried.
    what: &'static str,
    why: String,
}

impl BusFault {
    fn of(what: &'static str) -> impl Fn(zbus::Error) -> Self {
        move |error| Self { what, why: error.to_string() }
    }
}
