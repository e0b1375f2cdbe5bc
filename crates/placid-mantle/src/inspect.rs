//! `inspect --stream`: descriptors and reports as JSON, one request and one answer a line.

use mantle_hid::{Descriptor, Field, FieldKind, Report, ReportKind};
use serde::ser::{SerializeMap, SerializeSeq};
use serde::{Deserialize, Serialize, Serializer};
use std::io::{self, BufRead, Read, Write};

/// A request; unknown keys are passed over.
#[derive(Deserialize)]
struct Request {
    #[serde(default)]
    id: serde_json::Value,
    descriptor: String,
    #[serde(default)]
    reports: Vec<String>,
}

#[derive(Serialize)]
struct Refusal<'a> {
    id: &'a serde_json::Value,
    ok: bool,
    error: String,
}

#[derive(Serialize)]
struct Answer<'a> {
    id: &'a serde_json::Value,
    ok: bool,
    reports: Reports<'a>,
    decoded: Vec<Decoded<'a>>,
}

/// Lines beyond this are refused; a descriptor of 4,096 bytes with a thousand reports fits many times.
const LINE_BYTES: u64 = 64 << 20;

/// Answers requests until the end of the input.
///
/// # Errors
/// When input cannot be read or output not be written.
pub fn stream(input: impl Read, output: impl Write) -> io::Result<()> {
    let mut input = io::BufReader::new(input);
    let mut output = io::BufWriter::new(output);
    let mut line = Vec::new();
    loop {
        line.clear();
        if (&mut input).take(LINE_BYTES).read_until(b'\n', &mut line)? == 0 {
            return Ok(());
        }
        if line.iter().all(u8::is_ascii_whitespace) {
            continue;
        }
        answer(&line, &mut output)?;
        output.write_all(b"\n")?;
        output.flush()?;
    }
}

fn answer(line: &[u8], output: &mut impl Write) -> io::Result<()> {
    let refuse = |id: &serde_json::Value, error: String, output: &mut dyn Write| {
        serde_json::to_writer(output, &Refusal { id, ok: false, error }).map_err(io::Error::from)
    };
    let request: Request = match serde_json::from_slice(line) {
        Ok(request) => request,
        Err(error) => {
            // What is JSON, but no request, can still be answered under its id.
            let value: Option<serde_json::Value> = serde_json::from_slice(line).ok();
            let id = value.and_then(|value| value.get("id").cloned()).unwrap_or(serde_json::Value::Null);
            return refuse(&id, format!("not a request: {error}"), output);
        }
    };
    let bytes = match hex(&request.descriptor) {
        Ok(bytes) => bytes,
        Err(why) => return refuse(&request.id, format!("descriptor: {why}"), output),
    };
    let descriptor = match Descriptor::parse(&bytes) {
        Ok(descriptor) => descriptor,
        Err(error) => return refuse(&request.id, error.to_string(), output),
    };
    let decoded = request.reports.iter().map(|report| decode(&descriptor, report)).collect();
    let answer = Answer { id: &request.id, ok: true, reports: Reports(&descriptor), decoded };
    serde_json::to_writer(output, &answer).map_err(io::Error::from)
}

/// Bytes of a hex string; white space is passed over.
fn hex(text: &str) -> Result<Vec<u8>, String> {
    let digits: Vec<char> = text.chars().filter(|c| !c.is_whitespace()).collect();
    if digits.len() % 2 == 1 {
        return Err(format!("{} hex digits are not whole bytes", digits.len()));
    }
    let pair = |pair: &[char]| match (pair[0].to_digit(16), pair[1].to_digit(16)) {
        (Some(high), Some(low)) => Ok((high << 4 | low) as u8),
        _ => Err(format!("{:?} is not a byte in hex", pair.iter().collect::<String>())),
    };
    digits.chunks(2).map(pair).collect()
}

struct Reports<'a>(&'a Descriptor);

impl Serialize for Reports<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.reports().iter().map(ReportForm))
    }
}

struct ReportForm<'a>(&'a Report);

impl Serialize for ReportForm<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let report = self.0;
        let mut map = serializer.serialize_map(Some(4))?;
        let kind = match report.kind {
            ReportKind::Input => "input",
            ReportKind::Output => "output",
            ReportKind::Feature => "feature",
        };
        map.serialize_entry("type", kind)?;
        map.serialize_entry("id", &report.id.0)?;
        map.serialize_entry("bits", &report.bits)?;
        map.serialize_entry("fields", &Fields(&report.fields))?;
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

/// A report found and cut, or why not; its values are read while they are written.
enum Decoded<'a> {
    Found(&'a Report, Vec<u8>),
    Refused(String),
}

fn decode<'a>(descriptor: &'a Descriptor, report: &str) -> Decoded<'a> {
    let bytes = match hex(report) {
        Ok(bytes) => bytes,
        Err(why) => return Decoded::Refused(why),
    };
    match descriptor.find(ReportKind::Input, &bytes) {
        Ok((report, body)) => Decoded::Found(report, body.to_vec()),
        Err(error) => Decoded::Refused(error.to_string()),
    }
}

impl Serialize for Decoded<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        match self {
            Self::Refused(why) => {
                map.serialize_entry("ok", &false)?;
                map.serialize_entry("error", why)?;
            }
            Self::Found(report, body) => {
                map.serialize_entry("ok", &true)?;
                map.serialize_entry("id", &report.id.0)?;
                map.serialize_entry("values", &Values(report, body))?;
                map.serialize_entry("active", &Active(report, body))?;
            }
        }
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
