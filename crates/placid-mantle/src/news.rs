//! News for people who are not looking, and the machine's sleep: the engine's business with the D-Bus buses.

use crate::say::say_error;
use mantle_bus::Notices;
use mantle_core::command::{Command, CommandNumber};
use mantle_core::news::{Message, NewsDesk};
use mantle_core::path::Sentence;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::{Comes, Mailbox, OrderSender, Screens};
use mantle_talk::{Order, Wish};
use std::sync::mpsc::channel;
use std::time::{Duration, Instant};

/// The machine is kept awake for no longer than this.
const PATIENCE: Duration = Duration::from_secs(2);

/// Tells the desktop, and players through their devices, what the sentences say.
#[derive(Debug)]
pub struct News {
    desk: NewsDesk,
    notices: Notices,
    /// Players are told by the engine itself.
    give: OrderSender,
}

impl News {
    /// News of an engine. If `speaks`, faults of the bus are reported on standard error.
    pub fn new(speaks: bool, give: OrderSender) -> Self {
        let notices = Notices::start(move |fault| {
            if speaks {
                say_error!("placid-mantle: notifications do not work: {fault}");
            }
        });
        Self { desk: NewsDesk::default(), notices, give }
    }

    /// When it needs the sentences again.
    pub fn due(&self) -> Option<Micros> {
        self.desk.due()
    }

    /// Takes the current sentences.
    pub fn look(&mut self, now: Micros, table: &Table, sentences: &[Sentence]) {
        let choice = table.preferences().news;
        self.desk.look(now, sentences, &choice, table.is_looked_at());
        while let Some(message) = self.desk.poll() {
            if let Message::Tell(kind, _) = &message {
                let slots = self.desk.slots_of(*kind).into_iter().filter(|_| choice.lamp || choice.rumble);
                for slot in slots {
                    let nudge = Command::Nudge { slot, shakes: choice.rumble, blinks: choice.lamp };
                    self.give.give(Order::unanswered(Wish::Command(nudge)));
                }
                if !choice.desktop {
                    continue;
                }
            }
            self.notices.tell(message);
        }
    }
}

/// Tells the engine when the machine is about to sleep; it sleeps once the pads rest.
pub fn watch_sleep(screens: Screens, give: OrderSender, speaks: bool) {
    let heard = move |asleep| ask(&screens, &give, Wish::Sleep(asleep));
    mantle_bus::watch_sleep(heard, move |fault| {
        if speaks {
            say_error!("placid-mantle: {fault}");
        }
    });
}

/// Gives this process's engine an order and waits until it is done.
fn ask(screens: &Screens, give: &OrderSender, wish: Wish) {
    let (wake, woken) = channel();
    let mailbox = Mailbox::new(move || {
        let _ = wake.send(());
    });
    // Even with as many scripts as possible the engine hears of it; nobody waits then.
    let Some(asker) = screens.enter(Comes::AsScript, mailbox.clone()) else {
        return give.give(Order::unanswered(wish));
    };
    let number = CommandNumber(1);
    give.give(screens.tag(asker, Order { number, wish }));
    let until = Instant::now() + PATIENCE;
    let answered = || mailbox.take().is_some_and(|snapshot| snapshot.answers.iter().any(|(own, _)| *own == number));
    while !answered() && woken.recv_timeout(until.saturating_duration_since(Instant::now())).is_ok() {}
    screens.leave(asker);
}
