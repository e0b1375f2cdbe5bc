//! The *keys* output of a slot through uinput: a separate keyboard and mouse.

use crate::uinput::{NodeName, PHYS_PREFIX, make_node};
use mantle_core::device::OsFault;
use mantle_core::evdev::{EvdevCaps, event};
use mantle_core::keys::{KeyAct, KeyTarget, STROKES, Typed};
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use rustix::fd::OwnedFd;

/// Buttons of a mouse begin here; whatever is below are keys.
const BUTTONS: u16 = 0x100;
const EVENT: usize = 24;

/// A keyboard and a mouse that a slot types through; dropping this removes them and releases what is down.
#[derive(Debug)]
pub struct Keys {
    keyboard: OwnedFd,
    mouse: OwnedFd,
    /// Their event nodes.
    pub name: String,
}

/// What they offer: everything that can be typed, so that no other profile needs other nodes.
fn caps() -> [EvdevCaps; 2] {
    let (mut keyboard, mut mouse) = (EvdevCaps::default(), EvdevCaps::default());
    for stroke in KeyTarget::all() {
        match stroke.act() {
            KeyAct::Key(code) => keyboard.codes.push((event::KEY, code)),
            KeyAct::Button(code) => mouse.codes.push((event::KEY, code)),
            KeyAct::Motion(code, _) | KeyAct::Wheel(code, _) => mouse.codes.push((event::REL, code)),
            KeyAct::ProgramAction(_) => {}
        }
    }
    [keyboard, mouse].map(|mut caps| {
        caps.codes.sort_unstable();
        caps.codes.dedup();
        caps
    })
}

impl Keys {
    /// Makes both and waits, boundedly, until the system has processed them.
    ///
    /// # Errors
    /// [`PadFault`].
    pub fn create(slot: SlotNumber) -> Result<Self, PadFault> {
        let make = |caps: &EvdevCaps, what: &str| {
            let phys = format!("{PHYS_PREFIX}{}/{}/{what}", std::process::id(), slot.number());
            let name = format!("Placid Mantle {what} {}", slot.number());
            make_node(caps, &NodeName { name: &name, phys: &phys, ids: [6, 0, 0, 1] })
        };
        let [keys, pointer] = caps();
        let (keyboard, first) = make(&keys, "keyboard")?;
        let (mouse, second) = make(&pointer, "mouse")?;
        Ok(Self { keyboard, mouse, name: format!("{first} and {second}") })
    }

    /// Types one frame: to each of the two what is its own.
    ///
    /// # Errors
    /// [`PadFault`] if one of them did not take all of it.
    pub fn write(&self, typed: &Typed) -> Result<(), PadFault> {
        let is_key = |(kind, code, _): &(u16, u16, i32)| *kind == event::KEY && *code < BUTTONS;
        self.write_to(&self.keyboard, typed.events().iter().filter(|event| is_key(event)))?;
        self.write_to(&self.mouse, typed.events().iter().filter(|event| !is_key(event)))
    }

    fn write_to<'a>(&self, fd: &OwnedFd, events: impl Iterator<Item = &'a (u16, u16, i32)>) -> Result<(), PadFault> {
        let mut bytes = [0u8; EVENT * (STROKES + 1)];
        let mut len = 0;
        for (kind, code, value) in events.chain(std::iter::once(&(event::SYN, event::SYN_REPORT, 0))) {
            bytes[len + 16..len + 18].copy_from_slice(&kind.to_ne_bytes());
            bytes[len + 18..len + 20].copy_from_slice(&code.to_ne_bytes());
            bytes[len + 20..len + 24].copy_from_slice(&value.to_ne_bytes());
            len += EVENT;
        }
        if len == EVENT {
            return Ok(());
        }
        let errno = match rustix::io::write(fd, &bytes[..len]) {
            Ok(written) if written == len => return Ok(()),
            Ok(_) => 5,
            Err(errno) => errno.raw_os_error(),
        };
        Err(PadFault::Other(OsFault { operation: "typing".into(), path: self.name.clone(), errno }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keyboards_have_only_keys_and_mice_their_axes_and_buttons() {
        let [keyboard, mouse] = caps();
        assert!(keyboard.has(event::KEY, 30) && keyboard.of(event::REL).next().is_none());
        assert!(keyboard.of(event::KEY).all(|code| code < BUTTONS));
        assert!(mouse.has(event::KEY, 0x110) && mouse.has(event::REL, 0) && mouse.has(event::REL, 8));
        assert!(mouse.of(event::KEY).all(|code| code >= BUTTONS));
    }
}
