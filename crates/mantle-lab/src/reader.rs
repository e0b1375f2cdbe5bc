//! What a game sees: a small program using the common game library, with nothing of ours in between.

use crate::lines::Lines;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A game, as far as pads are concerned.
#[derive(Debug)]
pub struct Reader {
    /// Its lines.
    pub lines: Lines,
}

/// Builds the reader with the machine's C compiler; it needs libsdl2-dev.
///
/// # Errors
/// What the compiler said.
pub fn build(directory: &Path) -> Result<PathBuf, String> {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("reader/reader.c");
    std::fs::create_dir_all(directory).map_err(|error| error.to_string())?;
    let out = directory.join("reader");
    let done = Command::new("cc")
        .args(["-O1", "-I/usr/include/SDL2", "-o"])
        .arg(&out)
        .arg(source)
        .arg("-lSDL2")
        .output()
        .map_err(|error| format!("cc: {error}"))?;
    if done.status.success() { Ok(out) } else { Err(String::from_utf8_lossy(&done.stderr).into_owned()) }
}

impl Reader {
    /// Builds the reader.
    ///
    /// # Errors
    /// See [`build`].
    pub fn build(directory: &Path) -> Result<PathBuf, String> {
        build(directory)
    }

    /// Starts a game; `account` is the number of an ordinary account with the input group, or none for root.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn start(program: &Path, account: Option<u32>) -> Result<Self, String> {
        Self::start_with(program, account, &[])
    }

    /// The same with something in its environment.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn start_with(program: &Path, account: Option<u32>, environment: &[(&str, &str)]) -> Result<Self, String> {
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
        let mut lines = Lines::start(command.envs(environment.iter().copied()))?;
        lines.wait("the game to be ready", |line| line == "ready")?;
        Ok(Self { lines })
    }

    /// Waits until the game has a controller; returns its instance number.
    ///
    /// # Errors
    /// After the deadline.
    pub fn added(&mut self) -> Result<i32, String> {
        let line = self.lines.wait("a controller", |line| line.starts_with("added "))?;
        line.split(' ').nth(1).and_then(|number| number.parse().ok()).ok_or_else(|| format!("odd line: {line}"))
    }

    /// All joysticks that the game library lists now.
    ///
    /// # Errors
    /// After the deadline.
    pub fn list(&mut self) -> Result<Vec<String>, String> {
        self.lines.say("list")?;
        let from = self.lines.said.len();
        self.lines.wait("the list", |line| line == "listed")?;
        let all = self.lines.said[from..].iter().filter(|line| line.starts_with("joystick "));
        Ok(all.cloned().collect())
    }
}
