//! The opener: gives the engine devices as open descriptors. Only here is a device opened by its path; later this may
//! be a helper in another process that passes descriptors over a socket.

use mantle_core::device::{NodeFacts, OsFault};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// What is to be opened: a node, and the very thing that it stood for when it was found.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Wanted {
    /// Its path, for example `/dev/hidraw3`.
    pub path: String,
    /// The node's directory under `/sys`.
    pub sys: PathBuf,
    /// See [`generation`].
    pub generation: u64,
}

impl Wanted {
    /// A node as it was just found.
    #[must_use]
    pub fn of(facts: &NodeFacts) -> Self {
        let name = facts.path.trim_start_matches("/dev/");
        let name = name.trim_start_matches("input/");
        let device = Path::new(&facts.sysfs);
        let sys = if facts.is_input_node() { device.join(name) } else { device.join("hidraw").join(name) };
        Self { path: facts.path.clone(), generation: generation(&sys), sys }
    }
}

/// Tells a node from another one that bears the same name later: the inode of its directory under `/sys`, 0 if there
/// is none.
#[must_use]
pub fn generation(sys: &Path) -> u64 {
    std::fs::metadata(sys).map_or(0, |meta| meta.ino())
}

/// Opens a node for reading, and for writing if that is allowed too.
///
/// # Errors
/// What the system refused; `ENODEV` if the path belongs to another device by now.
pub fn open(wanted: &Wanted) -> Result<OwnedFd, OsFault> {
    let fault =
        |errno: Errno| OsFault { operation: "open".into(), path: wanted.path.clone(), errno: errno.raw_os_error() };
    let with = |access| rustix::fs::open(&wanted.path, access | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty());
    // Reading is what matters; writing is for what goes back to the device.
    let fd = with(OFlags::RDWR).or_else(|_| with(OFlags::RDONLY)).map_err(fault)?;
    // A name is given again as soon as it is free: looked at before and after, it was the same thing in between.
    if generation(&wanted.sys) == wanted.generation { Ok(fd) } else { Err(fault(Errno::NODEV)) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wanted(directory: &Path) -> Wanted {
        let path = directory.join("node");
        std::fs::write(&path, "report").expect("written");
        let sys = directory.join("sys");
        std::fs::create_dir_all(&sys).expect("made");
        Wanted { path: path.display().to_string(), generation: generation(&sys), sys }
    }

    #[test]
    fn the_node_that_was_found_is_opened() {
        let directory = tempfile::tempdir().expect("a directory");
        assert!(open(&wanted(directory.path())).is_ok());
    }

    #[test]
    fn a_node_that_is_another_one_by_now_is_refused() {
        let directory = tempfile::tempdir().expect("a directory");
        let wanted = wanted(directory.path());
        // Kept, so that its inode is not given again.
        std::fs::rename(&wanted.sys, directory.path().join("old")).expect("moved");
        std::fs::create_dir(&wanted.sys).expect("made");
        assert_eq!(open(&wanted).expect_err("another node").name(), "ENODEV");
    }

    #[test]
    fn a_refusal_names_path_and_errno() {
        let directory = tempfile::tempdir().expect("a directory");
        let mut wanted = wanted(directory.path());
        wanted.path.push_str(".away");
        let fault = open(&wanted).expect_err("nothing is there");
        assert_eq!((fault.operation.as_str(), fault.name().as_str()), ("open", "ENOENT"));
        assert!(fault.path.ends_with("node.away"));
    }
}
