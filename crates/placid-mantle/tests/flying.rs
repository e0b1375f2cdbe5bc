//! A flight stick in a real terminal, from a device in no slot to the exports, and its kind changed and back.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::{Path, PathBuf};
use std::process::Command;

fn wait(tmux: &Tmux, words: &'static str) -> String {
    tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

fn line<'a>(screen: &'a str, target: &str) -> &'a str {
    let own = |line: &&str| line.chars().take(30).collect::<String>().contains(target);
    screen.lines().find(own).unwrap_or_default()
}

/// What is typed for the chosen target plays it; what that played before plays nothing.
fn bind(tmux: &Tmux, target: &'static str, source: &'static str) {
    tmux.keys(&["t"]).expect("keys");
    tmux.wait("the line", |screen| screen.contains(&format!("What should play {target}"))).expect("it is asked");
    tmux.keys(&[source, "Enter"]).expect("keys");
    tmux.wait("the question", |screen| screen.contains(&format!("{source} moved from "))).expect("it is asked");
    tmux.keys(&["Enter"]).expect("keys");
    let bound = |screen: &str| line(screen, target).contains(&format!("← {source}"));
    tmux.wait(source, bound).unwrap_or_else(|why| panic!("{why}"));
}

/// What a PDF says.
fn text(pdf: &Path) -> String {
    let output =
        Command::new("pdftotext").args(["-layout"]).arg(pdf).arg("-").output().expect("poppler-utils is there");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Exports what is seen, and reads it.
fn paper(tmux: &Tmux, state: &Path, ending: &'static str) -> String {
    tmux.keys(&["X"]).expect("keys");
    let file = || {
        let all = std::fs::read_dir(state.join("placid-mantle/paper")).into_iter().flatten().flatten();
        all.map(|entry| entry.path()).find(|path: &PathBuf| path.to_string_lossy().ends_with(ending))
    };
    tmux.wait(ending, |screen| screen.contains("exported as PDF and SVG") && file().is_some()).expect("it is on paper");
    text(&file().expect("it is there"))
}

#[test]
fn a_puck_flies_and_is_bound_inverted_tried_and_exported() {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("flies.scene.toml");
    let puck = "version = 1\ntitle = \"quiet\"\n[[device]]\nfile = \"kestrel-puck\"\nport = \"1-7\"\nhands = false\n\
                slots = [0]\n";
    std::fs::write(&scene, puck).expect("a scene");
    let home = tempfile::tempdir().expect("a directory");
    let state = home.path().to_string_lossy().into_owned();
    let arguments = format!("--scene {}", scene.display());
    let tmux = tty::start_with("flies", tty::DESIGN, &arguments, &[("XDG_STATE_HOME", &state)]);
    wait(&tmux, "no slot     Kestrel puck");
    tmux.keys(&["p"]).expect("keys");
    // What suits it is proposed, with everything that it has.
    let asked = wait(&tmux, "Place Kestrel puck");
    assert!(asked.contains("flight stick") && asked.contains("X Y Z Rx Ry Rz, 2 buttons, no hats"), "{asked}");
    tmux.keys(&["Enter"]).expect("keys");
    wait(&tmux, "Kestrel puck plays in slot 1 as a flight stick, by plain; u undoes it");
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "← X lower half");
    for (target, source) in [("X minus", "Ry lower half"), ("X plus", "Ry upper half")] {
        bind(&tmux, target, source);
        tmux.keys(&["Down"]).expect("keys");
    }
    for (target, source) in [("Y minus", "Rx lower half"), ("Y plus", "Rx upper half")] {
        bind(&tmux, target, source);
        tmux.keys(&["Down"]).expect("keys");
    }
    // One axis the other way around.
    tmux.keys(&["F"]).expect("keys");
    wait(&tmux, "invert X");
    tmux.wait("the setting", |screen| {
        let chosen = screen.lines().any(|line| line.contains("▸ invert X"));
        if !chosen {
            tmux.keys(&["Down"]).expect("keys");
        }
        chosen
    })
    .expect("it is chosen");
    tmux.keys(&["+"]).expect("keys");
    wait(&tmux, "X and Y: inverted X, in Kestrel puck; u undoes it");
    let curves = paper(&tmux, home.path(), ".curves.pdf");
    for words in ["Kestrel puck: how its axes feel", "X and Y", "Rx and Ry", "Rz", "invert X: yes"] {
        assert!(curves.contains(words), "{words} is missing: {curves}");
    }
    // Tried: pushing X up shows on the other side. A key of a terminal is a short push.
    tmux.keys(&["P", "h"]).expect("keys");
    wait(&tmux, "in hand:");
    tmux.wait("both ends", |screen| {
        if !screen.contains("✓ X minus") {
            tmux.keys(&["k"]).expect("a key");
        }
        screen.contains("✓ X minus")
    })
    .expect("it is seen");
    let screen = tmux.wait("rest", |screen| screen.contains("in hand:")).expect("it is there");
    assert!(screen.contains("○ X plus"), "only the other end has been seen:\n{screen}");
    tmux.keys(&["Escape"]).expect("keys");
    tmux.wait("it is put down", |screen| !screen.contains("in hand:")).expect("put down");
    let results = paper(&tmux, home.path(), ".results.pdf");
    assert!(results.contains("X minus seen from rest to full and back"), "{results}");
    assert!(results.contains("X plus not seen to full and back"), "{results}");
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "← Ry lower half");
    let card = paper(&tmux, home.path(), ".card.pdf");
    for words in ["Kestrel puck", "X minus", "Ry lower half", "Y plus", "Rx upper half", "button 2"] {
        assert!(card.contains(words), "{words} is missing: {card}");
    }
    assert!(!card.contains("left stick"), "a flight stick has none: {card}");
    // Keys alone, and back.
    tmux.keys(&["P", "K", "k", "k"]).expect("keys");
    wait(&tmux, "no pad: keys and the mouse");
    tmux.keys(&["Enter"]).expect("keys");
    wait(&tmux, "slot 1 plays as keys only now; Kestrel puck is for common pad, flight stick and motion pad");
    wait(&tmux, "There is no pad: games see only keyboard and mouse.");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "undone: slot 1 plays as keys only now");
    tmux.keys(&["B"]).expect("keys");
    let back = wait(&tmux, "← Ry lower half");
    assert!(line(&back, "X minus").contains("← Ry lower half") && line(&back, "Y plus").contains("← Rx upper half"));
}

/// A motion pad in a real terminal: it is seen to rotate, the control for that is removed and given back, and its kind is changed and back.
#[test]
fn a_motion_pad_turns_on_screen_and_its_source_is_typed() {
    let home = tempfile::tempdir().expect("a directory");
    let state = home.path().to_string_lossy().into_owned();
    let tmux = tty::start_with("turns", tty::DESIGN, "--scene turning", &[("XDG_STATE_HOME", &state)]);
    tmux.keys(&["1", "P"]).expect("keys");
    wait(&tmux, "+1.00 g");
    // The hand of its device rotates it again and again, to the left.
    let turns = |screen: &str| screen.lines().any(|line| line.contains("up ") && line.contains(" -630 °/s"));
    tmux.wait("it to turn", turns).unwrap_or_else(|why| panic!("{why}"));
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "← Lantern left: motion");
    tmux.keys(&["Up", "Up", "Up", "Up"]).expect("keys");
    wait(&tmux, "▸ · motion");
    tmux.keys(&["Enter"]).expect("keys");
    wait(&tmux, "What should play motion");
    tmux.keys(&["none", "Enter"]).expect("keys");
    let of_motion = |words: &'static str| move |screen: &str| line(screen, "motion").contains(words);
    tmux.wait("nothing to play it", of_motion("nothing")).unwrap_or_else(|why| panic!("{why}"));
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("it to be played again", of_motion("← Lantern left: motion")).unwrap_or_else(|why| panic!("{why}"));
    tmux.keys(&["P", "K", "k", "k"]).expect("keys");
    wait(&tmux, "ferry-race (412) has it open now.");
    tmux.keys(&["Enter"]).expect("keys");
    let screen = wait(&tmux, "slot 1 plays as a common pad now");
    assert!(!screen.contains("°/s"), "a common pad does not turn:\n{screen}");
    wait(&tmux, "common pad  simulated pad 1");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "undone: slot 1 plays as a common pad now");
    wait(&tmux, "+1.00 g");
}
