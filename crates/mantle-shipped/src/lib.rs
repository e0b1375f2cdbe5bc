//! What ships as data: sheets, made-up devices, scenes, profiles, templates and recipes, as their texts.
//!
//! The crate promises: every file of the folders `sheets`, `devices`, `scenes`, `profiles`, `templates` and `docs/recipes` at the
//! workspace's root is in the program, in the order of its name. Reading the texts is `mantle-files`' work
//! (`mantle_files::shipped`).
//!
//! Its one noun is a [`Text`].
//!
//! ```
//! let opening = mantle_shipped::find(mantle_shipped::scenes(), mantle_shipped::OPENING).expect("it ships");
//! assert_eq!(opening.file, "tidewater.scene.toml");
//! ```
#![forbid(unsafe_code)]

/// The scene that the demo opens with.
pub const OPENING: &str = "tidewater";

/// A file that ships.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Text {
    /// Its name without the ending.
    pub name: &'static str,
    /// The file's whole name.
    pub file: &'static str,
    /// What stands in it.
    pub text: &'static str,
}

mod texts {
    use super::Text;
    include!(concat!(env!("OUT_DIR"), "/texts.rs"));
}

/// The meaning of reports of devices that do not describe themselves.
#[must_use]
pub fn sheets() -> &'static [Text] {
    texts::SHEETS
}

/// The sheets of devices with these ids (vendor, product), without reading any.
pub fn sheets_for(ids: &[(u16, u16)]) -> impl Iterator<Item = &'static Text> {
    texts::SHEETS.iter().zip(texts::SHEETS_FOR).filter(|(_, own)| ids.contains(own)).map(|(text, _)| text)
}

/// The demo's made-up devices.
#[must_use]
pub fn devices() -> &'static [Text] {
    texts::DEVICES
}

/// The demo's scenes.
#[must_use]
pub fn scenes() -> &'static [Text] {
    texts::SCENES
}

/// Recipes: from what somebody has to what they want.
#[must_use]
pub fn recipes() -> &'static [Text] {
    texts::RECIPES
}

/// The tour: a recipe for somebody who has no device yet.
pub const TOUR: Text = Text { name: "tour", file: "tour.md", text: include_str!("../../../docs/tour.md") };

/// The short text of each view, below a heading with its name.
const VIEWS: &str = include_str!("../../../docs/views.md");

/// The short text of a view, by its name.
#[must_use]
pub fn view(name: &str) -> Option<&'static str> {
    let mut parts = VIEWS.split("\n## ").filter_map(|part| part.split_once('\n'));
    parts.find(|(own, _)| *own == name).map(|(_, text)| text.trim())
}

/// The profiles of the demo's evening.
#[must_use]
pub fn profiles() -> &'static [Text] {
    texts::PROFILES
}

/// Profiles by purpose, to begin with.
#[must_use]
pub fn templates() -> &'static [Text] {
    texts::TEMPLATES
}

/// One of them by its name.
#[must_use]
pub fn find(texts: &'static [Text], name: &str) -> Option<Text> {
    texts.iter().find(|text| text.name == name).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_data_file_is_shipped() {
        for (folder, texts) in [
            ("sheets", sheets()),
            ("devices", devices()),
            ("scenes", scenes()),
            ("profiles", profiles()),
            ("templates", templates()),
        ] {
            let directory = concat!(env!("CARGO_MANIFEST_DIR"), "/../../").to_owned() + folder;
            let mut there: Vec<String> = std::fs::read_dir(directory)
                .expect("the folder")
                .map(|entry| entry.expect("an entry").file_name().into_string().expect("UTF-8"))
                .collect();
            there.sort();
            assert!(!there.is_empty(), "{folder}");
            assert_eq!(texts.iter().map(|text| text.file.to_owned()).collect::<Vec<_>>(), there, "{folder}");
        }
        let all: Vec<(u16, u16)> = (0..=u16::MAX).map(|product| (0x1209, product)).collect();
        assert_eq!(sheets_for(&all).count(), sheets().len(), "each sheet is for a device of the demo");
        assert_eq!(sheets_for(&[(0x1209, 0x0a03)]).map(|text| text.name).collect::<Vec<_>>(), ["kestrel-puck"]);
        assert!(find(scenes(), OPENING).is_some() && find(scenes(), "none of this name").is_none());
    }
}
