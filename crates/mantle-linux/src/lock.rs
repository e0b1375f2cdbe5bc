//! Notices a second engine, also of another account: one abstract socket, which the kernel removes with its owner.

use std::os::linux::net::SocketAddrExt;
use std::os::unix::net::{SocketAddr, UnixListener, UnixStream};

const NAME: &str = "placid-mantle/engine";

/// Held while an engine runs.
#[derive(Debug)]
pub struct Lock {
    _listener: Option<UnixListener>,
}

/// Who runs already.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Other {
    /// Its process; 0 if unknown.
    pub pid: i32,
    /// Its account.
    pub uid: u32,
}

impl std::fmt::Display for Other {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let account = account_name(self.uid);
        write!(
            f,
            "another placid-mantle is already running (process {}, account {account}): end that one first",
            self.pid
        )
    }
}

/// The name of an account, or its number.
#[must_use]
pub fn account_name(uid: u32) -> String {
    mantle_helper::people::account_name(uid).unwrap_or_else(|| uid.to_string())
}

/// The lock is somebody else's.
#[derive(Debug)]
pub struct Taken {
    /// Whose.
    pub by: Other,
    /// A connection to the holder, which closes when they give it up.
    pub peer: Option<UnixStream>,
}

impl Taken {
    /// It was given up, and not taken again.
    pub(crate) fn by_nobody() -> Self {
        Self { by: Other { pid: 0, uid: 0 }, peer: None }
    }
}

/// Who has the lock, and the connection that tells; none if nobody has.
fn holder() -> Option<(Other, UnixStream)> {
    let address = SocketAddr::from_abstract_name(NAME).ok()?;
    let peer = UnixStream::connect_addr(&address).ok()?;
    let credentials = rustix::net::sockopt::socket_peercred(&peer).ok();
    let nobody = Other { pid: 0, uid: 0 };
    Some((credentials.map_or(nobody, |c| Other { pid: c.pid.as_raw_pid(), uid: c.uid.as_raw() }), peer))
}

/// Whose engine runs, without taking anything.
#[must_use]
pub fn held_by() -> Option<Other> {
    holder().map(|(other, _)| other)
}

/// Takes the lock.
///
/// # Errors
/// Who has it.
pub fn take() -> Result<Lock, Taken> {
    let Ok(address) = SocketAddr::from_abstract_name(NAME) else { return Ok(Lock { _listener: None }) };
    match UnixListener::bind_addr(&address) {
        Ok(listener) => Ok(Lock { _listener: Some(listener) }),
        Err(error) if error.kind() == std::io::ErrorKind::AddrInUse => {
            let (by, peer) = holder().map_or((Other { pid: 0, uid: 0 }, None), |(by, peer)| (by, Some(peer)));
            Err(Taken { by, peer })
        }
        // Without abstract sockets nothing can be noticed, which is no reason not to play.
        Err(_) => Ok(Lock { _listener: None }),
    }
}
