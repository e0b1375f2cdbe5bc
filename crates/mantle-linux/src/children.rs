//! Runs a program until it and everything that it started have ended.

use crate::process;
use rustix::process::{Pid, Signal, WaitOptions, kill_process, set_child_subreaper, wait};
use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM};
use std::fs;
use std::io;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::Command;

/// Runs a program until it and all its children and theirs have ended, but for the processes `but`, which are none of its: the code that it ended
/// with, or 128 and the signal's number.
///
/// What asks us to end is passed on to it: then it ends, and we do. A key of the terminal reaches it by itself.
///
/// # Errors
/// It cannot be started.
pub fn run(command: &mut Command, but: &[u32]) -> io::Result<u8> {
    // Whoever is left behind by its parent is adopted by us.
    set_child_subreaper(Some(rustix::process::getpid()))?;
    let mut signals = signal_hook::iterator::Signals::new([SIGINT, SIGQUIT, SIGTERM, SIGHUP])?;
    let child = command.spawn()?;
    let main = Pid::from_child(&child);
    let handle = signals.handle();
    let passing = std::thread::spawn(move || {
        for signal in signals.forever() {
            let signal = match signal {
                SIGTERM => Signal::TERM,
                SIGHUP => Signal::HUP,
                _ => continue,
            };
            let _ = kill_process(main, signal);
        }
    });
    let mut code = None;
    while has_children(but) {
        match wait(WaitOptions::empty()) {
            Ok(Some((pid, status))) if pid == main => {
                let ended = status.exit_status().or_else(|| status.terminating_signal().map(|signal| 128 + signal));
                code = code.or(ended.map(|ended| ended as u8));
            }
            Ok(_) | Err(rustix::io::Errno::INTR) => {}
            Err(_) => break,
        }
    }
    handle.close();
    let _ = passing.join();
    Ok(code.unwrap_or(1))
}

/// Whether this process has children other than these.
fn has_children(but: &[u32]) -> bool {
    let own = u64::from(std::process::id());
    let parent = |process: &Path| process::field(&fs::read_to_string(process.join("stat")).ok()?, 4);
    process::all(Path::new("/proc")).any(|(pid, process)| !but.contains(&pid) && parent(&process) == Some(own))
}

/// Starts a program that outlives us if need be: keys of our terminal do not reach it.
///
/// # Errors
/// It cannot be started.
pub fn start_apart(command: &mut Command) -> io::Result<u32> {
    Ok(command.process_group(0).spawn()?.id())
}

/// Whether a process that we started has ended.
#[must_use]
pub fn has_ended(pid: u32) -> bool {
    let Some(process) = Pid::from_raw(pid as i32) else { return true };
    !matches!(rustix::process::waitpid(Some(process), WaitOptions::NOHANG), Ok(None))
}
