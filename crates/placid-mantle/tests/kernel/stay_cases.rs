//! Slots hold: through unplugging again and again, restarts in any order, a change of link, and an engine that is stopped or killed.

use crate::bench::{self, Bench};
use mantle_files::{DeviceFile, shipped};
use mantle_lab::{Lines, Reader, StandIn};

/// Of the harbour panel, which a game itself does not take for a controller: all that it lists are pads of ours.
const REST: &str = "00 80 80 80";
const SOUTH: &str = "01 80 80 80";
const EAST: &str = "02 80 80 80";
const BOTH: &str = "03 80 80 80";

/// How often it is unplugged, and with `./check --long`.
const UNPLUGS: (u32, u32) = (40, 500);
/// Restarts, and with `./check --long`.
const RESTARTS: (usize, usize) = (3, 10);

fn long() -> bool {
    std::env::var_os("MANTLE_LAYOUTS").is_some()
}

fn shipped(name: &str) -> Result<DeviceFile, String> {
    shipped::device(name).map_err(|fault| fault.to_string())
}

/// A game must not have lost any of these; it is told about the devices themselves as well.
fn lost_none(game: &Reader, instances: &[i32]) -> Result<(), String> {
    let lost = instances.iter().map(|instance| format!("removed {instance}"));
    match lost.into_iter().find(|lost| game.lines.said.contains(lost)) {
        Some(lost) => Err(format!("the game has lost a controller: {lost}")),
        None => Ok(()),
    }
}

pub fn unplugged(bench: &Bench) -> Result<(), String> {
    let file = shipped("harbour-panel")?;
    let mut other = StandIn::plug(&file, "lab-9", Some("P1"))?;
    let mut engine = bench.bare_engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    let mut pad = Some(StandIn::plug(&file, "lab-1", Some("R1"))?);
    bench::pad(&mut engine, 2)?;
    let mut game = bench.game(None)?;
    let instances = [game.added()?, game.added()?];
    mantle_lab::wait_for("the engine to listen", || other.is_open(0).then_some(()))?;
    other.send(0, &bench::bytes(REST))?;
    other.send(0, &bench::bytes(SOUTH))?;
    let line = game.lines.wait("South of the first", |line| line.ends_with(" a 1"))?;
    let first = instances.into_iter().find(|one| line == format!("button {one} a 1")).ok_or("an unknown controller")?;
    let second = instances.into_iter().find(|one| *one != first).ok_or("one controller only")?;
    let unplugs = if long() { UNPLUGS.1 } else { UNPLUGS.0 };
    for turn in 0..unplugs {
        if let Some(mut pad) = pad.take() {
            mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
            bench::reads(&engine, 2)?;
            pad.send(0, &bench::bytes(REST))?;
            pad.send(0, &bench::bytes(SOUTH))?;
            game.lines.wait(&format!("South down, turn {turn}"), |line| line == format!("button {second} a 1"))?;
        }
        // It is pulled with the button down.
        game.lines.wait(&format!("South up, turn {turn}"), |line| line == format!("button {second} a 0"))?;
        pad = Some(StandIn::plug(&file, &format!("lab-{}", turn % 3), Some("R1"))?);
        engine.wait(&format!("its slot, turn {turn}"), |line| line.contains("Harbour panel sits in slot 2"))?;
    }
    let start = format!("button {first} ");
    if let Some(line) = game.lines.said.iter().find(|line| line.starts_with(&start) && !line.ends_with(" a 1")) {
        return Err(format!("the other one's button was let go: {line}"));
    }
    lost_none(&game, &instances)?;
    drop(pad);
    bench::end(engine)
}

pub fn restarts(bench: &Bench) -> Result<(), String> {
    let file = shipped("harbour-panel")?;
    let home = bench.home();
    let plug = |n: usize| StandIn::plug(&file, &format!("lab-{n}"), Some(&format!("S{n}")));
    let orders = [[1, 2, 3, 4], [4, 2, 1, 3], [3, 4, 2, 1], [2, 1, 4, 3]];
    for turn in 0..=if long() { RESTARTS.1 } else { RESTARTS.0 } {
        let order = orders[turn % orders.len()];
        let (early, late) = order.split_at(if turn == 0 { 0 } else { turn % 5 });
        let mut pads: Vec<(usize, StandIn)> =
            early.iter().map(|n| Ok((*n, plug(*n)?))).collect::<Result<_, String>>()?;
        let mut engine = bench.bare_engine(&home)?;
        if turn == 0 {
            engine.wait("the engine to be up", |line| line.contains("No device is connected"))?;
        }
        for n in late {
            pads.push((*n, plug(*n)?));
            // The first time each sits before the next one comes: that is how they got their slots.
            if turn == 0 {
                engine.wait("its slot", |line| line.contains(&format!("Harbour panel sits in slot {n}")))?;
            }
        }
        for slot in 1..=4 {
            let said = format!("slot {slot}: its pad is ready: ");
            if !engine.said.iter().any(|line| line.contains(&said)) {
                bench::pad(&mut engine, slot)?;
            }
        }
        bench::reads(&engine, 4)?;
        let mut game = bench.game(None)?;
        let mut players = Vec::new();
        for _ in 0..4 {
            let line = game.lines.wait("a controller", |line| line.starts_with("added "))?;
            let words: Vec<&str> = line.split(' ').collect();
            players.push((words[2].parse::<usize>().map_err(|error| error.to_string())?, words[1].to_owned()));
        }
        for (n, pad) in &mut pads {
            mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
            pad.send(0, &bench::bytes(REST))?;
            pad.send(0, &bench::bytes(SOUTH))?;
            let line = game.lines.wait("South", |line| line.ends_with(" a 1"))?;
            pad.send(0, &bench::bytes(REST))?;
            game.lines.wait("its end", |line| line.ends_with(" a 0"))?;
            let own = players.iter().find(|(_, instance)| line == format!("button {instance} a 1"));
            let player = own.map(|(player, _)| *player);
            if player != Some(*n - 1) {
                return Err(format!(
                    "start {turn}, plugged in as {order:?}: S{n} is player {player:?}, counted from 0"
                ));
            }
        }
        drop(pads);
        bench::end(engine)?;
    }
    Ok(())
}

pub fn links(bench: &Bench) -> Result<(), String> {
    let cable = shipped("harbour-panel")?;
    let mut radio = cable.clone();
    radio.bus = "bluetooth".into();
    let mut engine = bench.bare_engine(&bench.home())?;
    engine.wait("the engine to be up", |line| line.contains("No device is connected"))?;
    let mut by_radio = StandIn::plug(&radio, "00:11:22", Some("aa:bb:cc:00:00:01"))?;
    bench::pad(&mut engine, 1)?;
    bench::reads(&engine, 1)?;
    let mut game = bench.game(None)?;
    let instance = game.added()?;
    by_radio.send(0, &bench::bytes(REST))?;
    by_radio.send(0, &bench::bytes(SOUTH))?;
    game.lines.wait("South", |line| line == format!("button {instance} a 1"))?;
    // The cable comes and goes with the button held; it has its serial number in capitals.
    let mut by_cable = StandIn::plug(&cable, "lab-1", Some("AA:BB:CC:00:00:01"))?;
    engine.wait("word of the other way", |line| {
        line.contains("Harbour panel is slot 1's, also by usb lab-1, which waits")
    })?;
    bench::reads(&engine, 2)?;
    by_cable.send(0, &bench::bytes(SOUTH))?;
    engine.wait("the cable", |line| line.contains("Harbour panel now plays in slot 1 by usb lab-1"))?;
    by_cable.send(0, &bench::bytes(BOTH))?;
    game.lines.wait("East by the cable", |line| line == format!("button {instance} b 1"))?;
    by_radio.send(0, &bench::bytes(BOTH))?;
    drop(by_cable);
    engine.wait("the radio", |line| line.contains("Harbour panel now plays in slot 1 by bluetooth"))?;
    by_radio.send(0, &bench::bytes(REST))?;
    game.lines.wait("East up by the radio", |line| line == format!("button {instance} b 0"))?;
    game.lines.until_quiet(std::time::Duration::from_millis(300));
    let told: Vec<&str> =
        game.lines.said.iter().filter(|line| line.starts_with("button ")).map(String::as_str).collect();
    let mut wanted: Vec<String> = ["a 1", "b 1", "a 0", "b 0"].map(|end| format!("button {instance} {end}")).into();
    let mut sorted: Vec<String> = told.iter().map(|line| (*line).to_owned()).collect();
    wanted.sort();
    sorted.sort();
    if sorted != wanted {
        return Err(format!("a change of link has pressed or let go of something: {told:?}"));
    }
    lost_none(&game, &[instance])?;
    drop(by_radio);
    bench::end(engine)
}

pub fn stopped_and_killed(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let mut pad = StandIn::plug(&shipped("harbour-panel")?, "lab-1", Some("R1"))?;
    let mut engine = bench.bare_engine(&home)?;
    bench::pad(&mut engine, 1)?;
    let mut game = bench.game(None)?;
    let instance = game.added()?;
    bench::reads(&engine, 1)?;
    pad.send(0, &bench::bytes(REST))?;
    pad.send(0, &bench::bytes(SOUTH))?;
    game.lines.wait("South", |line| line == format!("button {instance} a 1"))?;
    engine.signal("STOP");
    // As many as the kernel keeps for a reader that does not read.
    for turn in 0..50 {
        pad.send(0, &bench::bytes(if turn % 2 == 0 { REST } else { SOUTH }))?;
    }
    pad.send(0, &bench::bytes(EAST))?;
    engine.signal("CONT");
    game.lines.wait("East, once it goes on", |line| line == format!("button {instance} b 1"))?;
    let last = |button: &str| {
        let start = format!("button {instance} {button} ");
        game.lines.said.iter().rev().find(|line| line.starts_with(&start)).cloned().unwrap_or_default()
    };
    if !last("a").ends_with(" 0") {
        return Err(format!("South is stuck: {}", last("a")));
    }
    engine.signal("KILL");
    drop(engine);
    game.lines.wait("the pad to go with its engine", |line| line == format!("removed {instance}"))?;
    let mut engine = bench.bare_engine(&home)?;
    bench::pad(&mut engine, 1)?;
    let instance = game.added()?;
    bench::reads(&engine, 1)?;
    // It is still held, and plays once it is pressed again.
    pad.send(0, &bench::bytes(EAST))?;
    pad.send(0, &bench::bytes(REST))?;
    pad.send(0, &bench::bytes(SOUTH))?;
    game.lines.wait("South again", |line| line == format!("button {instance} a 1"))?;
    if game.lines.said.iter().any(|line| *line == format!("button {instance} b 1")) {
        return Err("what was held over the start has played".into());
    }
    bench::end(engine)
}

/// The settings are read again when they are saved, by the program and by hand.
pub fn settings(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let with = bench.served(&home)?;
    let mut engine = Lines::start(&mut with(&["serve", "--bare"]))?;
    engine.wait("the socket", |line| line.contains("screens and scripts"))?;
    let path = home.join("config/placid-mantle/settings.toml");
    let set = |key: &str, value: &str| {
        let output = with(&["settings", key, value]).output().map_err(|error| error.to_string())?;
        let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        if output.status.success() { Ok(said) } else { Err(said) }
    };
    set("limits.delay", "20")?;
    let by_hand = std::fs::read_to_string(&path).map_err(|error| error.to_string())?;
    std::fs::write(&path, by_hand.replace("20", "\"soon\"")).map_err(|error| error.to_string())?;
    let said = engine.wait("the fault", |line| line.contains("limits.delay"))?;
    if !said.contains("settings.toml") || !said.contains("from 1 to 10000") {
        return Err(format!("it does not say what and where: {said}"));
    }
    match set("limits.battery", "30") {
        Err(said) if said.contains("nothing is changed") => {}
        other => return Err(format!("a file with a fault was written over: {other:?}")),
    }
    std::fs::write(&path, by_hand).map_err(|error| error.to_string())?;
    engine.wait("that it is mended", |line| line.contains("all settings can be read again"))?;
    bench::end(engine)
}
