//! The face of a device in sheets and profiles: rows of controls.

use crate::pointed::{At, Reader};
use mantle_core::binding::Face;
use toml_edit::{Array, Value};

const ALLOWED: &str = "rows of names are expected, such as [[\"button 1\", \"button 2\"], [\"\", \"hat\"]]";

impl Reader<'_> {
    /// Where the controls of a device sit; none where nothing is said, or nothing that can be understood.
    pub(crate) fn face(&mut self, at: &At<'_>) -> Face {
        let Some(item) = at.table.get("face") else { return Face::default() };
        let cell = |cell: &Value| cell.as_str().map(|name| name.trim().to_owned());
        let row = |row: &Value| row.as_array()?.iter().map(cell).collect::<Option<Vec<_>>>();
        let rows = item.as_array().and_then(|rows| rows.iter().map(row).collect::<Option<Vec<_>>>());
        let Some(rows) = rows else { return self.refuse(at, "face", item, ALLOWED).unwrap_or_default() };
        let face = Face { rows };
        match face.check() {
            Ok(()) => face,
            Err(why) => self.refuse(at, "face", item, &why).unwrap_or_default(),
        }
    }
}

/// A face as it is written, a row a line.
pub(crate) fn value(face: &Face) -> Value {
    let mut rows = Array::new();
    for row in &face.rows {
        rows.push_formatted(Value::from(row.iter().map(String::as_str).collect::<Array>()).decorated("\n  ", ""));
    }
    rows.set_trailing("\n");
    rows.set_trailing_comma(true);
    Value::from(rows)
}
