//! Changes in a text file that leave everything else as it is.

use toml_edit::{Item, Table, Value};

/// Sets a value without disturbing the comment after it.
pub(crate) fn set(table: &mut Table, key: &str, new: impl Into<Value>) {
    let mut new = new.into();
    if let Some(old) = table.get(key).and_then(Item::as_value) {
        *new.decor_mut() = old.decor().clone();
    }
    table.insert(key, Item::Value(new));
}
