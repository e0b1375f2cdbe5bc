//! Feel changed in a real terminal: steps, a curve's point, the old and the new, a trigger measured.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_lab::Tmux;

fn start(name: &str) -> Tmux {
    let scene = tty::quiet_scene(name, &["quay-pad"]);
    let tmux = tty::start(name, tty::DESIGN, &format!("--scene {}", scene.display()));
    tmux.wait("the pad", |screen| screen.contains("Quay pad")).expect("it is there");
    tmux.keys(&["F"]).expect("keys");
    says(&tmux, "dead zone", "4 %");
    tmux
}

/// Waits until a setting's line says this.
fn says(tmux: &Tmux, setting: &'static str, words: &'static str) {
    let own = |line: &str| line.chars().take(42).collect::<String>();
    tmux.wait(words, move |screen| {
        screen
            .lines()
            .map(own)
            .any(|line| line.trim_start_matches([' ', '▸']).starts_with(setting) && line.contains(words))
    })
    .unwrap_or_else(|why| panic!("{setting} {words}: {why}"));
}

#[test]
fn a_curve_is_chosen_edited_flipped_and_undone() {
    let tmux = start("curve");
    tmux.keys(&["+", "+", "+"]).expect("keys");
    says(&tmux, "dead zone", "7 %");
    tmux.keys(&["Tab", "Tab", "Tab", "+"]).expect("keys");
    says(&tmux, "curve", "gentle");
    tmux.keys(&["Tab", "Tab", "+", "+"]).expect("keys");
    says(&tmux, "point 2", "50 % in, 37 % out");
    says(&tmux, "curve", "of its own");
    tmux.wait("which plays", |screen| screen.contains("the new feel is on; f: the old one")).expect("it says so");
    tmux.keys(&["f"]).expect("keys");
    tmux.wait("the old one", |screen| screen.contains("the OLD feel is on")).expect("it says so");
    says(&tmux, "curve", "straight");
    tmux.keys(&["+"]).expect("keys");
    tmux.wait("why not", |screen| screen.contains("f switches back to the new one first")).expect("it says so");
    tmux.keys(&["f"]).expect("keys");
    says(&tmux, "point 2", "50 % in, 37 % out");
    tmux.keys(&["u"]).expect("keys");
    says(&tmux, "point 2", "50 % in, 35 % out");
    tmux.keys(&["d"]).expect("keys");
    says(&tmux, "curve", "straight");
}

#[test]
fn a_trigger_is_measured_with_the_device_in_hand() {
    let tmux = start("measure");
    tmux.keys(&["[", "z"]).expect("keys");
    tmux.wait("hands off", |screen| screen.contains("Hands off the right trigger")).expect("it asks");
    tmux.wait("the pull", |screen| screen.contains("Pull the right trigger to its end")).expect("it asks");
    tmux.keys(&["s"]).expect("keys");
    tmux.wait("the proposal", |screen| screen.contains("Proposed: dead zone 1 %, outer 0 %.")).expect("it proposes");
    tmux.keys(&["Enter"]).expect("keys");
    says(&tmux, "dead zone", "1 %");
}

#[test]
fn an_axis_gets_its_own_feel_and_rejoins_its_stick() {
    let tmux = start("axis");
    tmux.keys(&["]"]).expect("keys");
    tmux.wait("the axis", |screen| screen.contains("It feels like the left stick")).expect("it says so");
    tmux.keys(&["+", "+"]).expect("keys");
    tmux.wait("its own", |screen| screen.contains("It has its own feel")).expect("it says so");
    says(&tmux, "dead zone", "6 %");
    tmux.keys(&["["]).expect("keys");
    tmux.wait("the stick", |screen| screen.contains("One of its axes has its own feel")).expect("it says so");
    says(&tmux, "dead zone", "4 %");
    tmux.keys(&["]", "d"]).expect("keys");
    tmux.wait("as before", |screen| screen.contains("It feels like the left stick")).expect("it says so");
}

#[test]
fn the_output_is_raised_until_the_game_moves() {
    let tmux = start("walk");
    tmux.keys(&["e"]).expect("keys");
    // However far it is at the time of the look.
    let moves =
        |screen: &str| screen.contains("is moving up by itself: ") && !screen.contains("is moving up by itself: 0 %");
    tmux.wait("that it moves", moves).expect("it goes up");
    tmux.keys(&["Enter"]).expect("keys");
    tmux.wait("the minimum", |screen| {
        let line = screen.lines().find(|line| line.contains("minimum output")).unwrap_or_default();
        !line.contains(" 0 %") && !screen.contains("is moving up by itself")
    })
    .expect("it is kept");
}

#[test]
fn a_press_is_sent_for_the_game_after_five_seconds() {
    let tmux = start("press-for");
    tmux.keys(&["P"]).expect("keys");
    tmux.wait("the index", |screen| screen.contains("South  is button 0 to games")).expect("it says so");
    tmux.keys(&["Tab", "Enter"]).expect("keys");
    tmux.wait("the countdown", |screen| screen.contains("East will be pressed in")).expect("it waits");
    tmux.wait("the press", |screen| {
        screen.contains("East is pressed now") && screen.lines().any(|line| line.contains("● East"))
    })
    .expect("it is pressed");
    let screen = tmux.wait("its end", |screen| !screen.contains("East is pressed")).expect("it ends");
    assert!(screen.contains("○ East"), "it is let go:\n{screen}");
    tmux.keys(&["s"]).expect("keys");
    tmux.wait("only that", |screen| screen.contains("only East is sent for another 1")).expect("it says so");
    tmux.keys(&["Escape"]).expect("keys");
    tmux.wait("the board", |screen| screen.contains("Enter open")).expect("it is there");
    tmux.keys(&["P"]).expect("keys");
    tmux.wait("everything again", |screen| screen.contains("East  is button 1 to games"))
        .expect("who leaves sends all");
}
