//! Sight compared with reality: a game library, udev's own tool and the kernel's open, in random situations.

use crate::bench::{self, Bench, PLAYER};
use mantle_files::shipped;
use mantle_lab::{InputFacts, InputStandIn, Reader, StandIn};
use serde_json::Value;
use std::collections::BTreeMap;
use std::process::Command;

/// What exists in every situation beside an engine's pads: HID devices of all kinds, and what other programs have made.
const DEVICES: [&str; 5] = ["quay-pad", "pilot-yoke", "gull-mouse", "orchard-mat", "cellar-pad"];

/// A pad, pedals without X and Y, and keys with some features of a joystick. No motion sensor: this version of the library takes those for joysticks
/// if udev runs, later ones do not.
fn made() -> Result<Vec<InputStandIn>, String> {
    let plain = InputFacts { name: "", product: 0, keys: &[], rels: &[], axes: &[], resolution: 0, properties: &[] };
    let stick: &[(u16, i32, i32, i32)] = &[(0, -128, 127, 0), (1, -128, 127, 0)];
    let all = [
        InputFacts { name: "Made pad", product: 0x0c01, keys: &[0x130, 0x131, 0x13a, 0x13b], axes: stick, ..plain },
        InputFacts {
            name: "Made pedals",
            product: 0x0c02,
            axes: &[(2, 0, 255, 0), (5, 0, 255, 0), (6, 0, 255, 0)],
            ..plain
        },
        InputFacts { name: "Made keys", product: 0x0c03, keys: &[30, 31, 32, 0x120], ..plain },
    ];
    all.iter().map(InputStandIn::plug).collect()
}

/// Runs something as the player and returns what it said.
fn as_player(command: &str) -> Result<String, String> {
    let account = [format!("--reuid={PLAYER}"), format!("--regid={PLAYER}"), "--groups=input".into()];
    let out = Command::new("setpriv").args(account).args(["sh", "-c", command]).output();
    let out = out.map_err(|error| format!("setpriv: {error}"))?;
    Ok(String::from_utf8_lossy(&out.stdout).into_owned())
}

/// What the program sees as the player: with udev, or as if there were none.
fn sight(udev: bool) -> Result<Value, String> {
    let program = env!("CARGO_BIN_EXE_placid-mantle");
    let account = format!("setpriv --reuid={PLAYER} --regid={PLAYER} --groups=input {program} sight --json");
    let line = if udev { account } else { format!("mount -t tmpfs none /run/udev && {account}") };
    let out = Command::new("unshare").args(["-m", "sh", "-c", &line]).env("XDG_RUNTIME_DIR", "/run/nobody").output();
    let out = out.map_err(|error| format!("unshare: {error}"))?;
    serde_json::from_slice(&out.stdout).map_err(|error| format!("{error}: {}", String::from_utf8_lossy(&out.stderr)))
}

fn nodes_of(row: &Value) -> Vec<String> {
    row["nodes"].as_array().into_iter().flatten().filter_map(|node| node.as_str().map(str::to_owned)).collect()
}

/// What a game would list, in its order, according to our program: the event node, and whether it is a controller.
fn ours(seen: &Value) -> Vec<(String, bool)> {
    let rows = seen["rows"].as_array().into_iter().flatten().filter(|row| row["number"].is_u64());
    rows.map(|row| (nodes_of(row).first().cloned().unwrap_or_default(), row["takes"] == "Pad")).collect()
}

/// The same by a game library.
fn theirs(bench: &Bench, udev: bool) -> Result<(Vec<(String, bool)>, Reader), String> {
    let environment: &[(&str, &str)] = if udev { &[] } else { &[("SDL_JOYSTICK_DISABLE_UDEV", "1")] };
    let mut game = bench.game_with(Some(PLAYER), environment)?;
    let list = game.list()?;
    let one = |line: &String| {
        let node = line.rsplit(' ').next().unwrap_or_default().to_owned();
        (node, line.contains(" controller "))
    };
    Ok((list.iter().map(one).collect(), game))
}

/// Every event node with what udev's tool says about it, and whether the kernel lets the player open it.
fn system() -> Result<BTreeMap<String, (bool, bool)>, String> {
    let tagged = |node: &str| {
        let out = Command::new("udevadm").args(["info", "-q", "property", "-n", node]).output();
        out.is_ok_and(|out| String::from_utf8_lossy(&out.stdout).lines().any(|line| line == "ID_INPUT_JOYSTICK=1"))
    };
    let said = as_player(
        "for n in /dev/input/event* ; do if exec 3<$n ; then echo $n yes ; exec 3<&- ; else echo $n no ; fi ; done 2>/dev/null",
    )?;
    Ok(said
        .lines()
        .filter_map(|line| line.split_once(' '))
        .map(|(node, open)| (node.to_owned(), (tagged(node), open == "yes")))
        .collect())
}

/// Twenty situations, sixty where there is time: nodes that some may not open, with udev and without it.
pub fn drawn(bench: &Bench) -> Result<(), String> {
    let mut plugged = Vec::new();
    for (at, name) in DEVICES.iter().enumerate() {
        let file = shipped::device(name).map_err(|fault| fault.to_string())?;
        plugged.push(StandIn::plug(&file, &format!("lab-{at}"), Some(&format!("S{at}")))?);
    }
    let made = made()?;
    let mut engine = bench.bare_engine(&bench.home())?;
    bench::pad(&mut engine, 1)?;
    let settled = || Command::new("udevadm").args(["settle", "--timeout=60"]).status();
    settled().map_err(|error| format!("udevadm: {error}"))?;
    let situations = if std::env::var_os("MANTLE_LONG").is_some() { 60 } else { 20 };
    let (mut draw, mut listed) = (0x9e37_79b9_u64, 0);
    for situation in 0..situations {
        let udev = situation % 4 != 3;
        let all: Vec<String> = system()?.into_keys().collect();
        for node in &all {
            draw = draw.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            let mode = if situation > 0 && draw >> 60 < 5 { "000" } else { "660" };
            let done = Command::new("chmod").args([mode, node]).status();
            done.map_err(|error| format!("chmod: {error}"))?;
        }
        let (wanted, game) = theirs(bench, udev)?;
        let seen = sight(udev)?;
        let own = ours(&seen);
        if own != wanted {
            return Err(format!("situation {situation}, udev {udev}: a game lists {wanted:?}, and we say {own:?}"));
        }
        listed += own.len();
        for (node, (tagged, opens)) in system()? {
            let rows = seen["rows"].as_array().into_iter().flatten();
            let row = rows.clone().find(|row| nodes_of(row).contains(&node)).ok_or(format!("{node} is not told of"))?;
            if row["refused"].is_null() != opens {
                return Err(format!("situation {situation}: {node} can be opened: {opens}; we say {}", row["refused"]));
            }
            let takes = row["takes"].as_str().unwrap_or_default();
            if udev && tagged && !matches!(takes, "Pad" | "Joystick") {
                return Err(format!("{node} is tagged a joystick, and we say {takes}"));
            }
        }
        // The game has all controllers open that it lists: it is named with each.
        let pid = u64::from(game.lines.pid());
        for (node, _) in wanted.iter().filter(|(_, controller)| *controller) {
            let rows = seen["rows"].as_array().into_iter().flatten();
            let row = rows.clone().find(|row| nodes_of(row).contains(node)).ok_or(format!("{node} is not told of"))?;
            let holders = row["holders"].as_array().into_iter().flatten();
            if !holders.clone().any(|holder| holder["pid"].as_u64() == Some(pid)) {
                return Err(format!(
                    "situation {situation}: the game has {node} open, and is not named: {}",
                    row["holders"]
                ));
            }
        }
    }
    println!("NOTE {situations} situations, {listed} entries of games' lists: no disagreement");
    bench::end(engine)?;
    drop((plugged, made));
    Ok(())
}
