//! An ordinary account in a real login session, after one `setup`: the engine from login on, without a window.

use crate::bench::{self, Bench};
use mantle_files::shipped;
use mantle_lab::{Reader, StandIn, wait_for};
use rustix::ioctl::{IntegerSetter, ioctl};
use std::fs;
use std::path::Path;
use std::process::Command;

/// `VT_ACTIVATE` of linux/vt.h.
const VT_ACTIVATE: rustix::ioctl::Opcode = 0x5606;
/// The session of somebody who sits at the machine.
const SESSION: &str = "[Unit]\nAfter=systemd-logind.service\n[Service]\nUser=pad\nPAMName=login\nTTYPath=/dev/tty1\n\
    TTYReset=yes\nStandardInput=tty-force\nStandardOutput=null\nExecStart=/bin/sleep 100000\n";

/// A command as root.
fn root(line: &[&str]) -> Result<String, String> {
    run(Command::new(line[0]).args(&line[1..]))
}

fn run(command: &mut Command) -> Result<String, String> {
    let shown = format!("{command:?}");
    let output = command.output().map_err(|error| format!("{shown}: {error}"))?;
    let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
    if output.status.success() { Ok(said) } else { Err(format!("{shown}: {}: {said}", output.status)) }
}

/// The person.
struct Person {
    uid: String,
}

impl Person {
    /// A command of theirs, in their session.
    fn command(&self, program: &str, arguments: &[&str]) -> Command {
        let runtime = format!("/run/user/{}", self.uid);
        let mut command = Command::new("setpriv");
        command.args(["--reuid=pad", "--regid=pad", "--init-groups"]).arg(program).args(arguments);
        command.env("XDG_RUNTIME_DIR", &runtime).env("DBUS_SESSION_BUS_ADDRESS", format!("unix:path={runtime}/bus"));
        command.env("HOME", "/home/pad").env_remove("XDG_CONFIG_HOME").current_dir("/");
        command
    }

    fn mantle(&self, arguments: &[&str]) -> Result<String, String> {
        run(&mut self.command(env!("CARGO_BIN_EXE_placid-mantle"), arguments))
    }

    fn systemctl(&self, arguments: &[&str]) -> Result<String, String> {
        run(self.command("systemctl", &["--user"]).args(arguments))
    }

    /// Waits until the engine's status says something.
    fn status(&self, words: &str) -> Result<String, String> {
        let mut last = String::new();
        wait_for(&format!("the status to say {words}"), || {
            last = self.mantle(&["status"]).unwrap_or_else(|why| why);
            last.contains(words).then(|| last.clone())
        })
        .map_err(|why| format!("{why}; it says:\n{last}"))
    }
}

fn activate(vt: usize) -> Result<(), String> {
    let tty = fs::File::options().read(true).write(true).open("/dev/tty0").map_err(|error| error.to_string())?;
    // SAFETY: the request takes a number and changes no memory of ours.
    unsafe { ioctl(&tty, IntegerSetter::<VT_ACTIVATE>::new_usize(vt)) }.map_err(|error| format!("VT_ACTIVATE: {error}"))
}

fn press(pad: &mut StandIn, game: &mut Reader) -> Result<(), String> {
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    pad.send(0, &bench::bytes("01 80 80 80"))?;
    game.lines.wait("South down", |line| line.starts_with("button ") && line.ends_with(" a 1"))?;
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    game.lines.wait("South up", |line| line.starts_with("button ") && line.ends_with(" a 0"))?;
    Ok(())
}

pub fn from_login_on(bench: &Bench) -> Result<(), String> {
    root(&["useradd", "-m", "-s", "/bin/bash", "pad"])?;
    let person = Person { uid: root(&["id", "-u", "pad"])?.trim().to_owned() };
    root(&[env!("CARGO_BIN_EXE_placid-mantle"), "setup", "1209:0a01"])?;
    fs::write("/run/systemd/system/session.service", SESSION).map_err(|error| error.to_string())?;
    root(&["systemctl", "daemon-reload"])?;
    root(&["systemctl", "start", "session.service"])?;
    wait_for("an active session at the seat", || {
        let said = root(&["loginctl", "show-seat", "seat0", "-p", "ActiveSession", "--value"]).ok()?;
        (!said.trim().is_empty()).then_some(())
    })?;
    let may = || root(&["getfacl", "-p", "/dev/uinput"]).is_ok_and(|said| said.contains("user:pad:rw-"));
    wait_for("the right to make pads", || may().then_some(()))?;
    wait_for("the person's service manager", || person.systemctl(&["show-environment"]).ok())?;

    let said = person.mantle(&["service", "install"])?;
    if !said.contains("runs from login on") {
        return Err(said);
    }
    let mut pad =
        StandIn::plug(&shipped::device("harbour-panel").map_err(|fault| fault.to_string())?, "lab-1", Some("S1"))?;
    person.status("Harbour panel")?;
    let mut game = bench.game(None)?;
    game.added()?;
    wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    press(&mut pad, &mut game)?;

    // Another session comes to the front: what is pressed there is not for this one's pads.
    activate(2)?;
    person.status("Another login session is in front")?;
    let from = game.lines.said.len();
    for report in ["00 80 80 80", "02 80 80 80", "00 80 80 80"] {
        pad.send(0, &bench::bytes(report))?;
    }
    activate(1)?;
    let mut gone = String::new();
    wait_for("the session to be back", || {
        gone = person.mantle(&["status"]).unwrap_or_else(|why| why);
        (!gone.contains("Another login session")).then_some(())
    })?;
    press(&mut pad, &mut game)?;
    if let Some(line) = game.lines.said[from..].iter().find(|line| line.contains(" b 1")) {
        return Err(format!("while another session was in front a game got {line}"));
    }

    // Killed, it is started again, and the slot is the device's still.
    let property = |name: &str| {
        let said = person.systemctl(&["show", "placid-mantle.service", "-p", name, "--value"])?;
        Ok::<String, String>(said.trim().to_owned())
    };
    let first = property("MainPID")?;
    root(&["kill", "-9", &first])?;
    wait_for("a restart", || (property("NRestarts").ok()?.as_str() == "1").then_some(()))?;
    wait_for("another process", || property("MainPID").ok().filter(|pid| *pid != first && pid != "0"))?;
    let mut status = String::new();
    wait_for("its answer", || {
        status = person.mantle(&["status", "--json"]).ok()?;
        status.contains("\"Harbour panel\"").then_some(())
    })?;
    if !status.contains("\"slots\":[{\"number\":1,\"devices\":[\"Harbour panel\"]") {
        return Err(format!("the slot is not what it was: {status}"));
    }
    game.added()?;
    wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    press(&mut pad, &mut game)?;

    let said = person.mantle(&["service", "status"])?;
    for word in ["at login: enabled", "now: active"] {
        if !said.contains(word) {
            return Err(format!("service status does not say {word}:\n{said}"));
        }
    }
    person.mantle(&["service", "remove"])?;
    if Path::new("/home/pad/.config/systemd/user/placid-mantle.service").exists() {
        return Err("the unit is left behind".into());
    }
    game.lines.wait("the pad to go", |line| line.starts_with("removed "))?;
    match person.mantle(&["status"]) {
        Err(why) if why.contains("no engine runs for this account") => Ok(()),
        other => Err(format!("the engine runs on: {other:?}")),
    }
}
