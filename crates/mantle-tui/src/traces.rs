//! Traces of the last seconds: the shown devices' controls, and what their pad sends, as snapshots arrive.

use crate::rows::Row;
use mantle_talk::{ControlRow, Detail, DeviceId, SlotDetail, Snapshot, Target};
use std::collections::VecDeque;

/// Duration of one column, in microseconds.
pub(crate) const COLUMN: u64 = 100_000;
/// Number of columns: twelve seconds.
pub(crate) const COLUMNS: usize = 120;

/// What a trace shows.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(crate) enum Traced {
    /// A device's control, as a share of its travel.
    Control(DeviceId, u8, u16),
    /// A control of the pad, from its rest.
    Target(Target),
    /// A lane of the pad before feel.
    Before(u8),
    /// The same lane after feel.
    After(u8),
}

/// The last seconds of one value from 0 to 1.
#[derive(Clone, Debug)]
pub(crate) struct Trace {
    pub what: Traced,
    pub name: String,
    /// Full scale; a button's trace is on or off.
    pub is_button: bool,
    resting: f32,
    now: f32,
    /// Lowest and highest value of each column, oldest first.
    columns: VecDeque<(f32, f32)>,
    /// Columns since it moved.
    still: usize,
}

impl Trace {
    fn new(what: Traced, name: String, resting: f32, is_button: bool, value: f32) -> Self {
        let columns = VecDeque::from([(value, value)]);
        Self { what, name, is_button, resting, now: value, columns, still: COLUMNS }
    }

    fn pass(&mut self, columns: usize) {
        for _ in 0..columns.min(COLUMNS) {
            self.columns.push_back((self.now, self.now));
        }
        while self.columns.len() > COLUMNS {
            self.columns.pop_front();
        }
        self.still = self.still.saturating_add(columns);
    }

    fn take(&mut self, value: f32) {
        if (value - self.now).abs() > 0.004 {
            self.still = 0;
        }
        self.now = value;
        if let Some((low, high)) = self.columns.back_mut() {
            (*low, *high) = (low.min(value), high.max(value));
        }
    }

    /// Whether it moved within this many columns.
    pub fn moved(&self, columns: usize) -> bool {
        self.still < columns
    }

    /// Whether it moves both ways from its rest.
    pub fn is_centred(&self) -> bool {
        self.resting > 0.25
    }

    /// Its latest value.
    pub fn now(&self) -> f32 {
        self.now
    }

    /// The values of the last columns, oldest first; in each column, the one furthest from rest.
    pub fn values(&self, columns: usize) -> Vec<f32> {
        let from = self.columns.len().saturating_sub(columns);
        let far = |(low, high): &(f32, f32)| {
            if (self.resting - low).abs() > (self.resting - high).abs() { *low } else { *high }
        };
        self.columns.iter().skip(from).map(far).collect()
    }
}

/// The traces of the chosen row.
#[derive(Debug)]
pub(crate) struct Traces {
    of: Option<Row>,
    column: u64,
    all: Vec<Trace>,
}

impl Traces {
    /// Nothing seen yet.
    pub const fn new() -> Self {
        Self { of: None, column: 0, all: Vec::new() }
    }

    /// Handles a new snapshot.
    pub fn see(&mut self, row: Option<Row>, snapshot: &Snapshot) {
        let column = snapshot.now.0 / COLUMN;
        if self.of != row || column < self.column {
            *self = Self { of: row, column, all: Vec::new() };
        }
        let passed = (column - self.column) as usize;
        self.column = column;
        if passed > 0 {
            self.all.iter_mut().for_each(|trace| trace.pass(passed));
        }
        for device in snapshot.detail.devices().iter().filter(|device| device.reports.1 > 0) {
            for control in device.controls.iter().filter(|control| control.kind != "state") {
                let what = Traced::Control(device.id, device.part, control.number);
                let (resting, value, is_button) = share_of(control);
                self.put(what, &control.name, resting, is_button, value);
            }
        }
        if let Detail::Slot(slot) = &snapshot.detail {
            self.see_pad(slot, snapshot);
        }
    }

    fn see_pad(&mut self, slot: &SlotDetail, snapshot: &Snapshot) {
        for row in &slot.bindings {
            let is_button = !row.target.travels();
            self.put(Traced::Target(row.target), &row.name, 0.0, is_button, row.share.clamp(0.0, 1.0));
        }
        let Some(row) = snapshot.slots.iter().find(|row| row.number == slot.number) else { return };
        for (lane, before) in slot.before_feel.iter().enumerate() {
            let pulled = matches!(lane, 4 | 5);
            let full = if pulled { 255.0 } else { 32_767.0 };
            let after = row.pad.lane(lane) as f32 / full;
            let place = |share: f32| if pulled { share } else { share.midpoint(1.0) }.clamp(0.0, 1.0);
            let resting = if pulled { 0.0 } else { 0.5 };
            self.put(Traced::Before(lane as u8), "", resting, false, place(*before));
            self.put(Traced::After(lane as u8), "", resting, false, place(after));
        }
    }

    fn put(&mut self, what: Traced, name: &str, resting: f32, is_button: bool, value: f32) {
        match self.all.iter_mut().find(|trace| trace.what == what) {
            Some(trace) => trace.take(value),
            None => self.all.push(Trace::new(what, name.to_owned(), resting, is_button, value)),
        }
    }

    /// All traces, in the order in which they first appeared.
    pub fn all(&self) -> &[Trace] {
        &self.all
    }

    /// The trace of one thing.
    pub fn of(&self, what: Traced) -> Option<&Trace> {
        self.all.iter().find(|trace| trace.what == what)
    }
}

/// A control's rest, its value, and whether it is on-off.
fn share_of(control: &ControlRow) -> (f32, f32, bool) {
    match control.kind.as_str() {
        "button" | "key" => (0.0, f32::from(u8::from(control.active)), true),
        // A hat's values are directions, so it is either at rest or not.
        "hat" => (0.0, f32::from(u8::from(control.active)), true),
        _ => (0.5, control.share.clamp(0.0, 1.0), false),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn trace() -> Trace {
        Trace::new(Traced::Before(0), "X".into(), 0.5, false, 0.5)
    }

    #[test]
    fn a_short_press_between_two_columns_is_seen() {
        let mut trace = trace();
        trace.take(0.0);
        trace.take(0.5);
        assert_eq!(trace.values(10), [0.0], "it was there within this column");
        trace.pass(2);
        assert_eq!(trace.values(10), [0.0, 0.5, 0.5]);
        assert!(trace.moved(3) && !trace.moved(2));
    }

    #[test]
    fn a_trace_keeps_a_fixed_number_of_columns() {
        let mut trace = trace();
        trace.pass(1_000_000);
        trace.take(1.0);
        let values = trace.values(COLUMNS + 50);
        assert_eq!(values.len(), COLUMNS);
        assert_eq!(values.last(), Some(&1.0));
    }
}
