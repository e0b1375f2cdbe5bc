//! Flight sticks of several shapes, from the slots file: every control by the event node and by a game library, and nothing else moves.

use crate::bench::{self, Bench};
use mantle_files::DeviceFile;
use mantle_lab::{RawPad, Reader, StandIn, Tmux};
use std::fmt::Write;
use std::path::PathBuf;
use std::process::Command;

/// A device, and the stick that plays it.
struct Flown {
    buttons: usize,
    hats: usize,
    /// Whether a file of the person's own says what it is.
    own: bool,
    /// The stick's axes: the usage page and usage of the device's, the name, the event code, and whether it rests in its middle.
    axes: &'static [Axis],
}

type Axis = (u8, u8, &'static str, u16, bool);

const AXES: [Axis; 11] = [
    (1, 0x30, "X", 0, true),
    (1, 0x31, "Y", 1, true),
    (1, 0x32, "Z", 2, true),
    (1, 0x33, "Rx", 3, true),
    (1, 0x34, "Ry", 4, true),
    (1, 0x35, "Rz", 5, true),
    (1, 0x36, "throttle", 6, false),
    (2, 0xba, "rudder", 7, true),
    (2, 0xc8, "wheel", 8, true),
    (2, 0xc4, "gas", 9, false),
    (2, 0xc5, "brake", 10, false),
];

impl Flown {
    fn device(&self) -> Result<DeviceFile, String> {
        let mut hex =
            format!("05 01 09 04 a1 01 05 09 19 01 29 {:02x} 15 00 25 01 75 01 95 {0:02x} 81 02 ", self.buttons);
        let rest = (8 - self.buttons % 8) % 8;
        if rest > 0 {
            let _ = write!(hex, "75 {rest:02x} 95 01 81 03 ");
        }
        for _ in 0..self.hats {
            hex.push_str("05 01 09 39 15 00 25 07 75 08 95 01 81 42 ");
        }
        for (page, usage, ..) in self.axes {
            let _ = write!(hex, "05 {page:02x} 09 {usage:02x} 15 00 26 ff 00 75 08 95 01 81 02 ");
        }
        let text = format!(
            "version = 1\nname = \"Flown\"\nvendor = 0x1209\nproduct = 0x0b06\n[[interface]]\nrate = 100\ndescriptor = '''\n{hex}c0\n'''\n"
        );
        DeviceFile::parse("flown.device.toml", &text).map_err(|fault| fault.to_string())
    }

    /// Everything at rest.
    fn resting(&self) -> Vec<u8> {
        let mut report = vec![0; self.buttons.div_ceil(8)];
        report.extend(vec![8; self.hats]);
        report.extend(self.axes.iter().map(|(.., centred)| if *centred { 0x80 } else { 0 }));
        report
    }

    /// A home whose slot 1 is this stick.
    fn home(&self, bench: &Bench) -> Result<PathBuf, String> {
        if self.own {
            let home = home_of(bench, "own pad", "pad = \"console\"\n")?;
            let mut text = "version = 1\nname = \"Harbour console\"\nlike = \"flight stick\"\ntitle = \"Harbour console\"\nnumbered = false\n\
                vendor = 0x1209\nproduct = 0x9b01\nrevision = 3\n"
                .to_owned();
            (1..=self.buttons).for_each(|n| text += &format!("[[button]]\ntarget = \"button {n}\"\n"));
            self.axes.iter().for_each(|(_, _, name, ..)| text += &format!("[[axis]]\naxis = \"{name}\"\n"));
            (1..=self.hats).for_each(|n| text += &format!("[[hat]]\nhat = {n}\n"));
            let pads = home.join(".config/placid-mantle/pads");
            std::fs::create_dir_all(&pads).map_err(|error| error.to_string())?;
            std::fs::write(pads.join("console.pad.toml"), text).map_err(|error| error.to_string())?;
            return Ok(home);
        }
        let names: Vec<String> = self.axes.iter().map(|(_, _, name, ..)| format!("\"{name}\"")).collect();
        let shape = format!("axes = [{}]\nbuttons = {}\nhats = {}\n", names.join(", "), self.buttons, self.hats);
        home_of(bench, "flight stick", &shape)
    }
}

fn home_of(bench: &Bench, kind: &str, shape: &str) -> Result<PathBuf, String> {
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let text = format!(
        "version = 1\n[[slot]]\nnumber = 1\nkind = \"{kind}\"\n{shape}[[slot.device]]\nname = \"Flown\"\nbus = 3\n\
         vendor = 0x1209\nproduct = 0x0b06\nserial = \"F1\"\n"
    );
    std::fs::write(directory.join("slots.toml"), text).map_err(|error| error.to_string())?;
    Ok(home)
}

/// A report makes the node and the game report exactly this; and then all of it is undone.
fn moves(
    (pad, raw, game): (&mut StandIn, &mut RawPad, &mut Reader),
    what: &str,
    (report, resting): (&[u8], &[u8]),
    event: (u16, u16, i32),
    line: &str,
) -> Result<(), String> {
    pad.send(0, report)?;
    let frame = raw.frame(what)?;
    if frame != [event] {
        return Err(format!("{what}: the node says {frame:?}, not {event:?}"));
    }
    if !line.is_empty() {
        game.lines.wait(&format!("{what}: {line}"), |said| said == line)?;
    }
    pad.send(0, resting)?;
    let back = raw.frame(&format!("{what}, back"))?;
    if back != [(event.0, event.1, 0)] {
        return Err(format!("{what}, back: the node says {back:?}"));
    }
    Ok(())
}

fn flies(bench: &Bench, flown: &Flown) -> Result<(), String> {
    let mut pad = StandIn::plug(&flown.device()?, "lab-1", Some("F1"))?;
    let mut engine = bench.bare_engine(&flown.home(bench)?)?;
    let node = bench::pad(&mut engine, 1)?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    let said = Command::new("udevadm").args(["info", "--query=property", &format!("--name={node}")]).output();
    let said =
        said.map(|output| String::from_utf8_lossy(&output.stdout).into_owned()).map_err(|error| error.to_string())?;
    if !said.lines().any(|line| line == "ID_INPUT_JOYSTICK=1") {
        return Err(format!("udev does not tag it as a joystick:\n{said}"));
    }
    if flown.own {
        let name = node.rsplit('/').next().unwrap_or_default().to_owned();
        let device = std::path::Path::new("/sys/class/input").join(name).join("device");
        let of = |what: &str| std::fs::read_to_string(device.join(what)).unwrap_or_default().trim().to_owned();
        let said = ["name", "id/vendor", "id/product", "id/version"].map(of);
        if said != ["Harbour console", "1209", "9b01", "0003"] {
            return Err(format!("the system is told {said:?}"));
        }
    }
    let mut game = bench.game(None)?;
    game.lines.say("open")?;
    // The game library overlooks gas and brake of whatever has more than one hat (2.26, measured); the event node has them all the same.
    let is_seen = |code: u16| flown.hats < 2 || ![9, 10].contains(&code);
    let seen = flown.axes.iter().filter(|(.., code, _)| is_seen(*code)).count();
    let shape = format!("shape {node} {seen} axes {} buttons {} hats", flown.buttons, flown.hats);
    game.lines.wait(&shape, |line| line == shape)?;
    game.lines.wait("all are open", |line| line == "opened")?;
    let mut raw = RawPad::open(&node)?;
    let resting = flown.resting();
    pad.send(0, &resting)?;
    for n in 0..flown.buttons {
        let mut report = resting.clone();
        report[n / 8] |= 1 << (n % 8);
        let code = if n < 16 { 0x120 + n as u16 } else { 0x2c0 + n as u16 - 16 };
        let what = format!("button {}", n + 1);
        moves((&mut pad, &mut raw, &mut game), &what, (&report, &resting), (1, code, 1), &format!("joybutton {n} 1"))?;
    }
    for hat in 0..flown.hats {
        for (at, axis, value, way) in [(0, 1, -1, 1), (2, 0, 1, 2), (4, 1, 1, 4), (6, 0, -1, 8)] {
            let mut report = resting.clone();
            report[flown.buttons.div_ceil(8) + hat] = at;
            let event = (3, 0x10 + 2 * hat as u16 + axis, value);
            let (what, line) = (format!("hat {} at {at}", hat + 1), format!("joyhat {hat} {way}"));
            moves((&mut pad, &mut raw, &mut game), &what, (&report, &resting), event, &line)?;
        }
    }
    for (n, (_, _, name, code, centred)) in flown.axes.iter().enumerate() {
        let mut report = resting.clone();
        let place = flown.buttons.div_ceil(8) + flown.hats + n;
        report[place] = 0xff;
        let number = flown.axes[..n].iter().filter(|(.., code, _)| is_seen(*code)).count();
        let told = |value: i32| if is_seen(*code) { format!("joyaxis {number} {value}") } else { String::new() };
        let line = told(32767);
        moves((&mut pad, &mut raw, &mut game), name, (&report, &resting), (3, *code, 32767), &line)?;
        if *centred {
            report[place] = 0;
            let line = told(-32768);
            moves((&mut pad, &mut raw, &mut game), name, (&report, &resting), (3, *code, -32768), &line)?;
        }
    }
    bench::end(engine)
}

pub fn smallest(bench: &Bench) -> Result<(), String> {
    flies(bench, &Flown { own: false, buttons: 2, hats: 0, axes: &AXES[..2] })
}

pub fn forty(bench: &Bench) -> Result<(), String> {
    let file = mantle_files::shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let _beside = StandIn::plug(&file, "lab-2", Some("Q1"))?;
    flies(bench, &Flown { own: false, buttons: 40, hats: 2, axes: &AXES[..8] })
}

/// A person's own pad: 50 buttons, 9 axes, 4 hats, with its own name and ids.
pub fn own_pad(bench: &Bench) -> Result<(), String> {
    let flown = Flown { own: true, buttons: 50, hats: 4, axes: &AXES[..9] };
    flies(bench, &flown)?;
    // A file that is saved while it runs is another pad at once.
    let home = flown.home(bench)?;
    let file = home.join(".config/placid-mantle/pads/console.pad.toml");
    let _pad = StandIn::plug(&flown.device()?, "lab-1", Some("F1"))?;
    let mut engine = bench.bare_engine(&home)?;
    bench::pad(&mut engine, 1)?;
    let text = std::fs::read_to_string(&file).map_err(|error| error.to_string())?;
    std::fs::write(&file, text.replace("revision = 3", "revision = 4")).map_err(|error| error.to_string())?;
    engine.wait("a word about it", |line| line.contains("the file of its pad Harbour console has changed"))?;
    let node = bench::pad(&mut engine, 1)?;
    let name = node.rsplit('/').next().unwrap_or_default().to_owned();
    let version = std::path::Path::new("/sys/class/input").join(name).join("device/id/version");
    match std::fs::read_to_string(version).unwrap_or_default().trim() {
        "0004" => bench::end(engine),
        other => Err(format!("its version is {other}")),
    }
}

pub fn largest(bench: &Bench) -> Result<(), String> {
    flies(bench, &Flown { own: false, buttons: 56, hats: 4, axes: &AXES })
}

/// A slot of keys alone gets no pad; the next slot gets one all the same.
pub fn keys_alone(bench: &Bench) -> Result<(), String> {
    let flown = Flown { own: false, buttons: 8, hats: 1, axes: &AXES[..2] };
    let file = mantle_files::shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let mut pad = StandIn::plug(&flown.device()?, "lab-1", Some("F1"))?;
    let _other = StandIn::plug(&file, "lab-2", Some("Q1"))?;
    let mut engine = bench.bare_engine(&home_of(bench, "keys", "")?)?;
    bench::pad(&mut engine, 2)?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    pad.send(0, &flown.resting())?;
    let sys = std::fs::read_dir("/sys/devices/virtual/input").map_err(|error| error.to_string())?;
    let names = sys.flatten().filter_map(|entry| std::fs::read_to_string(entry.path().join("name")).ok());
    let ours: Vec<String> =
        names.map(|name| name.trim().to_owned()).filter(|name| name.starts_with("Placid Mantle")).collect();
    if ours != ["Placid Mantle pad 2"] {
        return Err(format!("the nodes of ours are {ours:?}"));
    }
    bench::end(engine)
}

/// The event node of the system's node of this name, once there is exactly one.
pub fn node_named(name: &str) -> Result<String, String> {
    mantle_lab::wait_for(&format!("the node {name}"), || {
        let all = std::fs::read_dir("/sys/class/input").ok()?;
        let own = all.flatten().filter(|entry| {
            let said = std::fs::read_to_string(entry.path().join("device/name")).unwrap_or_default();
            entry.file_name().to_string_lossy().starts_with("event") && said.trim() == name
        });
        let own: Vec<_> = own.map(|entry| format!("/dev/input/{}", entry.file_name().to_string_lossy())).collect();
        let [node] = own.as_slice() else { return None };
        std::fs::metadata(node).is_ok().then(|| node.clone())
    })
}

fn is_there(name: &str) -> bool {
    let all = std::fs::read_dir("/sys/class/input").into_iter().flatten().flatten();
    all.filter_map(|entry| std::fs::read_to_string(entry.path().join("device/name")).ok()).any(|own| own.trim() == name)
}

/// Two kinds at once: a flight stick and a common pad. During play the stick becomes a common pad: its node disappears, another one comes and shows
/// what is held, and the pad beside it keeps its node. Undone, the stick is back.
pub fn changed(bench: &Bench) -> Result<(), String> {
    let flown = Flown { own: false, buttons: 8, hats: 1, axes: &AXES[..2] };
    let file = mantle_files::shipped::device("quay-pad").map_err(|fault| fault.to_string())?;
    let mut stick = StandIn::plug(&flown.device()?, "lab-1", Some("F1"))?;
    let mut beside = StandIn::plug(&file, "lab-2", Some("Q1"))?;
    let home = flown.home(bench)?.display().to_string();
    let environment = [("LC_ALL", "C.UTF-8"), ("HOME", home.as_str()), ("NO_COLOR", "1")];
    let program = format!("{} run --bare", env!("CARGO_BIN_EXE_placid-mantle"));
    let tmux = Tmux::start("kinds", (160, 46), &environment, &program)?;
    let mut raw = RawPad::open(&node_named("Placid Mantle stick 1")?)?;
    let mut other = RawPad::open(&node_named("Placid Mantle pad 2")?)?;
    for device in [&stick, &beside] {
        mantle_lab::wait_for("the engine to listen", || device.is_open(0).then_some(()))?;
    }
    let resting = flown.resting();
    let pressed: Vec<u8> = std::iter::once(1).chain(resting[1..].iter().copied()).collect();
    // At rest its hat says nothing: whatever the first report shows, nothing else counts but its buttons.
    let quay = |buttons: &str| bench::bytes(&format!("01 {buttons} 80 80 80 80 80 00 00"));
    let says = |raw: &mut RawPad, what: &str, wanted: (u16, u16, i32)| match raw.frame(what)? {
        frame if frame == [wanted] => Ok(()),
        frame => Err(format!("{what}: the node says {frame:?}, not {wanted:?}")),
    };
    stick.send(0, &resting)?;
    beside.send(0, &quay("00"))?;
    stick.send(0, &pressed)?;
    says(&mut raw, "button 1 of the stick", (1, 0x120, 1))?;
    beside.send(0, &quay("01"))?;
    says(&mut other, "button 1 of the pad beside it", (1, 0x130, 1))?;
    // The other kinds: motion, keys alone, and then the common pad.
    tmux.keys(&["1", "P", "K", "k", "k", "k"])?;
    tmux.wait("the question", |screen| screen.contains("Running games see the pad disappear and another appear:"))?;
    tmux.keys(&["Enter"])?;
    tmux.wait("the change", |screen| screen.contains("slot 1 plays as a common pad now; u undoes it"))?;
    let mut pad = RawPad::open(&node_named("Placid Mantle pad 1")?)?;
    if is_there("Placid Mantle stick 1") {
        return Err("the stick is there still".into());
    }
    // What is held is reported again with the next report, whatever the pad is by then.
    stick.send(0, &resting)?;
    stick.send(0, &pressed)?;
    mantle_lab::wait_for("button 1 as South", || {
        let frame = pad.within(std::time::Duration::from_millis(100)).ok()??;
        (frame == [(1, 0x130, 1)]).then_some(())
    })?;
    beside.send(0, &quay("00"))?;
    says(&mut other, "the pad beside it, let go", (1, 0x130, 0))?;
    tmux.keys(&["u"])?;
    tmux.wait("the stick", |screen| screen.contains("undone: slot 1 plays as a common pad now"))?;
    let mut raw = RawPad::open(&node_named("Placid Mantle stick 1")?)?;
    stick.send(0, &resting)?;
    stick.send(0, &pressed)?;
    mantle_lab::wait_for("button 1 of the stick again", || {
        let frame = raw.within(std::time::Duration::from_millis(100)).ok()??;
        (frame == [(1, 0x120, 1)]).then_some(())
    })?;
    if is_there("Placid Mantle pad 1") {
        return Err("the common pad is there still".into());
    }
    Ok(())
}
