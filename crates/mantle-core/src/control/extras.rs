//! What a layout may have beside the plain reading: masks, value tables, units, battery.

use super::{Control, ControlNumber};
use mantle_hid::{Frame, VALUES};

/// How a raw number becomes the number that counts: masked first, then looked up.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Translation {
    /// The bits of it that count.
    pub mask: Option<u32>,
    /// What a raw number means; anything else is rest. Empty if it means itself.
    pub values: Vec<(i32, i32)>,
    /// Whether it runs backwards: its ends are exchanged.
    pub inverted: bool,
}

impl Translation {
    /// Whether it changes anything.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.mask.is_none() && self.values.is_empty() && !self.inverted
    }

    /// The number that counts; none for one that the table does not know.
    #[must_use]
    pub fn of(&self, raw: i32) -> Option<i32> {
        let masked = self.mask.map_or(raw, |mask| (raw as u32 & mask) as i32);
        if self.values.is_empty() {
            return Some(masked);
        }
        self.values.iter().find(|(known, _)| *known == masked).map(|(_, meaning)| *meaning)
    }

    /// The raw number for one that counts: what a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.values.iter().find(|(_, meaning)| *meaning == value).map_or(value, |(raw, _)| *raw)
    }
}

/// A translation at work in a frame.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Translated {
    /// The raw number's place.
    pub from: u8,
    /// The place of the number that counts.
    pub to: u8,
    /// How.
    pub how: Translation,
    /// What it is while nothing is known.
    pub rest: i32,
    /// Both ends of its range together: what an exchanged number is taken from.
    pub ends: i32,
}

impl Translated {
    /// The number that counts.
    #[inline]
    #[must_use]
    pub fn of(&self, raw: i32) -> i32 {
        match self.how.of(raw) {
            Some(value) if self.how.inverted => self.ends.wrapping_sub(value),
            Some(value) => value,
            None => self.rest,
        }
    }

    /// The raw number for one that counts: what a made-up device has to send.
    #[must_use]
    pub fn raw_of(&self, value: i32) -> i32 {
        self.how.raw_of(if self.how.inverted { self.ends.wrapping_sub(value) } else { value })
    }
}

/// What a raw number measures: itself times a factor, plus an offset.
#[derive(Clone, PartialEq, Debug)]
pub struct Scale {
    /// Units for each count.
    pub factor: f64,
    /// What is added, in units.
    pub offset: f64,
    /// The unit, for example `deg/s`, `g`, `%`.
    pub unit: String,
}

impl Default for Scale {
    /// Its number as it stands.
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

/// What a layout has beside its controls: from its sheet, and units from its descriptor.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Extras {
    /// Numbers that are translated after each report.
    pub translated: Vec<Translated>,
    /// What controls measure.
    pub scales: Vec<(ControlNumber, Scale)>,
    /// The controls that tell of the battery: how full, and whether it charges.
    pub battery: Option<(Control, Option<Control>)>,
    /// The control by which a receiver tells whether a controller is there, and what it says where none is.
    pub nobody: Option<(Control, i32)>,
}

impl Extras {
    /// Translates what a report has brought.
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

    /// How full the battery is, 0 to 1, and whether it charges.
    #[must_use]
    pub fn battery_of(&self, frame: &Frame) -> Option<(f32, bool)> {
        let (level, charging) = self.battery.as_ref()?;
        let charges = charging.as_ref().is_some_and(|control| control.raw(frame) > control.min.max(0));
        Some((level.share(level.raw(frame)), charges))
    }

    /// Whether a receiver says that nobody is at the other end of it; none where it has no way to say.
    #[must_use]
    pub fn nobody_at(&self, frame: &Frame) -> Option<bool> {
        self.nobody.as_ref().map(|(control, nobody)| control.raw(frame) == *nobody)
    }
}
