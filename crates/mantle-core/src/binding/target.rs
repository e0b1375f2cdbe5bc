//! What a binding plays: a control of the slot's pad, or one of its second output, the keys.

use crate::keys::KeyTarget;
use crate::pad::{PadModel, PadTarget};
use serde::{Deserialize, Serialize};

/// A control or direction of a pad, or an action of the *keys* output.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
pub enum Target {
    /// On the slot's pad.
    Pad(PadTarget),
    /// Besides the pad.
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
    /// The control of the pad; none for a key.
    #[must_use]
    pub const fn pad(self) -> Option<PadTarget> {
        match self {
            Self::Pad(target) => Some(target),
            Self::Key(_) => None,
        }
    }

    /// The action of the *keys* output; none for a pad's control.
    #[must_use]
    pub const fn key(self) -> Option<KeyTarget> {
        match self {
            Self::Pad(_) => None,
            Self::Key(stroke) => Some(stroke),
        }
    }

    /// Whether it belongs to the *keys* output.
    #[must_use]
    pub const fn is_key(self) -> bool {
        matches!(self, Self::Key(_))
    }

    /// Its index among all; the pad's come first.
    #[must_use]
    pub const fn index(self) -> usize {
        match self {
            Self::Pad(target) => target.index(),
            Self::Key(stroke) => PadTarget::BITS + stroke.place(),
        }
    }

    /// Its bit in a set of a pad's targets; none for a key.
    #[must_use]
    pub const fn mask(self) -> u128 {
        match self {
            Self::Pad(target) => target.mask(),
            Self::Key(_) => 0,
        }
    }

    /// Everything that pads of any kind may have, followed by everything played besides them.
    pub fn all() -> impl Iterator<Item = Self> {
        PadTarget::all().map(Self::Pad).chain(KeyTarget::all().map(Self::Key))
    }

    /// The target written like this.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        PadTarget::named(name).map(Self::Pad).or_else(|| KeyTarget::named(name).map(Self::Key))
    }

    /// Its name, unless a model has its own for it.
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

    /// Whether a slot with a pad of this model can play it; keys are always possible.
    #[must_use]
    pub fn is_on(self, model: &PadModel) -> bool {
        self.pad().is_none_or(|target| model.has(target))
    }

    /// Whether it can be seen from outside, from rest to full and back: a control of a pad, or a typed key. Actions of
    /// the program itself are seen by the program alone.
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

    /// The direction of a hat that plays it by default, as one of the four bits up, down, left, right.
    #[must_use]
    pub fn direction(self) -> Option<u8> {
        match self {
            Self::Pad(target) => target.direction(),
            Self::Key(stroke) => stroke.direction(),
        }
    }

    /// The lane of its axis.
    #[must_use]
    pub fn lane(self) -> Option<usize> {
        self.pad().and_then(PadTarget::axis).map(|(lane, _)| lane)
    }

    /// The opposite direction on the same axis or hat: the lower and the higher one of the pair.
    #[must_use]
    pub fn opposed(self) -> Option<(PadTarget, PadTarget)> {
        self.pad().and_then(PadTarget::opposed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_target_has_a_unique_place_and_name() {
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
