//! The second pass: items interpreted as reports, fields and the collection tree. What the standard leaves open is read as the Linux kernel reads it,
//! so that a field here is the field that the kernel would find; the limits are the kernel's too (see [`crate::limits`]).

use crate::error::{ParseError, Problem};
use crate::item::{Item, ItemType, Items};
use crate::limits;
use crate::report::{CollectionIndex, Field, FieldKind, Report, ReportId, ReportKind};
use crate::usage::Usage;
use crate::usage_list::UsageList;

/// One collection: a group of fields, with its place in the tree.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Collection {
    /// What the collection is, for example a game pad.
    pub usage: Usage,
    /// Its type: 0 physical, 1 application, 2 logical (HID 1.11, 6.2.2.6).
    pub kind: u8,
    /// The collection around it; none for a top-level collection.
    pub parent: Option<CollectionIndex>,
}

impl Collection {
    /// Whether this is an application collection.
    #[must_use]
    pub fn is_application(&self) -> bool {
        self.kind == 1
    }
}

/// A whole report descriptor, read.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Descriptor {
    reports: Vec<Report>,
    collections: Vec<Collection>,
    numbered: [bool; 3],
}

impl Descriptor {
    /// Reads a report descriptor.
    ///
    /// # Errors
    /// The first thing that the kernel would refuse too, with its byte offset. Never panics, whatever the bytes.
    pub fn parse(bytes: &[u8]) -> Result<Self, ParseError> {
        let at = |offset, problem| ParseError { offset, problem };
        if bytes.is_empty() {
            return Err(at(0, Problem::Empty));
        }
        if bytes.len() > limits::DESCRIPTOR_BYTES {
            return Err(at(limits::DESCRIPTOR_BYTES, Problem::TooLong(bytes.len())));
        }
        let mut parser = Parser::default();
        for item in Items::new(bytes) {
            let item = item?;
            parser.handle(&item).map_err(|problem| at(item.offset, problem))?;
        }
        parser.finish().map_err(|problem| at(bytes.len(), problem))
    }

    /// The reports, in the order in which the descriptor first names them.
    #[must_use]
    pub fn reports(&self) -> &[Report] {
        &self.reports
    }

    /// The reports of one kind.
    pub fn reports_of(&self, kind: ReportKind) -> impl Iterator<Item = &Report> {
        self.reports.iter().filter(move |report| report.kind == kind)
    }

    /// The collection tree, parents before their children.
    #[must_use]
    pub fn collections(&self) -> &[Collection] {
        &self.collections
    }

    /// Whether reports of this kind start with an id byte.
    #[must_use]
    pub fn numbered(&self, kind: ReportKind) -> bool {
        self.numbered[kind as usize]
    }

    /// The outermost collection around another one.
    #[must_use]
    pub fn top_level(&self, mut index: CollectionIndex) -> CollectionIndex {
        while let Some(parent) = self.collections.get(usize::from(index.0)).and_then(|c| c.parent) {
            index = parent;
        }
        index
    }

    /// Finds the report that some bytes, as hidraw hands them over, belong to, and the bytes behind its id.
    ///
    /// # Errors
    /// [`crate::DecodeError`] for no bytes at all and for an id that no report of this kind has.
    pub fn find<'a, 'b>(
        &'a self,
        kind: ReportKind,
        bytes: &'b [u8],
    ) -> Result<(&'a Report, &'b [u8]), crate::DecodeError> {
        let (id, body) = if self.numbered(kind) {
            let (&id, body) = bytes.split_first().ok_or(crate::DecodeError::Empty)?;
            (id, body)
        } else {
            (0, bytes)
        };
        if bytes.is_empty() {
            return Err(crate::DecodeError::Empty);
        }
        let report = self.reports_of(kind).find(|r| r.id.0 == id).ok_or(crate::DecodeError::UnknownId(id))?;
        Ok((report, body))
    }
}

/// The global items in force.
#[derive(Clone, Copy, Default)]
struct Globals {
    page: u32,
    logical: (i32, i32),
    physical: (i32, i32),
    exponent: i8,
    unit: u32,
    size: u32,
    count: u32,
    id: u8,
}

/// A maximum is signed only if its minimum is negative.
fn range((min, max): (i32, i32)) -> (i64, i64) {
    (i64::from(min), if min < 0 { i64::from(max) } else { i64::from(max as u32) })
}

/// The local items since the last main item.
#[derive(Clone, Default)]
struct Locals {
    usages: UsageList,
    minimum: u32,
    delimiter_depth: u32,
    delimiter_sets: u32,
}

#[derive(Default)]
struct Parser {
    out: Descriptor,
    globals: Globals,
    stack: Vec<Globals>,
    locals: Locals,
    open: Vec<CollectionIndex>,
}

impl Parser {
    fn handle(&mut self, item: &Item) -> Result<(), Problem> {
        if item.is_long() {
            return Ok(());
        }
        match item.kind {
            ItemType::Main => self.main(item),
            ItemType::Global => self.global(item),
            ItemType::Local => self.local(item),
            ItemType::Reserved => Ok(()),
        }
    }

    fn main(&mut self, item: &Item) -> Result<(), Problem> {
        self.locals.usages.apply_last_page(self.globals.page);
        let locals = std::mem::take(&mut self.locals);
        match item.tag {
            0x8 => self.field(ReportKind::Input, item.data, locals.usages),
            0x9 => self.field(ReportKind::Output, item.data, locals.usages),
            0xb => self.field(ReportKind::Feature, item.data, locals.usages),
            0xa => {
                let index = CollectionIndex(self.out.collections.len() as u16);
                let usage = locals.usages.get(0).unwrap_or_default();
                self.out.collections.push(Collection {
                    usage,
                    kind: item.data as u8,
                    parent: self.open.last().copied(),
                });
                self.open.push(index);
                Ok(())
            }
            0xc => self.open.pop().map(|_| ()).ok_or(Problem::EndWithoutCollection),
            _ => Ok(()),
        }
    }

    fn global(&mut self, item: &Item) -> Result<(), Problem> {
        let globals = &mut self.globals;
        let signed_if = |min: i32| if min < 0 { item.signed() } else { item.data as i32 };
        match item.tag {
            0x0 => globals.page = item.data,
            0x1 => globals.logical.0 = item.signed(),
            0x2 => globals.logical.1 = signed_if(globals.logical.0),
            0x3 => globals.physical.0 = item.signed(),
            0x4 => globals.physical.1 = signed_if(globals.physical.0),
            // A nibble, -8 to 7, even if a device writes it as a whole signed byte.
            0x5 => globals.exponent = ((item.data as u8) << 4) as i8 >> 4,
            0x6 => globals.unit = item.data,
            0x7 if item.data > limits::FIELD_BITS => return Err(Problem::ReportSize(item.data)),
            0x7 => globals.size = item.data,
            0x8 => match u8::try_from(item.data) {
                Ok(id) if id > 0 => globals.id = id,
                _ => return Err(Problem::ReportId(item.data)),
            },
            0x9 if item.data > limits::FIELD_ELEMENTS => return Err(Problem::ReportCount(item.data)),
            0x9 => globals.count = item.data,
            0xa if self.stack.len() == limits::PUSH_DEPTH => return Err(Problem::PushDepth),
            0xa => self.stack.push(*globals),
            0xb => *globals = self.stack.pop().ok_or(Problem::PopWithoutPush)?,
            tag => return Err(Problem::UnknownGlobal(tag)),
        }
        Ok(())
    }

    fn local(&mut self, item: &Item) -> Result<(), Problem> {
        let locals = &mut self.locals;
        // Of a delimiter set's alternatives only the first is read.
        let alternative = locals.delimiter_sets > 1;
        match item.tag {
            0x0 if !alternative => locals.usages.push(item.data, item.size, self.globals.page)?,
            0x1 if !alternative => locals.minimum = item.data,
            0x2 if !alternative => {
                locals.usages.push_range(locals.minimum, item.data, item.size, self.globals.page)?;
            }
            0xa if item.data != 0 => {
                if locals.delimiter_depth != 0 {
                    return Err(Problem::NestedDelimiter);
                }
                locals.delimiter_depth = 1;
                locals.delimiter_sets += 1;
            }
            0xa if locals.delimiter_depth == 0 => return Err(Problem::EndWithoutDelimiter),
            0xa => locals.delimiter_depth = 0,
            _ => {}
        }
        Ok(())
    }

    fn field(&mut self, kind: ReportKind, flags: u32, usages: UsageList) -> Result<(), Problem> {
        let globals = self.globals;
        let report = match self.out.reports.iter().position(|r| r.kind == kind && r.id.0 == globals.id) {
            Some(found) => found,
            None => {
                self.out.numbered[kind as usize] |= globals.id != 0;
                self.out.reports.push(Report { kind, id: ReportId(globals.id), bits: 0, fields: Vec::new() });
                self.out.reports.len() - 1
            }
        };
        let report = &mut self.out.reports[report];
        let (logical_min, logical_max) = range(globals.logical);
        let offset = report.bits;
        let bits = u64::from(offset) + u64::from(globals.size) * u64::from(globals.count);
        if bits > u64::from(limits::REPORT_BYTES - 1) * 8 {
            return Err(Problem::ReportTooLong { id: globals.id, bits });
        }
        report.bits = bits as u32;
        if usages.is_empty() || globals.size == 0 || globals.count == 0 {
            return Ok(());
        }
        if report.fields.len() == limits::REPORT_FIELDS {
            return Err(Problem::TooManyFields(globals.id));
        }
        let (physical_min, physical_max) = range(globals.physical);
        report.fields.push(Field {
            kind: match (flags & 1 != 0, flags & 2 != 0) {
                (true, _) => FieldKind::Constant,
                (false, true) => FieldKind::Variable,
                (false, false) => FieldKind::Array,
            },
            bit_offset: offset,
            bit_size: globals.size,
            count: globals.count,
            usages,
            collection: self.open.last().copied(),
            logical_min,
            logical_max,
            physical_min,
            physical_max,
            unit: globals.unit,
            unit_exponent: globals.exponent,
            relative: flags & 4 != 0,
            null_state: flags & 0x40 != 0,
        });
        Ok(())
    }

    fn finish(self) -> Result<Descriptor, Problem> {
        if !self.open.is_empty() {
            return Err(Problem::OpenCollections(self.open.len()));
        }
        if self.locals.delimiter_depth != 0 {
            return Err(Problem::OpenDelimiter);
        }
        Ok(self.out)
    }
}
