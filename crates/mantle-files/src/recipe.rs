//! Recipes: from what somebody has to what they want, step by step, as text that can also be carried out.
//!
//! A recipe is Markdown. For whoever carries it out, this means:
//!
//! | in the text | means |
//! | --- | --- |
//! | `` `Enter` ``, `` `B` ``, `` `1.5` `` in a step | keys: a named one, or each letter of what is typed |
//! | `` `placid-mantle …` `` in a step | a command to run |
//! | `` (in the demo: `5`) `` | pressed on the device, in the demo by these keys; they do not count |
//! | `**words**` in a step | what appears then |
//! | the block of `toml` at the end | the scene for trying the recipe |
//!
//! Above the steps stand the lines `For:` (the kinds of device, as the Device view names them) and `Keys:` (how many keys
//! it takes).

/// Something done, or seen, in a step.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Act {
    /// Press a named key, or type these letters.
    Keys(String),
    /// The same, on the device.
    OnDevice(String),
    /// Run a command.
    Command(String),
    /// These words appear.
    Sees(String),
}

/// A recipe.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Recipe {
    /// Its title.
    pub title: String,
    /// The kinds of device it is for.
    pub devices: Vec<String>,
    /// The number of keys it states.
    pub keys: usize,
    /// Its acts in order, each with its line.
    pub acts: Vec<(usize, Act)>,
    /// Its steps as written, without numbers, each with its line.
    pub steps: Vec<(usize, String)>,
    /// The scene for trying it.
    pub scene: String,
}

/// Keys with names.
pub const NAMED: [&str; 14] = [
    "Enter",
    "Esc",
    "Tab",
    "Shift-Tab",
    "Space",
    "Up",
    "Down",
    "Left",
    "Right",
    "Backspace",
    "Delete",
    "PgUp",
    "PgDn",
    "F1",
];

impl Recipe {
    /// Reads a recipe.
    ///
    /// # Errors
    /// The line, and what is missing or not understood.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut recipe = Self::default();
        let (mut part, mut keys, mut in_scene, mut on_device) = ("", None, false, false);
        for (at, line) in text.lines().enumerate() {
            let at = at + 1;
            if let Some(heading) = line.strip_prefix("## ") {
                part = heading;
            } else if let Some(title) = line.strip_prefix("# ").filter(|_| !in_scene) {
                title.clone_into(&mut recipe.title);
            } else if line.starts_with("```") {
                in_scene = line == "```toml";
            } else if in_scene {
                recipe.scene += line;
                recipe.scene.push('\n');
            } else if let Some(devices) = line.strip_prefix("For: ") {
                recipe.devices = devices.trim_end_matches('.').split(", ").map(str::to_owned).collect();
            } else if let Some(number) = line.strip_prefix("Keys: ") {
                let number = number.trim_end_matches('.').parse();
                keys = Some(number.map_err(|_| format!("line {at}: Keys is not a number"))?);
            } else if part == "Steps" {
                acts_of(line, at, &mut on_device, &mut recipe.acts)?;
                if let Some((_, text)) = line.split_once(". ").filter(|(number, _)| number.parse::<u8>().is_ok()) {
                    recipe.steps.push((at, text.to_owned()));
                } else if let Some((_, step)) = recipe.steps.last_mut().filter(|_| !line.is_empty()) {
                    step.push(' ');
                    step.push_str(line.trim());
                }
            }
        }
        recipe.keys = keys.ok_or("it does not say how many keys it takes")?;
        for (is, what) in [
            (recipe.title.is_empty(), "title"),
            (recipe.scene.is_empty(), "scene"),
            (!recipe.acts.iter().any(|(_, act)| matches!(act, Act::Sees(_))), "step after which something is seen"),
        ] {
            if is {
                return Err(format!("it has no {what}"));
            }
        }
        Ok(recipe)
    }

    /// What is done, and seen, in one of the steps, with the lines that say so.
    pub fn acts_in(&self, step: usize) -> impl Iterator<Item = &(usize, Act)> {
        let line_of = |step: usize| self.steps.get(step).map_or(usize::MAX, |(line, _)| *line);
        let own = line_of(step)..line_of(step + 1);
        self.acts.iter().filter(move |(line, _)| own.contains(line))
    }

    /// The words that appear in a step, in order.
    #[must_use]
    pub fn seen_in(&self, step: usize) -> Vec<String> {
        let words = |(_, act): &(usize, Act)| if let Act::Sees(words) = act { Some(words.clone()) } else { None };
        self.acts_in(step).filter_map(words).collect()
    }

    /// The number of keys its steps really take.
    #[must_use]
    pub fn counted(&self) -> usize {
        let of = |act: &Act| match act {
            Act::Keys(keys) if NAMED.contains(&keys.as_str()) => 1,
            Act::Keys(keys) => keys.chars().count(),
            _ => 0,
        };
        self.acts.iter().map(|(_, act)| of(act)).sum()
    }
}

/// The acts in one line of a step.
fn acts_of(line: &str, at: usize, on_device: &mut bool, acts: &mut Vec<(usize, Act)>) -> Result<(), String> {
    let mut rest = line;
    while let Some(next) = rest.find(['`', '*', '(', ')']) {
        let (sign, tail) = (rest.as_bytes()[next], &rest[next + 1..]);
        rest = match sign {
            b'(' => {
                *on_device |= tail.starts_with("in the demo");
                tail
            }
            b')' => {
                *on_device = false;
                tail
            }
            b'`' => {
                let (code, tail) = tail.split_once('`').ok_or_else(|| format!("line {at}: a ` is not closed"))?;
                let code = code.to_owned();
                acts.push((
                    at,
                    match () {
                        () if code.starts_with("placid-mantle ") => Act::Command(code),
                        () if *on_device => Act::OnDevice(code),
                        () => Act::Keys(code),
                    },
                ));
                tail
            }
            _ => match tail.strip_prefix('*') {
                Some(tail) => {
                    let (seen, tail) = tail.split_once("**").ok_or_else(|| format!("line {at}: ** is not closed"))?;
                    acts.push((at, Act::Sees(seen.to_owned())));
                    tail
                }
                None => tail,
            },
        };
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "# One thing\n\nYou have: it.\n\nFor: mouse, game pad.\nKeys: 6.\n\n## Steps\n\n1. Press `B`, `Enter` and the button \
        (in the demo: `5`): **← button 5** is seen.\n2. Type `1.5` and *then* `Enter`; run `placid-mantle status`: **Slot 1**.\n\n\
        ## What may go wrong\n\nNothing of `this`.\n\n```toml\nversion = 1\n# no title\n```\n";

    #[test]
    fn recipe_steps_are_read_in_order() {
        let recipe = Recipe::parse(TEXT).expect("a recipe");
        assert_eq!((recipe.title.as_str(), recipe.keys, recipe.counted()), ("One thing", 6, 6));
        assert_eq!(recipe.devices, ["mouse", "game pad"]);
        assert_eq!(recipe.scene, "version = 1\n# no title\n");
        assert_eq!(recipe.steps.len(), 2);
        assert!(recipe.steps[1].1.starts_with("Type `1.5` and *then*"), "{:?}", recipe.steps);
        assert_eq!((recipe.seen_in(0), recipe.seen_in(1)), (vec!["← button 5".into()], vec!["Slot 1".into()]));
        let acts: Vec<Act> = recipe.acts.into_iter().map(|(_, act)| act).collect();
        let keys = |text: &str| Act::Keys(text.into());
        assert_eq!(
            acts,
            [
                keys("B"),
                keys("Enter"),
                Act::OnDevice("5".into()),
                Act::Sees("← button 5".into()),
                keys("1.5"),
                keys("Enter"),
                Act::Command("placid-mantle status".into()),
                Act::Sees("Slot 1".into()),
            ]
        );
    }

    #[test]
    fn missing_parts_of_a_recipe_are_reported() {
        for (from, to, why) in [
            ("Keys: 6.", "", "it does not say how many keys it takes"),
            ("Keys: 6.", "Keys: six", "line 6: Keys is not a number"),
            ("# One thing", "One thing", "it has no title"),
            ("`5`)", "`5)", "line 10: a ` is not closed"),
            ("version = 1\n# no title\n", "", "it has no scene"),
        ] {
            assert_eq!(Recipe::parse(&TEXT.replace(from, to)).expect_err(from), why);
        }
    }
}
