//! Common pads that are separate devices: made through uhid, shaken by the kernel's driver, distinguished by a browser.

use crate::bench::{self, Bench, PLAYER};
use crate::seat_cases::root;
use mantle_files::DeviceFile;
use mantle_lab::{Browser, Lines, RawPad, SeenPad, Shaker, StandIn, wait_for};
use std::path::{Path, PathBuf};
use std::process::Command;

/// A game pad of eleven buttons, a hat, two sticks and two triggers of 8 bits, and an output report of three bytes.
const DESCRIPTOR: &str = "05 01 09 05 a1 01 05 09 19 01 29 0b 15 00 25 01 75 01 95 0b 81 02 95 05 81 01
05 01 09 39 25 07 75 08 95 01 81 42 09 30 09 31 09 33 09 34 09 32 09 35 26 ff 00 75 08 95 06 81 02
06 00 ff 09 01 95 03 91 02 c0";

const SHEET: &str = "version = 1\nname = \"Buoy\"\nkeep = true\n[match]\nvendor = 0x1209\nproduct = 0x0b08\n\
[rumble]\nsend = \"output\"\nbytes = \"00 01\"\nlength = 4\nstrong = { at = 8, size = 8 }\nweak = { at = 16, size = 8 }\n";

/// What its buttons play: the target, the code of the pad's node, and the number that a page gives it.
const BUTTONS: [(&str, u16, usize); 11] = [
    ("South", 0x130, 0),
    ("East", 0x131, 1),
    ("West", 0x133, 2),
    ("North", 0x134, 3),
    ("left shoulder", 0x136, 4),
    ("right shoulder", 0x137, 5),
    ("Select", 0x13a, 8),
    ("Start", 0x13b, 9),
    ("Mode", 0x13c, 16),
    ("left stick press", 0x13d, 10),
    ("right stick press", 0x13e, 11),
];

/// What the device shows.
#[derive(Clone, Copy)]
struct Shown {
    buttons: u16,
    hat: u8,
    axes: [u8; 6],
}

const STILL: Shown = Shown { buttons: 0, hat: 8, axes: [128, 128, 128, 128, 0, 0] };

impl Shown {
    fn report(&self) -> Vec<u8> {
        let [low, high] = self.buttons.to_le_bytes();
        [low, high, self.hat].into_iter().chain(self.axes).collect()
    }
}

fn buoy(serial: &str) -> Result<StandIn, String> {
    let text = format!(
        "version = 1\nname = \"Buoy\"\nvendor = 0x1209\nproduct = 0x0b08\n[[interface]]\nrate = 100\ndescriptor = '''\n{DESCRIPTOR}\n'''\n"
    );
    let file = DeviceFile::parse("buoy.device.toml", &text).map_err(|fault| fault.to_string())?;
    StandIn::plug(&file, &format!("lab-{serial}"), Some(serial))
}

/// A home whose slots are common pads, each made in the way given with its device.
fn home(bench: &Bench, ways: &[(&str, &str)]) -> Result<PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    let write = |path: PathBuf, text: &str| {
        std::fs::create_dir_all(path.parent().unwrap_or(&directory)).map_err(|error| error.to_string())?;
        std::fs::write(path, text).map_err(|error| error.to_string())
    };
    let mut slots = "version = 1\n".to_owned();
    for (at, (serial, way)) in ways.iter().enumerate() {
        slots += &format!(
            "[[slot]]\nnumber = {}\nmade_by = \"{way}\"\nprofile = \"buoy\"\n[[slot.device]]\nname = \"Buoy\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0b08\nserial = \"{serial}\"\n",
            at + 1
        );
    }
    let bound = BUTTONS
        .iter()
        .zip(1..)
        .map(|((target, ..), number)| format!("[[binding]]\ntarget = \"{target}\"\nsource = \"button {number}\"\n"));
    write(directory.join("slots.toml"), &slots)?;
    write(directory.join("sheets/buoy.sheet.toml"), SHEET)?;
    write(
        directory.join("profiles/buoy.profile.toml"),
        &format!("version = 1\nname = \"buoy\"\n{}", bound.collect::<String>()),
    )?;
    // What is tried as a browser has no entry of its own.
    let entry =
        format!("[Desktop Entry]\nType=Application\nExec={} %U\nCategories=Network;WebBrowser;\n", mantle_lab::BROWSER);
    write(home.join(".local/share/applications/page.desktop"), &entry)?;
    crate::motion_cases::find_modules()?;
    Ok(home)
}

/// How the motors of a device stand.
fn motors(pad: &StandIn) -> Option<[u8; 2]> {
    pad.written(0).iter().rev().find(|bytes| bytes.starts_with(&[0, 1])).map(|bytes| [bytes[2], bytes[3]])
}

/// If no driver is told about it, such a pad is made of event nodes, and that is reported.
pub fn not_told(bench: &Bench) -> Result<(), String> {
    let mut pad = buoy("A1")?;
    let mut engine = bench.bare_engine(&home(bench, &[("A1", "uhid")])?)?;
    let node = bench::pad(&mut engine, 1)?;
    engine.wait("why it is none", |line| {
        line.contains("instead of being a device of its own") && line.contains("placid-mantle setup --install")
    })?;
    let mut raw = RawPad::open(&node)?;
    bench::reads(&engine, 1)?;
    pad.send(0, &STILL.report())?;
    pad.send(0, &Shown { buttons: 1, ..STILL }.report())?;
    let frame = raw.frame("button 1").map_err(|why| format!("{why}; {:#?}", engine.said))?;
    if frame != [(1, 0x130, 1)] {
        return Err(format!("the pad says {frame:?}"));
    }
    let shaker = Shaker::open(&node)?;
    let effect = shaker.upload(0xffff, 0, 0)?;
    shaker.play(effect)?;
    wait_for("its rumble", || (motors(&pad)? == [255, 0]).then_some(()))?;
    bench::end(engine)
}

/// The rule is installed, as a person would.
fn set_up(bench: &Bench) -> Result<(), String> {
    crate::motion_cases::find_modules()?;
    let mut setup = Lines::start(&mut bench.command(&bench.home(), None, &["setup", "--install", "1209:0b08"]))?;
    let status = setup.end()?;
    if status.success() { Ok(()) } else { Err(format!("setup: {status}: {}", setup.said.join("\n"))) }
}

/// By its node: a separate device, with the same controls as the other kind, shaken by itself.
pub fn told(bench: &Bench) -> Result<(), String> {
    set_up(bench)?;
    let mut pads = [buoy("B1")?, buoy("B2")?];
    let mut engine = bench.bare_engine(&home(bench, &[("B1", "uhid"), ("B2", "uinput")])?)?;
    let nodes = [bench::pad(&mut engine, 1)?, bench::pad(&mut engine, 2)?];
    let of = |node: &str, what: &str| {
        let name = node.rsplit('/').next().unwrap_or_default().to_owned();
        let path = Path::new("/sys/class/input").join(name).join("device").join(what);
        std::fs::read_to_string(path).unwrap_or_default().trim().to_owned()
    };
    let who = |node: &str| {
        ["id/vendor", "id/product", "id/version", "id/bustype", "capabilities/key", "capabilities/abs"]
            .map(|what| of(node, what))
    };
    if of(&nodes[0], "uniq").is_empty() || !of(&nodes[1], "uniq").is_empty() || who(&nodes[0]) != who(&nodes[1]) {
        return Err(format!("the one is {:?}, the other {:?}; {:#?}", who(&nodes[0]), who(&nodes[1]), engine.said));
    }
    bench::reads(&engine, 2)?;
    let mut raw = [RawPad::open(&nodes[0])?, RawPad::open(&nodes[1])?];
    let mut shown: Vec<(String, Shown)> = Vec::new();
    for (bit, (target, ..)) in BUTTONS.iter().enumerate() {
        shown.push(((*target).into(), Shown { buttons: 1 << bit, ..STILL }));
    }
    for hat in 0..8 {
        shown.push((format!("hat {hat}"), Shown { hat, ..STILL }));
    }
    for axis in 0..6 {
        for value in [255u8, 200, 0] {
            let mut one = STILL;
            one.axes[axis] = value;
            if one.axes != STILL.axes {
                shown.push((format!("axis {axis} at {value}"), one));
            }
        }
    }
    for pad in &mut pads {
        pad.send(0, &STILL.report())?;
    }
    // The two nodes report the same, except for the scan codes that the kernel reports for HID devices.
    for (what, shown) in shown {
        for report in [shown, STILL] {
            let mut said = Vec::new();
            for (pad, raw) in pads.iter_mut().zip(&mut raw) {
                pad.send(0, &report.report())?;
                let mut frame = raw.frame(&what)?;
                frame.retain(|(kind, ..)| *kind != 4);
                frame.sort_unstable();
                said.push(frame);
            }
            if said[0] != said[1] || said[0].is_empty() {
                return Err(format!("{what}: by uhid {:?}, by uinput {:?}", said[0], said[1]));
            }
        }
    }
    for (at, node) in nodes.iter().enumerate() {
        let shaker = Shaker::open(node)?;
        let effect = shaker.upload(0x8000, 0xffff, 200)?;
        let before = pads[1 - at].written(0).len();
        shaker.play(effect)?;
        wait_for("its rumble", || motors(&pads[at]).filter(|motors| motors[0].abs_diff(128) < 3 && motors[1] == 255))
            .map_err(|why| format!("{why} of {}: {:?}", at + 1, motors(&pads[at])))?;
        wait_for("its end", || (motors(&pads[at])? == [0, 0]).then_some(()))?;
        if pads[1 - at].written(0).len() != before {
            return Err("the other one shook, too".into());
        }
    }
    // A game library takes the two for the same kind of controller.
    let mut game = bench.plain_game()?;
    let all = game.list()?;
    let named = |line: &&String| line.contains("045e") || line.contains("5e048e02") || line.contains("5e04");
    if all.iter().filter(named).count() < 2 {
        return Err(format!("the library lists {all:?}"));
    }
    bench::end(engine)
}

/// The number that the page gives each pad, found by pressing South.
fn indexes(page: &mut Browser, pads: &mut [StandIn]) -> Result<Vec<usize>, String> {
    let mut all = Vec::new();
    for pad in pads {
        // A page sees a pad from its first press on.
        pad.send(0, &Shown { buttons: 1, ..STILL }.report())?;
        let down = |seen: &[SeenPad]| seen.iter().find(|one| one.buttons.first() == Some(&1.0)).map(|one| one.index);
        let index = page.sees("South", down)?;
        pad.send(0, &STILL.report())?;
        page.sees("its end", |seen| down(seen).is_none().then_some(()))?;
        all.push(index);
    }
    Ok(all)
}

/// Something that the device does, and what a page sees of it.
type Try = (String, Shown, Box<dyn Fn(&SeenPad) -> bool>);

/// Everything that a page sees of one pad while nothing else moves.
fn controls(page: &mut Browser, pad: &mut StandIn, index: usize) -> Result<(), String> {
    let mut all: Vec<Try> = Vec::new();
    let alone = |number: usize| {
        move |seen: &SeenPad| {
            seen.buttons.iter().enumerate().all(|(at, value)| (*value > 0.9) == (at == number))
                && seen.axes.iter().all(|axis| axis.abs() < 0.1)
        }
    };
    for (bit, (target, _, number)) in BUTTONS.iter().enumerate() {
        all.push(((*target).into(), Shown { buttons: 1 << bit, ..STILL }, Box::new(alone(*number))));
    }
    for (hat, number) in [(0, 12), (4, 13), (6, 14), (2, 15)] {
        all.push((format!("hat {hat}"), Shown { hat, ..STILL }, Box::new(alone(number))));
    }
    for (axis, number) in [(4, 6), (5, 7)] {
        let mut one = STILL;
        one.axes[axis] = 255;
        all.push((format!("trigger {axis}"), one, Box::new(alone(number))));
    }
    for axis in 0..4usize {
        for (value, sign) in [(255u8, 1.0f32), (0, -1.0)] {
            let mut one = STILL;
            one.axes[axis] = value;
            let moved = move |seen: &SeenPad| {
                seen.axes
                    .iter()
                    .enumerate()
                    .all(|(at, axis_at)| if at == axis { axis_at * sign > 0.9 } else { axis_at.abs() < 0.1 })
                    && seen.buttons.iter().all(|value| *value < 0.1)
            };
            all.push((format!("axis {axis} at {value}"), one, Box::new(moved)));
        }
    }
    for (what, shown, so) in all {
        pad.send(0, &shown.report())?;
        page.sees(&what, |seen| seen.iter().find(|one| one.index == index && so(one)).map(drop))?;
        pad.send(0, &STILL.report())?;
        let rests = |one: &SeenPad| {
            one.buttons.iter().all(|value| *value < 0.1) && one.axes.iter().all(|axis| axis.abs() < 0.1)
        };
        page.sees(&format!("the end of {what}"), |seen| seen.iter().all(rests).then_some(()))?;
    }
    Ok(())
}

/// Starts an engine with these ways, and distinguishes them in a page: every pad there has a number of its own, and is shaken by that.
fn in_page(bench: &Bench, page: &mut Browser, ways: &[(&str, &str)]) -> Result<(), String> {
    let mut pads = ways.iter().map(|(serial, _)| buoy(serial)).collect::<Result<Vec<_>, _>>()?;
    root(&["udevadm", "settle", "--timeout=60"])?;
    // A page sees devices from the first press on, as they are, with their own buttons.
    let own = |seen: &[SeenPad]| seen.iter().filter(|one| one.buttons.len() == BUTTONS.len()).count();
    pads[0].send(0, &Shown { buttons: 2, ..STILL }.report())?;
    page.sees("the devices", |seen| (own(seen) == ways.len()).then_some(()))?;
    pads[0].send(0, &STILL.report())?;
    let mut engine = bench.engine(&home(bench, ways)?)?;
    for slot in 1..=ways.len() as u8 {
        bench::pad(&mut engine, slot)?;
    }
    for _ in ways {
        engine.wait("the covers", |line| line.contains("is covered"))?;
    }
    bench::reads(&engine, ways.len())?;
    page.sees("no device any more", |seen| (own(seen) == 0).then_some(()))?;
    for pad in &mut pads {
        pad.send(0, &STILL.report())?;
    }
    let all = indexes(page, &mut pads)?;
    page.sees("the pads alone", |seen| (seen.len() == pads.len() && own(seen) == 0).then_some(()))?;
    let mut different = all.clone();
    different.sort_unstable();
    different.dedup();
    if different.len() != ways.len() {
        return Err(format!("{ways:?} are {all:?} to the page"));
    }
    controls(page, &mut pads[0], all[0])?;
    if let ([_, second], [_, index]) = (&mut pads[..], &all[..]) {
        controls(page, second, *index)?;
    }
    for (at, index) in all.iter().enumerate() {
        let from: Vec<usize> = pads.iter().map(|pad| pad.written(0).len()).collect();
        let said = page.rumble(*index)?;
        wait_for("its end", || {
            (pads[at].written(0).len() >= from[at] + 2 && motors(&pads[at])? == [0, 0]).then_some(())
        })
        .map_err(|why| format!("{why} of {}: {said}; {:?}", at + 1, &pads[at].written(0)[from[at]..]))?;
        let strongest =
            pads[at].written(0)[from[at]..].iter().map(|bytes| [bytes[2], bytes[3]]).max().unwrap_or_default();
        if strongest[0] != 255 || strongest[1].abs_diff(128) > 3 {
            return Err(format!("{}: it shook {strongest:?}; {said}", at + 1));
        }
        if let Some(other) = (0..pads.len()).find(|other| *other != at && pads[*other].written(0).len() != from[*other])
        {
            return Err(format!("{} was to shake, and {} did, too", at + 1, other + 1));
        }
    }
    bench::end(engine)?;
    drop(pads);
    page.sees("nothing of them any more", |seen| seen.is_empty().then_some(()))
}

/// One browser: four pads that are separate devices, two, one of the usual ones beside two of those, and two of the usual ones.
pub fn browser(bench: &Bench) -> Result<(), String> {
    set_up(bench)?;
    let mut page = Browser::start(PLAYER, &bench.home().join("page"))?;
    in_page(bench, &mut page, &[("C1", "uhid"), ("C2", "uhid"), ("C3", "uhid"), ("C4", "uhid")])?;
    in_page(bench, &mut page, &[("B1", "uhid"), ("B2", "uhid")])?;
    in_page(bench, &mut page, &[("D1", "uinput"), ("D2", "uhid"), ("D3", "uhid")])?;
    // Of two of the usual ones it keeps the newer, and the program says so, and what changes that.
    let home = home(bench, &[("E1", "uinput"), ("E2", "uinput")])?;
    let mut pads = [buoy("E1")?, buoy("E2")?];
    let with = bench.served(&home)?;
    std::fs::create_dir_all(home.join("config")).map_err(|error| error.to_string())?;
    std::os::unix::fs::symlink(home.join(".config/placid-mantle"), home.join("config/placid-mantle"))
        .map_err(|error| error.to_string())?;
    let mut engine = Lines::start(&mut with(&["serve"]))?;
    for slot in 1..=2 {
        bench::pad(&mut engine, slot)?;
    }
    for _ in 1..=2 {
        engine.wait("the covers", |line| line.contains("is covered"))?;
    }
    bench::reads(&engine, 2)?;
    for pad in &mut pads {
        pad.send(0, &STILL.report())?;
    }
    indexes(&mut page, &mut pads[1..])?;
    // The other one plays, and the page sees nothing of it.
    pads[0].send(0, &Shown { buttons: 1, ..STILL }.report())?;
    pads[0].send(0, &STILL.report())?;
    let mut said = String::new();
    wait_for("a word about it", || {
        let output: std::process::Output = Command::output(&mut with(&["status"])).ok()?;
        said = String::from_utf8_lossy(&output.stdout).into_owned();
        said.contains("lists only the pad of slot 2").then_some(())
    })
    .map_err(|why| {
        format!("{why}; it says {said}; the page {:?}", page.said().iter().rev().take(4).collect::<Vec<_>>())
    })?;
    page.sees("one pad of two", |seen| (seen.len() == 1).then_some(()))?;
    bench::end(engine)
}
