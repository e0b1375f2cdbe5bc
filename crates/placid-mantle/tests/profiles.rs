//! Profiles as files, from the command line, as a person would handle them.

use std::path::Path;
use std::process::{Command, Output};

fn profile(home: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
        .arg("profile")
        .args(arguments)
        .env("HOME", home)
        .env("XDG_CONFIG_HOME", home.join("config"))
        .env("XDG_STATE_HOME", home.join("state"))
        .output()
        .expect("it starts")
}

fn says(home: &Path, arguments: &[&str]) -> String {
    let output = profile(home, arguments);
    assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[test]
fn profiles_are_handled_from_the_command_line() {
    let directory = tempfile::tempdir().expect("a directory");
    let home = directory.path();
    assert!(says(home, &["list"]).starts_with("There are none yet in "));
    says(home, &["new", "ferry"]);
    let path = home.join("config/placid-mantle/profiles/ferry.profile.toml");
    let text = std::fs::read_to_string(&path).expect("it is there");
    let mine = format!("{text}# mine\n[[binding]]\ntarget = \"South\"\nsource = \"button 4\"\n");
    std::fs::write(&path, mine).expect("edited");
    says(home, &["copy", "ferry", "crane"]);
    assert!(says(home, &["compare", "ferry", "crane"]).contains("They play and feel alike."));
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
