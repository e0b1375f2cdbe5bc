//! What a game sees, in a real terminal: the list, what is wrong in it, who has what open, and the same from `sight`.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::PathBuf;
use std::process::Command;

fn wait(tmux: &Tmux, words: &str) -> String {
    tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

/// The line of a screen that contains these words.
fn line<'a>(screen: &'a str, words: &str) -> &'a str {
    screen.lines().find(|line| line.contains(words)).unwrap_or_else(|| panic!("no line has {words:?}:\n{screen}"))
}

#[test]
fn the_list_shows_a_games_view_and_marks_faults() {
    let tmux = tty::start("doubled", tty::DESIGN, "--scene doubled");
    // The board: the device comes before the pad, and who holds it is named.
    wait(&tmux, "after Quay pad");
    let screen = wait(&tmux, "crane (612) has it open");
    assert!(screen.contains("EBUSY"), "{screen}");
    tmux.keys(&["1", "G"]).expect("keys");
    let screen = wait(&tmux, "a second player, by mistake");
    let (device, pad) = (line(&screen, "device of slot 1"), line(&screen, "pad of slot 1"));
    assert!(device.trim_start().starts_with("1 ▲ Quay pad"), "it is the first in a game's list: {device}");
    assert!(pad.trim_start().starts_with("3 · Placid Mantle pad 1"), "behind it and the puck: {pad}");
    // In detail: its nodes, what it is taken for, who has it open.
    for words in ["/dev/input/event4 /dev/hidraw0", "a controller", "bare, not coverable", "crane (612), for "] {
        assert!(screen.contains(words), "{words}:\n{screen}");
    }
    assert!(line(&screen, "mirror (640)").contains("makes another pad of ours") || screen.contains("mirror (640)"));
    // The other one: a second program makes a pad from its device.
    tmux.keys(&["2"]).expect("keys");
    wait(&tmux, "mirror (640) makes another pad from Harbour panel");
    let screen = wait(&tmux, "a second pad of Harbour panel");
    assert!(line(&screen, "made by mirror (640)").contains("a second pad of Harbour panel"), "{screen}");
    // Down to the programs: the one that sees nothing of it says so, and why.
    for _ in 0..12 {
        tmux.keys(&["Down"]).expect("keys");
    }
    let screen = wait(&tmux, "is its own, and shows");
    assert!(line(&screen, "parade (655)").contains("is shut in"), "{screen}");
}

#[test]
fn the_list_fits_a_small_screen() {
    let tmux = tty::start("doubled small", (80, 24), "--scene doubled");
    wait(&tmux, "after Quay");
    tmux.keys(&["1", "G"]).expect("keys");
    let screen = wait(&tmux, "a second player");
    let device = line(&screen, "device of slot 1");
    assert!(device.trim_start().starts_with("1 ▲ Quay pad"), "{screen}");
    // The chosen one is described below, starting with what mends it.
    assert!(screen.contains("Cover it again, or leave it to the game."), "{screen}");
    assert!(screen.contains("/dev/input/event4"), "{screen}");
}

#[test]
fn a_single_visible_pad_says_what_to_choose() {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("alone.scene.toml");
    let text = "version = 1\ntitle = \"one pad\"\n[[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\nslots = [1]\n\
         [[program]]\nname = \"ferry\"\nprocess = 530\nat = 4.0\nopens = [\"pads\"]\n";
    std::fs::write(&scene, text).expect("a scene");
    let tmux = tty::start("alone", tty::DESIGN, &format!("--scene {}", scene.display()));
    wait(&tmux, "sees pad 1");
    tmux.keys(&["1", "G"]).expect("keys");
    let screen = wait(&tmux, "A game sees only the pad of slot 1: choose controller 1 in the game");
    assert!(line(&screen, "pad of slot 1  ").contains("alone"), "{screen}");
    assert!(line(&screen, "device of slot 1").contains("not listed"), "{screen}");
    // A game that starts during the look appears within seconds.
    let screen = wait(&tmux, "ferry (530)");
    assert!(screen.lines().any(|line| line.contains("ferry (530)") && line.contains("pad of slot 1")), "{screen}");
}

#[test]
fn the_only_mouse_is_grabbed_by_consent() {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("only-mouse.scene.toml");
    let text = "version = 1\ntitle = \"one mouse\"\n[[device]]\nfile = \"gull-mouse\"\nport = \"1-3\"\nslots = [1]\n";
    std::fs::write(&scene, text).expect("a scene");
    let tmux = tty::start("only mouse", tty::DESIGN, &format!("--scene {}", scene.display()));
    wait(&tmux, "it is the only mouse");
    let screen = wait(&tmux, "W hold the mouse while it plays");
    assert!(line(&screen, "usb 1-3").contains("bare"), "{screen}");
    tmux.keys(&["W"]).expect("keys");
    // According to the terminal this screen is in front of whoever agreed: then it stays bare.
    let screen = wait(&tmux, "Gull mouse is held while it plays");
    assert!(!screen.contains("it is the only mouse"), "{screen}");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "it is the only mouse");
}

#[test]
fn obstacles_are_found_and_clear_when_fixed() {
    let tmux = tty::start("readiness", tty::DESIGN, "--scene no-uinput");
    wait(&tmux, "y readiness");
    tmux.keys(&["y"]).expect("keys");
    let screen = wait(&tmux, "▲ ");
    for words in ["Readiness", "so games see nothing", "mend", "changes"] {
        assert!(screen.contains(words), "{words}:\n{screen}");
    }
    // It is mended elsewhere: nobody has to look again.
    wait(&tmux, "This machine is ready to play.");
    tmux.keys(&["Escape"]).expect("keys");
    wait(&tmux, "All is well");
    // A small screen has it, too.
    let tmux = tty::start("readiness small", (80, 24), "--scene doubled");
    wait(&tmux, "Slot 1");
    tmux.keys(&["y"]).expect("keys");
    let screen = wait(&tmux, "The program mirror (640) reads Harbour panel, and makes pads");
    assert!(screen.contains("every press twice"), "{screen}");
}

#[test]
fn without_an_engine_readiness_is_still_shown() {
    let home = tempfile::tempdir().expect("a directory");
    let sight = |arguments: &[&str]| {
        Command::new(env!("CARGO_BIN_EXE_placid-mantle"))
            .arg("sight")
            .args(arguments)
            .env("HOME", home.path())
            .env("XDG_RUNTIME_DIR", home.path())
            .output()
            .expect("it runs")
    };
    let said = sight(&["--json"]);
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let json: serde_json::Value = serde_json::from_slice(&said.stdout).expect("one object");
    assert_eq!((json["engine"].as_bool(), json["slots"].as_array().map(Vec::len)), (Some(false), Some(0)));
    assert!(json["rows"].is_array() && json["programs"].is_array(), "{json}");
    // A requested process is reported although it has nothing open.
    let own = std::process::id().to_string();
    let said = sight(&["--process", &own]);
    let text = String::from_utf8_lossy(&said.stdout).into_owned();
    assert!(said.status.success() && text.contains(&format!("({own})")), "{text}");
    assert!(text.contains("It sees the same /dev as everybody else."), "{text}");
    let said = sight(&["--process", "999999999"]);
    assert!(!said.status.success());
    assert!(String::from_utf8_lossy(&said.stderr).contains("there is no process 999999999"));
}

/// A game with a rule: what it makes of slots, and that this ends with the game.
fn one_game(until: &str) -> PathBuf {
    let scene = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("one-game-{until}.scene.toml"));
    let text = format!(
        "version = 1\ntitle = \"one game\"\ngames = '''\nversion = 1\n[[game]]\nprogram = \"crane\"\nnote = \"Take the blue one.\"\n\
         [[game.slot]]\nslot = 1\nprofile = \"hook\"\n'''\n[[profile]]\nname = \"ferry\"\n[[profile]]\nname = \"hook\"\n\
         [[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\nslots = [1]\nprofile = \"ferry\"\n\
         [[program]]\nname = \"crane\"\nprocess = 612\nat = 3.0\nuntil = {until}\nopens = [\"pads\"]\n\
         [[program]]\nname = \"parade\"\nprocess = 655\nopens = [\"pads\"]\n"
    );
    std::fs::write(&scene, text).expect("a scene");
    scene
}

#[test]
fn a_profile_changes_with_a_game_and_reverts_when_it_ends() {
    let tmux = tty::start("one game", tty::DESIGN, &format!("--scene {}", one_game("9.0").display()));
    wait(&tmux, "ferry");
    tmux.keys(&["1", "G"]).expect("keys");
    let screen = wait(&tmux, "The game crane (612) is played by its rule (program crane): slot 1: by hook.");
    assert!(screen.contains("Your note: Take the blue one."), "{screen}");
    tmux.wait("the game is over", |screen| !screen.contains("is played by its rule")).expect("it ends");
    tmux.keys(&["Escape"]).expect("keys");
    let screen = wait(&tmux, "ferry");
    assert!(!screen.contains("hook"), "{screen}");
    tmux.keys(&["j"]).expect("keys");
    let screen = wait(&tmux, "crane has ended: everything is as before");
    assert!(screen.contains("crane (612) is running: its rule (program crane) applies"), "{screen}");
}

#[test]
fn a_rule_is_made_for_a_running_program_and_undone() {
    let tmux = tty::start("a rule", tty::DESIGN, &format!("--scene {}", one_game("3.5").display()));
    wait(&tmux, "ferry");
    tmux.keys(&["1", "G"]).expect("keys");
    wait(&tmux, "parade (655)");
    // Down to the program: its keys are shown there.
    tmux.keys(&["Down"; 8]).expect("keys");
    wait(&tmux, "use it for this program");
    tmux.keys(&["a"]).expect("keys");
    let screen =
        wait(&tmux, "The game parade (655) is played by its rule (program parade): slot 1: by ferry, as a common pad.");
    assert!(screen.contains("there is a rule for program parade"), "{screen}");
    // What somebody chooses meanwhile counts, and is reported.
    tmux.keys(&["z"]).expect("keys");
    wait(&tmux, "The game parade (655) is left alone, by its rule (program parade): slot 1: at rest");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "slot 1: by ferry, as a common pad.");
    tmux.keys(&["Delete"]).expect("keys");
    wait(&tmux, "the rule for program parade is deleted");
    tmux.wait("no rule", |screen| !screen.contains("by its rule")).expect("it counts no more");
}
