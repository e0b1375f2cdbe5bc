//! Covering: what to hide from games and how to undo it. A plan, not the act.

mod rule;

pub use rule::{RuleError, rule_file, rule_for, setup_rule};

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
#[derive(Clone, PartialEq, Eq, Debug, Default)]
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
}

/// One interface of a device to be covered.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CoverInterface {
    /// Who it is.
    pub identity: Identity,
    /// Where it stands under `/sys`.
    pub sysfs: String,
    /// Its hidraw node.
    pub node: String,
    /// Its input nodes.
    pub inputs: Vec<String>,
}
