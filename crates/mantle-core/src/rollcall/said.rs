//! The questions and answers of a roll call.

use crate::binding::{Named, Target};
use crate::control::PartLayout;
use mantle_hid::Frame;
use serde::{Deserialize, Serialize};

/// What the person wants.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum CallStep {
    /// Leave this one as it is, and go on.
    Skip,
    /// Ask for the one before again.
    Back,
    /// Forget what was pressed, and ask again.
    Again,
    /// The control that plays something else plays this one instead.
    Move,
    /// It plays both.
    Both,
}

/// What answered.
#[derive(Clone, PartialEq, Debug)]
pub struct CallAnswer {
    /// The member that it is on.
    pub member: usize,
    /// The source, as a profile names it.
    pub source: Named,
    /// Its full end is rest.
    pub inverted: bool,
    /// What it was taken for, and why.
    pub why: String,
    /// What was measured, in raw numbers.
    pub figures: String,
    /// Its rest, as a share of its range; none for controls without travel.
    pub rest: Option<f32>,
    /// It followed from the answer for this target.
    pub follows: Option<Target>,
}

/// How far one target is.
#[derive(Clone, PartialEq, Debug)]
pub enum CallState {
    /// Not asked for yet, or its control was moved away.
    Waiting,
    /// Left as it was.
    Skipped,
    /// Answered.
    Answered(CallAnswer),
}

/// An answer whose control already plays something.
#[derive(Clone, PartialEq, Debug)]
pub struct Question {
    /// What it plays.
    pub plays: Target,
    /// The answer that it would be.
    pub answer: CallAnswer,
}

/// Something that is listened to.
#[derive(Clone, Debug)]
pub struct Listened {
    /// The member.
    pub member: usize,
    /// Its part.
    pub part: PartLayout,
    /// How it stands.
    pub frame: Frame,
}

/// What plays a target that is not called.
#[derive(Clone, PartialEq, Debug)]
pub struct Elsewhere {
    /// The target.
    pub target: Target,
    /// The member that its source belongs to.
    pub member: usize,
    /// The source.
    pub source: Named,
    /// Nobody said so: it is guessed.
    pub guessed: bool,
}
