//! Pure statistics over what was seen: gaps between reports, and what the bytes of a report are up to.

mod checksum;
mod gaps;
mod roles;
mod spread;

pub use checksum::{Checksum, Width};
pub use gaps::Gaps;
pub use roles::{ByteRole, ENOUGH, roles};
pub use spread::{Spread, SpreadView, took};
