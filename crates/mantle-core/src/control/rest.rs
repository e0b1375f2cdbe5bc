//! Whether an axis rests where its meaning says it should: judged from its first reports, never assumed.
//!
//! A stick rests in the middle, a trigger at its lower end. An axis whose first [`FIRST_REPORTS`] reports all lie
//! elsewhere contradicts the default binding and is left out, with a proposal. A hand that happened to hold the
//! stick at that moment is forgiven: an axis that, soon after, stays where it should rest for
//! [`STAYS`] is taken back in. The judge looks only at stamps and values, so a late wake-up changes nothing.

use crate::time::Micros;

/// So many reports outside the zone make a contradiction.
pub const FIRST_REPORTS: u8 = 3;
/// Staying this long in the zone lifts a contradiction.
pub const STAYS: Micros = Micros::seconds(1);
/// The stay must have begun this soon after the first report.
pub const BEGINS_WITHIN: Micros = Micros::seconds(3);

/// Where an axis is expected to rest.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Zone {
    /// Within the middle quarter of the range: a stick.
    Middle,
    /// Within the lowest quarter: a trigger.
    LowEnd,
    /// Within the highest quarter: a pedal that runs backwards.
    HighEnd,
}

impl Zone {
    /// Whether a share of the range, 0 to 1, lies in the zone.
    #[must_use]
    pub fn contains(self, share: f32) -> bool {
        match self {
            Self::Middle => (0.375..=0.625).contains(&share),
            Self::LowEnd => share <= 0.25,
            Self::HighEnd => share >= 0.75,
        }
    }
}

/// What the judge says of an axis now.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum RestVerdict {
    /// Not enough seen; it gives nothing yet.
    Waiting,
    /// It rests where it should.
    Right,
    /// It does not; it stays out.
    Wrong,
}

/// Judges one axis.
#[derive(Clone, Copy, Debug)]
pub struct RestJudge {
    zone: Zone,
    verdict: RestVerdict,
    seen: u8,
    first: Micros,
    entered: Option<Micros>,
}

impl RestJudge {
    /// Where the axis is expected to rest.
    #[must_use]
    pub fn zone(&self) -> Zone {
        self.zone
    }

    /// A judge that has seen nothing.
    #[must_use]
    pub fn new(zone: Zone) -> Self {
        Self { zone, verdict: RestVerdict::Waiting, seen: 0, first: Micros(0), entered: None }
    }

    /// The verdict so far.
    #[must_use]
    pub fn verdict(&self) -> RestVerdict {
        self.verdict
    }

    /// It was seen to rest at this share of its range, for long enough.
    pub fn handle_rest(&mut self, share: f32) {
        if self.zone.contains(share) {
            self.verdict = RestVerdict::Right;
        }
    }

    /// A report has come with the axis at this share of its range. Returns the verdict and whether the judge is done.
    pub fn handle_share(&mut self, now: Micros, share: f32) -> (RestVerdict, bool) {
        if self.seen == 0 {
            self.first = now;
        }
        self.seen = self.seen.saturating_add(1);
        let inside = self.zone.contains(share);
        match self.verdict {
            RestVerdict::Right => {}
            RestVerdict::Waiting if inside => self.verdict = RestVerdict::Right,
            RestVerdict::Waiting if self.seen >= FIRST_REPORTS => self.verdict = RestVerdict::Wrong,
            RestVerdict::Waiting => {}
            RestVerdict::Wrong => {
                if self.entered.is_some_and(|entered| now.since(entered) >= STAYS) {
                    self.verdict = RestVerdict::Right;
                } else if !inside {
                    self.entered = None;
                } else if self.entered.is_none() && now.since(self.first) <= BEGINS_WITHIN {
                    self.entered = Some(now);
                }
            }
        }
        let too_late = self.entered.is_none() && now.since(self.first) > BEGINS_WITHIN;
        let done = self.verdict == RestVerdict::Right || (self.verdict == RestVerdict::Wrong && too_late);
        (self.verdict, done)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(zone: Zone, shares: &[(u64, f32)]) -> RestVerdict {
        let mut judge = RestJudge::new(zone);
        for (ms, share) in shares {
            judge.handle_share(Micros::millis(*ms), *share);
        }
        judge.verdict()
    }

    #[test]
    fn a_stick_in_the_middle_is_right_at_once() {
        assert_eq!(run(Zone::Middle, &[(0, 0.5)]), RestVerdict::Right);
    }

    #[test]
    fn a_stick_at_the_end_is_wrong_after_three_reports() {
        assert_eq!(run(Zone::Middle, &[(0, 0.0), (8, 0.0)]), RestVerdict::Waiting);
        assert_eq!(run(Zone::Middle, &[(0, 0.0), (8, 0.0), (16, 0.0)]), RestVerdict::Wrong);
    }

    #[test]
    fn a_press_that_happened_to_come_first_is_forgiven() {
        assert_eq!(run(Zone::Middle, &[(0, 0.0), (120, 0.5)]), RestVerdict::Right);
    }

    #[test]
    fn sweeping_through_the_middle_does_not_lift_a_contradiction() {
        let sweep: Vec<(u64, f32)> = (0..400).map(|k| (k * 8, (k % 100) as f32 / 100.0)).collect();
        let mut rests_low = vec![(0, 0.0), (8, 0.0), (16, 0.0)];
        rests_low.extend(sweep.iter().map(|(ms, share)| (ms + 24, *share)));
        assert_eq!(run(Zone::Middle, &rests_low), RestVerdict::Wrong);
    }

    #[test]
    fn a_held_stick_that_comes_to_rest_is_taken_back() {
        let mut seen = vec![(0, 1.0), (8, 1.0), (16, 1.0), (400, 0.5)];
        seen.push((1500, 0.51));
        assert_eq!(run(Zone::Middle, &seen), RestVerdict::Right);
    }

    #[test]
    fn a_trigger_in_the_middle_is_wrong() {
        assert_eq!(run(Zone::LowEnd, &[(0, 0.5), (8, 0.5), (16, 0.5)]), RestVerdict::Wrong);
        assert_eq!(run(Zone::LowEnd, &[(0, 0.0)]), RestVerdict::Right);
    }
}
