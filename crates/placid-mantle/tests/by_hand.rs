//! The program by mouse alone, with one hand, and in how many keys: what is seen after each act is what counts.

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

    /// A button of the mouse goes down and up at a cell.
    fn press(&self, (x, y): (usize, usize), button: u8) {
        let (x, y) = (x + 1, y + 1);
        // The wheel has no way back up.
        let up = if button < 64 { format!("\x1b[<{button};{x};{y}m") } else { String::new() };
        let both = format!("\x1b[<{button};{x};{y}M{up}");
        self.tmux.keys(&["-l", &both]).expect("clicked");
    }

    /// Clicks where these words stand, below a line.
    fn click_below(&self, line: usize, words: &str) {
        let screen = self.tmux.screen();
        let at = find(&screen, line, words).unwrap_or_else(|| panic!("{words} is not seen:\n{screen}"));
        self.press(at, 0);
    }

    fn click(&self, words: &str) {
        self.click_below(0, words);
    }

    /// Out of whatever it is, by the hint that leads out of it, as far as the board.
    fn goes_back(&self) {
        for _ in 0..8 {
            let out = |words: &str| words == "Enter open" || words.starts_with("Esc");
            let there = |screen: &str| hints(screen).iter().any(|(words, _)| out(words));
            let foot = hints(&self.tmux.wait("a way out", there).expect("there is one"));
            if foot.iter().any(|(words, _)| words == "Enter open") {
                return;
            }
            let (_, at) = foot.iter().find(|(words, _)| words.starts_with("Esc")).expect("there is a way out");
            self.press(*at, 0);
            self.tmux.wait("another place", |screen| hints(screen) != foot).expect("out of it");
        }
        panic!("the board is not come back to:\n{}", self.tmux.screen());
    }

    /// Something has come of it: the screen is another one than before, and not by what counts on by itself.
    fn changes(&self, before: &str, what: &str) {
        let counts = |c: &char| !c.is_ascii_digit() && !('▁'..='█').contains(c);
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
    // Every hint that is written in any of them.
    let mut clicked = 0;
    for (key, (stage, seen)) in KEYS.into_iter().zip(views) {
        mouse.goes_back();
        mouse.tmux.keys(&["1", key]).expect("the view");
        mouse.sees(stage, seen);
        let screen = mouse.tmux.wait("nothing to be said", |screen| !screen.contains('▲')).expect("calm");
        for (words, _) in hints(&screen) {
            // Leaving is seen below; an emptied slot has no views left; and nothing has been tried yet that could be tried anew.
            if ["q leave", "x take out", "z try it anew"].contains(&words.as_str()) {
                continue;
            }
            // What was done before may have moved it, or taken it away.
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

/// From an empty slot to another profile, a binding and a feel, without a key.
#[test]
fn the_mouse_alone_places_binds_and_tunes() {
    let mouse = Mouse::start("mouse-alone", DESIGN, &["quay-pad", "harbour-panel"]);
    // A second player is moved: the row, the order, the slot, and once more to do it.
    mouse.click_below(3, "Slot 2");
    mouse.click("m move");
    mouse.sees("the question", "Move the player of");
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
    let screen = mouse.tmux.wait("it to be bound or asked about", |screen| !screen.contains("What should play East?"));
    if screen.expect("it is").contains("plays right shoulder already") || mouse.tmux.screen().contains("already") {
        mouse.click("gets button 7, and nothing plays");
    }
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
    // All orders, as a list: any of them without its key.
    mouse.click("Bksp all orders");
    mouse.sees("the list", "What do you want to do?");
    mouse.click_below(8, "connect");
    mouse.click_below(8, "connect");
    mouse.sees("what it does", "Connect");
}

/// What one hand reaches: no key with another one held.
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
    // What has a capital letter or a sign for its key is reached by its words, in the list of all orders.
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
    order(&["v", "i", "e", "w", "Down", "Down", "Down", "Down"], "dead zone");
    order(&["t", "y", "p", "e", "Down", "Up"], "Type a value");
    keys(&["8", "Enter"]);
    sees("dead zone        8 %");
    keys(&["q"]);
    sees("[ended 0]");
}

/// An everyday task: what it is, how many keys it took before lists and typed values, the keys it takes, and what is seen then.
struct Task {
    name: &'static str,
    before: usize,
    keys: &'static [&'static str],
    seen: (&'static str, &'static str),
}

/// From the board, with the first slot chosen. What it took before was counted the same way at commit 7792600.
const TASKS: [Task; 8] = [
    // B Enter 5, and m where something loses its control by it: the same.
    Task {
        name: "bind one control by pressing it",
        before: 4,
        keys: &["B", "Enter", "5", "m"],
        seen: ("▸ · South", "← button 5"),
    },
    // Before, the name had to be written out: t b u t t o n Space 2 Enter.
    Task {
        name: "swap two buttons",
        before: 12,
        keys: &["B", "t", "2", "Enter", "s"],
        seen: ("▸ · South", "← button 2"),
    },
    // Before, each of four directions: its row, Enter, the press.
    Task {
        name: "bind a whole stick",
        before: 29,
        keys: &["B", "/", "r", "i", "g", "h", "t", " ", "s", "t", "i", "c", "k", " ", "u", "Enter", "g", "Enter"],
        seen: ("▸ · right stick up", "← Y lower half"),
    },
    // Before, t and the whole name for each of eight buttons.
    Task {
        name: "type somebody's list of eight numbers",
        before: 89,
        keys: &["B", "#", "2", " ", "3", " ", "1", " ", "4", " ", "6", " ", "5", " ", "8", " ", "7", "Enter"],
        seen: ("· right trigger", "← button 7"),
    },
    // Before, one step for each hundredth: F and + eight times.
    Task {
        name: "a dead zone of 12 %",
        before: 9,
        keys: &["F", "Enter", "1", "2", "Enter"],
        seen: ("▸ dead zone", "12 %"),
    },
    // Before, a step for each twentieth: B ] ] + ten times.
    Task {
        name: "a sensitivity of 1.5 for one direction",
        before: 13,
        keys: &["B", "]", "]", "=", "1", ".", "5", "Enter"],
        seen: ("▸ sensitivity", "× 1.50"),
    },
    Task {
        name: "name an action",
        before: 7,
        keys: &["B", "a", "j", "u", "m", "p", "Enter"],
        seen: ("▸ · South", "jump"),
    },
    Task { name: "give a device a nickname", before: 5, keys: &["N", "r", "e", "d", "Enter"], seen: ("Slot 1", "red") },
];

#[test]
fn everyday_tasks_take_few_keys() {
    for (at, task) in TASKS.iter().enumerate() {
        let name = format!("task-{at}");
        let home = tempfile::tempdir().expect("a directory");
        let place = home.path().display().to_string();
        let homes = [("HOME", place.as_str()), ("XDG_CONFIG_HOME", &place), ("XDG_STATE_HOME", &place)];
        let scene = quiet_scene(&name, &["quay-pad"]);
        let tmux = start_with(&name, DESIGN, &format!("--scene {}", scene.display()), &homes);
        tmux.wait("the slot", |screen| screen.contains("Slot 1")).expect("it is there");
        for key in task.keys {
            // A press on the device in hand counts once it is listened for; a question is answered once it is asked.
            match *key {
                "5" if at == 0 => drop(tmux.wait("listening", |screen| screen.contains("nothing is pressed yet"))),
                "m" if at == 0 => {
                    drop(tmux.wait("the question", |screen| screen.contains("plays left shoulder already")))
                }
                _ => {}
            }
            tmux.keys(&["-l", if key.chars().count() == 1 { key } else { "" }]).expect("pressed");
            if key.chars().count() > 1 {
                tmux.keys(&[key]).expect("pressed");
            }
        }
        let (row, words) = task.seen;
        tmux.wait(task.name, |screen| screen.lines().any(|line| line.contains(row) && line.contains(words)))
            .unwrap_or_else(|why| panic!("{}: {why}", task.name));
        println!("{}: {} keys, {} before", task.name, task.keys.len(), task.before);
        assert!(task.keys.len() <= task.before, "{}", task.name);
    }
}
