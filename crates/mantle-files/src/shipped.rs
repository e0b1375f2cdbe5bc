//! Reads what ships as data.

use crate::{DeviceFile, FileFault, SceneFile};
use mantle_core::binding::Profile;
use mantle_core::sheet::Sheet;
use mantle_shipped::{Text, find};
use std::sync::{LazyLock, OnceLock};

fn names(texts: &[Text]) -> Vec<String> {
    texts.iter().map(|text| text.name.to_owned()).collect()
}

/// The shipped sheets, each read once, when first needed.
static SHEETS: LazyLock<Vec<OnceLock<Option<Sheet>>>> =
    LazyLock::new(|| mantle_shipped::sheets().iter().map(|_| OnceLock::new()).collect());

fn read(wanted: impl Fn(&Text) -> bool) -> impl Iterator<Item = Sheet> {
    let texts = mantle_shipped::sheets().iter().zip(SHEETS.iter()).filter(move |(text, _)| wanted(text));
    texts.filter_map(|(text, read)| read.get_or_init(|| crate::sheet::read(text.file, text.text).sheet).clone())
}

/// The shipped sheets, in the order of their names.
#[must_use]
pub fn sheets() -> Vec<Sheet> {
    read(|_| true).collect()
}

/// The shipped sheets for devices with these ids (vendor, product); others are not even read.
#[must_use]
pub fn sheets_for(ids: &[(u16, u16)]) -> Vec<Sheet> {
    let wanted: Vec<&str> = mantle_shipped::sheets_for(ids).map(|text| text.name).collect();
    read(|text| wanted.contains(&text.name)).collect()
}

/// A shipped sheet by file name.
#[must_use]
pub fn sheet(name: &str) -> Option<Sheet> {
    read(|text| text.name == name).next()
}

/// The names of the scenes.
#[must_use]
pub fn scene_names() -> Vec<String> {
    names(mantle_shipped::scenes())
}

/// The names of the devices.
#[must_use]
pub fn device_names() -> Vec<String> {
    names(mantle_shipped::devices())
}

/// The text of one of the demo's profiles.
#[must_use]
pub fn profile_text(name: &str) -> Option<&'static str> {
    find(mantle_shipped::profiles(), name).map(|text| text.text)
}

/// One of the demo's profiles, by name.
#[must_use]
pub fn profile(name: &str) -> Option<Profile> {
    let text = find(mantle_shipped::profiles(), name)?;
    crate::profile::read(text.file, text.text).profile
}

/// The names of the demo's profiles.
#[must_use]
pub fn profile_names() -> Vec<String> {
    names(mantle_shipped::profiles())
}

/// A scene by name; none if it does not exist.
#[must_use]
pub fn scene(name: &str) -> Option<SceneFile> {
    let text = find(mantle_shipped::scenes(), name)?;
    SceneFile::parse(text.file, text.text).ok()
}

/// A device by name.
///
/// # Errors
/// What is wrong with its file, or that it does not exist.
pub fn device(name: &str) -> Result<DeviceFile, FileFault> {
    let Some(text) = find(mantle_shipped::devices(), name) else {
        let known = device_names().join(", ");
        return Err(FileFault::whole(name, format!("no device of that name is shipped; there are: {known}")));
    };
    DeviceFile::parse(text.file, text.text)
}

/// The prefix of a recipe's scene.
pub const RECIPE_SCENE: &str = "recipe/";

/// A recipe's name without its number.
#[must_use]
pub fn recipe_name(text: &Text) -> &'static str {
    text.name.split_once('-').map_or(text.name, |(_, name)| name)
}

/// A recipe by its name, or by a unique part of it.
///
/// # Errors
/// If there is none, or several, with their names.
pub fn recipe(name: &str) -> Result<&'static Text, String> {
    let all = mantle_shipped::recipes();
    if let Some(text) = all.iter().find(|text| recipe_name(text) == name || text.name == name) {
        return Ok(text);
    }
    let several: Vec<&Text> = all.iter().filter(|text| text.name.contains(name)).collect();
    match several[..] {
        [one] => Ok(one),
        [] => Err(format!("there is no recipe named {name}; placid-mantle recipe lists them")),
        _ => {
            let names: Vec<&str> = several.into_iter().map(recipe_name).collect();
            Err(format!("{name} could be {}", names.join(", ")))
        }
    }
}

/// A recipe's scene, by its name for `demo --scene`; none for other scenes.
#[must_use]
pub fn recipe_scene(name: &str) -> Option<Result<SceneFile, FileFault>> {
    let text = recipe(name.strip_prefix(RECIPE_SCENE)?).ok()?;
    let recipe = crate::recipe::Recipe::parse(text.text).map_err(|why| FileFault::whole(text.file, why));
    Some(recipe.and_then(|recipe| SceneFile::parse(text.file, &recipe.scene)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn recipes_are_found_by_their_names_and_have_scenes() {
        assert_eq!(recipe("two-halves").map(recipe_name), Ok("two-halves"));
        assert_eq!(recipe("halves").map(recipe_name), Ok("two-halves"));
        assert!(recipe("two-").is_err_and(|why| why.contains("two-halves") && why.contains("two-pointers")));
        assert!(recipe("nothing like it").is_err_and(|why| why.contains("placid-mantle recipe lists them")));
        for text in mantle_shipped::recipes() {
            let scene = recipe_scene(&format!("{RECIPE_SCENE}{}", recipe_name(text))).expect("it is one");
            assert!(scene.is_ok(), "{}: {scene:?}", text.file);
        }
        assert!(recipe_scene("tidewater").is_none());
    }
}
