//! What is sent to a device: start-up, keep-alive, rumble, light and lamps; and what its silence means.

use super::{At, BITS, Reader};
use mantle_core::control::Packing;
use mantle_core::outgoing::{Act, Encoder, ExpectedReply, KeepAlive, Lamps, OutField, Silence, StartUpStep};
use mantle_core::sheet::Sheet;
use mantle_core::time::Micros;
use mantle_hid::ReportKind;

const START_UP: &[&str] = &["send", "bytes", "get", "length", "answer", "within", "wait"];
const KEEP_ALIVE: &[&str] = &["send", "bytes", "get", "length", "every"];
const SILENT: &[&str] = &["report", "after"];
const FIELD: &[&str] = &["at", "size", "packing", "min", "max"];
const RUMBLE: &[&str] = &["strong", "weak"];
const LIGHT: &[&str] = &["red", "green", "blue"];
/// The default time limit for an answer.
const WITHIN: f64 = 1.0;

fn micros(seconds: f64) -> Micros {
    Micros((seconds * 1e6).round() as u64)
}

impl Reader<'_> {
    pub(super) fn outgoing(&mut self, at: &At<'_>, sheet: &mut Sheet) {
        let before = self.faults.len();
        let mut steps = Vec::new();
        for at in self.tables(at, "start_up") {
            self.known(&at, START_UP);
            steps.extend(self.step(&at));
        }
        // Half a start-up could do anything to a device, so it is done completely or not at all.
        if self.faults.len() == before {
            sheet.start_up = steps.into();
        }
        for at in self.tables(at, "keep_alive") {
            self.known(&at, KEEP_ALIVE);
            sheet.keep_alive.extend(self.keep_alive(&at));
        }
        for at in self.tables(at, "silent") {
            self.known(&at, SILENT);
            sheet.silences.extend(self.silence(&at));
        }
        sheet.rumble = self.encoder(at, "rumble", RUMBLE, &[]);
        sheet.light = self.encoder(at, "light", LIGHT, &[]);
        sheet.lamps = self.lamps(at);
        sheet.pairing = self.text(at, "pairing").map(str::to_owned);
    }

    /// Output or feature.
    fn send_kind(&mut self, at: &At<'_>) -> Option<ReportKind> {
        match at.table.contains_key("send") {
            true => Some([ReportKind::Output, ReportKind::Feature][self.one_of(at, "send", &["output", "feature"])?]),
            false => self.missing(at, "send", "allowed: output, feature"),
        }
    }

    fn act(&mut self, at: &At<'_>) -> Option<Act> {
        if at.table.contains_key("get") {
            let report = self.number(at, "get", 0..256)? as u8;
            if !at.table.contains_key("length") {
                return self.missing(at, "length", "`length` has to say how many bytes are read, including the id");
            }
            let length = self.number(at, "length", 1..4097)? as u16;
            return Some(Act::Get { report, length });
        }
        let kind = self.send_kind(at)?;
        if !at.table.contains_key("bytes") {
            return self.missing(at, "bytes", "such as \"02 01\", the report id first, 00 where reports have none");
        }
        let mut bytes = self.bytes(at, "bytes")?;
        if at.table.contains_key("length") {
            let length = self.number(at, "length", bytes.len() as i64..4097)?;
            bytes.resize(length as usize, 0);
        }
        Some(Act::Send(kind, bytes))
    }

    fn seconds(&mut self, at: &At<'_>, key: &str, usual: f64) -> Option<Micros> {
        match at.table.contains_key(key) {
            true => self.real(at, key, 0.0..=60.0).map(micros),
            false => Some(micros(usual)),
        }
    }

    fn step(&mut self, at: &At<'_>) -> Option<StartUpStep> {
        let act = self.act(at)?;
        let (within, wait) = (self.seconds(at, "within", WITHIN)?, self.seconds(at, "wait", 0.0)?);
        let answer = match at.table.get("answer") {
            None => None,
            Some(item) => {
                let word = |word: &str| match word {
                    "??" => Some(None),
                    _ => u8::from_str_radix(word, 16).ok().filter(|_| word.len() == 2).map(Some),
                };
                let pattern: Option<Vec<_>> =
                    item.as_str().and_then(|text| text.split_ascii_whitespace().map(word).collect());
                match pattern.filter(|pattern| !pattern.is_empty()) {
                    Some(pattern) => Some(ExpectedReply { pattern, within }),
                    None => {
                        let allowed = "bytes in hex are expected, ?? for any byte, the report id first";
                        return self.refuse(at, "answer", item, allowed);
                    }
                }
            }
        };
        Some(StartUpStep { act, answer, wait })
    }

    fn keep_alive(&mut self, at: &At<'_>) -> Option<KeepAlive> {
        let act = self.act(at)?;
        if !at.table.contains_key("every") {
            return self.missing(at, "every", "`every` has to say after how many seconds it is sent again");
        }
        Some(KeepAlive { every: micros(self.real(at, "every", 0.01..=3600.0)?), act })
    }

    fn silence(&mut self, at: &At<'_>) -> Option<Silence> {
        let report = self.report(at)?;
        if !at.table.contains_key("after") {
            return self.missing(at, "after", "`after` has to say after how many seconds its controls rest");
        }
        Some(Silence { report, after: micros(self.real(at, "after", 0.005..=60.0)?) })
    }

    /// A report with named numbers in it.
    fn encoder(&mut self, at: &At<'_>, key: &str, names: &[&str], more: &[&str]) -> Option<Encoder> {
        let at = self.below(at, key)?;
        let known: Vec<&str> = ["send", "bytes", "length"].iter().chain(names).chain(more).copied().collect();
        self.known(&at, &known);
        let Act::Send(kind, bytes) = self.act(&at)? else {
            return self.missing(&at, "send", "it has to be sent");
        };
        let mut fields = Vec::new();
        for name in names {
            if !at.table.contains_key(name) {
                return self.missing(&at, name, "it is written { at = BIT, size = BITS }, counted after the id byte");
            }
            let below = self.below(&at, name)?;
            self.known(&below, FIELD);
            fields.push(self.out_field(&below, bytes.len())?);
        }
        Some(Encoder { kind, bytes, fields })
    }

    fn out_field(&mut self, at: &At<'_>, length: usize) -> Option<OutField> {
        for key in ["at", "size"] {
            if !at.table.contains_key(key) {
                return self.missing(at, key, "it is written { at = BIT, size = BITS }, counted after the id byte");
            }
        }
        let first = self.number(at, "at", 0..BITS)? as u32;
        let size = self.number(at, "size", 1..33)? as u8;
        if (first as usize + usize::from(size)).div_ceil(8) > length - 1 {
            let item = at.table.get("at").unwrap_or(&toml_edit::Item::None);
            return self.refuse(at, "at", item, "it is outside `bytes`; `length` makes them longer");
        }
        let packing = match at.table.contains_key("packing") {
            true => [Packing::Little, Packing::Big][self.one_of(at, "packing", &["little", "big"])?],
            false => Packing::Little,
        };
        let full = ((1u64 << size) - 1) as i64;
        let mut end = |key: &str, usual: i64| match at.table.contains_key(key) {
            true => self.number(at, key, 0..full + 1),
            false => Some(usual),
        };
        let range = (end("min", 0)? as u32, end("max", full)? as u32);
        Some(OutField { at: first, size, packing, range })
    }

    fn lamps(&mut self, at: &At<'_>) -> Option<Lamps> {
        let encoder = self.encoder(at, "lamps", &["player"], &["values"])?;
        let at = self.below(at, "lamps")?;
        let Some(item) = at.table.get("values") else {
            return self.missing(&at, "values", "`values` has to give the number for each player from 1, at most 8");
        };
        let whole = |value: &toml_edit::Value| value.as_integer().and_then(|number| u32::try_from(number).ok());
        let values = item.as_array().and_then(|all| all.iter().map(whole).collect::<Option<Vec<u32>>>());
        match values.filter(|values| (1..=8).contains(&values.len())) {
            Some(values) => Some(Lamps { encoder, values }),
            None => self.refuse(&at, "values", item, "1 to 8 whole numbers are expected, for players from 1 on"),
        }
    }
}
