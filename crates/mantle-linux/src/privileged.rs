//! The other side of hiding: our own guard if we are root, the helper if an account is served by one.

use crate::hooks;
use mantle_core::device::OsFault;
use mantle_helper::descriptors;
use mantle_helper::guard::Client;
use mantle_helper::hider::Refused;
use mantle_helper::serve::SOCKET;
use mantle_helper::wire::{ANSWER, Answer, Request};
use rustix::fd::OwnedFd;
use rustix::io::Errno;
use std::io::{self, Write};
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// Who hides devices for us.
#[derive(Debug)]
pub(crate) struct Hiding {
    client: Client,
    /// The guard, if it is our own process.
    guard: Option<Child>,
}

impl Hiding {
    /// The helper, if one listens here.
    pub fn by_helper() -> Option<Self> {
        let stream = UnixStream::connect(SOCKET).ok()?;
        Some(Self { client: Client::over(stream), guard: None })
    }

    /// A guard, started now. It gets one connection and nothing else of ours, since whatever it had would be held until it ends.
    pub fn by_guard(hooked: bool) -> io::Result<Self> {
        let (ours, theirs) = UnixStream::pair()?;
        nothing_is_inherited();
        // The running program, not what may have replaced its file.
        let mut command = Command::new("/proc/self/exe");
        command.arg("guard").env_clear().current_dir("/");
        command.stdin(OwnedFd::from(theirs)).stdout(Stdio::null()).stderr(Stdio::null());
        if hooked {
            hooks::hand_on(&mut command);
        }
        let guard = command.spawn()?;
        Ok(Self { client: Client::over(ours), guard: Some(guard) })
    }

    /// The process of our own guard.
    pub fn guard(&self) -> Option<u32> {
        self.guard.as_ref().map(Child::id)
    }

    /// A second handle of the connection, which becomes readable when the other side is gone.
    pub fn watched(&self) -> io::Result<UnixStream> {
        self.client.stream().try_clone()
    }

    /// Asks, and waits for the answer.
    ///
    /// # Errors
    /// When the other side is gone.
    pub fn ask(&mut self, request: &Request) -> io::Result<Answer> {
        let guard = self.guard.as_ref().map_or(0, Child::id);
        self.client.ask(request, |step| hooks::stopped(step, guard))
    }
}

impl Drop for Hiding {
    fn drop(&mut self) {
        let _ = self.client.stream().shutdown(std::net::Shutdown::Both);
        if let Some(guard) = &mut self.guard {
            let _ = guard.wait();
        }
    }
}

/// Whatever this process was started with, or has open, is not inherited: a hold, or a pad's descriptor, would outlive us.
fn nothing_is_inherited() {
    let open = std::fs::read_dir("/proc/self/fd").into_iter().flatten().flatten();
    for number in open.filter_map(|entry| entry.file_name().to_str()?.parse::<i32>().ok()).filter(|number| *number > 2)
    {
        // SAFETY: the number is used for one call that changes a flag of it; of a descriptor that is closed meanwhile the call says EBADF, and
        // nothing is closed here.
        let fd = unsafe { rustix::fd::BorrowedFd::borrow_raw(number) };
        let _ = rustix::io::fcntl_setfd(fd, rustix::io::FdFlags::CLOEXEC);
    }
}

/// What was refused, of a device.
pub(crate) fn fault(refused: Refused, path: &str) -> OsFault {
    OsFault { operation: refused.operation.words().into(), path: path.into(), errno: refused.errno }
}

/// The node of a device's reports, opened by the helper, if there is one and it may hand it out. The node is given by its place under `/sys`.
pub(crate) fn open(node: &Path) -> Option<OwnedFd> {
    ask_for(node.parent()?.parent()?, Request::Open)
}

/// An event node of the device there, likewise.
pub(crate) fn open_event(path: &str, device: &Path) -> Option<OwnedFd> {
    let event = path.strip_prefix("/dev/input/event")?.parse().ok()?;
    ask_for(device, |number| Request::OpenEvent(number, event))
}

fn ask_for(device: &Path, request: impl Fn(u32) -> Request) -> Option<OwnedFd> {
    let number = mantle_helper::device::number_in(device.file_name()?.to_str()?)?;
    let mut stream = UnixStream::connect(SOCKET).ok()?;
    stream.set_read_timeout(Some(std::time::Duration::from_secs(10))).ok()?;
    stream.write_all(&request(number).bytes()).ok()?;
    let (bytes, fd) = receive(&stream).ok()?;
    match Answer::read(bytes) {
        Ok(Answer::Done(_)) => fd,
        _ => None,
    }
}

fn receive(stream: &UnixStream) -> io::Result<([u8; ANSWER], Option<OwnedFd>)> {
    let mut bytes = [0; ANSWER];
    match descriptors::receive(stream, &mut bytes)? {
        (ANSWER, fd) => Ok((bytes, fd)),
        _ => Err(Errno::PROTO.into()),
    }
}
