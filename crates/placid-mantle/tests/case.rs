//! A table in one file: made by its owner, opened and mended by somebody else, taken over and taken back.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

#[allow(dead_code, reason = "the other tests of engines use the rest of it")]
mod account;

use account::Account;
use mantle_lab::Tmux;
use std::fs;
use std::io::Write;
use std::process::Stdio;

fn wait(tmux: &Tmux, words: &str) -> String {
    let flat = |screen: &str| screen.split_whitespace().collect::<Vec<_>>().join(" ");
    tmux.wait(words, |screen| flat(screen).contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

/// A case of a scene, made from the command line.
fn case_of(account: &mut Account, scene: &str, more: &[&str]) -> String {
    account.serve(scene);
    let file = account.path("evening.case.toml").display().to_string();
    let said = account.said(&[&["case", file.as_str(), "--for", "2"], more].concat());
    for words in ["This goes in:", "Written: ", "placid-mantle case --open"] {
        assert!(said.contains(words), "{words}: {said}");
    }
    file
}

#[test]
fn a_case_lists_its_contents_and_repeats_its_owners_sentences() {
    let mut account = Account::new();
    let file = case_of(&mut account, "troubles", &[]);
    let text = fs::read_to_string(&file).expect("it is written");
    let home = account.path("").display().to_string();
    assert!(!text.contains(home.trim_end_matches('/')), "the home directory stays at home");
    assert!(text.contains("[[reports]]") && text.contains("E: 0"), "reports are in it");
    // Played from afar it says what its owner's table said, and nothing else.
    let played = account.said(&["case", "--open", &file, "--headless"]);
    assert!(played.contains("owner: ") && played.contains(" slot "), "{played}");
    assert!(!played.contains("here:  "), "{played}");
    let (_, why) = account.refused(&["case", &file, "--for", "0"]);
    assert!(why.contains("exists already"), "{why}");
    let (_, why) = account.refused(&["case", "other", "--for", "0", "--device", "no such thing"]);
    assert!(why.contains("no such thing"), "{why}");
    fs::write(account.path("bad.case.toml"), "version = 1\nspan = -3\n").expect("written");
    let (_, why) = account.refused(&["case", "--open", &account.path("bad.case.toml").display().to_string()]);
    assert!(why.contains("bad.case.toml:2"), "{why}");
}

#[test]
fn a_case_has_only_what_was_asked_for() {
    let mut account = Account::new();
    let file = case_of(&mut account, "evening", &["--device", "Quay pad", "--serials"]);
    let text = fs::read_to_string(&file).expect("it is written");
    assert_eq!(text.matches("[[reports]]").count(), 1, "the reports of one device");
    assert!(text.contains("reports of other devices"), "and that is said");
    assert!(!text.contains("serial-1"), "serial numbers as they are");
}

#[test]
fn a_fix_made_in_a_case_is_returned_taken_over_and_undone() {
    let mut account = Account::new();
    let file = case_of(&mut account, "tidewater", &[]);
    assert!(account.said(&["stop"]).contains("has ended"));
    let helper = account.terminal("helper", tty::DESIGN, &format!("case --open {file}"));
    let screen = wait(&helper, "Case: Tidewater games evening");
    assert!(screen.contains("Owner's: "), "{screen}");
    // The dead zone of slot 1 is made larger there.
    helper.keys(&["1", "F"]).expect("keys");
    // A key counts once the value is there.
    wait(&helper, "dead zone 4 %");
    helper.keys(&["+"]).expect("keys");
    wait(&helper, "the new feel is on");
    helper.keys(&["q"]).expect("keys");
    wait(&helper, "You changed");
    wait(&helper, "--take-over");
    let answer = account.path("evening.answer.pack.toml").display().to_string();
    let text = fs::read_to_string(&answer).expect("it is written");
    assert_eq!(text.matches("[[file]]").count(), 1, "exactly what was changed: {text}");
    let name = text.lines().find_map(|line| line.strip_prefix("name = \"")).expect("a file").trim_end_matches('"');
    // The owner has an older version of that file, and previews first.
    let own = account.path("config/placid-mantle/profiles").join(name);
    fs::create_dir_all(own.parent().expect("a directory")).expect("made");
    fs::write(&own, "version = 1\nname = \"old\"\n# mine\n").expect("written");
    let (_, why) = account.refused(&["unpack", &answer, "--use"]);
    assert!(why.contains("--take-over"), "{why}");
    let answered = |with: &str| {
        let mut command = account.command(&["unpack", &answer, "--take-over"]);
        let mut child =
            command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("runs");
        child.stdin.take().expect("a pipe").write_all(with.as_bytes()).expect("answered");
        let output = child.wait_with_output().expect("it ends");
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    };
    let said = answered("n\n");
    assert!(said.contains("changed ") && said.contains("Nothing was changed."), "{said}");
    assert!(fs::read_to_string(&own).expect("read").contains("# mine"));
    let said = answered("y\n");
    assert!(said.contains("1 file changed") && said.contains("unpack --undo"), "{said}");
    assert!(!fs::read_to_string(&own).expect("read").contains("# mine"));
    assert!(answered("y\n").contains("Nothing changes"), "again, there is nothing to do");
    let said = account.said(&["unpack", "--undo"]);
    assert!(said.contains("back "), "{said}");
    assert!(fs::read_to_string(&own).expect("read").contains("# mine"), "as it was");
    assert!(account.said(&["unpack", "--undo"]).contains("nothing to undo"));
}

#[test]
fn a_case_is_written_from_the_journal_after_saying_what_is_in_it() {
    for (name, size) in [("small", (80, 24)), ("middle", (100, 30)), ("design", tty::DESIGN)] {
        let account = Account::new();
        let tmux = account.terminal(name, size, "demo");
        wait(&tmux, "Slot 1");
        tmux.keys(&["j"]).expect("keys");
        wait(&tmux, "Journal");
        tmux.keys(&["X"]).expect("keys");
        let screen = wait(&tmux, "This stays out:");
        for words in ["This goes in:", "the reports of keyboards", "serial numbers and addresses", "until you send it"]
        {
            assert!(screen.contains(words), "{name}: {words}: {screen}");
        }
        tmux.keys(&["Escape"]).expect("keys");
        tmux.wait("nothing open", |screen| !screen.contains("This stays out:")).expect("it is gone");
        let paper = account.path("state/placid-mantle/paper");
        assert!(!paper.join("table.case.toml").exists(), "{name}: nothing was written");
        tmux.keys(&["X"]).expect("keys");
        wait(&tmux, "This stays out:");
        tmux.keys(&["Enter"]).expect("keys");
        wait(&tmux, "case file written");
        let played =
            account.said(&["case", "--open", &paper.join("table.case.toml").display().to_string(), "--headless"]);
        assert!(played.contains("owner: "), "{played}");
        tmux.keys(&["q"]).expect("keys");
    }
}
