//! A `/dev` of a game's own, for an ordinary account: it contains our pads, mice and keyboards, and nothing else that could be played with. This is
//! for games that list the wrong device; it keeps nobody from anything that the account may do otherwise. The process that makes it stays inside,
//! since it alone can put further nodes there ([`stay`]), which it receives from outside over a socket ([`Inside`]). No right is needed that the
//! account does not have.

use crate::children;
use crate::sight::SightPaths;
use mantle_core::sight::{Maker, SeenNode, Takes};
use mantle_helper::descriptors;
use rustix::fd::{AsFd, OwnedFd};
use rustix::fs::{AtFlags, FileType, Mode, OFlags, major};
use rustix::io::Errno;
use rustix::mount::{MountFlags, MountPropagationFlags, UnmountFlags, mount, mount_bind, mount_bind_recursive};
use rustix::mount::{mount_change, unmount};
use rustix::thread::UnshareFlags;
use std::collections::BTreeSet;
use std::ffi::{OsStr, OsString};
use std::fs;
use std::io::{self, BufRead, BufReader, Write};
use std::os::unix::fs::symlink;
use std::os::unix::net::UnixStream;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// What of `/dev` is not shown: whatever can be played with, or made.
const HIDDEN: [&str; 6] = ["input", "hidraw", "uinput", "uhid", "vhci", "bus"];
/// Where the nodes are inside; a game looks at links to them, since watching a directory reveals a new link, but not a mount.
const SLOTS: &str = "/dev/.slots";
/// The device number of every input node.
const INPUT: u32 = 13;
/// The word that ends the list of the nodes that exist at the start.
const GO: &str = "go";

/// The nodes visible to a game with a `/dev` of its own: our pads, and mice and keyboards. By their places below `/dev`.
#[must_use]
pub fn shown() -> BTreeSet<String> {
    let nodes = crate::sight::nodes(&SightPaths::default());
    let ours = |node: &SeenNode| matches!(node.made_by, Maker::ThisEngine | Maker::OtherEngine);
    let plays = |node: &SeenNode| node.abilities.is_pad() || node.tags.is_some_and(Takes::is_pad);
    let reports = |node: &SeenNode| node.path.starts_with("/dev/hidraw");
    let all = nodes.iter().filter(|node| node.refused.is_none() && (ours(node) || !(plays(node) || reports(node))));
    all.filter_map(|node| node.path.strip_prefix("/dev/")).map(str::to_owned).collect()
}

/// Whether this names a node that may be shown.
fn is_name(name: &str) -> bool {
    let numbered = |start: &str| {
        name.strip_prefix(start)
            .is_some_and(|rest| !rest.is_empty() && rest.len() < 6 && rest.bytes().all(|c| c.is_ascii_digit()))
    };
    ["input/event", "input/js", "hidraw"].into_iter().any(numbered)
}

/// The other side of a `/dev` of a game's own.
#[derive(Debug)]
pub struct Inside {
    stream: UnixStream,
    shown: BTreeSet<String>,
}

impl Inside {
    /// A connection: ours, and the one that the process inside gets as its standard input.
    ///
    /// # Errors
    /// Whatever the system says.
    pub fn pair() -> io::Result<(Self, OwnedFd)> {
        let (ours, theirs) = UnixStream::pair()?;
        Ok((Self { stream: ours, shown: BTreeSet::new() }, theirs.into()))
    }

    /// What the game reads from, and what it sees from the start.
    ///
    /// # Errors
    /// The process inside is gone.
    pub fn begin(&mut self, input: impl AsFd, shown: &BTreeSet<String>) -> io::Result<()> {
        descriptors::send(&self.stream, b"\n", input)?;
        self.show(shown)?;
        writeln!(self.stream, "{GO}")
    }

    /// From now on this is seen: what is new is put there, what is gone is taken away.
    ///
    /// # Errors
    /// The process inside is gone.
    pub fn show(&mut self, shown: &BTreeSet<String>) -> io::Result<()> {
        let mut text = String::new();
        self.shown.difference(shown).for_each(|gone| text += &format!("del {gone}\n"));
        shown.difference(&self.shown).for_each(|new| text += &format!("add {new}\n"));
        self.stream.write_all(text.as_bytes())?;
        self.shown.clone_from(shown);
        Ok(())
    }
}

/// What comes with the first byte of the connection: what the game reads from.
fn input(stream: &UnixStream) -> io::Result<OwnedFd> {
    let (_, fd) = descriptors::receive(stream, &mut [0])?;
    fd.ok_or_else(|| Errno::PROTO.into())
}

/// The outer `/dev`, seen from inside.
struct Outer {
    directory: OwnedFd,
    reports: Option<u32>,
}

impl Outer {
    fn path(&self, name: &OsStr) -> PathBuf {
        use rustix::fd::AsRawFd;
        Path::new("/proc/self/fd").join(self.directory.as_raw_fd().to_string()).join(name)
    }

    /// Shows a node inside. It is bound by the descriptor through which it was examined.
    fn add(&self, name: &str) -> io::Result<()> {
        use rustix::fd::AsRawFd;
        if !is_name(name) {
            return Err(Errno::INVAL.into());
        }
        let flags = OFlags::PATH | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let node = rustix::fs::openat(&self.directory, name, flags, Mode::empty())?;
        let about = rustix::fs::fstat(&node)?;
        let expected = if name.starts_with("hidraw") { self.reports } else { Some(INPUT) };
        let is_one = FileType::from_raw_mode(about.st_mode) == FileType::CharacterDevice;
        if !is_one || Some(major(about.st_rdev)) != expected {
            return Err(Errno::NODEV.into());
        }
        let slot = slot(name);
        fs::File::create(&slot)?;
        mount_bind(Path::new("/proc/self/fd").join(node.as_raw_fd().to_string()), &slot)?;
        symlink(&slot, Path::new("/dev").join(name))
    }

    /// Shows it no longer.
    fn remove(name: &str) -> io::Result<()> {
        if !is_name(name) {
            return Err(Errno::INVAL.into());
        }
        fs::remove_file(Path::new("/dev").join(name))?;
        unmount(slot(name), UnmountFlags::DETACH)?;
        fs::remove_file(slot(name))
    }

    fn obey(&self, line: &str) -> io::Result<()> {
        match line.split_once(' ') {
            Some(("add", name)) => self.add(name),
            Some(("del", name)) => Self::remove(name),
            _ => Err(Errno::INVAL.into()),
        }
    }
}

fn slot(name: &str) -> PathBuf {
    Path::new(SLOTS).join(name.replace('/', "-"))
}

/// The major device number of reports, which differs between machines.
fn reports_number() -> Option<u32> {
    let text = fs::read_to_string("/proc/devices").ok()?;
    text.lines().find_map(|line| line.trim().strip_suffix(" hidraw")?.parse().ok())
}

/// A step of the way in, and why it was refused.
#[derive(Debug, thiserror::Error)]
#[error("{step}: {error}")]
pub struct NotPrivate {
    /// What was to be done.
    pub step: &'static str,
    /// What the system says.
    #[source]
    pub error: io::Error,
}

impl NotPrivate {
    /// Whether this machine does not let the account make namespaces.
    #[must_use]
    pub fn is_forbidden(&self) -> bool {
        let refused = [Errno::PERM, Errno::NOSPC, Errno::ACCESS, Errno::INVAL];
        self.step == NAMESPACES && refused.iter().any(|errno| self.error.raw_os_error() == Some(errno.raw_os_error()))
    }
}

const NAMESPACES: &str = "making namespaces of its own";

fn at<T>(step: &'static str, result: Result<T, impl Into<io::Error>>) -> Result<T, NotPrivate> {
    result.map_err(|error| NotPrivate { step, error: error.into() })
}

/// Makes a `/dev` of its own for this process, runs a program in it, and stays until that and all its children have ended: its exit code.
/// This process must have one thread only. The other side of [`Inside`] is its standard input.
///
/// # Errors
/// Which step was refused; then nothing has been started.
pub fn stay(program: &OsStr, arguments: &[OsString]) -> Result<u8, NotPrivate> {
    let told = at("taking the connection", io::stdin().as_fd().try_clone_to_owned())?;
    let told = UnixStream::from(told);
    let input = at("taking the connection", input(&told))?;
    let outer = enter()?;
    let mut lines = BufReader::new(told).lines();
    for line in lines.by_ref().map_while(Result::ok).take_while(|line| line != GO) {
        // A node that has disappeared meanwhile is not missed.
        let _ = outer.obey(&line);
    }
    at("giving up all further rights", rustix::thread::set_no_new_privs(true))?;
    let mut command = Command::new(program);
    command.args(arguments).stdin(Stdio::from(input));
    std::thread::spawn(move || lines.map_while(Result::ok).for_each(|line| drop(outer.obey(&line))));
    at("starting the program", children::run(&mut command, &[]))
}

fn enter() -> Result<Outer, NotPrivate> {
    let (user, group) = (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw());
    // SAFETY: this process has one thread, and keeps its descriptors to itself: nothing of what is shared here is used by anybody else.
    at(NAMESPACES, unsafe { rustix::thread::unshare_unsafe(UnshareFlags::NEWUSER | UnshareFlags::NEWNS) })?;
    at("keeping its account", fs::write("/proc/self/setgroups", "deny"))?;
    at("keeping its account", fs::write("/proc/self/uid_map", format!("{user} {user} 1")))?;
    at("keeping its account", fs::write("/proc/self/gid_map", format!("{group} {group} 1")))?;
    let private = MountPropagationFlags::REC | MountPropagationFlags::PRIVATE;
    at("keeping its mounts to itself", mount_change("/", private))?;
    let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let directory = at("looking at /dev", rustix::fs::open("/dev", flags, Mode::empty()))?;
    let names: Vec<OsString> =
        at("looking at /dev", fs::read_dir("/dev"))?.flatten().map(|entry| entry.file_name()).collect();
    let outer = Outer { directory, reports: reports_number() };
    at("making a /dev of its own", mount("none", "/dev", "tmpfs", MountFlags::NOSUID, Some(c"mode=755")))?;
    for name in names {
        let shown = name.to_string_lossy();
        if HIDDEN.iter().any(|hidden| shown.starts_with(hidden)) {
            continue;
        }
        at("filling it", fill(&outer, &name))?;
    }
    at("filling it", fs::create_dir("/dev/input").and_then(|()| fs::create_dir(SLOTS)))?;
    Ok(outer)
}

/// One entry of the outer `/dev` appears inside, too.
fn fill(outer: &Outer, name: &OsStr) -> io::Result<()> {
    let (from, to) = (outer.path(name), Path::new("/dev").join(name));
    let about = rustix::fs::statat(&outer.directory, name, AtFlags::SYMLINK_NOFOLLOW)?;
    match FileType::from_raw_mode(about.st_mode) {
        FileType::Symlink => symlink(fs::read_link(&from)?, to),
        FileType::Directory => {
            fs::create_dir(&to)?;
            Ok(mount_bind_recursive(&from, &to)?)
        }
        _ => {
            fs::File::create(&to)?;
            Ok(mount_bind(&from, &to)?)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Read;

    #[test]
    fn only_input_nodes_can_be_named() {
        for name in ["input/event0", "input/js12", "hidraw3"] {
            assert!(is_name(name), "{name}");
        }
        for name in [
            "",
            "input",
            "input/event",
            "input/event1x",
            "input/../sda",
            "event3",
            "hidraw",
            "hidraw3/x",
            "sda1",
            "uinput",
            "input/event123456",
        ] {
            assert!(!is_name(name), "{name}");
        }
    }

    #[test]
    fn new_nodes_are_added_and_vanished_ones_removed() {
        let (mut inside, theirs) = Inside::pair().expect("a pair");
        let mut theirs = UnixStream::from(theirs);
        let set = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<BTreeSet<_>>();
        let file = tempfile::tempfile().expect("a file");
        (&file).write_all(b"typed").expect("written");
        inside.begin(&file, &set(&["input/event3", "hidraw1"])).expect("sent");
        inside.show(&set(&["input/event3", "input/js0"])).expect("sent");
        inside.show(&set(&["input/event3", "input/js0"])).expect("sent");
        drop(inside);
        let given = input(&theirs).expect("it comes first");
        assert_eq!(rustix::fs::fstat(&given).expect("a file").st_size, 5);
        let mut text = String::new();
        theirs.read_to_string(&mut text).expect("text");
        assert_eq!(text, "add hidraw1\nadd input/event3\ngo\ndel hidraw1\nadd input/js0\n");
    }
}
