//! The clock that every stamp is taken from.

use mantle_core::time::Micros;
use rustix::time::{ClockId, clock_gettime};

/// The monotonic clock.
#[must_use]
pub fn now() -> Micros {
    let time = clock_gettime(ClockId::Monotonic);
    Micros(time.tv_sec as u64 * 1_000_000 + time.tv_nsec as u64 / 1_000)
}
