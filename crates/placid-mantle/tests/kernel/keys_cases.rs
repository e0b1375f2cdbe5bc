//! What keyboards and mice play, and what is typed: by the game library and by the kernel's own nodes.

use crate::bench::{self, Bench};
use crate::input_cases::{KEYBOARD, MOUSE, expect, held, home};
use mantle_core::evdev::event::{KEY, REL};
use mantle_files::shipped;
use mantle_lab::{InputStandIn, Lines, RawPad, StandIn, Tmux};
use std::path::Path;
use std::time::Duration;

const LEFT: u16 = 0x110;
const W: u16 = 17;
const A: u16 = 30;

pub fn write(home: &Path, name: &str, text: &str) -> Result<(), String> {
    let path = home.join(".config/placid-mantle").join(name);
    std::fs::create_dir_all(path.parent().unwrap_or(home)).map_err(|error| error.to_string())?;
    std::fs::write(&path, text).map_err(|error| format!("{}: {error}", path.display()))
}

pub fn edit(home: &Path, name: &str, from: &str, to: &str) -> Result<(), String> {
    let path = home.join(".config/placid-mantle").join(name);
    let text = std::fs::read_to_string(&path).map_err(|error| format!("{}: {error}", path.display()))?;
    std::fs::write(&path, text.replacen(from, to, 1)).map_err(|error| error.to_string())
}

const POINTING: &str = r#"version = 1
name = "pointing"
defaults = false
[[binding]]
target = "right stick left"
source = "X lower half"
spring = 0
reach = 500
[[binding]]
target = "right stick right"
source = "X upper half"
[[binding]]
target = "right trigger"
source = "button 1"
[feel]
stick_dead_zone = 0
"#;

const WALKING: &str = r#"version = 1
name = "walking"
defaults = false
[[binding]]
target = "left stick up"
source = "W"
"#;

/// The value of an axis on a line of the game's.
fn axis(line: &str, instance: i32, name: &str) -> Option<i32> {
    line.strip_prefix(&format!("axis {instance} {name} "))?.parse().ok()
}

/// A mouse steers, keys walk: what a game library reads.
pub fn play(bench: &Bench) -> Result<(), String> {
    let (mouse, keyboard) = (InputStandIn::plug(&MOUSE)?, InputStandIn::plug(&KEYBOARD)?);
    let home = home(bench, &[(1, &MOUSE), (2, &KEYBOARD)])?;
    write(&home, "profiles/pointing.profile.toml", POINTING)?;
    write(&home, "profiles/walking.profile.toml", WALKING)?;
    edit(&home, "slots.toml", "profile = \"plain\"", "profile = \"pointing\"")?;
    edit(&home, "slots.toml", "profile = \"plain\"", "profile = \"walking\"")?;
    let mut engine = bench.engine(&home)?;
    held(&mut engine, 2, &[&MOUSE, &KEYBOARD])?;
    let mut game = bench.game(None)?;
    let (steers, walks) = (game.added()?, game.added()?);

    // 250 counts of 500 to the left, in small steps, and it stays there: half way.
    for _ in 0..25 {
        mouse.send(&[(REL, 0, -10)])?;
    }
    let half = |line: &str| axis(line, steers, "rightx").is_some_and(|x| (-16_800..-15_900).contains(&x));
    game.lines.wait("half way to the left", half)?;
    mouse.send(&[(REL, 0, -900)])?;
    game.lines.wait("the left end", |line| axis(line, steers, "rightx").is_some_and(|x| x < -32_000))?;
    mouse.send(&[(KEY, LEFT, 1)])?;
    game.lines.wait("the pedal", |line| axis(line, steers, "righttrigger") == Some(32_767))?;
    mouse.send(&[(KEY, LEFT, 0)])?;
    game.lines.wait("the pedal let go", |line| axis(line, steers, "righttrigger") == Some(0))?;

    keyboard.send(&[(KEY, W, 1)])?;
    game.lines.wait("up", |line| axis(line, walks, "lefty").is_some_and(|y| y < -32_000))?;
    keyboard.send(&[(KEY, W, 0)])?;
    game.lines.wait("the middle", |line| axis(line, walks, "lefty").is_some_and(|y| y.abs() < 2))?;
    bench::end(engine)
}

const TYPING: &str = r#"version = 1
name = "typing"
defaults = false
[[binding]]
target = "key A"
source = "button 1"
[[binding]]
target = "mouse button left"
source = "button 2"
[[binding]]
target = "mouse right"
source = "X upper half"
[[binding]]
target = "wheel down"
source = "button 3"
"#;

/// A home in which a Quay pad types, and may.
fn typing_home(bench: &Bench) -> Result<std::path::PathBuf, String> {
    let home = bench.home();
    write(&home, "profiles/typing.profile.toml", TYPING)?;
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let slots = format!(
        "version = 1\n[[slot]]\nnumber = 1\nkind = \"common\"\nprofile = \"typing\"\n[[slot.device]]\nname = \"{}\"\n\
         bus = 3\nvendor = {}\nproduct = {}\nserial = \"LAB-SERIAL\"\npart = 0\n[[may_type]]\nprofile = \"typing\"\n\
         keys = [\"key A\", \"mouse button left\", \"mouse right\", \"wheel down\"]\n",
        file.name, file.vendor, file.product
    );
    write(&home, "slots.toml", &slots)?;
    Ok(home)
}

fn quay(pad: &mut StandIn, buttons: u8, x: u8) -> Result<(), String> {
    pad.send(0, &[1, buttons, 0x80, x, 0x80, 0x80, 0x80, 0, 0])
}

/// Waits for a node of ours by its name.
fn own_node(name: &str) -> Result<RawPad, String> {
    let node = mantle_lab::wait_for(name, || {
        let entries = std::fs::read_dir("/sys/class/input").ok()?;
        let mut events = entries.flatten().filter(|entry| entry.file_name().to_string_lossy().starts_with("event"));
        events.find_map(|entry| {
            let own = std::fs::read_to_string(entry.path().join("device/name")).ok()?;
            (own.trim() == name).then(|| format!("/dev/input/{}", entry.file_name().to_string_lossy()))
        })
    })?;
    RawPad::open(&node)
}

fn typing_pad() -> Result<StandIn, String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    StandIn::plug(&file, "lab-1", Some("LAB-SERIAL"))
}

fn ready(engine: &mut Lines) -> Result<(), String> {
    let mut left = vec!["slot 1: its pad is ready", "slot 1: its keyboard and mouse are ready"];
    engine.wait("a pad and keys", |line| {
        left.retain(|said| !line.contains(said));
        left.is_empty()
    })?;
    Ok(())
}

/// What a device types is read from the kernel's nodes; what is down is released when the device is unplugged.
pub fn types(bench: &Bench) -> Result<(), String> {
    let mut pad = typing_pad()?;
    let mut engine = bench.engine(&typing_home(bench)?)?;
    ready(&mut engine)?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    let (mut keyboard, mut mouse) = (own_node("Placid Mantle keyboard 1")?, own_node("Placid Mantle mouse 1")?);
    quay(&mut pad, 0, 0x80)?;
    quay(&mut pad, 0b1, 0x80)?;
    expect("A down", &keyboard.frame("A")?, &vec![(KEY, A, 1)])?;
    quay(&mut pad, 0b11, 0x80)?;
    expect("the mouse's button", &mouse.frame("the button")?, &vec![(KEY, LEFT, 1)])?;
    quay(&mut pad, 0b111, 0x80)?;
    expect("a step of the wheel", &mouse.frame("the wheel")?, &vec![(REL, 8, -1)])?;
    quay(&mut pad, 0b11, 0xff)?;
    let (mut moved, mut frames) = (0, 0);
    while moved < 100 {
        for (kind, code, value) in mouse.frame("the pointer")? {
            // The wheel may have turned once more.
            if (kind, code) == (REL, 0) {
                (moved, frames) = (moved + value, frames + 1);
                expect("to the right", &(value > 0), &true)?;
            }
        }
    }
    expect("it moves in small steps", &(frames > 5), &true)?;
    drop(pad);
    expect("A up", &keyboard.frame("A up")?, &vec![(KEY, A, 0)])?;
    let up = std::iter::from_fn(|| mouse.frame("the button up").ok()).find(|frame| frame.contains(&(KEY, LEFT, 0)));
    expect("the button is up", &up.is_some(), &true)?;
    expect("and nothing moves", &mouse.within(Duration::from_millis(300))?, &None)?;
    bench::end(engine)
}

/// As long as the terminal says that our screen has the keyboard, nothing is typed, and the screen says so.
pub fn screen(bench: &Bench) -> Result<(), String> {
    let mut pad = typing_pad()?;
    let home = typing_home(bench)?.display().to_string();
    let environment = [("LC_ALL", "C.UTF-8"), ("HOME", home.as_str()), ("NO_COLOR", "1")];
    let program = format!("{} run", env!("CARGO_BIN_EXE_placid-mantle"));
    let (tmux, _seat) = Tmux::attended("focus", (160, 46), &environment, &program)?;
    tmux.wait("the pad", |screen| screen.contains("Slot 1") && screen.contains("covered"))?;
    tmux.keys(&["1", "B"])?;
    tmux.wait("what is held back", |screen| screen.contains("keys are held back while this screen has the keyboard"))?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    let mut keyboard = own_node("Placid Mantle keyboard 1")?;
    let mut tap = || quay(&mut pad, 1, 0x80).and_then(|()| quay(&mut pad, 0, 0x80));
    tap()?;
    tmux.wait("the press", |screen| screen.contains("key A"))?;
    expect("nothing is typed", &keyboard.within(Duration::from_millis(500))?, &None)?;
    tmux.look_away(true)?;
    tmux.wait("nothing to be held back", |screen| !screen.contains("held back"))?;
    tap()?;
    expect("A for the game", &keyboard.frame("A")?, &vec![(KEY, A, 1)])?;
    expect("A up", &keyboard.frame("A up")?, &vec![(KEY, A, 0)])?;
    tmux.look_away(false)?;
    tmux.wait("what is held back again", |screen| screen.contains("keys are held back"))?;
    tap()?;
    expect("nothing is typed again", &keyboard.within(Duration::from_millis(500))?, &None)?;
    tmux.keys(&["q"])?;
    tmux.wait("the question", |screen| screen.contains("1 pad is in use"))?;
    tmux.keys(&["y"])?;
    tmux.wait("the end", |screen| screen.contains("[ended 0]")).map(|_| ())
}
