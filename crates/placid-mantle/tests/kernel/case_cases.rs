//! Case files of a real table: made while it plays, opened afterwards.

use crate::bench::{self, Bench};
use crate::read_cases::{equal, frames_of, simulated_for};
use mantle_core::time::Micros;
use mantle_files::shipped;
use mantle_lab::{Lines, StandIn, wait_for};

/// Devices that play alone, each read in its own way: by its descriptor, by a sheet, woken first, several hats, wide axes, many buttons.
const DEVICES: [&str; 10] = [
    "quay-pad",
    "harbour-panel",
    "pilot-yoke",
    "cellar-pad",
    "heron-pad",
    "dune-pad",
    "shingle-pad",
    "helm-wheel",
    "lookout-stick",
    "mast-stick",
];
/// How long each moves.
const SPAN: Micros = Micros::seconds(4);

pub fn ten(bench: &Bench) -> Result<(), String> {
    DEVICES.iter().try_for_each(|device| there_and_back(bench, device).map_err(|why| format!("{device}: {why}")))
}

fn there_and_back(bench: &Bench, device: &str) -> Result<(), String> {
    let (reports, expected) = simulated_for(device, SPAN)?;
    if expected.len() < 10 {
        return Err(format!("it moves too little: {} frames", expected.len()));
    }
    let file = shipped::device(device).map_err(|fault| fault.to_string())?;
    let home = bench.home();
    let command = bench.served(&home)?;
    // How long this machine takes from report to pad is its own, and not in a case.
    let settings = home.join("config/placid-mantle");
    std::fs::create_dir_all(&settings).map_err(|error| error.to_string())?;
    std::fs::write(settings.join("settings.toml"), "version = 1\n[limits]\nlate = 1000\n")
        .map_err(|error| error.to_string())?;
    let mut pad = StandIn::plug(&file, "lab-1", Some("LAB-SERIAL"))?;
    let mut engine = Lines::start(&mut command(&["serve"]))?;
    bench::pad(&mut engine, 1)?;
    engine.wait("the cover", |line| line.contains("is covered"))?;
    wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    bench::reads(&engine, 1)?;
    let path = home.join("table.case.toml");
    let mut making = Lines::start(&mut command(&["case", &path.display().to_string(), "--for", "60"]))?;
    making.wait("that it watches", |line| line.starts_with("Now do"))?;
    for (sent, report) in reports.iter().enumerate() {
        pad.send(0, report)?;
        // hidraw keeps 64 reports for a late reader.
        if sent % 16 == 0 {
            wait_for("the engine to have read", || asleep(engine.pid()))?;
        }
    }
    wait_for("the engine to have read", || asleep(engine.pid()))?;
    making.signal("INT");
    let status = making.end()?;
    if !status.success() {
        return Err(format!("no case: {status}: {}", making.said.join(" / ")));
    }
    let text = std::fs::read_to_string(&path).map_err(|error| error.to_string())?;
    if text.contains("LAB-SERIAL") {
        return Err("its serial number is in the case".into());
    }
    bench::end(engine)?;
    let opened = command(&["case", "--open", &path.display().to_string(), "--headless"]).output();
    let opened = opened.map_err(|error| error.to_string())?;
    let lines: Vec<String> = String::from_utf8_lossy(&opened.stdout).lines().map(str::to_owned).collect();
    equal(&expected, &frames_of(&lines), "its case")?;
    let said =
        |by: &str| -> Vec<&str> { lines.iter().filter_map(|line| line.strip_prefix(by)).map(str::trim).collect() };
    let (mut owner, mut here) = (said("owner:"), said("here:"));
    if owner.is_empty() {
        return Err("its owner's sentence is not in it".into());
    }
    // On a machine that is busy beyond that limit it says so, in place of the word that all is well.
    for all in [&mut owner, &mut here] {
        all.retain(|text| !text.contains("from report to pad") && !text.starts_with("All is well"));
    }
    // Here they are only printed if they differ.
    let same = !lines.iter().any(|line| line.starts_with("here:"))
        || owner.len() == here.len() && owner.iter().zip(&here).all(|(a, b)| alike(a, b));
    if same { Ok(()) } else { Err(format!("it says {here:?}; its owner's table said {owner:?}")) }
}

/// Whether two sentences are the same, except that measured rates may differ by a twentieth: reports that come in bursts have no rate of their own.
fn alike(one: &str, other: &str) -> bool {
    let (one, other): (Vec<&str>, Vec<&str>) = (one.split(' ').collect(), other.split(' ').collect());
    let near = |at: usize| match (one[at].parse::<f64>(), other[at].parse::<f64>()) {
        (Ok(a), Ok(b)) => one.get(at + 1) == Some(&"reports") && (a - b).abs() * 20.0 <= a.max(b),
        _ => false,
    };
    one.len() == other.len() && (0..one.len()).all(|at| one[at] == other[at] || near(at))
}

/// Whether a process waits.
fn asleep(pid: u32) -> Option<()> {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
    stat.rsplit_once(") ").filter(|(_, rest)| rest.starts_with('S')).map(drop)
}
