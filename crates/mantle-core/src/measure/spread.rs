//! Distributions of times, counted in buckets that grow with the time, so that counting costs next to nothing.

use serde::{Deserialize, Serialize};

/// The longest time counted in microseconds, a little over eight seconds. Longer ones are absences, not delays.
const LONGEST: u32 = (1 << 23) - 1;
/// All buckets; the last one takes what is not counted, so that nothing has to be checked first.
const PLACES: usize = place(LONGEST as u64) + 1;
/// The parts of a minute, which are forgotten one by one.
const PARTS: usize = 6;
/// A gap counts as this many normal ones from halfway between two multiples.
const HALF: f64 = 0.5;
/// A float's bits begin with its doublings, followed by what lies between two of them, of which eight steps count.
const BETWEEN: u32 = 20;
const ONE: u32 = 1.0f32.to_bits() >> BETWEEN;

/// The bucket of a time in microseconds: eight per doubling from one microsecond on.
#[inline]
const fn place(micros: u64) -> usize {
    // Signed, which saves an instruction; no time is that long.
    let bits = ((micros | 1) as i64 as f32).to_bits() >> BETWEEN;
    (bits.wrapping_sub(ONE)) as usize
}

/// The shortest time of a bucket; an empty one has the value of the next that is not.
fn begin(place: usize) -> u32 {
    match place {
        0 => 0,
        place => f32::from_bits((place as u32 + ONE) << BETWEEN).ceil() as u32,
    }
}

/// Counts per bucket.
#[derive(Clone, PartialEq, Eq, Debug)]
struct Tally([u32; PLACES + 1]);

impl Tally {
    const EMPTY: Self = Self([0; PLACES + 1]);
}

/// Times of the last minute in six parts of ten seconds; each [`Spread::pass`] forgets the oldest.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Spread {
    now: Tally,
    before: Vec<Tally>,
}

impl Default for Spread {
    fn default() -> Self {
        // All allocated at the start: nothing comes from the heap during play.
        Self { now: Tally::EMPTY, before: Vec::with_capacity(PARTS) }
    }
}

impl Spread {
    /// Counts a time in microseconds.
    #[inline]
    pub fn take(&mut self, micros: u64) {
        self.now.0[place(micros).min(PLACES)] += 1;
    }

    /// Ten seconds are over. Returns whether anything is left.
    pub fn pass(&mut self) -> bool {
        if self.before.len() == PARTS - 1 {
            self.before.remove(0);
        }
        self.before.push(std::mem::replace(&mut self.now, Tally::EMPTY));
        self.before.iter().any(|part| part.0[..PLACES].iter().any(|count| *count > 0))
    }

    /// The summary.
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

/// A summary of measured times, in microseconds.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct SpreadView {
    /// Number of times.
    pub count: u32,
    /// The median, within an eighth.
    pub p50: u32,
    /// The 99th percentile, within an eighth.
    pub p99: u32,
    /// The maximum, within an eighth.
    pub most: u32,
    /// Counts by the shortest time of each bucket; empty buckets are left out.
    pub bars: Vec<(u32, u32)>,
}

impl SpreadView {
    /// The end of the bucket that begins at this time.
    #[must_use]
    pub fn end_of(begins: u32) -> u32 {
        begin(place(begins.into()) + 1)
    }

    /// How often each time occurred, in a limited number of columns from shortest to longest, which grow like the buckets.
    #[must_use]
    pub fn columns(&self, most: usize) -> Vec<u32> {
        let (Some((first, _)), Some((last, _))) = (self.bars.first(), self.bars.last()) else { return Vec::new() };
        let (first, span) = (place((*first).into()), place((*last).into()) - place((*first).into()) + 1);
        let count = span.min(most);
        let mut columns = vec![0; count];
        self.bars.iter().for_each(|(begins, of)| columns[(place((*begins).into()) - first) * count / span] += of);
        columns
    }

    /// The longest time of the bucket that contains this share of all.
    fn within(&self, share: f64) -> u32 {
        let wanted = (f64::from(self.count) * share).ceil() as u32;
        let mut seen = 0;
        let found = self.bars.iter().find(|(_, count)| {
            seen += count;
            seen >= wanted
        });
        found.map_or(0, |(begins, _)| Self::end_of(*begins) - 1)
    }

    /// The normal gap of a steady stream. Several reports may come close together, perhaps with several ids; then it is
    /// the gap between such groups. None if reports come irregularly.
    fn usual(&self) -> Option<f64> {
        let (half, most) = (f64::from(self.within(0.5)), f64::from(self.within(0.75)));
        let middle = |begins: u32| f64::from(begins + Self::end_of(begins)) / 2.0;
        let sum: f64 = self.bars.iter().map(|(begins, count)| middle(*begins) * f64::from(*count)).sum();
        let mean = sum / f64::from(self.count.max(1));
        let usual = if half * 4.0 >= most * 3.0 { half } else { most };
        (usual >= 1.0 && usual * 2.0 >= mean).then_some(usual)
    }

    /// For a steady stream: about how many reports were lost, and how many were expected.
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

    /// Places in each doubling of the time: each is at most an eighth of its time wide.
    const EIGHTHS: u32 = 8;

    #[test]
    fn buckets_are_contiguous() {
        let mut last = 0;
        for micros in 0..200_000u32 {
            // To none at all one is added: an odd number is its own place's.
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

    /// The longest time in the same place.
    fn end(micros: u32) -> u32 {
        begin(place(micros.into()) + 1) - 1
    }

    #[test]
    fn times_older_than_a_minute_are_dropped() {
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
        // What nobody would call a delay is not counted.
        spread.take(u64::MAX);
        assert_eq!(spread.summary().count, 5);
        assert!((0..6).map(|_| spread.pass()).last() == Some(false), "and in the end everything is");
    }

    #[test]
    fn lost_reports_are_counted_from_their_gaps() {
        let mut spread = Spread::default();
        (0..990).for_each(|at| spread.take(4_000 + at % 50));
        assert_eq!(spread.summary().lost(), (0, 990), "a steady stream");
        // Ten times one is missing, once five are.
        (0..10).for_each(|_| spread.take(8_000));
        spread.take(24_000);
        assert_eq!(spread.summary().lost(), (15, 990 + 11 + 15));
        // Two ids that come one after the other, or half way between each other, lose nothing by that.
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
        /// Compared with the plain computation: all times sorted.
        #[test]
        fn the_spread_agrees_with_sorted_times(times in proptest::collection::vec(0u64..=u64::from(LONGEST), 1..400), passes in 0usize..5) {
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
