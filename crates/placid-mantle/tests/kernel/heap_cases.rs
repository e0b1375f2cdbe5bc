//! What the program as it is handed out takes from the heap while it plays, counted from outside.

use crate::bench::{self, Bench};
use crate::load_cases::{SOUTH, plug};
use mantle_lab::{Lines, RawPad};
use std::path::Path;
use std::process::Command;

/// Reports of the short run, and of the long one.
const REPORTS: [usize; 2] = [500, 4500];

/// How often something was allocated, by what valgrind says at the end.
fn allocated(log: &Path) -> Result<u64, String> {
    let text = std::fs::read_to_string(log).map_err(|error| error.to_string())?;
    let line = text.lines().find_map(|line| line.split_once("total heap usage: ")).ok_or("valgrind counted nothing")?;
    let number: String = line.1.split(' ').next().unwrap_or_default().chars().filter(|c| *c != ',').collect();
    number.parse().map_err(|_| format!("an odd count: {}", line.1))
}

/// Plays so many reports, each of which presses or lets go, one after the other.
fn allocated_for(bench: &Bench, reports: usize) -> Result<u64, String> {
    let mut pads = plug(1)?;
    let log = format!("/run/heap.{reports}");
    // So much slower it would only have its real-time priority taken.
    let mut command = Command::new("setpriv");
    command
        .args(["--bounding-set=-sys_nice", "valgrind", "--leak-check=no", &format!("--log-file={log}")])
        .arg(bench.shipped());
    command.args(["run", "--headless", "--bare"]).env("HOME", bench.home()).env_remove("XDG_CONFIG_HOME");
    let mut engine = Lines::start(&mut command)?.slowly(10);
    let node = bench::pad(&mut engine, 1)?;
    mantle_lab::wait_for("the engine to listen", || pads[0].is_open(0).then_some(()))?;
    let mut raw = RawPad::open(&node)?;
    pads[0].send(0, &[0, 128, 128, 128, 128])?;
    pads[0].send(0, &[0, 200, 128, 128, 128])?;
    raw.frame("a stick that moves")?;
    for n in 0..reports {
        let (down, at) = (n % 2 == 0, n as u8);
        pads[0].send(0, &[u8::from(down), at, at.wrapping_add(50), 128, 128])?;
        let frame = raw.frame("a press or its end")?;
        if !frame.contains(&(1, SOUTH, i32::from(down))) {
            return Err(format!("report {n} came out as {frame:?}"));
        }
    }
    bench::end(engine)?;
    allocated(Path::new(&log))
}

/// What four thousand reports more take from the heap is what the sentence does that is worked out once a second, and nothing
/// with each report.
pub fn nothing_with_a_report(bench: &Bench) -> Result<(), String> {
    let [short, long] = REPORTS;
    let (few, many) = (allocated_for(bench, short)?, allocated_for(bench, long)?);
    let (more, reports) = (many.saturating_sub(few), (long - short) as u64);
    println!("NOTE `run --headless` as it is handed out: {few} allocations with {short} reports, {many} with {long}");
    // One with each report would be as many as there are; how a start goes makes some hundreds of difference.
    if more >= reports / 2 { Err(format!("{more} allocations for {reports} reports more")) } else { Ok(()) }
}
