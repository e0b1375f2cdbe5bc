//! What `/proc` says of processes.

use std::fs;
use std::path::{Path, PathBuf};

/// Every process: its number, and its directory.
pub(crate) fn all(proc: &Path) -> impl Iterator<Item = (u32, PathBuf)> {
    let entries = fs::read_dir(proc).into_iter().flatten().flatten();
    entries.filter_map(|entry| Some((entry.file_name().to_str()?.parse().ok()?, entry.path())))
}

/// A field of `/proc/PID/stat` after the second, by its number from 1. The second is a name in brackets that may contain anything, including
/// brackets.
pub(crate) fn field(stat: &str, number: usize) -> Option<u64> {
    let (_, behind) = stat.rsplit_once(')')?;
    behind.split_ascii_whitespace().nth(number.checked_sub(3)?)?.parse().ok()
}
