//! Reads recordings from files.

use crate::say::say_error;
use mantle_files::recording::{self, Recording};
use std::path::Path;

/// Reads a recording; its faults are part of it.
pub fn load(path: &Path) -> Result<Recording, String> {
    let shown = path.display();
    let bytes = mantle_files::bounded::read_bytes(path, recording::FILE_BYTES as u64)
        .map_err(|error| format!("{shown}: {error}"))?;
    recording::read(&bytes).map_err(|why| format!("{shown}: {why}"))
}

/// Reads a recording and reports its faults, which do not stop the rest.
pub fn read(path: &Path) -> Result<Recording, String> {
    let shown = path.display().to_string();
    let recording = load(path)?;
    for problem in recording.problems.iter().take(10) {
        say_error!("placid-mantle: {shown}:{}: {}", problem.line, problem.message);
    }
    if recording.problems.len() > 10 {
        say_error!("placid-mantle: {shown}: and {} more problems", recording.problems.len() - 10);
    }
    Ok(recording)
}
