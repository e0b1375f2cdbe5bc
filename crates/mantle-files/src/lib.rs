//! Text files to typed values and back.
//!
//! The crate promises: a file that cannot be read is reported with line and column and left alone; a save is complete
//! or does not happen, and keeps comments, order and unknown keys.
//!
//! Its nouns: a [`DeviceFile`] is a made-up device; a [`SceneFile`] says which devices are there and what happens;
//! the [`slots`] file is what is kept across restarts;
//! the [`settings`] file holds general settings; a [`profile`] says what plays what; an [`own_pad`] is a pad file; [`games`] are rules for games; a [`recording`] is what a device sent; a [`mapping`] is a line of the common game library; a [`pack`] holds files to share; a [`case`] explains a table from afar; a [`FileFault`] points at what is wrong.
//!
//! ```
//! let scene = mantle_files::SceneFile::parse("empty.scene.toml", "version = 1\ntitle = \"Nothing\"\n")?;
//! assert_eq!(scene.title, "Nothing");
//! let fault = mantle_files::SceneFile::parse("bad.scene.toml", "version = 1\ntitle = 3\n").unwrap_err();
//! assert_eq!((fault.line, fault.column), (2, 9));
//! # Ok::<(), mantle_files::FileFault>(())
//! ```
#![forbid(unsafe_code)]

mod atomic;
pub mod bounded;
pub mod case;
mod device_file;
mod face;
mod fault;
pub mod games;
mod in_place;
pub mod mapping;
pub mod own_pad;
pub mod pack;
mod pad_kind;
mod pointed;
pub mod profile;
pub mod recipe;
pub mod recording;
mod scene_file;
mod scene_program;
mod scene_radio;
pub mod settings;
pub mod sheet;
pub mod shipped;
pub mod slots;
mod xdg;

pub use atomic::{clean_up, save, save_new};
pub use device_file::{DeviceFile, Gesture, InterfaceFile, RestValue, Wake, control_of, rest_value};
pub use fault::FileFault;
pub use scene_file::{MachineFile, RawReport, SceneDevice, SceneFile, ScenePad, SceneProfile, SceneSheet, Tremble};
pub use scene_program::SceneProgram;
pub use scene_radio::{FaultName, SceneHeard, SceneRadio};
pub use xdg::{config_directory, state_directory, typed_path};
