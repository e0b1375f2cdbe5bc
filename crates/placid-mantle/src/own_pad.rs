//! `pad`: manages pad files.

use crate::exit::{Exit, refuse};
use crate::profile_args::PadVerb;
use crate::say::{say, say_error};
use mantle_core::file_stem;
use mantle_core::pad::{OwnPad, PadStart};
use mantle_files::own_pad::{self, ENDING};
use std::path::Path;

/// Carries out a `pad` verb.
pub fn run(act: &PadVerb) -> Exit {
    let Some(config) = mantle_files::config_directory() else {
        return refuse("there is no home directory for pad files");
    };
    let directory = config.join("pads");
    match act {
        PadVerb::List => list(&directory),
        PadVerb::New { name, like } => new(&directory, name, like),
        PadVerb::Check { file } => check(file),
    }
}

/// A pad in two lines, and what libraries would misread of it.
fn say_pad(pad: &OwnPad, place: &str) {
    say!("{}  {}", pad.name, place);
    say!("    {}, from a {}; {}", pad.has(), pad.like.name(), pad.numbers());
    pad.misread().iter().for_each(|why| say!("    ▲ {why}"));
}

fn list(directory: &Path) -> Exit {
    let (pads, faults) = own_pad::read_directory(directory);
    for pad in &pads {
        say_pad(pad, &format!("{}{ENDING}", pad.file));
    }
    for fault in &faults {
        say_error!("placid-mantle: {fault}");
    }
    if pads.is_empty() && faults.is_empty() {
        say!("There are none in {} yet. placid-mantle pad new NAME creates one.", directory.display());
    }
    Exit::Fine
}

fn new(directory: &Path, name: &str, like: &str) -> Exit {
    let Some((_, start)) = PadStart::ALL.into_iter().find(|(own, _)| *own == like) else {
        let all = PadStart::ALL.map(|(own, _)| format!("{own:?}")).join(" or ");
        return refuse(format!("a pad file starts from {all}, not from {like:?}"));
    };
    let stem = file_stem(name, "pad");
    let path = directory.join(format!("{stem}{ENDING}"));
    let pad = OwnPad { name: name.trim().into(), ..OwnPad::beginning(&stem, start) };
    let text = own_pad::text_of(&pad);
    // A name that could not be read back is not written.
    if let Some(fault) = own_pad::read(&path.display().to_string(), &text).faults.first() {
        return refuse(fault.to_string());
    }
    let made = std::fs::create_dir_all(directory).and_then(|()| mantle_files::save_new(&path, text.as_bytes()));
    match made {
        Ok(()) => {
            say!("{name} is created: {}", path.display());
            say!("It is like a {like} until you edit it; K in the Pad view chooses it.");
            Exit::Fine
        }
        Err(error) => {
            say_error!("placid-mantle: {}: {error}", path.display());
            Exit::Failed
        }
    }
}

fn check(file: &Path) -> Exit {
    let shown = file.display().to_string();
    let text = match mantle_files::bounded::read_text(file, mantle_files::bounded::SHEET_BYTES) {
        Ok(text) => text,
        Err(error) => return refuse(format!("{shown}: {error}")),
    };
    let read = own_pad::read(&shown, &text);
    for fault in &read.faults {
        say_error!("placid-mantle: {fault}");
    }
    let Some(pad) = read.pad else { return Exit::Failed };
    say_pad(&pad, &shown);
    let model = pad.model();
    for target in &model.targets {
        say!("    {:24} {}", model.name_of(*target), model.game_index(*target));
    }
    Exit::Fine
}
