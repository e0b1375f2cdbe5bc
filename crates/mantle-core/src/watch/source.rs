//! What comes from one node, examined again and again: how often, whether intact, and whether at all.

use super::Micros;
use crate::measure::Spread;

/// Looks at counts that are kept, one second apart.
const KEPT: usize = 10;
/// A device that streams sends at least this many reports between the compared looks.
const STREAM: u64 = 12;
/// A streaming device that is silent for this long has fallen silent.
const SILENT: Micros = Micros::seconds(2);
/// A stream that has a gap of this length had paused.
const PAUSE: Micros = Micros::millis(500);
/// Measured rates vary by this much.
const ABOUT: f32 = 0.95;
/// Unreadable reports are reported from this share on: a hundredth, and at least three.
const DAMAGED: (f32, u64) = (0.01, 3);

/// Measurements are summed up once per this many counts that are kept.
const SUMMED: u32 = 4;
/// Fewer lost reports than this are not worth mentioning, whatever their share.
const SOME: u32 = 20;

/// Counts at a moment.
#[derive(Clone, Copy, Debug, Default)]
struct Counts {
    at: Micros,
    last: Micros,
    reports: u64,
    changed: u64,
    bad: u64,
}

/// What is wrong with what comes from a node.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Coming {
    /// It sent this many reports per second and has been silent for this long.
    Silent(f32, Micros),
    /// It sends only so many a second.
    Slow(f32),
    /// This share of what it sends is unreadable.
    Damaged(f32),
    /// This share of what it should have sent within the last minute has not come.
    Lost(f32),
}

/// How a node's counters stand.
#[derive(Clone, Copy, Debug, Default)]
pub struct SourceState {
    /// Reports that came, and the time of the last one.
    pub reports: u64,
    /// When the last one came.
    pub last: Micros,
    /// Those in which a control changed.
    pub changed: u64,
    /// Those that could not be read.
    pub bad: u64,
}

/// A node that is watched.
#[derive(Clone, Debug, Default)]
pub struct SourceWatch {
    /// The gaps between its reports within the last minute.
    pub gaps: Spread,
    /// How often the counts were kept.
    looks: u32,
    /// How many of a steady stream's reports have not come within the last minute, and how many were expected.
    lost: (u32, u32),
    ring: Vec<Counts>,
    now: SourceState,
    /// The reports per second of a device that sends even if nothing has changed.
    rate: Option<f32>,
}

impl SourceWatch {
    /// Its present state; returns whether anything has come since the last look.
    pub fn look(&mut self, now: Micros, state: SourceState) -> bool {
        let news = state.reports != self.now.reports;
        self.now = state;
        if self.ring.last().is_none_or(|last| now.since(last.at) >= Micros::seconds(1)) {
            if self.ring.len() == KEPT {
                self.ring.remove(0);
            }
            let SourceState { reports, last, changed, bad } = state;
            self.ring.push(Counts { at: now, last, reports, changed, bad });
            self.looks = self.looks.wrapping_add(1);
            if self.looks.is_multiple_of(SUMMED) {
                self.lost = if self.rate.is_some() { self.gaps.summary().lost() } else { (0, 0) };
            }
        }
        if news {
            self.find_rate(now);
        }
        news
    }

    /// A device that sends even if nothing has changed streams, so its silence means something.
    fn find_rate(&mut self, now: Micros) {
        let Some(then) = self.ring.iter().rev().find(|then| now.since(then.at) >= Micros::seconds(3)) else { return };
        let (reports, changed) = (self.now.reports - then.reports, self.now.changed - then.changed);
        let idle = reports.saturating_sub(changed) * 4 >= reports;
        if reports >= STREAM && idle {
            // From report to report, so that it does not matter when a look was taken; and not over a silence at either end.
            let begin = if then.at.since(then.last) < PAUSE { then.last } else { then.at };
            self.rate = Some(reports as f32 / (self.now.last.since(begin).0.max(1) as f32 / 1e6));
        }
    }

    /// The reports per second of a streaming device; none for one that sends only changes, or is not known yet.
    #[must_use]
    pub fn rate(&self) -> Option<f32> {
        self.rate
    }

    /// How many of a streaming device's reports have not come within the last minute, and how many were expected.
    #[must_use]
    pub fn lost(&self) -> (u32, u32) {
        self.lost
    }

    /// What is wrong now: reports further apart than `delay` are slow, and no more than the share `lost` may be missing.
    pub fn troubles(&self, now: Micros, delay: Micros, lost: f32) -> impl Iterator<Item = Coming> + use<> {
        let silent = now.since(self.now.last);
        let rate = self.rate;
        let fell = rate.filter(|rate| silent >= SILENT && silent.0 as f32 > 12e6 / rate);
        let (silence, slow) = match (fell, rate) {
            (Some(rate), _) => (Some(Coming::Silent(rate, silent)), None),
            (None, Some(rate)) if rate * (delay.0 as f32) < ABOUT * 1e6 => (None, Some(Coming::Slow(rate))),
            _ => (None, None),
        };
        let damaged = self.ring.first().and_then(|then| {
            let (reports, bad) = (self.now.reports - then.reports, self.now.bad - then.bad);
            let share = bad as f32 / reports.max(1) as f32;
            (bad >= DAMAGED.1 && share >= DAMAGED.0).then_some(Coming::Damaged(share))
        });
        let (gone, all) = self.lost;
        let share = gone as f32 / all.max(1) as f32;
        let gone = (gone >= SOME && share > lost).then_some(Coming::Lost(share));
        silence.into_iter().chain(damaged).chain(slow).chain(gone)
    }
}
