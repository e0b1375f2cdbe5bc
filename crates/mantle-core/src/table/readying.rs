//! Readiness: checked while somebody looks at it, along with what a game would see.

use super::{Effect, Table};
use crate::readiness::{Obstacle, ReadyFacts, ReadyLink, obstacles};
use crate::time::Micros;
use crate::watch::Coming;

/// The findings, and whether somebody looks at them.
#[derive(Clone, Debug, Default)]
pub(super) struct Readying {
    watched: bool,
    found: Option<Vec<Obstacle>>,
}

impl Table {
    /// What stands in the way of play, by the last check; none if nobody has looked.
    #[must_use]
    pub fn obstacles(&self) -> Option<&[Obstacle]> {
        self.readying.found.as_deref()
    }

    /// Tells whether somebody looks at readiness; then it is checked at once, and repeatedly.
    pub fn handle_readiness_watched(&mut self, now: Micros, watched: bool) {
        if std::mem::replace(&mut self.readying.watched, watched) != watched && watched {
            self.readying.found = None;
            self.look_now(now);
        }
    }

    /// The machine is being checked anyway.
    pub(super) fn look_whether_ready(&mut self) {
        if self.readying.watched {
            self.effects.push_back(Effect::LookReady);
        }
    }

    /// Handles the machine's state and measurements. Returns whether that is news.
    pub(super) fn is_ready(&mut self, now: Micros, facts: ReadyFacts) -> bool {
        let found = obstacles(&ReadyFacts { links: self.poor_links(now), ..facts });
        let news = self.readying.found.as_ref() != Some(&found);
        self.readying.found = Some(found);
        news
    }

    /// Devices in slots that exceed the person's limits.
    fn poor_links(&self, now: Micros) -> Vec<ReadyLink> {
        let limits = self.preferences.limits;
        let playing =
            self.devices().filter(|device| self.slot_of(device.id).is_some()).flat_map(|device| &device.sources);
        let poor = playing.filter_map(|node| self.source(*node)).map(|source| {
            let mut link = ReadyLink {
                name: source.facts.identity.name.clone(),
                node: source.facts.path.clone(),
                overruns: source.overruns.count,
                causes: source.facts.connection.causes(source.facts.identity.bus),
                ..ReadyLink::default()
            };
            for coming in source.watch.troubles(now, limits.delay, limits.lost) {
                match coming {
                    Coming::Slow(rate) => link.slow = Some(rate),
                    Coming::Lost(share) => link.lost = Some(share),
                    // The sentence says it, and nothing about the machine would mend it.
                    Coming::Silent(..) | Coming::Damaged(_) => {}
                }
            }
            let low = source.battery().filter(|(level, charges)| !charges && *level < limits.battery);
            link.battery = low.map(|(level, _)| level);
            link
        });
        poor.filter(|link| link.slow.is_some() || link.lost.is_some() || link.battery.is_some() || link.overruns > 0)
            .collect()
    }
}
