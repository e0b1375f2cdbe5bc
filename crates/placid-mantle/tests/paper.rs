//! Cards, curves and results on paper, read back by the tools that people print with.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use std::path::{Path, PathBuf};
use std::process::Command;

fn program(home: &Path, arguments: &[&str]) -> String {
    let output = Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
        .args(arguments)
        .env("HOME", home)
        .env_remove("XDG_CONFIG_HOME")
        .env_remove("XDG_STATE_HOME")
        .output()
        .expect("it starts");
    assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

/// What a tool of poppler-utils says about a file.
fn tool(name: &str, arguments: &[&str], file: &Path) -> String {
    let mut command = Command::new(name);
    command.args(arguments).arg(file);
    if name == "pdftotext" {
        command.arg("-");
    }
    let output = command.output().expect("poppler-utils is installed");
    assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// Every font is embedded, in part.
fn assert_embedded(pdf: &Path) {
    let fonts = tool("pdffonts", &[], pdf);
    let lines: Vec<&str> = fonts.lines().skip(2).collect();
    assert!(!lines.is_empty(), "{fonts}");
    for line in lines {
        // From the end: object, generation, unicode, subset, embedded.
        let words: Vec<&str> = line.split_whitespace().rev().collect();
        assert_eq!((words[2], words[3], words[4]), ("yes", "yes", "yes"), "{fonts}");
    }
}

fn files(said: &str, end: &str) -> Vec<PathBuf> {
    said.lines().filter(|line| line.ends_with(end)).map(PathBuf::from).collect()
}

/// Words in a line, whatever the spaces between them.
fn plain(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn a_card_shows_every_bound_control_and_word() {
    let home = tempfile::tempdir().expect("a directory");
    let into = home.path().join("wall");
    let shown = into.display().to_string();
    for (profile, device, words) in [
        ("garden", "harbour-panel", &["hop", "dig", "button 10", "hat + X + Y", "d-pad up", "basket"][..]),
        ("ferry", "quay-pad", &["full ahead", "accelerator", "while holding button 5: deck", "gangway up"]),
        ("plain", "pilot-yoke", &["South", "left stick up", "button 8", "hat left"]),
    ] {
        let said = program(home.path(), &["card", profile, "--on", device, "--into", &shown]);
        let pdfs = files(&said, ".card.pdf");
        assert_eq!(pdfs.len(), 1, "{said}");
        assert_embedded(&pdfs[0]);
        let text = plain(&tool("pdftotext", &["-layout"], &pdfs[0]));
        for word in words {
            assert!(text.contains(word), "{profile}: {word} is missing:\n{text}");
        }
        let pages = files(&said, ".card.svg");
        let drawn: String = pages.iter().map(|path| std::fs::read_to_string(path).expect("an SVG")).collect();
        for word in words {
            assert!(drawn.contains(word), "{profile}: {word} is missing in the SVG");
        }
    }
}

/// What is pressed repeatedly, or in a row, is on the card.
#[test]
fn repeated_presses_are_on_the_card() {
    let home = tempfile::tempdir().expect("a directory");
    let profiles = home.path().join(".config/placid-mantle/profiles");
    std::fs::create_dir_all(&profiles).expect("made");
    let text = "version = 1\nname = \"hammer\"\n[[binding]]\ntarget = \"South\"\nsource = \"button 1\"\nagain = 8\n\
                [[binding]]\ntarget = \"East\"\nsource = \"button 2\"\nrow = [0.05, 0.08, 0.05]\n";
    std::fs::write(profiles.join("hammer.profile.toml"), text).expect("written");
    let into = home.path().join("wall").display().to_string();
    let said = program(home.path(), &["card", "hammer", "--on", "quay-pad", "--into", &into]);
    let text = plain(&tool("pdftotext", &["-layout"], &files(&said, ".card.pdf")[0]));
    for words in ["8 times per second", "a row of 2 presses in 180 ms"] {
        assert!(text.contains(words), "{words} is missing:\n{text}");
    }
}

/// Where a word stands on the first page: its left side and its top.
fn place_of(pdf: &Path, word: &str) -> (f32, f32) {
    let text = tool("pdftotext", &["-bbox"], pdf);
    let line = text.lines().find(|line| line.contains(&format!(">{word}<")));
    let line = line.unwrap_or_else(|| panic!("{word} is missing:\n{text}"));
    let number = |key: &str| line.split(&format!("{key}=\"")).nth(1)?.split('"').next()?.parse().ok();
    number("xMin").zip(number("yMin")).expect("a place")
}

/// The face of a sheet counts for every profile of the device, and that of the profile before it.
#[test]
fn controls_are_drawn_where_they_sit() {
    let home = tempfile::tempdir().expect("a directory");
    let own = home.path().join(".config/placid-mantle");
    std::fs::create_dir_all(own.join("sheets")).expect("made");
    std::fs::create_dir_all(own.join("profiles")).expect("made");
    let sheet = "version = 1\nname = \"Quay pad\"\nkeep = true\nface = [[\"button 2\", \"button 1\"], [\"\", \"X + Y\"]]\n\
                 [match]\nname = \"Quay pad\"\n";
    std::fs::write(own.join("sheets/quay.sheet.toml"), sheet).expect("written");
    let bound = "version = 1\nname = \"NAME\"\n[[binding]]\ntarget = \"South\"\nsource = \"button 1\"\n\
                 [[binding]]\ntarget = \"East\"\nsource = \"button 2\"\n[actions]\nSouth = \"hoist\"\nEast = \"lower\"\n";
    let into = home.path().join("wall").display().to_string();
    let card = |name: &str, face: &str| {
        let text = bound
            .replace("NAME", name)
            .replace("[[binding]]\ntarget = \"South\"", &format!("{face}\n[[binding]]\ntarget = \"South\""));
        std::fs::write(own.join(format!("profiles/{name}.profile.toml")), text).expect("written");
        let said = program(home.path(), &["card", name, "--on", "quay-pad", "--into", &into]);
        files(&said, ".card.pdf")[0].clone()
    };
    let plain_one = card("one", "");
    let (hoist, lower) = (place_of(&plain_one, "hoist"), place_of(&plain_one, "lower"));
    assert!(lower.0 < hoist.0 && (lower.1 - hoist.1).abs() < 1.0, "as the sheet says: {lower:?} {hoist:?}");
    let text = plain(&tool("pdftotext", &["-layout"], &plain_one));
    // Around a plus the reader sees no blanks.
    for words in ["X+Y", "left stick up", "left stick right", "elsewhere", "button 3"] {
        assert!(text.replace(" + ", "+").contains(words), "{words} is missing:\n{text}");
    }
    let other = card("other", "face = [[\"button 1\"], [\"button 2\"]]");
    let (hoist, lower) = (place_of(&other, "hoist"), place_of(&other, "lower"));
    assert!((lower.0 - hoist.0).abs() < 30.0 && lower.1 > hoist.1, "as the profile says: {lower:?} {hoist:?}");
}

#[test]
fn nothing_is_overwritten_and_missing_files_are_reported() {
    let home = tempfile::tempdir().expect("a directory");
    let into = home.path().display().to_string();
    let draw = || program(home.path(), &["curves", "crane", "--on", "jetty-box", "--into", &into]);
    let (first, second) = (files(&draw(), ".pdf"), files(&draw(), ".pdf"));
    assert_ne!(first, second);
    assert_eq!(std::fs::read(&first[0]).expect("there"), std::fs::read(&second[0]).expect("there"), "the same bytes");
    assert_embedded(&first[0]);
    let text = plain(&tool("pdftotext", &["-layout"], &first[0]));
    for words in ["crane: how sticks and triggers feel", "curve: gentle", "dead zone: 4 %", "right trigger"] {
        assert!(text.contains(words), "{words} is missing:\n{text}");
    }
    for (arguments, why) in [
        (["card", "lighthouse", "--on", "quay-pad"], "lighthouse is neither a profile nor a file; there are plain"),
        (["card", "garden", "--on", "lighthouse"], "one of the demo's devices: buoy-stick"),
    ] {
        let output = Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
            .args(arguments)
            .env("HOME", home.path())
            .output()
            .expect("it starts");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(why), "{said}");
    }
}

/// From a stick that nobody rolled around to paper: what was seen is on it, and what was not is mentioned.
#[test]
fn views_can_be_exported_to_paper() {
    let home = tempfile::tempdir().expect("a directory");
    let shown = home.path().display().to_string();
    let scene = tty::quiet_scene("paper", &["quay-pad"]);
    let environment = [("LC_ALL", "C.UTF-8"), ("NO_COLOR", ""), ("HOME", shown.as_str())];
    let program = tty::demo(&format!("--scene {}", scene.display()));
    let tmux = mantle_lab::Tmux::start("paper", tty::DESIGN, &environment, &program).expect("tmux starts");
    tmux.wait("the board", |screen| screen.contains("Quay pad")).expect("it is there");
    for (view, shows, what) in [
        ("B", "← button 1", "card"),
        ("F", "outer dead zone", "curves"),
        ("P", "roll the sticks around", "results"),
        ("C", "z calibrates", "ranges"),
        ("D", "plugged in", "report"),
    ] {
        tmux.keys(&[view]).expect("a key");
        tmux.wait(shows, |screen| screen.contains(shows)).expect("the view opens");
        tmux.keys(&["X"]).expect("a key");
        let said = format!("plain-quay-pad.{what}.pdf");
        tmux.wait("the paper", |screen| screen.contains(&said)).expect("it is said");
        let path = home.path().join(".local/state/placid-mantle/paper").join(&said);
        assert_embedded(&path);
    }
    let papers = home.path().join(".local/state/placid-mantle/paper");
    let report = tool("pdftotext", &["-layout"], &papers.join("plain-quay-pad.report.pdf"));
    for words in
        ["Quay pad", "1209:0a02", "all ", "What it is", "How healthy it is", "promised 0 to 255", "left shoulder"]
    {
        assert!(report.contains(words), "{words} is not in the report:\n{report}");
    }
    assert!(report.matches('\u{c}').count() == 2, "two pages");
    let ranges = tool("pdftotext", &["-layout"], &papers.join("plain-quay-pad.ranges.pdf"));
    assert!(ranges.contains("how far its axes go") && ranges.contains("promised 0 to 255"), "{ranges}");
    let paper = papers.join("plain-quay-pad.results");
    let text = std::fs::read_to_string(paper.with_extension("results.txt")).expect("as text");
    assert!(text.contains("✗ not yet: 0 of 24 seen from rest to full and back"), "{text}");
    assert!(text.contains("left stick: outline") && text.contains("not rolled around yet"), "{text}");
    let json = std::fs::read_to_string(paper.with_extension("results.json")).expect("as JSON");
    let value: serde_json::Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((&value["passed"], &value["slot"], &value["device"]), (&false.into(), &1.into(), &"Quay pad".into()));
    assert_eq!(
        value["lines"].as_array().map(|lines| lines.iter().filter(|line| line["passed"] == false).count()),
        Some(24)
    );
}
