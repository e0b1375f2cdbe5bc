//! Where files live.

use etcetera::BaseStrategy;
use std::path::PathBuf;

/// A path as people type it: `~/` is the home directory.
#[must_use]
pub fn typed_path(typed: &str) -> PathBuf {
    let home = std::env::var_os("HOME").filter(|home| !home.is_empty());
    match (typed.trim().strip_prefix("~/"), home) {
        (Some(inside), Some(home)) => PathBuf::from(home).join(inside),
        _ => PathBuf::from(typed.trim()),
    }
}

/// Our configuration directory, by the XDG base directory specification; none without a home.
#[must_use]
pub fn config_directory() -> Option<PathBuf> {
    etcetera::choose_base_strategy().ok().map(|dirs| dirs.config_dir().join("placid-mantle"))
}

/// The directory for what we keep for the person, such as recordings, by the same specification; none without a home.
#[must_use]
pub fn state_directory() -> Option<PathBuf> {
    let dirs = etcetera::choose_base_strategy().ok()?;
    Some(dirs.state_dir().unwrap_or_else(|| dirs.data_dir()).join("placid-mantle"))
}
