//! `pack` and `unpack`: shares files, or a whole table, as one file.

use crate::asking::Asked;
use crate::exit::{Exit, refuse};
use crate::pack_args::{PackArgs, UnpackArgs};
use crate::say::{say, say_error};
use mantle_files::pack::table::{self, Becomes, carry_out};
use mantle_files::pack::{ENDING, Kind, PACK_BYTES, Pack, Packed};
use mantle_talk::{Watch, Wish};
use std::fs::File;
use std::io::{BufRead, Read, Write};
use std::path::{Path, PathBuf};

/// `pack`.
pub fn pack(args: &PackArgs) -> Exit {
    match make(args) {
        Ok(()) => Exit::Fine,
        Err(why) => refuse(why),
    }
}

fn make(args: &PackArgs) -> Result<(), String> {
    let mut pack = if args.table {
        let own = mantle_files::config_directory().ok_or("there is no home directory with a table")?;
        Pack::of_table(&own, &args.about)?
    } else {
        Pack { about: args.about.clone(), ..Pack::default() }
    };
    pack.files.iter().flat_map(Packed::faults).for_each(|fault| say_error!("placid-mantle: {fault}"));
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
    let Some(file) = args.pack.as_ref().filter(|_| !args.undo) else { return undo() };
    let shown = file.display().to_string();
    let pack = Pack::parse(&shown, &read(file)?).map_err(|fault| fault.to_string())?;
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
    if args.take_over && !pack.answer {
        return Err("this pack answers no case: --use adds its files to your own".into());
    }
    if pack.answer && args.to_use {
        return Err("this pack answers a case of yours: --take-over replaces what was changed in it".into());
    }
    if args.table || args.take_over {
        return use_table(&pack, args);
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

/// Makes a packed table, or what was changed of it, this machine's, after printing what that changes.
fn use_table(pack: &Pack, args: &UnpackArgs) -> Result<Exit, String> {
    if !pack.is_table() && !pack.answer {
        return Err("this pack is no table: --use alone adds its files to your own".into());
    }
    let (directory, kept) = own_directories()?;
    let plan = pack.plan(&directory)?;
    let changes: Vec<_> = plan.iter().filter(|one| one.becomes != Becomes::Same).collect();
    for planned in &changes {
        let word = if planned.becomes == Becomes::New { "new" } else { "changed" };
        say!("{word:8} {}", directory.join(&planned.place).display());
    }
    if changes.is_empty() {
        say!("Nothing changes: this machine has {} already.", if pack.answer { "all of that" } else { "that table" });
        return Ok(Exit::Fine);
    }
    if pack.is_table() {
        no_engine()?;
    }
    if args.take_over && !args.yes && !agreed("Take this over?")? {
        say!("Nothing was changed.");
        return Ok(Exit::Fine);
    }
    for kept in carry_out(&plan, &directory, &kept)? {
        say!("replaced, and kept as {}", kept.display());
    }
    say!("{} changed. Nothing types before you allow it in the Bindings view.", count(changes.len()));
    say!("placid-mantle unpack --undo  brings back what was there.");
    Ok(Exit::Fine)
}

/// The person's own files, and the directory for what is replaced.
fn own_directories() -> Result<(PathBuf, PathBuf), String> {
    let directory = mantle_files::config_directory().ok_or("there is no home directory for it")?;
    let state = mantle_files::state_directory().ok_or("there is no home directory for it")?;
    Ok((directory, state.join("replaced")))
}

/// A running engine would overwrite the slots file with its own slots.
fn no_engine() -> Result<(), String> {
    match mantle_link::Place::of_this_account().ok().and_then(|place| place.holder()) {
        Some(holder) => Err(format!(
            "an engine is running ({holder}) and would write its own table: placid-mantle stop, then again"
        )),
        None => Ok(()),
    }
}

/// Asks, and waits for the answer.
fn agreed(question: &str) -> Result<bool, String> {
    let mut out = std::io::stderr();
    let said = |error: std::io::Error| format!("the question cannot be asked: {error}");
    out.write_all(format!("{question} [y/N] ").as_bytes()).and_then(|()| out.flush()).map_err(said)?;
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line).map_err(said)?;
    Ok(matches!(line.trim(), "y" | "Y" | "yes"))
}

/// Brings back what was replaced last.
fn undo() -> Result<Exit, String> {
    let (directory, kept) = own_directories()?;
    if table::undoes_slots(&kept) {
        no_engine()?;
    }
    let [back, gone] = table::undo(&directory, &kept)?;
    back.iter().for_each(|path| say!("back     {}", path.display()));
    gone.iter().for_each(|path| say!("removed  {}", path.display()));
    if back.is_empty() && gone.is_empty() {
        say!("There is nothing to undo.");
    }
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
