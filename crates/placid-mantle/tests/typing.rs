//! Keys bound, allowed, and held back in a real terminal; a slot that is paused.

#[allow(dead_code, reason = "each test uses what it needs of it")]
mod tty;

use mantle_lab::Tmux;
use std::path::{Path, PathBuf};

/// A scene with a pad that plays by the evening's parade.
fn parade(name: &str) -> PathBuf {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}.scene.toml"));
    let text = "version = 1\ntitle = \"quiet\"\n[[profile]]\nname = \"parade\"\n[[device]]\nfile = \"quay-pad\"\n\
                port = \"1-3\"\nhands = false\nslots = [1]\nprofile = \"parade\"\n";
    std::fs::write(&path, text).expect("a scene");
    path
}

/// The program with these devices and nothing happening, once it shows them.
fn start(name: &str, devices: &[&str]) -> Tmux {
    let scene = tty::quiet_scene(name, devices);
    let tmux = tty::start(name, tty::DESIGN, &format!("--scene {}", scene.display()));
    wait(&tmux, "Quay pad");
    tmux
}

fn wait(tmux: &Tmux, words: &'static str) {
    tmux.wait(words, |screen| screen.contains(words)).unwrap_or_else(|why| panic!("{why}"));
}

/// The line of a target in the Bindings view.
fn line<'a>(screen: &'a str, target: &str) -> &'a str {
    let own = |line: &&str| line.chars().take(30).collect::<String>().contains(target);
    screen.lines().find(own).unwrap_or_default()
}

#[test]
fn a_key_is_bound_shown_as_held_back_and_removed() {
    let tmux = start("bind-key", &["quay-pad"]);
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "← button 1");
    tmux.keys(&["K"]).expect("keys");
    wait(&tmux, "Which key should it press?");
    // The list narrows; a meaningless entry stays to be corrected.
    tmux.keys(&["arrow"]).expect("keys");
    wait(&tmux, "▸ the arrow keys");
    let listed = tmux.screen();
    assert!(listed.contains("key left arrow") && !listed.contains("key Page Up"), "{listed}");
    tmux.keys(&["x", "Enter"]).expect("keys");
    wait(&tmux, "no key or action has arrowx in its name");
    let stays = tmux.screen();
    assert!(stays.contains("▸ arrowx"), "{stays}");
    // Enter again does not accept anything else for it.
    tmux.keys(&["Enter"]).expect("keys");
    wait(&tmux, "Nothing in the list fits.");
    wait(&tmux, "no key or action has arrowx in its name");
    tmux.keys(&["up arrow", "Enter"]).expect("keys");
    wait(&tmux, "Press and release the control for key up arrow.");
    tty::press(&tmux, "1", "button 1 moved from South");
    tmux.keys(&["Enter"]).expect("keys");
    let moved =
        |screen: &str| line(screen, "key up arrow").contains("← button 1") && line(screen, "South").contains("nothing");
    tmux.wait("the key", moved).expect("it is bound");
    wait(&tmux, "keys are held back while this screen has the keyboard: go to the game; T: type here too");
    wait(&tmux, "it plays a pad and types: some games flicker between the two");
    tmux.keys(&["T"]).expect("keys");
    wait(&tmux, "it types, here too: simulated keys 1");
    tmux.keys(&["T", "Delete"]).expect("keys");
    tmux.wait("no key", |screen| !screen.contains("· key up arrow") && !screen.contains("held back"))
        .expect("it is gone");
    tmux.keys(&["u"]).expect("keys");
    tmux.wait("the key again", |screen| line(screen, "key up arrow").contains("← button 1")).expect("it is back");
}

#[test]
fn nothing_is_typed_before_consent() {
    let scene = parade("agree");
    let tmux = tty::start("agree", tty::DESIGN, &format!("--scene {}", Path::display(&scene)));
    wait(&tmux, "Slot 1's profile wants to type 5 things. See what, and allow it, in Bindings.");
    tmux.keys(&["w"]).expect("keys");
    wait(
        &tmux,
        "this profile wants to type key Space, key right arrow, key left arrow, key down arrow, key up arrow; A allows it",
    );
    tmux.keys(&["A"]).expect("keys");
    tmux.wait("nothing to agree to", |screen| !screen.contains("would type") && screen.contains("held back"))
        .expect("it may type");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "this profile wants to type key Space");
}

#[test]
fn pausing_one_slot_leaves_the_others_playing() {
    let tmux = start("rest", &["harbour-panel", "quay-pad"]);
    tmux.keys(&["1", "L"]).expect("keys");
    wait(&tmux, "Slot 1 is paused from here: its pad rests until you resume.");
    tmux.keys(&["h"]).expect("keys");
    wait(&tmux, "in hand:");
    tmux.keys(&["1", "1", "Escape"]).expect("keys");
    let screen = tmux.wait("the board", |screen| !screen.contains("in hand:")).expect("it is put down");
    let row = screen.lines().skip_while(|line| !line.contains("Slot 1 ")).nth(1).unwrap_or_default();
    assert!(row.contains("neutral"), "nothing of slot 1 reaches its pad:\n{screen}");
    tmux.keys(&["w"]).expect("keys");
    tmux.wait("it plays", |screen| !screen.contains("is paused")).expect("resumed");
}

/// A layer is made with a name and a press, something is bound in it, its options are stepped, and it is deleted.
#[test]
fn a_layer_is_made_filled_reordered_and_deleted() {
    let tmux = start("layer", &["quay-pad"]);
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "← button 1");
    let press = |key: &str, heard: &str| tty::press(&tmux, key, heard);
    tmux.keys(&["Y"]).expect("keys");
    wait(&tmux, "A new layer");
    tmux.keys(&["deck", "Enter"]).expect("keys");
    press("5", "layer deck (while button 5 is held)");
    tmux.wait("what falls through", |screen| line(screen, "South").contains("as in the base: button 1"))
        .expect("it does");
    tmux.keys(&["Enter"]).expect("keys");
    press("2", "South ← ");
    tmux.wait("South in it", |screen| line(screen, "South").contains("← button 2")).expect("it is bound");
    tmux.wait("what it plays no more", |screen| line(screen, "East").contains("nothing: button 2 plays South here"))
        .expect("a control that a layer uses does nothing else in it");
    tmux.keys(&["]", "]", "+", "+"]).expect("keys");
    tmux.wait("the option", |screen| screen.contains("sensitivity  × 1.10")).expect("it is stepped");
    tmux.keys(&["]", "]", "]", "]", "]", "]", "]", "+"]).expect("keys");
    wait(&tmux, "Press and release the control that has to be held as well");
    press("3", "with button 3");
    tmux.wait("the chord", |screen| screen.contains("1 control")).expect("it is told");
    tmux.keys(&["-"]).expect("keys");
    tmux.wait("no chord", |screen| screen.contains("nothing: + adds")).expect("it is gone");
    tmux.keys(&["H"]).expect("keys");
    tmux.wait("switched", |screen| screen.contains("layer deck (after a press of button 5)")).expect("it says so");
    tmux.keys(&["y"]).expect("keys");
    tmux.wait("the base", |screen| screen.contains("its base (y: deck)")).expect("the other one");
    tmux.keys(&["y", "N"]).expect("keys");
    tmux.wait("no layer", |screen| screen.contains("its base, on Quay pad")).expect("it is gone");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "its base (y: deck)");
}

/// A new profile from a template where a profile is chosen, its name, a copy of it, and all of that undone.
#[test]
fn a_profile_is_made_from_a_template_renamed_and_copied() {
    let tmux = start("purpose", &["quay-pad"]);
    tmux.keys(&["p"]).expect("keys");
    wait(&tmux, "← plain →");
    tmux.keys(&["Right"]).expect("keys");
    wait(&tmux, "← a new one for driving →");
    tmux.keys(&["Enter"]).expect("keys");
    wait(&tmux, "roll the sticks around");
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "profile driving, its base");
    tmux.wait("its words", |screen| line(screen, "South").contains("handbrake")).expect("it is in use");
    tmux.keys(&["n"]).expect("keys");
    wait(&tmux, "Rename the profile");
    tmux.keys(&["night drive", "Enter"]).expect("keys");
    wait(&tmux, "profile night drive, its base");
    tmux.keys(&["o"]).expect("keys");
    wait(&tmux, "profile night drive copy, its base");
    tmux.keys(&["u"]).expect("keys");
    wait(&tmux, "profile night drive, its base");
}

/// A made-up panel with more buttons than any list has rows.
const PANEL: &str = "version = 1\nname = \"Gantry panel\"\nvendor = 0x1209\nproduct = 0x0a7e\n[[interface]]\nrate = 100\n\
                     stream = true\ndescriptor = '''05 01 09 05 a1 01 09 30 09 31 15 81 25 7f 75 08 95 02 81 02\n\
                     05 09 19 01 29 78 15 00 25 01 75 01 95 78 81 02 c0'''\n";

#[test]
fn every_control_can_be_reached_however_many() {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR"));
    std::fs::write(folder.join("gantry.device.toml"), PANEL).expect("a device");
    let scene = folder.join("gantry.scene.toml");
    let text = "version = 1\ntitle = \"quiet\"\n[[device]]\nfile = \"gantry.device.toml\"\nport = \"1-3\"\nhands = false\n\
                slots = [1]\n";
    std::fs::write(&scene, text).expect("a scene");
    let tmux = tty::start("gantry", (80, 24), &format!("--scene {}", scene.display()));
    wait(&tmux, "Gantry panel");
    tmux.keys(&["C"]).expect("keys");
    wait(&tmux, "of 122: ↑ ↓ scroll");
    tmux.wait("the first", |screen| screen.contains("button 1 ")).unwrap_or_else(|why| panic!("{why}"));
    // As often as there are rows, and beyond: it stays at the last one, and goes back from there at once.
    tmux.keys(&["Down"; 130]).expect("keys");
    wait(&tmux, "to 122 of 122");
    wait(&tmux, "button 120");
    tmux.keys(&["Up"]).expect("keys");
    wait(&tmux, "to 121 of 122");
    tmux.keys(&["B"]).expect("keys");
    wait(&tmux, "on Gantry panel");
    tmux.keys(&["t"]).expect("keys");
    wait(&tmux, "What should play South");
    tmux.keys(&["button 117", "Enter"]).expect("keys");
    wait(&tmux, "← button 117");
    tmux.keys(&["C"]).expect("keys");
    tmux.keys(&["Down"; 130]).expect("keys");
    let bound = |screen: &str| screen.lines().any(|line| line.contains("button 117") && line.contains("South"));
    tmux.wait("what it plays", bound).unwrap_or_else(|why| panic!("{why}"));
}

/// What is bound to it begins a roll call from the device, and the screen goes to where it is seen.
#[test]
fn a_roll_call_starts_from_the_device() {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("call-from-device.scene.toml");
    let profile = "version = 1\n[[binding]]\ntarget = \"roll call\"\nsource = \"button 9\"\n";
    let text = format!(
        "version = 1\ntitle = \"quiet\"\n[[profile]]\nname = \"own\"\nagreed = true\ntext = '''\n{profile}'''\n[[device]]\nfile = \"quay-pad\"\n\
         port = \"1-3\"\nslots = [1]\nprofile = \"own\"\n[[device.hand]]\ncontrol = \"button 9\"\nat = 2.0\nevery = 3.0\n"
    );
    std::fs::write(&path, text).expect("a scene");
    let tmux = tty::start("call-from-device", tty::DESIGN, &format!("--scene {}", path.display()));
    wait(&tmux, "Roll call");
    wait(&tmux, "press and release the control for it");
    tmux.keys(&["Escape"]).expect("keys");
    wait(&tmux, "profile own");
}
