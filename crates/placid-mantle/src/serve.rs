//! `serve`: the engine alone. Screens and scripts come and go by its socket.

use crate::args::ServeArgs;
use crate::demo;
use crate::exit::{Exit, refuse};
use crate::journal::Journal;
use crate::news::{self, News};
use crate::run::Machine;
use crate::say::{say, say_error};
use crate::screen::ScreenObserver;
use mantle_core::table::{Settings, Table};
use mantle_engine::{OrderSender, Screens, World};
use mantle_link::{Held, LinkFault, Place};
use mantle_linux::LinuxWorld;
use mantle_sim::{Alongside, Pace, SimWorld};
use mantle_talk::{Header, Order, Wish};
use std::os::linux::net::SocketAddrExt;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::net::{SocketAddr, UnixDatagram};
use std::sync::Arc;

/// Runs the engine until it is stopped.
pub fn run(args: &ServeArgs) -> Exit {
    let held = match Place::of_this_account().and_then(|place| place.take()) {
        Ok(held) => held,
        Err(taken @ LinkFault::Taken(_)) => {
            say_error!("placid-mantle: {taken}");
            return Exit::Another;
        }
        Err(fault) => return refuse(fault.to_string()),
    };
    if let Some(scene) = &args.scene {
        return simulated(scene, held);
    }
    let mut machine = match Machine::take(args.bare, true) {
        Ok(machine) => machine,
        Err(exit) => return exit,
    };
    machine.say_warnings();
    machine.settings.cover &= machine.settings.preferences.covers_served;
    if !rustix::process::geteuid().is_root() && machine.settings.cover {
        say!("note: without root devices are held, not hidden; a game may list one beside its pad, as a dead pad");
    }
    let header = machine.header();
    let Machine { paths, settings, lock, .. } = machine;
    let (world, give) = match LinuxWorld::new(&paths, lock) {
        Ok(made) => made,
        Err(error) => return refuse(format!("the machine cannot be watched for devices: {error}")),
    };
    let table = Table::new(Settings { front: world.front(), ..settings });
    if let Some(text) = world.front().sentence() {
        say!("look: {text}");
    }
    let world = Alongside::new(world, give.clone(), Arc::new(crate::screen_recorder::open));
    stay(world, table, give, header, held)
}

/// Runs it over a simulated world.
fn simulated(scene: &str, held: Held) -> Exit {
    let (scene, directory) = match demo::load(scene) {
        Ok(found) => found,
        Err(fault) => return refuse(fault.to_string()),
    };
    let (give, orders) = mantle_engine::orders(|| {});
    let device = |name: &str| demo::device(name, directory.as_deref());
    let world = match SimWorld::with_devices(&scene, Pace::Clock, Some(orders), device) {
        Ok(world) => world,
        Err(fault) => return refuse(fault.to_string()),
    };
    // The simulated world does not handle signals.
    let ends = give.clone();
    if let Ok(mut signals) = signal_hook::iterator::Signals::new(mantle_linux::signals_that_end()) {
        std::thread::spawn(move || {
            for _ in signals.forever() {
                ends.give(Order::unanswered(Wish::Stop));
            }
        });
    }
    let table = Table::new(world.settings());
    let header = Header { title: scene.title.clone(), demo: true, ..Header::default() };
    let world = Alongside::new(world, give.clone(), Arc::new(crate::screen_recorder::open));
    stay(world, table, give, header, held)
}

/// Runs the engine with its log and its socket until it ends.
fn stay(mut world: impl World, mut table: Table, give: OrderSender, header: Header, held: Held) -> Exit {
    let (screens, socket) = (Screens::default(), held.place.socket());
    let served = match mantle_link::serve(held, screens.clone(), give.clone(), true) {
        Ok(served) => served,
        Err(fault) => return refuse(fault.to_string()),
    };
    news::watch_sleep(screens.clone(), give.clone(), true);
    let mut observer = ScreenObserver::new(screens, header);
    observer.journal = Some(Journal::begin());
    observer.news = Some(News::new(true, give.clone()));
    say!("screens and scripts: {}", socket.display());
    notify("READY=1");
    mantle_engine::run(&mut world, &mut table, &mut observer);
    notify("STOPPING=1");
    // Whoever waits for the end waits until the last pad is gone.
    drop(world);
    drop(served);
    observer.journal.map_or(Exit::Fine, |journal| journal.exit())
}

/// Reports the state to the service manager that started us, if any (sd_notify(3)).
fn notify(state: &str) {
    let Some(path) = std::env::var_os("NOTIFY_SOCKET") else { return };
    let address = match path.as_bytes() {
        [b'@', name @ ..] => SocketAddr::from_abstract_name(name),
        _ => SocketAddr::from_pathname(&path),
    };
    let sent = address.and_then(|address| UnixDatagram::unbound()?.send_to_addr(state.as_bytes(), &address));
    if let Err(error) = sent {
        say_error!("placid-mantle: the service manager cannot be informed that the engine is {state}: {error}");
    }
}
