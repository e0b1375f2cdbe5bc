//! Nothing is lost and nothing stays down: two parts of one player, a device that sends only changes, rumble that nobody stops, devices with one
//! serial number, hats and report ids.

use crate::bench::{self, Bench};
use mantle_files::{DeviceFile, shipped};
use mantle_lab::{Lines, RawPad, Shaker, StandIn};
use std::time::{Duration, Instant};

const SOUTH: u16 = 0x130;
const EAST: u16 = 0x131;
const KEY: u16 = 1;
const ABS: u16 = 3;

/// One report, two collections of eight buttons.
const TWO_IN_ONE: &str = "version = 1\nname = \"Two in one\"\nvendor = 0x1209\nproduct = 0x0b01\n[[interface]]\nrate = 100\n\
    descriptor = '''\n\
    05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 c0\n\
    05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 c0\n'''\n";

/// Two report ids that each repeat the same usages, with a hat without "no value" below its lower end.
const TWO_IDS: &str = "version = 1\nname = \"Two ids\"\nvendor = 0x1209\nproduct = 0x0b02\n[[interface]]\nrate = 100\n\
    descriptor = '''\n\
    05 01 09 04 a1 01\n\
    85 01 05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 05 01 09 39 15 01 25 08 75 04 95 01 81 42\n\
    85 02 05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 05 01 09 39 15 01 25 08 75 04 95 01 81 42\n\
    c0\n'''\n";

/// A pad that sends a report only when something changes: eight buttons, X and Y, one trigger each.
const SILENT: &str = "version = 1\nname = \"Silent pad\"\nvendor = 0x1209\nproduct = 0x0b03\n[[interface]]\nrate = 100\n\
    descriptor = '''\n\
    05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02\n\
    05 01 09 30 09 31 09 33 09 34 26 ff 00 75 08 95 04 81 02\n\
    05 02 09 c5 09 c4 95 02 81 02 c0\n'''\n";

fn device(text: &str) -> Result<DeviceFile, String> {
    DeviceFile::parse("lab.device.toml", text).map_err(|fault| fault.to_string())
}

/// A home in which these parts of a device play in one slot.
fn tied(bench: &Bench, file: &DeviceFile, parts: u8) -> Result<std::path::PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let mut text = "version = 1\n[[slot]]\nnumber = 1\nkind = \"common\"\nprofile = \"plain\"\n".to_owned();
    for part in 0..parts {
        let (name, vendor, product) = (&file.name, file.vendor, file.product);
        text.push_str(&format!(
            "[[slot.device]]\nname = \"{name}\"\nbus = 3\nvendor = {vendor}\nproduct = {product}\nport = \"lab-1\"\npart = {part}\n"
        ));
    }
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    Ok(home)
}

/// An engine that plays a device, its pad's node, and both ready.
fn playing(bench: &Bench, home: &std::path::Path) -> Result<(Lines, RawPad, String), String> {
    let mut engine = bench.engine(home)?;
    let node = bench::pad(&mut engine, 1)?;
    let raw = RawPad::open(&node)?;
    engine.wait("the device to be covered", |line| line.contains("is covered"))?;
    bench::reads(&engine, 1)?;
    Ok((engine, raw, node))
}

/// Frames until these events have come, in whatever order and number; anything else fails.
fn come(raw: &mut RawPad, what: &str, wanted: &[(u16, u16, i32)]) -> Result<(), String> {
    let mut left = wanted.to_vec();
    while !left.is_empty() {
        for event in raw.frame(what)? {
            match left.iter().position(|own| *own == event) {
                Some(at) => drop(left.remove(at)),
                None => return Err(format!("{what}: {event:x?} came, with {left:x?} still to come")),
            }
        }
    }
    Ok(())
}

/// Both parts of one player change with one report, and the device goes while both hold something: the pad is told every press and every release.
pub fn two_parts(bench: &Bench) -> Result<(), String> {
    let file = device(TWO_IN_ONE)?;
    let mut pad = StandIn::plug(&file, "lab-1", None)?;
    let (mut engine, mut raw, _) = playing(bench, &tied(bench, &file, 2)?)?;
    pad.send(0, &[0, 0])?;
    pad.send(0, &[1, 2])?;
    come(&mut raw, "both pressed at once", &[(KEY, SOUTH, 1), (KEY, EAST, 1)])?;
    pad.send(0, &[0, 0])?;
    come(&mut raw, "both let go at once", &[(KEY, SOUTH, 0), (KEY, EAST, 0)])?;
    pad.send(0, &[1, 2])?;
    come(&mut raw, "both pressed again", &[(KEY, SOUTH, 1), (KEY, EAST, 1)])?;
    drop(pad);
    come(&mut raw, "both let go as the device goes", &[(KEY, SOUTH, 0), (KEY, EAST, 0)])?;
    engine.wait("word of it", |line| line.contains("Two in one is gone"))?;
    bench::end(engine)
}

/// Two report ids with the same usages are two pads; their hats count from 1, and 0 is the middle.
pub fn two_ids(bench: &Bench) -> Result<(), String> {
    let mut pad = StandIn::plug(&device(TWO_IDS)?, "lab-1", None)?;
    let mut engine = bench.engine(&bench.home())?;
    let mut raws = Vec::new();
    for slot in 1..=2 {
        raws.push(RawPad::open(&bench::pad(&mut engine, slot)?)?);
    }
    engine.wait("the device to be covered", |line| line.contains("is covered"))?;
    bench::reads(&engine, 1)?;
    for (id, raw) in (1u8..).zip(&mut raws) {
        pad.send(0, &[id, 0])?;
        pad.send(0, &[id, 0x01])?;
        come(raw, "button 1", &[(KEY, SOUTH, 1)])?;
        // Up is 1, right is 3, down and left together 6.
        for (hat, wanted) in [
            (1u8, vec![(ABS, 0x11, -1)]),
            (3, vec![(ABS, 0x11, 0), (ABS, 0x10, 1)]),
            (6, vec![(ABS, 0x11, 1), (ABS, 0x10, -1)]),
        ] {
            pad.send(0, &[id, 0x01 | hat << 4])?;
            come(raw, "the hat", &wanted)?;
        }
        pad.send(0, &[id, 0x00])?;
        come(raw, "everything let go", &[(KEY, SOUTH, 0), (ABS, 0x10, 0), (ABS, 0x11, 0)])?;
    }
    bench::end(engine)
}

/// A device that sends nothing until something changes: its first press, its first push and its first pull play, since they come long after it was
/// opened.
pub fn silent(bench: &Bench) -> Result<(), String> {
    for (what, report, wanted) in [
        ("a press", [1u8, 128, 128, 128, 128, 0, 0], vec![(KEY, SOUTH, 1)]),
        ("a push", [0, 255, 128, 128, 128, 0, 0], vec![(ABS, 0x00, 32_767)]),
        ("a pull", [0, 128, 128, 128, 128, 255, 0], vec![(ABS, 0x02, 255)]),
    ] {
        let mut pad = StandIn::plug(&device(SILENT)?, "lab-1", None)?;
        let (mut engine, mut raw, _) = playing(bench, &bench.home())?;
        // What comes within a second of opening is the device's initial state; this is a change.
        engine.until_quiet(Duration::from_millis(1_500));
        pad.send(0, &report)?;
        let frame = raw.frame(what)?;
        let main: Vec<_> = frame.into_iter().filter(|event| wanted.contains(event)).collect();
        if main != wanted {
            return Err(format!("the first thing that it says, {what}, does not play"));
        }
        bench::end(engine)?;
    }
    Ok(())
}

/// What the device's motors have been told: strong and weak, one after the other.
fn motors(pad: &StandIn) -> Vec<[u8; 2]> {
    let rumbles = pad.written(0).into_iter().filter(|bytes| bytes.starts_with(&[2, 2]));
    rumbles.filter_map(|bytes| Some([*bytes.get(2)?, *bytes.get(3)?])).collect()
}

/// A rumble of 200 ms that nobody stops ends after 200 ms; of two at once each ends by itself.
pub fn rumble_ends(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let pad = StandIn::plug(&file, "lab-1", None)?;
    let mut engine = bench.engine(&bench.home())?;
    let node = bench::pad(&mut engine, 1)?;
    engine.wait("the device to be covered", |line| line.contains("is covered"))?;
    mantle_lab::wait_for("the start-up", || pad.is_awake(0).then_some(()))?;
    let game = Shaker::open(&node)?;
    let until =
        |wanted: [u8; 2]| mantle_lab::wait_for("the motors", || (motors(&pad).last() == Some(&wanted)).then_some(()));
    let short = game.upload(0xffff, 0, 200)?;
    let began = Instant::now();
    game.play(short)?;
    until([255, 0])?;
    until([0, 0])?;
    let lasted = began.elapsed();
    if lasted < Duration::from_millis(200) {
        return Err(format!("a rumble of 200 ms ended after {} ms", lasted.as_millis()));
    }
    // Two at once: the short one ends, the long one goes on, and ends too.
    let long = game.upload(0, 0x8000, 900)?;
    let before = motors(&pad).len();
    game.play(long)?;
    game.play(short)?;
    mantle_lab::wait_for("both at once, one of them, none", || {
        let told: Vec<_> = motors(&pad)[before..].iter().map(|[strong, weak]| (*strong > 0, *weak > 0)).collect();
        let order = [(true, true), (false, true), (false, false)];
        let mut told = told.into_iter();
        order.into_iter().all(|wanted| told.any(|own| own == wanted)).then_some(())
    })?;
    bench::end(engine)
}

/// Two devices with one serial number: unplugged and plugged in again in every order, nobody gets the other's slot unasked, and a press says who is
/// who.
pub fn equal_serials(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let rest = bench::bytes("01 00 80 80 80 80 80 00 00");
    let south = bench::bytes("01 01 80 80 80 80 80 00 00");
    for first_back in [0usize, 1] {
        let mut pads =
            [StandIn::plug(&file, "lab-1", Some("SAME"))?, StandIn::plug(&file, "lab-2", Some("SAME"))?].map(Some);
        let mut engine = bench.bare_engine(&bench.home())?;
        let nodes = [bench::pad(&mut engine, 1)?, bench::pad(&mut engine, 2)?];
        let mut raws = [RawPad::open(&nodes[0])?, RawPad::open(&nodes[1])?];
        for pad in pads.iter_mut().flatten() {
            bench::reads(&engine, 2)?;
            pad.send(0, &rest)?;
        }
        pads = [None, None];
        let mut gone = 0;
        engine.wait("both to go", |line| {
            gone += usize::from(line.contains("is gone"));
            gone == 2
        })?;
        // Each comes back where it was: its port identifies it, although its serial number does not.
        for at in [first_back, 1 - first_back] {
            let mut pad = StandIn::plug(&file, &format!("lab-{}", at + 1), Some("SAME"))?;
            engine.wait("its slot", |line| line.contains(&format!("sits in slot {}", at + 1)))?;
            bench::reads(&engine, 1 + usize::from(at != first_back))?;
            pad.send(0, &rest)?;
            pad.send(0, &south)?;
            come(&mut raws[at], "its own pad", &[(KEY, SOUTH, 1)])?;
            pad.send(0, &rest)?;
            come(&mut raws[at], "its own pad", &[(KEY, SOUTH, 0)])?;
            pads[at] = Some(pad);
        }
        // And elsewhere nobody guesses.
        pads = [None, None];
        gone = 0;
        engine.wait("both to go", |line| {
            gone += usize::from(line.contains("is gone"));
            gone == 2
        })?;
        let mut stranger = StandIn::plug(&file, "lab-7", Some("SAME"))?;
        engine.wait("the question", |line| line.contains("two are alike"))?;
        bench::reads(&engine, 1)?;
        stranger.send(0, &rest)?;
        stranger.send(0, &south)?;
        engine.wait("the answer", |line| line.contains("sits in slot 1"))?;
        drop((pads, stranger));
        bench::end(engine)?;
    }
    Ok(())
}
