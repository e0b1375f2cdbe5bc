//! A game pad by radio: the real Bluetooth daemon, the kernel's own stack, and a pad that is software at the other end of the air. Six pairings, by
//! the command that people and scripts use; what counts is that its button reaches the virtual pad in a game's library.

use crate::bench::{self, Bench};
use mantle_lab::{Lines, PeerLine, Reader, join_air, wait_for};
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

const NAME: &str = "Buoy radio pad";
const REST: &str = "report 00000880808080";
const SOUTH: &str = "report 01000880808080";
/// What the emulated machine may take for a pairing.
const PAIRS: Duration = Duration::from_secs(150);

fn run(program: &str, arguments: &[&str]) -> Result<(), String> {
    let status = Command::new(program).args(arguments).status().map_err(|error| format!("{program}: {error}"))?;
    if status.success() { Ok(()) } else { Err(format!("{program} {arguments:?}: {status}")) }
}

/// The bus, the controller, the daemon.
fn begin() -> Result<(Lines, PeerLine), String> {
    crate::motion_cases::find_modules()?;
    run("modprobe", &["hci_vhci"])?;
    run("modprobe", &["hidp"])?;
    let make = |path: &str| std::fs::create_dir_all(path).map_err(|error| format!("{path}: {error}"));
    make("/run/dbus")?;
    let _ = std::fs::remove_dir_all("/var/lib/bluetooth");
    make("/var/lib/bluetooth")?;
    run("dbus-daemon", &["--system", "--fork"])?;
    join_air()?;
    let mut daemon = Lines::start(Command::new("/usr/libexec/bluetooth/bluetoothd").arg("-n"))?;
    daemon.wait("the daemon", |line| line.contains("management interface"))?;
    wait_for("a controller", || Path::new("/sys/class/bluetooth/hci0").exists().then_some(()))?;
    Ok((daemon, PeerLine::open()?))
}

/// A run of the verb: its lines as they come.
struct Verb(Lines);

impl Verb {
    fn wait(&mut self, what: &str, words: &[&str]) -> Result<String, String> {
        let until = Instant::now() + PAIRS;
        loop {
            match self.0.wait(what, |line| words.iter().any(|word| line.contains(word))) {
                Ok(line) => return Ok(line),
                Err(why) if Instant::now() > until || why.contains("ended") => {
                    return Err(format!("{why}: {:?}", self.0.said));
                }
                Err(_) => {}
            }
        }
    }

    fn end(mut self, code: i32, words: &str) -> Result<(), String> {
        self.wait("the end", &[words]).map_err(|why| format!("{why}: {:?}", self.0.said))?;
        let status = self.0.end()?;
        if status.code() == Some(code) { Ok(()) } else { Err(format!("{status}: {:?}", self.0.said)) }
    }
}

const THERE: &str = "is ready: press something on it";

/// The device comes. If its services were looked for before its keys were stored (somebody types slowly), the daemon makes no input device of it, and
/// its link is connecting again: the software controller may miss that the computer has ended it, so the pad ends it as well.
fn comes(mut verb: Verb, peer: &mut PeerLine) -> Result<(), String> {
    while verb.wait("it to come", &[THERE, "connecting again"])?.contains("connecting again") {
        peer.tell("drop")?;
    }
    verb.0.end().map(drop)
}

/// A press that reaches the game, and is released there. The device is covered first: meanwhile its node is opened again, and what is down when it is
/// opened does not count.
fn press(engine: &mut Lines, peer: &mut PeerLine, game: &mut Reader, instance: i32) -> Result<(), String> {
    let covered = format!("{NAME} is covered");
    engine.wait("it to be covered", |line| line.contains(&covered))?;
    bench::reads(engine, 1)?;
    peer.tell(REST)?;
    peer.tell(SOUTH)?;
    game.lines.wait("its button in the game", |line| line == format!("button {instance} a 1"))?;
    peer.tell(REST)?;
    game.lines.wait("it to be let go", |line| line == format!("button {instance} a 0")).map(drop)
}

pub fn real(bench: &Bench) -> Result<(), String> {
    let (mut daemon, mut peer) = begin()?;
    // What happened at the other end, and in the daemon, is printed with any failure.
    walk(bench, &mut peer).map_err(|why| {
        daemon.until_quiet(Duration::from_millis(200));
        let last = |all: &[String], most: usize| all[all.len().saturating_sub(most)..].join("\n    ");
        format!("{why}\nthe pad told:\n    {}\nthe daemon:\n    {}", last(&peer.said, 30), last(&daemon.said, 40))
    })
}

fn walk(bench: &Bench, peer: &mut PeerLine) -> Result<(), String> {
    let home = bench.home();
    let with = bench.served(&home)?;
    let mut engine = Lines::start(&mut with(&["serve"]))?;
    engine.wait("the engine", |line| line.contains("screens and scripts"))?;
    let verb = |more: &[&str]| -> Result<Verb, String> {
        let arguments: Vec<&str> = ["connect", NAME, "--for", "90"].iter().chain(more).copied().collect();
        Ok(Verb(Lines::start(&mut with(&arguments))?))
    };
    let ask = |arguments: &[&str]| -> Result<String, String> {
        let output = with(arguments).output().map_err(|error| error.to_string())?;
        let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        if output.status.success() { Ok(said) } else { Err(format!("{arguments:?}: {said}")) }
    };
    let forget = |peer: &mut PeerLine| -> Result<(), String> {
        ask(&["connect", NAME, "--for", "60", "--forget"])?;
        // The software controller misses the end of a link that was taken up from its list of known devices, so the pad ends it, too.
        peer.tell("drop")?;
        peer.tell("forget")
    };

    // Refused by the pad: said, with what to do.
    peer.tell("refuse on")?;
    verb(&[])?.end(1, "answers but does not pair: it refuses")?;
    peer.tell("refuse off")?;

    // Nothing is asked: it is found, paired, trusted, linked, there; its button reaches a game.
    comes(verb(&[])?, peer)?;
    let path = bench::pad(&mut engine, 1)?;
    let mut game = bench.game(None)?;
    let instance = wait_for("our pad in the game", || {
        let line = game.lines.wait("a controller", |line| line.starts_with("added ")).ok()?;
        let mut words = line.split(' ').skip(1);
        let instance: i32 = words.next()?.parse().ok()?;
        (words.nth(1) == Some(path.as_str())).then_some(instance)
    })?;
    press(&mut engine, peer, &mut game, instance)?;
    let json = ask(&["connect", "--json", "--for", "2"])?;
    if !json.contains("\"battery\": 77") && !json.contains("\"battery\":77") {
        return Err(format!("its battery is not known: {json}"));
    }

    // Its link goes with a button held: nothing stays pressed; it comes back to the same slot by itself.
    peer.tell(SOUTH)?;
    game.lines.wait("its button", |line| line == format!("button {instance} a 1"))?;
    peer.tell("drop")?;
    game.lines.wait("nothing to stay pressed", |line| line == format!("button {instance} a 0"))?;
    engine.wait("it to be kept", |line| line.contains("slot 1 is kept"))?;
    let until = Instant::now() + PAIRS;
    while let Err(why) = engine.wait("it to come back", |line| line.contains(NAME) && line.contains("sits in slot 1")) {
        if Instant::now() > until {
            return Err(format!("{why}; the pad told {:?}", peer.said));
        }
    }
    press(&mut engine, peer, &mut game, instance)?;
    if game.lines.said.contains(&format!("removed {instance}")) {
        return Err("the game has lost the pad".into());
    }
    forget(peer)?;

    // A code that is shown here and typed there.
    peer.tell("io keyboard")?;
    peer.tell("mitm on")?;
    let mut shown = verb(&[])?;
    let line = shown.wait("a code", &["Type "])?;
    let code = line.split(' ').nth(1).ok_or("no code")?.to_owned();
    peer.tell(&format!("passkey {}", code.trim_start_matches('0')))?;
    comes(shown, peer)?;
    press(&mut engine, peer, &mut game, instance)?;
    forget(peer)?;

    // Two codes that are compared: the same at both ends.
    peer.tell("io yesno")?;
    let mut compared = verb(&["--yes"])?;
    let line = compared.wait("a code", &["shows a code"])?;
    let told = peer.said.iter().rev().find(|line| line.contains("compares")).cloned();
    let told = match told {
        Some(told) => told,
        None => peer.wait("its code", |line| line.contains("compares").then(|| line.to_owned()))?,
    };
    let ours: String = line.chars().filter(char::is_ascii_digit).collect();
    if !told.contains(&ours) {
        return Err(format!("{line}, but {told}"));
    }
    comes(compared, peer)?;
    press(&mut engine, peer, &mut game, instance)?;
    forget(peer)?;
    bench::end(engine)
}
