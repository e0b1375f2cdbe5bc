//! Input nodes: held for ourselves, but only while nothing is down on them.

use crate::ioctls;
use mantle_core::device::OsFault;
use rustix::fd::{AsFd, OwnedFd};
use rustix::fs::{Mode, OFlags};

/// Opens an input node and holds it; none while something is down on it: a key that is down while a node is grabbed
/// would stay down for everybody else.
///
/// # Errors
/// What the system refused; `EBUSY` if another program holds it.
pub fn try_hold(path: &str) -> Result<Option<OwnedFd>, OsFault> {
    let fault = |operation: &str, errno: rustix::io::Errno| OsFault {
        operation: operation.into(),
        path: path.into(),
        errno: errno.raw_os_error(),
    };
    let flags = OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let fd = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| fault("open", errno))?;
    let keys = ioctls::keys_down(fd.as_fd()).map_err(|errno| fault("reading the keys", errno))?;
    if keys.iter().any(|byte| *byte != 0) {
        return Ok(None);
    }
    ioctls::grab(fd.as_fd()).map_err(|errno| fault("holding", errno))?;
    Ok(Some(fd))
}
