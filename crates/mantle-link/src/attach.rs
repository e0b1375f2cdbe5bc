//! The other end: a screen or a script at a running engine.

use crate::fault::LinkFault;
use crate::frame::{Broken, FRAME_TIME, Reader, write};
use crate::message::{Greeting, ToEngine, ToScreen};
use crate::place::Place;
use crossbeam_channel::{Sender, unbounded};
use mantle_engine::{Comes, Mailbox};
use mantle_talk::{Order, VERSION};
use std::net::Shutdown;
use std::os::unix::net::UnixStream;
use std::sync::Arc;
use std::time::Instant;

/// The connection to an engine. It is closed when this is dropped.
#[derive(Debug)]
pub struct Attached {
    /// What the engine says of itself.
    pub greeting: Greeting,
    stream: UnixStream,
    orders: Sender<Order>,
}

/// Attaches to the engine of a place: its snapshots come into the mailbox; `ended` is told, on a thread of its own, why nothing more will.
///
/// # Errors
/// There is none, or it does not take us, and why.
pub fn attach(
    place: &Place,
    comes: Comes,
    mailbox: Mailbox,
    ended: impl FnOnce(String) + Send + 'static,
) -> Result<Attached, LinkFault> {
    let path = place.socket();
    let system = |what, error| LinkFault::System { what, path: place.socket(), error };
    let mut stream = UnixStream::connect(&path).map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound | std::io::ErrorKind::ConnectionRefused => LinkFault::Nobody,
        _ => system("the engine cannot be reached:", error),
    })?;
    let broken = |error| system("the engine does not answer:", error);
    // An engine that refuses may do so before it has heard anything, so what it says counts.
    let said = write(&mut stream, &ToEngine::Hello { version: VERSION, screen: comes == Comes::AsScreen });
    let mut reader = stream.try_clone().and_then(Reader::new).map_err(broken)?;
    let since = Instant::now();
    let greeting = match reader.next(|| since.elapsed() < FRAME_TIME) {
        Ok(Some(ToScreen::Welcome(greeting))) => greeting,
        Ok(Some(ToScreen::Refused { version, .. })) if version != VERSION => {
            let pid = place.holder().unwrap_or_default().pid;
            return Err(LinkFault::OtherVersion { theirs: version, ours: VERSION, pid });
        }
        Ok(Some(ToScreen::Refused { why, .. })) => return Err(LinkFault::Refused(why)),
        Ok(Some(_)) => return Err(LinkFault::Refused("it did not send a greeting".into())),
        Ok(None) => return Err(LinkFault::Refused("it said nothing for 2 s".into())),
        Err(Broken::Wrong(why)) => return Err(LinkFault::Refused(why)),
        Err(Broken::Gone) => return Err(said.err().map_or(LinkFault::Nobody, broken)),
    };
    let attached = format!("engine {}", greeting.pid);
    std::thread::spawn(move || {
        let why = loop {
            match reader.next(|| true) {
                Ok(Some(ToScreen::Snapshot(mut snapshot))) => {
                    snapshot.header.attached = Some(attached.clone());
                    mailbox.put(Arc::new(*snapshot), Vec::new());
                }
                Ok(Some(ToScreen::History(answer))) => mailbox.put_history(*answer),
                Ok(Some(ToScreen::Case(piece))) => mailbox.put_case(vec![*piece]),
                Ok(Some(ToScreen::Refused { why, .. })) => break why,
                Ok(Some(ToScreen::Welcome(_))) => {}
                Ok(None) | Err(Broken::Gone) => break "the engine has ended".to_owned(),
                Err(Broken::Wrong(why)) => break format!("what the engine sends cannot be read: {why}"),
            }
        };
        ended(why);
    });
    // A stopped engine takes nothing, so whoever gives orders does not wait for it.
    let (orders, given) = unbounded::<Order>();
    let mut out = stream.try_clone().map_err(broken)?;
    std::thread::spawn(move || {
        for order in given {
            if write(&mut out, &ToEngine::Order(Box::new(order))).is_err() {
                return;
            }
        }
    });
    Ok(Attached { greeting, stream, orders })
}

impl Attached {
    /// Gives an order, which is answered with a snapshot. It is lost if the engine has ended.
    pub fn give(&self, order: Order) {
        let _ = self.orders.send(order);
    }
}

impl Drop for Attached {
    fn drop(&mut self) {
        let _ = self.stream.shutdown(Shutdown::Both);
    }
}
