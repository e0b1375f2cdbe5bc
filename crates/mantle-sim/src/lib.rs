//! The simulated world: made-up devices moved by scripted hands, decoded by the same code as real ones.
//!
//! The crate promises: one scene gives the same reports with the same stamps every time, on virtual time or paced
//! by a real clock.
//!
//! Its nouns: a [`SimDevice`] turns gestures into report bytes; a [`SimWorld`] plays a scene; a [`RecordedWorld`]
//! plays a recording, [`Alongside`] puts recordings beside another world, a [`ReplayWorld`] plays what was taken down of
//! one. Devices, scenes and profiles that come with the program are data (`mantle-shipped`), not its own.
//!
//! ```
//! use mantle_core::table::Table;
//! use mantle_core::time::Micros;
//! let scene = mantle_files::shipped::scene("all-well").expect("it is shipped");
//! let mut world = mantle_sim::SimWorld::new(&scene, mantle_sim::Pace::Virtual { until: Micros::seconds(2) }, None)?;
//! let mut table = Table::new(world.settings());
//! mantle_engine::run(&mut world, &mut table, &mut mantle_engine::NoObserver);
//! assert_eq!(table.slots().count(), 2);
//! # Ok::<(), mantle_files::FileFault>(())
//! ```
#![forbid(unsafe_code)]

mod alongside;
mod case;
mod device;
mod played;
mod profiles;
mod recorded;
mod replay;
mod waker;
mod world;

pub use alongside::{Alongside, ReadRecording, is_alongside};
pub use case::{CaseFiles, CaseWorld};
pub use device::{SimDevice, SimInterface};
pub use recorded::{Playing, RecordedWorld};
pub use replay::{ReplayWorld, Taken, TakingDown};
pub use waker::{Manner, Waker};
pub use world::{Pace, SimWorld};
