//! Sheets that the program itself writes, among the person's own. A file written by a person is never overwritten.

use mantle_core::sheet::Sheet;
use mantle_files::sheet::{FOUND, write};
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

/// So many names are tried.
const NAMES: u32 = 100;

/// Saves a sheet in a directory under its own name, or, where somebody else's file has that, under the next one.
///
/// # Errors
/// In words, with the path.
pub(crate) fn save(directory: &Path, sheet: &Sheet) -> Result<PathBuf, String> {
    let said = |path: &Path, error: std::io::Error| format!("{}: {error}; the sheet is not saved", path.display());
    let name = Path::new(&sheet.origin).file_name().and_then(|name| name.to_str()).unwrap_or("device.sheet.toml");
    let stem = name.strip_suffix(".sheet.toml").unwrap_or(name);
    fs::create_dir_all(directory).map_err(|error| said(directory, error))?;
    for number in 1..=NAMES {
        let own = if number == 1 { format!("{stem}.sheet.toml") } else { format!("{stem}-{number}.sheet.toml") };
        let path = directory.join(own);
        match fs::read_to_string(&path) {
            Ok(text) if !text.starts_with(FOUND) => continue,
            Err(error) if error.kind() != ErrorKind::NotFound => return Err(said(&path, error)),
            _ => {}
        }
        mantle_files::save(&path, write(sheet).as_bytes()).map_err(|error| said(&path, error))?;
        return Ok(path);
    }
    Err(format!("{}: there are already {NAMES} files with that name; the sheet is not saved", directory.display()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hand_written_sheet_stays() {
        let directory = tempfile::tempdir().expect("a directory");
        let own = directory.path().join("pad.sheet.toml");
        fs::write(&own, "# mine\nversion = 1\n").expect("written");
        let sheet = Sheet { name: "Pad".into(), origin: "pad.sheet.toml".into(), ..Sheet::default() };
        let first = save(directory.path(), &sheet).expect("saved");
        assert!(first.ends_with("pad-2.sheet.toml"));
        assert_eq!(save(directory.path(), &sheet).expect("saved again"), first, "its own one is written anew");
        assert_eq!(fs::read_to_string(&own).expect("there"), "# mine\nversion = 1\n");
    }
}
