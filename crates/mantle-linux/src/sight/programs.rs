//! The programs that have input nodes open, or make input devices, as far as this account may inspect them.

use super::SightPaths;
use super::browsers;
use crate::process;
use mantle_core::sight::{Program, SeenNode};
use mantle_core::visible::visible;
use std::collections::HashSet;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

/// Programs that are told of.
const PROGRAMS: usize = 64;
/// How many nodes of one program are reported.
const NODES: usize = 64;
/// Clock ticks per second, in which `/proc` gives the start times of processes: the same on every machine that this runs on.
const TICKS: u64 = 100;

/// All of them, and how many processes could not be inspected. The one that was asked for is among them in any case.
pub(super) fn all(paths: &SightPaths, nodes: &[SeenNode], asked: Option<u32>) -> (Vec<Program>, u32) {
    let known: HashSet<&str> = nodes.iter().map(|node| node.path.as_str()).collect();
    let own_space = namespace(&paths.proc.join("self"));
    let (booted, mut closed) = (boot_time(&paths.proc), 0);
    let mut found = Vec::new();
    for (pid, process) in process::all(&paths.proc) {
        let Ok(descriptors) = fs::read_dir(process.join("fd")) else {
            // Threads of the kernel have no program.
            closed += u32::from(!is_of_the_kernel(&process));
            continue;
        };
        let targets = descriptors.flatten().filter_map(|one| fs::read_link(one.path()).ok());
        let (mut open, mut makes) = (Vec::new(), false);
        for target in targets {
            match target.to_str() {
                Some("/dev/uinput" | "/dev/uhid" | "/dev/input/uinput" | "/dev/misc/uinput") => makes = true,
                Some(path) if known.contains(path) && open.len() < NODES => open.push(path.to_owned()),
                _ => {}
            }
        }
        if open.is_empty() && !makes && asked != Some(pid) {
            continue;
        }
        open.sort_unstable();
        open.dedup();
        found.push((pid, process, open, makes));
    }
    found.sort_by_key(|(pid, ..)| *pid);
    let browsers = if found.is_empty() { Vec::new() } else { browsers::known(&paths.applications) };
    let program = |(pid, process, nodes, makes): (u32, std::path::PathBuf, Vec<String>, bool)| {
        let name = fs::read_to_string(process.join("comm")).unwrap_or_default();
        let space = namespace(&process);
        let elsewhere = space.is_some() && space != own_space;
        Program {
            pid,
            name: visible(name.trim()).into_owned(),
            since: started(&process).zip(booted).map(|(ticks, boot)| boot + ticks / TICKS),
            nodes,
            makes,
            browser: browsers.iter().any(|browser| browser.is(&process)),
            own_dev: elsewhere.then(|| shown(&process.join("root/dev"))),
            ours: pid == std::process::id() || is_ours(&process),
        }
    };
    (found.into_iter().take(PROGRAMS).map(program).collect(), closed)
}

fn is_of_the_kernel(process: &Path) -> bool {
    fs::read(process.join("cmdline")).is_ok_and(|line| line.is_empty())
}

/// Whether a process runs the same program as this one: by the file, not by its name.
pub(crate) fn is_ours(process: &Path) -> bool {
    let of = |path: &Path| fs::metadata(path).ok().map(|about| (about.dev(), about.ino()));
    let own = of(Path::new("/proc/self/exe"));
    own.is_some() && own == of(&process.join("exe"))
}

/// The mount namespace of a process: if it is another one, what it sees under `/dev` is not what we see.
fn namespace(process: &Path) -> Option<std::path::PathBuf> {
    fs::read_link(process.join("ns/mnt")).ok()
}

/// The input nodes in a process' own `/dev`.
fn shown(dev: &Path) -> Vec<String> {
    let of = |directory: &Path, start: [&str; 2], prefix: &str| {
        let names = crate::sysfs::names(directory).into_iter();
        let all = names.filter(|name| start.iter().any(|start| name.starts_with(start)));
        all.map(|name| format!("{prefix}{name}")).take(NODES).collect::<Vec<_>>()
    };
    let mut all = of(&dev.join("input"), ["event", "js"], "/dev/input/");
    all.extend(of(dev, ["hidraw", "hidraw"], "/dev/"));
    all
}

/// When the machine was started, in seconds from the beginning of 1970.
fn boot_time(proc: &Path) -> Option<u64> {
    let stat = fs::read_to_string(proc.join("stat")).ok()?;
    stat.lines().find_map(|line| line.strip_prefix("btime ")?.trim().parse().ok())
}

/// When a process was started, in ticks since the machine was.
fn started(process: &Path) -> Option<u64> {
    let stat = fs::read_to_string(process.join("stat")).ok()?;
    read_start(&stat)
}

/// When a process was started, according to `/proc/PID/stat`.
#[must_use]
pub fn read_start(stat: &str) -> Option<u64> {
    process::field(stat, 22)
}
