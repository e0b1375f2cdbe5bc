//! Reads a TOML file key by key: faults are pointed at, and the rest still counts.

use crate::fault::FileFault;
use mantle_core::suggest::nearest;
use std::ops::{Range, RangeInclusive};
use std::path::{Path, PathBuf};
use toml_edit::{Document, Item, Table, TableLike, Value};

/// The most faults reported one by one; further ones are counted.
const FAULTS: usize = 20;
/// The longest quoted text in bytes.
const TEXT: usize = 16 << 10;
/// The most allowed values that are listed.
const LISTED: usize = 25;
/// The most tables of one array.
const TABLES: usize = 2000;

/// A file being read, with its faults so far.
pub(crate) struct Reader<'a> {
    pub path: &'a str,
    pub text: &'a str,
    pub faults: Vec<FileFault>,
}

/// A table, and the prefix for dotted keys.
pub(crate) struct At<'t> {
    pub name: String,
    pub table: &'t dyn TableLike,
    pub span: Option<Range<usize>>,
}

/// A value as written, shortened.
fn shown(item: &Item) -> String {
    if item.is_table() || item.is_array_of_tables() {
        return "a table".into();
    }
    let text = item.to_string();
    let text = text.trim();
    if text.chars().count() > 40 {
        format!("{}…", text.chars().take(39).collect::<String>())
    } else {
        text.to_owned()
    }
}

/// Reads a file of version 1 with these top-level keys. Returns what could be made of it, and its faults in order.
pub(crate) fn read<T>(
    path: &str,
    text: &str,
    keys: &[&str],
    make: impl FnOnce(&mut Reader<'_>, &At<'_>) -> Option<T>,
) -> (Option<T>, Vec<FileFault>) {
    let document = match Document::parse(text) {
        Ok(document) => document,
        Err(error) => {
            let at = error.span().map_or(0, |span| span.start);
            return (None, vec![FileFault::at(path, text, at, error.message())]);
        }
    };
    let mut reader = Reader { path, text, faults: Vec::new() };
    let at = At { name: String::new(), table: document.as_table(), span: Some(0..0) };
    reader.known(&at, keys);
    let made = reader.version(&at).and_then(|()| make(&mut reader, &at));
    let mut faults = reader.faults;
    let more = faults.len().saturating_sub(FAULTS);
    faults.truncate(FAULTS);
    faults.sort_by_key(|fault| (fault.line, fault.column));
    if more > 0 {
        faults.push(FileFault::whole(path, format!("and {more} more that cannot be read")));
    }
    (made, faults)
}

/// The entries of a directory with suitable names, in order; none if the directory does not exist.
pub(crate) fn listed(directory: &Path, will_do: impl Fn(&str) -> bool) -> std::io::Result<Vec<PathBuf>> {
    let entries = match std::fs::read_dir(directory) {
        Ok(entries) => entries.flatten(),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(error),
    };
    let mut paths: Vec<_> = entries.map(|entry| entry.path()).collect();
    paths.retain(|path| path.file_name().is_some_and(|name| will_do(&name.to_string_lossy())));
    paths.sort();
    Ok(paths)
}

/// The text files of a directory with suitable names, in order: their displayed paths and their contents;
/// none if the directory cannot be listed.
pub(crate) fn texts(directory: &Path, will_do: impl Fn(&str) -> bool) -> Vec<(String, Result<String, FileFault>)> {
    let one = |path: PathBuf| {
        let shown = path.display().to_string();
        let text = crate::bounded::read_text(&path, crate::bounded::SHEET_BYTES)
            .map_err(|error| FileFault::whole(&shown, error.to_string()));
        (shown, text)
    };
    listed(directory, will_do).unwrap_or_default().into_iter().map(one).collect()
}

impl Reader<'_> {
    fn version(&mut self, at: &At<'_>) -> Option<()> {
        match at.table.get("version") {
            Some(item) if item.as_integer() == Some(1) => Some(()),
            Some(item) => self.refuse(at, "version", item, "this program reads version 1"),
            None => {
                self.fault(Some(0..0), "there is no `version`; write `version = 1` at the top".into());
                None
            }
        }
    }

    pub fn fault(&mut self, span: Option<Range<usize>>, message: String) {
        let fault = match span {
            // Positions are only worked out if they are reported.
            Some(_) if self.faults.len() >= FAULTS => FileFault::whole(self.path, ""),
            Some(span) => FileFault::at(self.path, self.text, span.start, message),
            None => FileFault::whole(self.path, message),
        };
        self.faults.push(fault);
    }

    /// Reports an unsuitable value.
    pub fn refuse<T>(&mut self, at: &At<'_>, key: &str, item: &Item, allowed: &str) -> Option<T> {
        let dotted = format!("{}{key}", at.name);
        self.fault(item.span().or_else(|| at.span.clone()), format!("{dotted} = {}: {allowed}", shown(item)));
        None
    }

    /// Reports unknown keys.
    pub fn known(&mut self, at: &At<'_>, known: &[&str]) {
        let unknown: Vec<(String, Option<Range<usize>>)> = at
            .table
            .iter()
            .filter(|(key, _)| !known.contains(key))
            .map(|(key, item)| (key.to_owned(), at.table.key(key).and_then(toml_edit::Key::span).or(item.span())))
            .collect();
        for (key, span) in unknown {
            let meant = nearest(&key, known).map(|meant| format!("; did you mean `{meant}`?")).unwrap_or_default();
            let listed = &known[..known.len().min(LISTED)];
            let more = match known.len() - listed.len() {
                0 => String::new(),
                more => format!(" and {more} more"),
            };
            self.fault(span, format!("{}{key}: unknown key; allowed: {}{more}{meant}", at.name, listed.join(", ")));
        }
    }

    pub fn number(&mut self, at: &At<'_>, key: &str, range: Range<i64>) -> Option<i64> {
        let item = at.table.get(key)?;
        match item.as_integer() {
            Some(number) if range.contains(&number) => Some(number),
            _ => {
                let allowed = format!("a whole number from {} to {} is expected", range.start, range.end - 1);
                self.refuse(at, key, item, &allowed)
            }
        }
    }

    /// A number, with or without a fraction.
    pub fn real(&mut self, at: &At<'_>, key: &str, range: RangeInclusive<f64>) -> Option<f64> {
        let item = at.table.get(key)?;
        match item.as_value().and_then(real) {
            Some(number) if range.contains(&number) => Some(number),
            _ => {
                let allowed = format!("a number from {} to {} is expected", range.start(), range.end());
                self.refuse(at, key, item, &allowed)
            }
        }
    }

    /// A table inside another.
    pub fn below<'t>(&mut self, at: &At<'t>, key: &str) -> Option<At<'t>> {
        let item = at.table.get(key)?;
        let Some(table) = item.as_table_like() else {
            return self.refuse(at, key, item, &format!("it is written [{key}], with keys below it, or {{ … }}"));
        };
        Some(At { name: format!("{}{key}.", at.name), table, span: item.span().or_else(|| at.span.clone()) })
    }

    pub fn text<'t>(&mut self, at: &At<'t>, key: &str) -> Option<&'t str> {
        let item = at.table.get(key)?;
        match item.as_str() {
            Some(text) if text.len() > TEXT => {
                self.refuse(at, key, item, &format!("{} bytes; at most {TEXT} are read", text.len()))
            }
            Some(text) => Some(text),
            None => self.refuse(at, key, item, "a text in quotes is expected"),
        }
    }

    pub fn flag(&mut self, at: &At<'_>, key: &str) -> Option<bool> {
        let item = at.table.get(key)?;
        match item.as_bool() {
            Some(flag) => Some(flag),
            None => self.refuse(at, key, item, "true or false is expected"),
        }
    }

    /// One of several words; returns its index.
    pub fn one_of(&mut self, at: &At<'_>, key: &str, words: &[&str]) -> Option<usize> {
        let item = at.table.get(key)?;
        let found = item.as_str().and_then(|text| words.iter().position(|word| *word == text));
        if found.is_some() {
            return found;
        }
        let meant = item.as_str().and_then(|text| nearest(text, words));
        let meant = meant.map(|meant| format!("; did you mean \"{meant}\"?")).unwrap_or_default();
        self.refuse(at, key, item, &format!("allowed: {}{meant}", words.join(", ")))
    }

    pub fn missing<T>(&mut self, at: &At<'_>, key: &str, what: &str) -> Option<T> {
        let name = at.name.trim_end_matches('.');
        self.fault(at.span.clone(), format!("{name}: it has no `{key}`; {what}"));
        None
    }

    /// The tables of an array, each with its number from 1.
    pub fn tables<'t>(&mut self, at: &At<'t>, key: &str) -> Vec<At<'t>> {
        let Some(item) = at.table.get(key) else { return Vec::new() };
        let Some(array) = item.as_array_of_tables() else {
            let _: Option<()> = self.refuse(at, key, item, &format!("it is written [[{key}]], once for each"));
            return Vec::new();
        };
        let one = |(index, table): (usize, &'t Table)| At {
            name: format!("{key}[{}].", index + 1),
            table,
            span: table.span(),
        };
        if array.len() > TABLES {
            let span = array.get(TABLES).and_then(Table::span);
            self.fault(span, format!("{key}: {} of them; the first {TABLES} are read", array.len()));
        }
        array.iter().take(TABLES).enumerate().map(one).collect()
    }
}

/// A number, with or without a fraction, if it is one.
pub fn real(value: &Value) -> Option<f64> {
    value.as_float().or(value.as_integer().map(|whole| whole as f64))
}

/// The text files of a folder below `tests`, by name, in order; there must be some.
#[cfg(test)]
pub(crate) fn fixtures(folder: &str) -> Vec<(String, String)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests").join(folder);
    let own = |(shown, text): (String, Result<String, FileFault>)| {
        let name = Path::new(&shown).file_name().expect("a name").to_string_lossy().into_owned();
        (name, text.expect("text"))
    };
    let all: Vec<_> = texts(&folder, |_| true).into_iter().map(own).collect();
    assert!(!all.is_empty(), "{} is empty", folder.display());
    all
}
