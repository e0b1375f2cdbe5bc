//! Time as an argument: microseconds of one monotonic clock, whose zero nobody needs to know.

use serde::{Deserialize, Serialize};

/// A moment, or a span, in microseconds of `CLOCK_MONOTONIC` or of the simulated world.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct Micros(pub u64);

impl Micros {
    /// A moment that does not come.
    pub const NEVER: Self = Self(u64::MAX);

    /// A span of whole milliseconds.
    #[must_use]
    pub const fn millis(n: u64) -> Self {
        Self(n * 1_000)
    }

    /// A span of whole seconds.
    #[must_use]
    pub const fn seconds(n: u64) -> Self {
        Self(n * 1_000_000)
    }

    /// The moment this long after.
    #[must_use]
    pub const fn after(self, span: Self) -> Self {
        Self(self.0.saturating_add(span.0))
    }

    /// The moment this long before; the first one there is, if that is not so long ago.
    #[must_use]
    pub const fn before(self, span: Self) -> Self {
        Self(self.0.saturating_sub(span.0))
    }

    /// The span since an earlier moment; 0 if it is later.
    #[must_use]
    pub const fn since(self, earlier: Self) -> Self {
        Self(self.0.saturating_sub(earlier.0))
    }

    /// The span in seconds.
    #[must_use]
    pub fn as_seconds(self) -> f64 {
        self.0 as f64 / 1e6
    }
}
