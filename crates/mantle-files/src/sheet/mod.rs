//! Sheets: text files that say how one model of device is read. Documented in docs/sheets.md.
//!
//! Faults in a sheet are pointed at, key by key, and the rest still works.

mod reader;
mod write;

pub use write::{FOUND, write};

use crate::fault::FileFault;
use crate::pointed::texts;
use mantle_core::sheet::Sheet;
use std::path::Path;

/// The ending of a sheet's file name.
pub const ENDING: &str = "sheet.toml";

/// A sheet as far as it could be read, with its faults.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetFile {
    /// The sheet; none if nothing of it can be used.
    pub sheet: Option<Sheet>,
    /// The faults, in the order of the file.
    pub faults: Vec<FileFault>,
}

/// Reads a sheet.
#[must_use]
pub fn read(path: &str, text: &str) -> SheetFile {
    reader::read(path, text)
}

/// Reads all sheets of a directory, in the order of their names; none if it does not exist.
#[must_use]
pub fn read_directory(directory: &Path) -> (Vec<Sheet>, Vec<FileFault>) {
    let (mut sheets, mut faults) = (Vec::new(), Vec::new());
    for (shown, text) in texts(directory, |name| name.ends_with(ENDING)) {
        match text {
            Ok(text) => {
                let read = read(&shown, &text);
                sheets.extend(read.sheet);
                faults.extend(read.faults);
            }
            Err(fault) => faults.push(fault),
        }
    }
    (sheets, faults)
}

#[cfg(test)]
mod tests;
