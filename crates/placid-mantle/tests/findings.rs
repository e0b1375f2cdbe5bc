//! Where strangers got stuck, each at three sizes of the terminal.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_lab::Tmux;

const SIZES: [(u16, u16); 3] = [(80, 24), (100, 30), tty::DESIGN];

/// Somebody who has never seen the program.
struct Stranger {
    tmux: Tmux,
    home: tempfile::TempDir,
    size: (u16, u16),
}

impl Stranger {
    /// Begins with these devices, in a terminal of this size.
    fn at(size: (u16, u16), name: &str, devices: &[&str], more: &str) -> Self {
        let home = tempfile::tempdir().expect("a directory");
        let name = format!("{name}-{}", size.0);
        let scene = tty::quiet_scene(&name, devices);
        let place = home.path().display().to_string();
        let homes = [("HOME", place.as_str()), ("XDG_CONFIG_HOME", &place), ("XDG_STATE_HOME", &place)];
        let tmux = tty::start_with(&name, size, &format!("--scene {} {more}", scene.display()), &homes);
        let stranger = Self { tmux, home, size };
        stranger.sees(&format!("Slot {}", devices.len()));
        stranger
    }

    fn presses(&self, keys: &[&str]) -> &Self {
        self.tmux.keys(keys).expect("keys");
        self
    }

    /// Types letters and signs that are not names of keys.
    fn types(&self, text: &str) -> &Self {
        self.presses(&["-l", text])
    }

    fn sees(&self, words: &str) -> String {
        self.waits(words, |screen| screen.contains(words))
    }

    fn no_longer_sees(&self, words: &str) -> String {
        self.waits(&format!("no {words}"), |screen| !screen.contains(words))
    }

    fn waits(&self, what: &str, so: impl Fn(&str) -> bool) -> String {
        let (width, height) = self.size;
        self.tmux.wait(what, so).unwrap_or_else(|why| panic!("at {width}x{height}: {why}"))
    }

    /// Waits until a line contains both: the first near its beginning.
    fn sees_in_line(&self, of: &str, words: &str) -> String {
        self.waits(&format!("{words} in the line of {of}"), |screen| line(screen, of).contains(words))
    }

    fn leaves(self) {
        // From wherever it is, as often as necessary.
        self.waits("the board", |screen| {
            let there = screen.contains("Enter open");
            if !there {
                self.presses(&["Escape"]);
            }
            there
        });
        self.presses(&["q"]).sees("[ended 0]");
        drop(self.home);
    }
}

/// The first line that says this near its beginning.
fn line<'a>(screen: &'a str, of: &str) -> &'a str {
    let own = |line: &&str| line.chars().take(26).collect::<String>().contains(of);
    screen.lines().find(own).unwrap_or_default()
}

/// The column in which these words begin, in cells: East Asian characters take two.
fn column(line: &str, words: &str) -> Option<usize> {
    let wide = |c: char| ('\u{1100}'..='\u{115f}').contains(&c) || ('\u{2e80}'..='\u{9fff}').contains(&c);
    Some(line[..line.find(words)?].chars().map(|c| if wide(c) { 2 } else { 1 }).sum())
}

#[test]
fn lists_narrow_and_nothing_typed_is_lost() {
    for size in SIZES {
        let stranger = Stranger::at(size, "lists", &["quay-pad"], "");
        stranger.presses(&["B"]).sees("← button 1");
        stranger.presses(&["t"]).sees("What should play South?");
        stranger.types("axis 3").sees("▸ Z upper half");
        assert!(!stranger.tmux.screen().contains("X whole"), "the list has narrowed");
        // What was left half typed is still there.
        stranger.presses(&["Escape"]).sees("Enter press it");
        stranger.presses(&["t"]).sees("▸ axis 3");
        stranger.presses(&["BSpace"; 6]).types("12").sees("▸ button 12");
        stranger.presses(&["Enter"]).sees("button 12 moved from right stick press to South");
        stranger.presses(&["Escape"]).sees_in_line("South", "← button 1");
        // What fits nothing stays to be mended.
        stranger.presses(&["t"]).sees("What should play South?");
        stranger.types("qq").sees("Nothing in the list fits.");
        stranger.presses(&["Enter"]).sees("▸ qq");
        stranger.presses(&["Escape"]).sees("Enter press it");
        stranger.leaves();
    }
}

#[test]
fn a_block_and_a_list_of_numbers_are_bound_at_once() {
    for size in SIZES {
        let stranger = Stranger::at(size, "blocks", &["quay-pad"], "");
        stranger.presses(&["B"]).sees("← button 1");
        stranger.presses(&["g"]).sees("What should play the four buttons?");
        stranger.types("hat").sees("▸ hat");
        stranger.presses(&["Enter"]).sees_in_line("South", "← hat down");
        stranger.sees_in_line("North", "← hat up");
        stranger.presses(&["u"]).sees_in_line("South", "← button 1");
        stranger.presses(&["#"]).sees("Type a list of numbers");
        stranger.types("2 1 4 3").presses(&["Enter"]).sees_in_line("South", "← button 2");
        for (target, source) in [("East", "← button 1"), ("West", "← button 4"), ("North", "← button 3")] {
            stranger.sees_in_line(target, source);
        }
        stranger.presses(&["u"]).sees_in_line("South", "← button 1");
        // A control of the pad is found by its initials.
        stranger.presses(&["/"]).types("rsu").sees("▸ right stick up");
        stranger.presses(&["Enter"]).sees_in_line("right stick up", "▸");
        stranger.leaves();
    }
}

/// The face of a device is typed and seen while it is, is on the card, and goes back.
#[test]
fn controls_are_placed_with_a_few_keys() {
    for size in SIZES {
        let stranger = Stranger::at(size, "face", &["quay-pad"], "");
        stranger.presses(&["B"]).sees("← button 1");
        stranger.presses(&["M"]).sees("Where do the controls sit?");
        let screen = stranger.types("2 1 | - x+y").sees("X + Y");
        let rows = |all: [&str; 2]| screen.lines().position(|line| all.iter().all(|words| line.contains(words)));
        assert!(
            rows(["button 2    ", "button 1"]).is_some_and(|above| rows(["·    ", "X + Y"]) == Some(above + 1)),
            "{screen}"
        );
        stranger.types(" 99").sees("nothing called 99");
        stranger.presses(&["Enter"]).sees("Where do the controls sit?");
        stranger.presses(&["BSpace", "BSpace", "BSpace", "Enter"]).sees("draws its 4 controls in place");
        stranger.presses(&["X"]).sees("exported as PDF and SVG");
        let card = stranger.home.path().join("placid-mantle/paper/quay-pad-quay-pad.card.svg");
        let drawn = std::fs::read_to_string(&card).expect("an SVG");
        assert!(drawn.contains("X + Y") && drawn.contains("elsewhere"), "it is drawn by its face");
        stranger.presses(&["M"]).sees("button 2, button 1 | -, X + Y");
        stranger.presses(&["Escape"]).no_longer_sees("Where do the controls sit?");
        stranger.presses(&["u"]).sees("✓ undone");
        stranger.leaves();
    }
}

#[test]
fn an_option_can_be_seen_chosen_and_typed() {
    for size in SIZES {
        let stranger = Stranger::at(size, "options", &["quay-pad"], "");
        stranger.presses(&["B"]).sees("← button 1");
        stranger.sees("▸ inverted");
        stranger.presses(&["]", "]"]).sees("▸ sensitivity");
        stranger.presses(&["+"]).sees("× 1.05");
        stranger.presses(&["="]).types("1.5").presses(&["Enter"]).sees("× 1.50");
        // The first value and the last are neighbours.
        stranger.presses(&["[", "[", "["]).no_longer_sees("▸ sensitivity");
        stranger.presses(&["]"]).sees("▸ inverted");
        stranger.leaves();
    }
}

#[test]
fn two_half_pads_share_the_default_bindings_and_are_both_in_hand() {
    for size in SIZES {
        let stranger = Stranger::at(size, "halves", &["lantern-left", "lantern-right"], "");
        stranger.presses(&["2", "t"]).sees("1 pad ");
        stranger.presses(&["B"]).sees("Lantern right: button 1");
        for (initials, target, half) in
            [("lsu", "left stick up", "Lantern left"), ("rsu", "right stick up", "Lantern right")]
        {
            stranger.presses(&["/"]).sees("Esc cancel");
            stranger.types(initials).presses(&["Enter"]).sees_in_line(target, "▸");
            let own = stranger.sees_in_line(target, half);
            assert_eq!(line(&own, target).matches("Lantern").count(), 1, "one half plays it:\n{own}");
        }
        stranger.presses(&["C", "h"]).sees("in hand:");
        let screen = stranger.sees("key control");
        assert!(line(&screen, "button 1").contains(" 1 "), "its key stands beside it:\n{screen}");
        stranger.presses(&["?"]).sees("next control");
        stranger.presses(&["Escape"]).no_longer_sees("next control");
        // A device in hand rests until a key moves it.
        assert!(stranger.tmux.screen().contains("has not been tried"), "nothing moves by itself");
        stranger.presses(&["1"]).sees("plays.");
        stranger.presses(&["Escape"]).no_longer_sees("in hand:");
        stranger.leaves();
    }
}

#[test]
fn the_feel_has_its_curve_and_takes_numbers() {
    for size in SIZES {
        let stranger = Stranger::at(size, "feel", &["quay-pad"], "");
        stranger.presses(&["F"]).sees("dead zone");
        let drawn = |screen: &str| screen.chars().filter(|c| ('\u{2801}'..='\u{28ff}').contains(c)).count();
        stranger.waits("a curve", |screen| drawn(screen) > 40);
        stranger.presses(&["Enter"]).sees("Enter do it");
        stranger.types("12").presses(&["Enter"]).sees_in_line("dead zone", " 12 %");
        stranger.presses(&[">"]).sees_in_line("dead zone", " 22 %");
        stranger.presses(&["+"]).sees_in_line("dead zone", " 23 %");
        stranger.leaves();
    }
}

#[test]
fn ascii_symbols_are_readable_in_every_view() {
    for size in SIZES {
        let stranger = Stranger::at(size, "ascii", &["quay-pad", "lantern-left"], "--ascii");
        stranger.presses(&["1", "D"]).sees("plugged in");
        for (key, seen) in [
            ("D", "plugged in"),
            ("R", "came, as hidraw"),
            ("C", "button 1"),
            ("B", "profile plain"),
            ("F", "dead zone"),
            ("P", "left trigger"),
            ("G", "whose it is"),
        ] {
            stranger.presses(&[key]);
            let screen = stranger.sees(seen);
            assert!(screen.is_ascii(), "in {key} at {size:?} something is not plain:\n{screen}");
            let unknown = screen.replace("? keys", "");
            assert!(!unknown.contains('?'), "in {key} at {size:?} a sign is missing:\n{screen}");
            if key == "F" {
                let curve = screen.chars().filter(|c| *c == '*').count();
                assert!(curve > 40, "the curve is drawn with plain signs, too:\n{screen}");
            }
        }
        stranger.leaves();
    }
}

#[test]
fn every_key_is_in_the_help_and_esc_retraces_the_path() {
    for size in SIZES {
        let stranger = Stranger::at(size, "help", &["quay-pad"], "");
        stranger.presses(&["B", "?"]).sees("Keys");
        let mut seen = stranger.tmux.screen();
        for _ in 0..60 {
            stranger.presses(&["Down"]);
        }
        seen.push_str(&stranger.sees("leave"));
        for words in ["press it", "roll call", "type a list of numbers", "next option", "journal", "leave"] {
            assert!(seen.contains(words), "{words} is in no part of the help at {size:?}:\n{seen}");
        }
        stranger.presses(&["Escape"]).sees("Enter press it");
        stranger.presses(&["j"]).sees("what happened");
        let journal = stranger.sees("is connected");
        assert!(journal.contains("0.000"), "it begins with the start:\n{journal}");
        stranger.presses(&["Escape"]).sees("Enter press it");
        stranger.presses(&["j"]).sees("what happened");
        stranger.presses(&["j"]).sees("Enter press it");
        stranger.leaves();
    }
}

#[test]
fn long_and_wide_names_stay_distinct_and_keep_the_columns() {
    for size in SIZES {
        let stranger = Stranger::at(size, "names", &["quay-pad", "quay-pad", "harbour-panel"], "");
        for (slot, name) in
            [("1", "the pad of the seaside library, no. one"), ("2", "the pad of the seaside library, no. two")]
        {
            stranger.presses(&[slot, "N"]).sees("A nickname for the device");
            stranger.presses(&["BSpace"; 12]).types(name).presses(&["Enter"]).sees(&name[name.len() - 4..]);
        }
        let screen = stranger.sees("Enter open");
        assert!(line(&screen, "Slot 1").contains("one"), "the end of the name is there:\n{screen}");
        assert!(line(&screen, "Slot 2").contains("two"), "the end of the name is there:\n{screen}");
        stranger.presses(&["2", "N"]).sees("A nickname for the device");
        stranger.presses(&["BSpace"; 50]).types("灯台の釦").presses(&["Enter"]);
        let screen = stranger.waits("the name", |screen| line(screen, "Slot 2").contains("灯台の釦"));
        let of = |slot: &str| column(line(&screen, slot), " of 25");
        assert!(of("Slot 1").is_some() && of("Slot 1") == of("Slot 2"), "the columns hold:\n{screen}");
        stranger.leaves();
    }
}

#[test]
fn a_profile_that_only_types_has_its_check_list() {
    for size in SIZES {
        let stranger = Stranger::at(size, "keys-only", &["quay-pad"], "");
        stranger.presses(&["S", "N"]).sees("A new profile");
        stranger.types("keys-").sees("▸ keys-only");
        stranger.presses(&["Enter"]).sees("slot 1 plays by keys-only");
        // What was just made is chosen.
        stranger.sees("▸ keys-only");
        stranger.presses(&["Escape"]).sees("Enter open");
        stranger.presses(&["P"]).sees("seen to full and back: 0 of 20");
        for typed in ["key Space", "key up arrow", "mouse button left"] {
            stranger.sees(typed);
        }
        stranger.leaves();
    }
}

#[test]
fn a_games_number_counts_the_pads_present() {
    for size in SIZES {
        let stranger = Stranger::at(size, "numbers", &["quay-pad", "harbour-panel"], "");
        stranger.presses(&["2", "G"]).sees("controller 2");
        stranger.presses(&["Escape"]).sees("Enter open");
        stranger.presses(&["2", "m"]).sees("Esc cancel");
        stranger.presses(&["7", "Enter"]).sees("Slot 7");
        stranger.presses(&["G"]).sees("pad of slot 7");
        let screen = stranger.sees("controller 2");
        assert!(!screen.contains("controller 7"), "no game counts so far:\n{screen}");
        stranger.leaves();
    }
}

#[test]
fn unusual_words_are_explained_in_their_view() {
    for size in SIZES {
        let stranger = Stranger::at(size, "words", &["quay-pad"], "");
        stranger.presses(&["D"]).sees("covered: games do not find it");
        stranger.presses(&["g"]).sees("left to the game: you chose that");
        stranger.presses(&["u"]).sees("covered: games do not find it");
        // A new name begins with the old one.
        stranger.presses(&["N"]).sees("▸ Quay pad");
        stranger.presses(&["Escape"]).sees("Esc board");
        stranger.presses(&["S"]).sees("Enter play by it");
        stranger.presses(&["n"]).sees("Rename the profile");
        stranger.sees("▸ plain");
        stranger.leaves();
    }
}
