//! What every case needs in the guest: engines, games, and a clean start.

use mantle_lab::{Lines, Reader};
use std::os::unix::fs::{DirBuilderExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::{AtomicU32, Ordering};

/// The ordinary account of the cases; it is in the input group.
pub const PLAYER: u32 = 1000;

/// What every case needs.
pub struct Bench {
    reader: PathBuf,
    homes: AtomicU32,
}

impl Bench {
    /// Sets up.
    pub fn new(reader: &Path) -> Self {
        Self { reader: reader.to_owned(), homes: AtomicU32::new(0) }
    }

    /// A home directory that nobody has used.
    pub fn home(&self) -> PathBuf {
        let home = PathBuf::from(format!("/run/homes/{}", self.homes.fetch_add(1, Ordering::Relaxed)));
        std::fs::create_dir_all(&home).expect("a home");
        std::fs::set_permissions(&home, std::fs::Permissions::from_mode(0o777)).expect("open to all");
        home
    }

    /// The engine's command line, as root or as the player.
    pub fn command(&self, home: &Path, account: Option<u32>, arguments: &[&str]) -> Command {
        let program = env!("CARGO_BIN_EXE_placid-mantle");
        let mut command = match account {
            Some(uid) => {
                let mut command = Command::new("setpriv");
                command
                    .args([format!("--reuid={uid}"), format!("--regid={uid}"), "--groups=input".into()])
                    .arg(program);
                command
            }
            None => Command::new(program),
        };
        command.args(arguments).env("HOME", home).env_remove("XDG_CONFIG_HOME");
        if arguments.first() == Some(&"run") {
            command.arg("--frames");
        }
        command
    }

    /// The game's program.
    pub fn reader(&self) -> &Path {
        &self.reader
    }

    /// The program as it is handed out.
    pub fn shipped(&self) -> PathBuf {
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/ship/placid-mantle")
    }

    /// Starts an engine as root.
    pub fn engine(&self, home: &Path) -> Result<Lines, String> {
        Lines::start(&mut self.command(home, None, &["run", "--headless"]))
    }

    /// Commands of an engine that is served, and of what asks it, in this home.
    ///
    /// # Errors
    /// When its runtime directory cannot be made.
    pub fn served<'a>(&'a self, home: &'a Path) -> Result<impl Fn(&[&str]) -> Command + 'a, String> {
        let run = home.join("run");
        std::fs::DirBuilder::new().mode(0o700).create(&run).map_err(|error| error.to_string())?;
        Ok(move |arguments: &[&str]| {
            let mut command = self.command(home, None, arguments);
            command.env("XDG_RUNTIME_DIR", &run).env("XDG_CONFIG_HOME", home.join("config"));
            command
        })
    }

    /// Starts an engine as root that covers nothing.
    pub fn bare_engine(&self, home: &Path) -> Result<Lines, String> {
        Lines::start(&mut self.command(home, None, &["run", "--headless", "--bare"]))
    }

    /// Starts a game whose library was told nothing.
    pub fn plain_game(&self) -> Result<Reader, String> {
        Reader::start_with(&self.reader, None, &[("READER_PLAIN", "1")])
    }

    /// Starts a game with something in its environment.
    pub fn game_with(&self, account: Option<u32>, environment: &[(&str, &str)]) -> Result<Reader, String> {
        Reader::start_with(&self.reader, account, environment)
    }

    /// Starts a game.
    pub fn game(&self, account: Option<u32>) -> Result<Reader, String> {
        Reader::start(&self.reader, account)
    }
}

/// Ends an engine as a person would, and checks that it ends well.
pub fn end(mut engine: Lines) -> Result<(), String> {
    engine.signal("TERM");
    let status = engine.end()?;
    if status.success() {
        return Ok(());
    }
    Err(format!("it ended with {status}; it said last: {}", engine.said.last().cloned().unwrap_or_default()))
}

/// Waits until an engine's pad of a slot is there.
pub fn pad(engine: &mut Lines, slot: u8) -> Result<String, String> {
    let said = format!("slot {slot}: its pad is ready: ");
    let line = engine.wait(&said, |line| line.contains(&said))?;
    Ok(line.rsplit(' ').next().unwrap_or_default().to_owned())
}

/// Waits until an engine reads this many devices. The kernel tells a stand-in that it is opened a moment before it delivers reports to whoever opens
/// it: only who has the descriptor hears the next one.
pub fn reads(engine: &Lines, devices: usize) -> Result<(), String> {
    let directory = format!("/proc/{}/fd", engine.pid());
    // One that is written to has a second descriptor of the same node.
    let node = |entry: std::fs::DirEntry| std::fs::read_link(entry.path()).ok();
    mantle_lab::wait_for("the engine to listen", || {
        let all = std::fs::read_dir(&directory).into_iter().flatten().flatten().filter_map(node);
        let nodes: std::collections::BTreeSet<_> =
            // One that has gone may still be open, but no longer counts.
            all.filter(|path| {
                let path = path.to_string_lossy();
                path.starts_with("/dev/hidraw") && !path.ends_with("(deleted)")
            })
            .collect();
        let open = nodes.len();
        (open == devices).then_some(())
    })
}

/// Bytes of a hex text.
pub fn bytes(hex: &str) -> Vec<u8> {
    hex.split_whitespace().map(|word| u8::from_str_radix(word, 16).expect("hex")).collect()
}
