//! The first pass: a descriptor's bytes cut into items, lengths checked before anything is read (HID 1.11, 6.2.2).

use crate::error::{ParseError, Problem};

/// The three types of short item (HID 1.11, 6.2.2.2) and the reserved one.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ItemType {
    /// Input, output, feature, collection, end collection.
    Main,
    /// Persists until changed; can be pushed and popped.
    Global,
    /// Ends at the next main item.
    Local,
    /// Not defined by the standard; skipped.
    Reserved,
}

/// One item. Long items are returned with their data skipped, as `tag` 15 without a value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Item {
    /// The position of its prefix byte in the descriptor.
    pub offset: usize,
    /// Its type.
    pub kind: ItemType,
    /// Its tag, 0 to 15; 15 is the long item.
    pub tag: u8,
    /// The number of its data bytes: 0, 1, 2 or 4 for a short item.
    pub size: u8,
    /// Its data, little endian, zero extended.
    pub data: u32,
}

impl Item {
    /// The data as a signed number of its own size; 0 without data.
    #[must_use]
    pub fn signed(&self) -> i32 {
        match self.size {
            1 => i32::from(self.data as u8 as i8),
            2 => i32::from(self.data as u16 as i16),
            _ => self.data as i32,
        }
    }

    /// Whether this is a long item, which is skipped whole.
    #[must_use]
    pub fn is_long(&self) -> bool {
        self.tag == 15
    }
}

/// Walks over the items of a descriptor; ends after the first error.
#[derive(Clone, Debug)]
pub struct Items<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl<'a> Items<'a> {
    /// Starts at the first byte.
    #[must_use]
    pub fn new(bytes: &'a [u8]) -> Self {
        Self { bytes, at: 0 }
    }
}

impl Iterator for Items<'_> {
    type Item = Result<Item, ParseError>;

    fn next(&mut self) -> Option<Self::Item> {
        let offset = self.at;
        let rest = self.bytes.get(offset..)?;
        let (&prefix, body) = rest.split_first()?;
        let cut = |this: &mut Self, wanted: usize| {
            this.at = this.bytes.len();
            Some(Err(ParseError { offset, problem: Problem::CutShort { wanted, left: body.len() } }))
        };
        let kind = match prefix >> 2 & 3 {
            0 => ItemType::Main,
            1 => ItemType::Global,
            2 => ItemType::Local,
            _ => ItemType::Reserved,
        };
        let tag = prefix >> 4;
        if tag == 15 {
            let [size, _long_tag, data @ ..] = body else { return cut(self, 2) };
            let size = usize::from(*size);
            if data.len() < size {
                return cut(self, size + 2);
            }
            self.at = offset + 3 + size;
            return Some(Ok(Item { offset, kind, tag, size: 0, data: 0 }));
        }
        let size = [0usize, 1, 2, 4][usize::from(prefix & 3)];
        let Some(data) = body.get(..size) else { return cut(self, size) };
        let data = data.iter().rev().fold(0u32, |value, &byte| value << 8 | u32::from(byte));
        self.at = offset + 1 + size;
        Some(Ok(Item { offset, kind, tag, size: size as u8, data }))
    }
}
