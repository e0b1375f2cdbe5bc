//! Where files live.

use etcetera::BaseStrategy;
use std::path::PathBuf;

/// The directory of our configuration, by the XDG base directory specification; none without a home.
#[must_use]
pub fn config_directory() -> Option<PathBuf> {
    etcetera::choose_base_strategy().ok().map(|dirs| dirs.config_dir().join("placid-mantle"))
}

/// The directory of what we keep for the person, such as recordings, by the same specification; none without a home.
#[must_use]
pub fn state_directory() -> Option<PathBuf> {
    let dirs = etcetera::choose_base_strategy().ok()?;
    Some(dirs.state_dir().unwrap_or_else(|| dirs.data_dir()).join("placid-mantle"))
}
