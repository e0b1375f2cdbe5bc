//! Mode, owner and access list of a node: read before a change, restored after it.

use rustix::fd::{AsRawFd, OwnedFd};
use rustix::fs::{AtFlags, Gid, Mode, OFlags, Uid, XattrFlags};
use rustix::io::Errno;
use serde::{Deserialize, Serialize};

const ACL: &str = "system.posix_acl_access";

/// What a node's rights were.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Rights {
    /// Permission bits.
    pub mode: u32,
    /// Owner.
    pub uid: u32,
    /// Group.
    pub gid: u32,
    /// The access list as the kernel stores it; none if there is none.
    pub acl: Option<Vec<u8>>,
    /// The node's device number.
    pub rdev: u64,
    /// The node's inode.
    #[serde(default)]
    pub inode: u64,
}

/// The very thing that has a name now, following no link.
fn stands(path: &str) -> rustix::io::Result<OwnedFd> {
    rustix::fs::open(path, OFlags::PATH | OFlags::NOFOLLOW | OFlags::CLOEXEC, Mode::empty())
}

/// By this name it can be changed, whatever its own name refers to by then.
fn by_descriptor(fd: &OwnedFd) -> String {
    format!("/proc/self/fd/{}", fd.as_raw_fd())
}

impl Rights {
    /// Reads them.
    ///
    /// # Errors
    /// When the node is not there.
    pub fn read(path: &str) -> rustix::io::Result<Self> {
        Self::of(&stands(path)?)
    }

    fn of(fd: &OwnedFd) -> rustix::io::Result<Self> {
        let stat = rustix::fs::fstat(fd)?;
        let mut buffer = vec![0u8; 4096];
        let acl = rustix::fs::getxattr(by_descriptor(fd), ACL, &mut buffer[..]).ok().map(|n| buffer[..n].to_vec());
        Ok(Self {
            mode: stat.st_mode & 0o7777,
            uid: stat.st_uid,
            gid: stat.st_gid,
            acl,
            rdev: stat.st_rdev,
            inode: stat.st_ino,
        })
    }

    /// Gives these to the node that bears a name, if it is the node with this device number.
    ///
    /// # Errors
    /// The first thing that is refused; `ENODEV` if it is another node by now.
    pub fn give(&self, path: &str, rdev: u64) -> rustix::io::Result<()> {
        let fd = stands(path)?;
        if rustix::fs::fstat(&fd)?.st_rdev != rdev {
            return Err(Errno::NODEV);
        }
        let (uid, gid) = (Uid::from_raw(self.uid), Gid::from_raw(self.gid));
        rustix::fs::chownat(&fd, "", Some(uid), Some(gid), AtFlags::EMPTY_PATH)?;
        let name = by_descriptor(&fd);
        match &self.acl {
            Some(acl) => rustix::fs::setxattr(&name, ACL, acl, XattrFlags::empty())?,
            None => drop(rustix::fs::removexattr(&name, ACL)),
        }
        rustix::fs::chmod(&name, Mode::from_raw_mode(self.mode))
    }
}
