//! What the screen costs, as shares of a core and as a ratio. One command:
//! `cargo build --release && cargo run --release -p mantle-lab --bin screen_cost [ROUNDS [SECONDS]]`

use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};
use std::io;
use std::path::PathBuf;
use std::process::{Child, Command};
use std::time::{Duration, Instant};

const COLUMNS: u16 = 160;
const ROWS: u16 = 46;

/// A program in a terminal of its own.
struct Running {
    child: Child,
    terminal: OwnedFd,
    seen: Vec<u8>,
}

impl Running {
    fn start(program: &PathBuf, arguments: &[&str]) -> io::Result<Self> {
        let terminal = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC)?;
        grantpt(&terminal)?;
        unlockpt(&terminal)?;
        let size = Winsize { ws_row: ROWS, ws_col: COLUMNS, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(&terminal, size)?;
        let name = ptsname(&terminal, Vec::new())?;
        let end = || rustix::fs::open(&name, OFlags::RDWR | OFlags::NOCTTY | OFlags::CLOEXEC, Mode::empty());
        let child = Command::new(program)
            .args(arguments)
            .env("TERM", "xterm-256color")
            .env("LC_ALL", "C.UTF-8")
            .stdin(end()?)
            .stdout(end()?)
            .stderr(end()?)
            .spawn()?;
        Ok(Self { child, terminal, seen: Vec::new() })
    }

    /// Reads what it draws until that contains some words, or until it has ended.
    fn read_until(&mut self, words: &[u8]) -> io::Result<()> {
        let mut buffer = [0u8; 65536];
        loop {
            match rustix::io::read(&self.terminal, &mut buffer) {
                Ok(0) | Err(rustix::io::Errno::IO) => return Ok(()),
                Ok(n) => self.seen.extend(&buffer[..n]),
                Err(errno) => return Err(errno.into()),
            }
            if self.seen.windows(words.len()).any(|window| window == words) {
                return Ok(());
            }
        }
    }

    /// Processor time so far, by the kernel's count, in seconds.
    fn processor_seconds(&self) -> io::Result<f64> {
        let stat = std::fs::read_to_string(format!("/proc/{}/stat", self.child.id()))?;
        let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
        let ticks: f64 = fields[11..13].iter().map(|field| field.parse::<f64>().unwrap_or(0.0)).sum();
        Ok(ticks / rustix::param::clock_ticks_per_second() as f64)
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The share of a core that a program takes over some seconds, after it has settled; meanwhile its output is read.
fn share(program: &PathBuf, arguments: &[&str], seconds: u64) -> io::Result<(f64, usize)> {
    let mut running = Running::start(program, arguments)?;
    let terminal = running.terminal.try_clone()?;
    let reader = std::thread::spawn(move || {
        let mut buffer = [0u8; 65536];
        let mut drawn = 0;
        while let Ok(n @ 1..) = rustix::io::read(&terminal, &mut buffer) {
            drawn += n;
        }
        drawn
    });
    std::thread::sleep(Duration::from_secs(2));
    let (before, began) = (running.processor_seconds()?, Instant::now());
    std::thread::sleep(Duration::from_secs(seconds));
    let used = running.processor_seconds()? - before;
    let share = used / began.elapsed().as_secs_f64();
    running.child.kill()?;
    running.child.wait()?;
    Ok((share, reader.join().unwrap_or(0)))
}

fn median(values: &mut [f64], at: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    values[((values.len() - 1) as f64 * at).round() as usize]
}

fn main() -> io::Result<()> {
    let number = |n| std::env::args().nth(n).and_then(|text| text.parse().ok());
    let rounds = number(1).unwrap_or(21).max(21);
    let seconds = number(2).unwrap_or(20);
    let program = std::env::current_exe()?.with_file_name("placid-mantle");
    let nothing = PathBuf::from("/bin/true");
    let mut ratios = Vec::new();
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let began = Instant::now();
        Running::start(&nothing, &[])?.read_until(b"nothing is ever said")?;
        let bare = began.elapsed().as_secs_f64();
        let began = Instant::now();
        let mut running = Running::start(&program, &["demo"])?;
        running.read_until(b"Slot 1")?;
        let first = began.elapsed().as_secs_f64();
        if !running.seen.windows(6).any(|window| window == b"Slot 1") {
            return Err(io::Error::other("the demo ended before it had drawn a slot"));
        }
        ratios.push(first / bare);
        ours.push(first * 1e3);
        theirs.push(bare * 1e3);
    }
    println!("{rounds} rounds, {COLUMNS}x{ROWS} cells");
    println!("first frame with slot rows, demo           {:>8.1} ms", median(&mut ours, 0.5));
    println!("spawning and ending `true` the same way    {:>8.1} ms", median(&mut theirs, 0.5));
    println!(
        "  ratio (aimed at: 3)              {:>8.2}   (p10 {:.2}, p90 {:.2})",
        median(&mut ratios, 0.5),
        median(&mut ratios, 0.1),
        median(&mut ratios, 0.9)
    );
    let (live, drawn) = share(&program, &["demo"], seconds)?;
    println!("a live screen, demo, its devices included  {:>8.2} %   (aimed at: 3.6)", live * 100.0);
    println!("  bytes drawn a second                     {:>8.0}", drawn as f64 / (seconds + 2) as f64);
    let (idle, _) = share(&program, &["run", "--bare"], seconds)?;
    println!("`run` with nothing moving                  {:>8.2} %   (to reach: at most 0.2)", idle * 100.0);
    Ok(())
}
