//! One look at the machine: every input, joystick and hidraw node, what games' libraries are told about it, and which programs have it open. Nothing
//! is opened for this.

mod browsers;
mod nodes;
mod programs;

pub use nodes::probe;
pub(crate) use programs::is_ours;
pub use programs::read_start;

use mantle_core::sight::{Look, SeenNode};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// Where to look; tests use other places.
#[derive(Clone, Debug)]
pub struct SightPaths {
    /// `/sys`.
    pub sys: PathBuf,
    /// `/dev`.
    pub dev: PathBuf,
    /// `/proc`.
    pub proc: PathBuf,
    /// udev's directory under `/run`.
    pub udev: PathBuf,
    /// Where the desktop entries of programs are.
    pub applications: Vec<PathBuf>,
}

impl Default for SightPaths {
    fn default() -> Self {
        let at = |path: &str| Path::new(path).to_owned();
        let applications = browsers::applications();
        Self { sys: at("/sys"), dev: at("/dev"), proc: at("/proc"), udev: at("/run/udev"), applications }
    }
}

/// Every event, joystick and hidraw node.
#[must_use]
pub fn nodes(paths: &SightPaths) -> Vec<SeenNode> {
    nodes::all(paths)
}

/// Looks once. The process that was asked for is reported even if it has nothing open.
#[must_use]
pub fn look(paths: &SightPaths, asked: Option<u32>) -> Look {
    let nodes = nodes::all(paths);
    let (programs, closed) = programs::all(paths, &nodes, asked);
    let at = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).ok().map(|since| since.as_secs());
    Look { nodes, programs, closed, udev: paths.udev.join("data").is_dir(), at }
}
