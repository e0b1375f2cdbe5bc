//! The real screen in a real terminal: somebody presses keys, and reads the result.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::PathBuf;
use tty::{DESIGN, demo, start};

/// A panel and a pad that nobody touches.
fn quiet_scene(name: &str) -> PathBuf {
    tty::quiet_scene(name, &["harbour-panel", "quay-pad"])
}

/// The lines of a slot on the board.
fn row(screen: &str, slot: u8) -> String {
    let from = screen.lines().skip_while(|line| !line.trim_start().starts_with(&format!("Slot {slot} ")));
    from.take(3).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_board_shows_who_plays() {
    let tmux = start("board", DESIGN, "");
    let screen = tmux.wait("all is well", |screen| screen.contains("All is well: 4 slots play.")).expect("it says so");
    for (slot, words) in [(1, "Harbour panel"), (2, "Quay pad"), (3, "Jetty box"), (4, "Jetty box")] {
        let row = row(&screen, slot);
        assert!(row.contains(words) && row.contains("plays") && row.contains("common pad"), "slot {slot}:\n{screen}");
    }
    for stage in ["Device", "Reports", "Controls", "Bindings", "Feel", "Pad", "Games"] {
        assert!(screen.contains(stage), "{stage} is missing:\n{screen}");
    }
    assert!(screen.contains("no slot     Kestrel puck") && screen.contains("no slot     Pilot yoke"), "{screen}");
    assert!(screen.contains("q leave"), "{screen}");
}

#[test]
fn a_press_lights_its_own_row_only() {
    let scene = quiet_scene("press");
    let tmux = start("press", DESIGN, &format!("--scene {}", scene.display()));
    tmux.wait("both slots", |screen| screen.contains("Quay pad")).expect("they are there");
    tmux.keys(&["h"]).expect("taken in hand");
    tmux.wait("the device to be in hand", |screen| screen.contains("in hand:")).expect("it is");
    let screen = tmux
        .wait("South in slot 1", |screen| {
            // A key of a terminal has no release: each is a short press, so it is pressed until it is seen.
            tmux.keys(&["1"]).expect("a key");
            assert!(!row(screen, 2).contains("South"), "slot 2 is lit as well:\n{screen}");
            row(screen, 1).contains("South")
        })
        .expect("it lights");
    assert!(row(&screen, 2).contains("neutral"), "{screen}");
}

#[test]
fn devices_are_placed_and_moved() {
    let tmux = start("place", DESIGN, "");
    tmux.wait("the board", |screen| screen.contains("no slot     Kestrel puck")).expect("it is there");
    tmux.keys(&["Down", "Down", "Down", "Down", "p"]).expect("keys");
    tmux.wait("the choice", |screen| screen.contains("Place Kestrel puck") && screen.contains("profile"))
        .expect("it is there");
    tmux.keys(&["Right", "Enter"]).expect("keys");
    tmux.wait("the pad of slot 5", |screen| {
        screen.contains("Slot 5") && screen.contains("garden") && screen.contains("seen to full and back")
    })
    .expect("placing goes on to Pad");
    tmux.keys(&["Escape"]).expect("keys");
    let screen = tmux.wait("the board", |screen| row(screen, 5).contains("Kestrel puck")).expect("it has a slot");
    assert!(!screen.contains("no slot     Kestrel puck"), "it left the rows without a slot:\n{screen}");
    tmux.keys(&["m", "7", "Enter"]).expect("keys");
    tmux.wait("the pad of slot 7", |screen| screen.contains("Slot 7") && screen.contains("seen to full and back"))
        .expect("it is moved");
    tmux.keys(&["Escape"]).expect("keys");
    let screen = tmux.wait("the board", |screen| row(screen, 7).contains("Kestrel puck")).expect("it sits there");
    assert!(row(&screen, 5).is_empty(), "slot 5 is empty:\n{screen}");
    tmux.keys(&["x"]).expect("keys");
    tmux.wait("no slot", |screen| screen.contains("no slot     Kestrel puck")).expect("it is taken out");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("slot 7 again", |screen| row(screen, 7).contains("Kestrel puck")).expect("undone");
}

#[test]
fn every_view_is_one_key_away() {
    let tmux = start("views", DESIGN, "");
    tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
    let views = [
        ("2", "Quay pad"),
        ("D", "1209:0a02"),
        ("R", "as hidraw gives them"),
        ("C", "button 12"),
        ("B", "← button 1"),
        ("F", "dead zone"),
        ("P", "seen to full and back"),
        ("G", "only the pad of slot 2: choose controller "),
        ("?", "straight"),
        ("Escape", "only the pad of slot 2: choose controller "),
        ("j", "Quay pad is connected"),
        // Back to where it was called from, and from there to the board.
        ("Escape", "only the pad of slot 2: choose controller "),
        ("Escape", "no slot     Kestrel puck"),
    ];
    for (key, words) in views {
        tmux.keys(&[key]).expect("a key");
        let words = if key == "?" { "Keys" } else { words };
        tmux.wait(&format!("{words} after {key}"), |screen| screen.contains(words)).expect("the view opens");
    }
}

#[test]
fn quitting_restores_the_terminal() {
    let tmux = start("leave", DESIGN, "");
    tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
    assert_eq!(tmux.ask("#{alternate_on} #{cursor_flag} #{mouse_any_flag}"), "1 0 1");
    // Nobody loses anything of a made-up evening, so nothing is asked. Real ones are covered by the kernel suite.
    tmux.keys(&["q"]).expect("keys");
    tmux.wait("the end", |screen| screen.contains("[ended 0]")).expect("it ends well");
    assert_eq!(tmux.ask("#{alternate_on} #{cursor_flag} #{mouse_any_flag}"), "0 1 0");
}

/// Whichever thread fails: the terminal is as it was, the message is readable, and the program ends.
#[test]
fn a_panic_restores_the_terminal() {
    for (thread, words, code) in [
        ("screen", "the screen was asked to fail", "[ended 101]"),
        ("engine", "everything it held was released", "[ended 1]"),
    ] {
        let fails = [("PLACID_MANTLE_FAIL_IN", thread)];
        let tmux = tty::start_with(&format!("fail-{thread}"), DESIGN, "", &fails);
        let screen = tmux.wait("the end", |screen| screen.contains(code)).expect("it ends");
        assert!(screen.contains(words), "{screen}");
        assert_eq!(tmux.ask("#{alternate_on} #{cursor_flag} #{mouse_any_flag}"), "0 1 0", "{thread}");
    }
}

/// Also a thread beside those two: nothing goes on behind a dead screen.
#[test]
fn a_panic_in_any_thread_ends_the_program_cleanly() {
    let tmux = tty::start_with("fail-paper", DESIGN, "", &[("PLACID_MANTLE_FAIL_IN", "paper")]);
    tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
    tmux.keys(&["B"]).expect("keys");
    tmux.wait("the bindings", |screen| screen.contains("Bindings") && screen.contains("South"))
        .expect("they are there");
    tmux.keys(&["X"]).expect("keys");
    let screen = tmux.wait("the end", |screen| screen.contains("[ended 1]")).expect("it ends");
    assert!(screen.contains("the paper was asked to fail") && screen.contains("everything it held"), "{screen}");
    assert_eq!(tmux.ask("#{alternate_on} #{cursor_flag} #{mouse_any_flag}"), "0 1 0");
}

/// The process number of the program in a terminal: the child of its shell.
fn pid_of(tmux: &Tmux) -> String {
    let shell = tmux.ask("#{pane_pid}");
    let children =
        std::fs::read_to_string(format!("/proc/{shell}/task/{shell}/children")).expect("the shell has children");
    let first = children.split_whitespace().next().expect("the program runs").to_owned();
    let name = std::fs::read_to_string(format!("/proc/{first}/comm")).unwrap_or_default();
    assert!(name.starts_with("placid"), "{first} is {name}");
    first
}

/// A signal ends it like leaving does: the terminal is as it was.
#[test]
fn signals_restore_the_terminal() {
    for signal in ["TERM", "INT", "HUP", "QUIT"] {
        let tmux = start(&format!("signal-{signal}"), DESIGN, "");
        tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
        let pid = pid_of(&tmux);
        let done = std::process::Command::new("kill").args([&format!("-{signal}"), &pid]).status().expect("kill runs");
        assert!(done.success());
        tmux.wait("the end", |screen| screen.contains("[ended 0]")).expect("it ends well");
        assert_eq!(tmux.ask("#{alternate_on} #{cursor_flag} #{mouse_any_flag}"), "0 1 0", "{signal}");
    }
}

#[test]
fn a_small_screen_has_everything_essential() {
    let tmux = start("small", (80, 24), "");
    let screen = tmux.wait("all is well", |screen| screen.contains("All is well: 4 slots play.")).expect("it says so");
    for words in
        ["Slot 1", "Slot 4", "Harbour panel", "Kestrel puck", "Device", "Reports", "Pad", "Games", "q leave", "? keys"]
    {
        assert!(screen.contains(words), "{words} is missing:\n{screen}");
    }
    tmux.keys(&["P"]).expect("keys");
    tmux.wait("the pad", |screen| screen.contains("left trigger") && screen.contains("seen; next: ")).expect("it fits");
    tmux.resize((240, 70)).expect("resized");
    tmux.wait("the wide screen", |screen| screen.lines().any(|line| line.chars().count() > 170))
        .expect("it uses the room");
    tmux.resize((70, 20)).expect("resized");
    tmux.wait("a word about the size", |screen| screen.contains("80x24 cells are needed")).expect("it says so");
    tmux.resize((100, 30)).expect("resized");
    tmux.wait("the pad again", |screen| screen.contains("left trigger")).expect("it is back");
}

#[test]
fn ascii_is_used_without_a_utf8_locale() {
    let tmux = Tmux::start("ascii", (100, 30), &[("LC_ALL", "C")], &demo("")).expect("tmux starts");
    let screen = tmux.wait("all is well", |screen| screen.contains("+ All is well")).expect("it says so");
    assert!(screen.is_ascii(), "{screen}");
    assert!(screen.contains("#---") || screen.contains("#==="), "the path is there:\n{screen}");
}

#[test]
fn an_incapable_terminal_gets_one_sentence() {
    let cases =
        [("tiny", (60, 20), "", "80x24 are needed"), ("dumb", (100, 30), "TERM=dumb ", "TERM is dumb or empty")];
    for (name, size, variables, words) in cases {
        let tmux = Tmux::start(name, size, &[], &format!("{variables}{}", demo(""))).expect("tmux starts");
        let screen = tmux.wait("the end", |screen| screen.contains("[ended 2]")).expect("it ends cleanly");
        assert!(screen.replace('\n', "").contains(words), "{screen}");
        let said = screen.lines().filter(|line| line.contains("placid-mantle")).count();
        assert_eq!(said, 1, "{screen}");
    }
}

/// The Reports view live, stopped, and stepped through.
#[test]
fn reports_freeze_and_can_be_stepped() {
    let tmux = start("reports", DESIGN, "--scene cellar");
    tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
    tmux.keys(&["R"]).expect("keys");
    let live = tmux
        .wait("live reports", |screen| {
            let words = ["16 bytes  125 /s", "never changed", "counts up by 1", "checksum: CRC-32", "left stick X"];
            words.iter().all(|words| screen.contains(words))
        })
        .expect("rate, roles and fields");
    assert!(!live.contains(" later, "), "{live}");
    tmux.keys(&["f"]).expect("keys");
    // A screen may be read while half of a frame has been drawn, so everything that is checked is waited for.
    let stands = |screen: &str| screen.contains(" · 0 later") && screen.contains('▸');
    let newest = tmux.wait("it stands", stands).expect("it stands");
    let marked = |screen: &str| screen.lines().find(|line| line.contains('▸')).unwrap_or_default().trim().to_owned();
    let last = marked(&newest);
    assert!(
        last.contains("8.000 ms 01 "),
        "the report among its neighbours, a fixed time after the one before: {last}"
    );
    tmux.keys(&["[", "[", "["]).expect("keys");
    let earlier =
        tmux.wait("three back", |screen| screen.contains(" · 3 later") && screen.contains('▸')).expect("it steps back");
    let counter =
        |line: &str| u8::from_str_radix(line.split("01 ").nth(1).and_then(|rest| rest.get(..2)).unwrap_or(""), 16);
    let (now, then) = (counter(&last).expect("a counter"), counter(&marked(&earlier)).expect("a counter"));
    assert_eq!(now.wrapping_sub(then), 3, "its second byte counts up:\n{earlier}");
    assert!(earlier.contains(&format!("was {:02x}", then.wrapping_sub(1))), "{earlier}");
    tmux.keys(&["]"]).expect("keys");
    tmux.wait("one on", |screen| screen.contains(" · 2 later")).expect("it steps on");
    tmux.keys(&["{"]).expect("keys");
    tmux.wait("far back", |screen| screen.contains(" · 52 later")).expect("it jumps");
    tmux.keys(&["f"]).expect("keys");
    tmux.wait("live again", |screen| !screen.contains(" later, ") && screen.contains("125 /s")).expect("it goes on");
}

/// The request, from the line that begins with its sign.
fn asked(screen: &str) -> String {
    screen.lines().find_map(|line| line.trim().strip_prefix("▸ ")).unwrap_or_default().trim().to_owned()
}

/// From reports that describe nothing to a pad that plays: a device in hand answers what is asked, then its sheet is used.
#[test]
fn fields_are_found_by_pressing_and_the_pad_plays() {
    let tmux = start("finding", DESIGN, "--scene unknown");
    tmux.wait("the board", |screen| screen.contains("Cellar pad")).expect("it is there");
    tmux.keys(&["R", "n"]).expect("keys");
    tmux.wait("the first question", |screen| screen.contains("Finding the fields of Cellar pad")).expect("it begins");
    let keys =
        [("South", "1"), ("d-pad up", "Up"), ("d-pad right", "Right"), ("d-pad down", "Down"), ("d-pad left", "Left")];
    let sticks = [("left stick X all the way to the left", "d"), ("left stick X all the way to the right", "f")];
    let (mut held, mut before) = (None::<&str>, String::new());
    loop {
        // Each prompt is acted upon once, as soon as it appears.
        let said = before.clone();
        let screen = tmux.wait("another question", |screen| asked(screen) != said && !asked(screen).is_empty());
        let screen = screen.expect("it goes on");
        before = asked(&screen);
        let key = keys.iter().chain(&sticks).find(|(name, _)| before.contains(&format!(" {name} ")));
        match before.as_str() {
            prompt if prompt.starts_with("Let go") || prompt.starts_with("Hands off") => {
                held.take().into_iter().for_each(|key| tmux.keys(&[key]).expect("keys"));
            }
            prompt if prompt.starts_with("Is this") => {
                assert!(screen.contains(": sure"), "{screen}");
                if prompt.contains("left stick X") {
                    break;
                }
                tmux.keys(&["Enter"]).expect("keys");
            }
            prompt if prompt.contains("slowly") || prompt.contains("all eight") => tmux.keys(&["v"]).expect("keys"),
            _ if key.is_some() => {
                held = key.map(|(_, key)| *key);
                tmux.keys(&[held.expect("a key")]).expect("keys");
            }
            _ => tmux.keys(&["Tab"]).expect("keys"),
        }
    }
    tmux.keys(&["Enter"]).expect("keys");
    let found = tmux.wait("the stick among what was found", |screen| screen.contains("3 of 18 found")).expect("it is");
    for words in [
        "report 1, byte 1, bit 0",
        "report 1, 4 bits from bit 16",
        "report 1, 12 bits from bit 24",
        "skipped",
        "CRC-32",
    ] {
        assert!(found.contains(words), "{words} is missing:\n{found}");
    }
    tmux.keys(&["Escape"]).expect("keys");
    tmux.wait("the device by its sheet", |screen| screen.contains("Slot 1") && screen.contains("left stick X"))
        .expect("it is read by what was found");
    tmux.keys(&["h"]).expect("keys");
    tmux.wait("it to be in hand", |screen| screen.contains("Esc put it down")).expect("it is taken");
    // Pressed until it plays: if the machine stands still for a moment, a short press is lost between two reports.
    let pressed = |screen: &str| {
        let plays = screen.contains("Slot 1 plays");
        if !plays {
            tmux.keys(&["1"]).expect("keys");
        }
        plays
    };
    tmux.wait("the pad to play", pressed).expect("it plays");
}

/// What is recorded from the view is a file that can be read, and played as a device.
#[test]
fn a_recording_from_the_view_plays() {
    let home = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("tape");
    let _ = std::fs::remove_dir_all(&home);
    let state = home.display().to_string();
    let environment = [("LC_ALL", "C.UTF-8"), ("NO_COLOR", ""), ("XDG_STATE_HOME", state.as_str())];
    let tmux = Tmux::start("tape", DESIGN, &environment, &demo("--scene cellar")).expect("tmux starts");
    tmux.wait("the board", |screen| screen.contains("All is well")).expect("it is there");
    tmux.keys(&["R", "r"]).expect("keys");
    tmux.wait("many reports", |screen| {
        let count = screen.split("● recording: ").nth(1).and_then(|rest| rest.split(' ').next()?.parse::<u32>().ok());
        count.is_some_and(|count| count > 300)
    })
    .expect("they are recorded");
    tmux.keys(&["r"]).expect("keys");
    tmux.wait("the end", |screen| screen.contains("recorded: ") && screen.contains("cellar-pad-1.hid"))
        .expect("it ends");
    let file = home.join("placid-mantle/recordings/cellar-pad-1.hid").display().to_string();
    let program = |arguments: &[&str]| {
        let output = std::process::Command::new(env!("CARGO_BIN_EXE_placid-mantle")).args(arguments).output();
        let output = output.expect("it runs");
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    };
    assert!(program(&["replay", &file, "--headless"]).contains("slot 1 key:0x130=1"));
    let text = std::fs::read_to_string(&file).expect("it is there");
    assert!(text.contains("# mantle: checksum=") && !text.contains("lost="), "it is whole");

    // It opens beside what is there, as a device of its own that can be placed, stepped and closed. The key is sent alone: together with the next key
    // it would be another one.
    tmux.keys(&["Escape"]).expect("keys");
    tmux.wait("the board", |screen| screen.contains("o recording")).expect("it is back");
    tmux.keys(&["o", "nowhere", "Enter"]).expect("keys");
    tmux.wait("what there is", |screen| {
        screen.contains("there is no recording nowhere") && screen.contains("cellar-pad-1.hid")
    })
    .expect("it is said");
    tmux.keys(&["cellar-pad-1", "Enter"]).expect("keys");
    tmux.wait("its row", |screen| screen.contains("no slot     Cellar pad") && screen.contains("a recording  "))
        .expect("it is there");
    tmux.keys(&["Down", "p", "2", "Enter"]).expect("keys");
    tmux.wait("its pad", |screen| screen.contains("Slot 2") && screen.contains("seen to full and back"))
        .expect("it is placed");
    tmux.keys(&["R"]).expect("keys");
    let moving = |screen: &str| screen.lines().any(|line| line.contains("/s") && !line.contains(" 0 /s"));
    tmux.wait("its reports", |screen| screen.contains("Slot 2") && moving(screen)).expect("they come");
    tmux.keys(&["O"]).expect("keys");
    tmux.wait("no device", |screen| screen.contains("kept")).expect("it is gone");
    tmux.keys(&["Escape"]).expect("keys");
    tmux.wait("the kept slot", |screen| row(screen, 2).contains("kept") && row(screen, 2).contains("gone"))
        .expect("it is closed");
}

/// Somebody binds by pressing, is offered the swap, accepts it, types a name, and undoes everything.
#[test]
fn a_binding_is_changed_swapped_typed_and_undone() {
    let scene = quiet_scene("bind");
    let tmux = start("bind", DESIGN, &format!("--scene {}", scene.display()));
    tmux.wait("both slots", |screen| screen.contains("Quay pad")).expect("they are there");
    let line = |screen: &str, target: &str| {
        let own = screen.lines().find(|line| line.chars().take(30).collect::<String>().contains(target));
        own.unwrap_or_default().to_owned()
    };
    let plays = |target: &'static str, source: &'static str| {
        move |screen: &str| {
            let own = line(screen, target);
            own.contains(source) && !screen.contains("plays North already")
        }
    };
    tmux.keys(&["2", "B"]).expect("keys");
    tmux.wait("the bindings", plays("South", "← button 1")).expect("default");
    // Pressed on the device in hand: button 4 plays North at this point.
    tmux.keys(&["Enter"]).expect("keys");
    tmux.wait("the request", |screen| screen.contains("Press and release the control for South")).expect("it asks");
    tty::press(&tmux, "4", "button 4 moved from North");
    tmux.keys(&["s"]).expect("keys");
    tmux.wait("the swap", |screen| plays("South", "← button 4")(screen) && plays("North", "← button 1")(screen))
        .expect("they have swapped");
    tmux.wait("where it is said", |screen| {
        screen.contains("profile Quay pad") && screen.contains("quay-pad.profile.toml:")
    })
    .expect("a profile of its own");
    // Another one by its name.
    tmux.keys(&["Tab", "t"]).expect("keys");
    tmux.wait("the line", |screen| screen.contains("What should play East")).expect("it asks");
    tmux.keys(&["hat up", "Enter"]).expect("keys");
    tmux.wait("the question", |screen| screen.contains("hat up moved from d-pad up")).expect("it is asked about");
    tmux.keys(&["Enter"]).expect("keys");
    tmux.wait("the move", |screen| plays("East", "← hat up")(screen) && plays("d-pad up", "nothing")(screen))
        .expect("it is moved");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("East as before", |screen| {
        plays("East", "← button 2")(screen) && plays("d-pad up", "← hat up")(screen)
    })
    .expect("taken back");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("South as before", |screen| {
        plays("South", "← button 1")(screen) && plays("North", "← button 4")(screen)
    })
    .expect("taken back");
    tmux.keys(&["U"]).expect("keys");
    tmux.wait("the swap again", plays("South", "← button 4")).expect("done again");
    tmux.keys(&["BTab", "a", "jump", "Enter"]).expect("keys");
    tmux.wait("the action", |screen| line(screen, "South").contains("jump")).expect("it is named");
}

#[test]
fn a_roll_call_is_completed_with_a_device_in_hand() {
    let scene = quiet_scene("call");
    let tmux = start("call", DESIGN, &format!("--scene {}", scene.display()));
    tmux.wait("both slots", |screen| screen.contains("Quay pad")).expect("they are there");
    tmux.keys(&["2", "B"]).expect("keys");
    tmux.wait("the bindings", |screen| screen.contains("← button 1")).expect("default");
    let asks = |words: &'static str| {
        tmux.wait(words, move |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{words}: {why}"))
    };
    tmux.keys(&["c"]).expect("keys");
    asks("1 of 25, 0 answered");
    asks("in hand:");
    tmux.keys(&["Tab"]).expect("keys");
    asks("East: press and release the control for it");
    tmux.keys(&["5"]).expect("keys");
    asks("East ← button 5");
    asks("West: press and release the control for it");
    tmux.keys(&["6"]).expect("keys");
    asks("Without a keyboard: hold button 5 to skip, button 6 to go back, both to stop.");
    // A control that answered already is asked about.
    tmux.keys(&["5"]).expect("keys");
    asks("button 5 already plays East.");
    tmux.keys(&["Enter"]).expect("keys");
    asks("North ← button 5");
    tmux.keys(&["BSpace"]).expect("keys");
    asks("North: press and release the control for it");
    tmux.keys(&["7"]).expect("keys");
    asks("North ← button 7");
    for target in ["left shoulder", "right shoulder", "left trigger"] {
        tmux.wait(target, |screen| screen.contains(&format!("{target}: "))).expect("it is asked for");
        tmux.keys(&["Tab"]).expect("keys");
    }
    // A trigger with its rest, and half a stick, whose other half follows.
    asks("right trigger: pull");
    tmux.keys(&["s"]).expect("keys");
    asks("rest 0, reached 255 of 0 to 255");
    asks("left stick up: push");
    tmux.keys(&["i"]).expect("keys");
    asks("this also binds left stick down");
    asks("left stick left: push");
    let screen = asks("11 of 25");
    assert!(screen.contains("✓ left stick down"), "{screen}");
    for _ in 0..40 {
        // East lost its button: it is asked for again after the last one.
        tmux.keys(&["Tab"]).expect("keys");
    }
    let screen = asks("The roll call is over.");
    assert!(screen.contains("✓ West") && screen.contains("– Mode"), "{screen}");
    tmux.keys(&["Enter"]).expect("keys");
    let screen = tmux.wait("the list", |screen| !screen.contains("Roll call")).expect("it is there");
    let first = |line: &str| line.chars().take(50).collect::<String>();
    let line = |target: &str| screen.lines().map(first).find(|line| line.contains(target)).unwrap_or_default();
    assert!(line("North").contains("← button 7") && line("West").contains("← button 6"), "{screen}");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("the last answer taken back", |screen| {
        screen.lines().map(first).any(|line| line.contains("left stick up") && line.contains("← Y"))
    })
    .expect("as it was");
}

#[test]
fn a_stick_is_calibrated_with_the_device_in_hand() {
    let scene = quiet_scene("calibrate");
    let tmux = start("calibrate", DESIGN, &format!("--scene {}", scene.display()));
    tmux.wait("both slots", |screen| screen.contains("Quay pad")).expect("they are there");
    let line = |screen: &str, axis: &str| {
        let own = screen.lines().find(|line| line.chars().take(16).collect::<String>().contains(axis));
        own.unwrap_or_default().to_owned()
    };
    let says = |axis: &'static str, words: &'static str| {
        tmux.wait(words, move |screen| line(screen, axis).contains(words)).expect("it says so")
    };
    tmux.keys(&["2", "C"]).expect("keys");
    says("Rz", "50 %");
    tmux.keys(&["z"]).expect("keys");
    tmux.wait("hands off", |screen| screen.contains("Hands off for another")).expect("it asks");
    tmux.wait("the travel", |screen| screen.contains("Move everything through its full travel")).expect("it asks");
    says("Rz", "not moved yet");
    tmux.keys(&["i"]).expect("keys");
    says("Rz", "moved one way only");
    tmux.keys(&["k"]).expect("keys");
    says("Rz", "in between");
    tmux.keys(&["Enter"]).expect("keys");
    tmux.wait("hands off again", |screen| screen.contains("3 of 3  Hands off")).expect("it asks");
    let screen = tmux.wait("the proposal", |screen| screen.contains("Enter accepts this")).expect("it proposes");
    assert!(line(&screen, "accelerator").contains("not moved: unchanged"), "{screen}");
    assert!(screen.contains("dead or not pressed: button 1, button 2"), "{screen}");
    tmux.keys(&["Enter"]).expect("keys");
    says("Rz", "2 / 128 / 253");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("as before", |screen| !screen.contains("2 / 128 / 253")).expect("taken back");
}
