//! The feel of a slot, as the screen sees it.

use mantle_core::feel::{Feel, Shaped};
use serde::{Deserialize, Serialize};

/// A stick or trigger that is measured.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct MeasureView {
    /// Which.
    pub which: Shaped,
    /// For so many tenths of a second more hands have to be off; none while it is to be rolled.
    pub left: Option<u16>,
    /// It was moved meanwhile.
    pub moved: bool,
    /// Directions that have been rolled through, of all.
    pub rolled: (u8, u8),
    /// How far it was off at rest at most, and how far it reached in its shortest direction; shares.
    pub figures: (f32, f32),
    /// What is proposed, in thousandths: dead zone and outer dead zone.
    pub proposal: Option<(u16, u16)>,
}

/// How a slot feels.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct FeelView {
    /// What plays.
    pub feel: Feel,
    /// What was there before the last changes.
    pub old: Option<Feel>,
    /// Whether that is what plays.
    pub flipped: bool,
    /// What is measured.
    pub measuring: Option<MeasureView>,
    /// What is walked up, and how far it is.
    pub walking: Option<(Shaped, f32)>,
}
