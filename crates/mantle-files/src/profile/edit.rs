//! Changes in a profile's text that leave the person's own text around them as it is.

use crate::fault::FileFault;
use mantle_core::binding::{Change, Combine, Leave, OptionChange, Target, WideChange, usual_row};
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

/// The text of an empty profile.
#[must_use]
pub fn new(name: &str) -> String {
    format!("# Bindings and feel. Edits and comments are kept.\nversion = 1\nname = {}\n", value(name))
}

/// The text with changes applied, one after the other.
///
/// # Errors
/// The text is not a profile, and must not be overwritten.
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
        Change::Layer { name, hold, toggle } => set_layer(document, name, hold.as_deref(), *toggle),
        Change::Option { target, layer, which } => set_option(document, *target, layer, *which),
        Change::With { target, layer, named } => set_with(document, *target, layer, named.as_deref()),
        Change::Wide(which) => set_wide(document, *which),
        Change::Combine(target, combine) => set_combine(document, *target, *combine),
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
        Change::Face(face) if face.is_empty() => drop(document.remove("face")),
        Change::Face(face) => set(document.as_table_mut(), "face", crate::face::value(face)),
        Change::Name(name) => set(document.as_table_mut(), "name", name.as_str()),
    }
}

/// Sets or removes a word of the person's for a target.
fn set_word(document: &mut DocumentMut, key: &str, target: Target, word: &str) {
    let words = document[key].or_insert(Item::Table(Table::new()));
    if let Some(table) = words.as_table_like_mut() {
        match word.trim() {
            "" => drop(table.remove(target.name())),
            word => set(table, target.name(), word),
        }
    }
}

/// Sets a value, and leaves everything around the old one.
pub(super) fn set(table: &mut dyn toml_edit::TableLike, key: &str, new: impl Into<toml_edit::Value>) {
    let mut new = new.into();
    if let Some(old) = table.get(key).and_then(Item::as_value) {
        *new.decor_mut() = old.decor().clone();
    }
    table.insert(key, Item::Value(new));
}

/// The layer of a binding; empty for the base.
fn layer_of(table: &Table) -> &str {
    let own = table.get("layer").and_then(Item::as_str).map_or("", str::trim);
    if own == "base" { "" } else { own }
}

/// Whether a binding is about a target in a layer.
fn is_about(table: &Table, target: Target, layer: &str) -> bool {
    let known = table.get("target").and_then(Item::as_str).map(str::trim);
    layer_of(table) == layer && known.is_some_and(|known| known.eq_ignore_ascii_case(target.name()))
}

/// All tables of a name, created if there are none.
fn tables<'a>(document: &'a mut DocumentMut, key: &str) -> Option<&'a mut ArrayOfTables> {
    if !document.contains_array_of_tables(key) {
        document.insert(key, Item::ArrayOfTables(ArrayOfTables::new()));
    }
    document[key].as_array_of_tables_mut()
}

fn set_layer(document: &mut DocumentMut, name: &str, hold: Option<&str>, toggle: bool) {
    let Some(all) = tables(document, "layer") else { return };
    let named = |table: &Table| table.get("name").and_then(Item::as_str).map(str::trim) == Some(name);
    match hold {
        Some(hold) => {
            let known = all.iter().position(named);
            if known.is_none() {
                let mut table = Table::new();
                table["name"] = value(name);
                all.push(table);
            }
            let at = known.unwrap_or(all.len() - 1);
            let Some(table) = all.get_mut(at) else { return };
            set(table, "hold", hold);
            match toggle {
                true => set(table, "toggle", true),
                false => drop(table.remove("toggle")),
            }
        }
        None => {
            all.retain(|table| !named(table));
            if let Some(all) = tables(document, "binding") {
                all.retain(|table| layer_of(table) != name);
            }
        }
    }
}

/// If a target has several bindings in a layer, the first one is meant, which is what the screen shows first.
fn set_option(document: &mut DocumentMut, target: Target, layer: &str, which: OptionChange) {
    let Some(all) = tables(document, "binding") else { return };
    let Some(table) = all.iter_mut().find(|table| is_about(table, target, layer)) else { return };
    let share = |thousandths: u16| f64::from(thousandths) / 1000.0;
    let mut put = |key: &str, new: Option<toml_edit::Value>| match new {
        Some(new) => set(table, key, new),
        None => drop(table.remove(key)),
    };
    match which {
        OptionChange::Inverted(on) => put("inverted", on.then(|| true.into())),
        OptionChange::Toggle(on) => put("toggle", on.then(|| true.into())),
        OptionChange::Sensitivity(times) => put("sensitivity", (times != 1000).then(|| share(times).into())),
        OptionChange::Ramp(millis) => put("ramp", (millis != 0).then(|| share(millis).into())),
        OptionChange::Shortest(millis) => put("shortest", (millis != 0).then(|| share(millis).into())),
        OptionChange::Again(tenths) => {
            put("again", (tenths != 0).then(|| (f64::from(tenths) / 10.0).into()));
            if tenths != 0 {
                // Only one of them can be set.
                put("row", None);
                put("tap", None);
            }
        }
        OptionChange::Row(presses) => {
            let spans = usual_row(presses);
            let spans = spans.iter().map(|span| span.0 as f64 / 1e6).collect::<toml_edit::Array>();
            put("row", (!spans.is_empty()).then(|| spans.into()));
            if presses != 0 {
                put("again", None);
                put("tap", None);
            }
        }
        OptionChange::Threshold(least) => put("threshold", (least != 0).then(|| share(least).into())),
        OptionChange::Tap(millis) => {
            put("tap", (millis != 0).then(|| share(millis).into()));
            if millis != 0 {
                // A tap is a single press.
                put("again", None);
                put("row", None);
            }
        }
        OptionChange::Reach(counts) => put("reach", counts.map(|counts| i64::from(counts).into())),
        OptionChange::Spring(millis) => put("spring", millis.map(|millis| share(millis).into())),
        OptionChange::Leave(leave) => put("leave", (leave != Leave::Centre).then(|| leave.word().into())),
        OptionChange::Region(edges) => {
            let edges = edges.map(|edges| edges.into_iter().map(share).collect::<toml_edit::Array>());
            put("region", edges.map(Into::into));
        }
        OptionChange::Press(press) => {
            put("press", press.map(|press| share(press).into()));
            // The release threshold follows from the press threshold.
            put("release", None);
        }
    }
}

/// At most four controls can be held as well: one more replaces the last.
fn set_with(document: &mut DocumentMut, target: Target, layer: &str, named: Option<&str>) {
    let Some(all) = tables(document, "binding") else { return };
    let Some(table) = all.iter_mut().find(|table| is_about(table, target, layer)) else { return };
    let Some(named) = named else {
        table.remove("with");
        return;
    };
    let known = table.get("with").and_then(Item::as_array).into_iter().flatten().filter_map(|name| name.as_str());
    let known = known.filter(|name| !name.eq_ignore_ascii_case(named)).take(3).map(str::to_owned);
    let names: Vec<String> = known.chain([named.to_owned()]).collect();
    set(table, "with", names.into_iter().collect::<toml_edit::Array>());
}

fn set_wide(document: &mut DocumentMut, which: WideChange) {
    match which {
        WideChange::OppositeLast(true) => set(document.as_table_mut(), "opposite", "last"),
        WideChange::OppositeLast(false) => drop(document.remove("opposite")),
        WideChange::Turn { right, degrees } => {
            let which = if right { "right" } else { "left" };
            let Some(all) = tables(document, "stick") else { return };
            let named = |table: &Table| table.get("which").and_then(Item::as_str) == Some(which);
            all.retain(|table| !named(table) || degrees != 0);
            if let Some(table) = all.iter_mut().find(|table| named(table)) {
                set(table, "turn", i64::from(degrees));
            } else if degrees != 0 {
                let mut table = Table::new();
                table.insert("which", value(which));
                table.insert("turn", value(i64::from(degrees)));
                all.push(table);
            }
            if all.is_empty() {
                document.remove("stick");
            }
        }
        WideChange::Speed(speed) => set_mouse(document, "speed", i64::from(speed).into()),
        WideChange::Wheel(tenths) => set_mouse(document, "wheel", (f64::from(tenths) / 10.0).into()),
    }
}

fn set_mouse(document: &mut DocumentMut, key: &str, new: toml_edit::Value) {
    let mouse = document["mouse"].or_insert(Item::Table(Table::new()));
    if let Some(table) = mouse.as_table_like_mut() {
        set(table, key, new);
    }
}

fn set_combine(document: &mut DocumentMut, target: Target, combine: Combine) {
    let Some(all) = tables(document, "target") else { return };
    let named = |table: &Table| {
        let name = table.get("name").and_then(Item::as_str).map(str::trim);
        name.is_some_and(|name| name.eq_ignore_ascii_case(target.name()))
    };
    let word = match combine {
        Combine::Largest => {
            all.retain(|table| !named(table));
            return;
        }
        Combine::Sum => "sum",
        Combine::Last => "last",
    };
    let known = all.iter().position(named);
    match known.and_then(|at| all.get_mut(at)) {
        Some(table) => set(table, "combine", word),
        None => {
            let mut table = Table::new();
            table["name"] = value(target.name());
            table["combine"] = value(word);
            all.push(table);
        }
    }
}

fn set_source(document: &mut DocumentMut, target: Target, layer: &str, source: Option<&str>, inverted: bool) {
    let of_layer = |table: &Table| is_about(table, target, layer);
    let Some(all) = tables(document, "binding") else { return };
    let places: Vec<usize> = all.iter().enumerate().filter(|(_, table)| of_layer(table)).map(|(at, _)| at).collect();
    // The first binding of the target is changed and any other removed; its place and comments stay.
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
