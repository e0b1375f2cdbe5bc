//! Covering: what a game loses and keeps, and that rights come back whatever happens.

use crate::bench::{self, Bench, PLAYER};
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn};
use std::path::Path;
use std::process::Command;

/// Names of the nodes of the HID device at a port, hidraw first.
fn nodes(port: &str) -> Vec<String> {
    let all = mantle_linux::scan::hidraw_nodes(Path::new("/sys"));
    let found = all.into_iter().find(|node| node.identity.port.as_deref() == Some(port));
    found.map(|node| std::iter::once(node.path).chain(node.inputs).collect()).unwrap_or_default()
}

/// Mode, owner and access list of each node of a device, without its number.
fn rights(port: &str) -> Result<Vec<String>, String> {
    let mut out = Vec::new();
    for node in nodes(port) {
        let list = Command::new("getfacl").args(["--omit-header", "--absolute-names", &node]).output();
        let list = list.map_err(|error| format!("getfacl: {error}"))?;
        let stat = Command::new("stat").args(["-c", "%a %u %g", &node]).output().map_err(|error| error.to_string())?;
        let kind = node.trim_end_matches(|c: char| c.is_ascii_digit());
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim().replace('\n', ",");
        out.push(format!("{kind} {} {}", text(&stat.stdout), text(&list.stdout)));
    }
    out.sort();
    Ok(out)
}

/// Plugs two twins in, and makes the first one's hidraw readable to the player, as a login manager would.
fn twins() -> Result<(StandIn, StandIn), String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let one = StandIn::plug(&file, "lab-1", Some("T1"))?;
    let two = StandIn::plug(&file, "lab-2", Some("T2"))?;
    for port in ["lab-1", "lab-2"] {
        mantle_lab::wait_for("the nodes of a twin", || (nodes(port).len() == 3).then_some(()))?;
    }
    let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
    let hidraw = nodes("lab-1").first().cloned().unwrap_or_default();
    let done = Command::new("setfacl").args(["-m", &format!("u:{PLAYER}:rw"), &hidraw]).status();
    if !done.is_ok_and(|status| status.success()) {
        return Err("setfacl failed".into());
    }
    Ok((one, two))
}

/// A slots file in which the second twin is left to the game, so that it stays bare.
fn home_with_second_left(bench: &Bench) -> Result<std::path::PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let text = "version = 1\n[[left_to_game]]\nname = \"Quay pad\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0a02\n\
                serial = \"T2\"\nport = \"lab-2\"\n";
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    Ok(home)
}

/// The event nodes of quay pads that a game of the player's lists.
fn listed(bench: &Bench) -> Result<Vec<String>, String> {
    let mut game = bench.game(Some(PLAYER))?;
    let mut list = game.list()?;
    list.retain(|line| line.contains("1209:0a02"));
    Ok(list.iter().filter_map(|line| line.rsplit(' ').next().map(str::to_owned)).collect())
}

fn event_of(port: &str) -> String {
    nodes(port).into_iter().find(|node| node.contains("event")).unwrap_or_default()
}

/// A mouse that plays is hidden while there is another one, plays on, and goes back to the system when it is the last.
pub fn mice(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("gull-mouse").map_err(|fault| fault.to_string())?;
    let mut plays = StandIn::plug(&file, "lab-1", Some("M1"))?;
    let other = StandIn::plug(&file, "lab-2", Some("M2"))?;
    for port in ["lab-1", "lab-2"] {
        mantle_lab::wait_for("the nodes of a mouse", || (nodes(port).len() >= 2).then_some(()))?;
    }
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let text = "version = 1\n[[slot]]\nnumber = 1\nkind = \"common\"\nprofile = \"plain\"\n[[slot.device]]\n\
                name = \"Gull mouse\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0a0c\nserial = \"M1\"\n\
                port = \"lab-1\"\npart = 0\n";
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    let mut engine = bench.engine(&home)?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("Gull mouse is covered"))?;
    for _ in 0..20 {
        plays.send(0, &[0, 40, 0, 0])?;
    }
    engine.wait("the right stick", |line| line.contains("slot 1 ") && line.contains("abs:0x03="))?;
    if engine.said.iter().any(|line| line.contains("is the last one")) {
        return Err("there is another mouse".into());
    }
    drop(other);
    engine.wait("the system has it again", |line| line.contains("Gull mouse is the last one now"))?;
    mantle_lab::wait_for("its nodes", || (nodes("lab-1").len() >= 2).then_some(()))?;
    bench::end(engine)
}

pub fn as_root(bench: &Bench) -> Result<(), String> {
    let (_one, _two) = twins()?;
    let before = (rights("lab-1")?, rights("lab-2")?);
    let list = listed(bench)?;
    if !list.contains(&event_of("lab-1")) || !list.contains(&event_of("lab-2")) {
        return Err(format!("before, a game should list both: {list:?}"));
    }
    let mut engine = bench.engine(&home_with_second_left(bench)?)?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("Quay pad is covered"))?;
    if engine.said.iter().any(|line| line.contains("is gone")) {
        return Err("covering was taken for unplugging".into());
    }
    let list = listed(bench)?;
    if list.contains(&event_of("lab-1")) {
        return Err(format!("a game still lists the covered device: {list:?}"));
    }
    if !list.contains(&event_of("lab-2")) {
        return Err(format!("a game has lost the twin: {list:?}"));
    }
    bench::end(engine)?;
    same(&before)?;
    let list = listed(bench)?;
    if list.contains(&event_of("lab-1")) {
        Ok(())
    } else {
        Err("after the end a game does not find the device again".into())
    }
}

fn same(before: &(Vec<String>, Vec<String>)) -> Result<(), String> {
    let after = (rights("lab-1")?, rights("lab-2")?);
    if &after == before {
        return Ok(());
    }
    Err(format!("rights before:\n{before:#?}\nafter:\n{after:#?}"))
}

pub fn ordinary_account(bench: &Bench) -> Result<(), String> {
    let (mut one, _two) = twins()?;
    let allow = Command::new("setfacl").args(["-m", &format!("u:{PLAYER}:rw"), "/dev/uinput"]).status();
    if !allow.is_ok_and(|status| status.success()) {
        return Err("setfacl failed".into());
    }
    let home = home_with_second_left(bench)?;
    let mut engine = Lines::start(&mut bench.command(&home, Some(PLAYER), &["run", "--headless"]))?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the device to be held", |line| line.contains("Quay pad is held"))?;
    if !listed(bench)?.contains(&event_of("lab-1")) {
        return Err("held devices stay listed; this one is not, so the words are wrong".into());
    }
    mantle_lab::wait_for("the engine to listen", || one.is_open(0).then_some(()))?;
    one.send(0, &bench::bytes("01 00 80 80 80 80 80 00 00"))?;
    one.send(0, &bench::bytes("01 01 80 80 80 80 80 00 00"))?;
    engine.wait("South", |line| line.contains("slot 1 key:0x130=1"))?;
    bench::end(engine)?;
    let _ = Command::new("setfacl").args(["-b", "/dev/uinput"]).status();
    Ok(())
}

/// Ends an engine at a step of covering as a crash would, and lets `undo` repair it.
fn killed(bench: &Bench, step: &str, undo: impl Fn() -> Result<(), String>) -> Result<(), String> {
    let (_one, _two) = twins()?;
    let before = (rights("lab-1")?, rights("lab-2")?);
    let home = home_with_second_left(bench)?;
    let mut command = bench.command(&home, None, &["run", "--headless"]);
    let mut engine = Lines::start(command.env("PLACID_MANTLE_PAUSE_AT", step))?;
    engine.wait("the step", |line| line == format!("paused at {step}"))?;
    engine.signal("KILL");
    engine.end()?;
    if !Path::new("/run/placid-mantle/ledger.json").exists() {
        return Err("it was not written down".into());
    }
    undo()?;
    for path in ["/run/placid-mantle/ledger.json", "/run/udev/rules.d/71-placid-mantle.rules"] {
        if Path::new(path).exists() {
            return Err(format!("{path} is still there"));
        }
    }
    same(&before)?;
    let list = listed(bench)?;
    if list.contains(&event_of("lab-1")) {
        Ok(())
    } else {
        Err(format!("a game does not find the device again: {list:?}"))
    }
}

/// The next start: it undoes first, says so, and then is ended.
fn next_start(bench: &Bench) -> Result<(), String> {
    let mut engine = bench.bare_engine(&bench.home())?;
    engine.wait("word of the repair", |line| line.contains("had left covered are uncovered"))?;
    bench::pad(&mut engine, 1)?;
    bench::end(engine)
}

pub fn killed_planned(bench: &Bench) -> Result<(), String> {
    killed(bench, "planned", || next_start(bench))
}

pub fn killed_ruled(bench: &Bench) -> Result<(), String> {
    killed(bench, "ruled", || next_start(bench))
}

pub fn killed_reloaded(bench: &Bench) -> Result<(), String> {
    killed(bench, "reloaded", || next_start(bench))
}

pub fn killed_unbound(bench: &Bench) -> Result<(), String> {
    killed(bench, "unbound", || next_start(bench))
}

pub fn killed_rebound(bench: &Bench) -> Result<(), String> {
    killed(bench, "rebound", || {
        let mut uncover = Lines::start(&mut bench.command(&bench.home(), None, &["uncover", "--all"]))?;
        let status = uncover.end()?;
        if status.success() { Ok(()) } else { Err(format!("uncover --all ended with {status}")) }
    })
}

/// The rule outlives a killed engine, so a device that is plugged in again meanwhile has no rights on its new nodes.
pub fn killed_and_replugged(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let plug = || -> Result<StandIn, String> {
        let pad = StandIn::plug(&file, "lab-1", Some("T1"))?;
        mantle_lab::wait_for("its nodes", || (nodes("lab-1").len() == 3).then_some(()))?;
        let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
        Ok(pad)
    };
    let pad = plug()?;
    let before = rights("lab-1")?;
    let mut engine = bench.engine(&bench.home())?;
    engine.wait("the cover", |line| line.contains("Quay pad is covered"))?;
    engine.signal("KILL");
    engine.end()?;
    drop(pad);
    mantle_lab::wait_for("the nodes to go", || nodes("lab-1").is_empty().then_some(()))?;
    let _pad = plug()?;
    if rights("lab-1")? == before {
        return Err("the rule did not outlive the engine: this proves nothing".into());
    }
    let mut uncover = Lines::start(&mut bench.command(&bench.home(), None, &["uncover", "--all"]))?;
    if !uncover.end()?.success() {
        return Err(format!("uncover --all failed: {:?}", uncover.said));
    }
    let after = rights("lab-1")?;
    if after == before { Ok(()) } else { Err(format!("rights before:\n{before:#?}\nafter:\n{after:#?}")) }
}
