//! Arguments of `record`, `replay`, `send` and `get`.

use crate::screen_args::ScreenArgs;
use clap::Args;
use std::path::PathBuf;

/// Arguments of `record`.
#[derive(Args, Debug)]
pub struct RecordArgs {
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or part of its name
    pub device: String,
    /// The file to write; it must not exist
    pub file: PathBuf,
    /// Stop after this many seconds
    #[arg(long = "for", value_name = "SECONDS")]
    pub seconds: Option<f64>,
    /// The maximum size of a file
    #[arg(long, value_name = "MIB", default_value_t = 64, value_parser = clap::value_parser!(u64).range(1..=4096))]
    pub most: u64,
    /// Continue in another file when one is full
    #[arg(long)]
    pub rotate: bool,
    /// Include the serial number and the physical path, which can be an address
    #[arg(long)]
    pub serial: bool,
    /// Record a keyboard, including everything that is typed
    #[arg(long)]
    pub keyboard: bool,
}

/// Arguments of `send`.
#[derive(Args, Debug)]
pub struct SendArgs {
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or part of its name
    pub device: String,
    /// Which kind of report
    pub kind: SendKind,
    /// Its bytes in hex, starting with the report id, 00 if reports have none
    #[arg(required_unless_present = "set", conflicts_with = "set")]
    pub bytes: Vec<String>,
    /// Build the report from fields instead: USAGE by name or as PAGE:ID in hex; all others at rest
    #[arg(long, value_name = "USAGE=VALUE", num_args = 1..)]
    pub set: Vec<String>,
    /// The report's id, if several have such fields
    #[arg(long, value_name = "ID", requires = "set")]
    pub report: Option<u8>,
}

/// Kinds of report that are sent.
#[derive(clap::ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub enum SendKind {
    /// An output report
    Output,
    /// A feature report
    Feature,
}

/// Arguments of `get`.
#[derive(Args, Debug)]
pub struct GetArgs {
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or part of its name
    pub device: String,
    /// The report's id, 0 if reports have none
    pub report: u8,
    /// Also print its fields, one per line
    #[arg(long)]
    pub fields: bool,
}

/// Arguments of `replay`.
#[derive(Args, Debug)]
pub struct ReplayArgs {
    /// The recording
    pub file: PathBuf,
    /// No screen: print one line per frame that a pad would send, as fast as possible
    #[arg(long)]
    pub headless: bool,
    /// Stop after this many seconds of it
    #[arg(long = "for", value_name = "SECONDS", requires = "headless")]
    pub seconds: Option<f64>,
    /// Speed factor; 1 is real time
    #[arg(long, value_name = "TIMES", default_value_t = 1.0)]
    pub speed: f64,
    /// Repeat for ever
    #[arg(long = "loop")]
    pub looped: bool,
    /// Pause before the first report; `.` sends the next one
    #[arg(long, conflicts_with = "headless")]
    pub step: bool,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}
