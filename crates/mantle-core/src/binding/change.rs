//! What can be changed in a profile.

use crate::feel::{Setting, Shaped};
use crate::pad::Target;
use serde::{Deserialize, Serialize};

/// One change.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Change {
    /// A target is played by this source and no other in a layer; none takes what is said about it out, so that it plays
    /// as it would unasked.
    Source {
        /// The target.
        target: Target,
        /// The layer's name; empty for the base.
        layer: String,
        /// The source as it is written, or `none` for nothing at all.
        source: Option<String>,
        /// Whether its full end is rest.
        inverted: bool,
    },
    /// What the person calls a target; empty takes the name away.
    Action(Target, String),
    /// What games print for a target; empty takes it away.
    Prompt(Target, String),
    /// A dead zone: of the sticks, or of the triggers.
    DeadZone {
        /// Of the sticks, not of the triggers.
        sticks: bool,
        /// The share of full travel, in thousandths: 0 to 900.
        thousandths: u16,
    },
    /// How a stick or a trigger feels.
    Feel(Shaped, Setting),
    /// What the profile is called.
    Name(String),
}

/// What is to be done to a profile's file.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum ProfileAct {
    /// Change it; all of these or none.
    Change(Vec<Change>),
    /// Take the last change back.
    Back,
    /// Do once more what was taken back last.
    Again,
}
