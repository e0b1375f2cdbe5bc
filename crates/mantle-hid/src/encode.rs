//! Values into the bytes of a report: output and feature reports are built from their fields.

use crate::bits;
use crate::report::{Field, FieldKind, Report};
use crate::usage::Usage;
use thiserror::Error;

/// Why a value cannot be put into a report.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
pub enum EncodeError {
    /// No field of the report has this usage.
    #[error("the report has no {}", .0.name())]
    NoUsage(Usage),
    /// The value is outside the field's logical range.
    #[error("{value} is not within {min} to {max}, the range of {}", usage.name())]
    Range {
        /// The usage.
        usage: Usage,
        /// The value.
        value: i64,
        /// Logical minimum.
        min: i64,
        /// Logical maximum.
        max: i64,
    },
    /// Every element of the array is taken.
    #[error("the list that {} belongs to holds no more than {count} at a time", usage.name())]
    Full {
        /// The usage.
        usage: Usage,
        /// Elements of the array.
        count: u32,
    },
    /// The bytes are shorter than the report.
    #[error("{0} bytes are less than the report has")]
    Short(usize),
}

impl Report {
    /// The report with nothing set, as hidraw takes it: the id first, 0 if reports have none. Fields are 0 or, if that is outside their logical
    /// range, at its lower end; lists are empty.
    #[must_use]
    pub fn blank(&self) -> Vec<u8> {
        let mut bytes = vec![0; 1 + self.bytes()];
        bytes[0] = self.id.0;
        for field in self.fields.iter().filter(|field| field.kind == FieldKind::Variable) {
            let (low, high) = field.range().unwrap_or((field.logical_min, field.logical_max));
            if !(low..=high).contains(&0) {
                for index in 0..field.count {
                    write(field, &mut bytes, index, low);
                }
            }
        }
        // The contents of an empty list are outside its range, if there is room for that.
        for field in self.fields.iter().filter(|field| field.kind == FieldKind::Array && field.logical_min <= 0) {
            let empty = field.logical_max + 1;
            if field.pressed(0).is_some() && fits(field, empty) {
                for index in 0..field.count {
                    write(field, &mut bytes, index, empty);
                }
            }
        }
        bytes
    }

    /// Puts a value where a usage has its element; in a list 1 adds the usage, 0 takes it out.
    ///
    /// # Errors
    /// The usage is not in the report, the value does not fit, or the list is full; then the bytes are as they were.
    pub fn put(&self, bytes: &mut [u8], usage: Usage, value: i64) -> Result<(), EncodeError> {
        if bytes.len() < 1 + self.bytes() {
            return Err(EncodeError::Short(bytes.len()));
        }
        for field in self.fields.iter().filter(|field| field.kind != FieldKind::Constant) {
            if field.kind == FieldKind::Array {
                let Some(index) = field.usages.iter().position(|other| other == usage) else { continue };
                return put_in_list(field, bytes, usage, field.logical_min + index as i64, value);
            }
            let Some(index) = field.usages.elements(field.count).position(|other| other == usage) else { continue };
            let (min, max) = field.range().unwrap_or((field.logical_min, field.logical_max));
            if !(min..=max).contains(&value) {
                return Err(EncodeError::Range { usage, value, min, max });
            }
            write(field, bytes, index as u32, value);
            return Ok(());
        }
        Err(EncodeError::NoUsage(usage))
    }
}

/// Whether a field's bits can hold a value.
fn fits(field: &Field, value: i64) -> bool {
    field.bit_size >= 32 || value < 1 << (field.bit_size - u32::from(field.signed()))
}

fn put_in_list(field: &Field, bytes: &mut [u8], usage: Usage, value: i64, on: i64) -> Result<(), EncodeError> {
    if !(0..=1).contains(&on) {
        return Err(EncodeError::Range { usage, value: on, min: 0, max: 1 });
    }
    let here = |bytes: &[u8], index| field.value(&bytes[1..], index);
    let at = (0..field.count).find(|index| here(bytes, *index) == Some(value));
    match (at, on == 1) {
        (Some(index), false) => {
            let empty = if field.pressed(0).is_some() && fits(field, field.logical_max + 1) {
                field.logical_max + 1
            } else {
                0
            };
            write(field, bytes, index, empty);
        }
        (None, true) => {
            let free = |index: &u32| here(bytes, *index).is_none_or(|value| field.pressed(value).is_none());
            let Some(index) = (0..field.count).find(free) else {
                return Err(EncodeError::Full { usage, count: field.count });
            };
            write(field, bytes, index, value);
        }
        _ => {}
    }
    Ok(())
}

/// Writes an element; for one wider than 32 bits the lowest 32, and its sign into the others.
fn write(field: &Field, bytes: &mut [u8], index: u32, value: i64) {
    let (from, mut left) = (field.element_offset(index), field.bit_size);
    let mut at = 0;
    while left > 0 {
        let width = left.min(32);
        bits::insert(&mut bytes[1..], from + at, width, (value >> at.min(63)) as u32);
        at += width;
        left -= width;
    }
}

#[cfg(test)]
mod tests {
    use crate::{Descriptor, EncodeError, ReportKind, Usage, usage::page};

    /// Output 5: two motors of 8 bits, a signed 12-bit value, and a list of at most two keys.
    const OUT: &[u8] = &[
        0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x05, 0x09, 0x11, 0x09, 0x12, 0x15, 0x00, 0x26, 0xff, 0x00,
        0x75, 0x08, 0x95, 0x02, 0x91, 0x02, 0x09, 0x13, 0x16, 0x18, 0xfc, 0x26, 0xe8, 0x03, 0x75, 0x0c, 0x95, 0x01,
        0x91, 0x02, 0x75, 0x04, 0x91, 0x01, 0x19, 0x20, 0x29, 0x24, 0x15, 0x01, 0x25, 0x05, 0x75, 0x08, 0x95, 0x02,
        0x91, 0x00, 0xc0,
    ];

    fn own(id: u16) -> Usage {
        Usage::new(0xff00, id)
    }

    #[test]
    fn values_are_encoded_at_their_usage() {
        let descriptor = Descriptor::parse(OUT).expect("a descriptor");
        let report = descriptor.reports_of(ReportKind::Output).next().expect("a report");
        let mut bytes = report.blank();
        assert_eq!(bytes, [5, 0, 0, 0, 0, 0, 0]);
        report.put(&mut bytes, own(0x12), 0x80).expect("it fits");
        report.put(&mut bytes, own(0x13), -2).expect("it fits");
        report.put(&mut bytes, own(0x21), 1).expect("it fits");
        report.put(&mut bytes, own(0x24), 1).expect("it fits");
        assert_eq!(bytes, [5, 0, 0x80, 0xfe, 0x0f, 2, 5]);
        let full = EncodeError::Full { usage: own(0x20), count: 2 };
        assert_eq!(report.put(&mut bytes, own(0x20), 1), Err(full));
        report.put(&mut bytes, own(0x21), 0).expect("it is taken out");
        report.put(&mut bytes, own(0x20), 1).expect("there is room");
        assert_eq!(bytes, [5, 0, 0x80, 0xfe, 0x0f, 1, 5]);
    }

    #[test]
    fn values_that_do_not_fit_are_refused_and_change_nothing() {
        let descriptor = Descriptor::parse(OUT).expect("a descriptor");
        let report = descriptor.reports_of(ReportKind::Output).next().expect("a report");
        let mut bytes = report.blank();
        let said =
            |bytes: &mut Vec<u8>, usage, value| report.put(bytes, usage, value).expect_err("refused").to_string();
        assert_eq!(
            said(&mut bytes, own(0x13), 1001),
            "1001 is not within -1000 to 1000, the range of usage 0xff00:0013"
        );
        assert_eq!(said(&mut bytes, Usage::new(page::BUTTON, 1), 1), "the report has no button 1");
        assert_eq!(report.put(&mut bytes[..3], own(0x11), 1), Err(EncodeError::Short(3)));
        assert_eq!(bytes, report.blank());
    }
}
