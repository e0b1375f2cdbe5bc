//! Screens and scripts that come, ask, stall, break off and send nonsense; the engine goes on, and everyone gets what is theirs.

use crossbeam_channel::RecvTimeoutError;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::table::{Effect, Settings, Table};
use mantle_engine::{Comes, Happening, Mailbox, OrderSender, Orders, Publisher, Screens, World};
use mantle_link::{Attached, LinkFault, Place, Served, ToEngine, ToScreen, attach, serve};
use mantle_talk::{Answer, Command, CommandNumber, Header, Micros, Order, SlotNumber, Snapshot, VERSION, Watch, Wish};
use std::io::{Read, Write};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixStream;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// Long enough for any machine; nothing is measured by it.
const PATIENCE: Duration = Duration::from_secs(60);

/// A world in which nothing happens except on request, by the clock.
struct Quiet {
    orders: Orders,
    began: Instant,
}

impl World for Quiet {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        let now = || Micros(self.began.elapsed().as_micros() as u64 + 1);
        let wait = until.map_or(PATIENCE, |until| Duration::from_micros(until.since(now()).0));
        match self.orders.channel.recv_timeout(wait) {
            Ok(order) if order.wish == Wish::Stop => Happening::End,
            Ok(order) => Happening::Order(now(), Box::new(order)),
            Err(RecvTimeoutError::Timeout) => Happening::Time(now()),
            Err(RecvTimeoutError::Disconnected) => Happening::End,
        }
    }

    fn write(&mut self, _: SlotNumber, _: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn files(&self) -> mantle_engine::FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, _: Effect) {}
}

/// An engine with its socket.
struct Engine {
    place: Place,
    served: Option<Served>,
    give: OrderSender,
    thread: Option<std::thread::JoinHandle<()>>,
    _runtime: tempfile::TempDir,
}

impl Engine {
    fn start() -> Self {
        let runtime = tempfile::tempdir().expect("a directory");
        std::fs::set_permissions(runtime.path(), std::fs::Permissions::from_mode(0o700)).expect("its mode");
        let place = Place::within(runtime.path()).expect("a place");
        let (give, orders) = mantle_engine::orders(|| {});
        let screens = Screens::default();
        let served = serve(place.take().expect("the lock"), screens.clone(), give.clone(), true).expect("a socket");
        let thread = std::thread::spawn(move || {
            let mut publisher = Publisher::of(screens, Header { title: "quiet".into(), ..Header::default() });
            let mut world = Quiet { orders, began: Instant::now() };
            mantle_engine::run(&mut world, &mut Table::new(Settings::default()), &mut publisher);
        });
        Self { place, served: Some(served), give, thread: Some(thread), _runtime: runtime }
    }

    fn end(&mut self) {
        self.give.give(Order::unanswered(Wish::Stop));
        drop(self.served.take());
        if let Some(thread) = self.thread.take() {
            thread.join().expect("it ends in order");
        }
    }

    fn come(&self, comes: Comes) -> Result<Guest, LinkFault> {
        let (news, told) = channel();
        let mailbox = Mailbox::new(move || {
            let _ = news.send(());
        });
        let (ends, ended) = channel();
        let attached = attach(&self.place, comes, mailbox.clone(), move |why| {
            let _ = ends.send(why);
        })?;
        Ok(Guest { attached, mailbox, told, ended })
    }

    /// A connection that sends whatever it likes.
    fn raw(&self) -> UnixStream {
        let stream = UnixStream::connect(self.place.socket()).expect("it is there");
        stream.set_read_timeout(Some(PATIENCE)).expect("a limit");
        stream
    }
}

impl Drop for Engine {
    fn drop(&mut self) {
        self.end();
    }
}

/// Somebody who is attached.
struct Guest {
    attached: Attached,
    mailbox: Mailbox,
    told: Receiver<()>,
    ended: Receiver<String>,
}

impl Guest {
    fn order(&self, number: u32, wish: Wish) {
        self.attached.give(Order { number: CommandNumber(number), wish });
    }

    /// The first snapshot that meets a condition.
    fn wait(&self, what: impl Fn(&Snapshot) -> bool) -> Arc<Snapshot> {
        let until = Instant::now() + PATIENCE;
        loop {
            if let Some(snapshot) = self.mailbox.take().filter(|snapshot| what(snapshot)) {
                return snapshot;
            }
            self.told.recv_timeout(until - Instant::now()).expect("it comes");
        }
    }

    /// The answer to an order.
    fn answer(&self, number: u32) -> Answer {
        let own = |snapshot: &Snapshot| snapshot.answers.iter().find(|(own, _)| own.0 == number).cloned();
        let snapshot = self.wait(|snapshot| own(snapshot).is_some());
        own(&snapshot).expect("it is there").1
    }
}

fn frame(message: &ToEngine) -> Vec<u8> {
    let text = serde_json::to_vec(message).expect("JSON");
    [&(text.len() as u32).to_le_bytes()[..], &text].concat()
}

fn hello(version: u32, screen: bool) -> Vec<u8> {
    frame(&ToEngine::Hello { version, screen })
}

/// The next message.
fn read(stream: &mut UnixStream) -> Option<ToScreen> {
    let mut length = [0; 4];
    stream.read_exact(&mut length).ok()?;
    let mut bytes = vec![0; u32::from_le_bytes(length) as usize];
    stream.read_exact(&mut bytes).ok()?;
    Some(serde_json::from_slice(&bytes).expect("a message"))
}

#[test]
fn each_screen_has_its_own_view_and_its_own_answers() {
    let engine = Engine::start();
    let (one, other) = (engine.come(Comes::AsScreen).expect("one"), engine.come(Comes::AsScreen).expect("another"));
    one.order(1, Wish::Watch(Watch { shelf: Some((0, 0)), ..Watch::default() }));
    let seen = one.wait(|snapshot| snapshot.shelf.is_some());
    assert_eq!(seen.header.title, "quiet");
    assert!(seen.header.attached.as_ref().is_some_and(|who| who.contains(&std::process::id().to_string())));
    other.order(1, Wish::Command(Command::LetGo));
    assert!(matches!(other.answer(1), Answer::Done { said, .. } if said == "everything is let go"));
    // What one does is seen by all; what one looks at, and is answered, only by itself.
    let seen = one.wait(|snapshot| snapshot.paused);
    assert!(seen.shelf.is_some());
    assert!(
        seen.answers.iter().all(|(number, answer)| number.0 == 1 && *answer == Answer::PLAIN),
        "{:?}",
        seen.answers
    );
    other.order(2, Wish::Command(Command::Resume));
    let seen = other.wait(|snapshot| !snapshot.paused);
    assert!(seen.shelf.is_none());
}

#[test]
fn a_stalled_screen_delays_nobody_and_later_gets_the_newest_state() {
    let engine = Engine::start();
    let mut stuck = engine.raw();
    stuck.write_all(&hello(VERSION, true)).expect("written");
    let journal = Wish::Watch(Watch { journal: true, shelf: Some((0, 0)), ..Watch::default() });
    stuck.write_all(&frame(&ToEngine::Order(Box::new(Order::unanswered(journal))))).expect("written");
    let busy = engine.come(Comes::AsScreen).expect("a screen");
    // Far more than the socket holds.
    for n in 1..=60 {
        busy.order(n, Wish::Command(if n % 2 == 1 { Command::LetGo } else { Command::Resume }));
        let _ = busy.answer(n);
    }
    busy.order(61, Wish::Command(Command::LetGo));
    let _ = busy.answer(61);
    busy.order(62, Wish::Watch(Watch::default()));
    let newest = busy.wait(|_| true).journal.last().map(|row| row.at);
    let mut count = 0;
    loop {
        match read(&mut stuck).expect("a message") {
            ToScreen::Snapshot(snapshot) if snapshot.journal.last().map(|row| row.at) == newest => break,
            ToScreen::Snapshot(_) => count += 1,
            other => assert!(matches!(other, ToScreen::Welcome(_)), "{other:?}"),
        }
        assert!(count < 55, "a queue was kept");
    }
}

#[test]
fn eight_screens_fit_and_a_ninth_is_refused_with_a_reason() {
    let engine = Engine::start();
    let mut all: Vec<Guest> = (0..8).map(|_| engine.come(Comes::AsScreen).expect("there is room")).collect();
    match engine.come(Comes::AsScreen) {
        Err(LinkFault::Refused(why)) => assert!(why.contains("8 of its kind are already connected"), "{why}"),
        other => panic!("{:?}", other.map(|_| ())),
    }
    let script = engine.come(Comes::AsScript).expect("a script takes no screen's place");
    script.order(9, Wish::Command(Command::LetGo));
    assert!(matches!(script.answer(9), Answer::Done { .. }));
    // However one of them goes, its place is free again.
    drop(all.swap_remove(3));
    let until = Instant::now() + PATIENCE;
    while engine.come(Comes::AsScreen).is_err() {
        assert!(Instant::now() < until, "its place is not free again");
        std::thread::yield_now();
    }
}

#[test]
fn malformed_input_is_refused_with_a_reason_and_affects_nobody_else() {
    let engine = Engine::start();
    let watcher = engine.come(Comes::AsScreen).expect("a screen");
    let welcome = |bytes: &[u8]| [&hello(VERSION, true)[..], bytes].concat();
    let cases: [(Vec<u8>, &str); 6] = [
        (hello(VERSION + 1, true), "this engine version"),
        (frame(&ToEngine::Order(Box::new(Order::unanswered(Wish::Stop)))), "has to be Hello"),
        (vec![255; 8], "at most 1048576"),
        (b"\x07\0\0\0nonsens".to_vec(), "not a valid message"),
        (welcome(&hello(VERSION, true)), "already received"),
        (welcome(b"\x40\0\0\0{\"Order\""), "not complete within 2 s"),
    ];
    for (bytes, why) in cases {
        let mut stream = engine.raw();
        stream.write_all(&bytes).expect("written");
        let refused = loop {
            match read(&mut stream) {
                Some(ToScreen::Refused { why, version }) => {
                    assert_eq!(version, VERSION);
                    break why;
                }
                Some(_) => {}
                None => panic!("it was closed without a reason: {why}"),
            }
        };
        assert!(refused.contains(why), "{refused:?} does not say {why:?}");
        assert_eq!(read(&mut stream), None, "and then it is closed");
    }
    watcher.order(5, Wish::Command(Command::LetGo));
    assert!(matches!(watcher.answer(5), Answer::Done { .. }));
}

#[test]
fn a_flood_of_orders_delays_only_itself() {
    let engine = Engine::start();
    let (flood, calm) = (engine.come(Comes::AsScreen).expect("one"), engine.come(Comes::AsScreen).expect("another"));
    for n in 1..=5000 {
        flood.order(n, Wish::Watch(Watch::default()));
    }
    calm.order(1, Wish::Command(Command::LetGo));
    assert!(matches!(calm.answer(1), Answer::Done { .. }));
    // None of the flood is lost; it is only taken in time.
    let seen = flood.wait(|snapshot| snapshot.answers.iter().any(|(number, _)| number.0 >= 400));
    assert!(seen.answers.iter().all(|(number, _)| number.0 < 5000), "all of it was taken at once");
}

#[test]
fn screens_are_told_when_the_engine_ends_and_a_new_one_can_start() {
    let mut engine = Engine::start();
    let guest = engine.come(Comes::AsScreen).expect("a screen");
    guest.order(1, Wish::Command(Command::LetGo));
    let _ = guest.answer(1);
    assert!(matches!(engine.place.take(), Err(LinkFault::Taken(holder)) if holder.pid == std::process::id() as i32));
    engine.end();
    assert_eq!(guest.ended.recv_timeout(PATIENCE).as_deref(), Ok("the engine has ended"));
    assert!(matches!(engine.come(Comes::AsScript), Err(LinkFault::Nobody)));
    assert!(!engine.place.socket().exists());
    assert!(engine.place.take().is_ok());
}
