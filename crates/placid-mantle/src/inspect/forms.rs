//! Descriptors and reports as JSON, written while they are walked; nothing is collected first.

use mantle_hid::{Descriptor, Field, FieldKind, Report, ReportKind};
use serde::ser::{SerializeMap, SerializeSeq};
use serde::{Serialize, Serializer};

/// All reports of a descriptor.
pub struct Reports<'a>(pub &'a Descriptor);

impl Serialize for Reports<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.reports().iter().map(ReportForm))
    }
}

/// One report.
pub struct ReportForm<'a>(pub &'a Report);

impl ReportForm<'_> {
    /// Its entries, for a map that begins with others.
    pub fn entries<M: SerializeMap>(&self, map: &mut M) -> Result<(), M::Error> {
        let report = self.0;
        let kind = match report.kind {
            ReportKind::Input => "input",
            ReportKind::Output => "output",
            ReportKind::Feature => "feature",
        };
        map.serialize_entry("type", kind)?;
        map.serialize_entry("id", &report.id.0)?;
        map.serialize_entry("bits", &report.bits)?;
        map.serialize_entry("fields", &Fields(&report.fields))
    }
}

impl Serialize for ReportForm<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(4))?;
        self.entries(&mut map)?;
        map.end()
    }
}

struct Fields<'a>(&'a [Field]);

impl Serialize for Fields<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.iter().map(FieldForm))
    }
}

struct FieldForm<'a>(&'a Field);

impl Serialize for FieldForm<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let field = self.0;
        let mut map = serializer.serialize_map(Some(14))?;
        let kind = match field.kind {
            FieldKind::Variable => "var",
            FieldKind::Array => "arr",
            FieldKind::Constant => "const",
        };
        map.serialize_entry("kind", kind)?;
        map.serialize_entry("bit_offset", &field.bit_offset)?;
        map.serialize_entry("bit_size", &field.bit_size)?;
        map.serialize_entry("count", &field.count)?;
        map.serialize_entry("usages", &Usages(field))?;
        map.serialize_entry("logical_min", &field.logical_min)?;
        map.serialize_entry("logical_max", &field.logical_max)?;
        map.serialize_entry("physical_min", &field.physical_min)?;
        map.serialize_entry("physical_max", &field.physical_max)?;
        map.serialize_entry("unit", &field.unit)?;
        map.serialize_entry("unit_exponent", &field.unit_exponent)?;
        map.serialize_entry("relative", &field.relative)?;
        map.serialize_entry("null_state", &field.null_state)?;
        map.end()
    }
}

/// Usages are expanded only while they are written: a field of 12,288 elements takes no memory here.
struct Usages<'a>(&'a Field);

impl Serialize for Usages<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut list = serializer.serialize_seq(None)?;
        if self.0.kind == FieldKind::Array {
            for usage in self.0.usages.iter() {
                list.serialize_element(&usage.0)?;
            }
        } else {
            for usage in self.0.usages.elements(self.0.count) {
                list.serialize_element(&usage.0)?;
            }
        }
        list.end()
    }
}

/// A report that was found and cut, or why it was not; its values are read while they are written.
pub enum Decoded<'a> {
    /// The report, and its bytes after the id.
    Found(&'a Report, Vec<u8>),
    /// Why it could not be read.
    Refused(String),
}

impl<'a> Decoded<'a> {
    /// Finds the report that these bytes belong to.
    pub fn of(descriptor: &'a Descriptor, bytes: &[u8]) -> Self {
        match descriptor.find(ReportKind::Input, bytes) {
            Ok((report, body)) => Self::Found(report, body.to_vec()),
            Err(error) => Self::Refused(error.to_string()),
        }
    }

    /// Whether it could be read.
    pub fn ok(&self) -> bool {
        matches!(self, Self::Found(..))
    }

    /// Its entries, for a map that begins with others.
    pub fn entries<M: SerializeMap>(&self, map: &mut M) -> Result<(), M::Error> {
        match self {
            Self::Refused(why) => {
                map.serialize_entry("ok", &false)?;
                map.serialize_entry("error", why)
            }
            Self::Found(report, body) => {
                map.serialize_entry("ok", &true)?;
                map.serialize_entry("id", &report.id.0)?;
                map.serialize_entry("values", &Values(report, body))?;
                map.serialize_entry("active", &Active(report, body))
            }
        }
    }
}

impl Serialize for Decoded<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        self.entries(&mut map)?;
        map.end()
    }
}

struct Values<'a>(&'a Report, &'a [u8]);

impl Serialize for Values<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut list = serializer.serialize_seq(None)?;
        for field in self.0.fields.iter().filter(|field| field.kind != FieldKind::Constant) {
            for index in 0..field.count {
                if let Some(value) = field.value(self.1, index) {
                    list.serialize_element(&(field.element_offset(index), value))?;
                }
            }
        }
        list.end()
    }
}

struct Active<'a>(&'a Report, &'a [u8]);

impl Serialize for Active<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut list = serializer.serialize_seq(None)?;
        for field in self.0.fields.iter().filter(|field| field.kind == FieldKind::Array) {
            let values = (0..field.count).filter_map(|index| field.value(self.1, index));
            for usage in values.filter_map(|value| field.pressed(value)) {
                list.serialize_element(&usage.0)?;
            }
        }
        list.end()
    }
}
