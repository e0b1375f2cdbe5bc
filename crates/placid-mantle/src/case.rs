//! `case`: a table in one file, for somebody who helps from afar; and such a file as a table.

use crate::asking::{self, Asked};
use crate::case_args::CaseArgs;
use crate::case_file::{free, whole, write};
use crate::exit::{Exit, refuse};
use crate::frames::FramePrinter;
use crate::say::{say, say_error};
use crate::screen::Opening;
use crate::sentences::SentenceWatch;
use mantle_core::device::NodeId;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_files::bounded::read_text;
use mantle_files::case::{CASE_BYTES, Case, ENDING, Private, answer};
use mantle_files::{save_new, typed_path};
use mantle_sim::{CaseFiles, CaseWorld};
use mantle_talk::{CaseEvent, GOES_IN, Header, STAYS_OUT, Watch, Wish};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How soon it is noticed that somebody has had enough.
const GLANCE: Duration = Duration::from_millis(100);

/// Writes a case, or opens one.
pub fn run(args: &CaseArgs) -> Exit {
    match (&args.open, &args.file) {
        (Some(file), _) => open(args, file).unwrap_or_else(refuse),
        (None, Some(file)) => make(args, file).unwrap_or_else(|exit| exit),
        // The command line asks for one of them.
        (None, None) => Exit::Failed,
    }
}

fn make(args: &CaseArgs, file: &Path) -> Result<Exit, Exit> {
    let path = with_ending(file);
    if path.exists() {
        return Err(refuse(format!("{} exists already: choose another name", path.display())));
    }
    let asked = Asked::engine()?;
    let devices = asked.wait(|snapshot| Some(snapshot.devices.clone()))?;
    let chosen = args.devices.iter().map(|name| asking::find(&devices, name).map(|device| device.id));
    let chosen: BTreeSet<_> = chosen.collect::<Result<_, _>>()?;
    let rows = devices.iter().filter(|device| chosen.contains(&device.id));
    let chosen_names: Vec<String> = rows.clone().map(|device| device.name.clone()).collect();
    let nodes: BTreeSet<NodeId> = rows.map(|device| device.node).collect();
    let private = Private { serials: args.serials, names: args.names, features: args.features };
    say!("A case file explains your table to somebody far away. This goes in:");
    GOES_IN.iter().for_each(|words| say!("  {words}"));
    if !chosen_names.is_empty() {
        say!("  (reports only of: {})", chosen_names.join(", "));
    }
    let asked_for = [args.serials, args.names, args.features, args.keyboards];
    let out: Vec<&str> =
        STAYS_OUT.into_iter().zip(asked_for).filter(|(_, asked)| !asked).map(|(words, _)| words).collect();
    if !out.is_empty() {
        say!("This stays out:");
        out.iter().for_each(|words| say!("  {words}"));
    }
    // From now on its reports are kept, if they were not before.
    let watch = Watch { keyboards: args.keyboards, reports: true, ..Watch::default() };
    asked.answered(Wish::Watch(watch))?.map_err(refuse)?;
    watch_for(args.seconds, &asked)?;
    let pieces = asked.case(args.keyboards)?;
    let mut case = whole(pieces, private).map_err(refuse)?;
    if !nodes.is_empty() {
        case.reports.retain(|own| nodes.contains(&own.node));
        case.left_out.push("reports of other devices".into());
    }
    write(&path, &case).map_err(refuse)?;
    say!("Written: {} ({} devices, {:.0} s).", path.display(), devices_in(&case), case.span as f64 / 1e6);
    for words in &case.left_out {
        say!("  left out: {words}");
    }
    say!("Whoever helps opens it by  placid-mantle case --open {}", path.display());
    Ok(Exit::Fine)
}

/// Lets the reports of so many seconds come, or of fewer once somebody has had enough.
fn watch_for(seconds: u64, asked: &Asked) -> Result<(), Exit> {
    if seconds == 0 {
        return Ok(());
    }
    let enough = Arc::new(AtomicBool::new(false));
    let can_be_ended = signal_hook::flag::register(signal_hook::consts::SIGINT, enough.clone()).is_ok();
    let ended_by = if can_be_ended { "Ctrl+C when you have done it" } else { "--for 0 does not wait" };
    say!("Now do what does not work: {seconds} s are taken down ({ended_by}).");
    let until = Instant::now() + Duration::from_secs(seconds);
    while !enough.load(Ordering::Relaxed) && Instant::now() < until {
        asked.wait_until(until.min(Instant::now() + GLANCE), |_| None::<()>)?;
    }
    Ok(())
}

fn with_ending(file: &Path) -> PathBuf {
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    if name.ends_with(ENDING) { file.to_owned() } else { file.with_file_name(format!("{name}{ENDING}")) }
}

fn devices_in(case: &Case) -> usize {
    let nodes = case.event.iter().filter_map(|timed| match &timed.event {
        CaseEvent::Arrived { facts } => Some((facts.phys.split("/input").next().unwrap_or_default(), &facts.name)),
        _ => None,
    });
    nodes.collect::<BTreeSet<_>>().len()
}

fn open(args: &CaseArgs, file: &Path) -> Result<Exit, String> {
    let shown = file.display().to_string();
    let text = read_text(file, CASE_BYTES as u64).map_err(|error| format!("{shown}: {error}"))?;
    let case = Case::parse(&shown, &text).map_err(|fault| fault.to_string())?;
    if args.headless {
        let mut world = CaseWorld::new(&case, None).map_err(|why| format!("{shown}: {why}"))?;
        let mut table = Table::new(world.settings());
        let mut printer = FramePrinter::new(std::io::stdout().lock());
        mantle_engine::run(&mut world, &mut table, &mut printer);
        let exit = printer.finish();
        say_both(&case, &table);
        return Ok(exit);
    }
    let first = case.said.first().cloned().unwrap_or_default();
    let title = format!("Case: {}", case.title);
    let header =
        Header { title, demo: true, replay: true, warning: Some(format!("Owner's: {first}")), ..Header::default() };
    let mut files: Option<CaseFiles> = None;
    let exit = crate::screen::run(args.screen, header, None, Opening::Plain, || {
        let (give, orders) = mantle_engine::orders(|| {});
        let world = CaseWorld::new(&case, Some(orders)).map_err(|why| format!("{shown}: {why}"))?;
        files = Some(world.files_now());
        let table = Table::new(world.settings());
        Ok((world, table, give))
    });
    if let Some(files) = files {
        send_back(file, &files)?;
    }
    Ok(exit)
}

/// Prints what the owner's table said, and what it says here.
fn say_both(case: &Case, table: &Table) {
    let here = SentenceWatch::default().look(Micros(case.span), table, None).unwrap_or_default();
    let here: Vec<String> = here.into_iter().map(|own| own.text).collect();
    for words in &case.said {
        say!("owner: {words}");
    }
    if here != case.said {
        here.iter().for_each(|words| say!("here:  {words}"));
    }
    for words in &case.left_out {
        say!("left out: {words}");
    }
}

/// Packs what was changed, beside the case.
fn send_back(file: &Path, files: &CaseFiles) -> Result<(), String> {
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let stem = name.strip_suffix(ENDING).unwrap_or(&name);
    let (pack, refused) = answer(&files.before(), &files.now(), &format!("An answer to {name}"));
    refused.iter().for_each(|why| say_error!("placid-mantle: {why}"));
    let Some(pack) = pack else { return Ok(()) };
    let directory = file.parent().filter(|own| !own.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let path = free(&typed_path(&directory.display().to_string()), &format!("{stem}.answer"), ".pack.toml")?;
    save_new(&path, pack.to_text().as_bytes()).map_err(|error| format!("{}: {error}", path.display()))?;
    let names: Vec<&str> = pack.files.iter().map(|file| file.name.as_str()).collect();
    say!("You changed {}: packed into {}.", names.join(", "), path.display());
    say!(
        "Send it back. Its owner previews it, and takes it over, by  placid-mantle unpack {} --take-over",
        path.display()
    );
    Ok(())
}
