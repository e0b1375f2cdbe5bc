//! `settings`: lists and changes the general settings.

use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_files::settings;
use std::path::Path;

/// Lists all settings, prints one, or sets one.
pub fn run(key: Option<&str>, value: Option<&str>) -> Exit {
    let Some(path) = mantle_files::config_directory().map(|own| own.join(settings::FILE)) else {
        return refuse("there is no home directory for settings");
    };
    match (key, value) {
        (Some(key), Some(value)) => put(&path, key, value),
        (key, _) => list(&path, key),
    }
}

fn list(path: &Path, wanted: Option<&str>) -> Exit {
    let (own, faults) = settings::open(path);
    let all = settings::all(&own);
    let own: Vec<&(String, String)> = all.iter().filter(|(key, _)| wanted.is_none_or(|wanted| key == wanted)).collect();
    for (key, value) in &own {
        match wanted {
            Some(_) => say!("{value}"),
            None => say!("{key} = {value}"),
        }
    }
    faults.iter().for_each(|fault| say_error!("placid-mantle: {fault}"));
    match (own.is_empty(), faults.is_empty()) {
        (true, _) => {
            say_error!(
                "placid-mantle: there is no setting {}; without a key, all are listed",
                wanted.unwrap_or_default()
            );
            Exit::Usage
        }
        (_, true) => Exit::Fine,
        (_, false) => Exit::Failed,
    }
}

fn put(path: &Path, key: &str, value: &str) -> Exit {
    let shown = path.display().to_string();
    let before = match mantle_files::bounded::read_if_there(path, mantle_files::bounded::SETTINGS_BYTES) {
        Ok(text) => text.unwrap_or_default(),
        Err(error) => return refuse(format!("{shown}: {error}")),
    };
    let text = match settings::put(&shown, &before, key, value) {
        Ok(text) => text,
        Err(why) => return refuse(why),
    };
    let made = path.parent().map_or(Ok(()), std::fs::create_dir_all);
    match made.and_then(|()| mantle_files::save(path, text.as_bytes())) {
        Ok(()) => {
            say!("{key} is set in {shown}; a running engine applies it at once.");
            Exit::Fine
        }
        Err(error) => refuse(format!("{shown} cannot be written: {error}; nothing is changed")),
    }
}
