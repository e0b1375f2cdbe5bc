//! What stands in the way of play: looked for while somebody looks at it, along with what a game would see.

use super::{Effect, Table};
use crate::readiness::{Obstacle, ReadyFacts, obstacles};
use crate::time::Micros;

/// What was found, and whether somebody looks at it.
#[derive(Clone, Debug, Default)]
pub(super) struct Readying {
    watched: bool,
    found: Option<Vec<Obstacle>>,
}

impl Table {
    /// What stands in the way of play, by the last look; none as long as nobody has looked.
    #[must_use]
    pub fn obstacles(&self) -> Option<&[Obstacle]> {
        self.readying.found.as_deref()
    }

    /// Whether somebody looks at what stands in the way: then it is looked for at once, and again and again.
    pub fn handle_readiness_watched(&mut self, now: Micros, watched: bool) {
        if std::mem::replace(&mut self.readying.watched, watched) != watched && watched {
            self.readying.found = None;
            self.look_now(now);
        }
    }

    /// It is looked at the machine anyway.
    pub(super) fn look_whether_ready(&mut self) {
        if self.readying.watched {
            self.effects.push_back(Effect::LookReady);
        }
    }

    /// How the machine stands; whether that is news.
    pub(super) fn is_ready(&mut self, facts: &ReadyFacts) -> bool {
        let found = obstacles(facts);
        let news = self.readying.found.as_ref() != Some(&found);
        self.readying.found = Some(found);
        news
    }
}
