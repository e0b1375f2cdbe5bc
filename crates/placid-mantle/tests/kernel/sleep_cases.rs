//! The machine sleeps and wakes, as far as that can be shown here: the kernel freezes and suspends everything and takes it up again (`pm_test`), but
//! its clocks go on. After that the files of the host never answer again: what runs then is in memory, and the machine ends with it.

use crate::bench;
use mantle_files::shipped;
use mantle_lab::{Lines, RawPad, StandIn};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

pub const SLEEP: &str = "everything is suspended and taken up again: the same pad, nothing stuck";
/// What lies in memory.
const STILL: &str = "/run/still";
const SOUTH: u16 = 0x130;

fn text(error: impl std::fmt::Display) -> String {
    error.to_string()
}

/// Puts a program and what it is linked to into memory; returns its command there.
fn keep(program: &Path, name: &str) -> Result<Vec<String>, String> {
    fs::create_dir_all(STILL).map_err(text)?;
    let output = Command::new("ldd").arg(program).output().map_err(text)?;
    let linked = String::from_utf8_lossy(&output.stdout).into_owned();
    let mut loader = None;
    let of_line = |line: &str| line.split_whitespace().find(|word| word.starts_with('/')).map(PathBuf::from);
    for path in linked.lines().filter_map(of_line) {
        let file = path.file_name().ok_or("a library without a name")?.to_string_lossy().into_owned();
        let kept = Path::new(STILL).join(&file);
        fs::copy(&path, &kept).map_err(|error| format!("{}: {error}", path.display()))?;
        if file.starts_with("ld-") {
            loader = Some(kept.display().to_string());
        }
    }
    let kept = Path::new(STILL).join(name);
    fs::copy(program, &kept).map_err(|error| format!("{}: {error}", program.display()))?;
    let loader = loader.ok_or_else(|| format!("{} is linked to no loader", program.display()))?;
    Ok(vec![loader, "--library-path".into(), STILL.into(), kept.display().to_string()])
}

/// Continues in memory, and ends the machine. Returns only if it cannot.
pub fn guest() -> ExitCode {
    let began = keep(Path::new(env!("CARGO_BIN_EXE_placid-mantle")), "placid-mantle").and_then(|_| {
        let me = keep(&std::env::current_exe().map_err(text)?, "kernel")?;
        use std::os::unix::process::CommandExt;
        Err(text(Command::new(&me[0]).args(&me[1..]).arg("--sleep").exec()))
    });
    println!("CASE {SLEEP} = {}", began.unwrap_or_else(|why: String| why));
    ExitCode::SUCCESS
}

/// The same, in memory.
pub fn in_memory() -> ExitCode {
    let result = std::panic::catch_unwind(suspended).unwrap_or_else(|_| Err("it panicked".into()));
    println!("CASE {SLEEP} = {}", result.err().map_or_else(|| "ok".to_owned(), |why| why.replace('\n', "\\n")));
    let _ = std::io::stdout().flush();
    // Whoever started this reads its script from the host, which does not answer, so the end is written from here.
    let ended = std::env::var("P_RC").map(|port| fs::write(port, "0\n"));
    let _ = fs::write("/proc/sysrq-trigger", "o");
    if ended.is_ok() { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}

/// The processor time that a process has used, in clock ticks, and the memory that it has, in pages.
fn used(pid: u32) -> Result<(u64, u64), String> {
    let stat = fs::read_to_string(format!("/proc/{pid}/stat")).map_err(text)?;
    let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
    let field = |at: usize| fields.get(at).and_then(|field| field.parse().ok()).unwrap_or(0);
    Ok((field(11) + field(12), field(21)))
}

fn suspended() -> Result<(), String> {
    let file = shipped::device("harbour-panel").map_err(text)?;
    let mut pad = StandIn::plug(&file, "lab-1", Some("S1"))?;
    let program = Path::new(STILL).join("placid-mantle");
    let loader = fs::read_dir(STILL).map_err(text)?.flatten().map(|entry| entry.path());
    let loader = loader.into_iter().find(|path| path.to_string_lossy().contains("/ld-")).ok_or("no loader")?;
    let mut command = Command::new(loader);
    command.args(["--library-path", STILL]).arg(program).args(["run", "--headless", "--bare", "--frames"]);
    fs::create_dir_all("/run/homes/sleep").map_err(text)?;
    command.env("HOME", "/run/homes/sleep").env_remove("XDG_CONFIG_HOME").current_dir("/run");
    // It is not waited for: one of its threads may be using the host's files, and then it never ends.
    let mut engine = std::mem::ManuallyDrop::new(Lines::start(&mut command)?);
    let node = bench::pad(&mut engine, 1)?;
    let mut game = RawPad::open(&node)?;
    bench::reads(&engine, 1)?;
    pad.send(0, &bench::bytes("00 80 80 80"))?;
    let mut press = |game: &mut RawPad, down: bool| {
        pad.send(0, &bench::bytes(if down { "01 80 80 80" } else { "00 80 80 80" }))?;
        let frame = game.frame(if down { "South down" } else { "South up" })?;
        let wanted = vec![(1, SOUTH, i32::from(down))];
        if frame == wanted { Ok(()) } else { Err(format!("the pad shows {frame:?}, not {wanted:?}")) }
    };
    press(&mut game, true)?;
    press(&mut game, false)?;
    fs::write("/sys/module/suspend/parameters/pm_test_delay", "1").map_err(text)?;
    for depth in ["freezer", "devices"] {
        press(&mut game, true)?;
        let before = used(engine.pid())?;
        fs::write("/sys/power/pm_test", depth).map_err(|error| format!("pm_test {depth}: {error}"))?;
        fs::write("/sys/power/state", "mem").map_err(|error| format!("suspending to {depth}: {error}"))?;
        press(&mut game, false).map_err(|why| format!("after {depth}: {why}"))?;
        press(&mut game, true).map_err(|why| format!("after {depth}: {why}"))?;
        press(&mut game, false).map_err(|why| format!("after {depth}: {why}"))?;
        let after = used(engine.pid())?;
        if after.0 > before.0 + 200 || after.1 > before.1 + 1024 {
            return Err(format!("after {depth} it has used {after:?} ticks and pages, {before:?} before"));
        }
    }
    fs::write("/sys/power/pm_test", "none").map_err(text)?;
    Ok(())
}
