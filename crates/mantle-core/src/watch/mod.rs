//! What is noticed of a device while it plays, without anybody looking: drift, wear, noise, what stays down, what falls silent.
//!
//! Hardly anything here costs a report anything: whoever keeps a watch is shown how its device stands every [`EVERY`] while reports
//! come; only for jumps ([`Spikes`]) a few reports in a row are looked at, out of many.
//! A verdict is of what is so now; what has been mended is gone with the next look.

mod part;
mod source;
mod spikes;

pub use part::{Ailment, Moved, PartWatch};
pub use source::{Coming, SourceState, SourceWatch};
pub use spikes::{FIRST, OF, Spikes};

use crate::time::Micros;

#[cfg(test)]
mod tests;

/// So often is looked while reports come.
pub const EVERY: Micros = Micros::millis(100);
/// So often while none come.
pub const AT_REST: Micros = Micros::seconds(1);
