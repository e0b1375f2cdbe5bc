//! What is noticed of a device while it plays, without anybody looking: drift, wear, noise, what stays down, what falls silent.
//!
//! Hardly anything here costs a report anything: whoever keeps a watch is shown now and then ([`next_after`]) how its
//! device stands; only for jumps ([`Spikes`]) reports that follow each other are looked at, of a fast device some of them.
//! A verdict is of what is so now; what has been mended is gone with the next look.

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

/// The time to the next look after this one while reports come, 150 to 210 ms: in step with what moves, looks would see it stand
/// still.
#[must_use]
pub const fn next_after(look: Micros) -> Micros {
    Micros::millis(150 + (look.0.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 58) * 60 / 63)
}
/// So often while none come.
pub const AT_REST: Micros = Micros::seconds(1);
