//! What a binding plays: a control of the slot's pad, or something of its second output, the keys.

use crate::keys::KeyTarget;
use crate::pad::{PadModel, PadTarget};
use serde::{Deserialize, Serialize};

/// A control of a pad or a direction of one, or something that the *keys* output does.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum Target {
    /// Of the slot's pad.
    Pad(PadTarget),
    /// Beside it.
    Key(KeyTarget),
}

impl From<PadTarget> for Target {
    fn from(target: PadTarget) -> Self {
        Self::Pad(target)
    }
}

impl From<KeyTarget> for Target {
    fn from(stroke: KeyTarget) -> Self {
        Self::Key(stroke)
    }
}

impl PartialEq<PadTarget> for Target {
    fn eq(&self, other: &PadTarget) -> bool {
        self.pad() == Some(*other)
    }
}

impl Target {
    /// The control of the pad; none where it is a key's.
    #[must_use]
    pub const fn pad(self) -> Option<PadTarget> {
        match self {
            Self::Pad(target) => Some(target),
            Self::Key(_) => None,
        }
    }

    /// What the *keys* output does; none where it is the pad's.
    #[must_use]
    pub const fn key(self) -> Option<KeyTarget> {
        match self {
            Self::Pad(_) => None,
            Self::Key(stroke) => Some(stroke),
        }
    }

    /// Whether it is something that the *keys* output does.
    #[must_use]
    pub const fn is_key(self) -> bool {
        matches!(self, Self::Key(_))
    }

    /// Its place among all: those of the pad first.
    #[must_use]
    pub const fn index(self) -> usize {
        match self {
            Self::Pad(target) => target.index(),
            Self::Key(stroke) => PadTarget::BITS + stroke.place(),
        }
    }

    /// Its bit in a set of a pad's targets; none where it is no pad's.
    #[must_use]
    pub const fn mask(self) -> u128 {
        match self {
            Self::Pad(target) => target.mask(),
            Self::Key(_) => 0,
        }
    }

    /// Everything that pads of any kind may have, and behind that everything that is played beside them.
    pub fn all() -> impl Iterator<Item = Self> {
        PadTarget::all().map(Self::Pad).chain(KeyTarget::all().map(Self::Key))
    }

    /// The one that is written so.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        PadTarget::named(name).map(Self::Pad).or_else(|| KeyTarget::named(name).map(Self::Key))
    }

    /// Its name where no model has another one for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Pad(target) => target.name(),
            Self::Key(stroke) => stroke.name(),
        }
    }

    /// Its name on a pad of this model.
    #[must_use]
    pub fn name_on(self, model: &PadModel) -> &str {
        match self {
            Self::Pad(target) => model.name_of(target),
            Self::Key(stroke) => stroke.name(),
        }
    }

    /// Whether a slot whose pad is of this model can play it: keys are there beside every pad.
    #[must_use]
    pub fn is_on(self, model: &PadModel) -> bool {
        self.pad().is_none_or(|target| model.has(target))
    }

    /// Whether it can be seen from rest to full and back outside: something of a pad, or something that is typed. What is wished of
    /// the program itself is seen by it alone.
    #[must_use]
    pub const fn is_seen(self) -> bool {
        match self {
            Self::Pad(_) => true,
            Self::Key(stroke) => stroke.types(),
        }
    }

    /// Whether it takes a travel, not only a press: a stick's direction, a trigger, the pointer.
    #[must_use]
    pub const fn travels(self) -> bool {
        match self {
            Self::Pad(target) => target.travels(),
            Self::Key(stroke) => stroke.travels(),
        }
    }

    /// Which direction of a hat plays it where nobody says, as one of the four bits up, down, left, right.
    #[must_use]
    pub fn direction(self) -> Option<u8> {
        match self {
            Self::Pad(target) => target.direction(),
            Self::Key(stroke) => stroke.direction(),
        }
    }

    /// The lane of the pad's axis on which it lies.
    #[must_use]
    pub fn lane(self) -> Option<usize> {
        self.pad().and_then(PadTarget::axis).map(|(lane, _)| lane)
    }

    /// The direction of the same axis or hat of a pad that is opposite to this one: the lower of both and the higher one.
    #[must_use]
    pub fn opposed(self) -> Option<(PadTarget, PadTarget)> {
        self.pad().and_then(PadTarget::opposed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_target_has_a_place_and_a_name_of_its_own() {
        let all: Vec<Target> = Target::all().collect();
        let mut places: Vec<usize> = all.iter().map(|target| target.index()).collect();
        assert!(places.is_sorted_by_key(|place| *place >= PadTarget::BITS), "those of pads come first");
        places.sort_unstable();
        places.dedup();
        assert_eq!(places.len(), all.len());
        for target in all {
            assert_eq!(Target::named(&target.name().to_uppercase()), Some(target), "{}", target.name());
            assert_eq!(target.mask() == 0, target.is_key());
            assert_eq!((target.pad().is_none(), target.key().is_some()), (target.is_key(), target.is_key()));
        }
    }
}
