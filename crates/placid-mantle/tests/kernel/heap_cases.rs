//! What the shipped program allocates during play, seen from outside.

use crate::bench::{self, Bench};
use crate::load_cases::{SOUTH, plug};
use mantle_lab::{Lines, RawPad};
use std::process::Command;
use std::time::{Duration, Instant};

/// Reports that are played, each of which presses or releases, one after the other; and how many of them are examined together.
const REPORTS: usize = 1000;
const TOGETHER: usize = 5;

/// When something was allocated, from the start of valgrind on; it is asked to report each.
fn taken(log: &str) -> Result<Vec<Duration>, String> {
    let text = std::fs::read_to_string(log).map_err(|error| error.to_string())?;
    let at = |line: &str| {
        let (stamp, what) = line.strip_prefix("--")?.split_once("-- ")?;
        if !["alloc(", "align(", "_Zn"].iter().any(|call| what.contains(call)) {
            return None;
        }
        let mut parts = stamp.split(' ').next()?.split(':');
        let mut whole = || parts.next()?.parse::<u64>().ok();
        let minutes = (whole()? * 24 + whole()?) * 60 + whole()?;
        Some(Duration::from_secs(minutes * 60) + Duration::from_secs_f64(parts.next()?.parse().ok()?))
    };
    let taken: Vec<Duration> = text.lines().filter_map(at).collect();
    // It says the sum itself; nothing of it may be missing here.
    let sum = text.lines().find_map(|line| line.split_once("total heap usage: ")).ok_or("valgrind counted nothing")?;
    let sum: String = sum.1.split(' ').next().unwrap_or_default().chars().filter(|c| *c != ',').collect();
    let sum: usize = sum.parse().map_err(|_| format!("an odd count: {sum}"))?;
    if sum < 100 || taken.len() < sum { Err(format!("{} of {sum} were seen", taken.len())) } else { Ok(taken) }
}

/// A report allocates nothing. What is computed now and then does, all at once: of stretches of a few reports each, the emptiest tenth is examined.
pub fn nothing_with_a_report(bench: &Bench) -> Result<(), String> {
    let mut pads = plug(1)?;
    let log = "/run/heap.log";
    let began = Instant::now();
    // This much slower it would only lose its real-time priority.
    let mut command = Command::new("setpriv");
    command.args(["--bounding-set=-sys_nice", "valgrind", "--leak-check=no", "--trace-malloc=yes", "--time-stamp=yes"]);
    command.arg(format!("--log-file={log}")).arg(bench.shipped());
    command.args(["run", "--headless", "--bare"]).env("HOME", bench.home()).env_remove("XDG_CONFIG_HOME");
    let mut engine = Lines::start(&mut command)?.slowly(10);
    let node = bench::pad(&mut engine, 1)?;
    mantle_lab::wait_for("the engine to listen", || pads[0].is_open(0).then_some(()))?;
    let mut raw = RawPad::open(&node)?;
    pads[0].send(0, &[0, 128, 128, 128, 128])?;
    pads[0].send(0, &[0, 200, 128, 128, 128])?;
    raw.frame("a stick that moves")?;
    let mut stretches = vec![began.elapsed()];
    for n in 0..REPORTS {
        let (down, at) = (n % 2 == 0, n as u8);
        pads[0].send(0, &[u8::from(down), at, at.wrapping_add(50), 128, 128])?;
        let frame = raw.frame("a press or its end")?;
        if !frame.contains(&(1, SOUTH, i32::from(down))) {
            return Err(format!("report {n} came out as {frame:?}"));
        }
        if (n + 1) % TOGETHER == 0 {
            stretches.push(began.elapsed());
        }
    }
    bench::end(engine)?;
    let taken = taken(log)?;
    let within = |ends: &[Duration]| taken.iter().filter(|at| (ends[0]..ends[1]).contains(at)).count();
    let mut each: Vec<usize> = stretches.windows(2).map(within).collect();
    each.sort_unstable();
    let (few, most) = (each[each.len() / 10], each[each.len() - 1]);
    println!(
        "NOTE `run --headless` as it is handed out: {} allocations, {few} in each of the emptiest tenth of {} stretches of {TOGETHER} reports, {most} in the fullest",
        taken.len(),
        each.len()
    );
    // One per report would be as many as there are.
    if few >= TOGETHER / 2 { Err(format!("{few} allocations with {TOGETHER} reports")) } else { Ok(()) }
}
