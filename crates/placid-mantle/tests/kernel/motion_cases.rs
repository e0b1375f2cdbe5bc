//! The motion pad: through the kernel's own driver and through a game library with default settings, each axis with its sign and scale, fingers, and
//! feedback to the device.

use crate::bench::{self, Bench};
use crate::flight_cases::node_named;
use mantle_core::pad::{Events, PadModel, PadState, PadTarget, Publisher, SURFACE, Sensed, Touch};
use mantle_core::slot::SlotNumber;
use mantle_files::DeviceFile;
use mantle_lab::{RawPad, Reader, StandIn};
use std::path::PathBuf;

/// A game pad of eight buttons, a hat, two sticks and two triggers of 8 bits, with a sensor of the sensor page (acceleration in
/// thousandths of g, angular velocity in tenths of a degree a second, 16 bits each), two fingers on a surface of 1000 by 500, a byte for its
/// battery, and an output report of five bytes.
const DESCRIPTOR: &str = "05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02
05 01 09 39 25 07 75 08 95 01 81 42 09 30 09 31 09 33 09 34 09 32 09 35 26 ff 00 75 08 95 06 81 02
05 20 16 00 80 26 ff 7f 75 10 95 03 55 0d 0a 53 04 0a 54 04 0a 55 04 81 02
55 0f 0a 57 04 0a 58 04 0a 59 04 81 02 55 00
05 0d 09 22 a1 02 09 42 15 00 25 01 75 01 95 01 81 02 75 07 81 01 05 01 09 30 26 e8 03 75 10 95 01 81 02 09 31 26 f4 01 81 02 c0
05 0d 09 22 a1 02 09 42 15 00 25 01 75 01 95 01 81 02 75 07 81 01 05 01 09 30 26 e8 03 75 10 95 01 81 02 09 31 26 f4 01 81 02 c0
06 00 ff 09 02 15 00 26 ff 00 75 08 95 01 81 02 09 01 95 05 91 02 c0";

/// How it shakes and is lit, and where its battery's charge is.
const SHEET: &str = "version = 1\nname = \"Turned\"\nkeep = true\n[match]\nvendor = 0x1209\nproduct = 0x0b07\n\
[rumble]\nsend = \"output\"\nbytes = \"00 01\"\nlength = 6\nstrong = { at = 8, size = 8 }\nweak = { at = 16, size = 8 }\n\
[battery]\nlevel = \"level\"\n[[control]]\nname = \"level\"\nkind = \"state\"\nreport = 0\nat = 240\nsize = 8\nmin = 0\nmax = 100\n\
[light]\nsend = \"output\"\nbytes = \"00 02\"\nlength = 6\nred = { at = 8, size = 8 }\ngreen = { at = 16, size = 8 }\nblue = { at = 24, size = 8 }\n";

/// What the device shows.
#[derive(Clone, Copy, Default)]
struct Shown {
    buttons: u8,
    /// In thousandths of g, and tenths of a degree a second.
    pull: [i16; 3],
    turning: [i16; 3],
    fingers: [Option<[u16; 2]>; 2],
}

/// Lying still.
const STILL: Shown = Shown { buttons: 0, pull: [0, 1_000, 0], turning: [0; 3], fingers: [None; 2] };

impl Shown {
    fn report(&self) -> Vec<u8> {
        let mut out = vec![self.buttons, 8, 128, 128, 128, 128, 0, 0];
        self.pull.iter().chain(&self.turning).for_each(|one| out.extend(one.to_le_bytes()));
        for finger in self.fingers {
            out.push(u8::from(finger.is_some()));
            finger.unwrap_or_default().iter().for_each(|one| out.extend(one.to_le_bytes()));
        }
        out.push(57);
        out
    }
}

fn device() -> Result<DeviceFile, String> {
    let text = format!(
        "version = 1\nname = \"Turned\"\nvendor = 0x1209\nproduct = 0x0b07\n[[interface]]\nrate = 100\ndescriptor = '''\n{DESCRIPTOR}\n'''\n"
    );
    DeviceFile::parse("turned.device.toml", &text).map_err(|fault| fault.to_string())
}

/// A home whose first slots are motion pads, and where the kernel finds the module of their driver by itself.
fn home(bench: &Bench, serials: &[&str]) -> Result<PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    let write = |path: &str, text: &str| {
        let path = directory.join(path);
        std::fs::create_dir_all(path.parent().unwrap_or(&directory)).map_err(|error| error.to_string())?;
        std::fs::write(path, text).map_err(|error| error.to_string())
    };
    let mut slots = "version = 1\n".to_owned();
    for (at, serial) in serials.iter().enumerate() {
        slots += &format!(
            "[[slot]]\nnumber = {}\nkind = \"motion pad\"\n[[slot.device]]\nname = \"Turned\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0b07\nserial = \"{serial}\"\n",
            at + 1
        );
    }
    write("slots.toml", &slots)?;
    write("sheets/turned.sheet.toml", SHEET)?;
    find_modules()?;
    Ok(home)
}

/// The kernel finds the modules of drivers by itself from now on.
pub fn find_modules() -> Result<(), String> {
    let modules = crate::kernel().join("lib/modules");
    if std::fs::read_link("/lib/modules").ok().as_deref() != Some(modules.as_path()) {
        let _ = std::fs::remove_dir_all("/lib/modules");
        std::os::unix::fs::symlink(&modules, "/lib/modules").map_err(|error| error.to_string())?;
        let read = std::process::Command::new("udevadm").args(["control", "--reload"]).status();
        read.map_err(|error| error.to_string())?;
    }
    Ok(())
}

/// The device shows this until the node reports it for one of its axes, within what the driver smooths.
fn node_shows(raw: &mut RawPad, (pad, shown): (&mut StandIn, &Shown), code: u16, wanted: i32) -> Result<(), String> {
    pad.send(0, &shown.report())?;
    let mut last = None;
    let seen = mantle_lab::wait_for(&format!("axis {code} at {wanted}"), || {
        let frame = raw.within(std::time::Duration::from_millis(100)).ok()??;
        last = frame.iter().rfind(|(kind, own, _)| (*kind, *own) == (3, code)).map(|(.., value)| *value).or(last);
        last.is_some_and(|value| (value - wanted).abs() <= 32).then_some(())
    });
    seen.map_err(|why| format!("{why}; the last was {last:?}"))
}

/// Asks the game until its sensors report this; returns the last report if they never do.
fn game_senses(game: &mut Reader, instance: i32, what: &str, so: impl Fn(&[f64]) -> bool) -> Result<(), String> {
    let mut last = String::new();
    mantle_lab::wait_for(what, || {
        game.lines.say("senses").ok()?;
        let begins = format!("senses {instance} ");
        last = game.lines.wait("its senses", |line| line.starts_with(&begins)).ok()?;
        let numbers: Vec<f64> = last.split(' ').filter_map(|word| word.parse().ok()).skip(1).collect();
        so(&numbers).then_some(())
    })
    .map_err(|why| format!("{why}; it said last: {last}"))
}

fn near(value: f64, wanted: f64) -> bool {
    (value - wanted).abs() <= wanted.abs() / 50.0 + 15.0
}

/// The instances of our pads: the library reads them by their reports, and the devices themselves by their event nodes.
fn ours<const N: usize>(game: &mut Reader) -> Result<[i32; N], String> {
    let mut all = [0; N];
    for one in &mut all {
        let said = |line: &str| line.starts_with("added ") && line.contains("/dev/hidraw");
        let line = game.lines.wait("a controller that is read by its reports", said)?;
        *one = line.split(' ').nth(1).and_then(|number| number.parse().ok()).ok_or("an odd line")?;
    }
    Ok(all)
}

/// Waits until the library has seen what a pad can do: gyro, accelerometer, a surface of two fingers, a lamp, rumble.
fn abilities(game: &mut Reader, instance: i32) -> Result<(), String> {
    let mut last = String::new();
    mantle_lab::wait_for("its abilities", || {
        game.lines.say("sensors").ok()?;
        let begins = format!("abilities {instance} ");
        last = game.lines.wait("its abilities", |line| line.starts_with(&begins)).ok()?;
        last.ends_with(" 1 1 1 2 1 1").then_some(())
    })
    .map_err(|why| format!("{why}; the game says {last}"))
}

/// Waits until something has been written to the device that begins so.
fn written(pad: &StandIn, what: &str, bytes: &[u8]) -> Result<(), String> {
    mantle_lab::wait_for(what, || pad.written(0).iter().any(|own| own.starts_with(bytes)).then_some(()))
        .map_err(|why| format!("{why}; written was {:02x?}", pad.written(0)))
}

pub fn senses(bench: &Bench) -> Result<(), String> {
    let mut pad = StandIn::plug(&device()?, "lab-1", Some("T1"))?;
    let mut engine = bench.bare_engine(&home(bench, &["T1"])?)?;
    let node = bench::pad(&mut engine, 1)?;
    if node != node_named("Placid Mantle motion pad 1")? {
        return Err(format!("{node} is said to be its node"));
    }
    bench::reads(&engine, 1)?;
    let mut buttons = RawPad::open(&node)?;
    let mut motion = RawPad::open(&node_named("Placid Mantle motion pad 1 Motion Sensors")?)?;
    let mut surface = RawPad::open(&node_named("Placid Mantle motion pad 1 Touchpad")?)?;
    pad.send(0, &STILL.report())?;
    // By the kernel's driver: each axis, its sign, its scale.
    for axis in 0..3u16 {
        for sign in [1, -1] {
            let mut shown = STILL;
            shown.turning[usize::from(axis)] = sign * 300;
            node_shows(&mut motion, (&mut pad, &shown), 3 + axis, i32::from(sign) * 30 * 1_024)?;
            shown = STILL;
            shown.pull[usize::from(axis)] = sign * 500;
            node_shows(&mut motion, (&mut pad, &shown), axis, i32::from(sign) * 4_096)?;
        }
    }
    pad.send(0, &STILL.report())?;
    pad.send(0, &Shown { buttons: 1, ..STILL }.report())?;
    let frame = buttons.frame("button 1")?;
    if frame != [(1, 0x130, 1)] {
        return Err(format!("button 1: the node says {frame:?}"));
    }
    pad.send(0, &STILL.report())?;
    let fingers = Shown { fingers: [Some([500, 250]), Some([1_000, 125])], ..STILL };
    let lower = Shown { fingers: [Some([500, 250]), Some([1_000, 375])], ..STILL };
    // The second one's place is the last that is said.
    for (shown, code, wanted) in [(fingers, 0x35, 1_919), (lower, 0x36, 809)] {
        node_shows(&mut surface, (&mut pad, &shown), code, wanted)?;
        pad.send(0, &STILL.report())?;
    }
    // By a library that was told nothing.
    let mut game = bench.plain_game()?;
    let [instance] = ours(&mut game)?;
    abilities(&mut game, instance)?;
    for axis in 0..3 {
        for sign in [1i16, -1] {
            let mut shown = STILL;
            shown.turning[axis] = sign * 300;
            shown.pull = [0; 3];
            shown.pull[axis] = -sign * 500;
            pad.send(0, &shown.report())?;
            let (turning, pull) = (f64::from(sign) * 523.6, f64::from(-sign) * 4_903.0);
            game_senses(&mut game, instance, "turning and pull", |all| {
                near(all[axis], turning) && near(all[3 + axis], pull)
            })?;
        }
    }
    pad.send(0, &fingers.report())?;
    mantle_lab::wait_for("two fingers", || {
        let from = game.lines.said.len();
        game.lines.say("senses").ok()?;
        game.lines.wait("its senses", |line| line == "sensed").ok()?;
        let at = |finger: usize| {
            let begins = format!("finger {instance} {finger} ");
            let line = game.lines.said[from..].iter().find_map(|line| line.strip_prefix(&begins))?;
            let place: Vec<f64> = line.split(' ').filter_map(|word| word.parse().ok()).collect();
            Some([place[0], place[1]])
        };
        let ([x, y], [across, down]) = (at(0)?, at(1)?);
        (near(x, 500.0) && near(y, 504.0) && near(across, 1_000.0) && near(down, 251.0)).then_some(())
    })?;
    pad.send(0, &STILL.report())?;
    // The battery of the device is the pad's: the kernel shows the middle of each tenth.
    let mut found = Vec::new();
    mantle_lab::wait_for("the pad's battery", || {
        let all = std::fs::read_dir("/sys/class/power_supply").ok()?.flatten();
        let said = |path: PathBuf| std::fs::read_to_string(path.join("capacity")).unwrap_or_default().trim().to_owned();
        found = all.map(|entry| (entry.file_name(), said(entry.path()))).collect();
        let own = |(name, said): &(std::ffi::OsString, String)| {
            name.to_string_lossy().ends_with("02:50:00:00:00:01") && said == "55"
        };
        found.iter().any(own).then_some(())
    })
    .map_err(|why| format!("{why}; there are {found:?}"))?;
    // What comes back.
    game.lines.say("lamp 255 64 0")?;
    game.lines.wait("the lamp", |line| line == "lit 0")?;
    written(&pad, "the lamp's colour", &[0, 2, 255, 64, 0])?;
    game.lines.say("rumble")?;
    game.lines.wait("the rumble", |line| line.starts_with("rumbled ") && line.ends_with(" 0"))?;
    written(&pad, "the rumble", &[0, 1, 64, 255])?;
    mantle_lab::wait_for("its end", || {
        pad.written(0).iter().rfind(|bytes| bytes[1] == 1).filter(|bytes| bytes[2..4] == [0, 0]).map(|_| ())
    })?;
    // An output report with a wrong checksum changes nothing; the next one does.
    let before = pad.written(0).len();
    let hidraw = our_hidraw("placid-mantle/")?;
    let mut bad = [0u8; 78];
    (bad[0], bad[1], bad[2], bad[4], bad[5]) = (0x31, 2, 3, 255, 255);
    std::fs::write(&hidraw, bad).map_err(|error| format!("{hidraw}: {error}"))?;
    game.lines.say("lamp 1 2 3")?;
    written(&pad, "the next colour", &[0, 2, 1, 2, 3])?;
    let shaken = pad.written(0)[before..].iter().any(|bytes| bytes[1] == 1);
    if shaken {
        return Err("an output report with a wrong checksum has shaken the device".into());
    }
    // And by the kernel's own driver, for a program that only reads the event node.
    let shaker = mantle_lab::Shaker::open(&node)?;
    let effect = shaker.upload(0xffff, 0x8000, 200)?;
    shaker.play(effect)?;
    written(&pad, "the rumble of the event node", &[0, 1, 255, 128])?;
    // Nothing of it was taken for a device.
    let names: Vec<String> = std::fs::read_dir("/sys/class/input")
        .map_err(|error| error.to_string())?
        .flatten()
        .filter(|entry| entry.file_name().to_string_lossy().starts_with("event"))
        .filter_map(|entry| std::fs::read_to_string(entry.path().join("device/name")).ok())
        .filter(|name| name.starts_with("Placid Mantle"))
        .collect();
    if names.len() != 3 {
        return Err(format!("the nodes of ours are {names:?}"));
    }
    bench::end(engine)?;
    mantle_lab::wait_for("the pad to go", || our_hidraw_now("placid-mantle/").is_none().then_some(()))
}

/// The hidraw node of a pad of ours, if there is one.
pub fn our_hidraw_now(begins: &str) -> Option<String> {
    std::fs::read_dir("/sys/class/hidraw").ok()?.flatten().find_map(|entry| {
        let uevent = std::fs::read_to_string(entry.path().join("device/uevent")).ok()?;
        let own = uevent.lines().any(|line| line.starts_with(&format!("HID_PHYS={begins}")));
        own.then(|| format!("/dev/{}", entry.file_name().to_string_lossy()))
    })
}

/// The hidraw node of a pad of ours.
fn our_hidraw(begins: &str) -> Result<String, String> {
    our_hidraw_now(begins).ok_or_else(|| "no hidraw node of ours".into())
}

/// Two at once: what each shows is its own, and so is the feedback.
pub fn two(bench: &Bench) -> Result<(), String> {
    let mut one = StandIn::plug(&device()?, "lab-1", Some("T1"))?;
    let mut two = StandIn::plug(&device()?, "lab-2", Some("T2"))?;
    let mut engine = bench.bare_engine(&home(bench, &["T1", "T2"])?)?;
    bench::pad(&mut engine, 1)?;
    bench::pad(&mut engine, 2)?;
    bench::reads(&engine, 2)?;
    one.send(0, &STILL.report())?;
    two.send(0, &STILL.report())?;
    let mut game = bench.plain_game()?;
    let [first, second] = ours(&mut game)?;
    abilities(&mut game, first)?;
    abilities(&mut game, second)?;
    one.send(0, &Shown { turning: [300, 0, 0], ..STILL }.report())?;
    two.send(0, &Shown { turning: [-300, 0, 0], ..STILL }.report())?;
    // Which of the two the library has found first does not matter.
    let mut order = None;
    game_senses(&mut game, first, "the first to turn", |all| near(all[0].abs(), 523.6))?;
    for (instance, sign) in [(first, 1.0), (first, -1.0)] {
        if game_senses(&mut game, instance, "which it is", |all| near(all[0], sign * 523.6)).is_ok() {
            order = Some(sign);
            break;
        }
    }
    let sign = order.ok_or("it turns neither way")?;
    game_senses(&mut game, second, "the second to turn the other way", |all| near(all[0], -sign * 523.6))?;
    game.lines.say("rumble")?;
    let (shaken, still) = if sign > 0.0 { (&one, &two) } else { (&two, &one) };
    written(shaken, "the rumble of the first", &[0, 1, 64, 255])?;
    if still.written(0).iter().any(|bytes| bytes[1] == 1 && bytes[2..4] != [0, 0]) {
        return Err("the other one shakes too".into());
    }
    // What they cost while nobody touches them: a figure, not judged.
    drop(game);
    let before = crate::load_cases::cpu(engine.pid())?;
    let span = std::time::Duration::from_secs(4);
    std::thread::sleep(span);
    let used = crate::load_cases::cpu(engine.pid())? - before;
    println!("NOTE two motion pads at rest: {:.1} % of the emulated processor", used / span.as_secs_f64() * 100.0);
    bench::end(engine)
}

/// A model with several nodes that uinput makes: the sensor's node is one to the system, and each node is told what belongs to it.
pub fn by_uinput(_bench: &Bench) -> Result<(), String> {
    let model = PadModel { publisher: Publisher::Uinput, title: "Placid Mantle console".into(), ..PadModel::motion() };
    let slot = SlotNumber::new(1).ok_or("a slot")?;
    let pad = mantle_linux::uinput::Pad::create(slot, &model).map_err(|fault| fault.cause())?;
    let sensors = node_named("Placid Mantle console 1 Motion Sensors")?;
    let mut buttons = RawPad::open(&pad.node)?;
    let mut motion = RawPad::open(&sensors)?;
    let mut surface = RawPad::open(&node_named("Placid Mantle console 1 Touchpad")?)?;
    let properties = format!("/sys/class/input/{}/device/properties", sensors.trim_start_matches("/dev/input/"));
    let properties = std::fs::read_to_string(properties).map_err(|error| error.to_string())?;
    if properties.trim() != "40" {
        return Err(format!("the sensors' node has the properties {properties}"));
    }
    let touch = Touch { id: 3, at: [SURFACE / 2, SURFACE] };
    let sensed = Sensed { turning: [0, 90_000, 0], acceleration: [0, 10_000, 5_000], touches: [None, Some(touch)] };
    let state = PadState { sensed, ..PadState::only(PadTarget::South, 1.0) };
    let mut events = Events::default();
    PadState::default().events_of(&state, &model, &mut events);
    pad.write_all(&events).map_err(|fault| fault.cause())?;
    let says = |raw: &mut RawPad, what: &str, wanted: &[(u16, u16, i32)]| match raw.frame(what)? {
        frame if frame == wanted => Ok(()),
        frame => Err(format!("{what}: the node says {frame:?}, not {wanted:?}")),
    };
    says(&mut buttons, "South", &[(1, 0x130, 1)])?;
    // It is held up from the beginning, so that is no news.
    says(&mut motion, "what turns", &[(3, 2, 4_096), (3, 4, 90 * 1_024)])?;
    says(&mut surface, "a contact", &[(3, 0x2f, 1), (3, 0x39, 3), (3, 0x35, 959), (3, 0x36, 1_079)])
}
