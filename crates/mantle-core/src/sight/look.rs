//! One look at the machine: what is there, as it was read.

use super::Takes;
use serde::{Deserialize, Serialize};

/// What was read of the machine at one moment.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Look {
    /// Every event, joystick and hidraw node.
    pub nodes: Vec<SeenNode>,
    /// The programs that have any of them open, or make input devices themselves.
    pub programs: Vec<Program>,
    /// Processes that could not be looked into.
    pub closed: u32,
    /// Whether udev keeps its database here: games' libraries go by it then.
    pub udev: bool,
    /// When it was looked, in seconds from the beginning of 1970.
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
    /// An engine of ours, in another process.
    OtherEngine,
    /// This one.
    ThisEngine,
}

/// A node.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct SeenNode {
    /// Its path, for example `/dev/input/event5`.
    pub path: String,
    /// What the system calls its device.
    pub name: String,
    /// Vendor and product.
    pub ids: (u16, u16),
    /// Who has made it.
    pub made_by: Maker,
    /// Where the node stands under `/sys`.
    pub place: String,
    /// The input device that it belongs to, by where that stands; nothing for a hidraw node.
    pub input: String,
    /// The device behind that: whatever has the same is one thing.
    pub device: String,
    /// What a library takes it for that looks at its abilities itself.
    pub abilities: Takes,
    /// What one takes it for that goes by udev's database; none where that says nothing of it.
    pub tags: Option<Takes>,
    /// The error number with which this account cannot open it; none if it can.
    pub refused: Option<i32>,
    /// Whether somebody has it for himself, where that is known.
    pub grabbed: Option<bool>,
}

impl SeenNode {
    /// What a game takes it for: what udev has no tag for libraries look at themselves.
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
    /// The nodes that its own `/dev` shows, where that is another one than ours.
    pub own_dev: Option<Vec<String>>,
    /// Whether it is an engine of ours.
    pub ours: bool,
}

impl Program {
    /// Its name, and the number of its process.
    #[must_use]
    pub fn title(&self) -> String {
        format!("{} ({})", self.name, self.pid)
    }
}
