//! `pack` and `unpack`: shares files, or a whole table, as one file.

use crate::args::{PackArgs, UnpackArgs};
use crate::asking::Asked;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_files::pack::table::{Becomes, carry_out};
use mantle_files::pack::{ENDING, Kind, PACK_BYTES, Pack, Packed};
use mantle_talk::{Watch, Wish};
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;

/// `pack`.
pub fn pack(args: &PackArgs) -> Exit {
    match make(args) {
        Ok(()) => Exit::Fine,
        Err(why) => refuse(why),
    }
}

fn make(args: &PackArgs) -> Result<(), String> {
    let mut pack = Pack { about: args.about.clone(), files: Vec::new() };
    if args.table {
        let own = mantle_files::config_directory().ok_or("there is no home directory with a table")?;
        pack = Pack::of_table(&own, &args.about)?;
        pack.files.iter().flat_map(Packed::faults).for_each(|fault| say_error!("placid-mantle: {fault}"));
    }
    for path in &args.files {
        let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let packed = Packed::new(name, &read(path)?).and_then(|packed| {
            for fault in packed.faults() {
                say_error!("placid-mantle: {fault}");
            }
            pack.add(packed)
        });
        packed.map_err(|why| format!("{}: {why}", path.display()))?;
    }
    let shown = args.pack.display();
    let text = pack.to_text();
    // Read back the way its receiver will read it.
    Pack::parse(&shown.to_string(), &text).map_err(|fault| fault.to_string())?;
    let mut out = File::options().write(true).create_new(true).open(&args.pack).map_err(|e| format!("{shown}: {e}"))?;
    out.write_all(text.as_bytes()).and_then(|()| out.sync_all()).map_err(|error| format!("{shown}: {error}"))?;
    say!("{} packed into {shown}.", count(pack.files.len()));
    if !shown.to_string().ends_with(ENDING) {
        say!("Such files usually end in .{ENDING}.");
    }
    Ok(())
}

/// `unpack`.
pub fn unpack(args: &UnpackArgs) -> Exit {
    match take_out(args) {
        Ok(exit) => exit,
        Err(why) => refuse(why),
    }
}

fn take_out(args: &UnpackArgs) -> Result<Exit, String> {
    let shown = args.pack.display().to_string();
    let pack = Pack::parse(&shown, &read(&args.pack)?).map_err(|fault| fault.to_string())?;
    for line in pack.about.lines() {
        say!("  {line}");
    }
    for file in &pack.files {
        say!("{:8} {}  {} bytes", file.kind.word(), file.name, file.text.len());
        for fault in file.faults() {
            say!("         {fault}");
        }
    }
    let does: Vec<String> = pack.files.iter().flat_map(Packed::does).collect();
    if !does.is_empty() {
        say!("When used, it would do this:");
        for line in &does {
            say!("  {line}");
        }
    }
    if args.table {
        return use_table(&pack);
    }
    if pack.is_table() && args.to_use {
        return Err("this pack is a whole table: --use --table makes it this machine's".into());
    }
    let directory = match (&args.into, args.to_use) {
        (Some(directory), _) => directory.clone(),
        (None, true) => mantle_files::config_directory().ok_or("there is no home directory for it")?,
        (None, false) => {
            say!("Nothing was extracted: --into DIRECTORY extracts it to look at, --use adds it to your own files.");
            return Ok(Exit::Fine);
        }
    };
    let written = pack.unpack(&directory).map_err(|error| format!("{error}; nothing was extracted"))?;
    for path in &written {
        say!("written: {}", path.display());
    }
    if args.to_use {
        say_fitting(&pack);
    }
    Ok(Exit::Fine)
}

/// Makes a packed table this machine's, after printing what that changes.
fn use_table(pack: &Pack) -> Result<Exit, String> {
    if !pack.is_table() {
        return Err("this pack is no table: --use alone adds its files to your own".into());
    }
    let directory = mantle_files::config_directory().ok_or("there is no home directory for it")?;
    let state = mantle_files::state_directory().ok_or("there is no home directory for it")?;
    let plan = pack.plan(&directory)?;
    let changes = plan.iter().filter(|one| one.becomes != Becomes::Same).count();
    for planned in plan.iter().filter(|one| one.becomes != Becomes::Same) {
        let word = if planned.becomes == Becomes::New { "new" } else { "changed" };
        say!("{word:8} {}", directory.join(&planned.place).display());
    }
    if changes == 0 {
        say!("Nothing changes: this machine has that table already.");
        return Ok(Exit::Fine);
    }
    // A running engine would overwrite the file with its own slots.
    if let Some(holder) = mantle_link::Place::of_this_account().ok().and_then(|place| place.holder()) {
        return Err(format!(
            "an engine is running ({holder}) and would write its own table: placid-mantle stop, then again"
        ));
    }
    for kept in carry_out(&plan, &directory, &state.join("replaced"))? {
        say!("replaced, and kept as {}", kept.display());
    }
    say!("{} changed. Nothing types before you allow it in the Bindings view.", count(changes));
    Ok(Exit::Fine)
}

/// Prints which connected devices each profile fits, and the command to use it there; only a running engine knows.
fn say_fitting(pack: &Pack) {
    let files = pack.files.iter().filter(|file| file.kind == Kind::Profile);
    let profiles: Vec<_> =
        files.filter_map(|file| mantle_files::profile::read(&file.name, &file.text).profile).collect();
    let Some(asked) = Asked::quietly().filter(|_| !profiles.is_empty()) else { return };
    let Ok(rows) = asked.wait(|snapshot| Some(snapshot.devices.clone())) else { return };
    for row in rows {
        let (slot, device) = (row.slot, Some((row.id, row.part)).filter(|_| row.slot.is_none()));
        asked.order(Wish::Watch(Watch { slot, device, ..Watch::default() }));
        let controls = asked.wait(|snapshot| {
            let own = snapshot.detail.devices().iter().find(|own| (own.id, own.part) == (row.id, row.part))?;
            Some(own.controls.iter().map(|control| control.name.clone()).collect::<Vec<_>>())
        });
        let Ok(controls) = controls else { return };
        for profile in &profiles {
            let mut sources = profile.rules.iter().filter_map(|rule| rule.source.as_ref()).peekable();
            if sources.peek().is_none() || !sources.all(|source| controls.contains(&source.control)) {
                continue;
            }
            let name = &profile.name;
            match slot {
                Some(slot) => {
                    let number = slot.number();
                    say!("{name} fits {} in {slot}: placid-mantle use-profile {number} \"{name}\"", row.name);
                }
                None => say!("{name} fits {}: placid-mantle place \"{}\" --profile \"{name}\"", row.name, row.name),
            }
        }
    }
}

fn count(files: usize) -> String {
    if files == 1 { "1 file".into() } else { format!("{files} files") }
}

/// Reads a text file no larger than a pack may be.
fn read(path: &Path) -> Result<String, String> {
    let said = |error: std::io::Error| format!("{}: {error}", path.display());
    let mut text = String::new();
    File::open(path).map_err(said)?.take(PACK_BYTES as u64 + 1).read_to_string(&mut text).map_err(said)?;
    Ok(text)
}
