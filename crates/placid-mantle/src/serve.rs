//! `serve`: the engine alone. It stays; screens and scripts come and go by its socket.

use crate::args::ServeArgs;
use crate::demo;
use crate::exit::{Exit, refuse};
use crate::run::{Log, Machine};
use crate::say::{say, say_error};
use crate::screen::ScreenObserver;
use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::device::NodeId;
use mantle_core::sheet::Sheet;
use mantle_core::table::{Note, Source, Table};
use mantle_core::time::Micros;
use mantle_engine::{Observer, OrderSender, Screens, World};
use mantle_link::{Held, LinkFault, Place};
use mantle_linux::LinuxWorld;
use mantle_sim::{Alongside, Pace, SimWorld};
use mantle_talk::{FindOrder, Header, HistoryRequest, Order, Watch, Wish};
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
    let machine = match Machine::take(args.bare) {
        Ok(machine) => machine,
        Err(exit) => return exit,
    };
    machine.say_warnings();
    if !rustix::process::geteuid().is_root() && !args.bare {
        say!("look: without root devices are held, not hidden: a game may list one beside its pad, as a dead pad");
    }
    let header = machine.header();
    let Machine { paths, settings, .. } = &machine;
    let (world, give) = match LinuxWorld::new(paths) {
        Ok(made) => made,
        Err(error) => return refuse(format!("the machine cannot be watched: {error}")),
    };
    let world = Alongside::new(world, give.clone(), Arc::new(crate::screen_recorder::open));
    stay(world, Table::new(settings.clone()), give, header, held)
}

/// Over a simulated world.
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
    // The simulated world knows of no signals.
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

/// The engine, its log and its socket, until it ends.
fn stay(mut world: impl World, mut table: Table, give: OrderSender, header: Header, held: Held) -> Exit {
    let (screens, socket) = (Screens::default(), held.place.socket());
    let served = match mantle_link::serve(held, screens.clone(), give, true) {
        Ok(served) => served,
        Err(fault) => return refuse(fault.to_string()),
    };
    let mut observer = Both { log: Log::new(std::io::stdout(), false), screens: ScreenObserver::new(screens, header) };
    say!("screens and scripts: {}", socket.display());
    notify("READY=1");
    mantle_engine::run(&mut world, &mut table, &mut observer);
    notify("STOPPING=1");
    // Whoever waits for the end waits for the last pad to be gone.
    drop(world);
    drop(served);
    observer.log.exit()
}

/// Tells the service manager, if one has started us, how it stands (sd_notify(3)).
fn notify(state: &str) {
    let Some(path) = std::env::var_os("NOTIFY_SOCKET") else { return };
    let address = match path.as_bytes() {
        [b'@', name @ ..] => SocketAddr::from_abstract_name(name),
        _ => SocketAddr::from_pathname(&path),
    };
    let sent = address.and_then(|address| UnixDatagram::unbound()?.send_to_addr(state.as_bytes(), &address));
    if let Err(error) = sent {
        say_error!("placid-mantle: the service manager cannot be told that the engine is {state}: {error}");
    }
}

/// The log, and whoever looks on.
struct Both {
    log: Log<std::io::Stdout>,
    screens: ScreenObserver,
}

impl Observer for Both {
    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        self.screens.handle_report(at, node, bytes);
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        self.screens.handle_history(asker, request);
    }

    fn handle_note(&mut self, note: Note) {
        self.log.handle_note(note.clone());
        self.screens.handle_note(note);
    }

    fn handle_warning(&mut self, note: Note) {
        self.log.handle_warning(note.clone());
        self.screens.handle_warning(note);
    }

    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        self.screens.handle_answer(number, answer);
    }

    fn handle_find(&mut self, now: Micros, order: FindOrder) -> Result<(), String> {
        self.screens.handle_find(now, order)
    }

    fn handle_record(&mut self, now: Micros, source: Option<&Source>, on: bool) -> Result<(), String> {
        self.screens.handle_record(now, source, on)
    }

    fn poll_sheet(&mut self) -> Option<Sheet> {
        self.screens.poll_sheet()
    }

    fn poll_found(&mut self) -> bool {
        self.screens.poll_found()
    }

    fn handle_watch(&mut self, asker: Asker, watch: Watch) {
        self.screens.handle_watch(asker, watch);
    }

    fn deadline(&self) -> Option<Micros> {
        self.screens.deadline()
    }

    fn look(&mut self, now: Micros, table: &Table) {
        self.log.look(now, table);
        self.screens.look(now, table);
    }
}
