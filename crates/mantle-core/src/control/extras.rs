//! Additions to a layout: masks, value tables, units, battery.

use super::{Control, ControlNumber};
use mantle_hid::{Frame, VALUES};

/// Translates a raw number: masked first, then looked up.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Translation {
    /// The bits that count.
    pub mask: Option<u32>,
    /// The meaning of raw numbers; any other is rest. Empty if a number means itself.
    pub values: Vec<(i32, i32)>,
    /// Whether its ends are exchanged.
    pub inverted: bool,
}

impl Translation {
    /// Whether it changes anything.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.mask.is_none() && self.values.is_empty() && !self.inverted
    }

    /// The translated number; none if the table does not have it.
    #[must_use]
    pub fn of(&self, raw: i32) -> Option<i32> {
        let masked = self.mask.map_or(raw, |mask| (raw as u32 & mask) as i32);
        if self.values.is_empty() {
            return Some(masked);
        }
        self.values.iter().find(|(known, _)| *known == masked).map(|(_, meaning)| *meaning)
    }

    /// The raw number for a translated one, which a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.values.iter().find(|(_, meaning)| *meaning == value).map_or(value, |(raw, _)| *raw)
    }
}

/// A translation at work in a frame.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Translated {
    /// Place of the raw number.
    pub from: u8,
    /// Place of the translated number.
    pub to: u8,
    /// The translation.
    pub how: Translation,
    /// The value while nothing is known.
    pub rest: i32,
    /// The sum of both ends of its range, from which an exchanged number is subtracted.
    pub ends: i32,
}

impl Translated {
    /// The translated number.
    #[inline]
    #[must_use]
    pub fn of(&self, raw: i32) -> i32 {
        match self.how.of(raw) {
            Some(value) if self.how.inverted => self.ends.wrapping_sub(value),
            Some(value) => value,
            None => self.rest,
        }
    }

    /// The raw number for a translated one, which a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.how.raw_of(if self.how.inverted { self.ends.wrapping_sub(value) } else { value })
    }
}

/// What a raw number measures: the number times a factor, plus an offset.
#[derive(Clone, PartialEq, Debug)]
pub struct Scale {
    /// Units per count.
    pub factor: f64,
    /// The offset, in units.
    pub offset: f64,
    /// The unit, for example `deg/s`, `g`, `%`.
    pub unit: String,
}

impl Default for Scale {
    /// A plain number.
    fn default() -> Self {
        Self { factor: 1.0, offset: 0.0, unit: String::new() }
    }
}

impl Scale {
    /// A raw number in units.
    #[must_use]
    pub fn of(&self, raw: i32) -> f64 {
        f64::from(raw) * self.factor + self.offset
    }
}

/// What a layout has besides controls: from its sheet, and units from its descriptor.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Extras {
    /// Numbers to translate after each report.
    pub translated: Vec<Translated>,
    /// What controls measure.
    pub scales: Vec<(ControlNumber, Scale)>,
    /// The controls for the battery: charge, and whether it is charging.
    pub battery: Option<(Control, Option<Control>)>,
    /// The control by which a receiver says whether a controller is connected to it, and the value if none is.
    pub nobody: Option<(Control, i32)>,
}

impl Extras {
    /// Translates the numbers of a report.
    #[inline]
    pub fn translate(&self, frame: &mut Frame) {
        for one in &self.translated {
            let raw = frame.values[usize::from(one.from) % VALUES];
            frame.values[usize::from(one.to) % VALUES] = one.of(raw);
        }
    }

    /// What a control measures.
    #[must_use]
    pub fn scale(&self, number: ControlNumber) -> Option<&Scale> {
        self.scales.iter().find(|(known, _)| *known == number).map(|(_, scale)| scale)
    }

    /// The battery's charge, 0 to 1, and whether it is charging.
    #[must_use]
    pub fn battery_of(&self, frame: &Frame) -> Option<(f32, bool)> {
        let (level, charging) = self.battery.as_ref()?;
        let charges = charging.as_ref().is_some_and(|control| control.raw(frame) > control.min.max(0));
        Some((level.share(level.raw(frame)), charges))
    }

    /// Whether a receiver says that nobody is connected to it; none if it cannot say.
    #[must_use]
    pub fn nobody_at(&self, frame: &Frame) -> Option<bool> {
        self.nobody.as_ref().map(|(control, nobody)| control.raw(frame) == *nobody)
    }
}
