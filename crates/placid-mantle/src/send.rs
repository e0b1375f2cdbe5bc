//! `send` and `get`: one report to a device, or from it, byte for byte.

use crate::args::{GetArgs, SendArgs, SendKind};
use crate::exit::{Exit, refuse};
use crate::record::find;
use mantle_core::device::NodeFacts;
use mantle_core::outgoing::{Act, Sent};
use mantle_hid::{Descriptor, ReportId, ReportKind, bits};
use mantle_linux::{Listener, scan};
use std::path::Path;

/// Sends a report.
pub fn send(args: &SendArgs) -> Exit {
    let words = args.bytes.iter().flat_map(|text| text.split_ascii_whitespace());
    let bytes: Result<Vec<u8>, String> = words
        .map(|word| u8::from_str_radix(word, 16).map_err(|_| format!("{word:?} is no byte in hex, such as 0f")))
        .collect();
    let kind = if args.kind == SendKind::Feature { ReportKind::Feature } else { ReportKind::Output };
    match bytes {
        Ok(bytes) => act(&args.device, |_| Ok(Act::Send(kind, bytes))),
        Err(why) => refuse(why),
    }
}

/// Gets a feature report, and prints its bytes.
pub fn get(args: &GetArgs) -> Exit {
    act(&args.device, |node| {
        let descriptor = Descriptor::parse(&node.descriptor).map_err(|error| error.to_string())?;
        let report = descriptor.reports_of(ReportKind::Feature).find(|report| report.id == ReportId(args.report));
        let Some(report) = report else {
            let known: Vec<String> =
                descriptor.reports_of(ReportKind::Feature).map(|report| report.id.0.to_string()).collect();
            let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
            return Err(format!("{} has no feature report {}; it has: {known}", node.identity.name, args.report));
        };
        Ok(Act::Get { report: args.report, length: report.bytes() as u16 + 1 })
    })
}

fn act(device: &str, make: impl FnOnce(&NodeFacts) -> Result<Act, String>) -> Exit {
    let nodes = scan::hidraw_nodes(Path::new("/sys"));
    let (node, act) = match find(&nodes, device).and_then(|node| Ok((node, make(node)?))) {
        Ok(found) => found,
        Err(why) => return refuse(why),
    };
    match Listener::open(node).and_then(|listener| listener.act(&act)) {
        Ok(Sent::Got(bytes)) => {
            println!("{}", bits::hex(&bytes));
            Exit::Fine
        }
        Ok(_) => Exit::Fine,
        Err(fault) => {
            eprintln!("placid-mantle: {} of {} fails ({})", fault.operation, fault.path, fault.name());
            Exit::Failed
        }
    }
}
