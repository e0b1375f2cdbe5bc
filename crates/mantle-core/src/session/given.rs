//! The combined output of a slot's members.

use super::{Member, Session};
use crate::binding::{Contribution, More};
use crate::keys::KeyTarget;
use crate::pad::{FIRST_LINE, Sensed};

impl Session {
    /// The combined output, before feel.
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

    /// The combined output for controls that the common pad lacks, before feel.
    #[must_use]
    pub fn more_before_feel(&self) -> More {
        let mut more = More::default();
        if !self.rests() {
            self.members.iter().for_each(|member| more.merge(&member.more));
        }
        more
    }

    /// The combined sensors: for each kind of motion, the first member that has it.
    #[must_use]
    pub fn sensed(&self) -> Sensed {
        let mut out = Sensed::default();
        if self.rests() {
            return out;
        }
        let players = || self.members.iter().filter_map(|member| member.sensor.as_deref());
        if let Some(player) = players().find(|player| player.moves()) {
            let own = player.sensed();
            (out.turning, out.acceleration) = (own.turning, own.acceleration);
        }
        for (contact, touch) in out.touches.iter_mut().enumerate() {
            *touch = players().find_map(|player| player.sensed().touches[contact]);
        }
        out
    }

    /// Each lane before feel.
    pub fn lane_before_feel(&self) -> impl Fn(usize) -> f32 {
        let (common, lines) = (self.before_feel().lanes, self.more_before_feel().lines);
        move |lane| match lane.checked_sub(FIRST_LINE) {
            Some(line) => lines.get(line).copied().unwrap_or(0.0),
            None => common[lane],
        }
    }

    /// The combined output for typing.
    pub fn strokes(&self) -> impl Iterator<Item = (KeyTarget, f32)> + '_ {
        let all =
            self.members.iter().enumerate().flat_map(|(at, member)| member.strokes().iter().map(move |own| (at, own)));
        // Of several devices the largest value counts.
        all.filter_map(|(at, (stroke, share))| {
            let of = |member: &Member| member.strokes().iter().find(|(own, _)| own == stroke).map(|(_, share)| *share);
            let before = self.members[..at].iter().any(|member| of(member).is_some());
            let most = self.members[at..].iter().filter_map(of).fold(*share, f32::max);
            (!before).then_some((*stroke, most))
        })
    }

    /// Combines all members, so that pointers pass the feel unchanged.
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
