//! The helper in a real login session: what an ordinary account of no group can have done, what others cannot, and that it all ends with whoever
//! asked.

use crate::bench::{self, Bench};
use crate::cover_cases::{left_behind, nodes, rights};
use crate::seat_cases::{Person, root};
use mantle_files::shipped;
use mantle_helper::guard::Client;
use mantle_helper::hider::{Operation, Refused};
use mantle_helper::serve::SOCKET;
use mantle_helper::wire::{Answer, Request};
use mantle_lab::{Lines, StandIn, wait_for};
use std::os::unix::net::UnixStream;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

/// Asks the helper for devices, as whoever this runs as: to hide each, then to open it. Prints the answers.
pub fn ask(numbers: &[String]) -> ExitCode {
    for number in numbers.iter().filter_map(|number| number.parse().ok()) {
        for request in [Request::Cover(vec![number]), Request::Open(number)] {
            let stream = UnixStream::connect(SOCKET);
            let answer = stream.and_then(|stream| Client::over(stream).ask(&request, |_| {}));
            println!("{answer:?}");
        }
    }
    ExitCode::SUCCESS
}

fn number(port: &str) -> Result<u32, String> {
    let all = mantle_linux::scan::hidraw_nodes(Path::new("/sys"));
    let found = all.into_iter().find(|node| node.identity.port.as_deref() == Some(port)).ok_or("it is not there")?;
    mantle_helper::device::number_in(&found.sysfs).ok_or_else(|| "it has no number".into())
}

fn plug(device: &str, port: &str) -> Result<StandIn, String> {
    let pad = StandIn::plug(&shipped::device(device).map_err(|fault| fault.to_string())?, port, Some(port))?;
    wait_for("its nodes", || (!nodes(port).is_empty()).then_some(()))?;
    root(&["udevadm", "settle", "--timeout=60"])?;
    Ok(pad)
}

/// The ids that a game of theirs lists.
fn listed(bench: &Bench, person: &Person) -> Result<Vec<String>, String> {
    let mut game = bench.game(Some(person.uid.parse().map_err(|_| "no number")?))?;
    game.list()
}

fn starts(person: &Person) -> Result<Lines, String> {
    let program = env!("CARGO_BIN_EXE_placid-mantle");
    Lines::start(&mut person.command(program, &["run", "--headless", "--frames"]))
}

/// Presses its first button. Its first report is its initial state, so it is at rest before.
fn press(pad: &mut StandIn, engine: &mut Lines) -> Result<(), String> {
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    for (report, value) in [("01 80 80 80", 1), ("00 80 80 80", 0)] {
        pad.send(0, &bench::bytes(report))?;
        engine.wait("a press", |line| line.contains(&format!("slot 1 key:0x130={value}")))?;
    }
    Ok(())
}

fn helper_pid() -> Result<String, String> {
    let pid = root(&["systemctl", "show", "placid-mantle-helper.service", "-p", "MainPID", "--value"])?;
    Ok(pid.trim().to_owned())
}

/// What stands in the way of an account in its session is found, mended for it by root, and gone.
pub fn ready(_bench: &Bench) -> Result<(), String> {
    let program = env!("CARGO_BIN_EXE_placid-mantle");
    let person = Person::log_in("tern", 4)?;
    person.comes_to_the_front(4)?;
    root(&[program, "setup", "--undo"])?;
    // Another file where it has no effect.
    let late = "/etc/udev/rules.d/99-placid-mantle.rules";
    let text = mantle_core::cover::setup_rule(&[], None);
    std::fs::write(late, text).map_err(|error| error.to_string())?;
    let _pad = plug("quay-pad", "lab-7")?;
    root(&["udevadm", "control", "--reload"])?;
    let node = nodes("lab-7").first().cloned().ok_or("it has no node")?;
    for path in ["/dev/uinput", "/dev/uhid", &node] {
        root(&["setfacl", "-b", path])?;
        root(&["chmod", "0600", path])?;
    }
    let keys = || -> Result<Vec<String>, String> {
        let output = person.command(program, &["readiness", "--json"]).output().map_err(|error| error.to_string())?;
        let said: serde_json::Value = serde_json::from_slice(&output.stdout).map_err(|error| error.to_string())?;
        let all = said["findings"].as_array().cloned().unwrap_or_default();
        Ok(all.iter().filter_map(|one| Some(one["key"].as_str()?.to_owned())).collect())
    };
    let denied = format!("denied {node}");
    let wanted = ["uinput", denied.as_str(), "rule", "helper"];
    let before = keys()?;
    if before != wanted {
        return Err(format!("found {before:?}, not {wanted:?}"));
    }
    // All but the last are agreed to.
    let mut fixes = Command::new(program);
    let mut fixes = Lines::start(fixes.args(["readiness", "--fix"]).env("SUDO_USER", "tern"))?;
    for answer in ["y", "y", "y", "n"] {
        fixes.wait("the question", |line| line.contains("Do it now?"))?;
        fixes.say(answer)?;
    }
    fixes.wait("the last word", |line| line.contains("Left as it is."))?;
    let status = fixes.end()?;
    if !status.success() || Path::new(late).exists() {
        return Err(format!("{status}: {:?}", fixes.said));
    }
    wait_for("all but that to be gone", || keys().ok().filter(|keys| keys == &["helper"]))
        .map_err(|why| format!("{why}: {:?}; {:?}", keys(), fixes.said))?;
    root(&[program, "setup", "--undo"])?;
    root(&["systemctl", "stop", "session-tern.service"]).map(drop)
}

/// The guard of an engine that is root outlives the unit that the engine runs in: a stop that kills everything at once is undone by it.
pub fn outlives(bench: &Bench) -> Result<(), String> {
    let _pad = plug("quay-pad", "lab-9")?;
    let before = rights("lab-9")?;
    let home = format!("--setenv=HOME={}", bench.home().display());
    let program = env!("CARGO_BIN_EXE_placid-mantle");
    root(&["systemd-run", "--unit=mantle-stopped", "--collect", &home, program, "run", "--headless"])?;
    let hidden = |rights: &[String]| rights.iter().all(|one| one.split(' ').nth(1) == Some("0"));
    wait_for("it to be hidden", || rights("lab-9").ok().filter(|now| !now.is_empty() && hidden(now)))
        .map_err(|why| format!("{why}: {:?}", rights("lab-9")))?;
    root(&["systemctl", "kill", "--kill-whom=all", "--signal=KILL", "mantle-stopped.service"])?;
    wait_for("everything to be as before", || {
        (left_behind().is_empty() && rights("lab-9").is_ok_and(|now| now == before)).then_some(())
    })
    .map_err(|why| format!("{why}: {before:?}; now {:?}, {:?}", rights("lab-9"), left_behind()))
}

pub fn hides(bench: &Bench) -> Result<(), String> {
    let person = Person::log_in("wren", 3)?;
    root(&[env!("CARGO_BIN_EXE_placid-mantle"), "setup", "--install", "--helper", "1209:0a01"])?;
    person.comes_to_the_front(3)?;
    let mut pad = plug("harbour-panel", "lab-1")?;
    let mouse = plug("gull-mouse", "lab-2")?;
    let before = rights("lab-1")?;
    wait_for("the right to it", || {
        let list = listed(bench, &person).ok()?;
        list.iter().any(|line| line.contains("1209:0a01")).then_some(())
    })?;

    // Only who sits there can have anything done, and nobody can with a mouse.
    let me = std::env::current_exe().map_err(|error| error.to_string())?.display().to_string();
    let (own, mice) = (number("lab-1")?, number("lab-2")?);
    let numbers = [own.to_string(), mice.to_string(), "999999".into()];
    let answers = |command: &mut Command| -> Result<Vec<String>, String> {
        let output = command.output().map_err(|error| error.to_string())?;
        Ok(String::from_utf8_lossy(&output.stdout).lines().map(str::to_owned).collect())
    };
    let refused = |operation, errno| format!("{:?}", Ok::<_, ()>(Answer::Refused(Refused { operation, errno })));
    let (gone, not_yours, no_pad) =
        (refused(Operation::Finding, 19), refused(Operation::Asking, 13), refused(Operation::Asking, 1));
    let mut stranger = Command::new("setpriv");
    stranger.args(["--reuid=65534", "--regid=65534", "--clear-groups", &me, "--ask-helper"]).args(&numbers);
    let said = answers(&mut stranger)?;
    let wanted = [&not_yours, &not_yours, &not_yours, &not_yours, &gone, &gone].map(String::clone);
    if said != wanted {
        return Err(format!("a stranger is answered {said:?}, not {wanted:?}"));
    }
    let mut of_mouse = person.command(&me, &["--ask-helper", &mice.to_string()]);
    let said = answers(&mut of_mouse)?;
    if said != [no_pad.clone(), no_pad] {
        return Err(format!("who asks for a mouse is answered {said:?}"));
    }
    if rights("lab-1")? != before {
        return Err("what was refused has changed something".into());
    }
    drop(mouse);

    // Hidden, it plays, through a descriptor that was handed out; their game lists only the pad, even if it had the device before.
    let mut running = bench.game(Some(person.uid.parse().map_err(|_| "no number")?))?;
    let list = running.list()?;
    if list.len() != 1 || !list[0].contains("1209:0a01") {
        return Err(format!("before it is hidden a game lists {list:?}"));
    }
    let mut engine = starts(&person)?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("Harbour panel is covered"))?;
    bench::reads(&engine, 1)?;
    press(&mut pad, &mut engine)?;
    let list = listed(bench, &person)?;
    if list.len() != 1 || list[0].contains("1209:0a01") {
        return Err(format!("a game lists {list:?}"));
    }

    wait_for("the game that runs to see the pad alone", || {
        running.list().ok().filter(|list| list.len() == 1 && !list[0].contains("1209:0a01"))
    })
    .map_err(|why| format!("{why}: {:?}", running.list()))?;

    // Plugged in again it is hidden from the first moment on, and plays in its slot.
    drop(pad);
    engine.wait("the loss", |line| line.contains("Harbour panel is gone"))?;
    let mut pad = plug("harbour-panel", "lab-1")?;
    engine.wait("its return", |line| line.contains("Harbour panel is covered"))?;
    bench::reads(&engine, 1)?;
    press(&mut pad, &mut engine)?;
    for list in [listed(bench, &person)?, running.list()?] {
        if list.len() != 1 || list[0].contains("1209:0a01") {
            return Err(format!("plugged in again, a game lists {list:?}"));
        }
    }

    // What is hidden for a running engine is not something left behind, and is not reported as nothing.
    let said = root(&[env!("CARGO_BIN_EXE_placid-mantle"), "uncover", "--all"])?;
    if !said.contains("belongs to a running engine")
        || listed(bench, &person)?.iter().any(|line| line.contains("1209:0a01"))
    {
        return Err(format!("uncover --all beside a run: {said}"));
    }

    // The helper is killed: what it had hidden is taken over by the next one, and plays on.
    root(&["kill", "-9", &helper_pid()?])?;
    wait_for("another helper", || helper_pid().ok().filter(|pid| pid != "0"))?;
    press(&mut pad, &mut engine)?;
    let list = listed(bench, &person)?;
    if list.iter().any(|line| line.contains("1209:0a01")) {
        return Err(format!("after the helper was killed a game lists {list:?}"));
    }

    // The engine is killed: everything is as it was.
    engine.signal("KILL");
    engine.end()?;
    wait_for("everything to be as before", || {
        (left_behind().is_empty() && rights("lab-1").is_ok_and(|now| now == before)).then_some(())
    })
    .map_err(|why| format!("{why}: {before:?}; now {:?}, {:?}", rights("lab-1"), left_behind()))?;

    // Whoever logs out holds nothing any more, not even a descriptor.
    let mut engine = starts(&person)?;
    engine.wait("the cover", |line| line.contains("Harbour panel is covered"))?;
    bench::reads(&engine, 1)?;
    press(&mut pad, &mut engine)?;
    root(&["systemctl", "stop", "session-wren.service"])?;
    engine.wait("the loss", |line| {
        line.contains("Harbour panel is gone") || line.contains("may not read") || line.contains("no longer there")
    })?;
    wait_for("nothing to be left", || left_behind().is_empty().then_some(()))?;
    // The loss is reported by the engine's thread; the device's own writer may still be ending.
    let table = format!("/proc/{}/fd", engine.pid());
    let read = || -> std::io::Result<Option<PathBuf>> {
        let mut open = std::fs::read_dir(&table)?.flatten().filter_map(|entry| std::fs::read_link(entry.path()).ok());
        Ok(open.find(|path| path.to_string_lossy().starts_with("/dev/hidraw")))
    };
    wait_for("the engine to read nothing", || read().is_ok_and(|path| path.is_none()).then_some(()))
        .map_err(|why| format!("{why}: logged out, it has {:?} open", read()))?;
    engine.signal("TERM");
    engine.end()?;

    // Taken away, nothing of it is left.
    root(&[env!("CARGO_BIN_EXE_placid-mantle"), "setup", "--undo"])?;
    let left = [
        SOCKET,
        "/etc/systemd/system/placid-mantle-helper.socket",
        "/etc/systemd/system/placid-mantle-helper.service",
        "/usr/local/lib/placid-mantle/placid-mantle-helper",
        "/etc/placid-mantle/devices",
    ];
    match left.into_iter().find(|path| Path::new(path).exists()) {
        Some(path) => Err(format!("{path} is still there")),
        None => Ok(()),
    }
}
