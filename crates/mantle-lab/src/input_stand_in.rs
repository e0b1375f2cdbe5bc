//! Made-up input nodes on a real kernel, through uinput: pads, mice and keyboards that are no HID devices.

use mantle_core::evdev::{EvdevAxis, EvdevCaps, event};
use mantle_linux::uinput::{NodeName, make_node};
use rustix::fd::OwnedFd;

/// What a made-up input node offers.
#[derive(Clone, Copy, Debug)]
pub struct InputFacts<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its product id; the vendor is 1209.
    pub product: u16,
    /// Keys and buttons.
    pub keys: &'a [u16],
    /// Relative axes.
    pub rels: &'a [u16],
    /// Absolute axes: code, minimum, maximum, fuzz.
    pub axes: &'a [(u16, i32, i32, i32)],
    /// Counts per unit of its axes; 0 if that is not given.
    pub resolution: i32,
    /// Properties of the node.
    pub properties: &'a [u16],
}

/// A made-up input node, there until it is dropped.
#[derive(Debug)]
pub struct InputStandIn {
    fd: OwnedFd,
    /// Its event node.
    pub node: String,
}

impl InputStandIn {
    /// Makes a node.
    ///
    /// # Errors
    /// When the kernel refuses it.
    pub fn plug(facts: &InputFacts<'_>) -> Result<Self, String> {
        let mut caps = EvdevCaps::default();
        caps.codes.extend(facts.keys.iter().map(|code| (event::KEY, *code)));
        caps.codes.extend(facts.rels.iter().map(|code| (event::REL, *code)));
        for (code, min, max, fuzz) in facts.axes {
            caps.codes.push((event::ABS, *code));
            caps.axes.push(EvdevAxis {
                code: *code,
                min: *min,
                max: *max,
                fuzz: *fuzz,
                flat: 0,
                resolution: facts.resolution,
            });
        }
        caps.properties = facts.properties.to_vec();
        let phys = format!("lab/{:04x}/input0", facts.product);
        let who = NodeName { name: facts.name, phys: &phys, ids: [0x11, 0x1209, facts.product, 1] };
        let (fd, node) = make_node(&caps, &who).map_err(|fault| fault.cause())?;
        Ok(Self { fd, node })
    }

    /// Sends one frame of events: type, code and value.
    ///
    /// # Errors
    /// When the kernel does not take it.
    pub fn send(&self, events: &[(u16, u16, i32)]) -> Result<(), String> {
        let mut bytes = Vec::new();
        for (kind, code, value) in events.iter().chain(&[(event::SYN, event::SYN_REPORT, 0)]) {
            bytes.extend([0u8; 16]);
            bytes.extend(kind.to_ne_bytes());
            bytes.extend(code.to_ne_bytes());
            bytes.extend(value.to_ne_bytes());
        }
        match rustix::io::write(&self.fd, &bytes) {
            Ok(n) if n == bytes.len() => Ok(()),
            Ok(n) => Err(format!("{n} of {} bytes were taken", bytes.len())),
            Err(errno) => Err(errno.to_string()),
        }
    }

    /// The fuzz of an axis, as the kernel has it now.
    #[must_use]
    pub fn fuzz(&self, code: u16) -> i32 {
        mantle_linux::axes(&self.node, std::iter::once(code)).first().map_or(-1, |axis| axis.fuzz)
    }
}
