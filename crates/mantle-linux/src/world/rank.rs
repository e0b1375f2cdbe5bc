//! The priority of the engine's thread: requested, given up, reported.

use super::LinuxWorld;
use crate::priority::{self, Bid};
use mantle_core::priority::Priority;
use mantle_core::time::Micros;
use mantle_engine::Happening;

impl LinuxWorld {
    /// Asks for real-time priority when it is time to, and gives it up if the thread takes too much.
    #[inline]
    pub(super) fn look_at_rank(&mut self, at: Micros) {
        if let Some(bid) = self.rank.look(at, priority::used) {
            self.bid_for_rank(at, bid);
        }
    }

    #[cold]
    fn bid_for_rank(&mut self, at: Micros, bid: Bid) {
        match bid {
            Bid::GiveUp => {
                priority::give_up();
                self.handle_rank(at, Priority::GivenUp);
            }
            Bid::Ask => match (priority::take(), &self.workers) {
                (Err(why), Some(workers)) => workers.raise(why),
                (Err(why), None) => self.handle_rank(at, Priority::Refused(why)),
                (Ok(()), _) => self.handle_rank(at, Priority::RealTime),
            },
        }
    }

    pub(super) fn handle_rank(&mut self, at: Micros, priority: Priority) {
        self.rank.is_now(at, &priority);
        self.ready.push_back(Happening::Priority(at, priority));
    }
}
