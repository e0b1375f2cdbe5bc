//! A virtual pad, by whichever way it is made.

use crate::hid_pad::{HidPad, PadBack};
use crate::uinput::Pad;
use mantle_core::pad::{Events, PadModel, Publisher};
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use rustix::fd::BorrowedFd;

/// A virtual pad; it goes when this is dropped.
#[derive(Debug)]
#[expect(clippy::large_enum_variant, reason = "it is boxed as a whole, and few of them are there")]
pub enum VirtualPad {
    /// Event nodes of uinput.
    Events(Pad),
    /// A HID device of uhid.
    Hid(HidPad),
}

impl VirtualPad {
    /// Makes the pad of a slot and waits, boundedly, until the system has processed it.
    ///
    /// # Errors
    /// [`PadFault`].
    pub fn create(slot: SlotNumber, model: &PadModel) -> Result<Self, PadFault> {
        match model.publisher {
            Publisher::Uhid(form) => HidPad::create(slot, model, form).map(Self::Hid),
            Publisher::Uinput | Publisher::Nobody => Pad::create(slot, model).map(Self::Events),
        }
    }

    /// Its event node, that of its buttons where it has several.
    #[must_use]
    pub fn node(&self) -> &str {
        match self {
            Self::Events(pad) => &pad.node,
            Self::Hid(pad) => &pad.node,
        }
    }

    /// Its nodes that games may have open.
    #[must_use]
    pub fn nodes(&self) -> Vec<String> {
        match self {
            Self::Events(pad) => vec![pad.node.clone()],
            Self::Hid(pad) => pad.nodes(),
        }
    }

    /// Its descriptor, to wait on for what games send back.
    #[must_use]
    pub fn as_fd(&self) -> BorrowedFd<'_> {
        match self {
            Self::Events(pad) => pad.as_fd(),
            Self::Hid(pad) => pad.as_fd(),
        }
    }

    /// Takes what games have sent back.
    pub fn handle_back(&mut self, now: Micros) -> PadBack {
        match self {
            Self::Events(pad) => PadBack { rumble: pad.handle_back(now), ..PadBack::default() },
            Self::Hid(pad) => pad.handle_back(now),
        }
    }

    /// When it wants to be told the time beside what its shaking says of that.
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        match self {
            Self::Events(_) => None,
            Self::Hid(pad) => pad.due(),
        }
    }

    /// It is due; returns what it does from now on.
    ///
    /// # Errors
    /// [`PadFault`] if the kernel did not take what it shows.
    pub fn handle_time(&mut self, now: Micros) -> Result<PadBack, PadFault> {
        match self {
            Self::Events(pad) => Ok(PadBack { rumble: Some(pad.rumble(now)), ..PadBack::default() }),
            Self::Hid(pad) => pad.handle_time(now),
        }
    }

    /// Shows what has changed, at once.
    ///
    /// # Errors
    /// [`PadFault`] if the kernel did not take all of it.
    pub fn write(&mut self, now: Micros, events: &Events) -> Result<(), PadFault> {
        match self {
            Self::Events(pad) => pad.write_all(events),
            Self::Hid(pad) => pad.write(now, events),
        }
    }
}
