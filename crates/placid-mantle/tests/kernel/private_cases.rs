//! A game started with a `/dev` of its own, by an ordinary account: what it sees, what comes later, and that nothing is left of it.

use crate::bench::{self, Bench, PLAYER};
use crate::cover_cases::nodes;
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn, wait_for};
use std::path::Path;
use std::process::Command;

/// Ends the right to make pads with the case.
struct Allowed;

impl Allowed {
    fn player() -> Result<Self, String> {
        let allow = Command::new("setfacl").args(["-m", &format!("u:{PLAYER}:rw"), "/dev/uinput"]).status();
        if allow.is_ok_and(|status| status.success()) { Ok(Self) } else { Err("setfacl failed".into()) }
    }
}

impl Drop for Allowed {
    fn drop(&mut self) {
        let _ = Command::new("setfacl").args(["-b", "/dev/uinput"]).status();
    }
}

fn plug(device: &str, port: &str) -> Result<StandIn, String> {
    let device = StandIn::plug(&shipped::device(device).map_err(|fault| fault.to_string())?, port, Some(port))?;
    let is_reports = |node: &String| node.starts_with("/dev/hidraw");
    let node = wait_for("its reports' node", || nodes(port).into_iter().find(is_reports))?;
    let allow = Command::new("setfacl").args(["-m", &format!("u:{PLAYER}:rw"), &node]).status();
    if allow.is_ok_and(|status| status.success()) { Ok(device) } else { Err("setfacl failed".into()) }
}

/// What a game lists, by the ids of vendor and product.
fn listed(game: &mut Lines) -> Result<Vec<String>, String> {
    game.say("list")?;
    let from = game.said.len();
    game.wait("the list", |line| line == "listed")?;
    Ok(game.said[from..].iter().filter(|line| line.starts_with("joystick ")).cloned().collect())
}

fn has(list: &[String], ids: &str) -> bool {
    list.iter().any(|line| line.contains(ids))
}

/// The pad and no device, while others see both; a pad that comes later is there, too; the exit code is the game's, and the engine that was started
/// for it ends with it.
pub fn plays(bench: &Bench) -> Result<(), String> {
    let _allowed = Allowed::player()?;
    let mut one = plug("quay-pad", "lab-1")?;
    let home = bench.home();
    let run = home.join("run");
    std::fs::create_dir(&run).map_err(|error| error.to_string())?;
    std::os::unix::fs::chown(&run, Some(PLAYER), Some(PLAYER)).map_err(|error| error.to_string())?;
    std::fs::set_permissions(&run, std::os::unix::fs::PermissionsExt::from_mode(0o700))
        .map_err(|error| error.to_string())?;
    let reader = bench.reader().display().to_string();
    let play = |how: &[&str], arguments: &[&str]| {
        let all = [&["play"], how, &["--"], arguments].concat();
        let mut command = bench.command(&home, Some(PLAYER), &all);
        command.env("XDG_RUNTIME_DIR", &run);
        command
    };
    let mut game = Lines::start(&mut play(&["--private"], &[&reader]))?;
    game.wait("the game to be ready", |line| line == "ready")?;
    game.wait("a controller", |line| line.starts_with("added "))?;
    let mut others = bench.game(Some(PLAYER))?;
    let (inside, outside) = (listed(&mut game)?, others.list()?);
    let expected =
        inside.len() == 1 && has(&inside, "045e:028e") && has(&outside, "1209:0a02") && has(&outside, "045e:028e");
    if !expected {
        return Err(format!("inside {inside:?}, outside {outside:?}"));
    }
    // The one that is played with inside is the one that plays.
    wait_for("the engine to listen", || one.is_open(0).then_some(()))?;
    one.send(0, &bench::bytes("01 00 80 80 80 80 80 00 00"))?;
    for (report, value) in [("01 01 80 80 80 80 80 00 00", 1), ("01 00 80 80 80 80 80 00 00", 0)] {
        one.send(0, &bench::bytes(report))?;
        let pressed = game
            .wait("a press in the game", |line| line.starts_with("button ") && line.ends_with(&format!(" {value}")));
        pressed.map_err(|why| {
            let mut status = bench.command(&home, Some(PLAYER), &["status"]);
            let said = status
                .env("XDG_RUNTIME_DIR", &run)
                .output()
                .map(|said| String::from_utf8_lossy(&said.stdout).into_owned());
            format!("{why}; the engine says {said:?}")
        })?;
    }
    // A second player comes while it runs: their pad is there, their device is not.
    let two = plug("harbour-panel", "lab-2")?;
    game.wait("a second controller", |line| line.starts_with("added "))?;
    let inside = listed(&mut game)?;
    if inside.len() != 2 || has(&inside, "1209:0a01") || has(&inside, "1209:0a02") {
        return Err(format!("after a second device inside {inside:?}"));
    }
    // Gone, it is gone there, too.
    drop(two);
    game.say("quit")?;
    let status = game.end()?;
    if !status.success() {
        return Err(format!("it ended with {status}"));
    }
    wait_for("the engine to have ended", || (!run.join("placid-mantle/engine.sock").exists()).then_some(()))?;

    // What a game can name itself: no node of a device's reports, nothing to make pads with, and its own account without any further right.
    let script = "ls /dev/hidraw* /dev/uinput /dev/bus 2>/dev/null; ls /dev/input; id -u; grep -E 'CapEff|NoNewPrivs' /proc/self/status; \
                  head -c 4 /dev/zero | wc -c; exit 9";
    // Nobody hides devices here: the account gets such a /dev without asking, as the next strongest way, and is told.
    let output = play(&[], &["sh", "-c", script]).output().map_err(|error| error.to_string())?;
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    let lines: Vec<&str> = said.lines().collect();
    let names = |start: &str| lines.iter().filter(|line| line.starts_with(start)).count();
    let well = output.status.code() == Some(9)
        && names("/dev/") == 0
        && lines.contains(&"1000")
        && lines.contains(&"4")
        && said.contains("CapEff:\t0000000000000000")
        && said.contains("NoNewPrivs:\t1")
        && String::from_utf8_lossy(&output.stderr)
            .contains("can only be held here, not hidden, so the game gets a private /dev")
        && names("event") >= 1;
    if !well {
        return Err(format!("{}: {said}: {}", output.status, String::from_utf8_lossy(&output.stderr)));
    }
    let output = play(&["--shared"], &["sh", "-c", "ls /dev/uinput"]).output().map_err(|error| error.to_string())?;
    if output.stdout != b"/dev/uinput\n" {
        return Err(format!("shared: {}", String::from_utf8_lossy(&output.stderr)));
    }
    let pads: Vec<&str> = lines.iter().copied().filter(|line| line.starts_with("event")).collect();
    for pad in &pads {
        let name = std::fs::read_to_string(Path::new("/sys/class/input").join(pad).join("device/name"));
        // The engine and its pad are gone by now; what is still there is a mouse or a keyboard.
        if name.is_ok_and(|name| name.contains("Quay pad")) {
            return Err(format!("it saw {pads:?}, and one of them is the device"));
        }
    }
    Ok(())
}
