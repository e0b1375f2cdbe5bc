//! The screen's channel to the engine.

use crossbeam_channel::{Receiver, Sender, unbounded};
use mantle_talk::Order;
use std::sync::Arc;

/// The screen's end; wakes the engine after each order.
#[derive(Clone)]
pub struct OrderSender {
    channel: Sender<Order>,
    wake: Arc<dyn Fn() + Send + Sync>,
}

/// The world's end.
#[derive(Clone, Debug)]
pub struct Orders {
    /// Orders in the order given.
    pub channel: Receiver<Order>,
}

/// Both ends; `wake` is called after each order, on the giver's thread.
pub fn orders(wake: impl Fn() + Send + Sync + 'static) -> (OrderSender, Orders) {
    let (tx, rx) = unbounded();
    (OrderSender { channel: tx, wake: Arc::new(wake) }, Orders { channel: rx })
}

impl OrderSender {
    /// Gives an order. It is lost if the engine has ended.
    pub fn give(&self, order: Order) {
        if self.channel.send(order).is_ok() {
            (self.wake)();
        }
    }
}

impl std::fmt::Debug for OrderSender {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("OrderSender")
    }
}
