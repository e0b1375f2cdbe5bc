//! Real-time priority for an ordinary account (`org.freedesktop.RealtimeKit1`).

use crate::{BusFault, on_system};

const NAME: &str = "org.freedesktop.RealtimeKit1";
const PATH: &str = "/org/freedesktop/RealtimeKit1";

/// Asks for real-time priority at a level for a thread of this process. Waits for the answer, but not for longer than 2 s.
///
/// # Errors
/// When there is nobody to ask, or it is refused; in words.
pub fn raise(thread: u32, level: u32) -> Result<(), BusFault> {
    zbus::block_on(async {
        let fault = BusFault::of("no service grants it to ordinary accounts over D-Bus (rtkit)");
        let kit = on_system(NAME, PATH, NAME).await.map_err(&fault)?;
        let whose = (u64::from(std::process::id()), u64::from(thread), level);
        kit.call("MakeThreadRealtimeWithPID", &whose).await.map_err(fault)
    })
}
