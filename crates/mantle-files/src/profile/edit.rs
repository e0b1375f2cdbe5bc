//! Changes in a profile's text: what the person wrote around it stays as it is.

use crate::fault::FileFault;
use mantle_core::binding::Change;
use mantle_core::pad::Target;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

/// The text of a profile that says nothing yet.
#[must_use]
pub fn new(name: &str) -> String {
    format!("# What plays what, and how it feels. Edits and comments are kept.\nversion = 1\nname = {}\n", value(name))
}

/// The text with changes in it, one after the other.
///
/// # Errors
/// The text is no profile: then it must not be written over.
pub fn change(path: &str, text: &str, changes: &[Change]) -> Result<String, FileFault> {
    let read = super::read(path, text);
    if read.profile.is_none() {
        return Err(read.faults.into_iter().next().unwrap_or_else(|| FileFault::whole(path, "it cannot be read")));
    }
    let mut document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
        FileFault::at(path, text, error.span().map_or(0, |span| span.start), error.message())
    })?;
    for change in changes {
        apply(&mut document, change);
    }
    Ok(document.to_string())
}

fn apply(document: &mut DocumentMut, change: &Change) {
    match change {
        Change::Source { target, layer, source, inverted } => {
            set_source(document, *target, layer, source.as_deref(), *inverted);
        }
        Change::Action(target, name) => set_word(document, "actions", *target, name),
        Change::Prompt(target, words) => set_word(document, "prompts", *target, words),
        Change::DeadZone { sticks, thousandths } => {
            let feel = document["feel"].or_insert(Item::Table(Table::new()));
            if let Some(table) = feel.as_table_like_mut() {
                let key = if *sticks { "stick_dead_zone" } else { "trigger_dead_zone" };
                set(table, key, f64::from(*thousandths) / 1000.0);
            }
        }
        Change::Feel(which, setting) => super::feel::set(document, *which, setting),
        Change::Name(name) => set(document.as_table_mut(), "name", name.as_str()),
    }
}

/// A word of the person's for a target; without one it goes.
fn set_word(document: &mut DocumentMut, key: &str, target: Target, word: &str) {
    let words = document[key].or_insert(Item::Table(Table::new()));
    if let Some(table) = words.as_table_like_mut() {
        match word.trim() {
            "" => drop(table.remove(target.name())),
            word => set(table, target.name(), word),
        }
    }
}

/// Puts a value in, and leaves what stands around the old one.
pub(super) fn set(table: &mut dyn toml_edit::TableLike, key: &str, new: impl Into<toml_edit::Value>) {
    let mut new = new.into();
    if let Some(old) = table.get(key).and_then(Item::as_value) {
        *new.decor_mut() = old.decor().clone();
    }
    table.insert(key, Item::Value(new));
}

fn set_source(document: &mut DocumentMut, target: Target, layer: &str, source: Option<&str>, inverted: bool) {
    let of_layer = |table: &Table| {
        let own = table.get("layer").and_then(Item::as_str).map_or("", str::trim);
        let own = if own == "base" { "" } else { own };
        let known = table.get("target").and_then(Item::as_str).map(str::trim);
        own == layer && known.is_some_and(|known| known.eq_ignore_ascii_case(target.name()))
    };
    if !document.contains_array_of_tables("binding") {
        document.insert("binding", Item::ArrayOfTables(ArrayOfTables::new()));
    }
    let Some(all) = document["binding"].as_array_of_tables_mut() else { return };
    let places: Vec<usize> = all.iter().enumerate().filter(|(_, table)| of_layer(table)).map(|(at, _)| at).collect();
    // The first one that says something about it is changed, any other one goes; its place and comments stay.
    let (first, rest) = match (places.split_first(), source) {
        (Some((first, rest)), Some(_)) => (Some(*first), rest.to_vec()),
        _ => (None, places.clone()),
    };
    for at in rest.into_iter().rev() {
        all.remove(at);
    }
    match (first.and_then(|first| all.get_mut(first)), source) {
        (Some(table), Some(source)) => {
            set(table, "source", source);
            match inverted {
                true => set(table, "inverted", true),
                false => drop(table.remove("inverted")),
            }
        }
        (None, Some(source)) => {
            let mut table = Table::new();
            table["target"] = value(target.name());
            table["source"] = value(source);
            if inverted {
                table["inverted"] = value(true);
            }
            if !layer.is_empty() {
                table["layer"] = value(layer);
            }
            all.push(table);
        }
        _ => {}
    }
}
