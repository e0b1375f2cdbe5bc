//! Bindings, target ← source, and their compiled form.

mod axis_set;
mod beat;
mod bindings;
mod build;
mod by_code;
mod change;
mod compare;
mod compiled;
mod default;
mod drag;
mod engine;
mod face;
mod fold;
mod lanes;
mod mover;
mod profile;
mod resolve;
mod shared;
mod spoken;
mod step;
mod target;
mod together;
mod wholes;

pub use beat::{SPAN, SPANS, TIMES, WHOLE, usual_row};
pub use bindings::{Bindings, LeftOut};
pub use by_code::{offered, proposed};
pub use change::{
    Change, NewFrom, OptionChange, ProfileAct, ProfileStoreAct, TEMPLATES, Template, WideChange, free_name,
};
pub use compare::{Difference, differences};
pub use compiled::{Compiled, Contribution, More, Pressed};
pub use default::{DOUBLED, default_bindings, doubtful_pair, flies};
pub use engine::Engine;
pub use face::{FACE, Face};
pub(crate) use mover::{FULL, Mover, Pull};
pub use mover::{Leave, REACH, SPRING};
pub use profile::{Combine, LAYERS, Layer, Named, Opposite, Options, PRESS, Part, Profile, Rule};
pub use resolve::{meant, options_of, resolve};
pub use shared::Beside;
pub use spoken::{
    Block, ListEntry, SeenControl, SeenTarget, TargetBlock, block_of, blocks, read_list, spoken, typed_blocks,
};
pub use target::Target;
pub use wholes::{MOTION, SensorPlayer, WholeBinding, WholeSource};

use crate::control::ControlNumber;
use serde::{Deserialize, Serialize};

/// The number of a binding within its slot's member; [`Bindings::of`] tells its origin.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub struct BindingNumber(pub u16);

/// Which state of a control plays the target.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum How {
    /// A button or key that is down; a button with pressure counts from half of it.
    Down,
    /// A hat's direction, one of the four bits of [`crate::control::hat_directions`].
    Direction(u8),
    /// The half of an axis above its middle.
    UpperHalf,
    /// The half of an axis below its middle.
    LowerHalf,
    /// The whole travel from the lower end.
    Travel,
}

impl How {
    /// Whether it is one half of an axis.
    #[must_use]
    pub fn is_half(self) -> bool {
        matches!(self, Self::UpperHalf | Self::LowerHalf)
    }

    /// The suffix of the control's name.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Down | Self::Travel => "",
            Self::Direction(1) => "up",
            Self::Direction(2) => "down",
            Self::Direction(4) => "left",
            Self::Direction(_) => "right",
            Self::UpperHalf => "upper half",
            Self::LowerHalf => "lower half",
        }
    }
}

/// One binding.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Binding {
    /// Its number.
    pub number: BindingNumber,
    /// The target.
    pub target: Target,
    /// The control.
    pub control: ControlNumber,
    /// Which state of the control.
    pub how: How,
    /// The layer; 0 is the base.
    pub layer: u8,
    /// Index of the profile's rule; none for a default binding.
    pub rule: Option<u16>,
}
