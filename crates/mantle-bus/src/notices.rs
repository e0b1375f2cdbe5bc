//! Notifications of the desktop (`org.freedesktop.Notifications`, Desktop Notifications Specification 1.2).

use crate::{BusFault, PATIENCE};
use crossbeam_channel::{Receiver, Sender, bounded, unbounded};
use mantle_core::news::Message;
use mantle_core::path::NewsKind;
use std::collections::HashMap;
use zbus::Variant;

const NAME: &str = "org.freedesktop.Notifications";
const PATH: &str = "/org/freedesktop/Notifications";
/// It stays until it is dismissed or withdrawn.
const FOR_GOOD: i32 = 0;
/// Messages that may wait for a bus that does not answer; more are dropped.
const WAITING: usize = 32;

/// What the desktop shows. Dropping this withdraws it.
#[derive(Debug)]
pub struct Notices {
    give: Option<Sender<Message>>,
    ended: Receiver<()>,
}

impl Notices {
    /// Begins; a session bus is looked for when there is something to say. `fault` is told why nobody can be told, once until it works again.
    #[must_use]
    pub fn start(fault: impl Fn(&BusFault) + Send + 'static) -> Self {
        let (give, messages) = bounded(WAITING);
        let (end, ended) = unbounded();
        std::thread::spawn(move || {
            show(&messages, fault);
            drop(end);
        });
        Self { give: Some(give), ended }
    }

    /// Something is to be told, or is over. Never waits.
    pub fn tell(&self, message: Message) {
        if let Some(give) = &self.give {
            // With this many waiting, nobody reads them.
            let _ = give.try_send(message);
        }
    }
}

impl Drop for Notices {
    fn drop(&mut self) {
        self.give = None;
        // Either it is over soon, or the bus does not answer, and then nobody waits for it.
        let _ = self.ended.recv_timeout(PATIENCE);
    }
}

/// Shows what it is told until nobody has anything more to tell, and then withdraws what is shown.
fn show(messages: &Receiver<Message>, fault: impl Fn(&BusFault)) {
    let mut shown = Shown::default();
    let mut fails = false;
    for message in messages {
        match zbus::block_on(shown.handle(message)) {
            Ok(()) => fails = false,
            Err(why) => {
                // It is found anew the next time.
                shown.bus = None;
                if !std::mem::replace(&mut fails, true) {
                    fault(&why);
                }
            }
        }
    }
    let stand: Vec<NewsKind> = shown.numbers.keys().copied().collect();
    for kind in stand {
        let _ = zbus::block_on(shown.handle(Message::Withdraw(kind)));
    }
}

/// What stands on the screen.
#[derive(Default)]
struct Shown {
    bus: Option<zbus::Proxy<'static>>,
    /// The desktop's number for the message of a kind.
    numbers: HashMap<NewsKind, u32>,
}

impl Shown {
    async fn handle(&mut self, message: Message) -> Result<(), BusFault> {
        match message {
            Message::Tell(kind, text) => {
                let replaces = self.numbers.get(&kind).copied().unwrap_or(0);
                let urgency = HashMap::from([("urgency", Variant::from(if kind.is_urgent() { 2u8 } else { 1u8 }))]);
                let actions: Vec<&str> = Vec::new();
                let body = (
                    "Placid Mantle",
                    replaces,
                    "input-gaming",
                    kind.title(),
                    escaped(&text),
                    actions,
                    urgency,
                    FOR_GOOD,
                );
                let bus = self.bus().await?;
                let number: u32 =
                    bus.call("Notify", &body).await.map_err(BusFault::of("the desktop does not show notifications"))?;
                self.numbers.insert(kind, number);
            }
            Message::Withdraw(kind) => {
                let Some(number) = self.numbers.remove(&kind) else { return Ok(()) };
                let bus = self.bus().await?;
                let withdrawn: Result<(), zbus::Error> = bus.call("CloseNotification", &(number,)).await;
                // Somebody may have closed it: then the desktop no longer knows it.
                if let Err(error) = withdrawn
                    && !matches!(error, zbus::Error::MethodError(..))
                {
                    return Err(BusFault::of("a notification cannot be withdrawn")(error));
                }
            }
        }
        Ok(())
    }

    async fn bus(&mut self) -> Result<&zbus::Proxy<'static>, BusFault> {
        if self.bus.is_none() {
            let fault = BusFault::of("there is no session bus for notifications");
            let builder = zbus::connection::Builder::session().method_timeout(PATIENCE);
            let connection = builder.build().await.map_err(&fault)?;
            self.bus = Some(zbus::Proxy::new_owned(connection, NAME, PATH, NAME).await.map_err(&fault)?);
        }
        self.bus.as_ref().ok_or_else(|| BusFault { what: "there is no session bus", why: String::new() })
    }
}

/// Characters with a meaning in the text of a notification are escaped.
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
