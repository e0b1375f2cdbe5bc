//! Around playing: the setup's rule, possible homes, and the screen over real devices.

use crate::bench::{self, Bench, PLAYER};
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn, Tmux};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::Command;

fn plug(name: &str, port: &str) -> Result<StandIn, String> {
    let file = shipped::device(name).map_err(|fault| fault.to_string())?;
    StandIn::plug(&file, port, Some(port))
}

fn hidraw_of(port: &str) -> Option<String> {
    let all = mantle_linux::scan::hidraw_nodes(Path::new("/sys"));
    all.into_iter().find(|node| node.identity.port.as_deref() == Some(port)).map(|node| node.path)
}

/// Whether udev has tagged a node for the person who sits at the machine.
fn is_tagged(node: &str) -> bool {
    let said = Command::new("udevadm").args(["info", "--query=property", &format!("--name={node}")]).output();
    let said = said.map(|output| String::from_utf8_lossy(&output.stdout).into_owned()).unwrap_or_default();
    said.lines().any(|line| line.starts_with("CURRENT_TAGS=") && line.contains(":uaccess:"))
}

fn run_to_end(bench: &Bench, account: Option<u32>, arguments: &[&str]) -> Result<(i32, String), String> {
    let mut lines = Lines::start(&mut bench.command(&bench.home(), account, arguments))?;
    let status = lines.end()?;
    Ok((status.code().unwrap_or(-1), lines.said.join("\n")))
}

pub fn setup(bench: &Bench) -> Result<(), String> {
    let rule = Path::new("/etc/udev/rules.d/70-placid-mantle.rules");
    let _named = plug("quay-pad", "lab-1")?;
    let _other = plug("harbour-panel", "lab-2")?;
    // What one of our motion pads looks like to udev.
    let _ours = plug("harbour-panel", "placid-mantle/1")?;
    let named = mantle_lab::wait_for("a node", || hidraw_of("lab-1"))?;
    let other = mantle_lab::wait_for("a node", || hidraw_of("lab-2"))?;
    let ours = mantle_lab::wait_for("a node", || crate::motion_cases::our_hidraw_now("placid-mantle/"))?;
    let (code, said) = run_to_end(bench, Some(PLAYER), &["setup", "1209:0a02"])?;
    if code != 0 || rule.exists() || !said.contains("EACCES") || !said.contains("sudo placid-mantle setup --install") {
        return Err(format!("as an ordinary account ({code}): {said}"));
    }
    let (code, said) = run_to_end(bench, None, &["setup", "1209:0a02"])?;
    if code != 0 || rule.exists() || !said.contains("1209:0A02") && !said.contains("1209:0a02") {
        return Err(format!("as root it prints and changes nothing; exit {code}: {said}"));
    }
    let (code, said) = run_to_end(bench, None, &["setup", "--install", "1209:0a02"])?;
    if code != 0 || !said.contains("Installed /etc/udev/rules.d/70-placid-mantle.rules") {
        return Err(format!("as root ({code}): {said}"));
    }
    let nodes = ["/dev/uinput", "/dev/uhid", &named, &ours];
    mantle_lab::wait_for("the nodes to be tagged", || nodes.into_iter().all(is_tagged).then_some(()))
        .map_err(|why| format!("{why}; {:?}", nodes.map(|node| (node, is_tagged(node)))))?;
    if is_tagged(&other) {
        return Err("a device that nobody named is tagged as well".into());
    }
    let (code, said) = run_to_end(bench, None, &["setup", "--undo"])?;
    if code != 0 || rule.exists() {
        return Err(format!("undone ({code}): {said}"));
    }
    mantle_lab::wait_for("the tags to go", || (!nodes.into_iter().any(is_tagged)).then_some(()))
}

/// A slots file that cannot be read is reported and left alone, and the device plays all the same.
pub fn damaged_slots(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let (file, text) = (directory.join("slots.toml"), "version = 1\n[[slot]\nnumber = 3 # mine\n");
    std::fs::write(&file, text).map_err(|error| error.to_string())?;
    let _pad = plug("quay-pad", "lab-1")?;
    let mut engine = bench.bare_engine(&home)?;
    let line = engine.wait("a word about the file", |line| line.contains("the file is left alone"))?;
    if !line.contains("slots.toml:2:") {
        return Err(format!("it does not point: {line}"));
    }
    bench::pad(&mut engine, 1)?;
    bench::end(engine)?;
    let after = std::fs::read_to_string(&file).map_err(|error| error.to_string())?;
    if after == text { Ok(()) } else { Err(format!("the file was changed:\n{after}")) }
}

/// The Quay pad is pressed, and its pad with it.
fn plays(pad: &mut StandIn, engine: &mut Lines) -> Result<(), String> {
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    pad.send(0, &bench::bytes("01 00 80 80 80 80 80 00 00"))?;
    pad.send(0, &bench::bytes("01 01 80 80 80 80 80 00 00"))?;
    engine.wait("South", |line| line.contains("slot 1 key:0x130=1")).map(drop)
}

/// A configuration directory that may not be written to only costs remembering slots.
pub fn read_only_home(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let closed = home.join(".config");
    std::fs::create_dir_all(&closed).map_err(|error| error.to_string())?;
    std::fs::set_permissions(&closed, std::fs::Permissions::from_mode(0o555)).map_err(|error| error.to_string())?;
    let mut pad = plug("quay-pad", "lab-1")?;
    let node = mantle_lab::wait_for("a node", || hidraw_of("lab-1"))?;
    let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
    for path in [node.as_str(), "/dev/uinput"] {
        let allow = Command::new("setfacl").args(["-m", &format!("u:{PLAYER}:rw"), path]).status();
        if !allow.is_ok_and(|status| status.success()) {
            return Err("setfacl failed".into());
        }
    }
    let mut engine = Lines::start(&mut bench.command(&home, Some(PLAYER), &["run", "--headless"]))?;
    let mut refused = None;
    engine.wait("the pad", |line| {
        refused = refused.clone().or_else(|| line.contains("slots are not saved").then(|| line.to_owned()));
        line.contains("slot 1: its pad is ready")
    })?;
    let refused = match refused {
        Some(line) => line,
        None => engine.wait("a word about saving", |line| line.contains("slots are not saved"))?,
    };
    if !refused.contains("Permission denied") || !refused.contains("slots.toml") {
        return Err(format!("it does not say what was refused: {refused}"));
    }
    plays(&mut pad, &mut engine)?;
    bench::end(engine)?;
    let _ = Command::new("setfacl").args(["-b", "/dev/uinput"]).status();
    Ok(())
}

/// A full disk costs what would be new, and nothing that was saved before.
pub fn full_disk(bench: &Bench) -> Result<(), String> {
    let home = bench.home();
    let disk = home.join(".config");
    std::fs::create_dir_all(&disk).map_err(|error| error.to_string())?;
    let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", "size=64k", "none"]).arg(&disk).status();
    if !mounted.is_ok_and(|status| status.success()) {
        return Err("no disk of its own can be mounted".into());
    }
    let result = on_a_full_disk(bench, &home, &disk);
    let _ = Command::new("umount").arg("-l").arg(&disk).status();
    result
}

fn on_a_full_disk(bench: &Bench, home: &Path, disk: &Path) -> Result<(), String> {
    let file = disk.join("placid-mantle/slots.toml");
    let mut pad = plug("quay-pad", "lab-1")?;
    let mut engine = bench.bare_engine(home)?;
    bench::pad(&mut engine, 1)?;
    bench::end(engine)?;
    let before = std::fs::read(&file).map_err(|error| format!("{}: {error}", file.display()))?;
    // Until nothing more has room.
    let mut filler = std::fs::File::create(disk.join("filler")).map_err(|error| error.to_string())?;
    while std::io::Write::write_all(&mut filler, &[0; 1024]).is_ok() {}
    let mut engine = bench.bare_engine(home)?;
    bench::pad(&mut engine, 1)?;
    let _other = plug("harbour-panel", "lab-2")?;
    let refused = engine.wait("a word about saving", |line| line.contains("slots are not saved"))?;
    if !refused.contains("No space left on device") || !refused.contains("slots.toml") {
        return Err(format!("it does not say what was refused: {refused}"));
    }
    plays(&mut pad, &mut engine)?;
    bench::end(engine)?;
    if std::fs::read(&file).map_err(|error| error.to_string())? != before {
        return Err("what was saved before is not there any more".into());
    }
    let left: Vec<_> =
        std::fs::read_dir(disk.join("placid-mantle")).map_err(|error| error.to_string())?.flatten().collect();
    match left.iter().find(|entry| entry.file_name().to_string_lossy().contains(".writing-")) {
        Some(half) => Err(format!("half a file is left behind: {half:?}")),
        None => Ok(()),
    }
}

/// The same screen over real devices: it stays without uinput, says so, and continues by itself when that is mended.
pub fn screen(bench: &Bench) -> Result<(), String> {
    let away = Path::new("/dev/uinput.away");
    std::fs::rename("/dev/uinput", away).map_err(|error| error.to_string())?;
    let result = screen_without_uinput(bench, away);
    if away.exists() {
        std::fs::rename(away, "/dev/uinput").map_err(|error| error.to_string())?;
    }
    result
}

fn screen_without_uinput(bench: &Bench, away: &Path) -> Result<(), String> {
    let home = bench.home().display().to_string();
    let environment = [("LC_ALL", "C.UTF-8"), ("HOME", home.as_str()), ("NO_COLOR", "1")];
    let program = env!("CARGO_BIN_EXE_placid-mantle");
    let tmux = Tmux::start("real", (160, 46), &environment, &format!("{program} run"))?;
    tmux.wait("no controller is connected", |screen| {
        screen.contains("No device is connected") || screen.contains("no connected device is a game controller")
    })?;
    let mut pad = plug("quay-pad", "lab-1")?;
    tmux.wait("the cause and the remedy", |screen| {
        screen.contains("Slot 1 stops at Pad") && screen.contains("ENOENT") && screen.contains("modprobe uinput")
    })?;
    std::fs::rename(away, "/dev/uinput").map_err(|error| error.to_string())?;
    tmux.wait("the pad, made by itself", |screen| {
        screen.contains("Slot 1 has not been tried") && screen.contains("covered")
    })?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    pad.send(0, &bench::bytes("01 00 80 80 80 80 80 00 00"))?;
    pad.send(0, &bench::bytes("01 01 80 80 80 80 80 00 00"))?;
    let screen = tmux.wait("South on the board", |screen| {
        screen.contains("All is well: slot 1 plays") && screen.lines().any(|line| line.contains("South"))
    })?;
    if !screen.contains("Quay pad") || !screen.contains("sees pad 1") {
        return Err(format!("the row is not whole:\n{screen}"));
    }
    drop(pad);
    tmux.wait("the slot to be kept", |screen| screen.contains("Slot 1 is kept for Quay pad"))?;
    tmux.keys(&["q"])?;
    tmux.wait("the question", |screen| screen.contains("1 pad is in use"))?;
    tmux.keys(&["y"])?;
    tmux.wait("the end", |screen| screen.contains("[ended 0]"))?;
    for path in ["/run/placid-mantle/ledger.json", "/run/udev/rules.d/71-placid-mantle.rules"] {
        if Path::new(path).exists() {
            return Err(format!("{path} is left behind"));
        }
    }
    Ok(())
}
