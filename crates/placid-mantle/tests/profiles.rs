//! Profiles as files, from the command line, as a person would handle them.

use std::path::Path;
use std::process::{Command, Output};

fn command(home: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_placid-mantle"));
    command.arg("profile").args(arguments).env("HOME", home);
    command.env("XDG_CONFIG_HOME", home.join("config")).env("XDG_STATE_HOME", home.join("state"));
    command
}

fn profile(home: &Path, arguments: &[&str]) -> Output {
    command(home, arguments).output().expect("it starts")
}

fn says(home: &Path, arguments: &[&str]) -> String {
    let output = profile(home, arguments);
    assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[test]
fn profiles_are_managed_from_the_command_line() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    assert!(says(home, &["list"]).starts_with("There are none in "));
    says(home, &["new", "ferry"]);
    let path = home.join("config/placid-mantle/profiles/ferry.profile.toml");
    let text = std::fs::read_to_string(&path).expect("it is there");
    let mine = format!("{text}# mine\n[[binding]]\ntarget = \"South\"\nsource = \"button 4\"\n");
    std::fs::write(&path, mine).expect("edited");
    says(home, &["copy", "ferry", "crane"]);
    assert!(says(home, &["compare", "ferry", "crane"]).contains("They play and feel the same."));
    says(home, &["new", "empty"]);
    assert!(says(home, &["compare", "ferry", "empty"]).contains("South: button 4 | –"));
    let slots = home.join("config/placid-mantle/slots.toml");
    std::fs::write(&slots, "version = 1\n[[slot]]\nnumber = 2 # mine\nprofile = \"ferry\"\n").expect("a slots file");
    assert!(says(home, &["rename", "ferry", "night ferry"]).contains("in the slots file too"));
    let text = std::fs::read_to_string(&slots).expect("it is there");
    assert!(text.contains("profile = \"night ferry\"") && text.contains("# mine"), "{text}");
    let list = says(home, &["list"]);
    assert!(list.contains("night ferry") && list.contains("crane") && list.contains("1 bindings"), "{list}");
    assert!(says(home, &["delete", "crane"]).contains("trash/crane.profile.toml"));
    assert!(home.join("state/placid-mantle/trash/crane.profile.toml").exists());
    let refused = profile(home, &["copy", "crane", "x"]);
    let why = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(!refused.status.success() && why.contains("there is no profile named crane; there are"), "{why}");
}

#[test]
fn a_profile_is_made_from_a_template_shared_and_imported() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    assert!(says(home, &["templates"]).lines().count() == 10);
    says(home, &["new", "walks", "--like", "keys-only"]);
    let passed = home.join("passed.profile.toml").display().to_string();
    says(home, &["export", "walks", &passed]);
    let again = profile(home, &["export", "walks", &passed]);
    assert!(String::from_utf8_lossy(&again.stderr).contains("is not overwritten"));
    let taken = profile(home, &["import", &passed]);
    assert!(String::from_utf8_lossy(&taken.stderr).contains("--as imports it under another name"));
    let said = says(home, &["import", &passed, "--as", "strolls"]);
    assert!(
        said.contains("It wants to type") && said.contains("key W") && said.contains("until you allow it"),
        "{said}"
    );
    assert!(says(home, &["compare", "walks", "strolls"]).contains("They play and feel the same."));
    says(home, &["new", "rests"]);
    assert!(says(home, &["compare", "walks", "rests"]).contains("key W: Y lower half | –"));
    let targets = says(home, &["targets"]);
    assert!(targets.starts_with("South\n") && targets.contains("\nmouse button left\n"));
}

#[test]
fn scripts_step_the_feel_and_flip_it() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    says(home, &["new", "ferry"]);
    assert_eq!(says(home, &["feel", "ferry", "left stick", "dead zone", "more"]), "5 %: dead zone of the left stick\n");
    assert_eq!(says(home, &["feel", "ferry", "left stick", "dead zone", "more"]), "6 %: dead zone of the left stick\n");
    let path = home.join("config/placid-mantle/profiles/ferry.profile.toml");
    let dead_zone = || std::fs::read_to_string(&path).expect("there").contains("0.06");
    assert!(dead_zone());
    says(home, &["back", "ferry"]);
    assert!(!dead_zone(), "the old one");
    says(home, &["again", "ferry"]);
    assert!(dead_zone(), "and the new one");
    let refused = profile(home, &["feel", "ferry", "left trigger", "gate", "more"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("the left trigger has no gate; there are dead zone"));
}

#[test]
fn a_mapping_line_is_a_starting_point() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    let line = "03000000091200000a02000000010000,Sample,a:b2,b:b1,leftx:a0,dpup:h0.1,paddle1:b3,platform:Linux,";
    let said = says(home, &["from-mapping", line, "--as", "sample", "--on", "quay-pad"]);
    assert!(said.contains("skipped: paddle1:b3: our pad has no paddle1"), "{said}");
    let text = std::fs::read_to_string(home.join("config/placid-mantle/profiles/sample.profile.toml")).expect("there");
    assert!(text.contains("target = \"South\"\nsource = \"button 3\""), "{text}");
    assert!(text.contains("target = \"left stick left\"\nsource = \"X lower half\""), "{text}");
    assert!(!profile(home, &["from-mapping", "nonsense", "--as", "other", "--on", "quay-pad"]).status.success());
}

/// Killed without warning, sooner or later after its start: the file is complete, as it was or as it was to be, and every earlier version can be
/// restored.
#[test]
fn an_edit_killed_at_any_moment_leaves_a_whole_undoable_file() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    says(home, &["new", "ferry"]);
    let path = home.join("config/placid-mantle/profiles/ferry.profile.toml");
    let dead_zone = || {
        let text = std::fs::read_to_string(&path).expect("it is there");
        let read = mantle_files::profile::read("ferry", &text);
        assert_eq!(read.faults, [], "{text}");
        let feel = read.profile.expect("it is whole").feel;
        (feel.sticks[0].dead_zone * 100.0).round() as i32
    };
    let edit = |step: &'static str| ["feel", "ferry", "left stick", "dead zone", step];
    let mut known = vec![dead_zone()];
    for round in 0..120u64 {
        let (step, by) = if round % 2 == 0 { ("more", 1) } else { ("less", -1) };
        let mut child = command(home, &edit(step)).stdout(std::process::Stdio::null()).spawn().expect("it starts");
        std::thread::sleep(std::time::Duration::from_micros(round * 60));
        child.kill().expect("killed, or over");
        child.wait().expect("it has ended");
        let (now, last) = (dead_zone(), known[known.len() - 1]);
        assert!(now == last || now == last + by, "round {round}: {now} after {last}");
        if now != last {
            known.push(now);
        }
    }
    // One that nobody kills, so there is at least one.
    says(home, &edit("more"));
    known.push(dead_zone());
    // As many of the last hundred as are kept.
    for want in known.iter().rev().skip(1).take(99) {
        says(home, &["back", "ferry"]);
        assert_eq!(dead_zone(), *want);
    }
}
