//! Covering: what to hide from games and how to undo it. A plan, not the act.

mod rule;

pub use rule::{RuleError, RumbleDriver, rule_file, rule_for, setup_rule};

use crate::device::{DeviceId, Identity, OsFault};
use serde::{Deserialize, Serialize};

/// How well a device is hidden.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Strength {
    /// Its input nodes are held: games get nothing from them but list them still.
    Held,
    /// Games that start or look again do not find it.
    Hidden,
}

/// Where a device stands between games and us.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Cover {
    /// Games see it.
    #[default]
    Bare,
    /// Asked for; its nodes may come and go meanwhile.
    Covering,
    /// Done.
    Covered(Strength),
    /// Tried and refused.
    Failed(OsFault),
    /// Not hidden, on purpose.
    LeftToGame,
}

impl Cover {
    /// The state in a word or two.
    #[must_use]
    pub fn words(&self) -> &'static str {
        match self {
            Self::Bare => "bare",
            Self::Covering => "covering",
            Self::Covered(Strength::Hidden) => "covered",
            Self::Covered(Strength::Held) => "held",
            Self::Failed(_) => "bare, not coverable",
            Self::LeftToGame => "left to the game",
        }
    }
}

/// What the coverer needs to know.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CoverPlan {
    /// The device.
    pub device: DeviceId,
    /// Each of its interfaces.
    pub interfaces: Vec<CoverInterface>,
    /// Whether it is held and not hidden, whatever the machine offers: a hold ends by itself with whoever has it.
    pub only_held: bool,
}

impl CoverPlan {
    /// Whether it is covered by being held through the input nodes that it is read by.
    #[must_use]
    pub fn holds(&self) -> bool {
        self.interfaces.iter().any(|interface| interface.node.starts_with("/dev/input/"))
    }
}

/// One interface of a device to be covered.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CoverInterface {
    /// Who it is.
    pub identity: Identity,
    /// Where it stands under `/sys`.
    pub sysfs: String,
    /// The node that it is read by.
    pub node: String,
    /// Whether it is a side of a controller that types or points.
    pub side: bool,
    /// What of it is used, if it is an input node whose unused events are passed on to the system while it is held.
    pub pass: Option<Vec<mantle_hid::Usage>>,
    /// Its input nodes.
    pub inputs: Vec<String>,
}
