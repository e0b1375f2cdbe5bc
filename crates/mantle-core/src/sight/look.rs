//! One look at the machine: what was found there.

use super::Takes;
use serde::{Deserialize, Serialize};

/// What was found on the machine at one moment.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Look {
    /// Every event, joystick and hidraw node.
    pub nodes: Vec<SeenNode>,
    /// The programs that have any of them open, or make input devices.
    pub programs: Vec<Program>,
    /// Processes that could not be inspected.
    pub closed: u32,
    /// Whether udev keeps its database here; games' libraries then go by it.
    pub udev: bool,
    /// When this was read, in seconds from the beginning of 1970.
    pub at: Option<u64>,
}

/// Who has made an input device.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum Maker {
    /// The system: there is a thing.
    #[default]
    System,
    /// A program, through uinput.
    Program,
    /// One of our engines, in another process.
    OtherEngine,
    /// This one.
    ThisEngine,
}

/// A node.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct SeenNode {
    /// Its path, for example `/dev/input/event5`.
    pub path: String,
    /// The system's name of its device.
    pub name: String,
    /// Vendor and product.
    pub ids: (u16, u16),
    /// Who has made it.
    pub made_by: Maker,
    /// The node's place under `/sys`.
    pub place: String,
    /// The input device it belongs to, by its place; empty for a hidraw node.
    pub input: String,
    /// The device behind that; nodes with the same one belong together.
    pub device: String,
    /// What a library takes it for that checks its abilities itself.
    pub abilities: Takes,
    /// What a library takes it for that goes by udev's database; none if that says nothing about it.
    pub tags: Option<Takes>,
    /// The error number with which this account cannot open it; none if it can.
    pub refused: Option<i32>,
    /// Whether somebody has grabbed it, if that is known.
    pub grabbed: Option<bool>,
}

impl SeenNode {
    /// What a game takes it for: libraries check for themselves what udev has no tag for.
    #[must_use]
    pub fn takes(&self) -> Takes {
        self.tags.filter(|takes| *takes != Takes::Nothing).unwrap_or(self.abilities)
    }

    /// Its number, if it is an event node.
    #[must_use]
    pub fn event_number(&self) -> Option<u32> {
        self.place.rsplit('/').next()?.strip_prefix("event")?.parse().ok()
    }
}

/// A running program.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Program {
    /// The number of its process.
    pub pid: u32,
    /// Its name.
    pub name: String,
    /// When it was started, in seconds from the beginning of 1970.
    pub since: Option<u64>,
    /// The nodes that it has open.
    pub nodes: Vec<String>,
    /// Whether it makes input devices: it has uinput or uhid open.
    pub makes: bool,
    /// Whether it is a browser.
    pub browser: bool,
    /// The nodes in its own `/dev`, if that differs from ours.
    pub own_dev: Option<Vec<String>>,
    /// Whether it is one of our engines.
    pub ours: bool,
}

impl Program {
    /// Its name and process number.
    #[must_use]
    pub fn title(&self) -> String {
        format!("{} ({})", self.name, self.pid)
    }
}
