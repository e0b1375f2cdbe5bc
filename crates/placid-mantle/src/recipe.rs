//! `recipe`: from what somebody has to what they want, key by key.

use crate::exit::{Exit, refuse};
use crate::say::say;
use crate::screen_args::ScreenArgs;
use mantle_files::recipe::Recipe;
use mantle_files::shipped::{self, recipe_name};

/// Lists the recipes, prints one, or opens the demo on its table.
pub fn run(name: Option<&str>, to_try: bool, screen: ScreenArgs) -> Exit {
    let Some(name) = name else {
        for text in mantle_shipped::recipes() {
            if let Ok(recipe) = Recipe::parse(text.text) {
                say!("{:28} {} ({} keys)", recipe_name(text), recipe.title, recipe.keys);
            }
        }
        say!("placid-mantle recipe NAME shows one, --try opens the demo on its table and shows the steps.");
        return Exit::Fine;
    };
    let text = match shipped::recipe(name) {
        Ok(text) => text,
        Err(why) => return refuse(why),
    };
    if to_try {
        return crate::demo::try_recipe(text.text, screen);
    }
    for line in text.text.lines().take_while(|line| *line != "## The table") {
        say!("{line}");
    }
    say!("To try it: placid-mantle recipe {} --try", recipe_name(text));
    Exit::Fine
}
