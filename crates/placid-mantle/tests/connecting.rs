//! Connecting a device, in a real terminal and by the command: from an empty table to a pad that plays.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::PathBuf;
use std::process::{Child, Command, Output, Stdio};

fn wait(tmux: &Tmux, words: &str) -> String {
    tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

fn keys(tmux: &Tmux, keys: &[&str]) {
    tmux.keys(keys).expect("keys");
}

/// The scene with one thing different, once nobody is there.
fn changed(name: &str, size: (u16, u16), what: &str, instead: &str) -> Tmux {
    let text = include_str!("../../../scenes/connecting.scene.toml");
    assert!(text.contains(what), "the scene has {what:?}");
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.scene.toml"));
    std::fs::write(&path, text.replace(what, instead)).expect("a scene");
    let tmux = tty::start(name, size, &format!("--scene {}", path.display()));
    wait(&tmux, "No device is connected");
    tmux
}

/// The chosen row, from its name on.
fn chosen(screen: &str) -> Option<&str> {
    let rows = screen.lines().filter_map(|line| line.rsplit_once("▸ ")).map(|(_, row)| row.trim());
    // Beside the view stands what lies below it: "Slot 1 ▸ Device".
    let rows = rows.filter(|row| !row.starts_with("Device"));
    rows.into_iter().find(|row| ["controller", "keyboard", "✓ there"].iter().any(|word| row.contains(word)))
}

/// Down to the row with this name.
fn choose(tmux: &Tmux, name: &str) {
    // Once everything has been found the list stays as it is.
    wait(tmux, "Shingle pad");
    wait(tmux, name);
    for _ in 0..12 {
        let screen = tmux.wait("a chosen row", |screen| chosen(screen).is_some()).unwrap_or_else(|why| panic!("{why}"));
        let before = chosen(&screen).map(str::to_owned);
        if before.as_ref().is_some_and(|row| row.starts_with(name)) {
            return;
        }
        keys(tmux, &["Down"]);
        let moved = |screen: &str| chosen(screen).map(str::to_owned) != before;
        tmux.wait("another row", moved).unwrap_or_else(|why| panic!("{why}"));
    }
    panic!("{name} cannot be chosen");
}

#[test]
fn from_an_empty_table_to_a_playing_slot_with_a_code_to_compare() {
    for (number, size) in [tty::DESIGN, (100, 30), (80, 24)].into_iter().enumerate() {
        let tmux = tty::start(&format!("connect{number}"), size, "--scene connecting");
        let screen = wait(&tmux, "No device is connected");
        assert!(screen.contains("w") && screen.contains("connect"), "the way there is said: {screen}");
        // The fewer keys the better: eight at most, and it takes five, since the nearest one is already chosen.
        let way = [
            ("+", "▸ Lantern left"),
            ("Enter", "2 7 1 8 2 8"),
            ("Enter", "Lantern left is ready: press something on it."),
            ("Enter", "Place Lantern left"),
            ("Enter", "Lantern left plays in slot 1"),
        ];
        assert!(way.len() <= 8);
        for (key, seen) in way {
            keys(&tmux, &[key]);
            let screen = wait(&tmux, seen);
            match seen {
                "2 7 1 8 2 8" => assert!(screen.contains("Lantern left shows a code: is it 271828?"), "{screen}"),
                "Lantern left is ready: press something on it." => {
                    assert!(screen.contains("the right one is missing"), "{screen}");
                }
                _ => {}
            }
        }
        // Its own hands press: the path is lit.
        wait(&tmux, "Slot 1 plays.");
    }
}

#[test]
fn a_wrong_code_is_reported_and_retried() {
    let tmux = changed("enters", (100, 30), "asks = \"compare\"", "asks = \"enter\"");
    keys(&tmux, &["+"]);
    choose(&tmux, "Lantern left");
    keys(&tmux, &["Enter"]);
    wait(&tmux, "shows six digits: type them here");
    // Letters are typed, and none of them acts as a key.
    keys(&tmux, &["2", "q", "Enter"]);
    wait(&tmux, "the code has six digits");
    keys(&tmux, &["BSpace", "7", "1", "8", "2", "9", "Enter"]);
    wait(&tmux, "The code for Lantern left was wrong");
    keys(&tmux, &["Enter"]);
    wait(&tmux, "shows six digits: type them here");
    keys(&tmux, &["2", "7", "1", "8", "2", "8", "Enter"]);
    wait(&tmux, "Lantern left is ready");
}

#[test]
fn stale_keys_are_fixed_with_one_key_and_a_calling_device_is_awaited() {
    let tmux = tty::start("stale", tty::DESIGN, "--scene connecting");
    wait(&tmux, "No device is connected");
    keys(&tmux, &["+"]);
    choose(&tmux, "Heron pad");
    keys(&tmux, &["Enter"]);
    let screen = wait(&tmux, "have forgotten each other's keys");
    assert!(screen.contains("remove it here and pair it again"), "{screen}");
    keys(&tmux, &["a"]);
    wait(&tmux, "Heron pad is ready");
    keys(&tmux, &["Escape"]);
    choose(&tmux, "Spindrift pad");
    keys(&tmux, &["Enter"]);
    wait(&tmux, "Spindrift pad has to connect by itself: press a button on it.");
    wait(&tmux, "Spindrift pad is ready");
    // One that belongs to another machine is reported, with what to do. A key right after Esc would be taken for Alt and that key.
    keys(&tmux, &["Escape"]);
    wait(&tmux, "s: search again");
    keys(&tmux, &["s"]);
    choose(&tmux, "Tidal pad");
    keys(&tmux, &["Enter"]);
    let screen = wait(&tmux, "it refuses, or belongs to another machine");
    assert!(screen.contains("make it forget the device"), "{screen}");
    keys(&tmux, &["Escape"]);
    wait(&tmux, "Plug it in, switch it on");
}

#[test]
fn a_known_device_is_renamed_and_forgotten_after_a_question() {
    let tmux = tty::start("forget", tty::DESIGN, "--scene connecting");
    wait(&tmux, "No device is connected");
    keys(&tmux, &["+"]);
    choose(&tmux, "Heron pad");
    let screen = wait(&tmux, "seen 3 days ago");
    assert!(screen.contains("battery 80 %"), "{screen}");
    keys(&tmux, &["n"]);
    wait(&tmux, "A new name for Heron pad");
    keys(&tmux, &["BSpace", "BSpace", "BSpace", "g", "r", "e", "y", "Enter"]);
    choose(&tmux, "Heron grey");
    keys(&tmux, &["DC"]);
    wait(&tmux, "Forget Heron grey?");
    keys(&tmux, &["Escape"]);
    wait(&tmux, "Plug it in, switch it on");
    keys(&tmux, &["DC"]);
    wait(&tmux, "Forget Heron grey?");
    keys(&tmux, &["Enter"]);
    tmux.wait("it is known no longer", |screen| !screen.contains("Heron grey")).unwrap_or_else(|why| panic!("{why}"));
}

#[test]
fn radio_faults_show_their_remedies() {
    for (state, says) in
        [("absent", "Plug in an adapter"), ("blocked", "rfkill unblock bluetooth"), ("no-service", "systemctl start")]
    {
        let tmux = changed(state, (80, 24), "[radio]\n", &format!("[radio]\nstate = \"{state}\"\n"));
        keys(&tmux, &["w"]);
        wait(&tmux, says);
    }
    let tmux = changed("off", (80, 24), "[radio]\n", "[radio]\nstate = \"off\"\n");
    keys(&tmux, &["+"]);
    wait(&tmux, "The radio is switched off.");
    keys(&tmux, &["o"]);
    wait(&tmux, "Lantern left");
}

/// An engine over the scene, and the commands that ask it; both in a place of their own.
struct Engine {
    served: Child,
    place: PathBuf,
}

impl Engine {
    fn start(name: &str) -> Self {
        let place = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(name);
        let _ = std::fs::remove_dir_all(&place);
        for directory in ["run", "config", "state"] {
            let at = place.join(directory);
            std::fs::create_dir_all(&at).expect("made");
            std::fs::set_permissions(&at, std::os::unix::fs::PermissionsExt::from_mode(0o700)).expect("its rights");
        }
        let served = Self::command(&place, &["serve", "--scene", "connecting"]).stdout(Stdio::piped()).spawn();
        let mut engine = Self { served: served.expect("it starts"), place };
        let mut line = String::new();
        let out = engine.served.stdout.take().expect("piped");
        std::io::BufRead::read_line(&mut std::io::BufReader::new(out), &mut line).expect("it says something");
        engine
    }

    fn command(place: &std::path::Path, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_placid-mantle"));
        command.args(arguments).env("XDG_RUNTIME_DIR", place.join("run"));
        command.env("XDG_CONFIG_HOME", place.join("config")).env("XDG_STATE_HOME", place.join("state"));
        command.stdin(Stdio::null());
        command
    }

    fn run(&self, arguments: &[&str]) -> (Option<i32>, String) {
        let Output { status, stdout, stderr } = Self::command(&self.place, arguments).output().expect("it runs");
        (status.code(), format!("{}{}", String::from_utf8_lossy(&stdout), String::from_utf8_lossy(&stderr)))
    }
}

impl Drop for Engine {
    fn drop(&mut self) {
        let _ = self.served.kill();
        let _ = self.served.wait();
    }
}

#[test]
fn scripts_connect_by_the_verb() {
    let engine = Engine::start("verb");
    let (code, said) = engine.run(&["connect", "--json", "--for", "3"]);
    assert_eq!(code, Some(0), "{said}");
    let json: serde_json::Value = serde_json::from_str(&said).expect("one object");
    assert_eq!((&json["version"], &json["state"]), (&1.into(), &"Ready".into()), "{said}");
    assert!(json["rows"].as_array().is_some_and(|rows| rows.len() >= 7), "{said}");
    // A code that nobody has confirmed is refused; with a yes it is accepted.
    let (code, said) = engine.run(&["connect", "lantern left"]);
    assert!(code == Some(1) && said.contains("is it 271828?") && said.contains("taken as no"), "{code:?} {said}");
    let (code, said) = engine.run(&["connect", "lantern left", "--yes"]);
    assert!(code == Some(0) && said.contains("Lantern left is ready"), "{code:?} {said}");
    assert!(said.contains("the right one is missing"), "{said}");
    // What has turned up ends the search of whoever watches; a script that names another one continues with what is known.
    let (code, said) = engine.run(&["connect", "02:50:00:00:02:04"]);
    assert!(code == Some(1) && said.contains("forgotten each other's keys"), "{code:?} {said}");
    let (code, said) = engine.run(&["connect", "heron", "--forget"]);
    assert_eq!(code, Some(0), "{said}");
    let (code, said) = engine.run(&["connect", "spindrift", "--rename", "Spray"]);
    assert_eq!(code, Some(0), "{said}");
    let (code, said) = engine.run(&["connect", "spray", "--rename", ""]);
    assert!(code == Some(2) && said.contains("1 to 40 letters"), "{code:?} {said}");
    let (code, said) = engine.run(&["connect", "nobody at all", "--for", "1"]);
    assert!(code == Some(1) && said.contains("did not find \"nobody at all\""), "{code:?} {said}");
    // Without an engine there is nobody to ask.
    let alone = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("alone");
    std::fs::create_dir_all(&alone).expect("made");
    let output = Engine::command(&alone, &["connect"]).output().expect("it runs");
    assert_eq!(output.status.code(), Some(5), "{}", String::from_utf8_lossy(&output.stderr));
}
