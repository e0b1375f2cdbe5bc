//! A virtual pad, however it is made.

use crate::hid_pad::{HidPad, PadBack};
use crate::uinput::Pad;
use mantle_core::pad::{Events, HidForm, PadModel, Publisher};
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use rustix::fd::BorrowedFd;

/// A virtual pad; dropping it removes it.
#[derive(Debug)]
#[expect(clippy::large_enum_variant, reason = "it is boxed as a whole, and few of them are there")]
pub enum VirtualPad {
    /// Event nodes of uinput.
    Events(Pad),
    /// A HID device of uhid.
    Hid(HidPad),
}

/// A common pad that is a separate device. The driver that lets games shake it learns of such pads when its module is loaded, which the first opening
/// of the node may cause. What was made before that has another driver, and is made once more.
fn apart(slot: SlotNumber, model: &PadModel) -> Result<HidPad, PadFault> {
    for _ in 0..2 {
        let pad = HidPad::create(slot, model, HidForm::Common)?;
        if pad.can_shake() {
            return Ok(pad);
        }
    }
    Err(PadFault::NoRumble)
}

impl VirtualPad {
    /// Makes the pad of a slot and waits, boundedly, until the system has processed it. A common pad that cannot be a device of its own, or
    /// that games could not shake then, is made of event nodes; it is said why.
    ///
    /// # Errors
    /// [`PadFault`].
    pub fn create(slot: SlotNumber, model: &PadModel) -> Result<(Self, Option<PadFault>), PadFault> {
        match model.publisher {
            Publisher::Uhid(HidForm::Common) => match apart(slot, model) {
                Ok(pad) => Ok((Self::Hid(pad), None)),
                Err(why) => Pad::create(slot, model).map(|pad| (Self::Events(pad), Some(why))),
            },
            Publisher::Uhid(form) => HidPad::create(slot, model, form).map(|pad| (Self::Hid(pad), None)),
            Publisher::Uinput | Publisher::Nobody => Pad::create(slot, model).map(|pad| (Self::Events(pad), None)),
        }
    }

    /// Its event node; if it has several, that of its buttons.
    #[must_use]
    pub fn node(&self) -> &str {
        match self {
            Self::Events(pad) => &pad.node,
            Self::Hid(pad) => &pad.node,
        }
    }

    /// Its descriptor, to wait on for what games send.
    #[must_use]
    pub fn as_fd(&self) -> BorrowedFd<'_> {
        match self {
            Self::Events(pad) => pad.as_fd(),
            Self::Hid(pad) => pad.as_fd(),
        }
    }

    /// Takes what games have sent back.
    pub fn handle_back(&mut self) -> PadBack {
        match self {
            Self::Events(pad) => PadBack { rumble: pad.handle_back(), ..PadBack::default() },
            Self::Hid(pad) => pad.handle_back(),
        }
    }

    /// When it wants to be told the time, apart from its shaking.
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
