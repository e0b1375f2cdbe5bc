//! Input nodes: found, read as reports, held, and what nothing uses of them passed on.

mod find;
mod hold;
mod node;

pub use find::axes;
pub(crate) use find::input_nodes;
pub use hold::try_hold;
pub(crate) use hold::{Held, Hold, Passes, hold};
pub(crate) use node::{InputNode, Pass, read_report};
