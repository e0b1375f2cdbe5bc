//! Reads a sheet key by key: each fault names the line, the key, its value, what is allowed, and one suggestion.

mod checksum;
mod control;
mod groups;
mod outgoing;
mod rule;

use super::SheetFile;
use super::suggest::nearest;
use crate::fault::FileFault;
use mantle_core::control::{Sheet, SheetControl};
use std::ops::{Range, RangeInclusive};
use toml_edit::{Document, Item, Table, TableLike};

const TOP: &[&str] = &[
    "version",
    "name",
    "keep",
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
/// Bytes of the longest report that is sent.
const LONGEST: usize = 4096;

struct Reader<'a> {
    path: &'a str,
    text: &'a str,
    faults: Vec<FileFault>,
}

/// A table, and its name in front of a dotted key.
struct At<'t> {
    name: String,
    table: &'t dyn TableLike,
    span: Option<Range<usize>>,
}

pub(super) fn read(path: &str, text: &str) -> SheetFile {
    let mut reader = Reader { path, text, faults: Vec::new() };
    let document = match Document::parse(text) {
        Ok(document) => document,
        Err(error) => {
            let at = error.span().map_or(0, |span| span.start);
            return SheetFile { sheet: None, faults: vec![FileFault::at(path, text, at, error.message())] };
        }
    };
    let sheet = reader.sheet(document.as_table());
    reader.faults.sort_by_key(|fault| (fault.line, fault.column));
    SheetFile { sheet, faults: reader.faults }
}

/// A value as it stands in the file, shortened.
fn shown(item: &Item) -> String {
    if item.is_table() || item.is_array_of_tables() {
        return "a table".into();
    }
    let text = item.to_string();
    let text = text.trim();
    if text.chars().count() > 40 {
        format!("{}…", text.chars().take(39).collect::<String>())
    } else {
        text.to_owned()
    }
}

impl Reader<'_> {
    fn fault(&mut self, span: Option<Range<usize>>, message: String) {
        let fault = match span {
            Some(span) => FileFault::at(self.path, self.text, span.start, message),
            None => FileFault::whole(self.path, message),
        };
        self.faults.push(fault);
    }

    /// A value that will not do.
    fn refuse<T>(&mut self, at: &At<'_>, key: &str, item: &Item, allowed: &str) -> Option<T> {
        let dotted = format!("{}{key}", at.name);
        self.fault(item.span().or_else(|| at.span.clone()), format!("{dotted} = {}: {allowed}", shown(item)));
        None
    }

    /// Keys that nobody knows.
    fn known(&mut self, at: &At<'_>, known: &[&str]) {
        let unknown: Vec<(String, Option<Range<usize>>)> = at
            .table
            .iter()
            .filter(|(key, _)| !known.contains(key))
            .map(|(key, item)| (key.to_owned(), at.table.key(key).and_then(toml_edit::Key::span).or(item.span())))
            .collect();
        for (key, span) in unknown {
            let meant = nearest(&key, known).map(|meant| format!("; did you mean `{meant}`?")).unwrap_or_default();
            self.fault(span, format!("{}{key}: unknown key; allowed are {}{meant}", at.name, known.join(", ")));
        }
    }

    fn number(&mut self, at: &At<'_>, key: &str, range: Range<i64>) -> Option<i64> {
        let item = at.table.get(key)?;
        match item.as_integer() {
            Some(number) if range.contains(&number) => Some(number),
            _ => {
                let allowed = format!("a whole number from {} to {} is expected", range.start, range.end - 1);
                self.refuse(at, key, item, &allowed)
            }
        }
    }

    /// A number with or without a fraction.
    fn real(&mut self, at: &At<'_>, key: &str, range: RangeInclusive<f64>) -> Option<f64> {
        let item = at.table.get(key)?;
        match item.as_float().or(item.as_integer().map(|number| number as f64)) {
            Some(number) if range.contains(&number) => Some(number),
            _ => {
                let allowed = format!("a number from {} to {} is expected", range.start(), range.end());
                self.refuse(at, key, item, &allowed)
            }
        }
    }

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

    /// A table below another one.
    fn below<'t>(&mut self, at: &At<'t>, key: &str) -> Option<At<'t>> {
        let item = at.table.get(key)?;
        let Some(table) = item.as_table_like() else {
            return self.refuse(at, key, item, &format!("it is written [{key}], with keys below it, or {{ … }}"));
        };
        Some(At { name: format!("{}{key}.", at.name), table, span: item.span().or_else(|| at.span.clone()) })
    }

    fn text<'t>(&mut self, at: &At<'t>, key: &str) -> Option<&'t str> {
        let item = at.table.get(key)?;
        match item.as_str() {
            Some(text) => Some(text),
            None => self.refuse(at, key, item, "a text in quotes is expected"),
        }
    }

    fn flag(&mut self, at: &At<'_>, key: &str) -> Option<bool> {
        let item = at.table.get(key)?;
        match item.as_bool() {
            Some(flag) => Some(flag),
            None => self.refuse(at, key, item, "true or false is expected"),
        }
    }

    /// One of some words; returns its place among them.
    fn one_of(&mut self, at: &At<'_>, key: &str, words: &[&str]) -> Option<usize> {
        let item = at.table.get(key)?;
        let found = item.as_str().and_then(|text| words.iter().position(|word| *word == text));
        if found.is_some() {
            return found;
        }
        let meant = item.as_str().and_then(|text| nearest(text, words));
        let meant = meant.map(|meant| format!("; did you mean \"{meant}\"?")).unwrap_or_default();
        self.refuse(at, key, item, &format!("allowed are {}{meant}", words.join(", ")))
    }

    fn missing<T>(&mut self, at: &At<'_>, key: &str, what: &str) -> Option<T> {
        let name = at.name.trim_end_matches('.');
        self.fault(at.span.clone(), format!("{name}: it has no `{key}`; {what}"));
        None
    }

    fn sheet(&mut self, table: &Table) -> Option<Sheet> {
        let at = At { name: String::new(), table, span: Some(0..0) };
        self.known(&at, TOP);
        match table.get("version") {
            Some(item) if item.as_integer() == Some(1) => {}
            Some(item) => return self.refuse(&at, "version", item, "this program reads version 1"),
            None => {
                self.fault(Some(0..0), "there is no `version`; write `version = 1` at the top".into());
                return None;
            }
        }
        let mut sheet = Sheet { origin: self.path.into(), ..Sheet::default() };
        sheet.name = self.text(&at, "name").unwrap_or_default().into();
        sheet.keep = self.flag(&at, "keep").unwrap_or(false);
        sheet.rule = self.rule(&at)?;
        for at in self.tables(&at, "checksum") {
            self.known(&at, CHECKSUM);
            sheet.checks.extend(self.checksum(&at));
        }
        for at in self.tables(&at, "control") {
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
        self.outgoing(&at, &mut sheet);
        self.groups(&at, &mut sheet);
        Some(sheet)
    }

    /// The tables of an array of tables, each with its number from 1.
    fn tables<'t>(&mut self, at: &At<'t>, key: &str) -> Vec<At<'t>> {
        let Some(item) = at.table.get(key) else { return Vec::new() };
        let Some(array) = item.as_array_of_tables() else {
            let _: Option<()> = self.refuse(at, key, item, &format!("it is written [[{key}]], once for each"));
            return Vec::new();
        };
        let one = |(index, table): (usize, &'t Table)| At {
            name: format!("{key}[{}].", index + 1),
            table,
            span: table.span(),
        };
        array.iter().enumerate().map(one).collect()
    }

    /// The report id; 0 where none is said.
    fn report(&mut self, at: &At<'_>) -> Option<u8> {
        match at.table.contains_key("report") {
            true => self.number(at, "report", 0..256).map(|number| number as u8),
            false => Some(0),
        }
    }
}
