//! What the screen's `F1` shows: a view's short text, and recipes for the devices that are there.

use mantle_files::recipe::Recipe;
use std::fmt::Write;

/// The text of a view, and the recipes for devices of these kinds.
pub fn text(view: &str, devices: &[&str]) -> String {
    let mut text = mantle_shipped::view(view).unwrap_or("Backspace lists everything that can be done here.").to_owned();
    let fitting = mantle_shipped::recipes().iter().filter_map(|text| {
        let recipe = Recipe::parse(text.text).ok()?;
        recipe
            .devices
            .iter()
            .any(|own| devices.contains(&own.as_str()))
            .then(|| (mantle_files::shipped::recipe_name(text), recipe.title))
    });
    let mut heading = "\n\nRecipes for what is here (placid-mantle recipe NAME):\n";
    for (name, title) in fitting {
        let _ = write!(text, "{heading}\n{name}: {title}.");
        heading = "";
    }
    text
}
