//! Devices play: what goes in comes out of the right pad, through plugging and unplugging.

use crate::bench::{self, Bench, PLAYER};
use crate::presses;
use mantle_files::DeviceFile;
use mantle_files::shipped;
use mantle_lab::{Gadget, Lines, StandIn};
use std::time::{Duration, Instant};

fn shipped(name: &str) -> Result<DeviceFile, String> {
    shipped::device(name).map_err(|fault| fault.to_string())
}

fn plays(bench: &Bench, name: &str, slots: u8) -> Result<(), String> {
    presses::check(bench, &shipped(name)?, &presses::of(name), slots)
}

pub fn harbour_panel(bench: &Bench) -> Result<(), String> {
    plays(bench, "harbour-panel", 1)
}

pub fn quay_pad(bench: &Bench) -> Result<(), String> {
    plays(bench, "quay-pad", 1)
}

pub fn kestrel_puck(bench: &Bench) -> Result<(), String> {
    plays(bench, "kestrel-puck", 1)
}

pub fn pilot_yoke(bench: &Bench) -> Result<(), String> {
    plays(bench, "pilot-yoke", 1)
}

pub fn jetty_box(bench: &Bench) -> Result<(), String> {
    plays(bench, "jetty-box", 2)
}

/// The usages of buttons 1 and 2 are exchanged in the descriptor: to the program that is a swap of two bindings, and the expectations must notice.
pub fn planted_swap(bench: &Bench) -> Result<(), String> {
    let mut file = shipped("harbour-panel")?;
    let before = "19 01 29 0a";
    assert!(file.interface[0].descriptor.contains(before), "the descriptor has changed");
    let swapped = "09 02 09 01 19 03 29 0a";
    file.interface[0].descriptor = file.interface[0].descriptor.replace(before, swapped);
    match presses::check(bench, &file, &presses::of("harbour-panel"), 1) {
        Err(why) if why.contains("button 1") && why.contains("button") => Ok(()),
        Err(why) => Err(format!("it failed for another reason: {why}")),
        Ok(()) => Err("nobody noticed the swap".into()),
    }
}

pub fn replug(bench: &Bench) -> Result<(), String> {
    let file = shipped("quay-pad")?;
    let rest = bench::bytes("01 00 80 80 80 80 80 00 00");
    let south = bench::bytes("01 01 80 80 80 80 80 00 00");
    let mut pad = StandIn::plug(&file, "lab-1", Some("R1"))?;
    let mut engine = bench.engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("is covered"))?;
    let mut game = bench.game(Some(PLAYER))?;
    let instance = game.added()?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    pad.send(0, &rest)?;
    pad.send(0, &south)?;
    game.lines.wait("South down", |line| line == format!("button {instance} a 1"))?;
    drop(pad);
    game.lines.wait("South up, though nobody let it go", |line| line == format!("button {instance} a 0"))?;
    engine.wait("the slot to be kept", |line| line.contains("slot 1 is kept for it"))?;
    let mut pad = StandIn::plug(&file, "lab-2", Some("R1"))?;
    engine.wait("the device to sit down again", |line| line.contains("Quay pad sits in slot 1"))?;
    // Covering makes its nodes again, and until then a game looks at its event node: that it is open says nothing about the engine.
    engine.wait("the cover again", |line| line.contains("is covered"))?;
    bench::reads(&engine, 1)?;
    // Still held: it must have no effect until it has been released.
    pad.send(0, &south)?;
    pad.send(0, &rest)?;
    pad.send(0, &south)?;
    pad.send(0, &rest)?;
    let mut downs = 0;
    game.lines.wait("South down and up", |line| {
        downs += u32::from(line == format!("button {instance} a 1"));
        line == format!("button {instance} a 0")
    })?;
    if downs != 1 {
        return Err(format!("South came down {downs} times, not once"));
    }
    if game.lines.said.iter().any(|line| *line == format!("removed {instance}")) {
        return Err("the game has lost its controller".into());
    }
    bench::end(engine)
}

pub fn four_at_once(bench: &Bench) -> Result<(), String> {
    let file = shipped("harbour-panel")?;
    let plug = |n: u32| StandIn::plug(&file, &format!("lab-{n}"), Some(&format!("S{n}")));
    let mut pads = (1..=4).map(plug).collect::<Result<Vec<_>, _>>()?;
    for n in 0..4 {
        mantle_lab::wait_for("four nodes", || std::path::Path::new(&format!("/dev/hidraw{n}")).exists().then_some(()))?;
    }
    let mut engine = bench.bare_engine(&bench.home())?;
    let mut nodes = Vec::new();
    for slot in 1..=4 {
        nodes.push(bench::pad(&mut engine, slot)?);
    }
    let mut game = bench.game(None)?;
    let mut instances = Vec::new();
    for node in &nodes {
        let end = format!(" {node}");
        let line = game.lines.said.iter().find(|line| line.starts_with("added ") && line.ends_with(&end)).cloned();
        let line = match line {
            Some(line) => line,
            None => game.lines.wait(node, |line| line.starts_with("added ") && line.ends_with(&end))?,
        };
        instances.push(line.split(' ').nth(1).unwrap_or_default().to_owned());
    }
    for (slot, pad) in pads.iter_mut().enumerate() {
        mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
        pad.send(0, &bench::bytes("00 80 80 80"))?;
        pad.send(0, &bench::bytes("01 80 80 80"))?;
        let line = game.lines.wait("South of a pad", |line| line.contains(" a 1"))?;
        if line != format!("button {} a 1", instances[slot]) {
            return Err(format!("device {} presses {line}, not the pad of slot {}", slot + 1, slot + 1));
        }
        pad.send(0, &bench::bytes("00 80 80 80"))?;
        game.lines.wait("its end", |line| line.contains(" a 0"))?;
    }
    bench::end(engine)
}

pub fn rumble(bench: &Bench) -> Result<(), String> {
    let pad = StandIn::plug(&shipped("quay-pad")?, "lab-1", None)?;
    let mut engine = bench.engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("is covered"))?;
    let mut game = bench.game(Some(PLAYER))?;
    game.added()?;
    game.lines.say("rumble")?;
    let line = game.lines.wait("the call to return", |line| line.starts_with("rumbled "))?;
    let mut words = line.split(' ').skip(1);
    let ms: u32 = words.next().and_then(|word| word.parse().ok()).ok_or("no time")?;
    if words.next() != Some("0") {
        return Err(format!("the library says that it failed: {line}"));
    }
    // Unanswered, the kernel gives up after 30 s; answered, it takes milliseconds even here.
    if ms > 10_000 {
        return Err(format!("the call took {ms} ms"));
    }
    drop(pad);
    bench::end(engine)
}

pub fn second_engine(bench: &Bench) -> Result<(), String> {
    let mut first = bench.engine(&bench.home())?;
    first.wait("the first engine to be up", |line| line.contains("No device is connected"))?;
    let mut second = Lines::start(&mut bench.command(&bench.home(), Some(PLAYER), &["run", "--headless"]))?;
    let said = second.wait("word of the first", |line| line.contains("another placid-mantle is already running"))?;
    if !said.contains("account root") || !said.contains(&format!("process {}", first.pid())) {
        return Err(format!("it does not say whose: {said}"));
    }
    let status = second.end()?;
    if status.code() != Some(4) {
        return Err(format!("it ended with {status}, not 4"));
    }
    bench::end(first)
}

pub fn gadget(bench: &Bench) -> Result<(), String> {
    let mut file = shipped("harbour-panel")?;
    let puck = shipped("kestrel-puck")?;
    file.interface.push(puck.interface[0].clone());
    let mut usb = Gadget::plug(&file, 8)?;
    let mut engine = bench.bare_engine(&bench.home())?;
    for slot in 1..=2 {
        bench::pad(&mut engine, slot)?;
    }
    let connected = |lines: &[String]| lines.iter().filter(|line| line.contains("is connected (usb ")).count();
    let mut game = bench.game(None)?;
    game.added()?;
    game.added()?;
    usb.send(0, &bench::bytes("00 80 80 80"))?;
    usb.send(0, &bench::bytes("01 80 80 80"))?;
    game.lines.wait("South through real USB", |line| line.starts_with("button ") && line.ends_with(" a 1"))?;
    // A first report with a button down would count only if it came a second after the opening.
    usb.send(1, &bench::bytes("03 00"))?;
    usb.send(1, &bench::bytes("03 02"))?;
    game.lines.wait("East of the second interface", |line| line.starts_with("button ") && line.ends_with(" b 1"))?;
    if connected(&engine.said) == 0 {
        return Err("the engine does not name its port".into());
    }
    drop(usb);
    engine.wait("the device to go once", |line| line.contains("is gone; slot"))?;
    let gone = engine.until_quiet(Duration::from_millis(500)).iter().filter(|line| line.contains("is gone")).count();
    if gone != 0 {
        return Err(format!("one device went more than once; it said:\n    {}", engine.said.join("\n    ")));
    }
    bench::end(engine)
}

pub fn nothing_left(bench: &Bench) -> Result<(), String> {
    let nodes = || {
        let mut all: Vec<_> = ["/dev", "/dev/input"]
            .iter()
            .flat_map(|dir| std::fs::read_dir(dir).into_iter().flatten().flatten())
            .map(|entry| entry.path())
            .filter(|path| ["hidraw", "event", "js"].iter().any(|kind| path.to_string_lossy().contains(kind)))
            .collect();
        all.sort();
        all
    };
    let before = nodes();
    let pad = StandIn::plug(&shipped("quay-pad")?, "lab-1", None)?;
    let mut engine = bench.engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("is covered"))?;
    engine.signal("INT");
    let began = Instant::now();
    let status = engine.end()?;
    if !status.success() {
        return Err(format!("it ended with {status}"));
    }
    if began.elapsed() > Duration::from_secs(30) {
        return Err("it took too long to end".into());
    }
    for path in ["/run/placid-mantle/ledger.json", "/run/udev/rules.d/71-placid-mantle.rules"] {
        if std::path::Path::new(path).exists() {
            return Err(format!("{path} is left behind"));
        }
    }
    drop(pad);
    mantle_lab::wait_for("the nodes to be as before", || (nodes() == before).then_some(()))
}

pub fn no_uinput(bench: &Bench) -> Result<(), String> {
    let mut engine = Lines::start(&mut bench.command(&bench.home(), Some(PLAYER), &["run", "--headless"]))?;
    let status = engine.end()?;
    let said = engine.said.join("\n");
    if status.code() != Some(3) || !said.contains("EACCES") || !said.contains("placid-mantle setup --install") {
        return Err(format!("denied: {status}: {said}"));
    }
    std::fs::rename("/dev/uinput", "/dev/uinput.away").map_err(|error| error.to_string())?;
    let mut engine = bench.engine(&bench.home())?;
    let status = engine.end();
    std::fs::rename("/dev/uinput.away", "/dev/uinput").map_err(|error| error.to_string())?;
    let said = engine.said.join("\n");
    if status?.code() != Some(3) || !said.contains("ENOENT") || !said.contains("modprobe uinput") {
        return Err(format!("absent: {said}"));
    }
    Ok(())
}
