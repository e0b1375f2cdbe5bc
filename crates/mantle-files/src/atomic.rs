//! A save is whole or not at all.

use std::fs;
use std::io::{self, Write};
use std::path::Path;

/// Writes a file beside the old one, syncs it, and puts it in its place; makes the directory if it is missing.
///
/// # Errors
/// Whatever the system says; then the old file is as it was.
pub fn save(path: &Path, bytes: &[u8]) -> io::Result<()> {
    // A file that stands elsewhere, by a link, is saved where it stands.
    let real = fs::canonicalize(path);
    let path = real.as_deref().unwrap_or(path);
    let directory = path.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(directory)?;
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let beside = directory.join(format!(".{name}.{}", std::process::id()));
    let written = (|| {
        let mut file = fs::File::create(&beside)?;
        if let Ok(before) = fs::metadata(path) {
            file.set_permissions(before.permissions())?;
        }
        file.write_all(bytes)?;
        file.sync_all()?;
        fs::rename(&beside, path)
    })();
    if written.is_err() {
        let _ = fs::remove_file(&beside);
    }
    written
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::{PermissionsExt, symlink};

    #[test]
    fn what_is_saved_is_whole_and_leaves_nothing_beside_it() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("deep/slots.toml");
        save(&path, b"one").expect("saved");
        save(&path, b"two").expect("saved again");
        assert_eq!(fs::read(&path).expect("read"), b"two");
        let beside = fs::read_dir(path.parent().expect("it has one")).expect("listed").count();
        assert_eq!(beside, 1);
    }

    #[test]
    fn links_and_permissions_survive() {
        let directory = tempfile::tempdir().expect("a directory");
        let (real, link) = (directory.path().join("real.toml"), directory.path().join("slots.toml"));
        fs::write(&real, "before").expect("written");
        fs::set_permissions(&real, fs::Permissions::from_mode(0o640)).expect("set");
        symlink(&real, &link).expect("linked");
        save(&link, b"after").expect("saved");
        assert!(fs::symlink_metadata(&link).expect("it is there").is_symlink());
        assert_eq!(fs::read(&real).expect("read"), b"after");
        assert_eq!(fs::metadata(&real).expect("it is there").permissions().mode() & 0o777, 0o640);
    }

    #[test]
    fn a_refused_save_leaves_the_old_file() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("slots.toml");
        fs::create_dir(&path).expect("made");
        fs::write(path.join("mine"), "kept").expect("written");
        assert!(save(&path, b"new").is_err());
        assert_eq!(fs::read(path.join("mine")).expect("read"), b"kept");
        assert_eq!(fs::read_dir(directory.path()).expect("listed").count(), 1);
    }
}
