//! Input nodes: held for ourselves, but only while nothing is down on them.

use crate::ioctls;
use mantle_core::device::OsFault;
use rustix::fd::{AsFd, OwnedFd};
use rustix::fs::{Mode, OFlags};
use std::time::{Duration, Instant};

/// How long to wait for fingers to be lifted before giving up.
const LIFTED_WITHIN: Duration = Duration::from_secs(20);

/// Opens an input node and holds it. Waits until nothing is down on it: a key that is held while a node is grabbed
/// would stay down for everybody else.
///
/// # Errors
/// What the system refused; `EBUSY` if another program holds it, or something stays down.
pub fn hold(path: &str) -> Result<OwnedFd, OsFault> {
    let fault = |operation: &str, errno: rustix::io::Errno| OsFault {
        operation: operation.into(),
        path: path.into(),
        errno: errno.raw_os_error(),
    };
    let flags = OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let fd = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| fault("open", errno))?;
    let until = Instant::now() + LIFTED_WITHIN;
    loop {
        let keys = ioctls::keys_down(fd.as_fd()).map_err(|errno| fault("reading the keys", errno))?;
        if keys.iter().all(|byte| *byte == 0) {
            ioctls::grab(fd.as_fd()).map_err(|errno| fault("holding", errno))?;
            return Ok(fd);
        }
        if Instant::now() > until {
            return Err(fault("holding (something stays down)", rustix::io::Errno::BUSY));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}
