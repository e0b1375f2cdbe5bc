//! `recipe`: what somebody has, what they want, and the keys that lead there.

use crate::args::DemoArgs;
use crate::exit::{Exit, refuse};
use crate::say::say;
use crate::screen_args::ScreenArgs;
use mantle_files::recipe::Recipe;
use mantle_files::{FileFault, SceneFile};
use mantle_shipped::Text;

/// What stands before a recipe's name where its scene is meant.
const SCENE: &str = "recipe/";

/// Lists the recipes, says one, or opens the demo on its table.
pub fn run(name: Option<&str>, to_try: bool) -> Exit {
    let Some(name) = name else {
        for text in mantle_shipped::recipes() {
            if let Ok(recipe) = Recipe::parse(text.text) {
                say!("{:28} {} ({} keys)", short(text), recipe.title, recipe.keys);
            }
        }
        say!("placid-mantle recipe NAME shows one, --try opens the demo on its table.");
        return Exit::Fine;
    };
    let text = match find(name) {
        Ok(text) => text,
        Err(why) => return refuse(why),
    };
    if to_try {
        let scene = Some(format!("{SCENE}{}", short(text)));
        let screen = ScreenArgs { ascii: false, piped: false };
        return crate::demo::run(&DemoArgs { scene, scenes: false, headless: false, seconds: None, screen });
    }
    for line in text.text.lines().take_while(|line| !line.starts_with("```")) {
        say!("{line}");
    }
    say!("To try it: placid-mantle recipe {} --try", short(text));
    Exit::Fine
}

/// Its name without the number.
pub fn short(text: &Text) -> &'static str {
    text.name.split_once('-').map_or(text.name, |(_, name)| name)
}

fn find(name: &str) -> Result<&'static Text, String> {
    let all = mantle_shipped::recipes();
    if let Some(text) = all.iter().find(|text| short(text) == name || text.name == name) {
        return Ok(text);
    }
    let several: Vec<&Text> = all.iter().filter(|text| text.name.contains(name)).collect();
    match several[..] {
        [one] => Ok(one),
        [] => Err(format!("there is no recipe named {name}; placid-mantle recipe lists them")),
        _ => {
            let names: Vec<&str> = several.into_iter().map(short).collect();
            Err(format!("{name} could be {}", names.join(", ")))
        }
    }
}

/// The scene of a recipe, by the name that `demo --scene` gives it.
pub fn scene(name: &str) -> Option<Result<SceneFile, FileFault>> {
    let text = find(name.strip_prefix(SCENE)?).ok()?;
    let recipe = Recipe::parse(text.text).map_err(|why| FileFault::whole(text.file, why));
    Some(recipe.and_then(|recipe| SceneFile::parse(text.file, &recipe.scene)))
}
