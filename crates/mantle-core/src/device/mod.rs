//! Devices and nodes: identity, the stable key across reconnects, and what is known of access.

mod connection;
mod driven;
mod identity;

pub use connection::Connection;
pub use driven::Driven;
pub use identity::{Bus, Identity, Key, Match};

use serde::{Deserialize, Serialize};

/// One source node (a hidraw node), numbered by its world; the lowest free number is reused.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub struct NodeId(pub u16);

/// One device: all interfaces of the physical thing.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub struct DeviceId(pub u16);

/// What is known of a node without opening it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct NodeFacts {
    /// Its number.
    pub id: NodeId,
    /// Its path, for example `/dev/hidraw3`.
    pub path: String,
    /// Its identity.
    pub identity: Identity,
    /// What is read from it.
    pub kind: NodeKind,
    /// Who serves the device.
    pub driver: Driver,
    /// Its report descriptor.
    pub descriptor: Vec<u8>,
    /// The input nodes that the kernel made for it, as paths.
    pub inputs: Vec<String>,
    /// What the kernel's driver offers besides input.
    pub driven: Driven,
    /// What is known of its connection's delays.
    pub connection: Connection,
    /// The device's place under `/sys`.
    pub sysfs: String,
}

impl NodeFacts {
    /// Whether it is an input node of the kernel, whose events are laid out as reports ([`crate::evdev`]).
    #[must_use]
    pub fn is_input_node(&self) -> bool {
        self.kind == NodeKind::Input
    }
}

/// What is read from a node.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum NodeKind {
    /// The device's own reports (hidraw).
    #[default]
    Reports,
    /// Events of the kernel's input system, laid out as reports.
    Input,
}

/// Who serves a device.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub enum Driver {
    /// The kernel's generic HID driver, so nobody else makes a pad of it.
    #[default]
    Generic,
    /// Nobody, for an input node; the driver behind it stays.
    InputNode,
    /// Nobody: a recording is being played.
    Recording,
    /// A kernel driver with this name.
    Named(String),
}

impl Driver {
    /// The name of the kernel's generic HID driver.
    pub const GENERIC: &'static str = "hid-generic";

    /// The driver with this name.
    #[must_use]
    pub fn named(name: &str) -> Self {
        if name == Self::GENERIC { Self::Generic } else { Self::Named(name.to_owned()) }
    }

    /// Its name, as people see it.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Self::Generic => Self::GENERIC,
            Self::InputNode => "input node",
            Self::Recording => "recording",
            Self::Named(name) => name,
        }
    }
}

/// A refusal by the system.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub struct OsFault {
    /// The operation, for example `open`.
    pub operation: String,
    /// Its object.
    pub path: String,
    /// The error number.
    pub errno: i32,
}

impl OsFault {
    /// The error number's name in the manuals.
    #[must_use]
    pub fn name(&self) -> String {
        errno_name(self.errno)
    }

    /// What the system said, for the end of a message: the operation, its object and the error's name.
    #[must_use]
    pub fn system(&self) -> String {
        format!("{} of {}: {}", self.operation, self.path, self.name())
    }
}

/// The name of an error number in the manuals.
#[must_use]
pub fn errno_name(errno: i32) -> String {
    match errno {
        1 => "EPERM".into(),
        2 => "ENOENT".into(),
        5 => "EIO".into(),
        6 => "ENXIO".into(),
        13 => "EACCES".into(),
        16 => "EBUSY".into(),
        19 => "ENODEV".into(),
        24 => "EMFILE".into(),
        28 => "ENOSPC".into(),
        30 => "EROFS".into(),
        32 => "EPIPE".into(),
        71 => "EPROTO".into(),
        110 => "ETIMEDOUT".into(),
        n => format!("errno {n}"),
    }
}

/// Whether a node can be read.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub enum Access {
    /// Not requested yet.
    #[default]
    Closed,
    /// Requested.
    Opening,
    /// Open.
    Open,
    /// Refused.
    Refused(OsFault),
}
