//! The face of a device: where each control sits on a grid, as whoever looks at the device sees it. It is for paper only.

use super::{Named, SeenControl, spoken};
use serde::{Deserialize, Serialize};

/// The most rows of a face, and the most cells of a row.
pub const FACE: (usize, usize) = (8, 12);

/// The longest name of what sits there.
const NAME: usize = 120;

/// What stands between the controls of one place.
const TOGETHER: &str = " + ";

/// Where the controls of a device sit: rows from above, each from the left.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Face {
    /// Sources as profiles write them: a control, or a part of one such as `hat up`; several in one place, such as the axes of a
    /// stick, with ` + ` between them. Empty where nothing sits.
    pub rows: Vec<Vec<String>>,
}

impl Face {
    /// Whether nothing sits anywhere.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.cells().next().is_none()
    }

    /// The controls of one place.
    pub fn parts(cell: &str) -> impl Iterator<Item = &str> {
        cell.split(TOGETHER).map(str::trim)
    }

    /// What sits on it, with its row and its place in the row; each control by itself.
    pub fn cells(&self) -> impl Iterator<Item = (&str, (usize, usize))> {
        let rows = self.rows.iter().enumerate();
        let cells = rows.flat_map(|(row, cells)| cells.iter().enumerate().map(move |(at, cell)| (cell, (row, at))));
        cells
            .flat_map(|(cell, place)| Self::parts(cell).map(move |part| (part, place)))
            .filter(|(part, _)| !part.is_empty())
    }

    /// Where a source sits: where its own part does, or else its whole control.
    #[must_use]
    pub fn place_of(&self, source: &str) -> Option<(usize, usize)> {
        let find = |wanted: &str| self.cells().find(|(cell, _)| cell.eq_ignore_ascii_case(wanted));
        let own = find(source.trim()).or_else(|| find(&Named::parse(source).control));
        own.map(|(_, place)| place)
    }

    /// Whether a device has all controls that sit on it.
    #[must_use]
    pub fn is_of(&self, controls: &[SeenControl<'_>]) -> bool {
        self.cells().all(|(cell, _)| {
            let of = |name: &str| controls.iter().any(|control| control.name.eq_ignore_ascii_case(name));
            of(cell) || of(&Named::parse(cell).control)
        })
    }

    /// As one types it: cells separated by commas, rows by bars.
    #[must_use]
    pub fn text(&self) -> String {
        let cell = |cell: &String| if cell.is_empty() { "-".to_owned() } else { cell.clone() };
        let row = |row: &Vec<String>| row.iter().map(cell).collect::<Vec<_>>().join(", ");
        self.rows.iter().map(row).collect::<Vec<_>>().join(" | ")
    }

    /// Reads what was typed: rows separated by bars or line ends; cells by commas, or by blanks if there are none. A dash is a gap.
    ///
    /// # Errors
    /// What cannot be understood, and why.
    pub fn read(text: &str, controls: &[SeenControl<'_>]) -> Result<Self, String> {
        let mut rows = Vec::new();
        for row in text.split(['|', '\n', '\r']).map(str::trim).filter(|row| !row.is_empty()) {
            let cells: Vec<&str> = match row.contains(',') {
                true => row.split(',').map(str::trim).collect(),
                false if read_cell(row, controls).is_ok() => vec![row],
                false => row.split_whitespace().collect(),
            };
            rows.push(cells.into_iter().map(|cell| read_cell(cell, controls)).collect::<Result<Vec<_>, _>>()?);
        }
        let face = Self { rows };
        face.check()?;
        Ok(face)
    }

    /// Whether it fits on a page, and everything sits in one place.
    ///
    /// # Errors
    /// Why not.
    pub fn check(&self) -> Result<(), String> {
        let (rows, cells) = FACE;
        if self.rows.len() > rows || self.rows.iter().any(|row| row.len() > cells) {
            return Err(format!("a face has at most {rows} rows of {cells} places"));
        }
        let cells: Vec<&str> = self.cells().map(|(cell, _)| cell).collect();
        for (at, cell) in cells.iter().enumerate() {
            if cell.chars().count() > NAME {
                return Err(format!("a name on a face has at most {NAME} letters"));
            }
            if cells[..at].iter().any(|other| other.eq_ignore_ascii_case(cell)) {
                return Err(format!("{cell} is there twice"));
            }
        }
        Ok(())
    }
}

fn read_cell(text: &str, controls: &[SeenControl<'_>]) -> Result<String, String> {
    if matches!(text, "" | "-") {
        return Ok(String::new());
    }
    let one = |text: &str| {
        spoken(controls, text).map(|named| named.text()).map_err(|could_be| match could_be.as_slice() {
            [] => format!("the device has nothing called {text}"),
            several => format!("{text} could be {}", several.iter().take(4).cloned().collect::<Vec<_>>().join(", ")),
        })
    };
    // A control may have a plus in its own name.
    match one(text) {
        Err(_) if text.contains('+') => {
            let parts = text.split('+').map(|part| one(part.trim())).collect::<Result<Vec<_>, _>>();
            parts.map(|parts| parts.join(TOGETHER))
        }
        read => read,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn panel() -> Vec<SeenControl<'static>> {
        let button = |(at, name)| SeenControl { name, kind: "button", number: at as u16 };
        let names = ["button 1", "button 2", "button 3", "button 4", "start lamp"];
        let mut all: Vec<_> = names.into_iter().enumerate().map(button).collect();
        all.push(SeenControl { name: "hat", kind: "hat", number: 9 });
        all.push(SeenControl { name: "keypad +", kind: "button", number: 10 });
        all.extend(["X", "Y"].map(|name| SeenControl { name, kind: "axis", number: 11 }));
        all
    }

    #[test]
    fn rows_of_numbers_names_and_gaps_are_read() {
        let read = |text: &str| Face::read(text, &panel()).map(|face| face.rows);
        let rows = |all: &[&[&str]]| -> Vec<Vec<String>> {
            all.iter().map(|row| row.iter().map(|cell| (*cell).to_owned()).collect()).collect()
        };
        assert_eq!(read("1 2 | 3 4"), Ok(rows(&[&["button 1", "button 2"], &["button 3", "button 4"]])));
        assert_eq!(
            read("hat, -, 1\n-, start, 2"),
            Ok(rows(&[&["hat", "", "button 1"], &["", "start lamp", "button 2"]]))
        );
        assert_eq!(
            read("- hat up -".replace(' ', ",").replace("hat,up", "hat up").as_str()),
            Ok(rows(&[&["", "hat up", ""]]))
        );
        assert_eq!(read("button 4"), Ok(rows(&[&["button 4"]])), "one cell, not two");
        assert_eq!(read("keypad +, 1"), Ok(rows(&[&["keypad +", "button 1"]])));
        assert_eq!(read("hat+x+y 1"), Ok(rows(&[&["hat + X + Y", "button 1"]])), "a stick is one place");
        assert_eq!(read("1 | X + Y"), Ok(rows(&[&["button 1"], &["X + Y"]])), "as it is written again");
        assert_eq!(read(""), Ok(rows(&[])), "which removes it");
    }

    #[test]
    fn mistakes_are_named() {
        let refused = |text: &str| Face::read(text, &panel()).expect_err("refused");
        assert_eq!(refused("1 99"), "the device has nothing called 99");
        assert_eq!(refused("1, butt"), "butt could be button 1, button 2, button 3, button 4");
        assert_eq!(refused("1 2 | 2"), "button 2 is there twice");
        assert_eq!(refused(&"1|".repeat(9)), "a face has at most 8 rows of 12 places");
    }

    #[test]
    fn a_part_sits_with_its_control_unless_it_has_its_own_place() {
        let face = Face::read("hat up, 1 | hat", &panel()).expect("read");
        assert_eq!(face.place_of("hat up"), Some((0, 0)));
        assert_eq!(face.place_of("hat left"), Some((1, 0)));
        let stick = Face::read("1 X+Y", &panel()).expect("read");
        assert_eq!((stick.place_of("Y lower half"), stick.place_of("hat up")), (Some((0, 1)), None));
        assert_eq!(face.place_of("Button 1"), Some((0, 1)));
        assert_eq!(face.place_of("button 3"), None);
        assert!(face.is_of(&panel()) && !face.is_of(&panel()[..3]));
    }

    proptest! {
        /// What it writes it reads, and nothing makes it panic.
        #[test]
        fn any_text_is_read_and_reads_back_the_same(text in "[-1-5 ,|+a-z\n]{0,60}|\\PC{0,40}") {
            if let Ok(face) = Face::read(&text, &panel()) {
                let rows = face.rows.iter().filter(|row| row.len() > 1 || row.iter().any(|cell| !cell.is_empty()));
                let kept = Face { rows: rows.cloned().collect() };
                prop_assert_eq!(Face::read(&kept.text(), &panel()), Ok(kept));
            }
        }
    }
}
