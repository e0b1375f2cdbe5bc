//! `card` and `curves`: drawn from a profile and a device, without an engine.

use crate::args::DrawArgs;
use crate::exit::{Exit, refuse};
use crate::paper::Subject;
use crate::say::{say, say_error};
use mantle_core::command::{Answer, Command, CommandNumber};
use mantle_core::control::PartLayout;
use mantle_core::device::{DeviceId, Driver, NodeFacts, NodeId, NodeKind};
use mantle_core::pad::PadKind;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{PLAIN, Profile, Settings, Table};
use mantle_core::time::Micros;
use mantle_files::recording::Recording;
use mantle_files::shipped;
use mantle_sim::{Pace, Playing, RecordedWorld, SimDevice};
use mantle_talk::Paper;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Draws a profile on a device.
pub fn run(args: &DrawArgs, what: Paper) -> Exit {
    let drawn = subject(args).and_then(|subject| {
        let directory = args.into.clone().unwrap_or_else(|| PathBuf::from("."));
        subject.write(what, &directory)
    });
    match drawn {
        Ok(files) => {
            files.iter().for_each(|path| say!("{}", path.display()));
            Exit::Fine
        }
        Err(why) => refuse(why),
    }
}

/// A table with that device and profile says what plays what.
fn subject(args: &DrawArgs) -> Result<Subject, String> {
    let home = crate::home::open();
    for fault in &home.profile_faults {
        say_error!("placid-mantle: {fault}");
    }
    let profile = profile(&args.profile, &home.profiles)?;
    let facts = device(&args.on)?;
    let settings = Settings {
        profiles: vec![profile.clone()],
        sheets: home.sheets,
        remembered: mantle_core::slot::Remembered { calibrated: home.remembered.calibrated, ..Default::default() },
        cover: false,
        ..Settings::default()
    };
    let mut table = Table::new(settings);
    let now = Micros(1);
    for facts in facts {
        table.handle_arrived(now, facts);
    }
    let slot = SlotNumber::from_index(0).ok_or("no slot")?;
    let part = table.devices().next().and_then(|device| Some((device.id, device.parts.first()?.number)));
    let (device, part) = part.ok_or_else(|| format!("{} has no controls", args.on))?;
    let layout = table.device(device).and_then(|device| table.source(*device.sources.first()?));
    let layout = layout.and_then(|source| source.layout()?.parts.first().cloned());
    let kind = kind(&profile, layout.as_ref());
    // No pad is made here, so the one that the table waits for counts as made.
    table.handle_pad(now, slot, Ok(String::new().into()));
    place(&mut table, now, (device, part), kind, &profile.name)?;
    let entry = table.slot(slot).ok_or("the device could not be placed")?;
    let detail = mantle_engine::slot_detail(now, &table, slot, entry);
    Ok(Subject { profile: profile.name.clone(), detail })
}

/// The first part of the device that is meant.
pub fn part(wanted: &str) -> Result<PartLayout, String> {
    let mut table = Table::new(Settings { sheets: crate::home::open().sheets, ..Settings::default() });
    for facts in device(wanted)? {
        table.handle_arrived(Micros(1), facts);
    }
    let source = table.devices().next().and_then(|device| table.source(*device.sources.first()?));
    let layout = source.and_then(|source| source.layout());
    let part = layout.and_then(|layout| layout.parts.first().cloned());
    part.ok_or_else(|| format!("{wanted} has no controls"))
}

/// The kind of pad that a profile is for; the common pad if the profile allows it.
fn kind(profile: &Profile, part: Option<&PartLayout>) -> PadKind {
    let kinds = profile.kinds();
    let offers = part.map(|part| mantle_core::binding::offered(part).0).unwrap_or_default();
    offers.into_iter().find(|kind| kinds.contains(&kind.name())).unwrap_or_default()
}

fn place(
    table: &mut Table,
    now: Micros,
    (device, part): (DeviceId, u8),
    kind: PadKind,
    profile: &str,
) -> Result<(), String> {
    let slot = SlotNumber::from_index(0).ok_or("no slot")?;
    let command = Command::Place { device, part, slot, kind, profile: profile.into() };
    table.handle_command(now, CommandNumber(1), command);
    match table.poll_answer() {
        Some((_, Answer::Refused { why })) => Err(why),
        _ => Ok(()),
    }
}

/// A profile by name, or from a file.
fn profile(wanted: &str, known: &[Arc<Profile>]) -> Result<Arc<Profile>, String> {
    if wanted == PLAIN {
        return Ok(Arc::new(Profile::plain(PLAIN, Default::default())));
    }
    if let Some(profile) = known.iter().find(|profile| profile.name == wanted) {
        return Ok(profile.clone());
    }
    let path = Path::new(wanted);
    if path.is_file() {
        let text = mantle_files::bounded::read_text(path, mantle_files::bounded::SHEET_BYTES)
            .map_err(|error| format!("{wanted}: {error}"))?;
        let read = mantle_files::profile::read(wanted, &text);
        read.faults.iter().for_each(|fault| say_error!("placid-mantle: {fault}"));
        return read.profile.map(Arc::new).ok_or_else(|| format!("{wanted} is not a profile"));
    }
    if let Some(profile) = shipped::profile(wanted) {
        return Ok(Arc::new(profile));
    }
    let own = known.iter().map(|profile| profile.name.clone());
    let names: Vec<String> = std::iter::once(PLAIN.to_owned()).chain(own).chain(shipped::profile_names()).collect();
    Err(format!("{wanted} is neither a profile nor a file; there are {}", names.join(", ")))
}

/// A connected device, a recording of one, or one of the demo's.
fn device(wanted: &str) -> Result<Vec<NodeFacts>, String> {
    if Path::new(wanted).is_file() {
        let recording: Recording = crate::recording_file::load(Path::new(wanted))?;
        let playing = Playing { pace: Pace::Virtual { until: Micros(0) }, speed: 1.0, looped: false, paused: true };
        let world = RecordedWorld::new(&recording, playing, None).map_err(|why| format!("{wanted}: {why}"))?;
        return Ok(world.nodes());
    }
    let demo = shipped::device_names().into_iter().find(|name| name == wanted);
    if let Some(name) = demo {
        let file = shipped::device(&name).map_err(|fault| fault.to_string())?;
        let device = SimDevice::new(&name, &file, "1-1", None).map_err(|fault| fault.to_string())?;
        let node = |interface: usize| NodeFacts {
            id: NodeId(interface as u16),
            path: format!("demo/{name}/{interface}"),
            identity: device.identity_of(interface),
            kind: NodeKind::Reports,
            driver: Driver::Generic,
            descriptor: device.interfaces[interface].bytes.clone(),
            inputs: Vec::new(),
            driven: Default::default(),
            connection: Default::default(),
            sysfs: String::new(),
        };
        return Ok((0..device.interfaces.len()).map(node).collect());
    }
    let nodes = mantle_linux::scan::nodes(Path::new("/sys"));
    let found = crate::record::find(&nodes, wanted);
    found.map(|node| vec![node.clone()]).map_err(|why| {
        format!("{why}; a recording works too, or one of the demo's devices: {}", shipped::device_names().join(", "))
    })
}
