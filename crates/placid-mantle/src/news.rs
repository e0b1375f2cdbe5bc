//! News for whoever does not look, and word of the machine's sleep: what the engine has to do with the session's buses.

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

/// The machine is not kept awake for longer than this.
const PATIENCE: Duration = Duration::from_secs(2);

/// Tells the desktop, and those who play by their devices, what the sentences say.
#[derive(Debug)]
pub struct News {
    desk: NewsDesk,
    notices: Notices,
    /// Those who are told by their own devices are told by the engine.
    give: OrderSender,
}

impl News {
    /// News of an engine. Where `speaks`, what is wrong with the bus is said on standard error.
    pub fn new(speaks: bool, give: OrderSender) -> Self {
        let notices = Notices::start(move |fault| {
            if speaks {
                say_error!("placid-mantle: notifications do not work: {fault}");
            }
        });
        Self { desk: NewsDesk::default(), notices, give }
    }

    /// When it wants the sentences again.
    pub fn due(&self) -> Option<Micros> {
        self.desk.due()
    }

    /// The sentences are these.
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

/// Has the engine hear of the machine's sleep; the machine sleeps once its pads rest.
pub fn watch_sleep(screens: Screens, give: OrderSender, speaks: bool) {
    let heard = move |asleep| ask(&screens, &give, Wish::Sleep(asleep));
    mantle_bus::watch_sleep(heard, move |fault| {
        if speaks {
            say_error!("placid-mantle: {fault}");
        }
    });
}

/// Asks the engine of this process for something, and waits until it is done.
fn ask(screens: &Screens, give: &OrderSender, wish: Wish) {
    let (wake, woken) = channel();
    let mailbox = Mailbox::new(move || {
        let _ = wake.send(());
    });
    // With as many scripts as there may be the engine hears of it all the same, and nobody waits.
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
