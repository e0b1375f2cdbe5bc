//! `profile`: manages profiles.

use crate::exit::{Exit, refuse};
use crate::profile_args::{FeelStep, ProfileVerb};
use crate::say::{say, say_error};
use mantle_core::binding::{Change, ProfileAct, TEMPLATES, Target};
use mantle_core::feel::{Knob, Shaped};
use mantle_files::profile::{From, Keeper, ProfileStore, read_directory};
use std::path::Path;

/// Carries out a `profile` verb.
pub fn run(act: &ProfileVerb) -> Exit {
    let (Some(config), Some(state)) = (mantle_files::config_directory(), mantle_files::state_directory()) else {
        return refuse("there is no home directory for profiles");
    };
    let keeper = Keeper { profiles: config.join("profiles"), past: state.join("profiles") };
    let shelf = ProfileStore { keeper };
    match done(&shelf, &config, act) {
        Ok(()) => Exit::Fine,
        Err(why) => refuse(why),
    }
}

fn done(shelf: &ProfileStore, config: &Path, act: &ProfileVerb) -> Result<(), String> {
    match act {
        ProfileVerb::List => {
            let (profiles, faults) = read_directory(&shelf.keeper.profiles);
            for profile in &profiles {
                let (bindings, layers) = (profile.rules.len(), profile.layers.len());
                let kinds = match profile.kinds().as_slice() {
                    [one] => format!("for {one}  "),
                    _ => String::new(),
                };
                say!("{:20} {bindings:3} bindings, {layers} layers  {kinds}{}", profile.name, profile.origin);
            }
            for fault in faults {
                say_error!("placid-mantle: {fault}");
            }
            if profiles.is_empty() {
                say!("There are none in {} yet.", shelf.keeper.profiles.display());
            }
        }
        ProfileVerb::New { name, like } => {
            say!("{name} is created: {}", shelf.make(name, From::Template(like))?.display());
        }
        ProfileVerb::Templates => TEMPLATES.iter().for_each(|one| say!("{:14} {}", one.name, one.what)),
        ProfileVerb::Targets => Target::all().for_each(|target| say!("{}", target.name())),
        ProfileVerb::Import { file, name } => import(shelf, file, name.as_deref())?,
        ProfileVerb::FromMapping { line, name, on } => {
            let (changes, left) = mantle_files::mapping::read(line, &crate::draw::part(on)?)?;
            let path = shelf.make(name, From::Nothing)?;
            shelf.keeper.act(name, &path.display().to_string(), &ProfileAct::Change(changes))?;
            say!("{name} is created: {}", path.display());
            left.iter().for_each(|why| say!("skipped: {why}"));
        }
        ProfileVerb::Export { name, file } => {
            say!("{name} is also in {}.", shelf.export(name, file)?.display());
        }
        ProfileVerb::Feel { name, which, setting, step } => feel(shelf, name, which, setting, *step)?,
        ProfileVerb::Back { name } => turn(shelf, name, &ProfileAct::Back)?,
        ProfileVerb::Again { name } => turn(shelf, name, &ProfileAct::Again)?,
        ProfileVerb::Copy { from, to } => {
            say!("{to} is created: {}", shelf.make(to, From::Profile(from))?.display());
        }
        ProfileVerb::Rename { from, to } => {
            shelf.rename(from, to)?;
            let moved = follow(config, from, to)?;
            say!("{from} is now called {to}{}.", if moved { ", in the slots file too" } else { "" });
        }
        ProfileVerb::Delete { name } => {
            let path = shelf.delete(name)?;
            say!(
                "{name} is deleted; it is now in {}. Slots that play by it play the default bindings.",
                path.display()
            );
        }
        ProfileVerb::Compare { one, other } => {
            let lines = shelf.compare(one, other)?;
            say!("{one} | {other}");
            let shown = |text: &str| if text.is_empty() { "–".to_owned() } else { text.to_owned() };
            for line in &lines {
                say!("{}: {} | {}", line.what, shown(&line.one), shown(&line.other));
            }
            if lines.is_empty() {
                say!("They play and feel the same.");
            }
        }
    }
    Ok(())
}

/// Imports a profile, and says what it would type.
fn import(shelf: &ProfileStore, file: &Path, name: Option<&str>) -> Result<(), String> {
    let shown = file.display().to_string();
    let text = mantle_files::bounded::read_text(file, mantle_files::bounded::PROFILE_BYTES)
        .map_err(|error| format!("{shown}: {error}"))?;
    let read = mantle_files::profile::read(&shown, &text);
    read.faults.iter().for_each(|fault| say_error!("placid-mantle: {fault}"));
    let profile = read.profile.ok_or_else(|| format!("{shown} is not a profile"))?;
    let name = name.unwrap_or(&profile.name);
    let made = shelf
        .make(name, From::Text(&text, &shown))
        .map_err(|why| format!("{why} (--as imports it under another name)"))?;
    say!("{name} is imported: {}", made.display());
    let strokes: Vec<&str> =
        profile.strokes().into_iter().filter(|stroke| stroke.types()).map(|stroke| stroke.name()).collect();
    if !strokes.is_empty() {
        say!("It wants to type {}. Nothing is typed until you allow it in the Bindings view.", strokes.join(", "));
    }
    Ok(())
}

/// Steps a setting of the feel.
fn feel(shelf: &ProfileStore, name: &str, which: &str, setting: &str, step: FeelStep) -> Result<(), String> {
    let profile = shelf.find(name)?;
    let shaped = Shaped::all().find(|shaped| shaped.name().eq_ignore_ascii_case(which.trim()));
    let names: Vec<&str> = Shaped::all().map(Shaped::name).collect();
    let shaped = shaped.ok_or_else(|| format!("there is no {which}; there are {}", names.join(", ")))?;
    let shape = profile.feel.of(shaped);
    let knobs = Knob::of(shaped, shape);
    let known: Vec<String> = knobs.iter().map(|knob| knob.name()).collect();
    let knob = knobs.into_iter().find(|knob| knob.name().eq_ignore_ascii_case(setting.trim()));
    let knob = knob.ok_or_else(|| format!("the {} has no {setting}; there are {}", shaped.name(), known.join(", ")))?;
    let change = match step {
        FeelStep::More => knob.step(shape, true),
        FeelStep::Less => knob.step(shape, false),
        FeelStep::Usual => knob.usual(shaped, shape),
    };
    let act = ProfileAct::Change(vec![Change::Feel(shaped, change)]);
    let after = shelf.keeper.act(name, &profile.origin, &act)?;
    say!("{}: {} of the {}", knob.value(after.feel.of(shaped)), knob.name(), shaped.name());
    Ok(())
}

/// Undoes or redoes the last change.
fn turn(shelf: &ProfileStore, name: &str, act: &ProfileAct) -> Result<(), String> {
    let origin = shelf.find(name)?.origin;
    shelf.keeper.act(name, &origin, act)?;
    say!("{name} is {}.", if *act == ProfileAct::Back { "as it was before" } else { "as it was before that" });
    Ok(())
}

/// Updates slots that use a renamed profile. Returns whether there are any.
fn follow(config: &Path, from: &str, to: &str) -> Result<bool, String> {
    let path = config.join(mantle_files::slots::FILE);
    let shown = path.display().to_string();
    let Ok(text) = mantle_files::bounded::read_text(&path, mantle_files::bounded::PROFILE_BYTES) else {
        return Ok(false);
    };
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
