//! Reads a sheet key by key: each fault names the line, the key, its value, what is allowed, and one suggestion.

mod checksum;
mod control;
mod groups;
mod outgoing;
mod rule;

use super::SheetFile;
use crate::pointed::{self, At, Reader};
use mantle_core::control::Half;
use mantle_core::sheet::{Sheet, SheetControl};
use toml_edit::Item;

const TOP: &[&str] = &[
    "version",
    "name",
    "keep",
    "half",
    "match",
    "checksum",
    "control",
    "motion",
    "contact",
    "battery",
    "start_up",
    "keep_alive",
    "silent",
    "rumble",
    "light",
    "lamps",
    "pairing",
    "face",
    "connect",
    "receiver",
];
const MATCH: &[&str] = &["bus", "vendor", "product", "name", "interface", "descriptor"];
const CHECKSUM: &[&str] = &[
    "of",
    "report",
    "kind",
    "at",
    "from",
    "order",
    "plus",
    "with",
    "polynomial",
    "initial",
    "mirrored",
    "final",
    "seed",
];
const CONTROL: &[&str] = &[
    "name", "kind", "usage", "report", "at", "size", "packing", "signed", "min", "max", "rest", "plays", "mask",
    "inverted", "values", "scale", "offset", "unit",
];
/// Bits of the longest report.
const BITS: i64 = 16_383 * 8;
/// Bytes of the longest report that can be sent.
const LONGEST: usize = 4096;

pub(super) fn read(path: &str, text: &str) -> SheetFile {
    let (sheet, faults) = pointed::read(path, text, TOP, |reader, at| reader.sheet(at));
    SheetFile { sheet, faults }
}

impl Reader<'_> {
    /// Bytes in hex.
    fn bytes(&mut self, at: &At<'_>, key: &str) -> Option<Vec<u8>> {
        let item = at.table.get(key)?;
        let words = item.as_str().map(str::split_ascii_whitespace);
        let bytes: Option<Vec<u8>> = words.and_then(|mut words| {
            words.try_fold(Vec::new(), |mut all, word| {
                all.push(u8::from_str_radix(word, 16).ok().filter(|_| word.len() == 2)?);
                Some(all)
            })
        });
        match bytes.filter(|bytes| !bytes.is_empty() && bytes.len() <= LONGEST) {
            Some(bytes) => Some(bytes),
            None => self.refuse(at, key, item, "bytes in hex are expected, such as \"02 01 ff\", the report id first"),
        }
    }

    fn sheet(&mut self, at: &At<'_>) -> Option<Sheet> {
        let mut sheet = Sheet { origin: self.path.into(), ..Sheet::default() };
        sheet.name = self.text(at, "name").unwrap_or_default().into();
        sheet.keep = self.flag(at, "keep").unwrap_or(false);
        let halves = [Half::Left, Half::Right];
        sheet.half = self.one_of(at, "half", &["left", "right"]).map(|at| halves[at]);
        sheet.rule = self.rule(at)?;
        for at in self.tables(at, "checksum") {
            self.known(&at, CHECKSUM);
            sheet.checks.extend(self.checksum(&at));
        }
        for at in self.tables(at, "control") {
            self.known(&at, CONTROL);
            if let Some(control) = self.control(&at) {
                if sheet.controls.iter().any(|other: &SheetControl| other.name == control.name) {
                    let item = at.table.get("name").unwrap_or(&Item::None);
                    let _: Option<()> = self.refuse(&at, "name", item, "another control has this name already");
                } else {
                    sheet.controls.push(control);
                }
            }
        }
        sheet.face = self.face(at);
        self.outgoing(at, &mut sheet);
        self.groups(at, &mut sheet);
        Some(sheet)
    }

    /// The report id; 0 by default.
    fn report(&mut self, at: &At<'_>) -> Option<u8> {
        match at.table.contains_key("report") {
            true => self.number(at, "report", 0..256).map(|number| number as u8),
            false => Some(0),
        }
    }
}
