//! Made-up devices: identity, report descriptors, and the hands that move them. Documented in docs/devices-and-scenes.md.

use crate::fault::FileFault;
use mantle_core::control::{Control, ControlKind, Layout};
use serde::Deserialize;

/// A made-up device.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DeviceFile {
    /// Version of the file format: 1.
    pub version: u32,
    /// The device's name.
    pub name: String,
    /// `usb` or `bluetooth`.
    #[serde(default = "usb")]
    pub bus: String,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Device version.
    #[serde(default = "first_release")]
    pub release: u16,
    /// Serial number; empty if it has none.
    #[serde(default)]
    pub serial: String,
    /// Its interfaces.
    pub interface: Vec<InterfaceFile>,
    /// Movements by hands.
    #[serde(default)]
    pub hand: Vec<Gesture>,
}

fn usb() -> String {
    "usb".into()
}

fn first_release() -> u16 {
    0x0100
}

/// One interface of a made-up device.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct InterfaceFile {
    /// Reports per second while it sends.
    #[serde(default = "usual_rate")]
    pub rate: u32,
    /// Whether it sends all the time, or only changes.
    #[serde(default)]
    pub stream: bool,
    /// The shipped sheet that reads it, if its descriptor says nothing.
    pub sheet: Option<String>,
    /// Position of a byte after the id that counts up with every report.
    pub counter: Option<usize>,
    /// Report descriptor: bytes in hex, `#` to the end of the line is a comment.
    pub descriptor: String,
    /// Where controls rest, if not in the middle or at "no value".
    #[serde(default)]
    pub rest: Vec<RestValue>,
    /// What has to be written to it before it sends anything, in this order.
    #[serde(default)]
    pub wake: Vec<Wake>,
}

/// A write that a device waits for.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Wake {
    /// The beginning of the output or feature report, in hex, id first.
    pub on: String,
    /// The input report it answers with.
    pub answer: Option<String>,
}

fn usual_rate() -> u32 {
    125
}

/// The rest of one control.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RestValue {
    /// The control's name.
    pub control: String,
    /// The part, from 0.
    #[serde(default)]
    pub part: usize,
    /// The raw value.
    pub value: i64,
}

/// A hand's movement of one control: there, stay, back.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Gesture {
    /// The control's name.
    pub control: String,
    /// The interface, from 0.
    #[serde(default)]
    pub interface: usize,
    /// The part, from 0.
    #[serde(default)]
    pub part: usize,
    /// When, in seconds after the device was plugged in.
    #[serde(default)]
    pub at: f64,
    /// Repeat interval in seconds; 0 for once.
    #[serde(default)]
    pub every: f64,
    /// The raw value to move to; by default, the upper end.
    pub to: Option<i64>,
    /// Seconds to get there.
    #[serde(default)]
    pub over: f64,
    /// Seconds to stay.
    #[serde(default = "a_press")]
    pub hold: f64,
    /// Seconds to get back.
    #[serde(default)]
    pub back: f64,
}

fn a_press() -> f64 {
    0.12
}

impl DeviceFile {
    /// Reads a device file.
    ///
    /// # Errors
    /// The first fault, with its line and column.
    pub fn parse(path: &str, text: &str) -> Result<Self, FileFault> {
        let file: Self = toml::from_str(text).map_err(|error| FileFault::from_toml(path, text, &error))?;
        if file.version != 1 {
            return Err(FileFault::whole(path, format!("version {} is unknown; this program reads 1", file.version)));
        }
        if !matches!(file.bus.as_str(), "usb" | "bluetooth") {
            return Err(FileFault::whole(path, format!("bus {:?} is not one of: usb, bluetooth", file.bus)));
        }
        FileFault::most(path, "characters of its name", file.name.chars().count(), 255)?;
        FileFault::most(path, "characters of its serial number", file.serial.chars().count(), 255)?;
        FileFault::most(path, "interfaces", file.interface.len(), 8)?;
        FileFault::most(path, "hands", file.hand.len(), 1000)?;
        if file.interface.is_empty() {
            return Err(FileFault::whole(path, "a device needs at least one [[interface]]"));
        }
        for interface in &file.interface {
            interface.bytes().map_err(|message| FileFault::whole(path, message))?;
            FileFault::most(path, "controls at rest", interface.rest.len(), 1000)?;
            FileFault::most(path, "wakes", interface.wake.len(), 64)?;
            if !(1..=8000).contains(&interface.rate) {
                return Err(FileFault::whole(path, format!("rate {} is not within 1 to 8000", interface.rate)));
            }
        }
        Ok(file)
    }
}

impl InterfaceFile {
    /// The descriptor's bytes.
    ///
    /// # Errors
    /// The first word that is no byte in hex.
    pub fn bytes(&self) -> Result<Vec<u8>, String> {
        let words = self.descriptor.lines().flat_map(|line| line.split('#').next().unwrap_or("").split_whitespace());
        words
            .map(|word| match (word.len(), u8::from_str_radix(word, 16)) {
                (1..=2, Ok(byte)) => Ok(byte),
                _ => Err(format!("descriptor: {word:?} is not a byte in hex")),
            })
            .collect()
    }
}

/// The control with this name in a device file.
#[must_use]
pub fn control_of<'a>(layout: &'a Layout, part: usize, name: &str) -> Option<&'a Control> {
    layout.parts.get(part)?.controls.iter().find(|control| control.name == name)
}

/// Where a control of a made-up device rests.
#[must_use]
pub fn rest_value(interface: &InterfaceFile, part: usize, control: &Control) -> i64 {
    let said = interface.rest.iter().find(|rest| rest.part == part && rest.control == control.name);
    if let Some(rest) = said {
        return rest.value;
    }
    let (min, max) = (i64::from(control.min), i64::from(control.max));
    match control.kind {
        ControlKind::Axis | ControlKind::Pointer => (min + max + 1).div_euclid(2),
        ControlKind::Hat if min > 0 => min - 1,
        ControlKind::Hat => max + 1,
        ControlKind::Button | ControlKind::Key | ControlKind::Relative | ControlKind::Contact => 0,
        ControlKind::Motion | ControlKind::State => 0,
    }
}
