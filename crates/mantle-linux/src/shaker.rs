//! Shakes a device through the force feedback of its own event node, if the kernel's driver offers that.

use crate::ioctls::{FfEffect, send_effect};
use crate::opener;
use crate::uinput::{EV_FF, FF_RUMBLE};
use mantle_core::device::OsFault;
use rustix::fd::{AsFd, OwnedFd};
use rustix::io::Errno;
use std::path::{Path, PathBuf};

/// The longest possible effect, in milliseconds: we stop it, and the kernel does when we are gone.
const LONGEST: u16 = u16::MAX;

/// The effect that one device is shaken by.
#[derive(Debug)]
pub(crate) struct Shaker {
    /// The device's own directory: only a node below it belongs to it.
    device: PathBuf,
    open: Option<Open>,
}

#[derive(Debug)]
struct Open {
    node: String,
    fd: OwnedFd,
    /// The effect's number; -1 before the kernel has assigned one.
    effect: i16,
}

impl Shaker {
    /// For the device of a node with this directory under `/sys`.
    pub fn new(sys: &Path) -> Self {
        let above = |levels: usize| sys.ancestors().nth(levels).unwrap_or(sys).to_owned();
        let is_event = sys.file_name().is_some_and(|name| name.to_string_lossy().starts_with("event"));
        // A hidraw node is two levels below its device, an event node one below its input device.
        Self { device: above(if is_event { 1 } else { 2 }), open: None }
    }

    /// Lets it shake so strongly until the next call; both 0 to stop.
    ///
    /// # Errors
    /// What the system refused.
    pub fn shake(&mut self, node: &str, strong: u16, weak: u16) -> Result<(), OsFault> {
        if self.open.as_ref().is_none_or(|open| open.node != node) {
            let fd = opener::open_below(node, &self.device)?;
            self.open = Some(Open { node: node.into(), fd, effect: -1 });
        }
        let Some(open) = &mut self.open else { return Ok(()) };
        let result = open.shake(strong, weak);
        if result.is_err() {
            // It may be another node by the next time.
            self.open = None;
        }
        result.map_err(|errno| OsFault {
            operation: "force feedback".into(),
            path: node.into(),
            errno: errno.raw_os_error(),
        })
    }
}

impl Open {
    fn shake(&mut self, strong: u16, weak: u16) -> Result<(), Errno> {
        let shakes = strong != 0 || weak != 0;
        if shakes {
            let mut words = [0; 16];
            (words[0], words[1]) = (strong, weak);
            let mut effect =
                FfEffect { kind: FF_RUMBLE, id: self.effect, length: LONGEST, words, ..FfEffect::default() };
            send_effect(self.fd.as_fd(), &mut effect)?;
            self.effect = effect.id;
        }
        let Ok(effect) = u16::try_from(self.effect) else { return Ok(()) };
        let mut event = [0u8; 24];
        event[16..18].copy_from_slice(&EV_FF.to_ne_bytes());
        event[18..20].copy_from_slice(&effect.to_ne_bytes());
        event[20..24].copy_from_slice(&i32::from(shakes).to_ne_bytes());
        rustix::io::write(&self.fd, &event).map(drop)
    }
}
