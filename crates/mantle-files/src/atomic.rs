//! A save is whole or not at all.

use std::fs;
use std::io::{self, Write};
use std::path::Path;

/// Writes a file beside the old one, syncs it, and puts it in its place; makes the directory if it is missing.
///
/// # Errors
/// Whatever the system says; then the old file is as it was.
pub fn save(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let directory = path.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(directory)?;
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let beside = directory.join(format!(".{name}.{}", std::process::id()));
    let written = (|| {
        let mut file = fs::File::create(&beside)?;
        file.write_all(bytes)?;
        file.sync_all()?;
        fs::rename(&beside, path)
    })();
    if written.is_err() {
        let _ = fs::remove_file(&beside);
    }
    written
}
