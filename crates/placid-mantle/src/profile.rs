//! `profile`: profiles as files.

use crate::args::ProfileVerb;
use crate::exit::{Exit, refuse};
use mantle_files::profile::{Keeper, Shelf, read_directory};
use std::path::Path;

/// Does something with the profiles of this account.
pub fn run(act: &ProfileVerb) -> Exit {
    let (Some(config), Some(state)) = (mantle_files::config_directory(), mantle_files::state_directory()) else {
        return refuse("there is no home directory that profiles could be in");
    };
    let keeper = Keeper { profiles: config.join("profiles"), past: state.join("profiles") };
    let shelf = Shelf { keeper, trash: state.join("trash") };
    match done(&shelf, &config, act) {
        Ok(()) => Exit::Fine,
        Err(why) => refuse(why),
    }
}

fn done(shelf: &Shelf, config: &Path, act: &ProfileVerb) -> Result<(), String> {
    match act {
        ProfileVerb::List => {
            let (profiles, faults) = read_directory(&shelf.keeper.profiles);
            for profile in &profiles {
                let (bindings, layers) = (profile.rules.len(), profile.layers.len());
                println!("{:20} {bindings:3} bindings, {layers} layers  {}", profile.name, profile.origin);
            }
            for fault in faults {
                eprintln!("placid-mantle: {fault}");
            }
            if profiles.is_empty() {
                println!("There are none yet in {}.", shelf.keeper.profiles.display());
            }
        }
        ProfileVerb::New { name } => println!("{name} is made: {}", shelf.make(name, None)?.display()),
        ProfileVerb::Copy { from, to } => println!("{to} is made: {}", shelf.make(to, Some(from))?.display()),
        ProfileVerb::Rename { from, to } => {
            shelf.rename(from, to)?;
            let moved = follow(config, from, to)?;
            println!("{from} is called {to} now{}.", if moved { ", in the slots file too" } else { "" });
        }
        ProfileVerb::Delete { name } => {
            let path = shelf.delete(name)?;
            println!("{name} is thrown away; it lies in {}. Slots that play by it play as guessed.", path.display());
        }
        ProfileVerb::Compare { one, other } => {
            let lines = shelf.compare(one, other)?;
            println!("{one} | {other}");
            lines.iter().for_each(|line| println!("{line}"));
            if lines.is_empty() {
                println!("They play and feel alike.");
            }
        }
    }
    Ok(())
}

/// Slots that play by a profile which has another name now follow it; returns whether there are any.
fn follow(config: &Path, from: &str, to: &str) -> Result<bool, String> {
    let path = config.join("slots.toml");
    let shown = path.display().to_string();
    let Ok(text) = std::fs::read_to_string(&path) else { return Ok(false) };
    let mut remembered = mantle_files::slots::parse(&shown, &text).map_err(|fault| fault.to_string())?;
    let mut moved = false;
    for slot in remembered.slots.iter_mut().filter(|slot| slot.profile == from) {
        slot.profile = to.to_owned();
        moved = true;
    }
    if moved {
        let text = mantle_files::slots::render(&shown, &text, &remembered).map_err(|fault| fault.to_string())?;
        mantle_files::save(&path, text.as_bytes()).map_err(|error| format!("{shown}: {error}"))?;
    }
    Ok(moved)
}
