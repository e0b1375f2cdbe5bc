//! Covering: what to hide from games, and how to undo it. A plan, not the act.

mod rule;

pub use rule::{RuleError, RumbleDriver, rule_file, rule_for, setup_rule};

use crate::device::{DeviceId, Identity, OsFault};
use serde::{Deserialize, Serialize};

/// How well a device is hidden.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Strength {
    /// Its input nodes are held: games list them and get nothing.
    Held,
    /// Games that start, or look again, do not find it.
    Hidden,
}

/// How a device stands towards games.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Cover {
    /// Games see it.
    #[default]
    Bare,
    /// Hiding has been requested; its nodes may come and go meanwhile.
    Covering,
    /// Hidden.
    Covered(Strength),
    /// Hiding was refused.
    Failed(OsFault),
    /// Left alone on purpose.
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

/// What is needed to cover a device.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CoverPlan {
    /// The device.
    pub device: DeviceId,
    /// Its interfaces.
    pub interfaces: Vec<CoverInterface>,
    /// Whether it may only be held, since a hold ends automatically with its owner.
    pub only_held: bool,
}

impl CoverPlan {
    /// Whether holding the input nodes it is read by is enough.
    #[must_use]
    pub fn holds(&self) -> bool {
        self.interfaces.iter().any(|interface| interface.node.starts_with("/dev/input/"))
    }
}

/// An interface to cover.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct CoverInterface {
    /// Its identity.
    pub identity: Identity,
    /// Its place under `/sys`.
    pub sysfs: String,
    /// The node it is read by.
    pub node: String,
    /// Whether it is a controller's keyboard or pointer side.
    pub side: bool,
    /// The used codes of an input node whose other events reach the system while it is held.
    pub pass: Option<Vec<mantle_hid::Usage>>,
    /// Its input nodes.
    pub inputs: Vec<String>,
}
