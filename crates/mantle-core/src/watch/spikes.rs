//! Values that jump: far off for a moment, and back sooner than any hand could. A worn track or a bad contact does that. Looking for them needs
//! consecutive reports. Of a device that sends up to 333 per second all are examined; of a faster one, some in a row, again and again, so that each
//! report costs little.

use super::Micros;
use crate::control::{ControlKind, Layout, Place};
use mantle_hid::{Frame, VALUES};

/// Of a fast device so many reports
const OF: u64 = 768;
/// examined in part: this many in a row.
const IN_A_ROW: u64 = 16;
/// A device with shorter gaps than this is fast.
const FAST: Micros = Micros::millis(3);
/// A jump is over within this time.
const WITHIN: Micros = Micros::millis(25);
/// This many within [`KEPT`] are reported.
const SAID: u8 = 2;
/// So long one is remembered.
const KEPT: Micros = Micros::seconds(60);

/// One axis: the place of its value, a quarter of its range, its last value; where it jumped from and when; how often it has.
#[derive(Clone, Copy, Debug)]
struct Axis {
    value: u8,
    far: u32,
    before: i32,
    from: (i32, Micros),
    count: u8,
    last: Micros,
}

impl Axis {
    /// It has gone far from one report to the next.
    #[cold]
    fn has_jumped(&mut self, now: Micros, before: i32) {
        let (from, at) = self.from;
        if at.0 > 0 && now.since(at) <= WITHIN && self.before.abs_diff(from) < self.far * 2 / 5 {
            let forgotten = now.since(self.last) > KEPT;
            self.count = if forgotten { 1 } else { self.count.saturating_add(1) };
            (self.last, self.from) = (now, (0, Micros(0)));
        } else {
            self.from = (before, now);
        }
    }
}

/// The axes of a node.
#[derive(Clone, Debug, Default)]
pub struct Spikes {
    axes: Vec<Axis>,
    /// The last one examined, and when it came; how many more in a row.
    last: (u64, Micros),
    left: u64,
    next: u64,
}

impl Spikes {
    /// Those of a layout.
    #[must_use]
    pub fn of_layout(layout: &Layout) -> Self {
        let controls = layout.parts.iter().flat_map(|part| &part.controls);
        let axes =
            controls.filter(|control| control.kind == ControlKind::Axis).filter_map(|control| match control.place {
                Place::Value(value) => {
                    let far = (control.max.abs_diff(control.min) / 4).max(1);
                    let (from, last) = ((0, Micros(0)), Micros(0));
                    Some(Axis { value, far, before: 0, from, count: 0, last })
                }
                Place::Bit(_) => None,
            });
        let axes: Vec<Axis> = axes.collect();
        let next = if axes.is_empty() { u64::MAX } else { 0 };
        Self { axes, next, ..Self::default() }
    }

    /// Whether the report with this number is to be examined.
    #[inline(always)]
    #[must_use]
    pub fn wants(&self, report: u64) -> bool {
        report >= self.next
    }

    /// A report has come that is to be examined.
    pub fn see(&mut self, now: Micros, report: u64, frame: &Frame) {
        let (last, at) = std::mem::replace(&mut self.last, (report, now));
        let follows = last + 1 == report;
        for axis in &mut self.axes {
            let value = frame.values[usize::from(axis.value) % VALUES];
            let before = std::mem::replace(&mut axis.before, value);
            if value.abs_diff(before) > axis.far && follows {
                axis.has_jumped(now, before);
            }
        }
        if !follows || now.since(at) >= FAST || self.left == 0 {
            self.left = IN_A_ROW;
        }
        self.left -= 1;
        self.next = report + if self.left == 0 { OF - IN_A_ROW } else { 1 };
    }

    /// How often a value was seen to jump lately, if it does.
    #[must_use]
    pub fn of(&self, now: Micros, value: u8) -> Option<u8> {
        let axis = self.axes.iter().find(|axis| axis.value == value)?;
        (axis.count >= SAID && now.since(axis.last) <= KEPT).then_some(axis.count)
    }
}
