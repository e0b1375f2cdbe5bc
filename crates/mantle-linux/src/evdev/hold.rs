//! Grabs input nodes, but only while nothing is down on them.

use crate::ioctls;
use crate::uinput;
use mantle_core::device::{NodeId, OsFault};
use mantle_core::evdev::EvdevCaps;
use mantle_core::path::PadFault;
use rustix::fd::{AsFd, BorrowedFd, OwnedFd};
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;

/// Opens an input node and holds it; none while something is down on it: a key that is down while a node is grabbed
/// would stay down for everybody else.
///
/// # Errors
/// What the system refused; `EBUSY` if another program holds it.
pub fn try_hold(path: &str) -> Result<Option<OwnedFd>, OsFault> {
    let flags = OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let fd = rustix::fs::open(path, flags, Mode::empty()).map_err(|errno| fault("open", path, errno))?;
    if any_down(fd.as_fd(), path)? {
        return Ok(None);
    }
    ioctls::grab(fd.as_fd()).map_err(|errno| fault("holding", path, errno))?;
    // Between the check and the grab a key may have gone down, and everybody else would lose its release. Dropping this releases the grab.
    Ok(if any_down(fd.as_fd(), path)? { None } else { Some(fd) })
}

fn fault(operation: &str, path: &str, errno: Errno) -> OsFault {
    OsFault { operation: operation.into(), path: path.into(), errno: errno.raw_os_error() }
}

fn any_down(fd: BorrowedFd<'_>, path: &str) -> Result<bool, OsFault> {
    let keys = ioctls::keys_down(fd).map_err(|errno| fault("reading the keys", path, errno))?;
    Ok(keys.iter().any(|byte| *byte != 0))
}

/// A node that is a source, to be held through a second handle of its descriptor.
#[derive(Debug)]
pub(crate) struct Hold {
    pub id: NodeId,
    pub path: String,
    pub fd: OwnedFd,
    /// What a node has to offer for passing on what nothing uses; none if there is nothing.
    pub pass: Option<EvdevCaps>,
}

/// What the unused events of nodes are passed on through.
pub(crate) type Passes = Vec<(NodeId, OwnedFd)>;

/// A node that is held until this is dropped.
#[derive(Debug)]
pub(crate) struct Held(OwnedFd);

impl Drop for Held {
    fn drop(&mut self) {
        let _ = ioctls::ungrab(self.0.as_fd());
    }
}

/// Holds nodes; none while something is down on one of them, or if one is refused. Unused events are passed on through `passes`. `passes` are kept
/// between attempts, so that a node is made once, however often a key goes down in between.
pub(crate) fn hold(nodes: &[Hold], passes: &mut Passes) -> Result<Option<Vec<Held>>, OsFault> {
    let down = |node: &Hold| any_down(node.fd.as_fd(), &node.path);
    for node in nodes {
        if down(node)? {
            return Ok(None);
        }
    }
    for node in nodes {
        if let Some(caps) = node.pass.as_ref().filter(|_| !passes.iter().any(|(id, _)| *id == node.id)) {
            // First the way out for what is typed, then the hold: without the former nobody could type any more.
            let twin = uinput::twin(caps, node.id.0).map_err(of_pad)?;
            passes.push((node.id, twin));
        }
    }
    let mut held = Vec::new();
    for node in nodes {
        if down(node)? {
            return Ok(None);
        }
        ioctls::grab(node.fd.as_fd()).map_err(|errno| fault("holding", &node.path, errno))?;
        held.push(Held(node.fd.try_clone().map_err(|_| fault("holding", &node.path, Errno::MFILE))?));
        // Between the check and the grab a key may have gone down, and everybody else would lose its release.
        if down(node)? {
            return Ok(None);
        }
    }
    Ok(Some(held))
}

fn of_pad(refused: PadFault) -> OsFault {
    let errno = match refused {
        PadFault::Other(fault) => return fault,
        PadFault::NoNode | PadFault::NoHidNode => 2,
        PadFault::Denied | PadFault::HidDenied => 13,
        PadFault::NoModule | PadFault::NoDriver | PadFault::NoRumble => 19,
    };
    OsFault { operation: "making a node for unused keys".into(), path: uinput::NODE.into(), errno }
}
