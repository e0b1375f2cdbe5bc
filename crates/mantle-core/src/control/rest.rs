//! Where axes rest.

use crate::planted::planted;

/// Where an axis should rest.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Zone {
    /// Within the middle quarter of the range: a stick.
    Middle,
    /// Within the lowest quarter: a trigger.
    LowEnd,
    /// Within the highest quarter: an inverted pedal.
    HighEnd,
}

impl Zone {
    /// Whether a share of the range, 0 to 1, lies in the zone.
    #[must_use]
    pub fn contains(self, share: f32) -> bool {
        match self {
            Self::Middle if planted("the middle is wider") => (0.3..=0.7).contains(&share),
            Self::Middle => (0.375..=0.625).contains(&share),
            Self::LowEnd => share <= 0.25,
            Self::HighEnd => share >= 0.75,
        }
    }
}
