//! A file as text: the items of each descriptor, its reports, and what was recorded.

use super::file::Read;
use super::forms::Decoded;
use mantle_core::visible::visible;
use mantle_files::recording::{Content, RecordedDevice};
use mantle_hid::bits::hex;
use mantle_hid::usage::page;
use mantle_hid::{Descriptor, Field, FieldKind, Item, ItemType, Items, Report, ReportKind, Usage};
use std::fmt::Write as _;
use std::io::{self, Write};

/// Writes all of it.
pub fn write(read: &Read, out: &mut impl Write) -> io::Result<()> {
    let recording = &read.recording;
    for (index, (device, descriptor)) in recording.devices.iter().zip(&read.descriptors).enumerate() {
        if index > 0 {
            writeln!(out)?;
        }
        writeln!(out, "{}", title(device))?;
        if !device.descriptor.is_empty() {
            writeln!(out, "\nreport descriptor, {} bytes", device.descriptor.len())?;
            items(&device.descriptor, out)?;
        }
        match descriptor {
            Some(Ok(descriptor)) => {
                for report in descriptor.reports() {
                    self::report(descriptor, report, out)?;
                }
            }
            Some(Err(error)) => writeln!(out, "\nThis descriptor is rejected: {error}.")?,
            None => {}
        }
        if let Some(evdev) = &device.evdev {
            writeln!(out, "\ninput node: {} codes", evdev.codes.len())?;
            for axis in &evdev.axes {
                let (code, min, max) = (axis.code, axis.min, axis.max);
                writeln!(out, "  axis {code:#04x}   {min} to {max}   fuzz {} flat {}", axis.fuzz, axis.flat)?;
            }
        }
    }
    if !recording.events.is_empty() {
        writeln!(out, "\n{} recorded", recording.events.len())?;
    }
    let several = recording.devices.len() > 1;
    for event in &recording.events {
        let time = event.time.0;
        write!(out, "{:>6}.{:06}", time / 1_000_000, time % 1_000_000)?;
        if several {
            write!(out, "  device {}", event.device)?;
        }
        match &event.content {
            Content::Report(bytes) => writeln!(out, "  {}", hex(bytes))?,
            Content::Evdev(events) => {
                let all: Vec<String> =
                    events.iter().map(|e| format!("{:04x} {:04x} {}", e.kind, e.code, e.value)).collect();
                writeln!(out, "  {}", all.join("   "))?;
            }
        }
        if let Some(decoded) = read.decode(event) {
            writeln!(out, "               {}", values(&decoded))?;
        }
        match read.by_sheet(event) {
            Some(Ok(values)) => {
                let all = values.iter().filter(|value| value.control.max > 1 || value.raw != 0).map(|value| {
                    if value.control.max > 1 {
                        format!("{} {}", visible(&value.control.name), value.raw)
                    } else {
                        visible(&value.control.name).into_owned()
                    }
                });
                writeln!(out, "    by sheet   {}", all.collect::<Vec<_>>().join("   "))?;
            }
            Some(Err(error)) => writeln!(out, "    by sheet   cannot be read: {error}")?,
            None => {}
        }
    }
    for (what, list) in [("problem", &recording.problems), ("odd", &recording.warnings)] {
        for one in list {
            writeln!(out, "{what}: line {}: {}", one.line, visible(&one.message))?;
        }
    }
    Ok(())
}

fn title(device: &RecordedDevice) -> String {
    let bus = match device.bus {
        0 => String::new(),
        3 => "usb ".into(),
        5 => "bluetooth ".into(),
        bus => format!("bus {bus:#x} "),
    };
    let name = if device.name.is_empty() { "a device without a name" } else { &device.name };
    format!("{}   {bus}{:04x}:{:04x}", visible(name), device.vendor, device.product)
}

/// The items of a descriptor: offset, bytes and meaning, indented by collection.
fn items(bytes: &[u8], out: &mut impl Write) -> io::Result<()> {
    let mut depth = 0usize;
    let mut current_page = 0;
    for item in Items::new(bytes) {
        let item = match item {
            Ok(item) => item,
            Err(error) => return writeln!(out, "{:>6}  {}", error.offset, error.problem),
        };
        if item.kind == ItemType::Main && item.tag == 0xc {
            depth = depth.saturating_sub(1);
        }
        if item.kind == ItemType::Global && item.tag == 0 {
            current_page = item.data as u16;
        }
        let end = match item.is_long() {
            true => item.offset + 3 + usize::from(bytes.get(item.offset + 1).copied().unwrap_or(0)),
            false => item.offset + 1 + usize::from(item.size),
        };
        let raw = hex(bytes.get(item.offset..end.min(item.offset + 8)).unwrap_or_default());
        writeln!(out, "{:>6}  {raw:<15} {}{}", item.offset, "  ".repeat(depth.min(12)), words(&item, current_page))?;
        if item.kind == ItemType::Main && item.tag == 0xa {
            depth += 1;
        }
    }
    Ok(())
}

/// An item in the words of the standard (HID 1.11, 6.2.2).
fn words(item: &Item, current_page: u16) -> String {
    if item.is_long() {
        return "long item, skipped".into();
    }
    let (data, signed) = (item.data, item.signed());
    let usage = || if item.size == 4 { Usage(data) } else { Usage::new(current_page, data as u16) };
    match (item.kind, item.tag) {
        (ItemType::Main, 0x8) => format!("Input ({})", flags(data)),
        (ItemType::Main, 0x9) => format!("Output ({})", flags(data)),
        (ItemType::Main, 0xb) => format!("Feature ({})", flags(data)),
        (ItemType::Main, 0xa) => {
            let kind = match data {
                0 => "physical".into(),
                1 => "application".into(),
                2 => "logical".into(),
                other => format!("{other:#04x}"),
            };
            format!("Collection ({kind})")
        }
        (ItemType::Main, 0xc) => "End Collection".into(),
        (ItemType::Global, 0x0) => format!("Usage Page ({})", page_name(data as u16)),
        (ItemType::Global, 0x1) => format!("Logical Minimum ({signed})"),
        (ItemType::Global, 0x2) => format!("Logical Maximum ({})", maximum(item)),
        (ItemType::Global, 0x3) => format!("Physical Minimum ({signed})"),
        (ItemType::Global, 0x4) => format!("Physical Maximum ({})", maximum(item)),
        (ItemType::Global, 0x5) => format!("Unit Exponent ({})", ((data as u8) << 4) as i8 >> 4),
        (ItemType::Global, 0x6) => format!("Unit ({data:#x})"),
        (ItemType::Global, 0x7) => format!("Report Size ({data})"),
        (ItemType::Global, 0x8) => format!("Report ID ({data})"),
        (ItemType::Global, 0x9) => format!("Report Count ({data})"),
        (ItemType::Global, 0xa) => "Push".into(),
        (ItemType::Global, 0xb) => "Pop".into(),
        (ItemType::Local, 0x0) => format!("Usage ({})", usage().name()),
        (ItemType::Local, 0x1) => format!("Usage Minimum ({})", usage().name()),
        (ItemType::Local, 0x2) => format!("Usage Maximum ({})", usage().name()),
        (ItemType::Local, 0x3) => format!("Designator Index ({data})"),
        (ItemType::Local, 0x4) => format!("Designator Minimum ({data})"),
        (ItemType::Local, 0x5) => format!("Designator Maximum ({data})"),
        (ItemType::Local, 0x7) => format!("String Index ({data})"),
        (ItemType::Local, 0x8) => format!("String Minimum ({data})"),
        (ItemType::Local, 0x9) => format!("String Maximum ({data})"),
        (ItemType::Local, 0xa) => if data == 0 { "Delimiter (close)" } else { "Delimiter (open)" }.into(),
        (kind, tag) => format!("{kind:?} item with tag {tag}, not defined"),
    }
}

/// A maximum is signed only if its minimum is negative, which an item alone does not tell: if the two readings differ, both are shown.
fn maximum(item: &Item) -> String {
    let (signed, plain) = (i64::from(item.signed()), i64::from(item.data));
    if signed == plain { plain.to_string() } else { format!("{plain}, or {signed} if the minimum is negative") }
}

fn flags(data: u32) -> String {
    let pairs = [
        (0, "data", "constant"),
        (1, "array", "variable"),
        (2, "absolute", "relative"),
        (3, "", "wraps"),
        (4, "", "not linear"),
        (5, "", "no preferred state"),
        (6, "", "null state"),
        (7, "", "volatile"),
        (8, "", "buffered bytes"),
    ];
    let all = pairs.iter().map(|(bit, off, on)| if data >> bit & 1 == 1 { *on } else { *off });
    all.filter(|word| !word.is_empty()).collect::<Vec<_>>().join(", ")
}

fn page_name(number: u16) -> String {
    match number {
        page::GENERIC_DESKTOP => "generic desktop".into(),
        page::SIMULATION => "simulation controls".into(),
        page::GAME => "game controls".into(),
        page::GENERIC_DEVICE => "generic device controls".into(),
        page::KEYBOARD => "keyboard".into(),
        page::BUTTON => "button".into(),
        page::CONSUMER => "consumer".into(),
        0x08 => "LEDs".into(),
        0x0d => "digitizers".into(),
        0x0f => "physical input device".into(),
        0x20 => "sensors".into(),
        n if n >= page::VENDOR_FIRST => format!("vendor-defined {n:#06x}"),
        n => format!("{n:#06x}"),
    }
}

fn report(descriptor: &Descriptor, report: &Report, out: &mut impl Write) -> io::Result<()> {
    let kind = match report.kind {
        ReportKind::Input => "input",
        ReportKind::Output => "output",
        ReportKind::Feature => "feature",
    };
    let id = if descriptor.numbered(report.kind) { format!(" {}", report.id.0) } else { String::new() };
    writeln!(out, "\n{kind} report{id}, {} bits", report.bits)?;
    for field in &report.fields {
        let kind = match field.kind {
            FieldKind::Variable if field.relative => "relative",
            FieldKind::Variable => "variable",
            FieldKind::Array => "array",
            FieldKind::Constant => "constant",
        };
        let null = if field.null_state { ", null state" } else { "" };
        writeln!(
            out,
            "  bit {:>5}  {:>3} x {:>2} bits  {kind:<9} {:<28} {} to {}{null}",
            field.bit_offset,
            field.count,
            field.bit_size,
            usages(field),
            field.logical_min,
            field.logical_max,
        )?;
    }
    Ok(())
}

/// The usages of a field in short: the first and, of several, the last.
fn usages(field: &Field) -> String {
    let count = if field.kind == FieldKind::Array { field.usages.len() } else { field.count };
    let first = field.usages.element(0).map(Usage::name).unwrap_or_default();
    let last = count.checked_sub(1).and_then(|last| field.usages.element(last)).map(Usage::name).unwrap_or_default();
    match count {
        0 | 1 => first,
        2 => format!("{first}, {last}"),
        _ if field.usages.len() == 1 => first,
        _ => format!("{first} to {last}"),
    }
}

/// A report in a line: what is pressed, and every wider value with its name.
fn values(decoded: &Decoded<'_>) -> String {
    let (report, body) = match decoded {
        Decoded::Refused(why) => return format!("cannot be read: {why}"),
        Decoded::Found(report, body) => (report, body),
    };
    let mut out = String::new();
    let mut more = |text: &str| {
        let _ = write!(out, "{}{text}", if out.is_empty() { "" } else { "   " });
    };
    for field in report.fields.iter().filter(|field| field.kind != FieldKind::Constant) {
        for index in 0..field.count.min(512) {
            let Some(value) = field.value(body, index) else { continue };
            match field.kind {
                FieldKind::Array => {
                    if let Some(usage) = field.pressed(value) {
                        more(&usage.name());
                    }
                }
                _ if field.bit_size == 1 => {
                    if value != 0 {
                        more(&field.usages.element(index).map(Usage::name).unwrap_or_default());
                    }
                }
                _ => {
                    let name = field.usages.element(index).map(Usage::name).unwrap_or_default();
                    let null = field.null_state && (value < field.logical_min || value > field.logical_max);
                    more(&format!("{name} {value}{}", if null { " (no value)" } else { "" }));
                }
            }
        }
    }
    if out.is_empty() { "nothing is pressed".into() } else { out }
}
