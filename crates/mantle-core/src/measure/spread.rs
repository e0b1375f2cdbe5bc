//! How long something took, many times over: counted in places that grow with the time, so that counting costs next to nothing.

use serde::{Deserialize, Serialize};

/// The longest time that is counted, in microseconds: a little more than eight seconds. What takes longer is no delay: somebody was away.
const LONGEST: u32 = (1 << 23) - 1;
/// All places; the one behind them is for what is not counted, so that nothing has to be asked before counting.
const PLACES: usize = place(LONGEST as u64) + 1;
/// The parts of a minute that are forgotten one by one.
const PARTS: usize = 6;
/// A gap counts as so many times the usual one from the middle between that and one less.
const HALF: f64 = 0.5;
/// A number as a processor writes it has its doublings in front, and behind them what lies between two of them, eight steps of which count.
const BETWEEN: u32 = 20;
const ONE: u32 = 1.0f32.to_bits() >> BETWEEN;

/// The place of a time in microseconds: eight for each doubling from one microsecond on, to which nothing at all is counted.
#[inline]
const fn place(micros: u64) -> usize {
    // Signed: that is one instruction. A time that long is none.
    let bits = ((micros | 1) as i64 as f32).to_bits() >> BETWEEN;
    (bits.wrapping_sub(ONE)) as usize
}

/// The shortest time of a place: one that no time has is as long as the next that some have.
fn begin(place: usize) -> u32 {
    match place {
        0 => 0,
        place => f32::from_bits((place as u32 + ONE) << BETWEEN).ceil() as u32,
    }
}

/// How often each time was taken.
#[derive(Clone, PartialEq, Eq, Debug)]
struct Tally([u32; PLACES + 1]);

impl Tally {
    const EMPTY: Self = Self([0; PLACES + 1]);
}

/// Times of the last minute, in six parts of ten seconds: the oldest is forgotten with each [`Spread::pass`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Spread {
    now: Tally,
    before: Vec<Tally>,
}

impl Default for Spread {
    fn default() -> Self {
        // Room for all of them from the beginning: nothing is taken from the heap while somebody plays.
        Self { now: Tally::EMPTY, before: Vec::with_capacity(PARTS) }
    }
}

impl Spread {
    /// Something took so many microseconds.
    #[inline]
    pub fn take(&mut self, micros: u64) {
        self.now.0[place(micros).min(PLACES)] += 1;
    }

    /// Ten seconds are over; returns whether anything is known still.
    pub fn pass(&mut self) -> bool {
        if self.before.len() == PARTS - 1 {
            self.before.remove(0);
        }
        self.before.push(std::mem::replace(&mut self.now, Tally::EMPTY));
        self.before.iter().any(|part| part.0[..PLACES].iter().any(|count| *count > 0))
    }

    /// What it comes to.
    #[must_use]
    pub fn summary(&self) -> SpreadView {
        let parts = || self.before.iter().chain([&self.now]);
        let count = |place: usize| parts().map(|part| part.0[place]).sum::<u32>();
        let bars: Vec<(u32, u32)> =
            (0..PLACES).map(|at| (begin(at), count(at))).filter(|(_, count)| *count > 0).collect();
        let all: u32 = bars.iter().map(|(_, count)| count).sum();
        let most = bars.last().map_or(0, |(begins, _)| SpreadView::end_of(*begins) - 1);
        let mut summary = SpreadView { count: all, p50: 0, p99: 0, most, bars };
        (summary.p50, summary.p99) = (summary.within(0.5), summary.within(0.99));
        summary
    }
}

/// What became of measured times, in microseconds.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct SpreadView {
    /// How many there were.
    pub count: u32,
    /// Half of them were not longer, to an eighth.
    pub p50: u32,
    /// 99 of 100 were not longer, to an eighth.
    pub p99: u32,
    /// None was longer, to an eighth.
    pub most: u32,
    /// From which time on, up to the next place, there were how many: places with none are left out.
    pub bars: Vec<(u32, u32)>,
}

impl SpreadView {
    /// Where the place that begins so ends.
    #[must_use]
    pub fn end_of(begins: u32) -> u32 {
        begin(place(begins.into()) + 1)
    }

    /// How often each time came, in at most so many columns from the shortest to the longest, which grow as the places do.
    #[must_use]
    pub fn columns(&self, most: usize) -> Vec<u32> {
        let (Some((first, _)), Some((last, _))) = (self.bars.first(), self.bars.last()) else { return Vec::new() };
        let (first, span) = (place((*first).into()), place((*last).into()) - place((*first).into()) + 1);
        let count = span.min(most);
        let mut columns = vec![0; count];
        self.bars.iter().for_each(|(begins, of)| columns[(place((*begins).into()) - first) * count / span] += of);
        columns
    }

    /// The longest time of the place within which this share of all lies.
    fn within(&self, share: f64) -> u32 {
        let wanted = (f64::from(self.count) * share).ceil() as u32;
        let mut seen = 0;
        let found = self.bars.iter().find(|(_, count)| {
            seen += count;
            seen >= wanted
        });
        found.map_or(0, |(begins, _)| Self::end_of(*begins) - 1)
    }

    /// The usual gap of reports that come steadily. Several reports may come close behind one another, of several ids perhaps: then it is
    /// from one such group to the next; none where they come in no order at all.
    fn usual(&self) -> Option<f64> {
        let (half, most) = (f64::from(self.within(0.5)), f64::from(self.within(0.75)));
        let middle = |begins: u32| f64::from(begins + Self::end_of(begins)) / 2.0;
        let sum: f64 = self.bars.iter().map(|(begins, count)| middle(*begins) * f64::from(*count)).sum();
        let mean = sum / f64::from(self.count.max(1));
        let usual = if half * 4.0 >= most * 3.0 { half } else { most };
        (usual >= 1.0 && usual * 2.0 >= mean).then_some(usual)
    }

    /// Of gaps between reports that come steadily: about how many reports did not come, and how many should have.
    #[must_use]
    pub fn lost(&self) -> (u32, u32) {
        let Some(usual) = self.usual() else { return (0, self.count) };
        let missed = self.bars.iter().map(|(begins, count)| {
            let middle = f64::from(*begins + Self::end_of(*begins)) / 2.0;
            ((middle / usual + HALF).floor() - 1.0).max(0.0) * f64::from(*count)
        });
        let lost = missed.sum::<f64>().min(f64::from(u32::MAX)) as u32;
        (lost, self.count.saturating_add(lost))
    }
}

/// A time as people read it: microseconds up to one millisecond, and then milliseconds.
#[must_use]
pub fn took(micros: u32) -> String {
    match micros {
        0..1_000 => format!("{micros} µs"),
        _ => format!("{:.1} ms", f64::from(micros) / 1_000.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Places in each doubling of the time: each is an eighth of its time wide at most.
    const EIGHTHS: u32 = 8;

    #[test]
    fn places_follow_each_other_without_a_gap() {
        let mut last = 0;
        for micros in 0..200_000u32 {
            // To none at all counts one: an odd number is its own place's.
            let own = place(micros.into());
            assert!(own >= last, "{micros}");
            assert!(begin(own) <= micros | 1 && micros < begin(own + 1), "{micros} in {own}");
            last = own;
        }
        assert_eq!(begin(place(LONGEST.into()) + 1), LONGEST + 1);
        for place in 24..PLACES {
            let (from, until) = (begin(place), begin(place + 1));
            assert!((until - from) * EIGHTHS <= from, "{place}: an eighth at most");
        }
    }

    /// The longest time that stands in the same place.
    fn end(micros: u32) -> u32 {
        begin(place(micros.into()) + 1) - 1
    }

    #[test]
    fn what_is_a_minute_old_is_forgotten() {
        let mut spread = Spread::default();
        assert_eq!(spread.summary(), SpreadView::default());
        spread.take(90_000);
        for _ in 0..5 {
            assert!(spread.pass());
            spread.take(100);
            assert_eq!(spread.summary().most, end(90_000));
        }
        spread.pass();
        let left = spread.summary();
        assert_eq!((left.most, left.count), (end(100), 5));
        // What nobody calls a delay is not counted.
        spread.take(u64::MAX);
        assert_eq!(spread.summary().count, 5);
        assert!((0..6).map(|_| spread.pass()).last() == Some(false), "and in the end everything is");
    }

    #[test]
    fn lost_reports_are_counted_by_the_gaps_that_they_leave() {
        let mut spread = Spread::default();
        (0..990).for_each(|at| spread.take(4_000 + at % 50));
        assert_eq!(spread.summary().lost(), (0, 990), "a steady stream");
        // Ten times one is missing, once five are.
        (0..10).for_each(|_| spread.take(8_000));
        spread.take(24_000);
        assert_eq!(spread.summary().lost(), (15, 990 + 11 + 15));
        // Two ids that come one behind the other, or half way between each other, lose nothing by that.
        for pair in [[0, 8_000], [40, 7_960], [3_000, 5_000], [4_000, 4_100]] {
            let mut spread = Spread::default();
            (0..500).for_each(|_| pair.iter().for_each(|gap| spread.take(*gap)));
            assert_eq!(spread.summary().lost().0, 0, "{pair:?}");
        }
        let mut bursts = Spread::default();
        (0..100).for_each(|_| [0, 0, 0, 0, 0, 0, 0, 64_000].iter().for_each(|gap| bursts.take(*gap)));
        assert_eq!(bursts.summary().lost().0, 0, "nobody knows what should come");
    }

    proptest! {
        /// Beside the plain computation: all times sorted.
        #[test]
        fn it_says_what_the_sorted_times_say(times in proptest::collection::vec(0u64..=u64::from(LONGEST), 1..400), passes in 0usize..5) {
            let mut spread = Spread::default();
            let cut = times.len() / 2;
            times[..cut].iter().for_each(|time| spread.take(*time));
            (0..passes).for_each(|_| assert!(spread.pass() || cut == 0));
            times[cut..].iter().for_each(|time| spread.take(*time));
            let mut sorted: Vec<u32> = times.iter().map(|time| *time as u32).collect();
            sorted.sort_unstable();
            let summary = spread.summary();
            prop_assert_eq!(summary.count as usize, sorted.len());
            for (said, share) in [(summary.p50, 0.5), (summary.p99, 0.99), (summary.most, 1.0)] {
                let plain = sorted[((sorted.len() as f64 * share).ceil() as usize).max(1) - 1];
                prop_assert!(said >= plain && u64::from(said) * 8 <= u64::from(plain) * 9 + 8, "{} for {}", said, plain);
            }
            prop_assert_eq!(summary.bars.iter().map(|(_, count)| *count as usize).sum::<usize>(), sorted.len());
            prop_assert!(summary.bars.is_sorted());
            for most in [1, 7, 32, 500] {
                let columns = summary.columns(most);
                prop_assert!(columns.len() <= most && columns.iter().sum::<u32>() == summary.count);
                prop_assert!(columns.first() > Some(&0) && columns.last() > Some(&0), "both ends are there");
            }
        }
    }
}
