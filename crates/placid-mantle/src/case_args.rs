//! Arguments of `case`.

use crate::screen_args::ScreenArgs;
use clap::Args;
use std::path::PathBuf;

/// Arguments of `case`.
#[derive(Args, Debug)]
pub struct CaseArgs {
    /// The file to create; it must not exist
    #[arg(required_unless_present = "open", conflicts_with = "open")]
    pub file: Option<PathBuf>,
    /// Only the reports of this device: its name, or a unique part of it; can be repeated
    #[arg(long = "device", value_name = "DEVICE", conflicts_with = "open")]
    pub devices: Vec<String>,
    /// Watch for so many seconds first, so that the reports of that time are in it: 0 to 60
    #[arg(long = "for", value_name = "SECONDS", default_value_t = 10, value_parser = clap::value_parser!(u64).range(0..=60), conflicts_with = "open")]
    pub seconds: u64,
    /// Let serial numbers and addresses in
    #[arg(long, conflicts_with = "open")]
    pub serials: bool,
    /// Let nicknames in, and the names of programs, of your account and of this computer
    #[arg(long, conflicts_with = "open")]
    pub names: bool,
    /// Let feature reports in that were read from devices
    #[arg(long, conflicts_with = "open")]
    pub features: bool,
    /// Let the reports of keyboards in: everything that was typed
    #[arg(long, conflicts_with = "open")]
    pub keyboards: bool,
    /// Open a case that was sent to you, as a table of made-up devices
    #[arg(long, value_name = "FILE")]
    pub open: Option<PathBuf>,
    /// Print its pad frames and sentences instead of opening a screen
    #[arg(long, requires = "open")]
    pub headless: bool,
    /// How the screen is drawn.
    #[command(flatten)]
    pub screen: ScreenArgs,
}
