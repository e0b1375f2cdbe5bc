//! `play`: a game started over an engine with a simulated world, what it finds, and what is as before when it has ended.

#[allow(dead_code, reason = "the tests of the engine that stays use the rest of it")]
mod account;

use account::Account;
use mantle_lab::wait_for;
use std::fs;
use std::process::{Output, Stdio};

fn play(account: &Account, arguments: &[&str]) -> Output {
    account.command(&[&["play"], arguments].concat()).output().expect("it runs")
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// By which profiles the slots play.
fn profiles(account: &Account) -> Vec<String> {
    let status = account.status();
    let slots = status["slots"].as_array().expect("slots");
    slots.iter().filter_map(|slot| slot["profile"].as_str().map(str::to_owned)).collect()
}

/// Two devices in two slots, and two profiles beside *plain*.
fn two_players() -> Account {
    let mut account = Account::new();
    let device = |file: &str, port: u8, slot: u8| {
        format!(
            "[[device]]\nfile = \"{file}\"\nport = \"1-{port}\"\nhands = false\nslots = [{slot}]\nprofile = \"calm\"\n"
        )
    };
    let (one, two) = (device("quay-pad", 3, 1), device("harbour-panel", 4, 2));
    let text = format!(
        "version = 1\ntitle = \"two\"\n[[profile]]\nname = \"calm\"\n[[profile]]\nname = \"swift\"\n{one}{two}"
    );
    let scene = account.path("two.scene.toml");
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    account
}

#[test]
fn a_game_finds_its_pads_and_its_exit_code_is_passed_on() {
    let account = two_players();
    let output = play(&account, &["--", "sh", "-c", "env; exit 7"]);
    assert_eq!(output.status.code(), Some(7), "{}", text(&output.stderr));
    let (found, said) = (text(&output.stdout), text(&output.stderr));
    assert!(found.contains("SDL_GAMECONTROLLER_IGNORE_DEVICES=0x1209/0x0a01,0x1209/0x0a02\n"), "{found}");
    let line = found.lines().find(|line| line.starts_with("SDL_GAMECONTROLLERCONFIG=")).expect("its pads");
    assert!(line.starts_with("SDL_GAMECONTROLLERCONFIG=030000005e0400008e020000") && line.contains(",a:b0,"), "{line}");
    assert!(said.contains("slot 1 is controller 1 in the game") && said.contains("slot 2 is controller 2"), "{said}");
    // What somebody has set stays in front of it.
    let mut command = account.command(&["play", "--", "sh", "-c", "echo \"$SDL_GAMECONTROLLER_IGNORE_DEVICES\""]);
    let output = command.env("SDL_GAMECONTROLLER_IGNORE_DEVICES", "0x0001/0x0002").output().expect("it runs");
    assert_eq!(text(&output.stdout), "0x0001/0x0002,0x1209/0x0a01,0x1209/0x0a02\n");
    // After a signal it ends as a shell would report it.
    assert_eq!(play(&account, &["--", "sh", "-c", "kill -9 $$"]).status.code(), Some(137));
    // For a launcher of one's own: output that a shell can read.
    let printed = text(&play(&account, &["--print"]).stdout);
    let script = format!("{printed}\nenv");
    let read = std::process::Command::new("sh").args(["-c", &script]).env_clear().output().expect("a shell");
    assert!(text(&read.stdout).lines().any(|own| own == line), "{printed}");
}

#[test]
fn a_profile_lasts_until_the_game_and_its_children_end() {
    let account = two_players();
    let seen = account.path("seen");
    // The game itself ends at once; what it has started goes on until it is told to end.
    let (go, script) =
        (account.path("go"), format!("(until [ -e {} ]; do sleep 0.02; done) & exit 3", account.path("go").display()));
    let mut child = account
        .command(&["play", "--slots", "2", "--profile", "swift", "--", "sh", "-c", &script])
        .stdout(fs::File::create(seen).expect("a file"))
        .stderr(Stdio::null())
        .spawn()
        .expect("it starts");
    wait_for("the profile", || (profiles(&account) == ["calm", "swift"]).then_some(())).expect("it plays by it");
    fs::write(go, "").expect("written");
    assert_eq!(child.wait().expect("it ended").code(), Some(3));
    wait_for("what was before", || (profiles(&account) == ["calm", "calm"]).then_some(())).expect("it is back");
    // Whoever started it may be killed: then everything is as before as well.
    let started = account.path("started");
    let lasts = format!("echo $PPID >{0}; while kill -0 $(cat {0}); do sleep 0.05; done", started.display());
    let mut command = account.command(&["play", "--profile", "swift", "--", "sh", "-c", &lasts]);
    let mut child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("it starts");
    let own = format!("{}\n", child.id());
    wait_for("the game", || fs::read_to_string(&started).is_ok_and(|text| text == own).then_some(())).expect("it runs");
    assert_eq!(profiles(&account), ["swift", "swift"], "before it starts");
    child.kill().expect("killed");
    child.wait().expect("it ended");
    wait_for("what was before", || (profiles(&account) == ["calm", "calm"]).then_some(())).expect("it is back");
}

#[test]
fn one_game_is_played_at_a_time_and_the_second_is_told_so() {
    let account = two_players();
    let told = account.path("told");
    let lasts = format!("until [ -e {} ]; do sleep 0.02; done", told.display());
    let mut first = account.command(&["play", "--profile", "swift", "--", "sh", "-c", &lasts]);
    let mut first = first.stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("it starts");
    wait_for("the first", || (profiles(&account) == ["swift", "swift"]).then_some(())).expect("it is played");
    let output = play(&account, &["--profile", "calm", "--", "true"]);
    let said = text(&output.stderr);
    assert!(output.status.success() && said.contains("this game's rule is not applied"), "{said}");
    assert_eq!(profiles(&account), ["swift", "swift"]);
    fs::write(told, "").expect("written");
    assert!(first.wait().expect("it ended").success());
    wait_for("what was before", || (profiles(&account) == ["calm", "calm"]).then_some(())).expect("it is back");
}

#[test]
fn the_rule_for_a_game_applies_before_it_starts() {
    let account = two_players();
    fs::create_dir_all(account.path("config/placid-mantle")).expect("made");
    let rules = "version = 1\n[[game]]\nprogram = \"sh\"\nargument = \"*harbour*\"\nnote = \"Choose the second entry.\"\n\
                 [[game.slot]]\nslot = 1\nprofile = \"swift\"\nkind = \"flight stick\"\n";
    fs::write(account.path("config/placid-mantle/games.toml"), rules).expect("written");
    let status = format!("{} status # harbour", account::PROGRAM);
    let output = play(&account, &["--", "sh", "-c", &status]);
    let (found, said) = (text(&output.stdout), text(&output.stderr));
    assert!(found.contains("slot 1  Quay pad  swift  flight stick"), "{found}{said}");
    assert!(said.contains("your note: Choose the second entry.") && said.contains("slot 1 is joystick 1"), "{said}");
    wait_for("what was before", || (profiles(&account) == ["calm", "calm"]).then_some(())).expect("it is back");
    // Another argument, another game.
    let output = play(&account, &["--", "sh", "-c", &status.replace("harbour", "pier")]);
    assert!(text(&output.stdout).contains("slot 1  Quay pad  calm  common pad"));
    // The fault in the file is reported, and the game starts all the same.
    fs::write(account.path("config/placid-mantle/games.toml"), "version = 1\n[[game]]\n").expect("written");
    let output = play(&account, &["--", "true"]);
    assert!(output.status.success() && text(&output.stderr).contains("games.toml:2:1"), "{}", text(&output.stderr));
}

#[test]
fn an_impossible_wish_of_a_rule_is_reported_and_the_game_starts() {
    let account = two_players();
    let rules = "version = 1\n[[game]]\nprogram = \"true\"\n[[game.slot]]\nslot = 1\nkind = \"own pad\"\npad = \"gone\"\n\
                 [[game.slot]]\nslot = 2\nprofile = \"swift\"\n";
    fs::create_dir_all(account.path("config/placid-mantle")).expect("made");
    fs::write(account.path("config/placid-mantle/games.toml"), rules).expect("written");
    let output = play(&account, &["--", "true"]);
    let said = text(&output.stderr);
    assert!(output.status.success(), "{said}");
    assert!(said.contains("slot 1: the rule cannot be applied: ") && said.contains("gone"), "{said}");
    assert!(!said.contains("slot 2: the rule"), "{said}");
}

#[test]
fn an_unplayable_request_is_reported_and_starts_nothing() {
    let account = two_players();
    for (arguments, says) in [
        (&["--slots", "3", "--", "touch", "started"][..], "slot 3 is empty"),
        (&["--slots", "9", "--", "touch", "started"], "slots are 1 to 8"),
        (&["--profile", "gone", "--", "touch", "started"], "there is no profile named gone"),
        (&["--", "/nonexistent/game"], "/nonexistent/game cannot be started"),
        (&[], "which game?"),
    ] {
        let output =
            account.command(&[&["play"], arguments].concat()).current_dir(account.path("")).output().expect("it runs");
        let said = text(&output.stderr);
        assert_eq!((output.status.code(), said.contains(says)), (Some(2), true), "{arguments:?}: {said}");
    }
    assert!(!account.path("started").exists());
    assert_eq!(profiles(&account), ["calm", "calm"]);
}
