//! Where files live.

use etcetera::BaseStrategy;
use std::path::PathBuf;

/// The directory of our configuration, by the XDG base directory specification; none without a home.
#[must_use]
pub fn config_directory() -> Option<PathBuf> {
    etcetera::choose_base_strategy().ok().map(|dirs| dirs.config_dir().join("placid-mantle"))
}
