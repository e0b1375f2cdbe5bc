//! A separate group of processes (`org.freedesktop.systemd1`), so that stopping our unit does not end a child.

use crate::{BusFault, on_system};
use std::time::Duration;
use zbus::Variant;

const NAME: &str = "org.freedesktop.systemd1";
const PATH: &str = "/org/freedesktop/systemd1";
const MANAGER: &str = "org.freedesktop.systemd1.Manager";
/// A machine that shuts down waits no longer than this.
const STOPS: Duration = Duration::from_secs(5);

/// Puts a process into a scope of this name, of the system's manager. Waits for the answer, but not for longer than 2 s.
///
/// # Errors
/// When there is nobody to ask, or it is refused; in words.
pub fn scope(name: &str, process: u32) -> Result<(), BusFault> {
    zbus::block_on(async {
        let fault = BusFault::of("no service gives it a scope of its own (systemd)");
        let manager = on_system(NAME, PATH, MANAGER).await.map_err(&fault)?;
        let stops = u64::try_from(STOPS.as_micros()).unwrap_or(u64::MAX);
        let properties = [
            ("Description", Variant::from("Gives hidden devices back")),
            ("PIDs", Variant::from(vec![process])),
            ("CollectMode", Variant::from("inactive-or-failed")),
            ("TimeoutStopUSec", Variant::from(stops)),
        ];
        let auxiliary: [(&str, Vec<(&str, Variant<'_>)>); 0] = [];
        let wanted = (format!("{name}.scope"), "fail", &properties[..], &auxiliary[..]);
        let _: zbus::OwnedObjectPath = manager.call("StartTransientUnit", &wanted).await.map_err(fault)?;
        Ok(())
    })
}
