//! `send` and `get`: one report to or from a device, byte by byte or field by field.

use crate::exit::{Exit, refuse};
use crate::record::{find, open};
use crate::recording_args::{GetArgs, SendArgs, SendKind};
use crate::say::{say, say_error};
use mantle_core::device::NodeFacts;
use mantle_core::outgoing::{Act, Sent};
use mantle_hid::{Descriptor, FieldKind, ReportId, ReportKind, Usage, bits};
use mantle_linux::scan;
use std::path::Path;

/// Sends a report.
pub fn send(args: &SendArgs) -> Exit {
    let words = args.bytes.iter().flat_map(|text| text.split_ascii_whitespace());
    let bytes: Result<Vec<u8>, String> = words
        .map(|word| u8::from_str_radix(word, 16).map_err(|_| format!("{word:?} is not a byte in hex, such as 0f")))
        .collect();
    let kind = if args.kind == SendKind::Feature { ReportKind::Feature } else { ReportKind::Output };
    match bytes {
        Ok(bytes) if args.set.is_empty() => act(&args.device, |_| Ok(Act::Send(kind, bytes)), |_, _| {}),
        Ok(_) => act(&args.device, |node| Ok(Act::Send(kind, made(node, kind, args)?)), |_, _| {}),
        Err(why) => refuse(why),
    }
}

/// Builds a report from its fields.
fn made(node: &NodeFacts, kind: ReportKind, args: &SendArgs) -> Result<Vec<u8>, String> {
    let set: Result<Vec<(Usage, i64)>, String> = args.set.iter().map(|text| parse_set(text)).collect();
    let set = set?;
    let descriptor = Descriptor::parse(&node.descriptor).map_err(|error| error.to_string())?;
    let mut why = format!("{} has no such report", node.identity.name);
    for report in descriptor.reports_of(kind).filter(|report| args.report.is_none_or(|id| report.id.0 == id)) {
        let mut bytes = report.blank();
        match set.iter().try_for_each(|(usage, value)| report.put(&mut bytes, *usage, *value)) {
            Ok(()) => return Ok(bytes),
            Err(error) => why = format!("report {}: {error}", report.id.0),
        }
    }
    Err(why)
}

/// Parses a usage with its value.
fn parse_set(text: &str) -> Result<(Usage, i64), String> {
    let wrong = || format!("{text:?} is not USAGE=VALUE, such as \"ff00:0012=128\"");
    let (usage, value) = text.split_once('=').ok_or_else(wrong)?;
    let by_number = usage.trim_start_matches("0x").split_once(':').and_then(|(page, id)| {
        let number = |text: &str| u16::from_str_radix(text, 16).ok();
        Some(Usage::new(number(page)?, number(id)?))
    });
    let usage = by_number.or_else(|| Usage::from_name(usage)).ok_or_else(wrong)?;
    Ok((usage, value.trim().parse().map_err(|_| wrong())?))
}

/// Prints the fields of a feature report.
fn print_fields(node: &NodeFacts, bytes: &[u8]) {
    let Ok(descriptor) = Descriptor::parse(&node.descriptor) else { return };
    let Some((id, body)) = bytes.split_first() else { return };
    let Some(report) = descriptor.reports_of(ReportKind::Feature).find(|report| report.id == ReportId(*id)) else {
        return;
    };
    for field in report.fields.iter().filter(|field| field.kind != FieldKind::Constant) {
        for index in 0..field.count {
            let Some(value) = field.value(body, index) else { continue };
            match field.kind {
                FieldKind::Array => {
                    let words = field.pressed(value).map_or_else(|| "nothing".into(), Usage::name);
                    say!("bit {:4}  {words}", field.element_offset(index));
                }
                _ => {
                    let name = field.usages.element(index).map_or_else(|| "no usage".into(), Usage::name);
                    say!("bit {:4}  {name} = {value}", field.element_offset(index));
                }
            }
        }
    }
}

/// Gets a feature report and prints its bytes.
pub fn get(args: &GetArgs) -> Exit {
    let make = |node: &NodeFacts| {
        let descriptor = Descriptor::parse(&node.descriptor).map_err(|error| error.to_string())?;
        let report = descriptor.reports_of(ReportKind::Feature).find(|report| report.id == ReportId(args.report));
        let Some(report) = report else {
            let known: Vec<String> =
                descriptor.reports_of(ReportKind::Feature).map(|report| report.id.0.to_string()).collect();
            let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
            return Err(format!("{} has no feature report {}; it has: {known}", node.identity.name, args.report));
        };
        Ok(Act::Get { report: args.report, length: report.bytes() as u16 + 1 })
    };
    act(&args.device, make, |node, bytes| {
        if args.fields {
            print_fields(node, bytes);
        }
    })
}

fn act(
    device: &str,
    make: impl FnOnce(&NodeFacts) -> Result<Act, String>,
    got: impl FnOnce(&NodeFacts, &[u8]),
) -> Exit {
    let nodes = scan::hidraw_nodes(Path::new("/sys"));
    let (node, act) = match find(&nodes, device).and_then(|node| Ok((node, make(node)?))) {
        Ok(found) => found,
        Err(why) => return refuse(why),
    };
    let listener = match open(node) {
        Ok(listener) => listener,
        Err(exit) => return exit,
    };
    match listener.act(&act) {
        Ok(Sent::Got(bytes)) => {
            say!("{}", bits::hex(&bytes));
            got(node, &bytes);
            Exit::Fine
        }
        Ok(_) => Exit::Fine,
        Err(fault) => {
            let refuses = if matches!(act, Act::Get { .. }) { "does not answer" } else { "does not take it" };
            say_error!("placid-mantle: {device} {refuses} ({})", fault.system());
            Exit::Failed
        }
    }
}
