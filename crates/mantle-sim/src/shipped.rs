//! The devices and scenes that come with the program.

use include_dir::{Dir, include_dir};
use mantle_core::control::Sheet;
use mantle_files::{DeviceFile, FileFault, SceneFile};

static DEVICES: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../devices");
static SHEETS: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../sheets");
static PROFILES: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../profiles");
static SCENES: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../scenes");

/// The scene that the demo opens with.
pub const OPENING: &str = "tidewater";

fn text(dir: &'static Dir<'static>, name: &str, ending: &str) -> Option<(String, &'static str)> {
    let path = format!("{name}.{ending}");
    let text = dir.get_file(&path)?.contents_utf8()?;
    Some((path, text))
}

fn names(dir: &'static Dir<'static>, ending: &str) -> Vec<String> {
    let mut names: Vec<String> = dir
        .files()
        .filter_map(|file| file.path().to_str()?.strip_suffix(ending)?.strip_suffix('.').map(str::to_owned))
        .collect();
    names.sort();
    names
}

/// The sheets that come with the program, in the order of their names.
#[must_use]
pub fn sheets() -> Vec<Sheet> {
    names(&SHEETS, mantle_files::sheet::ENDING).iter().filter_map(|name| sheet(name)).collect()
}

/// A shipped sheet by its file's name.
#[must_use]
pub fn sheet(name: &str) -> Option<Sheet> {
    let (path, text) = text(&SHEETS, name, mantle_files::sheet::ENDING)?;
    mantle_files::sheet::read(&path, text).sheet
}

/// The names of the scenes.
#[must_use]
pub fn scene_names() -> Vec<String> {
    names(&SCENES, "scene.toml")
}

/// The names of the devices.
#[must_use]
pub fn device_names() -> Vec<String> {
    names(&DEVICES, "device.toml")
}

/// The text of a profile of the evening's, and where it stands.
pub(crate) fn profile_text(name: &str) -> Option<(String, &'static str)> {
    text(&PROFILES, name, mantle_files::profile::ENDING)
}

/// A profile of the evening's, by its name.
#[must_use]
pub fn profile(name: &str) -> Option<mantle_core::binding::Profile> {
    let (path, text) = profile_text(name)?;
    mantle_files::profile::read(&path, text).profile
}

/// The names of the evening's profiles.
#[must_use]
pub fn profile_names() -> Vec<String> {
    names(&PROFILES, mantle_files::profile::ENDING)
}

/// A scene by its name; none if there is no such scene.
#[must_use]
pub fn scene(name: &str) -> Option<SceneFile> {
    let (path, text) = text(&SCENES, name, "scene.toml")?;
    SceneFile::parse(&path, text).ok()
}

/// A device by its name.
///
/// # Errors
/// What is wrong with its file, or that there is none.
pub fn device(name: &str) -> Result<DeviceFile, FileFault> {
    let Some((path, text)) = text(&DEVICES, name, "device.toml") else {
        let known = device_names().join(", ");
        return Err(FileFault::whole(name, format!("no device of that name is shipped; there are: {known}")));
    };
    DeviceFile::parse(&path, text)
}
