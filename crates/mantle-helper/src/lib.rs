//! What runs as root: hides devices from games, hands out descriptors of their reports, and undoes it whatever happens.
//!
//! The crate promises: a step is written down before it is done; what was written down can be undone from any step on, by whoever finds it;
//! only numbers travel between it and those who ask; no file of ours is written through a link, and no node is touched that is not the one
//! that the kernel says. It has no code of the engine.
//!
//! Its nouns: a [`hider::Hider`] hides by a rule of udev and the [`ledger`], through the acts of a [`machine::Machine`]; a [`guard`] serves one
//! engine that is root; the helper serves ordinary accounts, which [`judge`] judges; [`wire`] is what they say to each other.
//!
//! ```
//! use mantle_helper::wire::Request;
//! let asked = Request::Cover(vec![7, 8]);
//! assert_eq!(Request::read(&asked.bytes()), Ok(asked));
//! ```
#![forbid(unsafe_code)]

pub mod descriptors;
pub mod device;
pub mod guard;
pub mod hider;
pub mod judge;
pub mod ledger;
pub mod machine;
pub mod people;
pub mod rights;
pub mod serve;
pub mod wire;
