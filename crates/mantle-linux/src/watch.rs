//! What the system reports about changed nodes and changed files.

use rustix::fd::OwnedFd;
use rustix::fs::inotify::{self, WatchFlags as Flags};
use std::mem::MaybeUninit;
use std::path::Path;

/// The person's directory, the program's within it, the one for files of a kind: this many may be missing above a file.
const ABOVE: usize = 3;

/// What has changed.
#[derive(Debug, Default)]
pub(crate) struct Changes {
    /// Nodes have come or gone.
    pub scan: bool,
    /// The person's own sheets have changed.
    pub sheets: bool,
    /// The person's profiles have changed.
    pub profiles: bool,
    /// The person's own pad files have changed.
    pub pads: bool,
    /// The person's settings have changed.
    pub settings: bool,
    /// The rules for games have changed.
    pub rules: bool,
    /// Whether the person's login session is in front may have changed.
    pub session: bool,
    /// Nodes whose rights may have changed.
    pub rights: Vec<String>,
}

/// Takes what has changed; if something was missed, everything may have.
pub(crate) fn changes(watcher: &OwnedFd) -> Changes {
    let mut space = [MaybeUninit::<u8>::uninit(); 4096];
    let mut reader = inotify::Reader::new(watcher, &mut space);
    let mut changes = Changes::default();
    while let Ok(event) = reader.next() {
        let name = event.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let overflow = event.events().contains(inotify::ReadFlags::QUEUE_OVERFLOW);
        changes.scan |= overflow || ["hidraw", "event", "js", "input"].iter().any(|start| name.starts_with(start));
        changes.session |= overflow || name == account();
        // A directory may be one that was waited for, or one above it.
        let made = overflow || event.events().contains(inotify::ReadFlags::ISDIR);
        changes.profiles |= made || name.ends_with(".profile.toml");
        changes.pads |= made || name.ends_with(mantle_files::own_pad::ENDING);
        changes.settings |= made || name == mantle_files::settings::FILE;
        changes.rules |= made || name == mantle_files::games::FILE;
        changes.sheets |= made || name.ends_with(".sheet.toml");
        if name.starts_with("hidraw") {
            changes.rights.push(format!("/dev/{name}"));
        } else if name.starts_with("event") {
            changes.rights.push(format!("/dev/input/{name}"));
        }
    }
    changes
}

/// Watches a directory of the person's own files; if it does not exist yet, whether it appears.
pub(crate) fn own(watcher: &OwnedFd, directory: &Path) {
    let changes = Flags::CLOSE_WRITE | Flags::MOVED_TO | Flags::MOVED_FROM | Flags::DELETE;
    // The one above it may be missing as well: the nearest existing one reports when the next one appears.
    let nearest = || directory.ancestors().take(1 + ABOVE).find(|place| place.is_dir());
    let mut place = nearest();
    while let Some(watched) = place {
        let flags = if watched == directory { changes } else { Flags::CREATE | Flags::MOVED_TO };
        // It may be watched already on behalf of another one.
        let _ = inotify::add_watch(watcher, watched, flags | Flags::MASK_ADD);
        // The next one may have appeared before this one was watched.
        place = nearest().filter(|now| *now != watched);
    }
}

/// Where the login manager writes down who is at the machine.
const SESSIONS: &str = "/run/systemd/users";

fn account() -> String {
    rustix::process::getuid().as_raw().to_string()
}

/// Whether the person's login session is in front, according to the login manager; without one it always is.
pub(crate) fn session_in_front() -> bool {
    let text = std::fs::read_to_string(Path::new(SESSIONS).join(account())).unwrap_or_default();
    text.lines().find_map(|line| line.strip_prefix("STATE=")).is_none_or(|state| state != "online")
}

/// Watches the nodes of devices.
pub(crate) fn dev() -> rustix::io::Result<OwnedFd> {
    let watcher = inotify::init(inotify::CreateFlags::NONBLOCK | inotify::CreateFlags::CLOEXEC)?;
    let flags = Flags::CREATE | Flags::DELETE | Flags::ATTRIB;
    inotify::add_watch(&watcher, "/dev", flags)?;
    let _ = inotify::add_watch(&watcher, "/dev/input", flags);
    let _ = inotify::add_watch(&watcher, SESSIONS, Flags::MOVED_TO | Flags::CLOSE_WRITE);
    Ok(watcher)
}
