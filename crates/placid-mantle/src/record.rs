//! `record`: writes a device's raw reports with their times to a file.

use crate::exit::{Exit, refuse};
use crate::recording_args::RecordArgs;
use crate::say::say_error;
use mantle_core::device::NodeFacts;
use mantle_core::outgoing::{StartUp, StartUpStep};
use mantle_core::path::not_opened;
use mantle_core::sheet::Sheet;
use mantle_core::time::Micros;
use mantle_files::recording::{Header, Writer};
use mantle_linux::{Heard, Listener, scan};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Records until it is stopped, the time is up, or the file is full.
pub fn run(args: &RecordArgs) -> Exit {
    let nodes = scan::nodes(Path::new("/sys"));
    let node = match find(&nodes, &args.device) {
        Ok(node) => node,
        Err(why) => return refuse(why),
    };
    let keyboard = mantle_hid::Descriptor::parse(&node.descriptor).is_ok_and(|descriptor| {
        let layout = mantle_core::control::Layout::new(&descriptor);
        layout.parts.iter().any(mantle_core::control::PartLayout::is_keyboard)
    });
    if keyboard && !args.keyboard {
        let name = &node.identity.name;
        return refuse(format!(
            "{name} is a keyboard: a recording contains everything that is typed. Add --keyboard if you want that"
        ));
    }
    let mut listener = match open(node) {
        Ok(listener) => listener,
        Err(exit) => return exit,
    };
    say_error!("Recording {} to {}; Ctrl-C stops.", node.identity.name, args.file.display());
    match record(args, node, &mut listener) {
        Ok(count) => {
            say_error!("{count} reports.");
            Exit::Fine
        }
        Err(error) => {
            say_error!("placid-mantle: {}: {error}", args.file.display());
            Exit::Failed
        }
    }
}

/// Opens a device's node, or says why it cannot be opened.
pub fn open(node: &NodeFacts) -> Result<Listener, Exit> {
    Listener::open(node).map_err(|fault| {
        say_error!("placid-mantle: {}", not_opened(&node.identity, &fault));
        Exit::Failed
    })
}

/// The device that is meant: a node's path, ids, or part of a name.
pub fn find<'a>(nodes: &'a [NodeFacts], wanted: &str) -> Result<&'a NodeFacts, String> {
    let lower = wanted.to_lowercase();
    let ids = |node: &NodeFacts| format!("{:04x}:{:04x}", node.identity.vendor, node.identity.product);
    let means = |node: &&NodeFacts| {
        node.path == wanted || ids(node) == lower || node.identity.name.to_lowercase().contains(&lower)
    };
    let found: Vec<&NodeFacts> = nodes.iter().filter(means).collect();
    let list = |nodes: &[&NodeFacts]| {
        let all = nodes.iter().map(|node| format!("{} ({}, {})", node.path, ids(node), node.identity.name));
        all.collect::<Vec<_>>().join(", ")
    };
    match found.as_slice() {
        [one] => Ok(one),
        [] if nodes.is_empty() => Err(format!("no device matches {wanted:?}: none is connected")),
        [] => Err(format!("no device matches {wanted:?}; there are: {}", list(&nodes.iter().collect::<Vec<_>>()))),
        several => Err(format!("{wanted:?} could be any of: {}", list(several))),
    }
}

fn header(args: &RecordArgs, node: &NodeFacts) -> Header {
    let identity = &node.identity;
    Header {
        name: identity.name.clone(),
        bus: identity.bus.0,
        vendor: identity.vendor,
        product: identity.product,
        descriptor: node.descriptor.clone(),
        phys: args.serial.then(|| identity.phys.clone()),
        serial: args.serial.then(|| identity.uniq.clone()).filter(|serial| !serial.is_empty()),
    }
}

/// The file that follows a full one: `NAME.1`, `NAME.2`, and so on.
fn numbered(path: &Path, number: u32) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(format!(".{number}"));
    name.into()
}

fn begin(args: &RecordArgs, node: &NodeFacts, path: &Path) -> io::Result<Writer<BufWriter<File>>> {
    // An existing file may be somebody's only recording, so it is never overwritten.
    let file = File::options().write(true).create_new(true).open(path)?;
    Writer::new(BufWriter::new(file), &header(args, node), args.most << 20)
}

/// What wakes a device by its best sheet, checksums filled in: many devices send nothing before.
fn steps(node: &NodeFacts) -> Arc<[StartUpStep]> {
    let (sheets, _) = crate::home::sheets(mantle_files::config_directory().as_deref());
    let sealed = |sheet: &Sheet| -> Arc<[StartUpStep]> {
        let one = |step: &StartUpStep| StartUpStep { act: step.act.clone().sealed(&sheet.checks), ..step.clone() };
        sheet.start_up.iter().map(one).collect()
    };
    Sheet::best_of(&sheets, &node.identity).map_or_else(|| [].into(), sealed)
}

fn record(args: &RecordArgs, node: &NodeFacts, listener: &mut Listener) -> io::Result<u64> {
    let mut writer = begin(args, node, &args.file)?;
    let until = args.seconds.map(|seconds| mantle_linux::now().after(Micros((seconds.clamp(0.0, 1e9) * 1e6) as u64)));
    let (mut count, mut files) = (0, 0);
    let mut start = StartUp::new(steps(node), mantle_linux::now());
    let mut said = None;
    loop {
        while let Some(act) = start.poll(mantle_linux::now()) {
            let sent = listener.act(&act);
            start.handle_sent(mantle_linux::now(), sent);
        }
        if start.fault() != said.as_deref() {
            said = start.fault().map(str::to_owned);
            said.iter().for_each(|why| say_error!("{} does not start up: {why}", node.identity.name));
        }
        let (at, bytes) = match listener.next([until, start.deadline()].into_iter().flatten().min())? {
            Heard::Report(at, bytes) => (at, bytes),
            Heard::Time if until.is_none_or(|until| mantle_linux::now() < until) => continue,
            Heard::Time | Heard::End => break,
        };
        start.handle_report(at, bytes);
        if !writer.report(at, bytes)? {
            if !args.rotate {
                writer.remark("ended", "the file is full")?;
                say_error!(
                    "The file is full ({} MiB); --most allows more, --rotate continues in another file.",
                    args.most
                );
                break;
            }
            files += 1;
            writer.remark("continued", &numbered(&args.file, files).display().to_string())?;
            writer.finish()?;
            writer = begin(args, node, &numbered(&args.file, files))?;
            writer.report(at, bytes)?;
        }
        count += 1;
    }
    writer.finish()?.flush()?;
    Ok(count)
}
