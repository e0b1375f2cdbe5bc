//! How regularly reports come.

use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// The gaps between reports, in microseconds.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Gaps {
    /// Number of gaps.
    pub count: u32,
    /// The median.
    pub median: u32,
    /// The 99th percentile.
    pub p99: u32,
    /// The longest.
    pub most: u32,
    /// Jitter: the median distance of gaps from the median.
    pub jitter: u32,
}

impl Gaps {
    /// The gaps between ascending stamps.
    #[must_use]
    pub fn of(stamps: impl IntoIterator<Item = Micros>) -> Self {
        let mut last = None;
        let mut gaps: Vec<u32> = Vec::new();
        for stamp in stamps {
            if let Some(last) = last.replace(stamp) {
                gaps.push(stamp.since(last).0.min(u64::from(u32::MAX)) as u32);
            }
        }
        if gaps.is_empty() {
            return Self::default();
        }
        let at = |sorted: &[u32], share: f64| sorted[((sorted.len() - 1) as f64 * share).round() as usize];
        gaps.sort_unstable();
        let median = at(&gaps, 0.5);
        let (p99, most) = (at(&gaps, 0.99), *gaps.last().unwrap_or(&0));
        let mut off: Vec<u32> = gaps.iter().map(|gap| gap.abs_diff(median)).collect();
        off.sort_unstable();
        Self { count: gaps.len() as u32, median, p99, most, jitter: at(&off, 0.5) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_steady_stream_has_no_jitter_and_a_single_gap_shows() {
        let mut stamps: Vec<Micros> = (0..200).map(|n| Micros(n * 4000)).collect();
        assert_eq!(Gaps::of(stamps.clone()), Gaps { count: 199, median: 4000, p99: 4000, most: 4000, jitter: 0 });
        stamps.remove(100);
        let gaps = Gaps::of(stamps);
        assert_eq!((gaps.median, gaps.most, gaps.jitter), (4000, 8000, 0));
    }

    #[test]
    fn fewer_than_two_reports_have_no_gaps() {
        assert_eq!(Gaps::of([]), Gaps::default());
        assert_eq!(Gaps::of([Micros(5)]), Gaps::default());
    }

    #[test]
    fn jitter_matches_its_documented_definition() {
        let stamps = (0..100u64).map(|n| Micros(n * 4000 + if n % 2 == 0 { 0 } else { 300 }));
        let gaps = Gaps::of(stamps);
        assert!(gaps.jitter == 0 || gaps.jitter == 600, "{gaps:?}");
        assert!((3700..=4300).contains(&gaps.median), "{gaps:?}");
    }
}
