//! The connection to the bus.

use crossbeam_channel::{Receiver, Sender, unbounded};
use std::future::poll_fn;
use std::pin::Pin;
use zbus::export::futures_core::Stream;
use zbus::{Connection, Message, MessageStream};

/// A connection to the bus.
pub(crate) struct Line {
    pub connection: Connection,
    pub messages: Receiver<Message>,
    /// Which connection has the daemon's name: whatever others send does not come from it.
    pub daemon: Option<String>,
    pub has_agent: bool,
}

impl Drop for Line {
    /// The daemon sees that nobody is there any more, and ends what it did for us; so does the thread that passes messages on.
    fn drop(&mut self) {
        let _ = zbus::block_on(self.connection.clone().close());
    }
}

impl Line {
    /// Connects to the system bus; incoming messages are passed on by a separate thread.
    pub fn connect() -> zbus::Result<Self> {
        let connection = zbus::block_on(async { zbus::connection::Builder::system().build().await })?;
        let mut stream = MessageStream::from(&connection);
        let (hand, messages): (Sender<Message>, _) = unbounded();
        std::thread::spawn(move || {
            zbus::block_on(async {
                while let Some(message) = poll_fn(|context| Pin::new(&mut stream).poll_next(context)).await {
                    let Ok(message) = message else { return };
                    if hand.send(message).is_err() {
                        return;
                    }
                }
            });
        });
        Ok(Self { connection, messages, daemon: None, has_agent: false })
    }
}
