//! Covering: what a game loses and keeps, and that rights come back whatever happens.

use crate::bench::{self, Bench, PLAYER};
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn};
use std::path::Path;
use std::process::Command;

/// Names of the nodes of the HID device at a port, hidraw first.
pub fn nodes(port: &str) -> Vec<String> {
    let all = mantle_linux::scan::hidraw_nodes(Path::new("/sys"));
    let found = all.into_iter().find(|node| node.identity.port.as_deref() == Some(port));
    found.map(|node| std::iter::once(node.path).chain(node.inputs).collect()).unwrap_or_default()
}

/// Mode, owner and access list of each node of a device, without its number.
pub fn rights(port: &str) -> Result<Vec<String>, String> {
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

/// A controller that types as well: while it plays nobody hears its keys, and during a pause they are the system's at once.
pub fn sides(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("reed-keypad").map_err(|fault| fault.to_string())?;
    let _keypad = StandIn::plug(&file, "lab-1", Some("K1"))?;
    let all = || -> Vec<String> {
        let found = mantle_linux::scan::hidraw_nodes(Path::new("/sys")).into_iter();
        let own = found.filter(|node| node.identity.port.as_deref() == Some("lab-1"));
        own.flat_map(|node| std::iter::once(node.path).chain(node.inputs)).collect()
    };
    mantle_lab::wait_for("its nodes", || (all().len() >= 5).then_some(()))?;
    let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
    // A game of the player's can open an event node; what types belongs to root, or to the group that may read input.
    let open = || -> Vec<(String, u32)> {
        use std::os::unix::fs::MetadataExt;
        let mode = |node: String| Some((node.clone(), std::fs::metadata(node).ok()?.mode() & 0o777));
        all().into_iter().filter_map(mode).filter(|(_, mode)| *mode != 0).collect()
    };
    let before = open().len();
    let home = bench.home();
    let with = bench.served(&home)?;
    let mut engine = Lines::start(&mut with(&["serve"]))?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("Reed keypad is covered"))?;
    let covered = || (all().len() == before && open().is_empty()).then_some(());
    let said = |why: String| format!("{why}: {before} nodes before, open now: {:?}", open());
    mantle_lab::wait_for("all of it to be covered", covered).map_err(said)?;
    for (rest, play) in [(vec!["let-go"], vec!["resume"]), (vec!["pause", "1"], vec!["resume", "1"])] {
        let status = with(&rest).status().map_err(|error| error.to_string())?;
        if !status.success() {
            return Err(format!("{rest:?} ended with {status}"));
        }
        mantle_lab::wait_for("all of it to be given back", || (open().len() == before).then_some(())).map_err(said)?;
        let _ = with(&play).status();
        mantle_lab::wait_for("all of it to be covered again", covered).map_err(said)?;
    }
    bench::end(engine)?;
    if open().len() == before { Ok(()) } else { Err(format!("after the end: {:?}", open())) }
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
    if engine.said.iter().any(|line| line.contains("is the only mouse")) {
        return Err("there is another mouse".into());
    }
    drop(other);
    engine.wait("the system has it again", |line| line.contains("Gull mouse is the only mouse now"))?;
    mantle_lab::wait_for("its nodes", || (nodes("lab-1").len() >= 2).then_some(()))?;
    bench::end(engine)
}

/// The only mouse, to which somebody has agreed: held, so that nothing reaches the pointer, never hidden, and free when its engine is killed.
pub fn only_mouse(bench: &Bench) -> Result<(), String> {
    let file = shipped::device("gull-mouse").map_err(|fault| fault.to_string())?;
    let mut mouse = StandIn::plug(&file, "lab-1", Some("M1"))?;
    let event = mantle_lab::wait_for("the nodes of a mouse", || {
        nodes("lab-1").into_iter().find(|node| node.starts_with("/dev/input/event"))
    })?;
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let key = "name = \"Gull mouse\"\nbus = 3\nvendor = 0x1209\nproduct = 0x0a0c\nserial = \"M1\"\nport = \"lab-1\"\npart = 0\n";
    let text = format!(
        "version = 1\n[[slot]]\nnumber = 1\nkind = \"common\"\nprofile = \"plain\"\n[[slot.device]]\n{key}[[pointers]]\n{key}"
    );
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    let before = rights("lab-1")?;
    let held = |so: bool| {
        let what = if so { "it to be held" } else { "it to be free" };
        mantle_lab::wait_for(what, || (mantle_linux::sight::probe(&event) == Some(so)).then_some(()))
    };
    held(false)?;
    for kill in ["TERM", "KILL"] {
        let mut engine = bench.engine(&home)?;
        bench::pad(&mut engine, 1)?;
        engine.wait("the hold", |line| line.contains("Gull mouse is held"))?;
        held(true)?;
        if rights("lab-1")? != before || !left_behind().is_empty() {
            return Err("it is hidden, and was to be held".into());
        }
        mantle_lab::wait_for("the engine to listen", || mouse.is_open(0).then_some(()))?;
        for _ in 0..20 {
            mouse.send(0, &[0, 40, 0, 0])?;
        }
        engine.wait("the right stick", |line| line.contains("slot 1 ") && line.contains("abs:0x03="))?;
        // The chord on the mouse itself.
        mouse.send(0, &[0b11, 0, 0, 0])?;
        engine.wait("everything let go", |line| line.contains("everything is let go"))?;
        // Whether it is free can be tried once nothing is down on it.
        mouse.send(0, &[0, 0, 0, 0])?;
        held(false)?;
        mouse.send(0, &[0b11, 0, 0, 0])?;
        engine.wait("everything to play again", |line| line.contains("pads play again"))?;
        mouse.send(0, &[0, 0, 0, 0])?;
        held(true)?;
        engine.signal(kill);
        engine.end()?;
        held(false)?;
    }
    Ok(())
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

/// Who is killed.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Victim {
    Engine,
    Guard,
    Both,
}

/// What is left of ours in `/run`.
pub fn left_behind() -> Vec<&'static str> {
    let files = ["/run/placid-mantle/ledger.json", "/run/udev/rules.d/71-placid-mantle.rules"];
    files.into_iter().filter(|path| Path::new(path).exists()).collect()
}

fn is_clean(before: &(Vec<String>, Vec<String>)) -> Result<(), String> {
    match left_behind() {
        left if left.is_empty() => same(before),
        left => Err(format!("{left:?} is still there")),
    }
}

fn kill(pid: &str, signal: &str) {
    let _ = Command::new("kill").args([&format!("-{signal}"), pid]).status();
}

/// A guard holds nothing of its engine's, and nothing that ends an engine ends it.
fn guard_stands_alone(guard: &str) -> Result<(), String> {
    let open = std::fs::read_dir(format!("/proc/{guard}/fd")).map_err(|error| error.to_string())?.flatten();
    let open: Vec<String> = open
        .filter_map(|entry| std::fs::read_link(entry.path()).ok())
        .map(|path| path.display().to_string())
        .filter(|path| !(path == "/dev/null" || path.starts_with("socket:") || path == "/run/placid-mantle"))
        .filter(|path| !path.starts_with("pipe:"))
        .collect();
    if !open.is_empty() {
        return Err(format!("the guard holds {open:?}"));
    }
    ["HUP", "INT", "QUIT", "TERM", "PIPE"].iter().for_each(|signal| kill(guard, signal));
    let stat = std::fs::read_to_string(format!("/proc/{guard}/stat")).map_err(|error| error.to_string())?;
    let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
    if fields.first() == Some(&"Z") || fields.get(3) != Some(&guard) {
        return Err(format!("the guard has ended, or has no session of its own: {stat}"));
    }
    Ok(())
}

/// Kills at a step of covering, or of giving back, and waits for what must follow.
fn killed(
    bench: &Bench,
    step: &str,
    victim: Victim,
    before: &(Vec<String>, Vec<String>),
    nth: usize,
) -> Result<(), String> {
    let home = home_with_second_left(bench)?;
    let mut command = bench.command(&home, None, &["run", "--headless"]);
    let mut engine = Lines::start(command.env("PLACID_MANTLE_PAUSE_AT", step))?;
    let gives_back = ["unruled", "read again", "restored"].contains(&step);
    if gives_back {
        engine.wait("the cover", |line| line.contains("Quay pad is covered"))?;
        engine.signal("TERM");
    }
    let said = engine.wait("the step", |line| line.starts_with(&format!("paused at {step} (process ")))?;
    let guard = said.trim_end_matches(')').rsplit(' ').next().unwrap_or_default().to_owned();
    guard_stands_alone(&guard)?;
    let gone = || (!Path::new(&format!("/proc/{guard}")).exists()).then_some(());
    match victim {
        Victim::Engine => {
            engine.signal("KILL");
            engine.end()?;
            mantle_lab::wait_for("the guard to give everything back, and to end", gone)?;
        }
        Victim::Guard => {
            kill(&guard, "KILL");
            if !gives_back {
                engine.wait("another guard", |line| line.contains("Quay pad is covered"))?;
                engine.signal("TERM");
            }
            engine.end()?;
        }
        Victim::Both => {
            engine.signal("STOP");
            kill(&guard, "KILL");
            engine.signal("KILL");
            engine.end()?;
            if left_behind().is_empty() {
                return Err("nobody was left to undo it, and it is undone: this proves nothing".into());
            }
            if nth.is_multiple_of(2) { next_start(bench)? } else { uncover(bench)? }
        }
    }
    is_clean(before)
}

/// The next start: it undoes first, reports that, and then is ended.
fn next_start(bench: &Bench) -> Result<(), String> {
    let mut engine = bench.bare_engine(&bench.home())?;
    engine.wait("word of the repair", |line| line.contains("left covered were uncovered"))?;
    bench::pad(&mut engine, 1)?;
    bench::end(engine)
}

fn uncover(bench: &Bench) -> Result<(), String> {
    let mut uncover = Lines::start(&mut bench.command(&bench.home(), None, &["uncover", "--all"]))?;
    let status = uncover.end()?;
    if status.success() { Ok(()) } else { Err(format!("uncover --all ended with {status}: {:?}", uncover.said)) }
}

/// Engine, guard, or both, killed at each step; more rounds where there is time.
pub fn killed_everywhere(bench: &Bench) -> Result<(), String> {
    let (_one, _two) = twins()?;
    let before = (rights("lab-1")?, rights("lab-2")?);
    let rounds = if std::env::var_os("MANTLE_LONG").is_some() { 9 } else { 1 };
    let mut points = 0;
    for round in 0..rounds {
        for (at, step) in mantle_helper::hider::POINTS.iter().enumerate() {
            for victim in [Victim::Engine, Victim::Guard, Victim::Both] {
                killed(bench, step, victim, &before, round + at)
                    .map_err(|why| format!("{victim:?} killed at {step}: {why}"))?;
                points += 1;
            }
        }
    }
    println!("NOTE killed at {points} points: everything as before");
    let list = listed(bench)?;
    if list.contains(&event_of("lab-1")) {
        Ok(())
    } else {
        Err(format!("a game does not find the device again: {list:?}"))
    }
}

/// The guard of an engine.
fn guard_of(engine: u32) -> Result<String, String> {
    let children = std::fs::read_dir("/proc").into_iter().flatten().flatten().filter_map(|entry| {
        let stat = std::fs::read_to_string(entry.path().join("stat")).ok()?;
        let parent = stat.rsplit(')').next()?.split_whitespace().nth(1)?.parse::<u32>().ok()?;
        let arguments = std::fs::read(entry.path().join("cmdline")).ok()?;
        (parent == engine && arguments.ends_with(b"\0guard\0"))
            .then(|| entry.file_name().to_string_lossy().into_owned())
    });
    children.into_iter().next().ok_or_else(|| "the engine has no guard".into())
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
    let guard = guard_of(engine.pid())?;
    engine.signal("STOP");
    kill(&guard, "KILL");
    engine.signal("KILL");
    engine.end()?;
    drop(pad);
    mantle_lab::wait_for("the nodes to go", || nodes("lab-1").is_empty().then_some(()))?;
    let _pad = plug()?;
    if rights("lab-1")? == before {
        return Err("the rule did not outlive the engine: this proves nothing".into());
    }
    uncover(bench)?;
    let after = rights("lab-1")?;
    if after == before { Ok(()) } else { Err(format!("rights before:\n{before:#?}\nafter:\n{after:#?}")) }
}
