//! The engine's end: everyone who comes gets a thread that reads and one that writes; the engine itself only leaves letters.

use crate::fault::LinkFault;
use crate::frame::{Broken, FRAME_TIME, Reader, write};
use crate::message::{Greeting, ToEngine, ToScreen};
use crate::place::{Held, Place};
use crossbeam_channel::{Receiver, bounded};
use mantle_engine::{Comes, Mailbox, OrderSender, SCREENS, Screens};
use mantle_talk::{Asker, CalibrationStep, Command, CommandNumber, Order, VERSION, Watch, Wish};
use std::net::Shutdown;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::{UnixListener, UnixStream};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// Orders of one screen or script that are accepted per second; more have to wait.
const ORDERS: u32 = 500;
/// How many bytes wait in the socket for one that does not read.
const UNREAD: usize = 32 * 1024;

/// An engine's open socket. When this is dropped it is closed and removed, and everybody there is told.
#[derive(Debug)]
pub struct Served {
    shared: Arc<Shared>,
    accepting: Option<JoinHandle<()>>,
    _held: Held,
}

struct Shared {
    place: Place,
    greeting: Greeting,
    screens: Screens,
    give: OrderSender,
    ended: AtomicBool,
    /// The streams of everybody there.
    streams: Mutex<Vec<(Asker, UnixStream)>>,
    /// Which screens have the keyboard.
    focused: Mutex<[bool; SCREENS]>,
}

impl std::fmt::Debug for Shared {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Shared").field("place", &self.place).finish_non_exhaustive()
    }
}

/// Opens the socket of an engine, whose orders are given there; `stays` says whether it goes on without any screen.
///
/// # Errors
/// The system refuses.
pub fn serve(held: Held, screens: Screens, give: OrderSender, stays: bool) -> Result<Served, LinkFault> {
    let path = held.place.socket();
    let fault = |what, error| LinkFault::System { what, path: path.clone(), error };
    let listener = UnixListener::bind(&path).map_err(|error| fault("the socket cannot be opened:", error))?;
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600))
        .map_err(|error| fault("the socket cannot be kept for this account:", error))?;
    let greeting = Greeting { version: VERSION, pid: held.holder.pid, since: held.holder.since, stays };
    let shared = Arc::new(Shared {
        place: held.place.clone(),
        greeting,
        screens,
        give,
        ended: AtomicBool::new(false),
        streams: Mutex::default(),
        focused: Mutex::default(),
    });
    let own = shared.clone();
    let accepting = std::thread::spawn(move || {
        for stream in listener.incoming() {
            if own.has_ended() {
                return;
            }
            // One that cannot be accepted has left again.
            if let Ok(stream) = stream {
                let own = own.clone();
                std::thread::spawn(move || own.talk_with(stream));
            }
        }
    });
    Ok(Served { shared, accepting: Some(accepting), _held: held })
}

impl Drop for Served {
    fn drop(&mut self) {
        self.shared.ended.store(true, Ordering::Release);
        // The thread that waits for others is woken by one more.
        let woken = UnixStream::connect(self.shared.place.socket()).is_ok();
        let _ = std::fs::remove_file(self.shared.place.socket());
        for (_, stream) in self.shared.streams.lock().unwrap_or_else(PoisonError::into_inner).drain(..) {
            let _ = stream.shutdown(Shutdown::Both);
        }
        if let Some(accepting) = self.accepting.take().filter(|_| woken) {
            let _ = accepting.join();
        }
    }
}

impl Shared {
    fn has_ended(&self) -> bool {
        self.ended.load(Ordering::Acquire)
    }

    /// Somebody has come.
    fn talk_with(&self, stream: UnixStream) {
        let Ok(mut out) = stream.try_clone() else { return };
        let refuse = |out: &mut UnixStream, why: String| {
            // Whoever is refused may not be reading.
            let _ = out.set_write_timeout(Some(FRAME_TIME));
            let _ = write(out, &ToScreen::Refused { why, version: VERSION });
            let _ = out.shutdown(Shutdown::Both);
        };
        if let Err(why) = may_talk(&stream) {
            return refuse(&mut out, why);
        }
        // What waits in the socket of one that does not read is old by the time it does.
        let _ = rustix::net::sockopt::set_socket_send_buffer_size(&stream, UNREAD);
        let Ok(mut reader) = Reader::new(stream) else { return };
        let comes = match self.hello(&mut reader) {
            Ok(comes) => comes,
            Err(Some(why)) => return refuse(&mut out, why),
            Err(None) => return,
        };
        let (notify, mail) = bounded(1);
        let (wakes, gone) = (notify.clone(), Arc::new(AtomicBool::new(false)));
        let mailbox = Mailbox::new(move || {
            let _ = notify.try_send(());
        });
        let Some(asker) = self.screens.enter(comes, mailbox.clone()) else {
            return refuse(&mut out, format!("{SCREENS} of its kind are already connected: close one of them"));
        };
        if write(&mut out, &ToScreen::Welcome(self.greeting.clone())).is_ok() {
            self.streams.lock().unwrap_or_else(PoisonError::into_inner).extend(out.try_clone().map(|one| (asker, one)));
            if let Ok(writes_to) = out.try_clone() {
                let gone = gone.clone();
                std::thread::spawn(move || write_letters(writes_to, &mailbox, &mail, &gone));
            }
            // It is looked at from now on.
            self.give_as(asker, Order::unanswered(Wish::Watch(Watch::default())));
            if let Err(Broken::Wrong(why)) = self.take_orders(asker, &mut reader) {
                refuse(&mut out, why);
            }
        }
        self.has_gone(asker);
        gone.store(true, Ordering::Release);
        let _ = wakes.try_send(());
        let _ = out.shutdown(Shutdown::Both);
    }

    /// The first message; or else what to answer, if anything.
    fn hello(&self, reader: &mut Reader) -> Result<Comes, Option<String>> {
        let since = Instant::now();
        match reader.next(|| since.elapsed() < FRAME_TIME && !self.has_ended()) {
            Ok(Some(ToEngine::Hello { version, .. })) if version != VERSION => {
                Err(Some(format!("it speaks version {version}, this engine version {VERSION}")))
            }
            Ok(Some(ToEngine::Hello { screen, .. })) => Ok(if screen { Comes::AsScreen } else { Comes::AsScript }),
            Ok(Some(_)) => Err(Some("the first message has to be Hello".into())),
            Ok(None) => Err(Some("nothing was said for 2 s".into())),
            Err(Broken::Wrong(why)) => Err(Some(why)),
            Err(Broken::Gone) => Err(None),
        }
    }

    /// Takes orders until the other end goes.
    fn take_orders(&self, asker: Asker, reader: &mut Reader) -> Result<(), Broken> {
        let (mut second, mut taken) = (Instant::now(), 0);
        loop {
            let Some(message) = reader.next(|| !self.has_ended())? else { return Ok(()) };
            let ToEngine::Order(order) = message else {
                return Err(Broken::Wrong("Hello was already received".into()));
            };
            taken += 1;
            if taken > ORDERS {
                // The rest waits in the socket, so whoever floods it waits for itself.
                std::thread::sleep(Duration::from_secs(1).saturating_sub(second.elapsed()));
            }
            if second.elapsed() >= Duration::from_secs(1) {
                (second, taken) = (Instant::now(), 0);
            }
            self.give_as(asker, *order);
        }
    }

    /// Passes an order on. That a screen has the keyboard is reported for as long as any of them has it.
    fn give_as(&self, asker: Asker, order: Order) {
        let wish = match order.wish {
            Wish::Command(Command::HaveScreen(has)) => Wish::Command(Command::HaveScreen(self.focus(asker, has))),
            wish => wish,
        };
        self.give.give(self.screens.tag(asker, Order { wish, ..order }));
    }

    /// Whether any screen has the keyboard, now that this one has it, or no longer has it.
    fn focus(&self, asker: Asker, has: bool) -> bool {
        let mut focused = self.focused.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(own) = focused.get_mut(usize::from(asker.0)) {
            *own = has;
        }
        focused.iter().any(|one| *one)
    }

    /// Somebody has gone, in whatever way: whatever only a screen can end is ended.
    fn has_gone(&self, asker: Asker) {
        self.streams.lock().unwrap_or_else(PoisonError::into_inner).retain(|(one, _)| *one != asker);
        self.screens.leave(asker);
        if usize::from(asker.0) < SCREENS {
            let has = self.focus(asker, false);
            self.give.give(Order::unanswered(Wish::Command(Command::HaveScreen(has))));
            // What it showed in detail concerns only itself. Nobody waits for the answer.
            let number = CommandNumber::of(asker, 0);
            for command in [Command::LookAt(None), Command::TryPad { slot: None, again: false }] {
                self.give.give(Order { number, wish: Wish::Command(command) });
            }
            if self.screens.count() == 0 {
                let stop = Command::StepCalibration(CalibrationStep::Stop);
                for command in [Command::StopListening, Command::EndCall, Command::MeasureFeel(None), stop] {
                    self.give.give(Order::unanswered(Wish::Command(command)));
                }
            }
        }
    }
}

/// Only this account, and root.
fn may_talk(stream: &UnixStream) -> Result<(), String> {
    let peer = rustix::net::sockopt::socket_peercred(stream)
        .map_err(|error| format!("the client's account is unknown: {error}"))?;
    let (theirs, own) = (peer.uid, rustix::process::geteuid());
    if theirs == own || theirs.is_root() {
        return Ok(());
    }
    Err(format!("this engine belongs to account {}, not to {}", own.as_raw(), theirs.as_raw()))
}

/// Writes what is in the mailbox, always the newest, until the other end takes nothing more.
fn write_letters(mut out: UnixStream, mailbox: &Mailbox, mail: &Receiver<()>, gone: &AtomicBool) {
    while mail.recv().is_ok() && !gone.load(Ordering::Acquire) {
        let written = mailbox
            .take_histories()
            .into_iter()
            .map(|answer| ToScreen::History(Box::new(answer)))
            .chain(mailbox.take_case().into_iter().map(|piece| ToScreen::Case(Box::new(piece))))
            .chain(mailbox.take().map(|snapshot| ToScreen::Snapshot(Box::new(Arc::unwrap_or_clone(snapshot)))))
            .try_for_each(|message| write(&mut out, &message));
        if written.is_err() {
            return;
        }
    }
}
