//! The command lines of `record`, `replay`, `send` and `get`.

use crate::screen_args::ScreenArgs;
use clap::Args;
use std::path::PathBuf;

/// Arguments of `record`.
#[derive(Args, Debug)]
pub struct RecordArgs {
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or a part of its name
    pub device: String,
    /// The file, which must not be there yet
    pub file: PathBuf,
    /// End after so many seconds
    #[arg(long = "for", value_name = "SECONDS")]
    pub seconds: Option<f64>,
    /// The largest size of a file
    #[arg(long, value_name = "MIB", default_value_t = 64, value_parser = clap::value_parser!(u64).range(1..=4096))]
    pub most: u64,
    /// Go on in another file when one is full
    #[arg(long)]
    pub rotate: bool,
    /// Write the serial number and the physical path, which can be an address, as well
    #[arg(long)]
    pub serial: bool,
    /// Record a keyboard, and so what is typed
    #[arg(long)]
    pub keyboard: bool,
}

/// Arguments of `send`.
#[derive(Args, Debug)]
pub struct SendArgs {
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or a part of its name
    pub device: String,
    /// Which kind of report
    pub kind: SendKind,
    /// Its bytes in hex, the report id first, 00 where reports have none
    #[arg(required_unless_present = "set", conflicts_with = "set")]
    pub bytes: Vec<String>,
    /// Make the report of its fields instead: USAGE by its name or as PAGE:ID in hex, everything else at rest
    #[arg(long, value_name = "USAGE=VALUE", num_args = 1..)]
    pub set: Vec<String>,
    /// The report's id, where more than one has such fields
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
    /// The device: a node such as /dev/hidraw3, VENDOR:PRODUCT in hex, or a part of its name
    pub device: String,
    /// The report's id, 0 where reports have none
    pub report: u8,
    /// Its fields as well, a line each
    #[arg(long)]
    pub fields: bool,
}

/// Arguments of `replay`.
#[derive(Args, Debug)]
pub struct ReplayArgs {
    /// The recording
    pub file: PathBuf,
    /// No screen: print one line for each frame that a pad would send, as fast as the machine can
    #[arg(long)]
    pub headless: bool,
    /// End after so many seconds of it
    #[arg(long = "for", value_name = "SECONDS", requires = "headless")]
    pub seconds: Option<f64>,
    /// Times as fast: 1 for its own times
    #[arg(long, value_name = "TIMES", default_value_t = 1.0)]
    pub speed: f64,
    /// Over and over
    #[arg(long = "loop")]
    pub looped: bool,
    /// Wait before the first report; `.` sends the next one
    #[arg(long, conflicts_with = "headless")]
    pub step: bool,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}
