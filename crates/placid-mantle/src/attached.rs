//! Without a verb: a screen for the running engine or, if there is none, a screen with its own engine.

use crate::args::StripArgs;
use crate::exit::{Exit, refuse};
use crate::run::{self, Machine};
use crate::say::{say, say_error};
use crate::screen;
use crate::screen_args::ScreenArgs;
use mantle_engine::{Comes, Mailbox};
use mantle_link::{Attached, Greeting, LinkFault, Place, attach};
use mantle_talk::SlotNumber;
use mantle_tui::{Outcome, Strip, Wake};
use std::io::{BufRead, Write};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, PoisonError};

/// Opens a screen.
pub fn open(args: ScreenArgs) -> Exit {
    let place = match Place::of_this_account() {
        Ok(place) => place,
        // Without a place for the socket, there cannot be an engine to attach to.
        Err(why) => {
            say_error!("placid-mantle: {why}; this engine ends with its screen, and scripts cannot use it");
            return alone(args, None);
        }
    };
    match place.take() {
        Ok(held) => alone(args, Some(held)),
        Err(LinkFault::Taken(_)) => look_on(args, &place),
        Err(other) => refuse(other.to_string()),
    }
}

/// Opens a screen with its own engine.
fn alone(args: ScreenArgs, held: Option<mantle_link::Held>) -> Exit {
    if let Err(unfit) = mantle_tui::check_terminal(args.ascii) {
        return refuse(unfit.to_string());
    }
    match Machine::take(false, false) {
        Ok(machine) => run::open(args, machine, held),
        Err(exit) => exit,
    }
}

/// Opens a screen for the running engine.
fn look_on(args: ScreenArgs, place: &Place) -> Exit {
    let look = match mantle_tui::check_terminal(args.ascii) {
        Ok(look) => look,
        Err(unfit) => return refuse(unfit.to_string()),
    };
    let Guest { attached, wakes_in, wakes, mailbox, why } = match Guest::come(place) {
        Ok(guest) => guest,
        Err(LinkFault::OtherVersion { theirs, ours, pid }) => return replace(args, place, theirs, ours, pid),
        Err(fault) => {
            say_error!("placid-mantle: {fault}");
            return Exit::Failed;
        }
    };
    let outcome = screen::look_on(args, look, screen::Opening::Greeted, (wakes_in, wakes), &mailbox, |order| {
        attached.give(order)
    });
    let greeting = attached.greeting.clone();
    drop(attached);
    let ended = why.lock().unwrap_or_else(PoisonError::into_inner).take();
    over(outcome, ended, &greeting)
}

/// A screen attached to an engine.
struct Guest {
    attached: Attached,
    wakes_in: Sender<Wake>,
    wakes: Receiver<Wake>,
    mailbox: Mailbox,
    /// Why the engine has stopped answering.
    why: Arc<Mutex<Option<String>>>,
}

impl Guest {
    fn come(place: &Place) -> Result<Self, LinkFault> {
        let (wakes_in, wakes) = channel();
        let mailbox = screen::mailbox(wakes_in.clone());
        let why = Arc::new(Mutex::new(None::<String>));
        let (ends, said) = (wakes_in.clone(), why.clone());
        let attached = attach(place, Comes::AsScreen, mailbox.clone(), move |words| {
            *said.lock().unwrap_or_else(PoisonError::into_inner) = Some(words);
            let _ = ends.send(Wake::Stop);
        })?;
        Ok(Self { attached, wakes_in, wakes, mailbox, why })
    }
}

/// `strip`: one slot's pad of the running engine, in a small terminal.
pub fn strip(args: StripArgs) -> Exit {
    let Some(slot) = SlotNumber::new(args.slot) else {
        return refuse(format!("there is no slot {}: slots are 1 to 8", args.slot));
    };
    let look = match mantle_tui::check_corner(args.ascii) {
        Ok(look) => look,
        Err(unfit) => return refuse(unfit.to_string()),
    };
    let guest = match Place::of_this_account().and_then(|place| Guest::come(&place)) {
        Ok(guest) => guest,
        Err(fault) => {
            say_error!("placid-mantle: {fault}");
            return Exit::NoEngine;
        }
    };
    mantle_tui::watch_terminal(guest.wakes_in.clone());
    screen::end_on_signals(guest.wakes_in.clone());
    let newest = || guest.mailbox.take();
    let outcome = mantle_tui::run_strip(Strip::new(look, slot), &guest.wakes, guest.wakes_in.clone(), newest);
    let ended = guest.why.lock().unwrap_or_else(PoisonError::into_inner).take();
    match outcome {
        Ok(Outcome::Left) => Exit::Fine,
        outcome => over(outcome, ended, &guest.attached.greeting),
    }
}

/// Says how a screen ended.
fn over(outcome: std::io::Result<Outcome>, ended: Option<String>, greeting: &Greeting) -> Exit {
    let Greeting { pid, stays, .. } = greeting;
    match (outcome, ended) {
        (Err(error), _) => {
            say_error!("placid-mantle: the terminal cannot be written to: {error}");
            Exit::Failed
        }
        (Ok(Outcome::Left), _) => {
            let until = if *stays { "until placid-mantle stop" } else { "as long as the screen it belongs to" };
            say!("The engine keeps running (process {pid}), {until}; placid-mantle opens a screen again.");
            Exit::Fine
        }
        (Ok(Outcome::Fallen), _) => {
            say_error!("placid-mantle: the screen has crashed; the engine keeps running (process {pid})");
            Exit::Failed
        }
        (Ok(Outcome::Stopped), Some(why)) => {
            say_error!("placid-mantle: {why}");
            Exit::Failed
        }
        (Ok(Outcome::Stopped), None) => Exit::Fine,
    }
}

/// An engine of another version is running: offers to stop it and start this one.
fn replace(args: ScreenArgs, place: &Place, theirs: u32, ours: u32, pid: i32) -> Exit {
    say_error!(
        "placid-mantle: the running engine (process {pid}) belongs to another version of this program: it speaks version {theirs} of the protocol, this program version {ours}."
    );
    let mut out = std::io::stderr();
    let _ = out
        .write_all(b"End it and start a new one? Its pads disappear and come back. [y/N] ")
        .and_then(|()| out.flush());
    let mut line = String::new();
    let answered = std::io::stdin().lock().read_line(&mut line).is_ok();
    if !answered || !matches!(line.trim(), "y" | "Y" | "yes") {
        say_error!("placid-mantle: it was left running");
        return Exit::Another;
    }
    let process = rustix::process::Pid::from_raw(pid);
    let asked = process.map(|process| rustix::process::kill_process(process, rustix::process::Signal::TERM));
    if !matches!(asked, Some(Ok(()))) {
        return refuse(format!("process {pid} cannot be ended from here: end it yourself"));
    }
    for _ in 0..100 {
        if place.holder().is_none() {
            return open(args);
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    refuse(format!("process {pid} was asked to end and has not: end it yourself"))
}
