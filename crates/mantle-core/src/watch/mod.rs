//! What is noticed about a device while it plays, without anybody looking: drift, wear, noise, what stays down, what falls silent. Almost nothing
//! here costs a report anything: watches are shown the device's state now and then ([`next_after`]); only for jumps ([`Spikes`]) are consecutive
//! reports examined, of a fast device only some. A verdict is about the present; once mended, it is gone with the next look.

mod outcome;
mod part;
mod source;
mod spikes;

pub use outcome::Outcome;
pub use part::{Ailment, LastMove, PartWatch, way};
pub use source::{Coming, SourceState, SourceWatch};
pub use spikes::Spikes;

use crate::time::Micros;

#[cfg(test)]
mod tests;

/// The time from one look to the next while reports come, 150 to 210 ms: looks in step with a movement would see it stand still.
#[must_use]
pub const fn next_after(look: Micros) -> Micros {
    Micros::millis(150 + (look.0.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 58) * 60 / 63)
}
/// So often while none come.
pub const AT_REST: Micros = Micros::seconds(1);
