//! The roles of a report's bytes: constant, counter, checksum. Everything else is
//! left to people.

use super::checksum::{Checksum, Width};
use serde::{Deserialize, Serialize};

/// Reports needed before a byte gets a role.
pub const ENOUGH: usize = 32;

/// The role of a byte.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum ByteRole {
    /// Not enough has been seen.
    Unknown,
    /// It never changed.
    Constant,
    /// Part of a counter that steps evenly with every report.
    Counter {
        /// The step of the lowest byte; 0 for a clock, whose steps vary.
        step: u8,
    },
    /// A checksum, verified over all reports seen.
    Checksum {
        /// The algorithm.
        checksum: Checksum,
        /// Its width.
        width: Width,
        /// The first byte it covers; it covers everything from there up to itself.
        from: usize,
    },
    /// It changes, and nothing more can be said.
    Changes,
}

/// Examines reports of one id and one length, oldest first. The result has one entry per byte.
#[must_use]
pub fn roles<R: AsRef<[u8]>>(reports: &[R]) -> Vec<ByteRole> {
    let Some(first) = reports.first().map(AsRef::as_ref) else { return Vec::new() };
    let length = first.len();
    if reports.len() < ENOUGH || reports.iter().any(|report| report.as_ref().len() != length) {
        return vec![ByteRole::Unknown; length];
    }
    let mut out: Vec<ByteRole> = (0..length)
        .map(|at| {
            let same = reports.iter().all(|report| report.as_ref()[at] == first[at]);
            if same { ByteRole::Constant } else { ByteRole::Changes }
        })
        .collect();
    checksums(reports, &mut out);
    counters(reports, &mut out);
    out
}

/// Finds checksums. Anything fits over bytes that hardly change, so enough different contents must have been seen to make a
/// coincidence less likely than one in a thousand million.
fn checksums<R: AsRef<[u8]>>(reports: &[R], out: &mut [ByteRole]) {
    let length = out.len();
    let mut covered: Vec<&[u8]> = Vec::new();
    for (checksum, widths) in &Checksum::KNOWN {
        for width in *widths {
            let bytes = width.bytes();
            for at in 1..(length + 1).saturating_sub(bytes) {
                if out[at..at + bytes].iter().all(|role| *role != ByteRole::Changes) {
                    continue;
                }
                // The id byte may be covered or not.
                for from in 0..2usize.min(at) {
                    let fits = |report: &R| {
                        let report = report.as_ref();
                        width.read(&report[at..]) == Some(checksum.of(&report[from..at]))
                    };
                    if at - from < 2 || !reports.iter().all(fits) {
                        continue;
                    }
                    covered.clear();
                    covered.extend(reports.iter().map(|report| &report.as_ref()[from..at]));
                    covered.sort_unstable();
                    covered.dedup();
                    // A byte that equals another one is not its checksum.
                    let moving = out[from..at].iter().filter(|role| **role != ByteRole::Constant).count();
                    if covered.len() >= ENOUGH / 2 && moving >= 2 {
                        out[at..at + bytes].fill(ByteRole::Checksum { checksum: *checksum, width: *width, from });
                    }
                }
            }
        }
    }
}

fn counters<R: AsRef<[u8]>>(reports: &[R], out: &mut [ByteRole]) {
    let pairs = reports.len() - 1;
    for at in 0..out.len() {
        if out[at] != ByteRole::Changes {
            continue;
        }
        let byte = |report: &R| report.as_ref()[at];
        let mut steps = [0usize; 256];
        for two in reports.windows(2) {
            steps[usize::from(byte(&two[1]).wrapping_sub(byte(&two[0])))] += 1;
        }
        let (step, times) = steps.iter().enumerate().max_by_key(|(_, times)| **times).unwrap_or((0, &0));
        // A lost report doubles the step; nothing else may come between.
        let double = steps[(2 * step) & 255];
        if step != 0 && step <= 64 && times + double == pairs && times * 20 >= pairs * 19 {
            out[at] = ByteRole::Counter { step: step as u8 };
            higher_bytes(reports, out, at);
        }
    }
    for at in 0..out.len() {
        // Below a byte that counts by itself, anything looks like the lower byte of a clock.
        let alone = out.get(at + 1).is_some_and(|above| matches!(above, ByteRole::Counter { .. }));
        if out[at] == ByteRole::Changes && !alone && clock(reports, at) {
            out[at] = ByteRole::Counter { step: 0 };
            higher_bytes(reports, out, at);
        }
    }
}

/// Whether a two-byte number from here on, low byte first, always rises, and never by much.
fn clock<R: AsRef<[u8]>>(reports: &[R], at: usize) -> bool {
    if reports.len() < 2 * ENOUGH {
        return false;
    }
    let Some(numbers) =
        reports.iter().map(|r| Width::TwoLittle.read(r.as_ref().get(at..)?)).collect::<Option<Vec<_>>>()
    else {
        return false;
    };
    let steps: Vec<u16> = numbers.windows(2).map(|two| (two[1] as u16).wrapping_sub(two[0] as u16)).collect();
    let sum: u64 = steps.iter().map(|step| u64::from(*step)).sum();
    // It has wrapped at least once: a stick that is pushed slowly stops at its end.
    steps.iter().all(|step| (1..4096).contains(step)) && sum > 1 << 16
}

/// The carry bytes above a counter: each changes only when the one below has wrapped.
fn higher_bytes<R: AsRef<[u8]>>(reports: &[R], out: &mut [ByteRole], low: usize) {
    for at in low + 1..(low + 4).min(out.len()) {
        let carried = reports.windows(2).all(|two| {
            let (before, after) = (two[0].as_ref(), two[1].as_ref());
            let wrapped = after[at - 1] < before[at - 1];
            after[at] == before[at].wrapping_add(u8::from(wrapped))
        });
        if !carried || out[at] != ByteRole::Changes {
            return;
        }
        out[at] = ByteRole::Counter { step: 1 };
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    struct Random(u64);

    impl Random {
        fn next(&mut self) -> u8 {
            self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (self.0 >> 33) as u8
        }
    }

    /// Reports with an id, a counter, two random bytes, a constant, and then a checksum.
    fn reports(count: usize, seed: u64, checksum: Checksum, width: Width) -> Vec<Vec<u8>> {
        let mut random = Random(seed);
        (0..count)
            .map(|n| {
                let mut report = vec![1, n as u8, random.next(), random.next(), 77];
                let sum = checksum.of(&report);
                let mut bytes = [0u8; 4];
                width.write(sum, &mut bytes);
                report.extend(&bytes[..width.bytes()]);
                report
            })
            .collect()
    }

    #[test]
    fn every_known_checksum_is_found_and_named() {
        for (checksum, widths) in Checksum::KNOWN {
            for width in widths {
                let roles = roles(&reports(40, 9, checksum, *width));
                assert_eq!(
                    roles[..5],
                    [
                        ByteRole::Constant,
                        ByteRole::Counter { step: 1 },
                        ByteRole::Changes,
                        ByteRole::Changes,
                        ByteRole::Constant
                    ]
                );
                for role in &roles[5..] {
                    let ByteRole::Checksum { width: found, .. } = role else { panic!("{}: {role:?}", checksum.name()) };
                    assert_eq!(found, width);
                }
            }
        }
    }

    #[test]
    fn noise_below_a_counter_is_not_a_clock() {
        let mut random = Random(3);
        let reports: Vec<[u8; 3]> = (0..400u32).map(|n| [1, random.next(), (n * 5) as u8]).collect();
        assert_eq!(roles(&reports), [ByteRole::Constant, ByteRole::Changes, ByteRole::Counter { step: 5 }]);
    }

    #[test]
    fn too_few_reports_give_no_roles() {
        let few = reports(ENOUGH - 1, 3, Checksum::Xor { with: 0 }, Width::One);
        assert!(roles(&few).iter().all(|role| *role == ByteRole::Unknown));
        assert!(roles::<Vec<u8>>(&[]).is_empty());
    }

    #[test]
    fn a_single_mismatch_rules_out_a_checksum() {
        let mut all = reports(64, 3, Checksum::Sum { plus: 0 }, Width::One);
        all[50][5] ^= 1;
        assert_eq!(roles(&all)[5], ByteRole::Changes);
    }

    #[test]
    fn counters_are_found_across_bytes_and_lost_reports() {
        let count = |n: u32| vec![(n & 0xff) as u8, (n >> 8) as u8, (n >> 16) as u8];
        let all: Vec<Vec<u8>> = (0xff00u32..0x10200).filter(|n| *n != 0xff80).map(count).collect();
        let found = roles(&all);
        assert_eq!(found, vec![ByteRole::Counter { step: 1 }; 3], "{found:?}");
    }

    #[test]
    fn a_clock_with_uneven_steps_counts_and_a_stick_does_not() {
        let mut now = 0u32;
        let mut random = Random(5);
        let clock: Vec<Vec<u8>> = (0..400)
            .map(|_| {
                now += 240 + u32::from(random.next() % 20);
                vec![(now & 0xff) as u8, (now >> 8) as u8]
            })
            .collect();
        assert_eq!(roles(&clock)[0], ByteRole::Counter { step: 0 });
        let stick: Vec<Vec<u8>> = (0..400u32).map(|n| (n * 160).to_le_bytes()[..2].to_vec()).collect();
        assert!(roles(&stick).iter().all(|role| !matches!(role, ByteRole::Counter { step: 0 })));
    }

    proptest! {
        /// Random bytes are never taken for a checksum, a counter, or a constant.
        #[test]
        fn random_bytes_are_labelled_changing_and_nothing_more(seed in any::<u64>(), length in 2usize..20, count in 32usize..120) {
            let mut random = Random(seed);
            let all: Vec<Vec<u8>> = (0..count).map(|_| (0..length).map(|_| random.next()).collect()).collect();
            for role in roles(&all) {
                prop_assert_eq!(role, ByteRole::Changes);
            }
        }

        #[test]
        fn any_reports_are_handled_without_panic(reports in prop::collection::vec(prop::collection::vec(any::<u8>(), 0..6), 0..80)) {
            let _ = roles(&reports);
        }
    }
}
