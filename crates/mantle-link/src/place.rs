//! Where the socket is, and who may put it there: one engine per account.

use crate::fault::LinkFault;
use crate::holder::{Holder, now};
use rustix::fs::{FlockOperation, Mode, OFlags, flock};
use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::os::unix::fs::{DirBuilderExt, MetadataExt};
use std::path::{Path, PathBuf};

/// The directory of the socket, and of the lock beside it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Place {
    directory: PathBuf,
}

/// The lock, as long as it is held.
#[derive(Debug)]
pub struct Held {
    /// Where.
    pub place: Place,
    /// Who: this process.
    pub holder: Holder,
    _file: File,
}

impl Place {
    /// The place of this account, in its runtime directory.
    ///
    /// # Errors
    /// There is none, or it belongs to somebody else, or others may use it.
    pub fn of_this_account() -> Result<Self, LinkFault> {
        let given = std::env::var_os("XDG_RUNTIME_DIR").filter(|path| !path.is_empty());
        Self::within(Path::new(&given.ok_or(LinkFault::NoDirectory)?))
    }

    /// The place within a runtime directory.
    ///
    /// # Errors
    /// It belongs to somebody else, or others may use it.
    pub fn within(runtime: &Path) -> Result<Self, LinkFault> {
        let own = rustix::process::geteuid().as_raw();
        check(runtime, own)?;
        let directory = runtime.join("placid-mantle");
        match std::fs::DirBuilder::new().mode(0o700).create(&directory) {
            Err(error) if error.kind() != io::ErrorKind::AlreadyExists => {
                return Err(LinkFault::System { what: "a directory cannot be made:", path: directory, error });
            }
            _ => check(&directory, own)?,
        }
        Ok(Self { directory })
    }

    /// The socket.
    #[must_use]
    pub fn socket(&self) -> PathBuf {
        self.directory.join("engine.sock")
    }

    fn lock_file(&self) -> Result<File, LinkFault> {
        let path = self.directory.join("engine.lock");
        let flags = OFlags::RDWR | OFlags::CREATE | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let opened = rustix::fs::open(&path, flags, Mode::RUSR | Mode::WUSR);
        opened.map(File::from).map_err(|error| LinkFault::System {
            what: "the lock cannot be opened:",
            path,
            error: error.into(),
        })
    }

    /// Takes the lock for this process; a socket that somebody has left behind is gone then.
    ///
    /// # Errors
    /// Somebody has it, or the system refuses.
    pub fn take(&self) -> Result<Held, LinkFault> {
        let mut file = self.lock_file()?;
        if flock(&file, FlockOperation::NonBlockingLockExclusive).is_err() {
            return Err(LinkFault::Taken(read_holder(&mut file)));
        }
        let holder = Holder { pid: rustix::process::getpid().as_raw_pid(), since: now() };
        let text = serde_json::to_string(&holder).unwrap_or_default();
        let written = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(text.as_bytes()));
        if let Err(error) = written {
            let path = self.directory.join("engine.lock");
            return Err(LinkFault::System { what: "the lock cannot be written:", path, error });
        }
        match std::fs::remove_file(self.socket()) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => {
                Err(LinkFault::System { what: "an old socket cannot be removed:", path: self.socket(), error })
            }
            _ => Ok(Held { place: self.clone(), holder, _file: file }),
        }
    }

    /// Who holds the lock, if anybody does.
    #[must_use]
    pub fn holder(&self) -> Option<Holder> {
        let mut file = self.lock_file().ok()?;
        match flock(&file, FlockOperation::NonBlockingLockShared) {
            Ok(()) => None,
            Err(_) => Some(read_holder(&mut file)),
        }
    }
}

/// The holder has written who it is.
fn read_holder(file: &mut File) -> Holder {
    let mut text = String::new();
    let _ = file.take(4096).read_to_string(&mut text);
    serde_json::from_str(&text).unwrap_or_default()
}

/// Only this account may do anything there.
fn check(path: &Path, own: u32) -> Result<(), LinkFault> {
    let unsafe_for = |why: String| LinkFault::Unsafe { path: path.to_owned(), why };
    let found =
        std::fs::symlink_metadata(path).map_err(|error| unsafe_for(format!("it cannot be inspected ({error})")))?;
    if !found.is_dir() {
        return Err(unsafe_for("it is not a directory".into()));
    }
    if found.uid() != own {
        return Err(unsafe_for(format!("it belongs to account {}, and this is account {own}", found.uid())));
    }
    if found.mode() & 0o077 != 0 {
        return Err(unsafe_for(format!("its mode is {:o}; it has to be 700", found.mode() & 0o777)));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;

    fn runtime() -> tempfile::TempDir {
        let directory = tempfile::tempdir().expect("a directory");
        std::fs::set_permissions(directory.path(), std::fs::Permissions::from_mode(0o700)).expect("its mode");
        directory
    }

    #[test]
    fn the_lock_names_its_holder() {
        let runtime = runtime();
        let place = Place::within(runtime.path()).expect("a place");
        assert_eq!(place.holder(), None);
        std::fs::write(place.socket(), "left behind").expect("written");
        let held = place.take().expect("the lock");
        assert!(!place.socket().exists(), "what was left behind is gone");
        assert_eq!(place.holder(), Some(held.holder.clone()));
        match place.take() {
            Err(LinkFault::Taken(holder)) => assert_eq!(holder, held.holder),
            other => panic!("{other:?}"),
        }
        drop(held);
        assert_eq!(place.holder(), None);
        assert!(place.take().is_ok(), "and it can be taken again");
    }

    #[test]
    fn a_directory_writable_by_others_is_refused() {
        let runtime = runtime();
        std::fs::set_permissions(runtime.path(), std::fs::Permissions::from_mode(0o755)).expect("its mode");
        let said = Place::within(runtime.path()).expect_err("it is refused").to_string();
        assert!(said.contains("its mode is 755"), "{said}");
        let link = runtime.path().join("link");
        std::os::unix::fs::symlink("/tmp", &link).expect("a link");
        assert!(Place::within(&link).expect_err("it is refused").to_string().contains("not a directory"));
        assert!(Place::within(Path::new("/nowhere/at/all")).is_err());
    }
}
