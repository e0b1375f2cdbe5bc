//! A save is whole or not at all.

use std::fs::{self, File};
use std::io::{self, Write};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};

/// Part of the name of a file being written, before the process number.
const BESIDE: &str = ".writing-";

/// Writes a file beside the old one, syncs it, and moves it into place; creates the directory if it is missing.
///
/// # Errors
/// Whatever the system says; the old file is unchanged then.
pub fn save(path: &Path, bytes: &[u8]) -> io::Result<()> {
    // A symbolic link is followed: the file is saved where it really is.
    let real = real_place(path)?;
    put(&real, bytes, |beside| fs::rename(beside, &real))
}

/// Writes a file that must not exist yet.
///
/// # Errors
/// Whatever the system says; [`io::ErrorKind::AlreadyExists`] if something is there, which is left alone.
pub fn save_new(path: &Path, bytes: &[u8]) -> io::Result<()> {
    put(path, bytes, |beside| {
        // Unlike a rename, a hard link replaces nothing.
        let linked = fs::hard_link(beside, path);
        let _ = fs::remove_file(beside);
        linked
    })
}

/// Where a file really is. Root follows no link that another account made, since it could lead anywhere.
fn real_place(path: &Path) -> io::Result<PathBuf> {
    if rustix::process::geteuid().is_root() {
        let laid = fs::symlink_metadata(path).ok().filter(fs::Metadata::is_symlink);
        if let Some(link) = laid.filter(|link| link.uid() != 0) {
            let text = format!("it is a link made by account {}, which root does not follow", link.uid());
            return Err(io::Error::new(io::ErrorKind::PermissionDenied, text));
        }
    }
    Ok(fs::canonicalize(path).unwrap_or_else(|_| path.to_owned()))
}

fn put(path: &Path, bytes: &[u8], place: impl FnOnce(&Path) -> io::Result<()>) -> io::Result<()> {
    let directory = path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    fs::create_dir_all(directory)?;
    let (mut file, beside) = create_beside(directory, path)?;
    let written = (|| {
        if let Ok(before) = fs::metadata(path) {
            file.set_permissions(before.permissions())?;
        }
        file.write_all(bytes)?;
        file.sync_all()?;
        place(&beside)?;
        // Only now the new name survives a power cut.
        File::open(directory)?.sync_all()
    })();
    if written.is_err() {
        let _ = fs::remove_file(&beside);
    }
    written
}

/// Never writes into an existing file or link.
fn create_beside(directory: &Path, path: &Path) -> io::Result<(File, PathBuf)> {
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    loop {
        let count = COUNT.fetch_add(1, Ordering::Relaxed);
        let beside = directory.join(format!(".{name}{BESIDE}{}-{count}", std::process::id()));
        match File::options().write(true).create_new(true).open(&beside) {
            Ok(file) => return Ok((file, beside)),
            // Left behind by a process with the same number.
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists && count < u32::MAX / 2 => {}
            Err(error) => return Err(error),
        }
    }
}

/// Removes what killed saves have left in a directory; those of living processes are left alone.
pub fn clean_up(directory: &Path) {
    for entry in fs::read_dir(directory).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let Some(writer) = name.strip_prefix('.').and_then(|name| name.rsplit_once(BESIDE)) else { continue };
        let pid = writer.1.split('-').next().and_then(|pid| pid.parse::<u32>().ok());
        if pid.is_some_and(|pid| pid != std::process::id() && !Path::new(&format!("/proc/{pid}")).exists()) {
            let _ = fs::remove_file(entry.path());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::{PermissionsExt, symlink};

    #[test]
    fn a_save_is_atomic_and_leaves_no_temporary_file() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("deep/slots.toml");
        save(&path, b"one").expect("saved");
        save(&path, b"two").expect("saved again");
        assert_eq!(fs::read(&path).expect("read"), b"two");
        let beside = fs::read_dir(path.parent().expect("it has one")).expect("listed").count();
        assert_eq!(beside, 1);
    }

    #[test]
    fn saving_keeps_links_and_permissions() {
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
    fn root_does_not_follow_another_accounts_link() {
        if !rustix::process::geteuid().is_root() {
            // Only root can make a link for another account; CI runs as root.
            return;
        }
        let directory = tempfile::tempdir().expect("a directory");
        let (real, link) = (directory.path().join("real.toml"), directory.path().join("slots.toml"));
        fs::write(&real, "before").expect("written");
        symlink(&real, &link).expect("linked");
        std::os::unix::fs::lchown(&link, Some(1000), Some(1000)).expect("given away");
        let why = save(&link, b"after").expect_err("it is refused");
        assert!(why.to_string().contains("account 1000"), "{why}");
        assert_eq!(fs::read(&real).expect("read"), b"before");
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

    #[test]
    fn neighbouring_files_are_never_written() {
        let directory = tempfile::tempdir().expect("a directory");
        let (path, trap) = (directory.path().join("a"), directory.path().join("trap"));
        fs::write(&trap, "mine").expect("written");
        // Somebody has guessed the next names.
        for count in 0..2000 {
            let _ = symlink(&trap, directory.path().join(format!(".a{BESIDE}{}-{count}", std::process::id())));
        }
        save(&path, b"new").expect("saved");
        assert_eq!((fs::read(&path).expect("read"), fs::read(&trap).expect("read")), (b"new".into(), b"mine".into()));
    }

    #[test]
    fn a_new_file_never_replaces_another() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("a");
        save_new(&path, b"one").expect("saved");
        assert_eq!(save_new(&path, b"two").expect_err("taken").kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(fs::read(&path).expect("read"), b"one");
        assert_eq!(fs::read_dir(directory.path()).expect("listed").count(), 1);
    }

    #[test]
    fn leftovers_of_killed_saves_are_removed() {
        let directory = tempfile::tempdir().expect("a directory");
        let beside = |pid: &str| directory.path().join(format!(".slots.toml{BESIDE}{pid}-3"));
        let own = std::process::id().to_string();
        for name in [beside("4194304999"), beside("4194303"), beside(&own), directory.path().join(".mine")] {
            fs::write(name, "x").expect("written");
        }
        clean_up(directory.path());
        assert!(beside(&own).exists() && directory.path().join(".mine").exists());
        assert!(!beside("4194303").exists(), "no process has this number");
    }
}
