//! Writes what a package carries besides the programs, into a directory: man pages, completions, units, the udev rule.
//!
//!     cargo run --package placid-mantle --example package-files -- DIRECTORY

#[allow(dead_code, reason = "the whole command line is described; nothing of it is run")]
#[path = "../src/args.rs"]
mod args;
#[allow(dead_code, reason = "as above")]
#[path = "../src/case_args.rs"]
mod case_args;
#[allow(dead_code, reason = "as above")]
#[path = "../src/pack_args.rs"]
mod pack_args;
#[allow(dead_code, reason = "as above")]
#[path = "../src/profile_args.rs"]
mod profile_args;
#[allow(dead_code, reason = "as above")]
#[path = "../src/recording_args.rs"]
mod recording_args;
#[allow(dead_code, reason = "as above")]
#[path = "../src/screen_args.rs"]
mod screen_args;
#[path = "../src/units.rs"]
mod units;

use clap::CommandFactory;
use clap_complete::{Shell, generate_to};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

const BY: &str = "Part of the package placid-mantle.";

fn main() -> io::Result<()> {
    let Some(to) = std::env::args_os().nth(1).map(PathBuf::from) else {
        return Err(io::Error::other("which directory?"));
    };
    for part in ["man", "completions", "units"] {
        fs::create_dir_all(to.join(part))?;
    }
    let command = args::Cli::command();
    clap_mangen::generate_to(command.clone(), to.join("man"))?;
    for shell in [Shell::Bash, Shell::Zsh, Shell::Fish] {
        generate_to(shell, &mut command.clone(), "placid-mantle", to.join("completions"))?;
    }
    let put = |name: &str, text: String| fs::write(to.join("units").join(name), text);
    let helper = Path::new(units::PACKAGED).join(units::HELPER);
    put("placid-mantle.service", units::engine(BY, "/usr/bin/placid-mantle"))?;
    put("placid-mantle-helper.socket", units::helper_socket(BY))?;
    put("placid-mantle-helper.service", units::helper_service(BY, &helper.display().to_string()))?;
    // Under the name of the rule that setup writes, which takes its place.
    let rule = mantle_core::cover::setup_rule(&[], None);
    let (_, lines) = rule.split_once('\n').unwrap_or(("", &rule));
    put("70-placid-mantle.rules", format!("# {BY}\n{lines}"))
}
