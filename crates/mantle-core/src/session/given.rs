//! What the members of a slot give together.

use super::Session;
use crate::binding::{Contribution, More};

impl Session {
    /// What all members give together, before feel.
    #[must_use]
    pub fn before_feel(&self) -> Contribution {
        match self.members.as_slice() {
            [one] => one.contribution,
            all => all.iter().fold(Contribution::default(), |mut sum, member| {
                sum.merge(&member.contribution);
                sum
            }),
        }
    }

    /// What all members give together to more than the common pad has, before feel.
    #[must_use]
    pub fn more_before_feel(&self) -> More {
        let mut more = More::default();
        if !self.rests() {
            self.members.iter().for_each(|member| more.merge(&member.more));
        }
        more
    }

    /// What all members give together, so that what points at a place goes straight through the feel.
    pub(super) fn for_feel(&self) -> Contribution {
        self.members.iter().fold(Contribution::default(), |mut sum, member| {
            let mut own = member.contribution;
            for stick in (0..2).filter(|stick| member.straight()[*stick]) {
                let [x, y] = [2 * stick, 2 * stick + 1];
                (own.lanes[x], own.lanes[y]) = self.shaper.straight(stick, own.lanes[x], own.lanes[y]);
            }
            sum.merge(&own);
            sum
        })
    }
}
