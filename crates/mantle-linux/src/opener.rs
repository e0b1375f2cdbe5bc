//! The opener: gives the engine devices as open descriptors. This is the only place that opens a device by its path; a helper in another process may
//! pass descriptors over a socket instead.

use crate::privileged;
use mantle_core::device::{NodeFacts, OsFault};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// What is to be opened: a node, and exactly the thing that it stood for when it was found.
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

/// Distinguishes a node from another one with the same name later: the inode of its directory under `/sys`, 0 if there is none.
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
    // Reading is what matters; writing is for feedback to the device.
    let opened = with(OFlags::RDWR).or_else(|_| with(OFlags::RDONLY));
    let fd = match opened {
        // What is hidden from this account too is handed out by whoever hides it.
        Err(Errno::ACCESS) => privileged::open(&wanted.sys).ok_or_else(|| fault(Errno::ACCESS))?,
        other => other.map_err(fault)?,
    };
    // A name is reused as soon as it is free. Since this is checked before and after, it was the same thing in between.
    if generation(&wanted.sys) == wanted.generation { Ok(fd) } else { Err(fault(Errno::NODEV)) }
}

/// Opens a further node of a device for writing, an event node that stands below the device's directory under `/sys`.
///
/// # Errors
/// What the system refused; `ENODEV` if the path belongs to another device by now.
pub fn open_below(path: &str, device: &Path) -> Result<OwnedFd, OsFault> {
    let fault = |errno: Errno| OsFault { operation: "open".into(), path: path.into(), errno: errno.raw_os_error() };
    let name = Path::new(path).file_name().unwrap_or_default();
    let opened = rustix::fs::open(path, OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty());
    let fd = match opened {
        Err(Errno::ACCESS) => privileged::open_event(path, device).ok_or_else(|| fault(Errno::ACCESS))?,
        other => other.map_err(fault)?,
    };
    let stands = std::fs::canonicalize(Path::new("/sys/class/input").join(name));
    let device = std::fs::canonicalize(device).unwrap_or_else(|_| device.to_owned());
    if stands.is_ok_and(|stands| stands.starts_with(device)) { Ok(fd) } else { Err(fault(Errno::NODEV)) }
}

/// How long udev may take for a new node, and how long after that the access list of the person at the machine may take.
const UDEV_WITHIN: Duration = Duration::from_secs(3);
const RIGHTS_WITHIN: Duration = Duration::from_millis(600);

/// Opens a node as [`open`] does. On an ordinary account the rights of a new node come a moment after it: what is denied is tried
/// again until udev is through with it, which its entry in udev's database tells, and a moment longer.
///
/// # Errors
/// As [`open`].
pub fn open_once_ready(wanted: &Wanted) -> Result<OwnedFd, OsFault> {
    let begun = Instant::now();
    let mut known_since = None;
    loop {
        let result = open(wanted);
        let denied = matches!(&result, Err(fault) if fault.errno == Errno::ACCESS.raw_os_error());
        if !denied || !Path::new("/run/udev/control").exists() {
            return result;
        }
        if known_since.is_none() && is_known_to_udev(&wanted.sys) {
            known_since = Some(Instant::now());
        }
        let over =
            known_since.map_or(begun.elapsed() >= UDEV_WITHIN, |since: Instant| since.elapsed() >= RIGHTS_WITHIN);
        if over {
            return result;
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// Whether udev has processed a node.
fn is_known_to_udev(sys: &Path) -> bool {
    let number = std::fs::read_to_string(sys.join("dev")).unwrap_or_default();
    Path::new(&format!("/run/udev/data/c{}", number.trim())).exists()
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
    fn a_node_that_has_been_replaced_is_refused() {
        let directory = tempfile::tempdir().expect("a directory");
        let wanted = wanted(directory.path());
        // Kept, so that its inode is not reused.
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
