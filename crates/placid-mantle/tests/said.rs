//! The sentences in a real terminal: each is on the board, its key leads to where it is mended, and then it disappears.

#[allow(dead_code, reason = "the other tests of the screen use the rest of it")]
mod tty;

use std::path::PathBuf;

/// A scene, what is read on its board, and then keys, each with what is read after it.
struct Case {
    name: &'static str,
    scene: &'static str,
    says: &'static str,
    keys: &'static [(&'static str, &'static str)],
}

const QUAY: &str = "[[device]]\nfile = \"quay-pad\"\nport = \"1-3\"\n";

const CASES: [Case; 12] = [
    Case {
        name: "silent",
        scene: "rates = [[2.0, 125], [4.0, 0]]\n",
        says: "reports per second and has been silent for",
        keys: &[("w", "f stop, continue"), ("Escape", "✕ silent")],
    },
    Case {
        name: "drifts",
        scene: "rest = [{ control = \"X\", value = 150 }]\n[[device.hand]]\ncontrol = \"button 1\"\nat = 1.0\nevery = 1.0\nhold = 0.2\n",
        says: "W set a dead zone of 21 % for the left stick",
        keys: &[
            ("w", "calibrate"),
            ("W", "left stick"),
            ("Escape", "All is well: slot 1 plays."),
            ("F", "dead zone 21 %"),
        ],
    },
    Case {
        name: "let-go",
        scene: "",
        says: "All is well: slot 1 plays.",
        keys: &[("l", "Everything is let go from here"), ("w", "All is well: slot 1 plays.")],
    },
    Case {
        name: "paused",
        scene: "",
        says: "All is well: slot 1 plays.",
        keys: &[
            ("L", "Slot 1 is paused from here"),
            ("w", "All is well: slot 1 plays."),
            ("L", "Slot 1 is paused from here"),
            ("W", "All is well: slot 1 plays."),
        ],
    },
    Case {
        name: "no-profile",
        scene: "hands = false\nslots = [1]\nprofile = \"nowhere\"\n",
        says: "there is no profile named nowhere",
        keys: &[("w", "Esc board"), ("Escape", "▲ no file"), ("W", "Slot 1 has not been tried")],
    },
    Case {
        name: "misspelt",
        scene: "hands = false\nslots = [1]\nprofile = \"own\"\n[[profile]]\nname = \"own\"\ntext = \"\"\"\nversion = 1\nname = \"own\"\n[[binding]]\ntarget = \"South\"\nsource = \"buton 2\"\n\"\"\"\n",
        says: "(line 3) plays nothing: the device has no control named buton 2; did you mean button 2?",
        keys: &[("w", "buton 2"), ("Escape", "▲ unbound"), ("W", "Slot 1 has not been tried"), ("B", "button 2")],
    },
    Case {
        name: "would-type",
        scene: "slots = [1]\nprofile = \"own\"\n[[profile]]\nname = \"own\"\ntext = \"\"\"\nversion = 1\nname = \"own\"\n[[binding]]\ntarget = \"key A\"\nsource = \"button 1\"\n\"\"\"\n",
        says: "Slot 1's profile wants to type something",
        keys: &[("w", "key A")],
    },
    Case {
        name: "refused",
        scene: "readable = false\n",
        says: "your account may not read Quay pad. Run sudo placid-mantle setup --install",
        keys: &[("w", "refused (EACCES)")],
    },
    Case {
        name: "busy",
        scene: "busy = [[0.0, 9.0]]\n",
        says: "another program holds",
        keys: &[("w", "Esc board"), ("Escape", "All is well: slot 1 plays.")],
    },
    Case {
        name: "no-uinput",
        scene: "at = 900.0\n[machine]\nuinput = \"absent\"\nuinput_mended_at = 6.0\n",
        says: "No pad can be made: the kernel's module uinput is not loaded. Run sudo modprobe uinput",
        keys: &[("Escape", "No device is connected")],
    },
    Case {
        name: "one-of-two",
        scene: "slots = [1]\n[[device]]\nfile = \"tread-pedals\"\nport = \"2-2\"\nslots = [1]\ngone = [[3.0, 9.0]]\n",
        says: "Tread pedals is gone, and its controls rest; Quay pad plays on",
        keys: &[("Escape", "All is well: slot 1 plays.")],
    },
    Case {
        name: "damaged",
        scene: "damaged = 0.2\n",
        says: "20 % of what Quay pad sends cannot be read",
        keys: &[("w", "unreadable"), ("Escape", "▲ damaged")],
    },
];

fn scene(case: &Case) -> PathBuf {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("said-{}.scene.toml", case.name));
    let text = format!("version = 1\ntitle = \"said\"\n{QUAY}{}", case.scene);
    std::fs::write(&path, text).expect("a scene");
    path
}

fn play(case: &Case) {
    let tmux = tty::start(&format!("said-{}", case.name), tty::DESIGN, &format!("--scene {}", scene(case).display()));
    // A sentence may go on in the next line.
    let flat = |screen: &str| screen.split_whitespace().collect::<Vec<_>>().join(" ");
    let wait = |words: &str| {
        tmux.wait(words, |screen| flat(screen).contains(words)).unwrap_or_else(|why| panic!("{}: {why}", case.name));
    };
    wait(case.says);
    for (key, words) in case.keys {
        tmux.keys(&[key]).expect("keys");
        wait(words);
    }
}

#[test]
fn each_sentences_key_leads_to_its_remedy() {
    std::thread::scope(|scope| {
        let all: Vec<_> = CASES.iter().map(|case| scope.spawn(|| play(case))).collect();
        for one in all {
            one.join().unwrap_or_else(|why| std::panic::resume_unwind(why));
        }
    });
}

/// A file with a fault that somebody imports is not accepted, and the place of the fault is reported there.
#[test]
fn a_fault_in_an_imported_file_is_reported_there() {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("faulty.profile.toml");
    std::fs::write(&path, "version = 1\nname = \"faulty\"\nmood = 1\n").expect("a file");
    let tmux = tty::start("said-taken-in", tty::DESIGN, "");
    let wait = |words: &str| tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"));
    for (key, words) in [("S", "which profile a slot uses"), ("i", "file")] {
        tmux.keys(&[key]).expect("keys");
        wait(words);
    }
    tmux.keys(&[path.to_str().expect("text"), "Enter"]).expect("keys");
    wait("faulty.profile.toml:3:1");
    wait("mood");
}

/// Several things are wrong: `w` goes from one to the next, and round again.
#[test]
fn the_key_cycles_through_all_faults() {
    let tmux = tty::start("said-walk", tty::DESIGN, "--scene troubles");
    let wait = |words: &str| tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"));
    wait("silent for");
    wait("off centre");
    wait("and 1 more:");
    for (slot, stage) in
        [("Slot 4", "silent for"), ("Slot 1", "off centre"), ("Slot 2", "buton 2"), ("Slot 3", "battery")]
    {
        tmux.keys(&["w"]).expect("keys");
        let there = |screen: &str| {
            let strip = screen.lines().nth(2).unwrap_or_default();
            strip.contains(slot) && screen.contains(stage)
        };
        tmux.wait(slot, there).unwrap_or_else(|why| panic!("{why}"));
    }
    tmux.keys(&["w"]).expect("keys");
    tmux.wait("round again", |screen| screen.lines().nth(2).is_some_and(|strip| strip.contains("Slot 4")))
        .expect("it is");
}
