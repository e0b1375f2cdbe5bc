//! The programs that rules for games are for: looked for every second, on a separate thread, in `/proc`.

use crate::process;
use crossbeam_channel::{Receiver, RecvTimeoutError};
use mantle_core::command::RuleAct;
use mantle_core::games::{GameRule, GameSign, RunningProgram};
use mantle_core::visible::visible;
use mantle_files::bounded;
use std::collections::HashMap;
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// It is looked so often.
const EVERY: Duration = Duration::from_secs(1);
/// How many arguments of a program, and how many bytes of them, are examined.
const ARGUMENTS: usize = 256;
const BYTES: u64 = 64 * 1024;
/// A program that is about to become another one has done so by the third look.
const SETTLED: u8 = 3;

/// A process as it was seen last.
struct SeenProcess {
    exe: PathBuf,
    looks: u8,
    /// The program, if a rule is for it.
    meant: Option<RunningProgram>,
}

/// What to look for, and what was seen.
struct GameWatch {
    proc: PathBuf,
    rules: Vec<GameRule>,
    seen: HashMap<u32, SeenProcess>,
}

impl GameWatch {
    fn new(proc: &Path, rules: Vec<GameRule>) -> Self {
        Self { proc: proc.to_owned(), rules, seen: HashMap::new() }
    }

    /// Which of those programs are running, in the order of their process numbers.
    fn look(&mut self) -> Vec<RunningProgram> {
        let mut before = std::mem::take(&mut self.seen);
        for (pid, process) in process::all(&self.proc) {
            // None can be read for a process that has ended, another account's, or the kernel's own.
            let Ok(exe) = fs::read_link(process.join("exe")) else { continue };
            let own = match before.remove(&pid).filter(|own| own.exe == exe) {
                Some(own) if own.looks >= SETTLED && own.meant.is_none() => own,
                own => {
                    let looks = own.map_or(1, |own| own.looks.saturating_add(1));
                    let program = program(&process, pid, &exe);
                    let meant = program.filter(|program| self.rules.iter().any(|rule| rule.is_for(program)));
                    SeenProcess { exe, looks, meant }
                }
            };
            self.seen.insert(pid, own);
        }
        let mut running: Vec<RunningProgram> = self.seen.values().filter_map(|own| own.meant.clone()).collect();
        running.sort_by_key(|program| program.pid);
        running
    }
}

/// Looks every second for what was requested last, and reports what is running at once and whenever that changes.
pub(crate) fn watch(
    proc: &Path,
    orders: &Receiver<(u32, Vec<GameRule>)>,
    mut tell: impl FnMut(u32, Vec<RunningProgram>),
) {
    let mut next = orders.recv().ok();
    while let Some((round, rules)) = next.take() {
        let idle = rules.is_empty();
        let mut watch = GameWatch::new(proc, rules);
        let mut told = None;
        while next.is_none() {
            let running = watch.look();
            if told.as_ref() != Some(&running) {
                tell(round, running.clone());
                told = Some(running);
            }
            let order = if idle { orders.recv().map_err(RecvTimeoutError::from) } else { orders.recv_timeout(EVERY) };
            next = match order {
                Ok(order) => Some(order),
                Err(RecvTimeoutError::Timeout) => None,
                Err(RecvTimeoutError::Disconnected) => return,
            };
        }
    }
}

/// What runs under a number.
fn running(proc: &Path, pid: u32) -> Option<RunningProgram> {
    let process = proc.join(pid.to_string());
    let exe = fs::read_link(process.join("exe")).ok()?;
    program(&process, pid, &exe)
}

/// A rule's signs for a running program: its most telling name.
fn signs(proc: &Path, pid: u32) -> Option<Vec<GameSign>> {
    Some(vec![GameSign::Program(running(proc, pid)?.names.pop()?)])
}

/// Saves a rule or deletes one: returns the rule, and the one it replaced.
pub(crate) fn change(path: &Path, act: RuleAct) -> Result<(GameRule, Option<GameRule>), String> {
    let shown = path.display().to_string();
    let before = bounded::read_if_there(path, bounded::SETTINGS_BYTES);
    let before = before.map_err(|error| format!("{shown} cannot be read: {error}"))?.unwrap_or_default();
    let find = |pid| signs(Path::new("/proc"), pid);
    let (after, rule, old) = mantle_files::games::act(&shown, &before, act, find)?;
    mantle_files::save(path, after.as_bytes()).map_err(|error| format!("{shown} cannot be written: {error}"))?;
    Ok((rule, old))
}

fn program(process: &Path, pid: u32, exe: &Path) -> Option<RunningProgram> {
    let stat = fs::read_to_string(process.join("stat")).ok()?;
    let started = crate::sight::read_start(&stat)?;
    // Whatever asks for something for as long as it runs is known by its number alone.
    if crate::sight::is_ours(process) {
        return Some(RunningProgram { pid, started, names: vec!["play".into()], ..RunningProgram::default() });
    }
    let mut line = Vec::new();
    let file = fs::File::open(process.join("cmdline")).ok()?;
    file.take(BYTES).read_to_end(&mut line).ok()?;
    let shown = |bytes: &[u8]| visible(&String::from_utf8_lossy(bytes)).into_owned();
    let arguments = line.split(|byte| *byte == 0).take(ARGUMENTS).map(shown);
    let mut arguments: Vec<String> = arguments.collect();
    if arguments.last().is_some_and(String::is_empty) {
        arguments.pop();
    }
    let path = shown(exe.as_os_str().as_encoded_bytes());
    let path = path.strip_suffix(" (deleted)").unwrap_or(&path).to_owned();
    let comm = fs::read_to_string(process.join("comm")).unwrap_or_default();
    let mut names = vec![file_name(&path).to_owned()];
    // The name it was started under; for a script, its interpreter comes before its own file.
    let script = arguments.get(1).map(|text| file_name(text)).filter(|name| is_comm_of(comm.trim(), name));
    for name in arguments.first().map(|text| file_name(text)).into_iter().chain(script) {
        if !name.is_empty() && !names.iter().any(|own| own == name) {
            names.push(name.to_owned());
        }
    }
    Some(RunningProgram { pid, started, names, path, arguments })
}

/// The kernel keeps fifteen bytes of the name of the file that was started.
fn is_comm_of(comm: &str, name: &str) -> bool {
    !comm.is_empty() && (comm == name || (comm.len() == 15 && name.starts_with(comm)))
}

/// The last part of a path, of this system's or of another kind.
fn file_name(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    fn process(proc: &Path, pid: u32, exe: &str, comm: &str, line: &str, started: u32) {
        let directory = proc.join(pid.to_string());
        fs::create_dir_all(&directory).expect("made");
        let _ = fs::remove_file(directory.join("exe"));
        symlink(exe, directory.join("exe")).expect("linked");
        fs::write(directory.join("comm"), format!("{comm}\n")).expect("written");
        fs::write(directory.join("cmdline"), line.replace(' ', "\0") + "\0").expect("written");
        let before = "S 1 1 1 0 -1 4194304 1 2 3 4 5 6 7 8 20 0 1 0";
        fs::write(directory.join("stat"), format!("{pid} ({comm}) {before} {started} 0 0\n")).expect("written");
    }

    fn rule(sign: GameSign) -> GameRule {
        GameRule { signs: vec![sign], ..GameRule::default() }
    }

    #[test]
    fn programs_are_recognized_by_name_however_started() {
        let proc = tempfile::tempdir().expect("a directory");
        process(proc.path(), 1, "/usr/games/crane (deleted)", "crane", "crane --fast", 10);
        process(proc.path(), 2, "/usr/bin/python3.11", "parade.py", "/usr/bin/python3 ./parade.py", 20);
        process(proc.path(), 3, "/opt/loader/loader64", "Harbour.exe", "Z:\\games\\Harbour.exe -w", 30);
        process(proc.path(), 4, "/usr/bin/bash", "bash", "-bash", 40);
        process(
            proc.path(),
            5,
            "/usr/games/a-very-long-name-of-a-game",
            "a-very-long-nam",
            "x a-very-long-name-of-a-game",
            1,
        );
        let names = |pid| running(proc.path(), pid).expect("it runs").names;
        assert_eq!(names(1), ["crane"]);
        assert_eq!(names(2), ["python3.11", "python3", "parade.py"]);
        assert_eq!(names(3), ["loader64", "Harbour.exe"]);
        assert_eq!(names(4), ["bash", "-bash"]);
        assert_eq!(names(5), ["a-very-long-name-of-a-game", "x"]);
        let first = running(proc.path(), 1).expect("it runs");
        assert_eq!((first.started, first.path.as_str(), first.arguments.len()), (10, "/usr/games/crane", 2));
        assert_eq!(signs(proc.path(), 3), Some(vec![GameSign::Program("Harbour.exe".into())]));
        assert_eq!(signs(proc.path(), 77), None);
    }

    #[test]
    fn started_replaced_and_ended_programs_show_at_the_next_look() {
        let proc = tempfile::tempdir().expect("a directory");
        process(proc.path(), 7, "/usr/bin/bash", "bash", "bash", 10);
        let mut watch = GameWatch::new(proc.path(), vec![rule(GameSign::Program("crane".into()))]);
        let pids = |watch: &mut GameWatch| watch.look().iter().map(|own| (own.pid, own.started)).collect::<Vec<_>>();
        assert_eq!(pids(&mut watch), []);
        process(proc.path(), 7, "/usr/games/crane", "crane", "crane", 10);
        assert_eq!(pids(&mut watch), [(7, 10)]);
        assert_eq!(pids(&mut watch), [(7, 10)]);
        // It ends, and another process with its number begins.
        process(proc.path(), 7, "/usr/games/crane", "crane", "crane", 55);
        assert_eq!(pids(&mut watch), [(7, 55)]);
        process(proc.path(), 7, "/usr/bin/bash", "bash", "bash", 60);
        assert_eq!(pids(&mut watch), []);
        // The same file, executed again with other arguments right after its start.
        process(proc.path(), 9, "/usr/bin/bash", "bash", "bash", 70);
        assert_eq!(pids(&mut watch), []);
        process(proc.path(), 9, "/usr/bin/bash", "crane", "/bin/bash crane", 70);
        assert_eq!(pids(&mut watch), [(9, 70)]);
        fs::remove_dir_all(proc.path().join("9")).expect("removed");
        assert_eq!(pids(&mut watch), []);
        // What a process asks for itself.
        let mut watch = GameWatch::new(proc.path(), vec![rule(GameSign::Process(7))]);
        assert_eq!(pids(&mut watch), [(7, 60)]);
    }
}
