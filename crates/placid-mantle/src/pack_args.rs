//! Arguments of `pack` and `unpack`.

use clap::Args;
use std::path::PathBuf;

/// Arguments of `pack`.
#[derive(Args, Debug)]
pub struct PackArgs {
    /// The file to create; it must not exist
    pub pack: PathBuf,
    /// The files to pack: .sheet.toml, .profile.toml, .pad.toml or .card.svg
    #[arg(required_unless_present = "table", conflicts_with = "table")]
    pub files: Vec<PathBuf>,
    /// Pack your whole table instead, for other machines with the same devices at the same ports
    #[arg(long)]
    pub table: bool,
    /// A note about the pack
    #[arg(long, value_name = "TEXT", default_value = "")]
    pub about: String,
}

/// Arguments of `unpack`.
#[derive(Args, Debug)]
pub struct UnpackArgs {
    /// The file
    #[arg(required_unless_present = "undo")]
    pub pack: Option<PathBuf>,
    /// Extract it to this directory, to look at it
    #[arg(long, value_name = "DIRECTORY")]
    pub into: Option<PathBuf>,
    /// Add its files to your own sheets and profiles
    #[arg(long = "use", conflicts_with = "into")]
    pub to_use: bool,
    /// Make the packed table this machine's; what it replaces is kept
    #[arg(long, requires = "to_use")]
    pub table: bool,
    /// Take over what somebody changed in your case: asks first; what it replaces is kept
    #[arg(long, conflicts_with_all = ["into", "to_use"])]
    pub take_over: bool,
    /// With --take-over: do not ask
    #[arg(long, requires = "take_over")]
    pub yes: bool,
    /// Undo the last --take-over, or --use --table
    #[arg(long, conflicts_with_all = ["pack", "into", "to_use", "take_over"])]
    pub undo: bool,
}
