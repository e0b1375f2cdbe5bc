//! The feel of a slot, as the screen sees it.

use mantle_core::feel::{Feel, Shaped};
use serde::{Deserialize, Serialize};

/// A stick or trigger being measured.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct MeasureView {
    /// Which.
    pub which: Shaped,
    /// Tenths of a second for which hands still have to be off; none while it is to be rolled.
    pub left: Option<u16>,
    /// Whether it was moved meanwhile.
    pub moved: bool,
    /// Directions rolled through, of all.
    pub rolled: (u8, u8),
    /// The furthest it was off at rest, and how far it reached in its shortest direction; shares.
    pub figures: (f32, f32),
    /// The proposal in thousandths: dead zone and outer dead zone.
    pub proposal: Option<(u16, u16)>,
}

/// How a slot feels.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct FeelView {
    /// The active feel.
    pub feel: Feel,
    /// The feel before the last changes.
    pub old: Option<Feel>,
    /// Whether that one is active.
    pub flipped: bool,
    /// What is being measured.
    pub measuring: Option<MeasureView>,
    /// What is being raised, and how far.
    pub walking: Option<(Shaped, f32)>,
}
