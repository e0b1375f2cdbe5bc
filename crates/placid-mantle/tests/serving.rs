//! An engine that stays: screens and scripts come, go, are killed and stopped; it goes on, and ends when it is told to.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

mod account;

use account::{Account, PROGRAM};
use mantle_lab::{Tmux, wait_for};
use std::fs;
use std::io::Write;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixDatagram;
use std::process::{Command, Stdio};

fn wait(tmux: &Tmux, words: &str) -> String {
    let flat = |screen: &str| screen.split_whitespace().collect::<Vec<_>>().join(" ");
    tmux.wait(words, |screen| flat(screen).contains(words)).unwrap_or_else(|why| panic!("{why}"))
}

#[test]
fn screens_come_and_go_in_any_way_and_the_engine_stays() {
    let mut account = Account::new();
    account.serve("tidewater");
    let engine = account.status()["engine"]["pid"].as_i64().expect("its process");
    let (one, other) = (account.screen("one", tty::DESIGN), account.screen("other", (100, 30)));
    for screen in [&one, &other] {
        wait(screen, &format!("engine {engine}"));
        wait(screen, "Slot 1");
    }
    // What one does is seen by both; what one looks at, only by itself.
    one.keys(&["Down", "L"]).expect("keys");
    wait(&one, "Slot 2 is paused from here");
    wait(&other, "Slot 2 is paused from here");
    one.keys(&["R"]).expect("keys");
    wait(&one, "f stop, continue");
    let seen = wait(&other, "Enter open");
    assert!(!seen.contains("f stop, continue"), "{seen}");
    // One that is stopped holds nobody up.
    account.signal("one", "-STOP");
    other.keys(&["w"]).expect("keys");
    wait(&other, "All is well");
    assert!(account.said(&["pause", "1"]).contains("slot 1 rests"));
    wait(&other, "Slot 1 is paused from here");
    // One that is killed takes nothing with it.
    account.signal("one", "-KILL");
    // Wherever its cursor was: at the edge of the terminal the words are broken in two.
    let ended = |screen: &str| screen.split_whitespace().collect::<String>().contains("[ended137]");
    one.wait("its end", ended).expect("it is killed");
    assert!(account.said(&["resume", "1"]).contains("slot 1 plays again"));
    // One that leaves is not asked: the engine stays, and that is reported.
    other.keys(&["q"]).expect("keys");
    wait(&other, &format!("The engine keeps running (process {engine})"));
    wait(&other, "[ended 0]");
    // And whoever comes back finds everything as it was.
    let back = account.screen("back", tty::DESIGN);
    wait(&back, "All is well");
    assert_eq!(account.status()["engine"]["pid"].as_i64(), Some(engine));
    assert!(account.said(&["stop"]).contains("has ended"));
    wait(&back, "the engine has ended");
    let code = account.engine.take().expect("it was there").wait().expect("it ended");
    assert!(code.success(), "{code}");
    assert!(!account.path("run/placid-mantle/engine.sock").exists());
}

#[test]
fn a_new_user_is_greeted_once() {
    let mut account = Account::new();
    account.serve("tidewater");
    let first = account.screen("first", (80, 24));
    wait(&first, "Each row is a player, each column a stage");
    wait(&first, "F1 explains the view you are in, Backspace lists what can be done, and placid-mantle tour");
    wait(&first, "Slot 2");
    // The first key does what it always does, and the words disappear.
    first.keys(&["2"]).expect("keys");
    let screen = first.wait("the board", |screen| !screen.contains("Each row is a player")).expect("they are gone");
    assert!(screen.contains("Slot 2 ▸"), "{screen}");
    first.keys(&["q"]).expect("keys");
    wait(&first, "[ended 0]");
    let again = account.screen("again", (80, 24));
    let screen = wait(&again, "Enter open");
    assert!(screen.contains("Slot 1") && !screen.contains("Each row is a player"), "never again:\n{screen}");
    account.said(&["stop"]);
}

#[test]
fn a_report_of_a_device_is_made_from_the_running_engine() {
    let mut account = Account::new();
    account.serve("tidewater");
    let into = account.path("reports").display().to_string();
    let said = account.said(&["report", "quay", "--for", "2", "--into", &into]);
    assert!(said.contains("Move everything of Quay pad now"), "{said}");
    let pdf = said.lines().find(|line| line.ends_with(".report.pdf")).unwrap_or_else(|| panic!("{said}"));
    let text = Command::new("pdftotext").args(["-layout", pdf, "-"]).output().expect("poppler-utils is installed");
    let text = String::from_utf8_lossy(&text.stdout).into_owned();
    // Somebody's hands move it meanwhile: what was seen is on paper.
    for words in ["Quay pad", "reports could be read", "promised 0 to 255, seen", "what it plays", "South"] {
        assert!(text.contains(words), "{words} is not in the report:\n{text}");
    }
    assert!(account.refused(&["report", "nobody"]).1.contains("no device is named nobody"));
    account.said(&["stop"]);
}

#[test]
fn a_single_pad_fits_in_a_corner() {
    let mut account = Account::new();
    let refused = account.refused(&["strip", "--slot", "2"]);
    assert_eq!(refused.0, 2, "it needs a terminal: {}", refused.1);
    account.serve("tidewater");
    let (small, large) =
        (account.terminal("small", (40, 10), "strip --slot 2"), account.terminal("large", (90, 24), "strip --slot 2"));
    for strip in [&small, &large] {
        wait(strip, "Slot 2 Quay pad ✓ plays");
    }
    // What the demo's hands do is seen as it happens.
    wait(&small, "South");
    wait(&large, "● South");
    // It is not the screen that has the keyboard, and it delays nothing.
    account.said(&["pause", "2"]);
    wait(&small, "paused");
    account.said(&["take-out", "2"]);
    wait(&large, "It is not in use.");
    small.keys(&["q"]).expect("keys");
    wait(&small, "[ended 0]");
    account.said(&["stop"]);
    wait(&large, "the engine has ended");
    let empty = account.terminal("empty", (40, 10), "strip --slot 2");
    wait(&empty, "[ended 5]");
}

#[test]
fn a_device_is_named_seated_by_a_press_and_the_table_locked() {
    let mut account = Account::new();
    let scene = account.path("guests.scene.toml");
    let device = |file: &str, port: u8, slots: &str| {
        format!("[[device]]\nfile = \"{file}\"\nport = \"1-{port}\"\nhands = false\nslots = [{slots}]\n")
    };
    let text =
        format!("version = 1\ntitle = \"guests\"\n{}{}", device("quay-pad", 3, "1"), device("harbour-panel", 4, "0"));
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("guests", tty::DESIGN);
    wait(&screen, "no slot Harbour panel");
    screen.keys(&["N"]).expect("keys");
    wait(&screen, "A nickname for the device");
    screen.keys(&["red one", "Enter"]).expect("keys");
    wait(&screen, "Quay pad is now called red one");
    wait(&screen, "Slot 1 red one");
    screen.keys(&["i"]).expect("keys");
    wait(&screen, "the table is locked");
    wait(&screen, "simulated locked engine");
    assert_eq!(account.status()["locked"], true);
    screen.keys(&["s"]).expect("keys");
    wait(&screen, "To sit down, press a button on a device without a slot");
    // The device is taken in hand, and one of its buttons pressed.
    screen.keys(&["PageDown", "h"]).expect("keys");
    wait(&screen, "in hand:");
    screen.keys(&["1"]).expect("keys");
    wait(&screen, "Slot 2 Harbour panel");
    screen.keys(&["Escape"]).expect("keys");
    // And the same by scripts, for whoever has no screen open.
    assert!(account.said(&["unlock"]).contains("the table is unlocked"));
    assert!(account.said(&["nickname", "harbour", "the loud one"]).contains("is now called the loud one"));
    wait(&screen, "Slot 2 the loud one");
    assert!(account.said(&["nickname", "the loud one"]).contains("has its own name back"));
    account.said(&["take-out", "2"]);
    wait(&screen, "no slot Harbour panel");
    assert!(account.said(&["sit-down", "--by-two", "on"]).contains("two buttons together"));
}

#[test]
fn scripts_ask_a_running_engine() {
    let mut account = Account::new();
    let (code, said) = account.refused(&["status"]);
    assert_eq!((code, said.contains("no engine is running for this account")), (5, true), "{said}");
    account.serve("tidewater");
    let status = account.status();
    let slot = |status: &serde_json::Value, at: usize, what: &str| status["slots"][at][what].clone();
    assert_eq!(slot(&status, 0, "devices"), serde_json::json!(["Harbour panel"]));
    assert_eq!(slot(&status, 1, "profile"), "ferry");
    assert!(account.said(&["swap", "1", "2"]).contains("have swapped"));
    assert_eq!(slot(&account.status(), 0, "devices"), serde_json::json!(["Quay pad"]));
    assert!(account.said(&["use-profile", "1", "plain"]).contains("plain"));
    assert_eq!(slot(&account.status(), 0, "profile"), "plain");
    assert!(account.said(&["place", "pilot", "--slot", "5"]).contains("slot 5"));
    assert_eq!(slot(&account.status(), 4, "devices"), serde_json::json!(["Pilot yoke"]));
    account.said(&["take-out", "5"]);
    assert_eq!(account.status()["slots"].as_array().map(Vec::len), Some(4));
    account.said(&["let-go"]);
    assert_eq!(
        account.status()["sentence"]["text"],
        "Everything is let go from here: all pads are neutral, and nothing is held."
    );
    account.said(&["resume"]);
    assert_eq!(account.status()["paused"], false);
    for (arguments, code, words) in [
        (&["place", "jetty"][..], 2, "could be"),
        (&["place", "nothing like it"], 2, "no device is named"),
        (&["swap", "1", "9"], 2, "slots are 1 to 8"),
        (&["use-profile", "1", "nowhere"], 1, "no profile named nowhere"),
        (&["take-out", "8"], 1, "slot 8 is already empty"),
        (&["serve", "--scene", "tidewater"], 4, "an engine is already running"),
    ] {
        let (is, said) = account.refused(arguments);
        assert_eq!(is, code, "{arguments:?}: {said}");
        assert!(said.contains(words), "{arguments:?}: {said}");
    }
    // Somebody else's profile says which of the devices it suits.
    let own = "version = 1\nname = \"buttons\"\n[[binding]]\ntarget = \"South\"\nsource = \"button 12\"\n";
    fs::write(account.path("buttons.profile.toml"), own).expect("a profile");
    let (profile, pack) = (account.path("buttons.profile.toml"), account.path("sent.pack.toml"));
    account.said(&["pack", &pack.display().to_string(), &profile.display().to_string()]);
    let said = account.said(&["unpack", &pack.display().to_string(), "--use"]);
    assert!(said.contains("buttons fits Quay pad in slot 1: placid-mantle use-profile 1 \"buttons\""), "{said}");
    assert!(!said.contains("fits Harbour panel"), "it has ten buttons: {said}");
    let log = fs::read_to_string(account.path("log")).expect("its log");
    assert!(log.contains("screens and scripts: ") && log.contains("Harbour panel sits in slot 1"), "{log}");
}

#[test]
fn the_service_manager_is_told_and_a_signal_ends_it_in_order() {
    let account = Account::new();
    let manager = UnixDatagram::bind(account.path("manager")).expect("a socket");
    manager.set_read_timeout(Some(std::time::Duration::from_secs(60))).expect("a limit");
    let told = || {
        let mut bytes = [0; 256];
        let count = manager.recv(&mut bytes).expect("it says how it stands");
        String::from_utf8_lossy(&bytes[..count]).into_owned()
    };
    let mut engine = account
        .command(&["serve", "--scene", "tidewater"])
        .env("NOTIFY_SOCKET", account.path("manager"))
        .stdout(Stdio::null())
        .spawn()
        .expect("it starts");
    assert_eq!(told(), "READY=1");
    // By now it can be asked.
    account.said(&["status"]);
    let pid = engine.id().to_string();
    assert!(Command::new("kill").args(["-TERM", &pid]).status().expect("kill runs").success());
    assert_eq!(told(), "STOPPING=1");
    assert!(engine.wait().expect("it ends").success());
    assert_eq!(account.refused(&["status"]).0, 5);
}

/// A slot is lent while its device is away, on the screen, and given back when that returns.
#[test]
fn a_slot_is_lent_and_given_back() {
    let mut account = Account::new();
    let scene = account.path("lent.scene.toml");
    let text = "version = 1\ntitle = \"lent\"\n\
        [[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\nslots = [1]\nhands = false\ngone = [[1.0, 30.0]]\n\
        [[device]]\nfile = \"harbour-panel\"\nport = \"1-4\"\nslots = [0]\nhands = false\n";
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("lent", tty::DESIGN);
    wait(&screen, "Slot 1 is kept for Quay pad");
    screen.keys(&["PageDown", "t"]).expect("keys");
    wait(&screen, "Lend a slot to Harbour panel");
    wait(&screen, "It plays for Quay pad while that is away.");
    screen.keys(&["Enter"]).expect("keys");
    wait(&screen, "Slot 1 is lent to Harbour panel until Quay pad is back.");
    screen.keys(&["j"]).expect("keys");
    wait(&screen, "Quay pad is back: Harbour panel has given slot 1 back");
    let status = account.status();
    assert_eq!(status["slots"][0]["devices"], serde_json::json!(["Quay pad"]));
    assert_eq!(status["slots"].as_array().map(Vec::len), Some(1));
}

/// A device in another mode is declared to be the same, on the screen, and by a script not to be.
#[test]
fn a_device_in_another_mode_is_the_same_device() {
    let mut account = Account::new();
    let scene = account.path("same.scene.toml");
    let text = "version = 1\ntitle = \"same\"\n\
        [[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\nslots = [1]\nhands = false\ngone = [[0.5, 9000.0]]\n\
        [[device]]\nfile = \"harbour-panel\"\nport = \"1-4\"\nslots = [0]\nhands = false\n";
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("same", tty::DESIGN);
    wait(&screen, "Slot 1 is kept for Quay pad");
    screen.keys(&["PageDown", "t"]).expect("keys");
    wait(&screen, "= It is Quay pad itself:");
    screen.keys(&["="]).expect("keys");
    wait(&screen, "Harbour panel is the device of slot 1, over another link");
    let devices = |account: &Account| account.status()["slots"][0]["devices"].clone();
    assert_eq!(devices(&account), serde_json::json!(["Harbour panel"]));
    let refused = account.refused(&["same-device", "harbour", "--slot", "8"]);
    assert_eq!((refused.0, refused.1.contains("slot 8 is empty")), (1, true), "{}", refused.1);
    assert!(account.said(&["same-device", "harbour"]).contains("Harbour panel is a device of its own"));
    assert_eq!(devices(&account), serde_json::json!(["Quay pad"]), "its place waits for it");
    let (code, said) = account.refused(&["same-device", "harbour"]);
    assert_eq!((code, said.contains("was never said to be")), (1, true), "{said}");
}

/// Two devices become one player and two again, on the screen and by scripts, while both play.
#[test]
fn devices_are_tied_and_separated() {
    let mut account = Account::new();
    let scene = account.path("tied.scene.toml");
    let device = |file: &str, port: &str, slot: u8| {
        format!("[[device]]\nfile = \"{file}\"\nport = \"{port}\"\nslots = [{slot}]\nhands = false\n")
    };
    let text = format!(
        "version = 1\ntitle = \"tied\"\n{}{}",
        device("lantern-right", "bt-2", 1),
        device("lantern-left", "bt-1", 2)
    );
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("tied", tty::DESIGN);
    wait(&screen, "Slot 2 Lantern left");
    let devices = |account: &Account| {
        let slots = account.status()["slots"].as_array().cloned().unwrap_or_default();
        slots.iter().map(|slot| slot["devices"].to_string()).collect::<Vec<_>>()
    };
    // With one other player there is nothing to choose.
    screen.keys(&["Down", "t"]).expect("keys");
    wait(&screen, "Lantern left is now tied in slot 1; u undoes it");
    assert_eq!(devices(&account), [r#"["Lantern right","Lantern left"]"#]);
    // Each has its own hand, whoever came first.
    screen.keys(&["B"]).expect("keys");
    let line = |bound: &str, name: &str| bound.lines().find(|line| line.contains(name)).unwrap_or_default().to_owned();
    for (target, device) in [("left stick up", "Lantern left"), ("right stick up", "Lantern right")] {
        screen.wait(target, |bound| line(bound, target).contains(device)).unwrap_or_else(|why| panic!("{why}"));
    }
    assert!(account.said(&["untie", "left", "--slot", "1"]).contains("one device less is tied in slot 1"));
    assert_eq!(devices(&account), [r#"["Lantern right"]"#, r#"["Lantern left"]"#]);
    assert!(account.said(&["tie", "lantern r", "--slot", "2"]).contains("slot 2"));
    assert_eq!(devices(&account), [r#"["Lantern left","Lantern right"]"#]);
    for (arguments, code, words) in [
        (&["untie", "lantern", "--slot", "2"][..], 2, "could be Lantern left, Lantern right"),
        (&["untie", "quay", "--slot", "2"], 2, "there are: Lantern left, Lantern right"),
        (&["untie", "quay", "--slot", "1"], 2, "slot 1 is empty"),
        (&["tie", "lantern l", "--slot", "2"], 1, "slot 2"),
    ] {
        let (is, said) = account.refused(arguments);
        assert!(is == code && said.contains(words), "{arguments:?}: {is} {said}");
    }
}

/// A device is found by its motor and its lamps; how strongly it rumbles and what its lamps show is the person's choice, and kept.
#[test]
fn rumble_and_lamps_are_configurable() {
    let mut account = Account::new();
    let scene = account.path("back.scene.toml");
    let device = |file: &str, port: &str, slot: u8| {
        format!("[[device]]\nfile = \"{file}\"\nport = \"{port}\"\nslots = [{slot}]\nhands = false\n")
    };
    let text =
        format!("version = 1\ntitle = \"back\"\n{}{}", device("lantern-left", "bt-1", 1), device("quay-pad", "1-2", 2));
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("back", tty::DESIGN);
    wait(&screen, "Slot 2 Quay pad");
    screen.keys(&["b"]).expect("keys");
    wait(&screen, "Lantern left rumbles and blinks now");
    screen.keys(&["P"]).expect("keys");
    wait(&screen, "rumble at 100 %; no game asks for any");
    wait(&screen, "lamps show the slot, or what a game wants");
    screen.keys(&["v"]).expect("keys");
    wait(&screen, "rumble at 75 %");
    screen.keys(&["c"]).expect("keys");
    wait(&screen, "lamps show always #ffb450");
    screen.keys(&["u"]).expect("keys");
    wait(&screen, "lamps show the slot, or what a game wants");
    assert!(account.said(&["rumble", "--slot", "1", "0"]).contains("slot 1: rumble 0 %"));
    wait(&screen, "rumble off");
    assert!(account.said(&["lamp", "--slot", "1", "battery"]).contains("the battery: red where it is low"));
    wait(&screen, "lamps show the battery");
    assert!(account.said(&["find", "lantern"]).contains("Lantern left rumbles and blinks now"));
    for (arguments, code, words) in [
        (&["find", "quay"][..], 1, "has no motor or lamp that this program or the kernel knows"),
        (&["lamp", "--slot", "1", "orange"], 2, "such as #ff8000, not orange"),
        (&["rumble", "--slot", "1", "201"], 2, "201 is not in 0..=200"),
        (&["rumble", "--slot", "7", "50"], 2, "slot 7 is empty"),
    ] {
        let (is, said) = account.refused(arguments);
        assert!(is == code && said.contains(words), "{arguments:?}: {is} {said}");
    }
}

/// The kind of pad is chosen by scripts and by keys; pad files are made, checked and listed, and chosen like any kind.
#[test]
fn kinds_of_pad_and_pad_files_are_chosen() {
    let mut account = Account::new();
    let made = account.said(&["pad", "new", "Quay wheel", "--like", "flight stick"]);
    let file = made
        .lines()
        .next()
        .and_then(|line| line.strip_prefix("Quay wheel is created: "))
        .expect("where it is")
        .to_owned();
    assert!(file.ends_with("pads/quay-wheel.pad.toml"), "{made}");
    let (code, said) = account.refused(&["pad", "new", "Quay wheel", "--like", "flight stick"]);
    assert!(code == 1 && said.contains("quay-wheel.pad.toml"), "nothing is written over: {said}");
    let text = fs::read_to_string(&file).expect("it is there");
    let text = text.replace("vendor = 0x1209", "vendor = 0x045e").replace("product = 0x9a7c", "product = 0x028e");
    fs::write(&file, &text).expect("written");
    let said = account.said(&["pad", "check", &file]);
    for words in [
        "4 axes, 12 buttons, 1 hat",
        "with the ids 045e:028e libraries take button 0 for South",
        "hat 1 up",
        "hat 0 up",
    ] {
        assert!(said.contains(words), "{words}: {said}");
    }
    assert!(account.said(&["pad", "list"]).contains("Quay wheel  quay-wheel.pad.toml"));
    fs::write(&file, text.replace("form = \"hat\"", "form = \"hut\"")).expect("written");
    let (code, said) = account.refused(&["pad", "check", &file]);
    assert!(code == 1 && said.contains("form = \"hut\": allowed: hat, buttons, axes; did you mean \"hat\"?"), "{said}");
    // In a scene that has one of its own.
    let scene = account.path("own.scene.toml");
    let text = "version = 1\ntitle = \"own\"\n[[own_pad]]\nname = \"wheel\"\ntext = \"version = 1\\nname = \\\"Quay wheel\\\"\\nvendor = 0x1209\\nproduct = 0x9b01\\n\"\n\
                [[device]]\nfile = \"quay-pad\"\nport = \"1-2\"\nhands = false\n";
    fs::write(&scene, text).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("own", tty::DESIGN);
    wait(&screen, "Slot 1 Quay pad");
    // While its pad is being made the answer is to try again in a moment.
    let kind = |wanted: &[&str]| {
        let asked = || {
            let done = account.ask(&[&["kind", "--slot", "1"], wanted].concat());
            let said = String::from_utf8_lossy(&[done.stdout, done.stderr].concat()).into_owned();
            (!said.contains("try again in a moment")).then_some(said)
        };
        wait_for("another kind", asked).expect("it is made")
    };
    assert!(kind(&["quay wheel"]).contains("slot 1 plays as the pad Quay wheel now"));
    screen.keys(&["P"]).expect("keys");
    wait(&screen, "1209:9b01 version 0114; usual is 045e:028e version 0114");
    assert!(kind(&["common pad", "--apart"]).contains("that is a device of its own now"));
    wait(&screen, "a device of its own, by uhid");
    screen.keys(&["K", "k"]).expect("keys");
    wait(&screen, "How games see slot 1");
    screen.keys(&["Enter"]).expect("keys");
    wait(&screen, "slot 1 plays as a flight stick now");
    for (arguments, code, words) in [
        (&["kind", "--slot", "1", "yacht"][..], 2, "there are: common pad, flight stick, motion pad, keys, Quay wheel"),
        (&["kind", "--slot", "1", "flight stick", "--apart"], 2, "only a common pad can"),
        (&["kind", "--slot", "5", "keys"], 2, "slot 5 is empty"),
        (&["pad", "new", "x", "--like", "motion pad"], 2, "a pad file starts from \"common pad\" or \"flight stick\""),
    ] {
        let (is, said) = account.refused(arguments);
        assert!(is == code && said.contains(words), "{arguments:?}: {is} {said}");
    }
}

/// Nobody guesses whose slot it is: the board asks for a press, through the socket as well.
#[test]
fn a_twin_raises_a_question() {
    let mut account = Account::new();
    let scene = account.path("twins.scene.toml");
    let device =
        |port: &str, rest: &str| format!("[[device]]\nfile = \"quay-pad\"\nport = \"{port}\"\nhands = false\n{rest}\n");
    let [one, two, back] = [
        device("1-3", "slots = [1]\ngone = [[0.5, 9000.0]]"),
        device("1-4", "slots = [2]\ngone = [[0.6, 9000.0]]"),
        device("1-9", "at = 1.0"),
    ];
    fs::write(&scene, format!("version = 1\ntitle = \"twins\"\n{one}{two}{back}")).expect("a scene");
    account.serve(&scene.display().to_string());
    let screen = account.screen("twins", tty::DESIGN);
    wait(&screen, "Two devices are alike: press a button on the Quay pad that belongs in slot 1.");
    let sentence = account.status()["sentence"]["text"].to_string();
    assert!(sentence.contains("belongs in slot 1"), "{sentence}");
    screen.keys(&["Down", "Down", "h"]).expect("keys");
    wait(&screen, "in hand:");
    screen.keys(&["1"]).expect("keys");
    // Only then: a device that is put down is no longer pressed.
    screen.wait("an answer", |screen| !screen.contains("Two devices are alike")).expect("it sits down");
    screen.keys(&["Escape"]).expect("keys");
    assert_eq!(account.status()["slots"][0]["devices"], serde_json::json!(["Quay pad"]));
}

/// An engine of another version is not attached to, and ended only if the person says so.
#[test]
fn an_engine_of_another_version_is_left_alone_unless_confirmed() {
    let account = Account::new();
    let place = mantle_link::Place::within(&account.path("run")).expect("a place");
    let held = place.take().expect("the lock");
    let old = std::os::unix::net::UnixListener::bind(place.socket()).expect("a socket");
    std::thread::spawn(move || {
        for mut stream in old.incoming().flatten() {
            let text = br#"{"Refused":{"why":"it speaks version 1, this engine version 99","version":99}}"#;
            let _ = stream.write_all(&(text.len() as u32).to_le_bytes()).and_then(|()| stream.write_all(text));
        }
    });
    let (code, said) = account.refused(&["status"]);
    assert_eq!((code, said.contains("speaks version 99 of the protocol")), (1, true), "{said}");
    let screen = account.screen("old", tty::DESIGN);
    wait(&screen, "End it and start a new one? Its pads disappear and come back. [y/N]");
    screen.keys(&["n", "Enter"]).expect("keys");
    wait(&screen, "it was left running");
    wait(&screen, "[ended 4]");
    assert!(place.holder().is_some());
    drop(held);
}

#[test]
fn a_killed_engine_leaves_nothing_in_the_way() {
    let mut account = Account::new();
    account.serve("tidewater");
    let mut killed = account.engine.take().expect("it runs");
    killed.kill().expect("killed");
    killed.wait().expect("it ends");
    assert!(account.path("run/placid-mantle/engine.sock").exists(), "its socket lies there still");
    assert_eq!(account.refused(&["status"]).0, 5);
    account.serve("tidewater");
    assert_eq!(account.status()["slots"].as_array().map(Vec::len), Some(4));
}

/// A service manager that records what it is asked, and says yes.
fn manager(account: &Account, answers: &str) -> String {
    let directory = account.path("bin");
    fs::create_dir_all(&directory).expect("made");
    let log = account.path("asked");
    let script = format!("#!/bin/sh\necho \"$*\" >> '{}'\n{answers}\n", log.display());
    fs::write(directory.join("systemctl"), script).expect("written");
    fs::set_permissions(directory.join("systemctl"), fs::Permissions::from_mode(0o755)).expect("its mode");
    format!("{}:{}", directory.display(), std::env::var("PATH").unwrap_or_default())
}

#[test]
fn the_login_service_is_installed_and_removed() {
    let account = Account::new();
    let path = manager(&account, "case \"$2\" in is-enabled) echo enabled;; is-active) echo active;; esac");
    let ask = |act: &str| {
        let output = account.command(&["service", act]).env("PATH", &path).output().expect("it runs");
        assert!(output.status.success(), "{act}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    };
    let asked = || fs::read_to_string(account.path("asked")).unwrap_or_default();
    assert!(ask("status").contains("not installed"));
    assert!(ask("install").contains("starts at login"));
    let unit = account.path("config/systemd/user/placid-mantle.service");
    let text = fs::read_to_string(&unit).expect("the unit");
    for line in
        ["Type=notify", &format!("ExecStart=\"{PROGRAM}\" serve"), "Restart=on-failure", "WantedBy=default.target"]
    {
        assert!(text.lines().any(|own| own == line), "{line} is not in:\n{text}");
    }
    for line in ["--user daemon-reload", "--user enable placid-mantle.service", "--user restart placid-mantle.service"]
    {
        assert!(asked().lines().any(|own| own == line), "{line}:\n{}", asked());
    }
    assert!(ask("status").contains("at login: enabled"));
    // Once more changes nothing that the person has.
    ask("install");
    assert_eq!(fs::read_to_string(&unit).expect("the unit"), text);
    assert!(ask("remove").contains("no longer starts at login"));
    assert!(!unit.exists());
    assert!(asked().contains("--user disable --now placid-mantle.service"));
    assert!(ask("remove").contains("Nothing is installed"));
}

#[test]
fn without_a_service_manager_the_manual_steps_are_shown() {
    let account = Account::new();
    let path = manager(&account, "echo 'Failed to connect to bus' >&2; exit 1");
    let output = account.command(&["service", "install"]).env("PATH", &path).output().expect("it runs");
    let said = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success());
    assert!(said.contains("autostart/placid-mantle.desktop"), "{said}");
    assert!(said.contains(&format!("Exec=\"{PROGRAM}\" serve")), "{said}");
    assert!(!account.path("config/systemd").exists(), "nothing is written");
    // A manager that cannot start it: what it said, and where to look.
    let path = manager(&account, "case \"$2\" in restart) echo 'Job failed' >&2; exit 1;; esac");
    let output = account.command(&["service", "install"]).env("PATH", &path).output().expect("it runs");
    let said = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(1));
    assert!(said.contains("Job failed") && said.contains("journalctl --user -u placid-mantle"), "{said}");
}

#[test]
fn without_a_safe_socket_directory_it_says_why() {
    let account = Account::new();
    let without =
        account.command(&["serve", "--scene", "tidewater"]).env_remove("XDG_RUNTIME_DIR").output().expect("it runs");
    assert_eq!(without.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&without.stderr).contains("there is no XDG_RUNTIME_DIR"));
    fs::set_permissions(account.path("run"), fs::Permissions::from_mode(0o755)).expect("its mode");
    let (code, said) = account.refused(&["serve", "--scene", "tidewater"]);
    assert_eq!((code, said.contains("its mode is 755")), (2, true), "{said}");
    assert_eq!(account.refused(&["status"]).0, 5);
}
