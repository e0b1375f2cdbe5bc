//! What wakes the engine while it waits.

use rustix::event::{EventfdFlags, eventfd};
use rustix::fd::OwnedFd;
use std::sync::Arc;

/// Wakes the engine out of its wait.
#[derive(Clone, Debug)]
pub(crate) struct Waker(Arc<OwnedFd>);

impl Waker {
    pub fn new() -> rustix::io::Result<Self> {
        Ok(Self(Arc::new(eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?)))
    }

    pub fn fd(&self) -> &OwnedFd {
        &self.0
    }

    pub fn ring(&self) {
        let _ = rustix::io::write(&*self.0, &1u64.to_ne_bytes());
    }

    pub fn hush(&self) {
        let mut count = [0u8; 8];
        let _ = rustix::io::read(&*self.0, &mut count);
    }
}
