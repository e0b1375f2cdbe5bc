//! Instructions of the program as it is shipped (`./ship`), counted and not timed, and therefore the same on every machine. The road of a report is
//! `handle_report`, the difference and `handle_written`: the instructions that come from their sources, or are inlined below them. The whole engine
//! with nobody watching is everything that the program does for a report except what the simulated world does to make it and what is printed: those
//! are counted separately and subtracted.

use mantle_lab::{Tmux, callgrind};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

/// Reports of one second of each device of the scenes.
const RATE: u64 = 1000;
/// The limit for a report on its road, from its bytes to the events that are written.
const ROAD: u64 = 640;
/// The limit for a report in the whole engine, with one device and with eight.
const ONE: u64 = 820;
const EIGHT: u64 = 950;
/// The limit from the start of the program to its first moment.
const START: u64 = 4_600_000;

/// The limit for a frame of a live screen, including what is compared and written.
const FRAME: u64 = 1_750_000;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The program, made anew.
fn shipped() -> PathBuf {
    let done = Command::new(root().join("ship")).output().expect("./ship can be run");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    root().join("target/ship/placid-mantle")
}

/// Instructions of `demo --headless` with these arguments, all of them or only those within these functions.
fn count(program: &Path, arguments: &[&str], within: &[&str]) -> u64 {
    let done = Command::new("valgrind")
        .args(["--tool=callgrind", "--callgrind-out-file=/dev/null"])
        .args(within.iter().map(|name| format!("--toggle-collect={name}")))
        .arg(program)
        .args(["demo", "--headless"])
        .args(arguments)
        .output()
        .expect("valgrind is there (Debian: valgrind)");
    let said = String::from_utf8_lossy(&done.stderr);
    let line = said.lines().find(|line| line.contains("Collected : "));
    let number = line.and_then(|line| line.rsplit(' ').next()?.parse().ok());
    number.unwrap_or_else(|| panic!("no count in:\n{said}"))
}

/// What a report of a scene costs the engine.
fn each(program: &Path, scene: &str, devices: u64) -> u64 {
    let scene = root().join(format!("crates/mantle-lab/scenes/{scene}.scene.toml"));
    let scene = scene.to_str().expect("a path");
    let others = ["*SimWorld*World>::next", "*FramePrinter*handle_frame"];
    let seconds = |seconds: &str, within: &[&str]| count(program, &["--scene", scene, "--for", seconds], within);
    let span = |within: &[&str]| seconds("4", within) - seconds("2", within);
    let (whole, apart) = (span(&[]), span(&others));
    assert!(apart > whole / 2, "{apart} of {whole}: the world and what is printed were not found by their names");
    (whole - apart) / (2 * RATE * devices)
}

/// The sources of the road of a report.
const OF_THE_ROAD: [&str; 6] =
    ["table/road.rs", "table/slots.rs", "table/time.rs", "session/mod.rs", "session/member.rs", "pad/seen.rs"];

/// What a report of one busy pad, with the layout of the workshop's benches, costs on its road.
fn road(program: &Path) -> u64 {
    let scene = root().join("crates/mantle-lab/scenes/one.scene.toml");
    let counts = |seconds: &str| {
        let out = root().join(format!("target/ship/road-{seconds}.callgrind"));
        let done = Command::new("valgrind")
            .args(["--tool=callgrind", "--dump-instr=yes"])
            .arg(format!("--callgrind-out-file={}", out.display()))
            .arg(program)
            .args(["demo", "--headless", "--for", seconds, "--scene"])
            .arg(&scene)
            .output()
            .expect("valgrind is there (Debian: valgrind)");
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        callgrind::by_address(&std::fs::read_to_string(out).expect("callgrind writes it"), "/placid-mantle")
    };
    let (short, long) = (counts("2"), counts("4"));
    let spent = |address: &u64| long[address] - short.get(address).copied().unwrap_or(0).min(long[address]);
    let addresses: Vec<u64> = long.keys().copied().filter(|address| spent(address) > 0).collect();
    let sources = callgrind::sources(&root().join("target/unstripped/ship/placid-mantle"), &addresses);
    let is_of_the_road = |file: &String| {
        file.split_once("mantle-core/src/").is_some_and(|(_, file)| OF_THE_ROAD.iter().any(|own| file.starts_with(own)))
    };
    let on_the_road = addresses.iter().filter(|address| sources[address].iter().any(is_of_the_road));
    on_the_road.map(spent).sum::<u64>() / (2 * RATE)
}

/// Instructions for the frames of the demo's live screen, and how many frames there were.
fn frames(program: &Path) -> (u64, u64) {
    let out = root().join("target/ship/frames.callgrind");
    let _ = std::fs::remove_file(&out);
    let command = format!(
        "valgrind --tool=callgrind --callgrind-out-file={} '--toggle-collect=*Terminal*try_draw*' {} demo",
        out.display(),
        program.display()
    );
    let tmux = Tmux::start("frames", (160, 46), &[("LANG", "C.UTF-8")], &command).expect("tmux is there");
    tmux.wait("the board", |screen| screen.contains("Harbour panel")).expect("the board");
    // The demo's hands move all the time: this many seconds are measured, however many frames that gives here.
    let began = Instant::now();
    tmux.wait("some seconds", |_| began.elapsed() > Duration::from_secs(12)).expect("they pass");
    tmux.keys(&["q"]).expect("keys");
    let text = mantle_lab::wait_for("the counts", || {
        std::fs::read_to_string(&out).ok().filter(|text| text.contains("\ntotals: "))
    })
    .expect("callgrind writes them");
    let total = text.lines().find_map(|line| line.strip_prefix("totals: "));
    let total = total.and_then(|number| number.trim().parse().ok()).expect("a total");
    // A name is written out where it first occurs, and has a number from then on. Its code may be in another module than the type, so only the end of
    // the name is searched for.
    let drawn =
        |line: &str| line.contains("mantle_tui::") && (line.ends_with("App::draw") || line.ends_with("App>::draw"));
    let number =
        text.lines().find(|line| drawn(line)).and_then(|line| line.split(['(', ')']).nth(1)).map(str::to_owned);
    let number = number.expect("the screen is drawn");
    let (mut calls, mut ours) = (0, false);
    for line in text.lines() {
        if let Some(called) = line.strip_prefix("cfn=") {
            ours = called.starts_with(&format!("({number})"));
        } else if let Some(count) = line.strip_prefix("calls=").filter(|_| std::mem::take(&mut ours)) {
            calls += count.split(' ').next().and_then(|count| count.parse::<u64>().ok()).unwrap_or(0);
        }
    }
    (total, calls)
}

#[test]
fn the_shipped_program_takes_few_instructions() {
    let program = shipped();
    let start = count(&program, &["--for", "0.001"], &[]);
    let road = road(&program);
    let (one, eight) = (each(&program, "one", 1), each(&program, "eight", 8));
    let (drawn, frames) = frames(&program);
    assert!(frames >= 30, "{frames} frames are too few");
    let frame = drawn / frames;
    println!("{start} before the first moment; {road} on the road of a report; {frame} a frame");
    println!("{one} in the whole engine a report with one device, {eight} with eight");
    assert!(road > 100 && road <= ROAD, "{road} instructions on the road of a report, at most {ROAD} are allowed");
    assert!(frame <= FRAME, "{frame} instructions a frame, at most {FRAME} are allowed");
    assert!(start <= START, "{start} instructions before the first moment, at most {START} are allowed");
    assert!(one > 100 && one <= ONE, "{one} instructions a report with one device, at most {ONE} are allowed");
    assert!(
        eight > 100 && eight <= EIGHT,
        "{eight} instructions a report with eight devices, at most {EIGHT} are allowed"
    );
}
