//! The program by mouse alone, with one hand, and in how many keys: what counts is what is seen after each act.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_lab::Tmux;
use tty::{DESIGN, quiet_scene, start_with};

/// Somebody with a mouse.
struct Mouse {
    tmux: Tmux,
    home: tempfile::TempDir,
}

const KEYS: [&str; 7] = ["D", "R", "C", "B", "F", "P", "G"];

impl Mouse {
    fn start(name: &str, size: (u16, u16), devices: &[&str]) -> Self {
        let home = tempfile::tempdir().expect("a directory");
        let scene = quiet_scene(name, devices);
        let place = home.path().display().to_string();
        let homes = [("HOME", place.as_str()), ("XDG_CONFIG_HOME", &place), ("XDG_STATE_HOME", &place)];
        let tmux = start_with(name, size, &format!("--scene {}", scene.display()), &homes);
        let mouse = Self { tmux, home };
        mouse.sees("the board", "Slot 1");
        mouse
    }

    fn sees(&self, what: &str, words: &str) -> String {
        self.tmux.wait(&format!("{what}: {words}"), |screen| screen.contains(words)).expect("it is seen")
    }

    /// Presses and releases a button of the mouse at a cell.
    fn press(&self, (x, y): (usize, usize), button: u8) {
        let (x, y) = (x + 1, y + 1);
        // The wheel has no way back up.
        let up = if button < 64 { format!("\x1b[<{button};{x};{y}m") } else { String::new() };
        let both = format!("\x1b[<{button};{x};{y}M{up}");
        self.tmux.keys(&["-l", &both]).expect("clicked");
    }

    /// Clicks these words, below a line.
    fn click_below(&self, line: usize, words: &str) {
        let screen = self.tmux.screen();
        let at = find(&screen, line, words).unwrap_or_else(|| panic!("{words} is not seen:\n{screen}"));
        self.press(at, 0);
    }

    fn click(&self, words: &str) {
        self.click_below(0, words);
    }

    /// Leaves whatever it is by the hint that leads out, as far as the board.
    fn goes_back(&self) {
        for _ in 0..8 {
            let out = |words: &str| words == "Enter open" || words.starts_with("Esc");
            let there = |screen: &str| hints(screen).iter().any(|(words, _)| out(words));
            let foot = hints(&self.tmux.wait("a way out", there).expect("there is one"));
            if foot.iter().any(|(words, _)| words == "Enter open") {
                return;
            }
            let (way, at) = foot.iter().find(|(words, _)| words.starts_with("Esc")).expect("there is a way out");
            self.press(*at, 0);
            // The click has been answered only once this way out is gone: other changes below may still belong to an earlier click.
            let gone = |screen: &str| hints(screen).iter().all(|(words, _)| words != way);
            self.tmux.wait("another place", gone).expect("out of it");
        }
        panic!("the board is not come back to:\n{}", self.tmux.screen());
    }

    /// Waits for an effect: the screen differs from before, not counting what changes by itself.
    fn changes(&self, before: &str, what: &str) {
        // Neither figures nor traces, nor the blanks that they leave.
        let counts = |c: &char| !c.is_ascii_digit() && !c.is_whitespace() && !('▁'..='█').contains(c);
        let still = |screen: &str| screen.chars().filter(counts).collect::<String>();
        let before = still(before);
        self.tmux.wait(&format!("something to come of {what}"), |screen| still(screen) != before).expect("it does");
    }
}

/// The cell in which these words begin, at this line or below it.
fn find(screen: &str, from: usize, words: &str) -> Option<(usize, usize)> {
    let mut lines = screen.lines().enumerate().skip(from);
    lines.find_map(|(y, line)| Some((line[..line.find(words)?].chars().count(), y)))
}

/// The hints of the last line: the words, and the cell in which each begins.
fn hints(screen: &str) -> Vec<(String, (usize, usize))> {
    let lines: Vec<&str> = screen.trim_end_matches('\n').lines().collect();
    let Some((y, line)) = lines.iter().enumerate().next_back() else { return Vec::new() };
    let mut all = Vec::new();
    let mut x = 0;
    for part in line.split("  ") {
        let blanks = part.chars().take_while(|c| *c == ' ').count();
        let words = part.trim();
        if !words.is_empty() {
            all.push((words.to_owned(), (x + blanks, y)));
        }
        x += part.chars().count() + 2;
    }
    all
}

/// Every hint, tab and row of every view does something when it is clicked.
fn everything_answers(name: &str, size: (u16, u16), least: usize) {
    let mouse = Mouse::start(name, size, &["quay-pad", "harbour-panel"]);
    let views = [
        ("Device", "plugged in"),
        ("Reports", "came, as hidraw"),
        ("Controls", "button 1"),
        ("Bindings", "profile plain"),
        ("Feel", "dead zone"),
        ("Pad", "left trigger"),
        ("Games", "whose it is"),
    ];
    // Every stage by its heading on the board, then from one view to the next.
    let board = mouse.tmux.screen();
    for (stage, seen) in views {
        if find(&board, 2, stage).is_some_and(|(_, y)| y == 2) {
            mouse.click_below(2, stage);
            mouse.sees(stage, "Esc board");
            mouse.sees(stage, seen);
            mouse.click("Esc board");
            mouse.sees("the board", "Enter open");
        }
    }
    mouse.click_below(3, "Slot 1");
    mouse.tmux.keys(&["Enter"]).expect("the view opens");
    mouse.sees("a view", "Esc board");
    for (stage, seen) in views {
        mouse.click(stage);
        mouse.sees(stage, seen);
    }
    // Every hint in any of them.
    let mut clicked = 0;
    for (key, (stage, seen)) in KEYS.into_iter().zip(views) {
        mouse.goes_back();
        mouse.tmux.keys(&["1", key]).expect("the view");
        mouse.sees(stage, seen);
        let screen = mouse.tmux.wait("nothing to be said", |screen| !screen.contains('▲')).expect("calm");
        for (words, _) in hints(&screen) {
            // Leaving is tested below; an emptied slot has no views left; and nothing has been tried yet that could be tried again.
            if ["q leave", "x take out", "z start over"].contains(&words.as_str()) {
                continue;
            }
            // What was done before may have moved or removed it.
            let before = mouse.tmux.screen();
            let Some((_, at)) = hints(&before).into_iter().find(|(own, _)| *own == words) else { continue };
            mouse.press(at, 0);
            mouse.changes(&before, &format!("{words} in {stage}"));
            clicked += 1;
            mouse.goes_back();
            mouse.tmux.keys(&["1", key]).expect("the view again");
            mouse.sees(stage, "Esc");
        }
    }
    assert!(clicked >= least, "only {clicked} hints are clicked");
    mouse.goes_back();
    mouse.click("q leave");
    mouse.sees("its end", "[ended 0]");
    drop(mouse.home);
}

#[test]
fn every_hint_and_tab_answers_a_click_on_a_wide_screen() {
    everything_answers("clicks-wide", DESIGN, 60);
}

#[test]
fn every_hint_and_tab_answers_a_click_on_a_small_screen() {
    everything_answers("clicks-small", (80, 24), 30);
}

#[test]
fn every_hint_and_tab_answers_a_click_on_a_screen_between() {
    everything_answers("clicks-between", (100, 30), 30);
}

/// From an empty slot to another profile, a binding and a feel, without a key.
#[test]
fn the_mouse_alone_places_binds_and_tunes() {
    let mouse = Mouse::start("mouse-alone", DESIGN, &["quay-pad", "harbour-panel"]);
    // A second player is moved: the row, the command, the slot, and once more to do it.
    mouse.click_below(3, "Slot 2");
    mouse.click("m move");
    mouse.sees("the question", "Move the player in");
    mouse.click_below(8, "Slot 5");
    mouse
        .tmux
        .wait("it to be chosen", |screen| screen.lines().any(|line| line.contains("▸") && line.contains("Slot 5")))
        .expect("chosen");
    mouse.click_below(8, "Slot 5");
    mouse.sees("it moved", "slot 5");

    // A binding: the row, once more to choose; then from the list.
    mouse.click("Bindings");
    mouse.sees("bindings", "profile plain");
    mouse.click("East");
    mouse
        .tmux
        .wait("it to be chosen", |screen| screen.lines().any(|line| line.contains("▸") && line.contains("East")))
        .expect("chosen");
    mouse.click("t choose from a list");
    mouse.sees("the list", "What should play East?");
    mouse.click_below(8, "button 7");
    mouse
        .tmux
        .wait("it to be chosen", |screen| screen.lines().any(|line| line.contains("▸ button 7")))
        .expect("chosen");
    mouse.click_below(8, "button 7");
    mouse
        .tmux
        .wait("East to be bound", |screen| {
            screen.lines().any(|line| line.contains("East") && line.contains("← button 7"))
        })
        .expect("bound");

    // An option steps with a click, and back with the other button.
    mouse.click("toggle");
    mouse.click("toggle");
    mouse
        .tmux
        .wait("the option", |screen| screen.lines().any(|line| line.contains("toggle       yes")))
        .expect("it is set");

    // The feel: a stick, a setting, its value.
    mouse.click("Feel");
    mouse.sees("feel", "outer dead zone");
    mouse.click("right stick");
    mouse.click("outer dead zone");
    mouse
        .tmux
        .wait("it to be chosen", |screen| screen.lines().any(|line| line.contains("▸ outer dead zone")))
        .expect("chosen");
    mouse.click("outer dead zone");
    mouse.sees("a step", "outer dead zone  1 %");
    let at = find(&mouse.tmux.screen(), 0, "outer dead zone  1 %").expect("it is there");
    mouse.press(at, 2);
    mouse.sees("a step back", "outer dead zone  0 %");
    // The wheel goes through a list.
    let at = find(&mouse.tmux.screen(), 0, "outer dead zone").expect("it is there");
    mouse.press(at, 65);
    mouse
        .tmux
        .wait("the next one", |screen| screen.lines().any(|line| line.contains("▸ minimum output")))
        .expect("chosen");
    mouse.click("Esc board");
    mouse.sees("the board", "Enter open");
    // All commands, as a list: any of them without its key.
    mouse.click("Bksp commands");
    mouse.sees("the list", "What do you want to do?");
    mouse.click_below(8, "connect");
    mouse.click_below(8, "connect");
    mouse.sees("what it does", "Connect");
}

/// What one hand reaches: no two keys at once.
#[test]
fn one_hand_reaches_every_order() {
    let home = tempfile::tempdir().expect("a directory");
    let place = home.path().display().to_string();
    let homes = [("HOME", place.as_str()), ("XDG_CONFIG_HOME", &place), ("XDG_STATE_HOME", &place)];
    let scene = quiet_scene("one-hand", &["quay-pad", "harbour-panel"]);
    let tmux = start_with("one-hand", DESIGN, &format!("--scene {}", scene.display()), &homes);
    let keys = |keys: &[&str]| {
        let held =
            |key: &&str| key.chars().count() == 1 && !key.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit());
        assert!(!keys.iter().any(held), "{keys:?} takes two hands");
        tmux.keys(keys).expect("pressed");
    };
    let sees = |words: &str| tmux.wait(words, |screen| screen.contains(words)).expect("it is seen");
    sees("Slot 2");
    // Through all views by the arrows.
    keys(&["Enter"]);
    for seen in ["plugged in", "came, as hidraw", "share:", "profile plain", "dead zone", "left trigger", "whose it is"]
    {
        sees(seen);
        keys(&["Right"]);
    }
    keys(&["Escape"]);
    sees("Enter open");
    // Whatever needs a capital letter or a sign is reached by its words, in the list of all commands.
    let order = |words: &[&str], seen: &str| {
        keys(&["BSpace"]);
        sees("What do you want to do?");
        keys(words);
        keys(&["Enter"]);
        sees(seen);
    };
    order(&["n", "i", "c", "k"], "A nickname for the device");
    keys(&["r", "e", "d", "Enter"]);
    sees("red");
    order(&["p", "r", "o", "f", "i", "l", "e", "s"], "Profiles");
    keys(&["Escape"]);
    order(&["l", "o", "c", "k"], "locked");
    order(&["c", "o", "n", "n", "e", "c", "t"], "Connect");
    keys(&["Escape"]);
    order(&["f", "e", "e", "l"], "dead zone");
    order(&["t", "y", "p", "e", "Down", "Up"], "Type a value");
    keys(&["8", "Enter"]);
    sees("dead zone        8 %");
    keys(&["q"]);
    sees("[ended 0]");
}

/// An everyday task.
struct Task {
    name: &'static str,
    /// The scene's devices, as in a scene's file.
    devices: &'static str,
    /// How many keys it took before lists, typed values and shortcuts, counted the same way at commit 7792600.
    before: usize,
    /// The steps: keys; `!` before what is pressed on the device, which is no key of this program; `~` before what is waited for.
    acts: &'static [&'static str],
    /// The line that is seen in the end.
    seen: (&'static str, &'static str),
}

const PAD: &str = "[[device]]\nfile = \"quay-pad\"\nport = \"1-2\"\nhands = false\n";
const PUCK: &str = "[[device]]\nfile = \"kestrel-puck\"\nport = \"1-2\"\nhands = false\ndriver = \"hid-made-up\"\n";
const MOUSE: &str = "[[device]]\nfile = \"gull-mouse\"\nport = \"1-2\"\nhands = false\nslots = [1]\n";
const PAD_AND_PEDALS: &str = "[[device]]\nfile = \"quay-pad\"\nport = \"1-2\"\nhands = false\n[[device]]\nfile = \"tread-pedals\"\nport = \"1-3\"\nhands = false\nslots = [0]\n";
const PEDALS: &str = "[[device]]\nfile = \"tread-pedals\"\nport = \"1-2\"\nhands = false\n";
const FERRY: &str = "[[device]]\nfile = \"quay-pad\"\nport = \"1-2\"\nhands = false\nslots = [1]\nprofile = \"ferry\"\n[[profile]]\nname = \"ferry\"\n";

/// From the board, with the first row chosen.
const TASKS: [Task; 14] = [
    // Before: p Enter.
    Task {
        name: "place a device",
        devices: PUCK,
        before: 2,
        acts: &["~No slot is in use", "W"],
        seen: ("Slot 1", "Kestrel puck"),
    },
    // Before: B Enter m, and the press. What it played before is taken from there; further steps are only offered.
    Task {
        name: "bind one control by pressing it",
        devices: PAD,
        before: 3,
        acts: &["B", "Enter", "~nothing is pressed yet", "!5", "~button 5 moved from left shoulder"],
        seen: ("▸ · South", "← button 5"),
    },
    // Before, for each of four directions: its row, Enter, and the press.
    Task {
        name: "bind a whole stick",
        devices: PAD,
        before: 25,
        acts: &["B", "/", "r", "s", "u", "Enter", "g", "Enter"],
        seen: ("▸ · right stick up", "← Y lower half"),
    },
    // Before, the name had to be written out: t b u t t o n Space 2 Enter s.
    Task {
        name: "swap two buttons",
        devices: PAD,
        before: 12,
        acts: &["B", "t", "2", "Enter", "s"],
        seen: ("▸ · South", "← button 2"),
    },
    // Before, t and the whole name for each of eight buttons.
    Task {
        name: "type somebody's list of eight numbers",
        devices: PAD,
        before: 89,
        acts: &["B", "#", "2", " ", "3", " ", "1", " ", "4", " ", "6", " ", "5", " ", "8", " ", "7", "Enter"],
        seen: ("· right trigger", "← button 7"),
    },
    // Before, one step for each hundredth: F and + eight times.
    Task {
        name: "set a dead zone of 12 %",
        devices: PAD,
        before: 9,
        acts: &["F", "Enter", "1", "2", "Enter"],
        seen: ("▸ dead zone", "12 %"),
    },
    // Before: B, 19 rows down, ] to the sensitivity, + ten times.
    Task {
        name: "make a mouse more sensitive to the left alone",
        devices: MOUSE,
        before: 31,
        acts: &["B", "/", "r", "s", "l", "Enter", "]", "]", "=", "1", ".", "5", "Enter"],
        seen: ("▸ sensitivity", "× 1.50"),
    },
    // Before: Down t Enter.
    Task {
        name: "tie two devices",
        devices: PAD_AND_PEDALS,
        before: 3,
        acts: &["Down", "t"],
        seen: ("Tread pedals", "is now tied in slot 1"),
    },
    // Before, the place had to be typed: S e, ferry.profile.toml, Enter.
    Task {
        name: "share a profile",
        devices: FERRY,
        before: 21,
        acts: &["S", "e", "w", "Down", "Enter"],
        seen: ("ferry", "is also in"),
    },
    // Before, the same: S i ferry.profile.toml Enter.
    Task {
        name: "take over a profile",
        devices: PAD,
        before: 21,
        acts: &["S", "i", "f", "Down", "Enter"],
        seen: ("ferry", "is in the list of profiles"),
    },
    // Before: C z Enter Enter.
    Task {
        name: "calibrate a device",
        devices: PEDALS,
        before: 4,
        acts: &["z", "~2 of 3", "!a", "!s", "~Enter accepts", "Enter"],
        seen: ("accelerator", "0 / 0 / 1013"),
    },
    // Before: B a j u m p Enter.
    Task {
        name: "name an action",
        devices: PAD,
        before: 7,
        acts: &["B", "a", "j", "Enter"],
        seen: ("▸ · South", "jump"),
    },
    // Before: B X.
    Task { name: "print the card", devices: PAD, before: 2, acts: &["X"], seen: ("exported as PDF and SVG", "card") },
    // Before, the same; it is not among those that had to become shorter.
    Task {
        name: "give a device a nickname",
        devices: PAD,
        before: 5,
        acts: &["N", "r", "e", "d", "Enter"],
        seen: ("Slot 1", "red"),
    },
];

#[test]
fn everyday_tasks_take_few_keys() {
    for (at, task) in TASKS.iter().enumerate() {
        let name = format!("task-{at}");
        let home = tempfile::tempdir().expect("a directory");
        let place = home.path().display().to_string();
        let homes = [("HOME", place.as_str()), ("XDG_CONFIG_HOME", &place), ("XDG_STATE_HOME", &place)];
        let scene = home.path().join("task.scene.toml");
        std::fs::write(&scene, format!("version = 1\ntitle = \"quiet\"\n{}", task.devices)).expect("a scene");
        std::fs::create_dir(home.path().join("wall")).expect("a directory");
        std::fs::write(home.path().join("ferry.profile.toml"), "version = 1\nname = \"ferry\"\n").expect("a profile");
        let tmux = start_with(&name, DESIGN, &format!("--scene {}", scene.display()), &homes);
        tmux.wait("the board", |screen| screen.contains("Enter open") && !screen.contains("being made"))
            .expect("it is there");
        let mut keys = 0;
        for act in task.acts {
            if let Some(words) = act.strip_prefix('~') {
                tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{}: {why}", task.name));
                continue;
            }
            let key = act.strip_prefix('!').filter(|key| !key.is_empty()).unwrap_or(act);
            keys += usize::from(key == *act);
            if key.chars().count() == 1 {
                tmux.keys(&["-l", key]).expect("pressed");
            } else {
                tmux.keys(&[key]).expect("pressed");
            }
        }
        let (row, words) = task.seen;
        tmux.wait(task.name, |screen| screen.lines().any(|line| line.contains(row) && line.contains(words)))
            .unwrap_or_else(|why| panic!("{}: {why}", task.name));
        println!("{}: {keys} keys, {} before", task.name, task.before);
        let most = if task.name.ends_with("nickname") { task.before } else { task.before * 2 / 3 };
        assert!(keys <= most, "{}: {keys} keys", task.name);
    }
}
