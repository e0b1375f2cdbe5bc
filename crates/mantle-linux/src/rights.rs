//! Mode, owner and access list of a node: read before a change, put back after it.

use rustix::fs::{Gid, Mode, Uid, XattrFlags, chmod, chown, getxattr, removexattr, setxattr, stat};
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

impl Rights {
    /// Reads them.
    ///
    /// # Errors
    /// When the node is not there.
    pub fn read(path: &str) -> rustix::io::Result<Self> {
        let stat = stat(path)?;
        let mut buffer = vec![0u8; 4096];
        let acl = getxattr(path, ACL, &mut buffer[..]).ok().map(|n| buffer[..n].to_vec());
        Ok(Self {
            mode: stat.st_mode & 0o7777,
            uid: stat.st_uid,
            gid: stat.st_gid,
            acl,
            rdev: stat.st_rdev,
            inode: stat.st_ino,
        })
    }

    /// Puts them back. The caller has made sure that it is still the same node.
    ///
    /// # Errors
    /// The first thing that is refused.
    pub fn restore(&self, path: &str) -> rustix::io::Result<()> {
        chown(path, Some(Uid::from_raw(self.uid)), Some(Gid::from_raw(self.gid)))?;
        match &self.acl {
            Some(acl) => setxattr(path, ACL, acl, XattrFlags::empty())?,
            None => drop(removexattr(path, ACL)),
        }
        chmod(path, Mode::from_raw_mode(self.mode))
    }
}
