//! The program: arguments, wiring, exit codes.
#![forbid(unsafe_code)]

mod args;
mod demo;
mod draw;
mod exit;
mod frames;
mod home;
mod inspect;
mod list;
mod pack;
mod paper;
mod profile;
mod record;
mod recording_file;
mod replay;
mod run;
mod screen;
mod screen_recorder;
mod send;
mod setup;

use args::{Cli, Verb};
use clap::Parser;
use exit::Exit;
use std::process::ExitCode;

fn main() -> ExitCode {
    let exit = match Cli::parse().verb {
        Verb::Demo(args) => demo::run(&args),
        Verb::Inspect(args) if !args.stream => inspect::run(&args),
        Verb::Inspect(_) => match inspect::stream(std::io::stdin().lock(), std::io::stdout().lock()) {
            Ok(()) => Exit::Fine,
            Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Exit::Fine,
            Err(error) => {
                eprintln!("placid-mantle: inspect: {error}");
                Exit::Failed
            }
        },
        Verb::Mapping => {
            println!("{}", mantle_files::mapping::line(&mantle_core::pad::PadModel::default(), "Placid Mantle pad"));
            Exit::Fine
        }
        Verb::Card(args) => draw::run(&args, mantle_talk::Paper::Card),
        Verb::Curves(args) => draw::run(&args, mantle_talk::Paper::Curves),
        Verb::Profile { act } => profile::run(&act),
        Verb::Pack(args) => pack::pack(&args),
        Verb::Unpack(args) => pack::unpack(&args),
        Verb::Run(args) => run::run(&args),
        Verb::Record(args) => record::run(&args),
        Verb::Send(args) => send::send(&args),
        Verb::Get(args) => send::get(&args),
        Verb::Replay(args) => replay::run(&args),
        Verb::Devices { json } => list::run(json),
        Verb::Setup(args) => setup::run(&args),
        Verb::Uncover { .. } => uncover(),
    };
    exit.into()
}

/// Undoes what a run that is gone has left covered.
fn uncover() -> Exit {
    match mantle_linux::coverer::recover(&mantle_linux::coverer::CoverPaths::default()) {
        Ok(0) => {
            println!("Nothing was covered.");
            Exit::Fine
        }
        Ok(count) => {
            println!("{count} uncovered.");
            Exit::Fine
        }
        Err(error) => {
            eprintln!("placid-mantle: not everything could be uncovered: {error}; try again as root");
            Exit::Failed
        }
    }
}
