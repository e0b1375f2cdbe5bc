//! `inspect FILE`: a recording, or a bare descriptor as bytes or in hex, as text or as JSON.

use super::forms::{Decoded, ReportForm};
use super::{hex, text};
use crate::args::InspectArgs;
use crate::exit::{Exit, refuse};
use crate::say::say_error;
use mantle_core::control::{Control, Layout, Place};
use mantle_core::sheet::Sheet;
use mantle_files::recording::{self, Content, EvdevEvent, RecordedDevice, RecordedEvent, Recording};
use mantle_hid::{DecodeError, Descriptor, ParseError, ReportKind, Want};
use serde::ser::SerializeMap;
use serde::{Serialize, Serializer};
use std::io::{self, Write};
use std::path::Path;

/// A file, parsed as far as possible.
pub struct Read {
    /// The recording; for a bare descriptor, one with a device and no events.
    pub recording: Recording,
    /// Each device's parsed descriptor; none for a device without one.
    pub descriptors: Vec<Option<Result<Descriptor, ParseError>>>,
    /// Its layout by the requested sheet.
    pub layouts: Vec<Option<Layout>>,
}

/// A control of a sheet, and its value in one report.
pub struct SheetValue<'a> {
    /// The control.
    pub control: &'a Control,
    /// Its raw value.
    pub raw: i32,
}

impl Read {
    /// Whether all of it could be read.
    fn whole(&self) -> bool {
        let refused = self.descriptors.iter().flatten().any(Result::is_err);
        let unread = self.recording.events.iter().any(|event| {
            self.decode(event).is_some_and(|decoded| !decoded.ok()) || self.by_sheet(event).is_some_and(|r| r.is_err())
        });
        self.recording.problems.is_empty() && !refused && !unread
    }

    /// Whether any of it could be read.
    fn anything(&self) -> bool {
        let evdev = self.recording.devices.iter().any(|device| device.evdev.is_some());
        evdev || self.descriptors.iter().flatten().any(Result::is_ok)
    }

    /// What the sheet reads in a recorded report, for each control the report carries; none without a sheet.
    pub fn by_sheet(&self, event: &RecordedEvent) -> Option<Result<Vec<SheetValue<'_>>, DecodeError>> {
        let layout = self.layouts.get(event.device)?.as_ref()?;
        let Content::Report(bytes) = &event.content else { return None };
        if !layout.checks.iter().all(|check| check.holds(bytes)) {
            return Some(Err(DecodeError::Checksum));
        }
        let mut frame = layout.rest;
        let index = match layout.decode(bytes, &mut frame) {
            Ok((index, _)) => index,
            Err(error) => return Some(Err(error)),
        };
        let id = layout.plan.ids().nth(usize::from(index.0)).unwrap_or_default();
        let carried = |place: Place| {
            layout.wants.iter().any(|want| match (*want, place) {
                (Want::Bit { report, to, .. }, Place::Bit(bit)) => report == id && to == bit,
                (Want::Array { report, to, len, .. }, Place::Bit(bit)) => report == id && (to..to + len).contains(&bit),
                (Want::Value { report, to, .. } | Want::Big { report, to, .. }, Place::Value(value)) => {
                    report == id && to == value
                }
                _ => false,
            })
        };
        let controls = layout.parts.iter().flat_map(|part| &part.controls).filter(|control| carried(control.place));
        let value = |control| SheetValue { control, raw: control.raw(&frame) };
        Some(Ok(controls.map(value).collect()))
    }

    /// What a recorded report says; none for events of an input node.
    pub fn decode(&self, event: &RecordedEvent) -> Option<Decoded<'_>> {
        let Content::Report(bytes) = &event.content else { return None };
        Some(match self.descriptors.get(event.device).and_then(Option::as_ref) {
            Some(Ok(descriptor)) => Decoded::of(descriptor, bytes),
            _ => Decoded::Refused("the descriptor of its device cannot be read".into()),
        })
    }
}

/// Reads a file's bytes.
fn read(bytes: &[u8]) -> Result<Read, String> {
    let recording = match recording::format_of(bytes) {
        Some(_) => recording::read(bytes)?,
        None => {
            let descriptor = bare(bytes)?;
            let device = RecordedDevice { descriptor, line: 1, ..RecordedDevice::default() };
            Recording { devices: vec![device], ..Recording::default() }
        }
    };
    let descriptors = recording
        .devices
        .iter()
        .map(|device| (!device.descriptor.is_empty()).then(|| Descriptor::parse(&device.descriptor)))
        .collect();
    Ok(Read { recording, descriptors, layouts: Vec::new() })
}

/// Parses a bare descriptor. As text it is hex bytes, with or without `0x` and commas; `#` and `//` begin a comment.
fn bare(bytes: &[u8]) -> Result<Vec<u8>, String> {
    if bytes.is_empty() {
        return Err("the file is empty".into());
    }
    let printable = |byte: &u8| byte.is_ascii_graphic() || byte.is_ascii_whitespace();
    if !bytes.iter().all(printable) {
        return Ok(bytes.to_vec());
    }
    let text = String::from_utf8_lossy(bytes);
    let plain: String = text
        .lines()
        .map(|line| line.split('#').next().unwrap_or("").split("//").next().unwrap_or(""))
        .collect::<Vec<_>>()
        .join(" ");
    let words = plain.replace(|c: char| ",;{}[]()".contains(c), " ");
    let digits: String = words
        .split_ascii_whitespace()
        .map(|word| word.strip_prefix("0x").or_else(|| word.strip_prefix("0X")).unwrap_or(word))
        .map(|word| if word.len() == 1 { format!("0{word}") } else { word.to_owned() })
        .collect();
    let found = hex(&digits).map_err(|why| format!("neither a recording nor a descriptor in hex: {why}"))?;
    if found.is_empty() { Err("there are no bytes in it".into()) } else { Ok(found) }
}

/// Reads the requested sheet, which need not be written for this device, and reports its faults.
fn sheet(path: &Path) -> Result<Sheet, Exit> {
    let shown = path.display().to_string();
    let text = mantle_files::bounded::read_text(path, mantle_files::bounded::SHEET_BYTES)
        .map_err(|error| refuse(format!("{shown}: {error}")))?;
    let read = mantle_files::sheet::read(&shown, &text);
    for fault in &read.faults {
        say_error!("placid-mantle: {fault}");
    }
    read.sheet.ok_or(Exit::Usage)
}

/// Reads and prints a file.
pub fn run(args: &InspectArgs) -> Exit {
    let Some(path) = &args.file else { return refuse("a file is needed, or --stream") };
    let shown = path.display().to_string();
    let bytes = match mantle_files::bounded::read_bytes(path, mantle_files::recording::FILE_BYTES as u64) {
        Ok(bytes) => bytes,
        Err(error) => return refuse(format!("{shown}: {error}")),
    };
    let sheet = match args.with_sheet.as_deref().map(sheet) {
        None => None,
        Some(Ok(sheet)) => Some(sheet),
        Some(Err(exit)) => return exit,
    };
    let read = match read(&bytes) {
        Ok(mut read) => {
            if let Some(sheet) = &sheet {
                let by = |descriptor: &Descriptor| Layout::with_sheet(descriptor, sheet);
                let all = read.descriptors.iter().map(|d| d.as_ref().and_then(|d| d.as_ref().ok()).map(by));
                read.layouts = all.collect();
            }
            read
        }
        Err(why) if args.json => {
            let _ = line(&mut io::stdout(), &ProblemLine { line: 0, offset: 0, message: &why });
            return Exit::Usage;
        }
        Err(why) => return refuse(format!("{shown}: {why}")),
    };
    let mut out = io::BufWriter::new(io::stdout().lock());
    let written = if args.json { json(&read, &mut out) } else { text::write(&read, &mut out) };
    match written.and_then(|()| out.flush()) {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            say_error!("placid-mantle: inspect: {error}");
            Exit::Failed
        }
        _ if !read.anything() => Exit::Usage,
        _ if read.whole() => Exit::Fine,
        _ => Exit::Failed,
    }
}

/// One object per line: each device with its reports, then the recorded reports, then what could not be read.
fn json(read: &Read, out: &mut impl Write) -> io::Result<()> {
    let several = read.recording.devices.len() > 1;
    for (device, descriptor) in read.recording.devices.iter().zip(&read.descriptors) {
        let known = descriptor.as_ref().and_then(|found| found.as_ref().ok());
        line(out, &DeviceLine { device, numbered: known.is_some_and(|d| d.numbered(ReportKind::Input)) })?;
        for report in known.into_iter().flat_map(Descriptor::reports) {
            line(out, &ReportLine(ReportForm(report)))?;
        }
    }
    for event in &read.recording.events {
        line(out, &EventLine { event, decoded: read.decode(event), several, by_sheet: read.by_sheet(event) })?;
    }
    for (device, descriptor) in read.recording.devices.iter().zip(&read.descriptors) {
        if let Some(Err(error)) = descriptor {
            let message = format!("descriptor: {error}");
            line(out, &ProblemLine { line: device.line, offset: error.offset, message: &message })?;
        }
    }
    for problem in &read.recording.problems {
        line(out, &ProblemLine { line: problem.line, offset: problem.offset, message: &problem.message })?;
    }
    Ok(())
}

fn line(out: &mut impl Write, value: &impl Serialize) -> io::Result<()> {
    out.write_all(crate::say::json(value)?.as_bytes())?;
    out.write_all(b"\n")
}

struct DeviceLine<'a> {
    device: &'a RecordedDevice,
    numbered: bool,
}

impl Serialize for DeviceLine<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let device = self.device;
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("kind", "device")?;
        map.serialize_entry("name", &device.name)?;
        map.serialize_entry("bus", &device.bus)?;
        map.serialize_entry("vendor", &device.vendor)?;
        map.serialize_entry("product", &device.product)?;
        let descriptor: String = device.descriptor.iter().map(|byte| format!("{byte:02x}")).collect();
        map.serialize_entry("descriptor", &descriptor)?;
        map.serialize_entry("numbered", &self.numbered)?;
        if let Some(evdev) = &device.evdev {
            map.serialize_entry("evdev", evdev)?;
        }
        map.end()
    }
}

struct ReportLine<'a>(ReportForm<'a>);

impl Serialize for ReportLine<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("kind", "report")?;
        self.0.entries(&mut map)?;
        map.end()
    }
}

struct EventLine<'a> {
    event: &'a RecordedEvent,
    decoded: Option<Decoded<'a>>,
    several: bool,
    by_sheet: Option<Result<Vec<SheetValue<'a>>, DecodeError>>,
}

/// The values of a sheet's controls, by name.
struct ByName<'a>(&'a [SheetValue<'a>]);

impl Serialize for ByName<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|value| (&value.control.name, value.raw)))
    }
}

impl Serialize for EventLine<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("kind", "event")?;
        map.serialize_entry("time_us", &self.event.time.0)?;
        if self.several {
            map.serialize_entry("device", &self.event.device)?;
        }
        if let Some(decoded) = &self.decoded {
            decoded.entries(&mut map)?;
        }
        match &self.by_sheet {
            Some(Ok(values)) => map.serialize_entry("controls", &ByName(values))?,
            Some(Err(error)) => map.serialize_entry("sheet_error", &error.to_string())?,
            None => {}
        }
        if let Content::Evdev(events) = &self.event.content {
            map.serialize_entry("ok", &true)?;
            let events: Vec<_> = events.iter().map(|EvdevEvent { kind, code, value }| (kind, code, value)).collect();
            map.serialize_entry("evdev", &events)?;
        }
        map.end()
    }
}

#[derive(Serialize)]
#[serde(tag = "kind", rename = "problem")]
struct ProblemLine<'a> {
    line: usize,
    offset: usize,
    message: &'a str,
}
