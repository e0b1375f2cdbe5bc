//! What a device does by itself (noise, counters, checksums), and whether it is doing anything else.

use super::{ButtonShape, Field, FoundChecksum, State};
use crate::measure::{ByteRole, roles};

/// Raw reports of each id kept for finding checksums.
const KEPT: usize = 400;
/// In how many samples a hand has to show, as a share of the first rest, and the limits of that.
const WINDOW_SHARE: usize = 20;
const WINDOW: std::ops::RangeInclusive<usize> = 8..=64;
/// How many samples a press lasts at least, and the share of the first rest.
const WHILE: usize = 8;
const WHILE_SHARE: usize = 40;
/// How far a bit's mean over a window has to lie outside its range at rest.
const SHIFT: f32 = 0.3;

/// What a device does while nobody touches it.
#[derive(Clone, Debug, Default)]
pub struct Still {
    shape: ButtonShape,
    /// Consecutive reports from while nothing was touched, by their place in the shape.
    quiet: Vec<Vec<Vec<u8>>>,
    /// Reports of all spells.
    mixed: Vec<Vec<Vec<u8>>>,
    /// How often a report was offered to `mixed`.
    offered: u32,
    /// Bits that belong to counters and checksums.
    taken: Vec<bool>,
    /// Bits that changed at rest.
    restless: Vec<bool>,
    /// Smallest and largest mean of each sign over a window at rest.
    means: Vec<(f32, f32)>,
    /// Samples of a window.
    window: usize,
    /// What was found out about bytes.
    checksums: Vec<FoundChecksum>,
}

impl Still {
    /// Nothing is known yet.
    #[must_use]
    pub fn new(shape: ButtonShape) -> Self {
        let reports = shape.reports().count();
        Self { quiet: vec![Vec::new(); reports], mixed: vec![Vec::new(); reports], shape, ..Self::default() }
    }

    /// Which bytes come from which report.
    #[must_use]
    pub fn shape(&self) -> &ButtonShape {
        &self.shape
    }

    /// A report came, while something was touched or while nothing was.
    pub(super) fn offer(&mut self, index: usize, report: &[u8], quiet: bool) {
        if quiet && self.quiet[index].len() < KEPT {
            self.quiet[index].push(report.to_vec());
        }
        let mixed = &mut self.mixed[index];
        if mixed.len() < KEPT {
            mixed.push(report.to_vec());
        } else {
            // Later ones replace earlier ones, so that all spells are represented.
            self.offered = self.offered.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            mixed[self.offered as usize >> 8 & 0xff] = report.to_vec();
        }
    }

    /// Learns from a spell of rest.
    pub(super) fn learn(&mut self, samples: &[State]) {
        let bits = self.shape.bytes() * 8;
        self.restless.resize(bits, false);
        let Some(first) = samples.first() else { return };
        for (bit, restless) in self.restless.iter_mut().enumerate() {
            *restless |= samples.iter().any(|state| is_set(state, bit) != is_set(first, bit));
        }
        let fresh = self.means.is_empty();
        if fresh {
            self.window = (samples.len() / WINDOW_SHARE).clamp(*WINDOW.start(), *WINDOW.end());
        }
        self.means.resize(3 * bits, (1.0, 0.0));
        for window in samples.windows(self.window).step_by(self.window / 3) {
            for (sign, mean) in self.means.iter_mut().enumerate() {
                let now = mean_of(window, sign);
                *mean = (mean.0.min(now), mean.1.max(now));
            }
        }
        if fresh {
            self.look();
        }
    }

    /// A bit that did at rest what normally only a hand does: it had one value for a while, then the other for a while. Counters, and what they carry
    /// into, do not qualify.
    pub(super) fn moved(&mut self, samples: &[State]) -> Option<u32> {
        self.look();
        let while_ = (samples.len() / WHILE_SHARE).max(WHILE);
        (0..self.shape.bytes() * 8)
            .find(|bit| {
                if self.is_taken(*bit as u32) || self.carries(samples, bit / 8) {
                    return false;
                }
                let mut long = [0usize; 2];
                let (mut kept, mut runs) = (0, 0);
                for run in samples.chunk_by(|a, b| is_set(a, *bit) == is_set(b, *bit)) {
                    if run.len() >= while_ {
                        long[usize::from(is_set(&run[0], *bit))] += 1;
                        kept += run.len();
                    }
                    runs += 1;
                }
                let few = long[0] + long[1] <= 5 && runs <= 16;
                long[0] > 0 && long[1] > 0 && few && kept * 10 >= samples.len() * 8
            })
            .map(|bit| bit as u32)
    }

    /// Whether a byte only ever goes up by one, beside a byte that counts.
    fn carries(&self, samples: &[State], byte: usize) -> bool {
        let counts = |byte: Option<usize>| byte.is_some_and(|byte| self.is_taken(byte as u32 * 8));
        let beside = counts(byte.checked_sub(1)) || (byte + 1 < self.shape.bytes() && counts(Some(byte + 1)));
        let number = |state: &State| state.get(byte).copied().unwrap_or(0);
        beside && samples.windows(2).all(|pair| number(&pair[1]).wrapping_sub(number(&pair[0])) <= 1)
    }

    /// Forgets everything about its rest.
    pub(super) fn forget(&mut self) {
        self.quiet.iter_mut().for_each(Vec::clear);
        self.restless.clear();
        self.means.clear();
    }

    /// Works out what belongs to counters and checksums.
    pub(super) fn look(&mut self) {
        self.taken = vec![false; self.shape.bytes() * 8];
        self.checksums.clear();
        for (index, (id, first, length)) in self.shape.reports().enumerate() {
            let skip = usize::from(self.shape.numbered);
            for (reports, counting) in [(&self.quiet[index], true), (&self.mixed[index], false)] {
                let reports: Vec<&Vec<u8>> = reports.iter().filter(|report| report.len() == length + skip).collect();
                for (at, role) in roles(&reports).into_iter().enumerate() {
                    let Some(byte) = at.checked_sub(skip) else { continue };
                    let bytes = match role {
                        ByteRole::Counter { .. } if counting => 1,
                        ByteRole::Checksum { checksum, width, from } => {
                            let found = FoundChecksum { report: id, checksum, width, at, from };
                            let begins = !self.checksums.iter().any(|other| {
                                other.report == id && (other.at..other.at + other.width.bytes()).contains(&at)
                            });
                            if begins {
                                self.checksums.push(found);
                            }
                            1
                        }
                        _ => 0,
                    };
                    for bit in (first + byte) * 8..(first + byte + bytes) * 8 {
                        self.taken[bit] = true;
                    }
                }
                if counting {
                    for byte in (0..length).filter(|byte| climbs(&reports, byte + skip)) {
                        self.taken[(first + byte) * 8..(first + byte + 1) * 8].fill(true);
                    }
                    small_counters(&reports, skip, first * 8, &mut self.taken);
                }
            }
        }
    }

    /// Whether a bit belongs to a counter or a checksum.
    #[must_use]
    pub fn is_taken(&self, bit: u32) -> bool {
        self.taken.get(bit as usize).copied().unwrap_or(true)
    }

    /// Whether a field overlaps counters, checksums or confirmed controls, or is not within one report.
    pub(super) fn excludes(&self, field: &Field, known: &[Field]) -> bool {
        let last = field.at + u32::from(field.size) - 1;
        !self.shape.in_one(field.at / 8, last / 8)
            || field.covers().any(|bit| self.is_taken(bit))
            || known.iter().any(|other| other.certain().meets(field))
    }

    /// Whether a bit changed at rest.
    #[must_use]
    pub fn is_restless(&self, bit: u32) -> bool {
        self.restless.get(bit as usize).copied().unwrap_or(true)
    }

    /// The checksums that were found.
    #[must_use]
    pub fn checksums(&self) -> &[FoundChecksum] {
        &self.checksums
    }

    /// Samples that show whether it is active.
    #[must_use]
    pub fn window(&self) -> usize {
        self.window
    }

    /// Whether the device does something that it did not do at rest.
    #[must_use]
    pub fn stirs(&self, window: &[State]) -> bool {
        self.means.iter().enumerate().any(|(sign, (low, high))| {
            let (bit, other) = bits_of(sign);
            if self.is_taken(bit as u32) || other.is_some_and(|other| self.is_taken(other as u32)) || low > high {
                return false;
            }
            let now = mean_of(window, sign);
            now < low - SHIFT || now > high + SHIFT
        })
    }

    /// Whether it has been quiet for long enough: every byte that counts has to come around once, to show what it carries into.
    #[must_use]
    pub fn is_known(&self) -> bool {
        let skip = usize::from(self.shape.numbered);
        self.quiet.iter().all(|reports| {
            let Some(last) = reports.last().filter(|_| reports.len() < KEPT) else { return true };
            (skip..last.len()).all(|at| {
                let counts = |pair: &[Vec<u8>]| pair[1].get(at)?.checked_sub(*pair[0].get(at)?);
                let steps = reports.windows(2).map(counts);
                // It went up all the time and has not come around yet.
                !steps.into_iter().all(|step| step.is_some_and(|step| step > 0))
            })
        })
    }
}

pub(super) fn is_set(state: &[u8], bit: usize) -> bool {
    state.get(bit / 8).is_some_and(|byte| byte >> (bit % 8) & 1 != 0)
}

/// What a sign consists of: a single bit, or whether it differs from a neighbour, above it or in the next byte. The upper bits of a number that rests
/// around its middle are noise individually, but whether they differ is not.
fn bits_of(sign: usize) -> (usize, Option<usize>) {
    let bit = sign / 3;
    match sign % 3 {
        0 => (bit, None),
        1 => (bit, Some(bit + 1)),
        _ if bit.is_multiple_of(8) => (bit, Some(bit + 15)),
        _ => (bit, None),
    }
}

fn mean_of(window: &[State], sign: usize) -> f32 {
    let (bit, other) = bits_of(sign);
    let differs = |state: &&State| is_set(state, bit) != other.is_some_and(|other| is_set(state, other));
    window.iter().filter(differs).count() as f32 / window.len().max(1) as f32
}

/// Whether a byte never goes back while nothing is touched: the upper byte of a clock.
fn climbs(reports: &[&Vec<u8>], at: usize) -> bool {
    let mut climbed = 0;
    reports.windows(2).all(|pair| {
        let step = pair[1][at].wrapping_sub(pair[0][at]);
        climbed += u32::from(step != 0);
        step < 64
    }) && climbed >= 4
}

/// Counters of less than a byte: runs of 2 to 7 bits that go up by the same step in every report.
fn small_counters(reports: &[&Vec<u8>], skip: usize, first: usize, taken: &mut [bool]) {
    let Some(length) = reports.first().map(|report| report.len() - skip).filter(|_| reports.len() >= 32) else {
        return;
    };
    for size in (2..8u8).rev() {
        for at in 0..(length * 8).saturating_sub(usize::from(size)) + 1 {
            let bits = first + at..first + at + usize::from(size);
            if at / 8 != (at + usize::from(size) - 1) / 8 || taken[bits.clone()].iter().any(|taken| *taken) {
                continue;
            }
            let field = Field { size, ..Field::bit(at as u32) };
            let number = |report: &Vec<u8>| field.of(&report[skip..]);
            let step = |pair: &[&Vec<u8>]| (number(pair[1]) - number(pair[0])).rem_euclid(1 << size);
            let usual = step(&reports[..2]);
            // Bits that count: the lowest changes every time, and all change at some time.
            let wraps = 2 * (1usize << size) <= reports.len() * usual.max(1) as usize;
            if usual % 2 == 1 && wraps && reports.windows(2).all(|pair| step(pair) == usual) {
                taken[bits].fill(true);
            }
        }
    }
}
