//! The socket between an engine and those who look on: both ends of it.
//!
//! The crate promises: the engine never waits for anybody at the other end; what comes from there is bounded in size, in time and in
//! number before it is looked at; whoever breaks off takes nothing with them but their own place.
//!
//! Its nouns: a [`Place`] is where the socket lies; [`serve`] opens it for an engine; [`attach`] is the other end, for a screen or a script;
//! the messages are [`ToEngine`] and [`ToScreen`], one a frame (docs/engine-socket.md).
//!
//! ```no_run
//! use mantle_link::{Place, attach};
//! use mantle_engine::{Comes, Mailbox};
//! let place = Place::of_this_account()?;
//! let mailbox = Mailbox::new(|| {});
//! let attached = attach(&place, Comes::AsScript, mailbox.clone(), |_ended| {})?;
//! # let _ = attached;
//! # Ok::<(), mantle_link::LinkFault>(())
//! ```
#![forbid(unsafe_code)]

mod attach;
mod fault;
mod frame;
mod holder;
mod message;
mod place;
mod serve;

pub use attach::{Attached, attach};
pub use fault::LinkFault;
pub use frame::{FRAME_BYTES, FRAME_TIME, through};
pub use holder::Holder;
pub use message::{Greeting, ToEngine, ToScreen};
pub use place::{Held, Place};
pub use serve::{Served, serve};
