//! Reports per second, from counters alone: read beside the road, never on it.

use crate::parts::sources;
use mantle_core::path::Stage;
use mantle_core::slot::{SLOTS, SlotNumber};
use mantle_core::table::{Source, Table};
use mantle_core::time::Micros;

/// Eighths of a second that are remembered.
pub const BARS: usize = 8;
const SPAN: Micros = Micros::millis(125);

/// The history of one counter.
#[derive(Clone, Debug, Default)]
pub struct Rate {
    bars: [u16; BARS],
    open: u64,
    seen: u64,
    slice: u64,
}

impl Rate {
    /// Takes the present count.
    pub fn handle_count(&mut self, now: Micros, count: u64) {
        let slice = now.0 / SPAN.0;
        let passed = slice.saturating_sub(self.slice);
        if passed > 0 {
            let shift = (passed as usize).min(BARS);
            self.bars.rotate_left(shift);
            for bar in &mut self.bars[BARS - shift..] {
                *bar = 0;
            }
            // Reports since the last look go into the slice that has just ended.
            if shift < BARS || passed as usize == BARS {
                self.bars[BARS - shift] = self.open.min(u64::from(u16::MAX)) as u16;
            }
            self.open = 0;
            self.slice = slice;
        }
        self.open += count.saturating_sub(self.seen);
        self.seen = count;
    }

    /// The last eight eighths of a second, oldest first.
    #[must_use]
    pub fn bars(&self) -> [u16; BARS] {
        self.bars
    }

    /// Reports in the last second.
    #[must_use]
    pub fn per_second(&self) -> u32 {
        self.bars.iter().map(|bar| u32::from(*bar)).sum()
    }

    /// Whether everything has faded.
    #[must_use]
    pub fn silent(&self) -> bool {
        self.open == 0 && self.per_second() == 0
    }
}

/// The histories of all sources and slots.
#[derive(Debug, Default)]
pub(crate) struct Rates {
    of_nodes: Vec<Rate>,
    of_slots: [Rate; SLOTS],
    none: Rate,
}

impl Rates {
    /// Reads the counters.
    pub fn look(&mut self, now: Micros, table: &Table) {
        for source in sources(table) {
            let index = usize::from(source.facts.id.0);
            if self.of_nodes.len() <= index {
                self.of_nodes.resize_with(index + 1, Rate::default);
            }
            self.of_nodes[index].handle_count(now, source.reports.count);
        }
        for (number, slot) in table.slots() {
            let reports = slot.session.passed()[Stage::Reports as usize].count;
            self.of_slots[number.index()].handle_count(now, reports);
        }
    }

    /// That of a source.
    pub fn of(&self, source: &Source) -> &Rate {
        self.of_nodes.get(usize::from(source.facts.id.0)).unwrap_or(&self.none)
    }

    /// That of a slot.
    pub fn of_slot(&self, number: SlotNumber) -> &Rate {
        &self.of_slots[number.index()]
    }

    /// Whether everything has faded.
    pub fn silent(&self) -> bool {
        self.of_nodes.iter().chain(&self.of_slots).all(Rate::silent)
    }
}

/// The time left, in tenths of a second.
pub(crate) fn tenths(until: Micros, now: Micros) -> u16 {
    until.since(now).0.div_ceil(100_000).min(9_999) as u16
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_steady_stream_shows_its_rate_and_fades() {
        let mut rate = Rate::default();
        for ms in 0..=2000u64 {
            rate.handle_count(Micros::millis(ms), ms / 4);
        }
        assert!((240..=256).contains(&rate.per_second()), "{}", rate.per_second());
        for ms in 2000..=3300u64 {
            rate.handle_count(Micros::millis(ms), 500);
        }
        assert!(rate.silent());
    }

    #[test]
    fn a_long_gap_resets_the_rate() {
        let mut rate = Rate::default();
        rate.handle_count(Micros::millis(10), 100);
        rate.handle_count(Micros::seconds(60), 100);
        assert_eq!(rate.per_second(), 0);
    }
}
