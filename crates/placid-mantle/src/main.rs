//! The program: arguments, wiring, exit codes.
#![forbid(unsafe_code)]
// All output goes through `say`.
#![deny(clippy::print_stdout, clippy::print_stderr)]

mod args;
mod asked;
mod asking;
mod attached;
mod case;
mod case_args;
mod case_file;
mod connect;
mod demo;
mod draw;
mod exit;
mod frames;
mod guide;
mod helper;
mod home;
mod inspect;
mod journal;
mod list;
mod log;
mod news;
mod own_pad;
mod pack;
mod pack_args;
mod paper;
mod pickable;
mod play;
mod profile;
mod profile_args;
mod readiness;
mod recipe;
mod record;
mod recording_args;
mod recording_file;
mod replay;
mod report;
mod run;
mod say;
mod screen;
mod screen_args;
mod screen_recorder;
mod send;
mod sentences;
mod serve;
mod service;
mod settings;
mod setup;
mod sight;
mod units;

use crate::say::{say, say_error};
use args::{Cli, ServiceVerb, Verb};
use clap::Parser;
use exit::Exit;
use mantle_core::visible::visible;
use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => return asked_wrongly(&error),
    };
    let Some(verb) = cli.verb else { return attached::open(cli.screen).into() };
    let exit = match verb {
        Verb::Demo(args) => demo::run(&args),
        Verb::Inspect(args) if !args.stream => inspect::run(&args),
        Verb::Inspect(_) => match inspect::stream(std::io::stdin().lock(), std::io::stdout().lock()) {
            Ok(()) => Exit::Fine,
            Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Exit::Fine,
            Err(error) => {
                say_error!("placid-mantle: inspect: {error}");
                Exit::Failed
            }
        },
        Verb::Mapping => {
            say!("{}", mantle_files::mapping::line(&mantle_core::pad::PadModel::default(), "Placid Mantle pad"));
            Exit::Fine
        }
        Verb::Card(args) => draw::run(&args, mantle_talk::Paper::Card),
        Verb::Curves(args) => draw::run(&args, mantle_talk::Paper::Curves),
        Verb::Report(args) => report::run(&args),
        Verb::Profile { act } => profile::run(&act),
        Verb::Case(args) => case::run(&args),
        Verb::Pack(args) => pack::pack(&args),
        Verb::Unpack(args) => pack::unpack(&args),
        Verb::Run(args) => run::run(&args),
        Verb::Serve(args) => serve::run(&args),
        Verb::Strip(args) => attached::strip(args),
        Verb::Service { act: ServiceVerb::Install } => service::install(),
        Verb::Service { act: ServiceVerb::Remove } => service::remove(),
        Verb::Service { act: ServiceVerb::Status } => service::status(),
        Verb::Recipe { name, to_try, screen } => recipe::run(name.as_deref(), to_try, screen),
        Verb::Tour(screen) => demo::tour(screen),
        Verb::Status { json } => asking::status(json),
        Verb::Sight { json, process } => sight::run(json, process),
        Verb::Play(args) => return play::run(&args),
        Verb::InPrivate { command } => return play::stay(&command),
        Verb::Connect(args) => connect::run(&args),
        Verb::Place(args) => asking::place(&args),
        Verb::Lend { device, slot } => asking::lend(&device, slot),
        Verb::Find { device } => asking::find_device(&device),
        Verb::Pad { act } => own_pad::run(&act),
        Verb::Kind { slot, kind, apart } => asking::kind(slot, &kind, apart),
        Verb::Rumble { slot, percent } => asking::rumble(slot, percent),
        Verb::Lamp { slot, shows } => asking::lamp(slot, &shows),
        Verb::Tie { device, slot } => asking::tie(&device, slot),
        Verb::Untie { device, slot } => asking::untie(&device, slot),
        Verb::SameDevice { device, slot } => asking::same_device(&device, slot),
        Verb::Swap { one, other } => asking::swap(one, other),
        Verb::TakeOut { slot } => asking::take_out(slot),
        Verb::UseProfile { slot, profile } => asking::use_profile(slot, profile),
        Verb::Nickname { device, name } => asking::nickname(&device, name),
        Verb::Lock => asking::lock(true),
        Verb::Unlock => asking::lock(false),
        Verb::SitDown { by_two } => asking::sit_down(by_two),
        Verb::Pause { slot } => asking::pause(slot),
        Verb::Resume { slot } => asking::resume(slot),
        Verb::LetGo => asking::let_go(),
        Verb::Stop => asking::stop(),
        Verb::Settings { key, value } => settings::run(key.as_deref(), value.as_deref()),
        Verb::Record(args) => record::run(&args),
        Verb::Send(args) => send::send(&args),
        Verb::Get(args) => send::get(&args),
        Verb::Replay(args) => replay::run(&args),
        Verb::Devices { json } => list::run(json),
        Verb::Readiness { json, fix } => readiness::run(json, fix),
        Verb::Setup(args) => setup::run(&args),
        Verb::Guard => {
            mantle_linux::coverer::guard();
            Exit::Fine
        }
        Verb::Uncover { .. } => uncover(),
    };
    exit.into()
}

/// Prints help and version as requested; mistakes are reported with the offending line, and nothing of it raw.
fn asked_wrongly(error: &clap::Error) -> ExitCode {
    if !error.use_stderr() {
        let _ = error.print();
        return ExitCode::SUCCESS;
    }
    // Parsed again with control characters made visible, since clap quotes arguments as they are.
    let asked = std::env::args_os().map(|one| visible(&one.to_string_lossy()).into_owned());
    let again = Cli::try_parse_from(asked).err();
    let text = again.as_ref().unwrap_or(error).render().to_string();
    text.trim_end().split('\n').for_each(|line| say_error!("{line}"));
    Exit::Usage.into()
}

/// Uncovers what a dead run has left covered.
fn uncover() -> Exit {
    let paths = mantle_linux::coverer::CoverPaths::default();
    match mantle_linux::coverer::recover(&paths) {
        Ok(0) if paths.run.join("ledger.json").exists() => {
            say!(
                "Nothing was left behind. What is hidden now belongs to a running engine, and comes back when that ends or lets go."
            );
            Exit::Fine
        }
        Ok(0) => {
            say!("Nothing was covered.");
            Exit::Fine
        }
        Ok(count) => {
            say!("{count} uncovered.");
            Exit::Fine
        }
        Err(error) => {
            say_error!("placid-mantle: not everything could be uncovered: {error}; try again as root");
            Exit::Failed
        }
    }
}
