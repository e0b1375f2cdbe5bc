//! Sheets: text files that tell how one model of device is to be read. Documented in docs/sheets.md.
//!
//! What is wrong in a sheet is pointed at, key by key, and what is right in it still works.

mod reader;
mod write;

pub use write::{FOUND, write};

use crate::fault::FileFault;
use mantle_core::control::Sheet;
use std::path::Path;

/// The ending of a sheet's file name.
pub const ENDING: &str = "sheet.toml";

/// A sheet as far as it could be read, and what is wrong with it.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetFile {
    /// The sheet; none if nothing of it can be used.
    pub sheet: Option<Sheet>,
    /// What is wrong, in the order of the file.
    pub faults: Vec<FileFault>,
}

/// Reads a sheet.
#[must_use]
pub fn read(path: &str, text: &str) -> SheetFile {
    reader::read(path, text)
}

/// Reads all sheets of a directory, in the order of their names; one that is not there has none.
#[must_use]
pub fn read_directory(directory: &Path) -> (Vec<Sheet>, Vec<FileFault>) {
    let (mut sheets, mut faults) = (Vec::new(), Vec::new());
    let entries = std::fs::read_dir(directory).into_iter().flatten().flatten();
    let mut paths: Vec<_> = entries.map(|entry| entry.path()).collect();
    paths.retain(|path| path.file_name().is_some_and(|name| name.to_string_lossy().ends_with(ENDING)));
    paths.sort();
    for path in paths {
        let shown = path.display().to_string();
        match std::fs::read_to_string(&path) {
            Ok(text) => {
                let read = read(&shown, &text);
                sheets.extend(read.sheet);
                faults.extend(read.faults);
            }
            Err(error) => faults.push(FileFault::whole(&shown, error.to_string())),
        }
    }
    (sheets, faults)
}

#[cfg(test)]
mod tests;
