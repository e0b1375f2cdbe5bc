//! Devices whose kernel driver offers more than input: force feedback, lamps, a battery, and a node for their sensors.

use crate::bench::{self, Bench};
use crate::flight_cases::node_named;
use mantle_core::pad::{PadState, PadTarget};
use mantle_files::shipped;
use mantle_lab::{DrivenStandIn, InputFacts, InputStandIn, RawPad, Shaker, StandIn, wait_for};
use std::path::{Path, PathBuf};
use std::process::Command;

const ADDRESS: [u8; 6] = [0x02, 0x1a, 0x2b, 0x3c, 0x4d, 0x5e];
const UNIQ: &str = "02:1a:2b:3c:4d:5e";

/// One button of it is read from its reports, and nothing else is known about it: the rest is the driver's.
const SHEET: &str = "version = 1\nname = \"Driven\"\n[match]\nvendor = 0x054c\nproduct = 0x0ce6\n\
[[control]]\nname = \"below\"\nkind = \"button\"\nreport = 0x31\nat = 69\nsize = 1\nplays = \"South\"\n";

/// A home in which this device plays in slot 1 and the cellar pad, as a motion pad, in slot 2.
fn home(bench: &Bench) -> Result<PathBuf, String> {
    let home = bench.home();
    let directory = home.join("config/placid-mantle");
    std::fs::create_dir_all(directory.join("sheets")).map_err(|error| error.to_string())?;
    let cellar = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let slots = format!(
        "version = 1\n[[slot]]\nnumber = 1\n[[slot.device]]\nname = \"Driven\"\nbus = 5\nvendor = 0x054c\nproduct = 0x0ce6\n\
         serial = \"{UNIQ}\"\n[[slot]]\nnumber = 2\nkind = \"motion pad\"\n[[slot.device]]\nname = \"{}\"\nbus = 3\n\
         vendor = {}\nproduct = {}\nport = \"lab-1\"\n",
        cellar.name, cellar.vendor, cellar.product
    );
    std::fs::write(directory.join("slots.toml"), slots).map_err(|error| error.to_string())?;
    std::fs::write(directory.join("sheets/driven.sheet.toml"), SHEET).map_err(|error| error.to_string())?;
    Ok(home)
}

/// The modes of the event nodes whose device has this serial number.
fn modes(uniq: &str) -> Vec<u32> {
    use std::os::unix::fs::PermissionsExt;
    let class = Path::new("/sys/class/input");
    let all = std::fs::read_dir(class).into_iter().flatten().flatten();
    let own = all.filter(|entry| {
        let said = std::fs::read_to_string(entry.path().join("device/uniq")).unwrap_or_default();
        entry.file_name().to_string_lossy().starts_with("event") && said.trim() == uniq
    });
    let mode = |entry: std::fs::DirEntry| {
        let node = Path::new("/dev/input").join(entry.file_name());
        Some(std::fs::metadata(node).ok()?.permissions().mode() & 0o777)
    };
    own.filter_map(mode).collect()
}

/// A physical device with the ids of our motion pad, covered, while a motion pad of ours plays beside it: what games send to its own slot's pad
/// reaches it through the kernel's driver, and the cover never touches ours.
pub fn comes_back(bench: &Bench) -> Result<(), String> {
    crate::motion_cases::find_modules()?;
    let home = home(bench)?;
    let with = bench.served(&home)?;
    let ask = |arguments: &[&str]| -> Result<String, String> {
        let output = with(arguments).output().map_err(|error| error.to_string())?;
        let said = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        if output.status.success() { Ok(said) } else { Err(format!("{arguments:?}: {said}")) }
    };
    let device = DrivenStandIn::plug("Driven", "lab-9", ADDRESS)?;
    wait_for("its driver's nodes", || (modes(UNIQ).len() == 3).then_some(()))?;
    let file = shipped::device("cellar-pad").map_err(|fault| fault.to_string())?;
    let _other = StandIn::plug(&file, "lab-1", None)?;
    let mut engine = mantle_lab::Lines::start(&mut with(&["serve"]))?;
    let node = bench::pad(&mut engine, 1)?;
    bench::pad(&mut engine, 2)?;
    let line = engine.wait("the cover", |line| line.contains("Driven is covered"))?;
    let mut raw = RawPad::open(&node)?;
    device.show(&PadState::only(PadTarget::South, 1.0));
    wait_for("a press of it", || {
        let frame = raw.within(std::time::Duration::from_millis(100)).ok()??;
        frame.contains(&(1, 0x130, 1)).then_some(())
    })?;

    // The cover keeps games from the physical one and leaves ours alone, even if udev is told about everything again.
    let told = Command::new("udevadm").args(["trigger", "--action=add", "--subsystem-match=input"]).status();
    told.map_err(|error| error.to_string())?;
    let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
    let ours = mantle_core::pad::address_of(0, 2).map(|byte| format!("{byte:02x}")).join(":");
    let (covered, open) = (modes(UNIQ), modes(&ours));
    if covered.is_empty() || covered.iter().any(|mode| *mode != 0) {
        return Err(format!("the nodes of the covered device have the modes {covered:?}; {line}"));
    }
    if open.len() != 3 || open.contains(&0) {
        return Err(format!("the nodes of our own pad have the modes {open:?}"));
    }

    // Rumble: the game shakes the pad, the driver the device.
    let game = Shaker::open(&node)?;
    let effect = game.upload(0xffff, 0x8000, 300)?;
    game.play(effect)?;
    let shaken =
        |from: usize| -> Vec<[u16; 2]> { device.back()[from..].iter().filter_map(|back| back.rumble).collect() };
    wait_for("the rumble and its end", || {
        let all = shaken(0);
        let on = all.iter().position(|[strong, weak]| *strong > 0xf000 && (0x7000..0x9000).contains(weak))?;
        all[on..].contains(&[0, 0]).then_some(())
    })
    .map_err(|why| format!("{why}: {:?}", shaken(0)))?;

    // Lamps: a colour, the player, and dark.
    let light = |wanted: [u8; 3]| {
        wait_for("a colour", || {
            let colours: Vec<_> = device.back().iter().filter_map(|back| back.lamp.colour).collect();
            (colours.last() == Some(&wanted)).then_some(())
        })
        .map_err(|why| {
            format!("{why} {wanted:?}: {:?}", device.back().iter().map(|back| back.lamp).collect::<Vec<_>>())
        })
    };
    ask(&["lamp", "--slot", "1", "#204080"])?;
    light([0x20, 0x40, 0x80])?;
    let players = || device.back().iter().rev().find_map(|back| back.lamp.players);
    wait_for("the player's lamp", || (players()? & 0x1f == 1).then_some(()))
        .map_err(|why| format!("{why}: {:?}", players()))?;
    ask(&["lamp", "--slot", "1", "off"])?;
    wait_for("no player's lamp", || (players()? & 0x1f == 0).then_some(()))?;

    // The battery: the driver makes a power supply from the report.
    device.drain(0);
    wait_for("the warning", || ask(&["status"]).ok()?.contains("the battery of Driven is ").then_some(()))?;
    bench::end(engine)
}

/// Lamps of a device that `setup` was told about are lit by an ordinary account; those of any other belong to root.
pub fn lamps_are_open(bench: &Bench) -> Result<(), String> {
    use std::os::unix::fs::PermissionsExt;
    crate::motion_cases::find_modules()?;
    let lamp = || {
        let all = std::fs::read_dir("/sys/class/leds").into_iter().flatten().flatten().map(|entry| entry.path());
        all.into_iter().find(|lamp| {
            let below = std::fs::canonicalize(lamp).is_ok_and(|path| path.to_string_lossy().contains("/misc/uhid/"));
            below && lamp.join("multi_intensity").exists()
        })
    };
    let writable = |lamp: &Path| {
        let mode = |file: &str| std::fs::metadata(lamp.join(file)).map_or(0, |file| file.permissions().mode() & 0o222);
        ["brightness", "multi_intensity"].map(mode) == [0o222; 2]
    };
    let setup = |arguments: &[&str]| -> Result<(), String> {
        let mut setup = mantle_lab::Lines::start(&mut bench.command(&bench.home(), None, arguments))?;
        let status = setup.end()?;
        if status.success() { Ok(()) } else { Err(format!("{arguments:?}: {status}: {}", setup.said.join("\n"))) }
    };
    {
        let _device = DrivenStandIn::plug("Driven", "lab-9", ADDRESS)?;
        let lamp = wait_for("its lamp", lamp)?;
        let _ = Command::new("udevadm").args(["settle", "--timeout=30"]).status();
        if writable(&lamp) {
            return Err("a lamp that nobody has named is open".into());
        }
    }
    wait_for("it to go", || lamp().is_none().then_some(()))?;
    setup(&["setup", "--install", "054c:0ce6"])?;
    let device = DrivenStandIn::plug("Driven", "lab-9", ADDRESS)?;
    let lamp = wait_for("its lamp", lamp)?;
    wait_for("it to be open", || writable(&lamp).then_some(()))?;
    let lit = Command::new("setpriv")
        .args([format!("--reuid={}", bench::PLAYER), format!("--regid={}", bench::PLAYER), "--clear-groups".into()])
        .args(["sh", "-c", "echo 10 20 30 >multi_intensity && echo 255 >brightness"])
        .current_dir(&lamp)
        .status();
    if !lit.is_ok_and(|status| status.success()) {
        return Err("an ordinary account is refused".into());
    }
    wait_for("the colour", || {
        device.back().iter().filter_map(|back| back.lamp.colour).find(|colour| *colour == [10, 20, 30])
    })
    .map_err(|why| format!("{why}: {:?}", device.back().iter().map(|back| back.lamp).collect::<Vec<_>>()))?;
    setup(&["setup", "--undo"])
}

/// A node of axes alone that says it is an accelerometer: what it measures moves the pad of its slot.
pub fn accelerometer(bench: &Bench) -> Result<(), String> {
    crate::motion_cases::find_modules()?;
    let home = bench.home();
    let directory = home.join(".config/placid-mantle");
    std::fs::create_dir_all(&directory).map_err(|error| error.to_string())?;
    let slots = "version = 1\n[[slot]]\nnumber = 1\nkind = \"motion pad\"\n[[slot.device]]\nname = \"Sample node sensor\"\nbus = 17\n\
                 vendor = 0x1209\nproduct = 0x0a44\nport = \"lab/0a44\"\n";
    std::fs::write(directory.join("slots.toml"), slots).map_err(|error| error.to_string())?;
    let axes = [(0, -32_768, 32_767, 0), (1, -32_768, 32_767, 0), (2, -32_768, 32_767, 0)];
    let facts = InputFacts {
        name: "Sample node sensor",
        product: 0x0a44,
        keys: &[],
        rels: &[],
        axes: &axes,
        resolution: 1_000,
        properties: &[6],
    };
    let sensor = InputStandIn::plug(&facts)?;
    let mut engine = bench.bare_engine(&home)?;
    bench::pad(&mut engine, 1)?;
    let mut raw = RawPad::open(&node_named("Placid Mantle motion pad 1 Motion Sensors")?)?;
    // Half a g to the right, in the counts of the node; of the pad's, 8192 are one.
    let mut last = None;
    wait_for("what it measures", || {
        sensor.send(&[(3, 0, 500), (3, 1, 0), (3, 2, 0)]).ok()?;
        sensor.send(&[(3, 0, 499), (3, 1, 0), (3, 2, 0)]).ok()?;
        let frame = raw.within(std::time::Duration::from_millis(100)).ok()??;
        last = frame.iter().rfind(|(kind, code, _)| (*kind, *code) == (3, 0)).map(|(.., value)| *value).or(last);
        last.is_some_and(|value| (value - 4_096).abs() <= 64).then_some(())
    })
    .map_err(|why| format!("{why}; the last was {last:?}"))?;
    bench::end(engine)
}
