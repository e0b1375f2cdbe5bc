//! The guard: a process beside an engine that is root. It hides what that engine asks for, and undoes it as soon as the engine is gone.

use crate::hider::{CoverPaths, Hider, lock_in_turn, recover};
use crate::machine::ThisMachine;
use crate::wire::{ANSWER, Answer, REQUEST, Request};
use std::io::{Read, Write};
use std::os::unix::net::UnixStream;

/// Serves the engine at the other end until it is gone, then undoes everything. Nothing that ends an engine ends this process: it has a session of
/// its own and ignores signals.
pub fn serve(stream: &mut UnixStream, machine: ThisMachine, paths: &CoverPaths) {
    let _ = rustix::process::setsid();
    let ignored = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    for signal in [1, 2, 3, 10, 12, 13, 15] {
        let _ = signal_hook::flag::register(signal, ignored.clone());
    }
    let Ok(_lock) = lock_in_turn(paths) else { return };
    let mut hider = Hider::new(machine, paths.clone());
    while let Some(request) = next(stream) {
        let answer = match request {
            Request::Cover(numbers) => match hider.hide(0, &numbers) {
                Ok(()) => Answer::Done(0),
                Err(refused) => Answer::Refused(refused),
            },
            Request::Uncover(number) => hider.show(0, number).map_or(Answer::Left, |()| Answer::Done(0)),
            Request::Status => Answer::Done(hider.count(0) as u32),
            // An engine that is root opens nodes by itself.
            Request::Open(_) | Request::OpenEvent(..) => break,
        };
        if stream.write_all(&answer.bytes()).is_err() {
            break;
        }
    }
    // What is written down and hidden by nobody else was left by an earlier guard.
    let left = hider.release(0).and(hider.tidy());
    if left.is_err() {
        // What failed once, under load, may work a moment later.
        std::thread::sleep(std::time::Duration::from_millis(500));
        let _ = recover(hider.machine(), paths);
    }
}

/// Stops the guard at the step that a test has named, tells the engine, and continues once that is gone.
#[cfg(feature = "test-hooks")]
fn stop_at(point: &'static str) {
    if std::env::var("PLACID_MANTLE_PAUSE_AT").is_ok_and(|at| at == point) {
        use std::os::fd::AsFd;
        let Ok(stream) = std::io::stdin().as_fd().try_clone_to_owned().map(UnixStream::from) else { return };
        let step = crate::hider::POINTS.iter().position(|one| *one == point).unwrap_or(usize::MAX);
        let _ = (&stream).write_all(&Answer::Stopped(step as u32).bytes());
        let mut polled = [rustix::event::PollFd::new(&stream, rustix::event::PollFlags::RDHUP)];
        while rustix::event::poll(&mut polled, None).is_err() {}
    }
}

/// The machine as a guard works on it.
#[must_use]
pub fn machine() -> ThisMachine {
    #[cfg(feature = "test-hooks")]
    return ThisMachine { at: Some(stop_at) };
    #[cfg(not(feature = "test-hooks"))]
    ThisMachine::default()
}

/// The next request; none once the engine is gone, or sends nonsense.
fn next(stream: &mut UnixStream) -> Option<Request> {
    let mut bytes = [0; REQUEST];
    stream.read_exact(&mut bytes).ok()?;
    Request::read(&bytes).ok()
}

/// The end of an engine that makes requests: of a guard's connection, or of the helper's.
#[derive(Debug)]
pub struct Client {
    stream: UnixStream,
}

impl Client {
    /// Over a connection.
    #[must_use]
    pub fn over(stream: UnixStream) -> Self {
        Self { stream }
    }

    /// The connection.
    #[must_use]
    pub fn stream(&self) -> &UnixStream {
        &self.stream
    }

    /// Asks, and waits for the answer. While a test has stopped the other end, `stopped` is told.
    ///
    /// # Errors
    /// When the other end is gone, or talks nonsense.
    pub fn ask(&mut self, request: &Request, mut stopped: impl FnMut(u32)) -> std::io::Result<Answer> {
        self.stream.write_all(&request.bytes())?;
        loop {
            let mut bytes = [0; ANSWER];
            self.stream.read_exact(&mut bytes)?;
            match Answer::read(bytes).map_err(|_| std::io::Error::from(std::io::ErrorKind::InvalidData))? {
                Answer::Stopped(step) => stopped(step),
                answer => return Ok(answer),
            }
        }
    }
}
