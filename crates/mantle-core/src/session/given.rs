//! What the members of a slot give together.

use super::{Member, Session};
use crate::binding::{Contribution, More};
use crate::keys::KeyTarget;
use crate::pad::{FIRST_LINE, Sensed};

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

    /// What all members tell by their sensors: of how the pad moves the first that has a sensor for it.
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

    /// Where each lane is before feel.
    pub fn lane_before_feel(&self) -> impl Fn(usize) -> f32 {
        let (common, lines) = (self.before_feel().lanes, self.more_before_feel().lines);
        move |lane| match lane.checked_sub(FIRST_LINE) {
            Some(line) => lines.get(line).copied().unwrap_or(0.0),
            None => common[lane],
        }
    }

    /// What all members give together to what is typed.
    pub fn strokes(&self) -> impl Iterator<Item = (KeyTarget, f32)> + '_ {
        let all =
            self.members.iter().enumerate().flat_map(|(at, member)| member.strokes().iter().map(move |own| (at, own)));
        // Of what several devices give the first tells how far: the largest of all.
        all.filter_map(|(at, (stroke, share))| {
            let of = |member: &Member| member.strokes().iter().find(|(own, _)| own == stroke).map(|(_, share)| *share);
            let before = self.members[..at].iter().any(|member| of(member).is_some());
            let most = self.members[at..].iter().filter_map(of).fold(*share, f32::max);
            (!before).then_some((*stroke, most))
        })
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
