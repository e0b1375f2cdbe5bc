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
/// The session of somebody who sits at the machine, at this terminal.
fn session(name: &str, terminal: u8) -> String {
    format!(
        "[Unit]\nAfter=systemd-logind.service\n[Service]\nUser={name}\nPAMName=login\nTTYPath=/dev/tty{terminal}\n\
         TTYReset=yes\nStandardInput=tty-force\nStandardOutput=null\nExecStart=/bin/sleep 100000\n"
    )
}

/// A command as root.
pub fn root(line: &[&str]) -> Result<String, String> {
    run(Command::new(line[0]).args(&line[1..]))
}

fn run(command: &mut Command) -> Result<String, String> {
    let shown = format!("{command:?}");
    let output = command.output().map_err(|error| format!("{shown}: {error}"))?;
    let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
    if output.status.success() { Ok(said) } else { Err(format!("{shown}: {}: {said}", output.status)) }
}

/// The person.
pub struct Person {
    name: &'static str,
    pub uid: String,
}

impl Person {
    /// Somebody logs in at a terminal, and their engine may make pads once their session is in front.
    pub fn log_in(name: &'static str, terminal: u8) -> Result<Self, String> {
        root(&[env!("CARGO_BIN_EXE_placid-mantle"), "setup", "--install", "1209:0a01"])?;
        if root(&["id", "-u", name]).is_err() {
            root(&["useradd", "-m", "-s", "/bin/bash", name])?;
        }
        let person = Self { name, uid: root(&["id", "-u", name])?.trim().to_owned() };
        let unit = format!("session-{name}.service");
        fs::write(format!("/run/systemd/system/{unit}"), session(name, terminal)).map_err(|error| error.to_string())?;
        root(&["systemctl", "daemon-reload"])?;
        root(&["systemctl", "start", &unit])?;
        wait_for("the person's service manager", || person.systemctl(&["show-environment"]).ok())?;
        Ok(person)
    }

    /// Their session is in front.
    pub fn comes_to_the_front(&self, terminal: usize) -> Result<(), String> {
        activate(terminal)?;
        let has = format!("user:{}:rw-", self.name);
        let may = || root(&["getfacl", "-p", "/dev/uinput"]).is_ok_and(|said| said.contains(&has));
        wait_for("the right to make pads", || may().then_some(()))
    }

    /// Their engine plays.
    fn plays(&self) -> Result<(), String> {
        wait_for(&format!("the engine of {} to play", self.name), || {
            let said = self.mantle(&["status"]).ok()?;
            let rests = said.contains("has the devices") || said.contains("Another login session");
            (!rests && said.contains("Harbour panel")).then_some(())
        })
    }

    /// A command of theirs, in their session.
    pub fn command(&self, program: &str, arguments: &[&str]) -> Command {
        let runtime = format!("/run/user/{}", self.uid);
        let mut command = Command::new("setpriv");
        let ids = ["--reuid", "--regid"].map(|id| format!("{id}={}", self.name));
        command.args(ids).arg("--init-groups").arg(program).args(arguments);
        command.env("XDG_RUNTIME_DIR", &runtime).env("DBUS_SESSION_BUS_ADDRESS", format!("unix:path={runtime}/bus"));
        command.env("HOME", format!("/home/{}", self.name)).env_remove("XDG_CONFIG_HOME").current_dir("/");
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

/// A button is pressed; returns which of the game's controllers that was.
fn press(pad: &mut StandIn, game: &mut Reader) -> Result<String, String> {
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    pad.send(0, &bench::bytes("01 80 80 80"))?;
    let down = |line: &str| line.starts_with("button ") && line.ends_with(" a 1");
    let line = game.lines.wait("South down", down)?;
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    game.lines.wait("South up", |line| line.starts_with("button ") && line.ends_with(" a 0"))?;
    line.split(' ').nth(1).map(str::to_owned).ok_or(line)
}

/// The system's journal, which the guest starts without.
fn start_journal() -> Result<(), String> {
    for unit in ["systemd-journald.service", "systemd-journald.socket", "systemd-journald-dev-log.socket"] {
        let _ = fs::remove_file(Path::new("/run/systemd/system").join(unit));
    }
    root(&["systemd-machine-id-setup"])?;
    root(&["systemctl", "daemon-reload"])?;
    root(&["systemctl", "start", "systemd-journald.socket", "systemd-journald.service"]).map(drop)
}

pub fn from_login_on(bench: &Bench) -> Result<(), String> {
    start_journal()?;
    let person = Person::log_in("pad", 1)?;
    person.comes_to_the_front(1)?;

    let said = person.mantle(&["service", "install"])?;
    if !said.contains("starts at login") {
        return Err(said);
    }
    let mut pad =
        StandIn::plug(&shipped::device("harbour-panel").map_err(|fault| fault.to_string())?, "lab-1", Some("S1"))?;
    person.status("Harbour panel")?;
    let mut game = bench.game(None)?;
    game.added()?;
    wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    press(&mut pad, &mut game)?;

    // What it says is in the journal, each fact in a field of its own.
    let mut journal = String::new();
    wait_for("the journal", || {
        let entries = ["journalctl", "_SYSTEMD_USER_UNIT=placid-mantle.service", "MANTLE_MARK=well", "-o", "json"];
        journal = root(&entries).unwrap_or_else(|why| why);
        journal.contains("Harbour panel sits in slot 1").then_some(())
    })
    .map_err(|why| {
        let all = root(&["journalctl", "-n", "60", "--no-pager"]).unwrap_or_else(|why| why);
        format!("{why}: {journal}; all of it:\n{all}\n{:?}", person.systemctl(&["status", "placid-mantle", "-n", "30"]))
    })?;
    if !journal.contains("MANTLE_AT") || !journal.contains("The engine runs at normal priority") {
        return Err(format!("the journal lacks something: {journal}"));
    }

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

    // Killed, it is started again, and the slot still belongs to the device.
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
        Err(why) if why.contains("no engine is running for this account") => Ok(()),
        other => Err(format!("the engine runs on: {other:?}")),
    }
}

/// Two people, each with an engine from login on: the one whose session is in front plays, with the same device.
pub fn two_accounts(bench: &Bench) -> Result<(), String> {
    let first = Person::log_in("pad", 1)?;
    first.comes_to_the_front(1)?;
    first.mantle(&["service", "install"])?;
    let mut pad =
        StandIn::plug(&shipped::device("harbour-panel").map_err(|fault| fault.to_string())?, "lab-1", Some("S1"))?;
    first.plays()?;
    let mut game = bench.game(None)?;
    game.added()?;
    wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    let of_first = press(&mut pad, &mut game)?;

    // The other one is not in front: their engine runs, and rests.
    let second = Person::log_in("mate", 2)?;
    second.mantle(&["service", "install"])?;
    second.status("Another login session is in front")?;
    second.comes_to_the_front(2)?;
    first.status("Another login session is in front")?;
    second.plays()?;
    game.added()?;
    let of_second = press(&mut pad, &mut game)?;
    if of_first == of_second {
        return Err(format!("controller {of_first} plays for both"));
    }

    // And back.
    first.comes_to_the_front(1)?;
    first.plays()?;
    if press(&mut pad, &mut game)? != of_first {
        return Err("the first session does not play by its own pad".into());
    }
    for person in [&second, &first] {
        person.mantle(&["service", "remove"])?;
    }
    Ok(())
}
