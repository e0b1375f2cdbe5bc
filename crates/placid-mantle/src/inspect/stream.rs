//! `inspect --stream`: descriptors and reports as JSON, one request and one answer per line.

use super::forms::{Decoded, Reports};
use super::hex;
use mantle_hid::Descriptor;
use serde::{Deserialize, Serialize};
use std::io::{self, BufRead, Read, Write};

/// A request; unknown keys are ignored.
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

/// Longer lines are refused. A descriptor of 4,096 bytes with a thousand reports fits many times over.
const LINE_BYTES: u64 = 64 << 20;

/// Answers requests until the end of the input.
///
/// # Errors
/// If the input cannot be read or the output cannot be written.
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
        output.write_all(crate::say::json(&Refusal { id, ok: false, error })?.as_bytes())
    };
    let request: Request = match serde_json::from_slice(line) {
        Ok(request) => request,
        Err(error) => {
            // JSON that is not a request is still answered under its id.
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
    output.write_all(crate::say::json(&answer)?.as_bytes())
}

fn decode<'a>(descriptor: &'a Descriptor, report: &str) -> Decoded<'a> {
    match hex(report) {
        Ok(bytes) => Decoded::of(descriptor, &bytes),
        Err(why) => Decoded::Refused(why),
    }
}
