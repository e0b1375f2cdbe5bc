//! The program: arguments, wiring, exit codes.
#![forbid(unsafe_code)]

mod args;
mod demo;
mod exit;
mod frames;
mod inspect;
mod screen;

use args::{Cli, Verb};
use clap::Parser;
use exit::Exit;
use std::process::ExitCode;

fn main() -> ExitCode {
    let exit = match Cli::parse().verb {
        Verb::Demo(args) => demo::run(&args),
        Verb::Inspect { .. } => match inspect::stream(std::io::stdin().lock(), std::io::stdout().lock()) {
            Ok(()) => Exit::Fine,
            Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Exit::Fine,
            Err(error) => {
                eprintln!("placid-mantle: inspect: {error}");
                Exit::Failed
            }
        },
        _ => Exit::Failed,
    };
    exit.into()
}
