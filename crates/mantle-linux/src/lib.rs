//! The kernel's interfaces: hidraw, uinput, evdev, uhid, sysfs.
//!
//! The crate promises: nothing slow on the engine's thread (opening, closing, making pads, covering and saving run
//! on workers); what is changed outside is written down first and undone at the end, or at the next start; unsafe
//! code stands only in the files that make system calls.
//!
//! Its nouns: [`LinuxWorld`] is the seam; [`scan`] reads what is connected; a [`uinput::Pad`] is a virtual pad, [`keys::Keys`] a keyboard and a mouse;
//! [`sight`] reads what a game would see; the [`coverer`] has devices hidden, by a guard or the helper, or holds them; [`lock`] notices a second engine.
//!
//! ```no_run
//! for node in mantle_linux::scan::hidraw_nodes(std::path::Path::new("/sys")) {
//!     println!("{} {}", node.path, node.identity.name);
//! }
//! ```

pub mod children;
mod clock;
mod connection;
pub mod coverer;
mod driven;
mod evdev;
mod games;
mod hid_pad;
pub mod hooks;
mod ioctls;
pub mod keys;
mod listener;
pub mod lock;
mod merge;
mod node;
mod opener;
pub mod priority;
pub mod private_dev;
mod privileged;
mod process;
pub mod readiness;
pub mod rumble_driver;
pub mod scan;
mod shaker;
mod sheet_file;
pub mod sight;
mod sysfs;
pub mod uhid;
pub mod uinput;
mod virtual_pad;
mod waker;
mod watch;
mod workers;
mod world;
mod writer;

pub use clock::now;
pub use evdev::axes;
pub use listener::{Heard, Listener, signals_that_end};
pub use workers::Paths;
pub use world::LinuxWorld;
