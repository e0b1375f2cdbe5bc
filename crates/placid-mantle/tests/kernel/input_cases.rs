//! Input nodes of devices without reports of their own: pads, mice and keyboards as sources.

use crate::bench::{self, Bench};
use crate::keys_cases;
use mantle_core::evdev::event::{ABS, KEY, REL};
use mantle_files::DeviceFile;
use mantle_lab::{InputFacts, InputStandIn, Lines, RawPad, StandIn};
use std::path::{Path, PathBuf};
use std::time::Duration;

const SOUTH: u16 = 0x130;
const EAST: u16 = 0x131;
const PAD: InputFacts<'_> = InputFacts {
    name: "Sample node pad",
    product: 0x0a41,
    keys: &[SOUTH, EAST, 0x133, 0x134, 0x136, 0x137, 0x13a, 0x13b],
    rels: &[],
    axes: &[(0x00, -32_768, 32_767, 255), (0x01, -32_768, 32_767, 255), (0x10, -1, 1, 0), (0x11, -1, 1, 0)],
    resolution: 0,
    properties: &[],
};

const LEFT: u16 = 0x110;
const RIGHT: u16 = 0x111;
pub const MOUSE: InputFacts<'_> = InputFacts {
    name: "Sample node mouse",
    product: 0x0a42,
    keys: &[LEFT, RIGHT],
    rels: &[0, 1, 8],
    axes: &[],
    resolution: 0,
    properties: &[],
};

const ESCAPE: u16 = 1;
const W: u16 = 17;
const A: u16 = 30;
const LEFT_SHIFT: u16 = 42;
/// A keyboard has letters, digits and the rest: without them nobody would take it for one.
const KEYS: [u16; 88] = {
    let mut keys = [0; 88];
    let mut at = 0;
    while at < keys.len() {
        keys[at] = at as u16 + 1;
        at += 1;
    }
    keys
};
pub const KEYBOARD: InputFacts<'_> = InputFacts {
    name: "Sample node keyboard",
    product: 0x0a43,
    keys: &KEYS,
    rels: &[],
    axes: &[],
    resolution: 0,
    properties: &[],
};

/// A home whose slots file has some devices in slots, and in which W of the keyboard plays South.
pub fn home(bench: &Bench, placed: &[(u8, &InputFacts<'_>)]) -> Result<PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(directory.join("sheets")).map_err(|error| error.to_string())?;
    let mut text = String::from("version = 1\n");
    for (slot, facts) in placed {
        let (name, product) = (facts.name, facts.product);
        text.push_str(&format!(
            "[[slot]]\nnumber = {slot}\nkind = \"common\"\nprofile = \"plain\"\n[[slot.device]]\nname = \"{name}\"\n\
             bus = 17\nvendor = 0x1209\nproduct = {product}\npart = 0\n"
        ));
    }
    // There is no other mouse here: somebody has agreed that this one may be taken.
    for (_, facts) in placed.iter().filter(|(_, facts)| !facts.rels.is_empty()) {
        let (name, product) = (facts.name, facts.product);
        text.push_str(&format!(
            "[[pointers]]\nname = \"{name}\"\nbus = 17\nvendor = 0x1209\nproduct = {product}\npart = 0\n"
        ));
    }
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    let sheet = "version = 1\nname = \"Sample keys\"\nkeep = true\n[match]\nvendor = 0x1209\nproduct = 0x0a43\n\
                 [[control]]\nname = \"W\"\nkind = \"key\"\nusage = 0x0007001a\nplays = \"South\"\n";
    std::fs::write(directory.join("sheets/keys.sheet.toml"), sheet).map_err(|error| error.to_string())?;
    Ok(home)
}

/// Waits until the pads of this many slots exist and devices are held, in whatever order.
pub fn held(engine: &mut Lines, slots: u8, devices: &[&InputFacts<'_>]) -> Result<(), String> {
    let mut wanted: Vec<String> = (1..=slots).map(|slot| format!("slot {slot}: its pad is ready")).collect();
    wanted.extend(devices.iter().map(|facts| format!("{} is held", facts.name)));
    let so = |line: &str| {
        wanted.retain(|said| !line.contains(said.as_str()));
        wanted.is_empty()
    };
    engine.wait("pads, and devices that are held", so).map(drop)
}

/// The position of the pad's left stick in a line of the log.
fn stick_x(line: &str) -> Option<i32> {
    line.split("abs:0x00=").nth(1)?.split(' ').next()?.parse().ok()
}

pub fn expect<T: PartialEq + std::fmt::Debug>(what: &str, got: &T, wanted: &T) -> Result<(), String> {
    if got == wanted { Ok(()) } else { Err(format!("{what}: {got:?} instead of {wanted:?}")) }
}

/// Presses and lets go a key.
fn tap(node: &InputStandIn, code: u16) -> Result<(), String> {
    node.send(&[(KEY, code, 1)])?;
    node.send(&[(KEY, code, 0)])
}

/// What is recorded from the node gives the frames that it gave; the smallest steps arrive, although the kernel would smooth them away; others read
/// nothing from it while it is held, and everything afterwards.
pub fn pad(bench: &Bench) -> Result<(), String> {
    let pad = InputStandIn::plug(&PAD)?;
    let home = home(bench, &[(1, &PAD)])?;
    let moves = || -> Result<(), String> {
        for x in 1..=20 {
            pad.send(&[(ABS, 0, 20_000 + x)])?;
        }
        tap(&pad, EAST)?;
        pad.send(&[(ABS, 0x11, -1)])?;
        pad.send(&[(ABS, 0x11, 0), (ABS, 0, 0)])
    };
    let file = home.join("node.hid").display().to_string();
    let mut recorder = Lines::start(&mut bench.command(&home, None, &["record", "1209:0a41", &file]))?;
    recorder.wait("the recorder to listen", |line| line.contains("Recording Sample node pad"))?;
    moves()?;
    recorder.signal("INT");
    let status = recorder.end()?;
    expect(
        "the recorder's end",
        &(status.success(), recorder.said.last().map(String::as_str)),
        &(true, Some("25 reports.")),
    )?;

    let mut other = RawPad::open(&pad.node)?;
    let mut engine = bench.engine(&home)?;
    held(&mut engine, 1, &[&PAD])?;
    moves()?;
    let frames = crate::read_cases::frames_of(&engine.until_quiet(Duration::from_secs(2)));
    let mut steps: Vec<i32> = frames.iter().filter_map(|frame| stick_x(frame)).filter(|x| *x != 0).collect();
    steps.dedup();
    expect("steps of one", &steps.len(), &20)?;
    expect("the fuzz while it is read", &pad.fuzz(0), &0)?;
    tap(&pad, SOUTH)?;
    engine.wait("South", |line| line.contains("slot 1 key:0x130=1"))?;
    bench::end(engine)?;
    expect("the fuzz afterwards", &pad.fuzz(0), &255)?;
    tap(&pad, EAST)?;
    expect("what others read first", &other.frame("East")?, &vec![(KEY, EAST, 1)])?;

    let output = bench.command(&home, None, &["replay", &file, "--headless"]).output();
    let output = output.map_err(|error| error.to_string())?;
    let lines: Vec<String> = String::from_utf8_lossy(&output.stdout).lines().map(str::to_owned).collect();
    expect("frames of the replay", &crate::read_cases::frames_of(&lines), &frames)
}

/// The node through which unused keys and motion are passed on, among those that offer a code.
fn way_on(has: impl Fn(&Path) -> bool) -> Result<RawPad, String> {
    let node = mantle_lab::wait_for("the node for unused keys", || {
        let entries = std::fs::read_dir("/sys/class/input").ok()?;
        let mut events = entries.flatten().filter(|entry| entry.file_name().to_string_lossy().starts_with("event"));
        events.find_map(|entry| {
            let device = entry.path().join("device");
            let name = std::fs::read_to_string(device.join("name")).ok()?;
            let found = name.trim() == "Placid Mantle unused keys" && has(&device);
            found.then(|| format!("/dev/input/{}", entry.file_name().to_string_lossy()))
        })
    })?;
    RawPad::open(&node)
}

fn is_mouse(device: &Path) -> bool {
    std::fs::read_to_string(device.join("capabilities/rel")).is_ok_and(|rel| rel.trim() != "0")
}

/// What is used plays, the rest is passed on; a key that is down when the node is to be held is waited for.
pub fn mouse_and_keyboard(bench: &Bench) -> Result<(), String> {
    let (mouse, keyboard) = (InputStandIn::plug(&MOUSE)?, InputStandIn::plug(&KEYBOARD)?);
    let mut game = RawPad::open(&keyboard.node)?;
    keyboard.send(&[(KEY, A, 1)])?;
    expect("A, before", &game.frame("A")?, &vec![(KEY, A, 1)])?;
    let home = home(bench, &[(1, &MOUSE), (2, &KEYBOARD)])?;
    // By default a mouse would aim, and nothing of its motion would be left over.
    let clicks =
        "version = 1\nname = \"clicks\"\ndefaults = false\n[[binding]]\ntarget = \"South\"\nsource = \"button 1\"\n";
    keys_cases::write(&home, "profiles/clicks.profile.toml", clicks)?;
    keys_cases::edit(&home, "slots.toml", "profile = \"plain\"", "profile = \"clicks\"")?;
    let mut engine = bench.engine(&home)?;
    held(&mut engine, 2, &[&MOUSE])?;
    if engine.said.iter().any(|line| line.contains("Sample node keyboard is held")) {
        return Err("the keyboard is held while a key is down on it".into());
    }
    keyboard.send(&[(KEY, A, 0)])?;
    expect("A let go, for everybody", &game.frame("A up")?, &vec![(KEY, A, 0)])?;
    held(&mut engine, 0, &[&KEYBOARD])?;

    let (mut motion, mut typed) = (way_on(is_mouse)?, way_on(|device| !is_mouse(device))?);
    tap(&keyboard, W)?;
    engine.wait("South", |line| line.contains("slot 2 key:0x130=1"))?;
    tap(&keyboard, A)?;
    expect("A goes on", &typed.frame("A")?, &vec![(KEY, A, 1)])?;
    expect("A up goes on", &typed.frame("A up")?, &vec![(KEY, A, 0)])?;
    mouse.send(&[(REL, 0, 5), (REL, 1, -3)])?;
    expect("motion goes on", &motion.frame("motion")?, &vec![(REL, 0, 5), (REL, 1, -3)])?;
    tap(&mouse, LEFT)?;
    engine.wait("South of the mouse", |line| line.contains("slot 1 key:0x130=1"))?;
    bench::end(engine)?;
    tap(&keyboard, W)?;
    expect("W after the end", &game.frame("W")?, &vec![(KEY, W, 1)])?;
    Ok(())
}

/// Events come while the engine stands still, more than the kernel keeps: what is down afterwards is down, and what was released meanwhile is up.
pub fn lost(bench: &Bench) -> Result<(), String> {
    let pad = InputStandIn::plug(&PAD)?;
    let mut engine = bench.engine(&home(bench, &[(1, &PAD)])?)?;
    held(&mut engine, 1, &[&PAD])?;
    pad.send(&[(KEY, SOUTH, 1)])?;
    engine.wait("South down", |line| line.contains("slot 1 key:0x130=1"))?;
    engine.signal("STOP");
    pad.send(&[(KEY, SOUTH, 0)])?;
    pad.send(&[(KEY, EAST, 1)])?;
    for x in 18_001..=20_000 {
        pad.send(&[(ABS, 0, x), (ABS, 1, -x)])?;
    }
    engine.signal("CONT");
    let mut state = (false, false);
    engine.wait("South up and East down", |line| {
        state.0 |= line.contains("key:0x130=0");
        state.1 |= line.contains("key:0x131=1");
        state == (true, true)
    })?;
    engine.until_quiet(Duration::from_secs(1));
    if !engine.said.iter().any(|line| line.contains("Sample node pad: events came faster than they could be read")) {
        return Err("nobody says that events were lost".into());
    }
    let last = engine.said.iter().rev().find_map(|line| stick_x(line));
    for x in [30_000, 20_000] {
        pad.send(&[(ABS, 0, x)])?;
    }
    engine.wait("the axis elsewhere", |line| stick_x(line).is_some_and(|x| x > 25_000))?;
    let there = engine.wait("the axis there", |line| stick_x(line).is_some())?;
    expect("where the axis stood", &last, &stick_x(&there))?;
    bench::end(engine)
}

/// Everything is held, pad, mouse and keyboard, and the keyboard's chord releases all of it.
pub fn let_go(bench: &Bench) -> Result<(), String> {
    let all = [&PAD, &MOUSE, &KEYBOARD];
    let mut nodes = Vec::new();
    let mut others = Vec::new();
    for facts in all {
        let node = InputStandIn::plug(facts)?;
        others.push(RawPad::open(&node.node)?);
        nodes.push(node);
    }
    let home = home(bench, &[(1, &PAD), (2, &MOUSE), (3, &KEYBOARD)])?;
    let mut engine = bench.engine(&home)?;
    held(&mut engine, 3, &all)?;
    let keys = [SOUTH, LEFT, A];
    for (node, code) in nodes.iter().zip(keys) {
        tap(node, code)?;
    }
    let trigger = |line: &str| line.contains("slot 2 ") && line.contains("abs:0x05=0");
    engine.wait("the trigger of the mouse, let go", trigger)?;
    nodes[2].send(&[(KEY, LEFT_SHIFT, 1)])?;
    nodes[2].send(&[(KEY, ESCAPE, 1)])?;
    engine.wait("the let go", |line| line.contains("everything is let go"))?;
    nodes[2].send(&[(KEY, ESCAPE, 0), (KEY, LEFT_SHIFT, 0)])?;
    for ((node, other), code) in nodes.iter().zip(&mut others).zip([EAST, RIGHT, W]) {
        // Nodes are released one after the other, by a worker: pressed again until others read it.
        mantle_lab::wait_for("others to read a press", || {
            tap(node, code).ok()?;
            let frame = other.within(Duration::from_millis(50)).ok()??;
            // The keys of the chord are released when the node is already free.
            frame.contains(&(KEY, code, 1)).then_some(())
        })?;
    }
    bench::end(engine)
}

/// A keyboard that is a HID device, with an interface for media keys.
const TYPEWRITER: &str = "version = 1\nname = \"Sample typewriter\"\nvendor = 0x1209\nproduct = 0x0a43\n\
[[interface]]\nrate = 125\ndescriptor = \"05 01 09 06 a1 01 05 07 19 e0 29 e7 15 00 25 01 75 01 95 08 81 02 75 08 95 01 81 01 \
19 00 29 65 15 00 25 65 75 08 95 06 81 00 c0\"\n\
[[interface]]\nrate = 125\ndescriptor = \"05 0c 09 01 a1 01 15 00 26 ff 03 19 00 2a ff 03 75 10 95 01 81 00 c0\"\n";

/// A report of it: modifiers, and up to two keys by their usages.
fn typed(modifiers: u8, keys: [u8; 2]) -> [u8; 8] {
    [modifiers, 0, keys[0], keys[1], 0, 0, 0, 0]
}

/// The only keyboard, a HID device: what plays of it is swallowed, everything else is passed on, and its chord gives all of it back.
pub fn only_keyboard(bench: &Bench) -> Result<(), String> {
    let file = DeviceFile::parse("typewriter.device.toml", TYPEWRITER).map_err(|fault| fault.to_string())?;
    let mut keyboard = StandIn::plug(&file, "lab-9", Some("TW1"))?;
    let node = mantle_lab::wait_for("its event node", || {
        crate::cover_cases::nodes("lab-9").into_iter().find(|node| node.starts_with("/dev/input/event"))
    })?;
    crate::seat_cases::root(&["udevadm", "settle", "--timeout=60"])?;
    let home = home(bench, &[])?;
    let slots = "version = 1\n[[slot]]\nnumber = 1\nkind = \"common\"\nprofile = \"plain\"\n[[slot.device]]\n\
                 name = \"Sample typewriter\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0a43\nserial = \"TW1\"\npart = 0\n";
    keys_cases::write(&home, "slots.toml", slots)?;
    let mut other = RawPad::open(&node)?;
    let keys = |frame: Vec<(u16, u16, i32)>| -> Vec<(u16, u16, i32)> {
        frame.into_iter().filter(|(kind, _, value)| *kind == KEY && *value != 2).collect()
    };
    keyboard.send(0, &typed(0, [0x1a, 0]))?;
    expect("W, before", &keys(other.frame("W")?), &vec![(KEY, W, 1)])?;
    keyboard.send(0, &typed(0, [0, 0]))?;
    expect("W up, before", &keys(other.frame("W up")?), &vec![(KEY, W, 0)])?;

    let mut engine = bench.engine(&home)?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the hold", |line| line.contains("Sample typewriter is held"))?;
    let mut on = way_on(|device| !is_mouse(device))?;
    keyboard.send(0, &typed(0, [0x1a, 0]))?;
    engine.wait("South", |line| line.contains("slot 1 key:0x130=1"))?;
    keyboard.send(0, &typed(0, [0x1a, 0x04]))?;
    expect("A goes on, and W does not", &keys(on.frame("A")?), &vec![(KEY, A, 1)])?;
    keyboard.send(0, &typed(0, [0, 0]))?;
    expect("A up goes on", &keys(on.frame("A up")?), &vec![(KEY, A, 0)])?;
    engine.wait("South up", |line| line.contains("slot 1 key:0x130=0"))?;
    expect("what others read of it meanwhile", &other.within(Duration::from_millis(300))?, &None)?;

    keyboard.send(0, &typed(0x02, [0x29, 0]))?;
    engine.wait("the let go", |line| line.contains("everything is let go"))?;
    keyboard.send(0, &typed(0, [0, 0]))?;
    mantle_lab::wait_for("others to read it", || {
        keyboard.send(0, &typed(0, [0x1a, 0])).ok()?;
        keyboard.send(0, &typed(0, [0, 0])).ok()?;
        let frame = other.within(Duration::from_millis(50)).ok()??;
        frame.contains(&(KEY, W, 1)).then_some(())
    })?;
    bench::end(engine)
}
