//! Reads a sheet key by key: each fault names the line, the key, its value, what is allowed, and one suggestion.

use super::SheetFile;
use super::suggest::nearest;
use crate::fault::FileFault;
use mantle_core::control::{ControlKind, MatchRule, Packing, Plays, Sheet, SheetControl, Verify, Where};
use mantle_core::measure::{Checksum, Width};
use mantle_core::pad::TARGETS;
use mantle_hid::Usage;
use std::ops::Range;
use toml_edit::{Document, Item, Table, TableLike};

const TOP: &[&str] = &["version", "name", "keep", "match", "checksum", "control"];
const MATCH: &[&str] = &["bus", "vendor", "product", "name", "descriptor"];
const CHECKSUM: &[&str] =
    &["report", "kind", "at", "from", "order", "plus", "with", "polynomial", "initial", "mirrored", "final", "seed"];
const CONTROL: &[&str] =
    &["name", "kind", "usage", "report", "at", "size", "packing", "signed", "min", "max", "rest", "plays"];
const KINDS: &[&str] = &["button", "axis", "hat", "relative", "key", "pointer", "contact"];
const CHECKSUM_KINDS: &[&str] = &["sum", "complement", "xor", "crc-8", "crc-16", "crc-32"];
/// Bits of the longest report.
const BITS: i64 = 16_383 * 8;

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

    fn rule(&mut self, at: &At<'_>) -> Option<MatchRule> {
        let Some(item) = at.table.get("match") else {
            self.fault(
                Some(0..0),
                "there is no [match]: without it nobody knows which devices the sheet is for".into(),
            );
            return None;
        };
        let Some(table) = item.as_table_like() else {
            return self.refuse(at, "match", item, "it is written [match], with keys below it");
        };
        let at = At { name: "match.".into(), table, span: item.span() };
        let before = self.faults.len();
        self.known(&at, MATCH);
        let mut rule = MatchRule::default();
        if let Some(item) = table.get("bus") {
            rule.bus = match (item.as_str(), item.as_integer()) {
                (Some("usb"), _) => Some(3),
                (Some("bluetooth"), _) => Some(5),
                (_, Some(number @ 0..=0xffff)) => Some(number as u16),
                _ => self.refuse(&at, "bus", item, "\"usb\", \"bluetooth\" or the number of a bus is expected"),
            };
        }
        rule.vendor = self.number(&at, "vendor", 0..0x1_0000).map(|number| number as u16);
        rule.product = match table.get("product") {
            Some(item) if item.is_array() => {
                let all = item.as_array().into_iter().flatten();
                let ids: Option<Vec<u16>> =
                    all.map(|id| id.as_integer().and_then(|number| u16::try_from(number).ok())).collect();
                match ids.filter(|ids| !ids.is_empty()) {
                    Some(ids) => ids,
                    None => self.refuse(&at, "product", item, "a list of whole numbers from 0 to 65535 is expected")?,
                }
            }
            Some(_) => self.number(&at, "product", 0..0x1_0000).map(|number| vec![number as u16]).unwrap_or_default(),
            None => Vec::new(),
        };
        rule.name = self.text(&at, "name").map(str::to_owned);
        if let Some(item) = table.get("descriptor") {
            let hash =
                item.as_str().filter(|text| text.len() == 16).and_then(|text| u64::from_str_radix(text, 16).ok());
            rule.descriptor = match hash {
                Some(hash) => Some(hash),
                None => {
                    self.refuse(&at, "descriptor", item, "16 hex digits are expected, as `devices --json` shows them")
                }
            };
        }
        if self.faults.len() > before {
            // A rule that is half read might fit devices that it was not written for.
            return None;
        }
        if rule == MatchRule::default() {
            return self.missing(&at, "vendor", "a rule that says nothing would fit every device");
        }
        Some(rule)
    }

    /// The report id; 0 where none is said.
    fn report(&mut self, at: &At<'_>) -> Option<u8> {
        match at.table.contains_key("report") {
            true => self.number(at, "report", 0..256).map(|number| number as u8),
            false => Some(0),
        }
    }

    fn checksum(&mut self, at: &At<'_>) -> Option<Verify> {
        let report = self.report(at)?;
        if !at.table.contains_key("kind") {
            return self.missing(at, "kind", &format!("allowed are {}", CHECKSUM_KINDS.join(", ")));
        }
        let kind = CHECKSUM_KINDS[self.one_of(at, "kind", CHECKSUM_KINDS)?];
        if !at.table.contains_key("at") {
            return self.missing(at, "at", "it says which byte of the report the checksum begins at");
        }
        let place = self.number(at, "at", 1..16_384)? as usize;
        let from = match at.table.contains_key("from") {
            true => self.number(at, "from", 0..place as i64)? as usize,
            false => 0,
        };
        let byte = |reader: &mut Self, key: &str| reader.number(at, key, 0..256).map(|number| number as u8);
        let mut crc = |bits: u8, usual: (u32, u32, bool, u32)| {
            let top = 1i64 << bits;
            let number = |reader: &mut Self, key: &str, usual: u32| match at.table.contains_key(key) {
                true => reader.number(at, key, 0..top).map(|number| number as u32),
                false => Some(usual),
            };
            Some(Checksum::Crc {
                bits,
                poly: number(self, "polynomial", usual.0)?,
                init: number(self, "initial", usual.1)?,
                mirrored: if at.table.contains_key("mirrored") { self.flag(at, "mirrored")? } else { usual.2 },
                out: number(self, "final", usual.3)?,
                seed: byte(self, "seed"),
            })
        };
        let checksum = match kind {
            "crc-8" => crc(8, (0x07, 0, false, 0))?,
            "crc-16" => crc(16, (0x1021, 0xffff, false, 0))?,
            "crc-32" => crc(32, (0x04c1_1db7, u32::MAX, true, u32::MAX))?,
            "sum" => Checksum::Sum { plus: byte(self, "plus").unwrap_or(0) },
            "complement" => Checksum::Complement,
            _ => Checksum::Xor { with: byte(self, "with").unwrap_or(0) },
        };
        let big = at.table.contains_key("order") && self.one_of(at, "order", &["little", "big"])? == 1;
        let width = match (kind, big) {
            ("crc-16", false) => Width::TwoLittle,
            ("crc-16", true) => Width::TwoBig,
            ("crc-32", _) => Width::Four,
            _ => Width::One,
        };
        Some(Verify { report, checksum, width, at: place, from })
    }

    fn control(&mut self, at: &At<'_>) -> Option<SheetControl> {
        let name = match self.text(at, "name") {
            Some(name) if !name.trim().is_empty() => name.to_owned(),
            Some(_) => {
                let item = at.table.get("name").unwrap_or(&Item::None);
                return self.refuse(at, "name", item, "a control needs a name that can be read");
            }
            None if at.table.contains_key("name") => return None,
            None => return self.missing(at, "name", "every control has one"),
        };
        if !at.table.contains_key("kind") {
            return self.missing(at, "kind", &format!("allowed are {}", KINDS.join(", ")));
        }
        let kind = match KINDS[self.one_of(at, "kind", KINDS)?] {
            "button" => ControlKind::Button,
            "axis" => ControlKind::Axis,
            "hat" => ControlKind::Hat,
            "relative" => ControlKind::Relative,
            "pointer" => ControlKind::Pointer,
            "contact" => ControlKind::Contact,
            _ => ControlKind::Key,
        };
        let source = self.place(at, kind)?;
        let limit = i64::from(i32::MIN)..i64::from(i32::MAX) + 1;
        let (min, max) = (self.number(at, "min", limit.clone()), self.number(at, "max", limit.clone()));
        let range = match (min, max) {
            (Some(min), Some(max)) if min < max => Some((min as i32, max as i32)),
            (Some(_), Some(_)) => {
                let item = at.table.get("max").unwrap_or(&Item::None);
                return self.refuse(at, "max", item, "it has to be larger than `min`");
            }
            (None, None) => None,
            (Some(_), None) => return self.missing(at, "max", "`min` and `max` come together"),
            (None, Some(_)) => return self.missing(at, "min", "`min` and `max` come together"),
        };
        let rest = self.number(at, "rest", limit).map(|rest| rest as i32);
        let plays = match at.table.contains_key("plays") {
            true => Some(self.plays(at, kind)?),
            false => None,
        };
        Some(SheetControl { name, kind, source, range, rest, plays })
    }

    fn place(&mut self, at: &At<'_>, kind: ControlKind) -> Option<Where> {
        if let Some(item) = at.table.get("usage") {
            let found = match (item.as_integer(), item.as_str()) {
                (Some(number), _) => u32::try_from(number).ok().filter(|number| *number > 0xffff).map(Usage),
                (_, Some(text)) => Usage::from_name(text),
                _ => None,
            };
            return match found {
                Some(usage) => Some(Where::Usage(usage)),
                None => self.refuse(
                    at,
                    "usage",
                    item,
                    "a name such as \"button 3\", \"X\" or \"hat\", or a number with its page, such as 0x00090003, is expected",
                ),
            };
        }
        if !at.table.contains_key("at") {
            return self.missing(at, "at", "say where it is: `usage`, or `at` and `size` in bits");
        }
        let report = self.report(at)?;
        let first = self.number(at, "at", 0..BITS)? as u32;
        let size = match at.table.contains_key("size") {
            true => self.number(at, "size", 1..33)? as u8,
            false if matches!(kind, ControlKind::Button | ControlKind::Key) => 1,
            false => return self.missing(at, "size", "only a button has one bit unasked"),
        };
        let packing = match at.table.contains_key("packing") {
            true => [Packing::Little, Packing::Big][self.one_of(at, "packing", &["little", "big"])?],
            false => Packing::Little,
        };
        let signed = at.table.contains_key("signed") && self.flag(at, "signed")?;
        if signed && size == 1 {
            let item = at.table.get("signed").unwrap_or(&Item::None);
            return self.refuse(at, "signed", item, "one bit has no sign");
        }
        Some(Where::Bits { report, at: first, size, packing, signed })
    }

    fn plays(&mut self, at: &At<'_>, kind: ControlKind) -> Option<Plays> {
        let sticks = ["left stick X", "left stick Y", "right stick X", "right stick Y"];
        let buttons = &TARGETS[..17];
        let mut words: Vec<&str> = match kind {
            ControlKind::Button | ControlKind::Key => buttons.iter().map(|target| target.name()).collect(),
            ControlKind::Axis => sticks.into_iter().chain(["left trigger", "right trigger"]).collect(),
            ControlKind::Hat => vec!["d-pad"],
            _ => Vec::new(),
        };
        if words.is_empty() {
            let item = at.table.get("plays").unwrap_or(&Item::None);
            return self.refuse(at, "plays", item, "what reports movement has to be bound by hand");
        }
        words.dedup();
        let word = words[self.one_of(at, "plays", &words)?];
        Some(match (kind, sticks.iter().position(|stick| *stick == word)) {
            (ControlKind::Hat, _) => Plays::DPad,
            (_, Some(axis)) => Plays::Stick(axis as u8),
            _ => Plays::Target(buttons.iter().copied().find(|target| target.name() == word)?),
        })
    }
}
