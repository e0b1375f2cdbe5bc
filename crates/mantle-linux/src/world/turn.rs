//! Whose turn it is at this machine: this engine's, while its login session is in front and no other engine has the devices.

use super::{LOCK, LinuxWorld};
use crate::clock::now;
use crate::lock::{self, Lock, Taken, account_name};
use crate::watch;
use mantle_core::front::Front;
use mantle_core::time::Micros;
use mantle_engine::Happening;
use rustix::event::epoll::{self, EventData, EventFlags};
use std::os::unix::net::UnixStream;

/// What is held is released within this time; then another engine may have it.
const LET_GO: Micros = Micros::millis(500);

/// What decides it.
#[derive(Debug)]
pub(super) struct Turn {
    /// The lock, while this engine has it, or who has it.
    lock: Result<Lock, Taken>,
    /// Whether the person's login session is in front.
    in_front: bool,
    /// When the lock is given up.
    gives_up: Option<Micros>,
    told: Front,
}

impl Turn {
    /// At the beginning.
    pub fn new(lock: Result<Lock, Taken>) -> Self {
        let mut turn = Self { lock, in_front: watch::session_in_front(), gives_up: None, told: Front::Ours };
        turn.told = turn.front();
        turn
    }

    /// Whose turn it is.
    pub fn front(&self) -> Front {
        match &self.lock {
            _ if !self.in_front => Front::OtherSession,
            Err(Taken { by, .. }) => Front::OtherEngine { process: by.pid, account: account_name(by.uid) },
            Ok(_) => Front::Ours,
        }
    }

    /// Whoever has the lock closes this when they give it up.
    fn peer(&self) -> Option<&UnixStream> {
        self.lock.as_ref().err().and_then(|taken| taken.peer.as_ref())
    }

    /// When something is to be done.
    pub fn due(&self) -> Option<Micros> {
        self.gives_up
    }
}

impl LinuxWorld {
    /// Whose turn it is.
    #[must_use]
    pub fn front(&self) -> Front {
        self.turn.front()
    }

    /// The login manager has written down who is in front.
    pub(super) fn handle_session(&mut self) {
        self.turn.in_front = watch::session_in_front();
        let has = self.turn.lock.is_ok();
        self.turn.gives_up = (has && !self.turn.in_front).then(|| now().after(LET_GO));
        if !has && self.turn.in_front {
            self.take_lock();
        }
        self.tell_front();
    }

    /// Whoever had the lock has given it up, or has ended.
    pub(super) fn handle_lock(&mut self) {
        if self.turn.in_front {
            self.take_lock();
        } else if let Some(peer) = self.turn.peer() {
            // It is taken when it is this session's turn.
            let _ = epoll::delete(&self.epoll, peer);
        }
        self.tell_front();
    }

    /// The lock is given up, if it is time to: then an engine of the session in front plays.
    pub(super) fn give_up_lock(&mut self, at: Micros) -> bool {
        if self.turn.gives_up.take_if(|due| *due <= at).is_none() {
            return false;
        }
        self.turn.lock = Err(Taken::by_nobody());
        true
    }

    fn take_lock(&mut self) {
        // What was waited for is closed, and therefore no longer waited for.
        self.turn.lock = lock::take();
        self.await_lock();
    }

    /// Waits for whoever has the lock.
    pub(super) fn await_lock(&mut self) {
        if let Some(peer) = self.turn.peer() {
            let _ = epoll::add(&self.epoll, peer, EventData::new_u64(LOCK), EventFlags::RDHUP);
        }
    }

    fn tell_front(&mut self) {
        let front = self.turn.front();
        if front != self.turn.told {
            self.turn.told.clone_from(&front);
            self.ready.push_back(Happening::Front(now(), front));
        }
    }
}
