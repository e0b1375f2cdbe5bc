//! Who plays at the machine now: this engine, or somebody else.

use serde::{Deserialize, Serialize};

/// Whose turn it is.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum Front {
    /// This engine's.
    #[default]
    Ours,
    /// Another login session is in front: what is read may be anybody's.
    OtherSession,
    /// The engine of another account has the devices.
    OtherEngine {
        /// Its process.
        process: i32,
        /// Its account.
        account: String,
    },
}

impl Front {
    /// What follows from it, in a sentence; none while this engine plays.
    #[must_use]
    pub fn sentence(&self) -> Option<String> {
        match self {
            Self::Ours => None,
            Self::OtherSession => {
                Some("Another login session is in front: all pads rest until this one is back.".into())
            }
            Self::OtherEngine { process, account } => Some(format!(
                "The placid-mantle of {account} (process {process}) has the devices: this one waits until that one ends, or its login session is no longer in front."
            )),
        }
    }

    /// Whether pads rest by it.
    #[must_use]
    pub fn rests(&self) -> bool {
        *self != Self::Ours
    }
}
