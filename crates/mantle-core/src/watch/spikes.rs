//! Values that jump: far off for one report, and back with the next. No hand does that; a worn track or a bad contact does.
//!
//! Looking for them needs reports that follow each other, so a few in a row are looked at, out of many. That one is seen by chance is
//! hardly possible: it stands for many.

use super::Micros;
use crate::control::{ControlKind, Layout, Place};
use mantle_hid::{Frame, VALUES};

/// Of so many reports
pub const OF: u64 = 256;
/// the first so many are looked at.
pub const FIRST: u64 = 8;
/// A jump is over within this time.
const WITHIN: Micros = Micros::millis(50);
/// So long one is remembered.
const KEPT: Micros = Micros::seconds(60);

/// One axis: where its value stands, its range, its last two values, and how often it has jumped.
#[derive(Clone, Copy, Debug)]
struct Axis {
    value: u8,
    span: i64,
    before: [i32; 2],
    count: u8,
}

/// The axes of a node.
#[derive(Clone, Debug, Default)]
pub struct Spikes {
    axes: Vec<Axis>,
    before: [Micros; 2],
    last: Micros,
}

impl Spikes {
    /// Those of a layout.
    #[must_use]
    pub fn of_layout(layout: &Layout) -> Self {
        let controls = layout.parts.iter().flat_map(|part| &part.controls);
        let axes =
            controls.filter(|control| control.kind == ControlKind::Axis).filter_map(|control| match control.place {
                Place::Value(value) => {
                    let span = i64::from(control.max) - i64::from(control.min);
                    Some(Axis { value, span, before: [0; 2], count: 0 })
                }
                Place::Bit(_) => None,
            });
        Self { axes: axes.collect(), ..Self::default() }
    }

    /// A report has come.
    pub fn see(&mut self, now: Micros, frame: &Frame) {
        let follows = self.before[0].0 > 0 && now.since(self.before[0]) <= WITHIN;
        let forgotten = now.since(self.last) > KEPT;
        for axis in &mut self.axes {
            let value = frame.values[usize::from(axis.value) % VALUES];
            let [first, second] = axis.before;
            axis.before = [second, value];
            let apart = |one: i32, other: i32| (i64::from(one) - i64::from(other)).abs();
            if apart(second, first) * 4 <= axis.span || !follows {
                continue;
            }
            if apart(value, second) * 4 > axis.span && apart(value, first) * 10 < axis.span {
                axis.count = if forgotten { 1 } else { axis.count.saturating_add(1) };
                self.last = now;
            }
        }
        self.before = [self.before[1], now];
    }

    /// How often a value was seen to jump lately, if ever: of thirty jumps one is seen.
    #[must_use]
    pub fn of(&self, now: Micros, value: u8) -> Option<u8> {
        let axis = self.axes.iter().find(|axis| axis.value == value)?;
        (axis.count > 0 && now.since(self.last) <= KEPT).then_some(axis.count)
    }
}
