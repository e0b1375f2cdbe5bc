//! Sheets: text files that tell how one model of device is to be read. Documented in docs/sheets.md.
//!
//! What is wrong in a sheet is pointed at, key by key, and what is right in it still works.

mod reader;
mod write;

pub use write::{FOUND, write};

use crate::fault::FileFault;
use crate::pointed::texts;
use mantle_core::sheet::Sheet;
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
