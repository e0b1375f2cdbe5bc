//! Texts about the program itself: the explanation of a view, recipes for the connected devices, the steps of a tour, and words for a
//! first-time user.

use mantle_files::recipe::Recipe;
use mantle_tui::TourStep;
use std::fmt::Write;

/// The explanation of a view, with recipes for devices of these kinds.
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

/// The steps of a recipe, for a tour.
pub fn steps(recipe: &Recipe) -> Vec<TourStep> {
    let step = |(at, (_, text)): (usize, &(usize, String))| TourStep { text: text.clone(), seen: recipe.seen_in(at) };
    recipe.steps.iter().enumerate().map(step).collect()
}

/// Shown once, when somebody opens the program for the first time.
const GREETING: &str = "\
Each row is a player, each column a stage that a press passes on its way to the game.
Press a button on a device: its row lights up as far as the press gets. The sentence says what is missing, and W does it.
F1 explains the view you are in, Backspace lists what can be done, and placid-mantle tour shows it all in five minutes.";

/// The greeting, if this account has not seen it; empty otherwise. If it cannot be recorded as seen, it is not shown, since it would
/// be shown every time.
pub fn greeting() -> String {
    let path = mantle_files::state_directory().map(|own| own.join("greeted"));
    let first = path.is_some_and(|path| !path.exists() && mantle_files::save(&path, b"").is_ok());
    if first { GREETING.to_owned() } else { String::new() }
}
