//! Screens and scripts: each with its mailbox, and whose order is whose.

use crate::mailbox::Mailbox;
use mantle_core::command::{Asker, CommandNumber};
use mantle_talk::Order;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The most screens at a time.
pub const SCREENS: usize = 8;

/// What somebody comes for.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Comes {
    /// To watch and to be used.
    AsScreen,
    /// For one answer.
    AsScript,
}

/// Somebody who is attached.
#[derive(Clone, Debug)]
pub(crate) struct Present {
    pub asker: Asker,
    /// Another may take its place between two looks.
    pub since: u64,
    pub mailbox: Mailbox,
}

#[derive(Debug, Default)]
struct List {
    present: Vec<Present>,
    /// The numbers that orders were given here, and their original numbers.
    numbers: HashMap<u32, u32>,
    last: u32,
    entries: u64,
}

#[derive(Debug, Default)]
struct Inner {
    version: AtomicU64,
    list: Mutex<List>,
}

/// All who are attached. Clones share the list.
#[derive(Clone, Debug, Default)]
pub struct Screens(Arc<Inner>);

impl Screens {
    fn list(&self) -> MutexGuard<'_, List> {
        self.0.list.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Attaches somebody; none if there are too many.
    #[must_use]
    pub fn enter(&self, comes: Comes, mailbox: Mailbox) -> Option<Asker> {
        let mut list = self.list();
        let places = match comes {
            Comes::AsScreen => 0..SCREENS,
            Comes::AsScript => SCREENS..Asker::COUNT,
        };
        let taken = |place: &usize| list.present.iter().any(|one| usize::from(one.asker.0) == *place);
        let asker = Asker(places.into_iter().find(|place| !taken(place))? as u8);
        list.entries += 1;
        let since = list.entries;
        list.present.push(Present { asker, since, mailbox });
        self.0.version.fetch_add(1, Ordering::Release);
        Some(asker)
    }

    /// Detaches somebody; outstanding answers are dropped.
    pub fn leave(&self, asker: Asker) {
        let mut list = self.list();
        list.present.retain(|one| one.asker != asker);
        list.numbers.retain(|number, _| CommandNumber(*number).asker() != asker);
        self.0.version.fetch_add(1, Ordering::Release);
    }

    /// Number of screens.
    #[must_use]
    pub fn count(&self) -> usize {
        self.list().present.iter().filter(|one| usize::from(one.asker.0) < SCREENS).count()
    }

    /// An order as the engine gets it, with a unique number that says who asks.
    #[must_use]
    pub fn tag(&self, asker: Asker, order: Order) -> Order {
        let mut list = self.list();
        list.last = list.last % CommandNumber::LAST_OWN + 1;
        let number = CommandNumber::of(asker, list.last);
        list.numbers.insert(number.0, order.number.0);
        Order { number, ..order }
    }

    /// The original number of an order.
    pub(crate) fn untag(&self, number: CommandNumber) -> CommandNumber {
        CommandNumber(self.list().numbers.remove(&number.0).unwrap_or(number.0))
    }

    /// A version that changes when somebody comes or goes.
    pub(crate) fn version(&self) -> u64 {
        self.0.version.load(Ordering::Acquire)
    }

    pub(crate) fn present(&self) -> Vec<Present> {
        self.list().present.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_talk::Wish;

    #[test]
    fn eight_screens_fit_and_each_asker_is_known() {
        let screens = Screens::default();
        let enter = |comes| screens.enter(comes, Mailbox::new(|| {}));
        let all: Vec<Asker> = std::iter::from_fn(|| enter(Comes::AsScreen)).collect();
        assert_eq!(all, (0..8).map(Asker).collect::<Vec<_>>());
        assert_eq!(enter(Comes::AsScript), Some(Asker(8)), "a script takes no screen's place");
        let order = |number| Order { number: CommandNumber(number), wish: Wish::Stop };
        let (one, other) = (screens.tag(Asker(2), order(7)), screens.tag(Asker(5), order(7)));
        assert_ne!(one.number, other.number);
        assert_eq!((one.number.asker(), other.number.asker()), (Asker(2), Asker(5)));
        assert_eq!((screens.untag(one.number), screens.untag(other.number)), (CommandNumber(7), CommandNumber(7)));
        screens.leave(Asker(3));
        assert_eq!((screens.count(), enter(Comes::AsScreen)), (7, Some(Asker(3))));
    }
}
