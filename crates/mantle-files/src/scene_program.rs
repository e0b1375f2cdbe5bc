//! Programs of a simulated machine: games that start, open what they see, hold it, and end.

use crate::fault::FileFault;
use serde::Deserialize;

/// A program.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneProgram {
    /// Its name.
    pub name: String,
    /// Its process number.
    pub process: u32,
    /// When it is started, in seconds.
    #[serde(default)]
    pub at: f64,
    /// When it ends.
    pub until: Option<f64>,
    /// What it has open: `pads` for everything it considers playable, or devices by name. Nothing by default.
    #[serde(default)]
    pub opens: Vec<String>,
    /// Whether it makes another pad of what it has open.
    #[serde(default)]
    pub makes: bool,
    /// Whether it is a browser.
    #[serde(default)]
    pub browser: bool,
    /// Whether it is shut in, and sees nothing of this machine's devices.
    #[serde(default)]
    pub shut_in: bool,
}

impl SceneProgram {
    /// The value of `opens` for everything playable.
    pub const PADS: &str = "pads";

    /// Whether it is running at a second.
    #[must_use]
    pub fn runs(&self, second: f64) -> bool {
        self.at <= second && self.until.is_none_or(|until| second < until)
    }

    pub(crate) fn check(path: &str, programs: &[Self]) -> Result<(), FileFault> {
        FileFault::most(path, "programs", programs.len(), 32)?;
        for one in programs {
            FileFault::most(path, "characters of a program's name", one.name.chars().count(), 255)?;
            FileFault::most(path, "devices that a program has open", one.opens.len(), 32)?;
        }
        Ok(())
    }
}
