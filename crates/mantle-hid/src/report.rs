//! Reports and their fields, as laid out by a descriptor.

use crate::bits;
use crate::usage::Usage;
use crate::usage_list::UsageList;

/// The place of a collection in [`Descriptor::collections`](crate::Descriptor::collections).
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct CollectionIndex(pub u16);

/// A report id; 0 if the device numbers none.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
pub struct ReportId(pub u8);

/// The three kinds of report (HID 1.11, 6.2.2.5).
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum ReportKind {
    /// From the device.
    Input,
    /// To the device.
    Output,
    /// Settings, both ways.
    Feature,
}

/// One report: its length and its fields. Padding shows only as a gap between fields.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Report {
    /// Input, output or feature.
    pub kind: ReportKind,
    /// Its id.
    pub id: ReportId,
    /// Its length in bits, not counting the id byte.
    pub bits: u32,
    /// Its fields in the order of their bits.
    pub fields: Vec<Field>,
}

impl Report {
    /// Its length in whole bytes, not counting the id byte.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.bits.div_ceil(8) as usize
    }
}

/// What the elements of a field are.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum FieldKind {
    /// One usage for each element.
    Variable,
    /// Each element is the index of something that is pressed.
    Array,
    /// Never changes.
    Constant,
}

/// A field: `count` elements of `bit_size` bits.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Field {
    /// Variable, array or constant.
    pub kind: FieldKind,
    /// First bit, counted from the one after the id byte.
    pub bit_offset: u32,
    /// Bits of one element, 1 to 256.
    pub bit_size: u32,
    /// Elements.
    pub count: u32,
    /// Declared usages.
    pub usages: UsageList,
    /// The innermost collection around it.
    pub collection: Option<CollectionIndex>,
    /// Smallest valid value.
    pub logical_min: i64,
    /// Largest valid value.
    pub logical_max: i64,
    /// Physical value of the logical minimum; 0 if not given.
    pub physical_min: i64,
    /// Physical value of the logical maximum; 0 if not given.
    pub physical_max: i64,
    /// Unit item, raw (HID 1.11, 6.2.2.7).
    pub unit: u32,
    /// Power of ten of the unit, -8 to 7.
    pub unit_exponent: i8,
    /// Counts since the last report instead of a position.
    pub relative: bool,
    /// A value outside the logical range means "no value".
    pub null_state: bool,
}

impl Field {
    /// Whether values are sign-extended.
    #[must_use]
    pub fn signed(&self) -> bool {
        self.logical_min < 0
    }

    /// The smallest and the largest value; none if the two are the same. A logical maximum below its minimum is interpreted by the field's size.
    #[must_use]
    pub fn range(&self) -> Option<(i64, i64)> {
        let half = 1i64 << (self.bit_size.clamp(1, 62) - 1);
        match (self.logical_min, self.logical_max) {
            (min, max) if min < max => Some((min, max)),
            (min, max) if min == max => None,
            (min, _) if min < 0 => Some((-half, half - 1)),
            _ => Some((0, 2 * half - 1)),
        }
    }

    /// First bit of an element.
    #[must_use]
    pub fn element_offset(&self, index: u32) -> u32 {
        self.bit_offset + index * self.bit_size
    }

    /// Reads one element from the bytes after the id byte; none if they do not contain all of it. Of an element wider than 32 bits the lowest 32 are
    /// read, as the kernel does.
    #[must_use]
    pub fn value(&self, body: &[u8], index: u32) -> Option<i64> {
        let offset = self.element_offset(index);
        if offset as usize + self.bit_size as usize > body.len() * 8 {
            return None;
        }
        let width = self.bit_size.min(32);
        let raw = bits::extract(body, offset, width);
        Some(if self.signed() { i64::from(bits::sign_extend(raw, width)) } else { i64::from(raw) })
    }

    /// What is pressed according to an array element with this value; none for a value outside the list and for usage id 0.
    #[must_use]
    pub fn pressed(&self, value: i64) -> Option<Usage> {
        if value < self.logical_min || value > self.logical_max {
            return None;
        }
        let index = u32::try_from(value - self.logical_min).ok()?;
        self.usages.get(index).filter(|usage| usage.id() != 0)
    }
}
