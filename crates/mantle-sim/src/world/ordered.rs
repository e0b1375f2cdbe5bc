//! Orders to a made-up world: hands, and whatever the engine itself is asked for; and waiting for them.

use super::{Due, Pace, Ready, SimWorld, TAP};
use crossbeam_channel::{RecvTimeoutError, TryRecvError};
use mantle_core::time::Micros;
use mantle_engine::Happening;
use mantle_talk::{Answer, HandMove, Order, Wish};
use std::time::{Duration, Instant};

impl SimWorld {
    pub(super) fn handle_order(&mut self, order: Order) {
        let now = self.now;
        let happening = match order {
            Order { wish: Wish::Stop, .. } => Happening::End,
            Order { number, wish: Wish::Hand { node, part, act } } => {
                let answer = match self.owner(node) {
                    Some((device, interface)) => {
                        let part = usize::from(part);
                        self.present[device].device.interfaces[interface].handle_move(part, act);
                        if let HandMove::Tap { control, .. } = act {
                            self.soon(TAP, Due::TapEnds { device, interface, part, control });
                        }
                        Answer::PLAIN
                    }
                    None => Answer::Refused { why: "that device is no longer connected".into() },
                };
                Happening::Answer(now, number, Box::new(answer))
            }
            order => Happening::Order(now, Box::new(order)),
        };
        self.ready.push_back(Ready::Other(happening));
    }

    /// Waits by the clock until a moment, or until an order comes; returns false if an order came.
    pub(super) fn wait(&mut self, until: Option<Micros>) -> bool {
        let clock = |start: Instant| Micros(start.elapsed().as_micros() as u64);
        let Some(orders) = self.orders.clone() else {
            if let (Some(until), Pace::Clock) = (until, self.pace) {
                std::thread::sleep(Duration::from_micros(until.since(clock(self.start)).0));
            }
            return true;
        };
        let got = match (self.pace, until) {
            (Pace::Clock, Some(until)) => {
                let left = Duration::from_micros(until.since(clock(self.start)).0);
                orders.channel.recv_timeout(left).map_err(|error| error == RecvTimeoutError::Disconnected)
            }
            (Pace::Clock, None) => orders.channel.recv().map_err(|_| true),
            (Pace::Virtual { .. }, _) => orders.channel.try_recv().map_err(|error| error == TryRecvError::Disconnected),
        };
        match got {
            Ok(order) => {
                if let Pace::Clock = self.pace {
                    self.now = self.now.max(clock(self.start).min(until.unwrap_or(Micros(u64::MAX))));
                }
                self.handle_order(order);
                false
            }
            Err(true) => {
                self.ready.push_back(Ready::Other(Happening::End));
                false
            }
            Err(false) => true,
        }
    }
}
