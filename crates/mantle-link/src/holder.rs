//! Who holds the lock of a place.

use serde::{Deserialize, Serialize};
use std::time::{SystemTime, UNIX_EPOCH};

/// Who holds the lock.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Holder {
    /// Its process.
    pub pid: i32,
    /// Since when, in seconds since 1970.
    pub since: u64,
}

impl std::fmt::Display for Holder {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let minutes = now().saturating_sub(self.since) / 60;
        match minutes {
            0 => write!(f, "process {}, just started", self.pid),
            1..120 => write!(f, "process {}, for {minutes} min", self.pid),
            _ => write!(f, "process {}, for {} h", self.pid, minutes / 60),
        }
    }
}

/// Seconds since 1970.
pub(crate) fn now() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map(|since| since.as_secs()).unwrap_or_default()
}
