//! Pure statistics over what was seen: gaps between reports, and the roles of their bytes.

mod checksum;
mod gaps;
mod roles;
mod spread;

pub use checksum::{Checksum, Width};
pub use gaps::Gaps;
pub use roles::{ByteRole, ENOUGH, roles};
pub use spread::{Spread, SpreadView, took};
