//! Real-time priority: who has it, who has not, and that nobody keeps it who starves others.

use crate::bench::{self, Bench};
use std::fs;
use std::time::{Duration, Instant};

/// `SCHED_OTHER` and `SCHED_RR` of sched(7).
const USUAL: u32 = 0;
const ROUND_ROBIN: u32 = 2;

/// Policy and real-time level of a thread, of proc_pid_stat(5).
fn scheduled(path: &str) -> Result<(u32, u32), String> {
    let stat = fs::read_to_string(format!("{path}/stat")).map_err(|error| format!("{path}: {error}"))?;
    // The name is in brackets, and may contain anything.
    let fields: Vec<&str> = stat.rsplit(") ").next().unwrap_or_default().split_ascii_whitespace().collect();
    let field = |at: usize| fields.get(at - 3).and_then(|text| text.parse().ok());
    field(41).zip(field(40)).ok_or_else(|| format!("{path}/stat says {stat}"))
}

pub fn real_time(bench: &Bench) -> Result<(), String> {
    let mut engine = bench.engine(&bench.home())?;
    engine.wait("word of its priority", |line| line.contains("The engine runs at real-time priority"))?;
    let tasks = format!("/proc/{}/task", engine.pid());
    let mut seen = Vec::new();
    for task in fs::read_dir(&tasks).map_err(|error| error.to_string())?.flatten() {
        seen.push(scheduled(&task.path().display().to_string())?);
    }
    let ahead = seen.iter().filter(|own| **own == (ROUND_ROBIN, 1)).count();
    if ahead != 1 || seen.iter().filter(|own| **own == (USUAL, 0)).count() + 1 != seen.len() {
        return Err(format!("one thread has it, at the lowest level: {seen:?}"));
    }
    bench::end(engine)?;

    // A thread that never waits loses it, and the process goes on.
    let spinning = std::thread::spawn(|| {
        mantle_linux::priority::take()?;
        let before = scheduled("/proc/thread-self")?;
        let until = Instant::now() + Duration::from_secs(60);
        while scheduled("/proc/thread-self")? == before {
            if Instant::now() > until {
                return Err("a thread that never waits keeps its priority".to_owned());
            }
        }
        Ok((before, scheduled("/proc/thread-self")?))
    });
    match spinning.join().map_err(|_| "it panicked".to_owned())?? {
        ((ROUND_ROBIN, 1), (USUAL, 0)) => Ok(()),
        other => Err(format!("it was scheduled like this, and then like that: {other:?}")),
    }
}
