//! A descriptor that is passed along with bytes over a connection.

use rustix::fd::{AsFd, OwnedFd};
use rustix::net::{RecvAncillaryBuffer, RecvAncillaryMessage, RecvFlags};
use rustix::net::{SendAncillaryBuffer, SendAncillaryMessage, SendFlags};
use std::io::{self, IoSlice, IoSliceMut};
use std::os::unix::net::UnixStream;

/// Sends bytes, and a descriptor along with them.
///
/// # Errors
/// The other side is gone, or takes no more.
pub fn send(stream: &UnixStream, bytes: &[u8], fd: impl AsFd) -> io::Result<()> {
    let fds = [fd.as_fd()];
    let mut space = [std::mem::MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(1))];
    let mut along = SendAncillaryBuffer::new(&mut space);
    along.push(SendAncillaryMessage::ScmRights(&fds));
    let sent = rustix::net::sendmsg(stream, &[IoSlice::new(bytes)], &mut along, SendFlags::NOSIGNAL)?;
    if sent == bytes.len() { Ok(()) } else { Err(io::ErrorKind::WriteZero.into()) }
}

/// Receives bytes: how many, and the descriptor that came along, if one did.
///
/// # Errors
/// The other side is gone.
pub fn receive(stream: &UnixStream, bytes: &mut [u8]) -> io::Result<(usize, Option<OwnedFd>)> {
    let mut space = [std::mem::MaybeUninit::uninit(); rustix::cmsg_space!(ScmRights(1))];
    let mut along = RecvAncillaryBuffer::new(&mut space);
    let mut into = [IoSliceMut::new(bytes)];
    let came = rustix::net::recvmsg(stream, &mut into, &mut along, RecvFlags::CMSG_CLOEXEC)?;
    let fd = along.drain().find_map(|message| match message {
        RecvAncillaryMessage::ScmRights(mut fds) => fds.next(),
        _ => None,
    });
    Ok((came.bytes, fd))
}
