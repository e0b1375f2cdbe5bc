//! Every recipe is carried out in a real terminal, step by step, and what it says is seen must be seen. Its keys are counted.
//! `MANTLE_RECIPE=part-of-a-name` carries out only those.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_files::recipe::{Act, NAMED, Recipe};
use mantle_lab::Tmux;
use std::path::{Path, PathBuf};
use std::process::Command;
use tty::{DESIGN, start_with};

fn recipes() -> Vec<(String, Recipe)> {
    let directory = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/recipes");
    let wanted = std::env::var("MANTLE_RECIPE").unwrap_or_default();
    let mut files: Vec<PathBuf> =
        directory.read_dir().expect("the recipes").map(|entry| entry.expect("an entry").path()).collect();
    files.sort();
    let named = files.into_iter().filter_map(|path| {
        let name = path.file_stem()?.to_str()?.to_owned();
        let text = std::fs::read_to_string(&path).expect("a recipe");
        Some((name.clone(), Recipe::parse(&text).unwrap_or_else(|why| panic!("{name}: {why}"))))
    });
    named.filter(|(name, _)| name.contains(&wanted)).collect()
}

/// Presses keys as a recipe names them.
fn press(tmux: &Tmux, keys: &str) {
    let named = match keys {
        "Esc" => "Escape",
        "Backspace" => "BSpace",
        "PgUp" => "PPage",
        "PgDn" => "NPage",
        "Shift-Tab" => "BTab",
        other => other,
    };
    let before = hints(tmux);
    let pressed = if NAMED.contains(&keys) { tmux.keys(&[named]) } else { tmux.keys(&["-l", keys]) };
    pressed.expect("pressed");
    // Esc with another key right after it would be taken for Alt and that key: it must have led away before that comes.
    if keys == "Esc" {
        let away = |screen: &str| last(screen) != before;
        tmux.wait("what Esc leads to", away).unwrap_or_else(|why| panic!("{why}"));
    }
}

/// The keys at the bottom of the screen, above the step of a tour.
fn last(screen: &str) -> &str {
    let lines = screen.lines().take_while(|line| !line.starts_with("── "));
    lines.filter(|line| !line.trim().is_empty()).last().unwrap_or_default()
}

fn hints(tmux: &Tmux) -> String {
    last(&tmux.screen()).to_owned()
}

/// Carries one out. Returns what went wrong.
fn carry_out(name: &str, recipe: &Recipe) -> Result<(), String> {
    if recipe.keys != recipe.counted() {
        return Err(format!("it says {} keys and takes {}", recipe.keys, recipe.counted()));
    }
    let home = tempfile::tempdir().map_err(|error| error.to_string())?;
    let scene = home.path().join("table.scene.toml");
    std::fs::write(&scene, &recipe.scene).map_err(|error| error.to_string())?;
    let place = home.path().display().to_string();
    let homes = [
        ("HOME", place.as_str()),
        ("XDG_CONFIG_HOME", &place),
        ("XDG_STATE_HOME", &place),
        ("XDG_RUNTIME_DIR", &place),
        ("PATH", "/usr/bin:/bin"),
    ];
    let tmux = start_with(name, DESIGN, &format!("--scene {}", scene.display()), &homes);
    tmux.wait("the board", |screen| screen.contains("Bksp commands") && !screen.contains("being made"))?;
    follow(&tmux, recipe.acts.iter(), home.path(), &homes, &|screen| screen.to_owned())
}

/// Does what is to be done, and waits for what should be seen in that part of the screen.
fn follow<'a>(
    tmux: &Tmux,
    acts: impl Iterator<Item = &'a (usize, Act)>,
    home: &Path,
    homes: &[(&str, &str)],
    part: &dyn Fn(&str) -> String,
) -> Result<(), String> {
    let (mut said, mut pressed) = (None, None);
    for (line, act) in acts {
        match act {
            Act::Keys(keys) | Act::OnDevice(keys) => {
                said = None;
                pressed = matches!(act, Act::OnDevice(_)).then_some(keys);
                press(tmux, keys);
            }
            Act::Command(command) => {
                let arguments = command.trim_start_matches("placid-mantle ");
                let arguments: Vec<String> = words(arguments);
                let mut run = Command::new(env!("CARGO_BIN_EXE_placid-mantle"));
                let done = run.args(&arguments).envs(homes.iter().copied()).current_dir(home).output();
                let done = done.map_err(|error| format!("line {line}: {command}: {error}"))?;
                let text = String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr);
                if !done.status.success() {
                    return Err(format!("line {line}: {command}: {} {text}", done.status));
                }
                said = Some(text);
            }
            Act::Sees(seen) => match &said {
                Some(text) if !text.contains(seen.as_str()) => return Err(format!("line {line}: {seen} in: {text}")),
                Some(_) => {}
                None => {
                    tmux.wait(&format!("line {line}: {seen}"), |screen| {
                        // Nobody outside knows when listening has begun, so a device is pressed until it is heard.
                        if let Some(keys) = pressed.filter(|_| screen.contains("nothing is pressed yet")) {
                            press(tmux, keys);
                        }
                        part(screen).contains(seen.as_str())
                    })?;
                    pressed = None;
                }
            },
        }
    }
    Ok(())
}

/// The words of a command; quotes hold several together.
fn words(text: &str) -> Vec<String> {
    let mut out = Vec::new();
    for (at, part) in text.split('"').enumerate() {
        if at % 2 == 1 {
            out.push(part.to_owned());
        } else {
            out.extend(part.split_whitespace().map(str::to_owned));
        }
    }
    out
}

#[test]
fn every_recipe_works() {
    let all = recipes();
    assert!(!all.is_empty(), "no recipe is there");
    let (first, second) = all.split_at(all.len() / 2);
    let carry = |some: &[(String, Recipe)]| -> Vec<String> {
        let one = |(name, recipe): &(String, Recipe)| carry_out(name, recipe).err().map(|why| format!("{name}: {why}"));
        some.iter().filter_map(one).collect()
    };
    let wrong = std::thread::scope(|scope| {
        let other = scope.spawn(|| carry(second));
        let mut wrong = carry(first);
        wrong.extend(other.join().expect("it has not panicked"));
        wrong
    });
    for (name, recipe) in &all {
        println!("{name}: {} keys", recipe.keys);
    }
    println!("{} recipes, {} keys", all.len(), all.iter().map(|(_, recipe)| recipe.keys).sum::<usize>());
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}

/// The command's output, and that its table opens.
#[test]
fn recipes_are_listed_shown_and_opened() {
    let said = |arguments: &[&str]| {
        let done = Command::new(env!("CARGO_BIN_EXE_placid-mantle")).args(arguments).output().expect("it runs");
        assert!(done.status.success(), "{arguments:?}");
        String::from_utf8(done.stdout).expect("text")
    };
    let list = said(&["recipe"]);
    for (name, recipe) in recipes() {
        let short = name.split_once('-').map_or(name.as_str(), |(_, short)| short);
        let line = list.lines().find(|line| line.starts_with(short)).unwrap_or_else(|| panic!("{short} in {list}"));
        assert!(line.contains(&recipe.title) && line.contains(&format!("({} keys)", recipe.keys)), "{line}");
        assert!(said(&["recipe", short]).contains("## It works when"));
        said(&["demo", "--headless", "--for", "0.5", "--scene", &format!("recipe/{short}")]);
    }
    let one = said(&["recipe", "two-halves"]);
    assert!(one.contains("You want: one player with both hands.") && !one.contains("[[device]]"), "{one}");
}

/// Each step of the tour waits until it is done, and the next one comes; also at the smallest size.
#[test]
fn the_tour_can_be_completed() {
    let text = include_str!("../../../docs/tour.md");
    let tour = Recipe::parse(text).expect("the tour");
    assert_eq!(tour.keys, tour.counted(), "the number of keys that it says");
    for size in [DESIGN, (80, 24)] {
        let name = format!("tour-{}", size.0);
        let usual = [("LC_ALL", "C.UTF-8"), ("NO_COLOR", ""), ("RUST_BACKTRACE", "0")];
        let program = format!("{} tour", env!("CARGO_BIN_EXE_placid-mantle"));
        let tmux = Tmux::start(&name, size, &usual, &program).expect("tmux starts");
        let heading = |step: usize| format!("── {step} of {} ──", tour.steps.len());
        // The step itself says what should be seen, so only what is above it counts. Lines may be broken.
        let above = |screen: &str| {
            let lines = screen.lines().take_while(|line| !line.starts_with("── "));
            lines.flat_map(str::split_whitespace).collect::<Vec<_>>().join(" ")
        };
        for at in 0..tour.steps.len() {
            tmux.wait("the step", |screen| screen.contains(&heading(at + 1))).unwrap_or_else(|why| panic!("{why}"));
            follow(&tmux, tour.acts_in(at), Path::new("."), &[], &above)
                .unwrap_or_else(|why| panic!("at {size:?}: {why}"));
        }
        tmux.wait("its end", |screen| screen.contains("── done ──")).expect("it ends");
        tmux.keys(&["F2"]).expect("keys");
        tmux.wait("no tour", |screen| !screen.contains("── done ──")).expect("it closes");
    }
    // Whoever has seen enough of a step goes on.
    let tmux = Tmux::start(
        "tour-skipped",
        (80, 24),
        &[("LC_ALL", "C.UTF-8")],
        &format!("{} tour", env!("CARGO_BIN_EXE_placid-mantle")),
    )
    .expect("tmux starts");
    for step in 1..=tour.steps.len() {
        let heading = format!("── {step} of {} ──", tour.steps.len());
        tmux.wait("the step", |screen| screen.contains(&heading)).unwrap_or_else(|why| panic!("{why}"));
        tmux.keys(&["F2"]).expect("keys");
    }
    tmux.wait("its end", |screen| screen.contains("── done ──")).expect("it ends");
}

/// `F1`, and `?` twice: what the view is for, and recipes for the device that it shows.
#[test]
fn each_view_explains_itself() {
    let scene = tty::quiet_scene("explained", &["quay-pad", "harbour-panel"]);
    let tmux = start_with("explained", (80, 24), &format!("--scene {}", scene.display()), &[]);
    let sees = |words: &str| tmux.wait(words, |screen| screen.contains(words)).expect("it is seen");
    sees("Slot 2");
    for (key, words) in [
        ("", "Each row is a player's slot"),
        ("D", "What the device is, what recognises it"),
        ("R", "The bytes as they arrive"),
        ("C", "Every control with its raw value"),
        ("B", "On the left each control of the pad"),
        ("F", "How sticks and triggers respond"),
        ("P", "What the pad sends, read back"),
        ("G", "What a game finds on this machine"),
        ("S", "A profile says which control does what"),
        ("j", "What happened and when"),
    ] {
        if !key.is_empty() {
            tmux.keys(&[key]).expect("pressed");
        }
        tmux.keys(&["F1"]).expect("pressed");
        sees(words);
        // Esc with another key right after it would be taken for Alt and that key.
        tmux.keys(&["Escape"]).expect("pressed");
        tmux.wait("the page is closed", |screen| !screen.contains(words)).expect("it is");
        if !key.is_empty() {
            tmux.keys(&["Escape"]).expect("pressed");
        }
        sees("Enter open");
    }
    tmux.keys(&["?"]).expect("pressed");
    sees("what this view is for");
    tmux.keys(&["?"]).expect("pressed");
    sees("Each row is a player's slot");
    // In such a small terminal it scrolls as far as its last line.
    sees("lines below");
    for _ in 0..40 {
        tmux.keys(&["Down"]).expect("pressed");
    }
    sees("  ↓ 0 lines below");
    sees("flight-stick-in-a-browser: A flight stick seen by a browser.");
}
