//! Values that jump: far off for one report, and back with the next. No hand does that; a worn track or a bad contact does.
//!
//! Looking for them needs reports that follow each other, so a few in a row are looked at, out of many.

use super::Micros;
use mantle_hid::{Frame, VALUES};

/// Of so many reports
pub const OF: u64 = 128;
/// the first so many are looked at.
pub const FIRST: u64 = 16;
/// A jump is over within this time.
const WITHIN: Micros = Micros::millis(50);
/// So long one is remembered.
const KEPT: Micros = Micros::seconds(60);
/// So many are said.
const SAID: u8 = 2;

/// What is known of a node's values.
#[derive(Clone, Debug)]
pub struct Spikes {
    before: [Micros; 2],
    values: [[i32; VALUES]; 2],
    counts: [u8; VALUES],
    last: Micros,
}

impl Default for Spikes {
    fn default() -> Self {
        Self { before: [Micros(0); 2], values: [[0; VALUES]; 2], counts: [0; VALUES], last: Micros(0) }
    }
}

impl Spikes {
    /// A report has come; `spans` are the values that are axes, each with its range.
    pub fn see(&mut self, now: Micros, frame: &Frame, spans: impl Iterator<Item = (u8, i64)>) {
        if now.since(self.last) > KEPT {
            self.counts = [0; VALUES];
        }
        if self.before[0].0 > 0 && now.since(self.before[0]) <= WITHIN {
            for (value, span) in spans {
                let at = usize::from(value) % VALUES;
                let of = |values: &[i32; VALUES]| i64::from(values[at]);
                let (first, second, third) = (of(&self.values[0]), of(&self.values[1]), i64::from(frame.values[at]));
                let jumps = (second - first).abs() * 4 > span && (third - second).abs() * 4 > span;
                if jumps && (third - first).abs() * 10 < span {
                    self.counts[at] = self.counts[at].saturating_add(1);
                    self.last = now;
                }
            }
        }
        self.values = [self.values[1], frame.values];
        self.before = [self.before[1], now];
    }

    /// How often a value was seen to jump lately, if that is worth a word.
    #[must_use]
    pub fn of(&self, now: Micros, value: u8) -> Option<u8> {
        let count = self.counts[usize::from(value) % VALUES];
        (count >= SAID && now.since(self.last) <= KEPT).then_some(count)
    }
}
