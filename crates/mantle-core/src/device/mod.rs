//! Devices and nodes: identity, the stable key across reconnects, and what is known of access.

mod connection;
mod driven;
mod identity;

pub use connection::Connection;
pub use driven::Driven;
pub use identity::{Bus, Identity, Key, Match};

use serde::{Deserialize, Serialize};

/// One source node (a hidraw node), numbered by the world that it lives in. The lowest free number is reused.
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
    /// All evidence of who it is.
    pub identity: Identity,
    /// What its reports are.
    pub kind: NodeKind,
    /// Who serves the device.
    pub driver: Driver,
    /// Its report descriptor.
    pub descriptor: Vec<u8>,
    /// The input nodes that the kernel made for it, as paths.
    pub inputs: Vec<String>,
    /// What the kernel's driver offers of it beside its input.
    pub driven: Driven,
    /// What is known of the way to it that takes time.
    pub connection: Connection,
    /// Where the device stands under `/sys`.
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
    /// The reports of the device itself (hidraw).
    #[default]
    Reports,
    /// Events of the kernel's input system, laid out as reports.
    Input,
}

/// Who serves a device.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub enum Driver {
    /// The kernel's driver for every HID device that has none of its own: nobody else makes a pad of it.
    #[default]
    Generic,
    /// Nobody: it is an input node, and whoever serves the device behind it stays.
    InputNode,
    /// Nobody: a recording is played.
    Recording,
    /// A driver of the kernel, by its name.
    Named(String),
}

impl Driver {
    /// The name of the kernel's driver for HID devices in general.
    pub const GENERIC: &'static str = "hid-generic";

    /// The driver of this name.
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
    /// What was tried, for example `open`.
    pub operation: String,
    /// On what.
    pub path: String,
    /// The error number.
    pub errno: i32,
}

impl OsFault {
    /// The error number by its name, as manuals write it.
    #[must_use]
    pub fn name(&self) -> String {
        errno_name(self.errno)
    }
}

/// An error number by its name, as manuals write it.
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
    /// Nobody wanted it yet.
    #[default]
    Closed,
    /// Asked for.
    Opening,
    /// Open.
    Open,
    /// Refused.
    Refused(OsFault),
}
