//! When to search for devices: while somebody wants that, and until one that is to be paired has been found.

use super::{Awaited, Conversation};
use crate::calls;
use mantle_core::connecting::{JourneyNews, RadioAct, RadioFault, RadioNews};

impl Conversation {
    /// A device that is not known is searched for, and paired once it is found; how long that may take is up to whoever asks.
    pub(super) fn want(&mut self, address: String) {
        if self.objects.adapter().is_none() {
            return (self.tell)(RadioNews::Of(address, JourneyNews::Refused(RadioFault::NoRadio)));
        }
        if !self.looks {
            self.send_look(true);
        }
        self.wanted = Some(address);
    }

    /// Nothing is searched for on a pairing's behalf any more.
    pub(super) fn end_wanting(&mut self) -> Option<String> {
        let wanted = self.wanted.take();
        if wanted.is_some() && !self.looks {
            self.send_look(false);
        }
        wanted
    }

    /// What was wanted may have been found.
    pub(super) fn pair_wanted(&mut self) {
        if self.wanted.as_ref().is_some_and(|address| self.objects.device(address).is_some())
            && let Some(address) = self.end_wanting()
        {
            self.handle_act(RadioAct::Pair(address));
        }
    }

    /// Somebody wants it to search for devices, or nobody does any more.
    pub(super) fn look(&mut self, looks: bool) {
        self.looks = looks;
        if self.wanted.is_none() {
            self.send_look(looks);
        }
    }

    fn send_look(&mut self, looks: bool) {
        let Some(adapter) = self.objects.adapter().map(str::to_owned) else { return };
        if looks {
            self.send(calls::filter(&adapter), Awaited::Quiet);
            self.send(calls::adapter(&adapter, "StartDiscovery"), Awaited::Else("the radio cannot search for devices"));
        } else {
            self.send(calls::adapter(&adapter, "StopDiscovery"), Awaited::Quiet);
        }
    }
}
