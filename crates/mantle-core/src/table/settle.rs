//! The consequences of facts: worked out here, once after each event, and nowhere else.
//!
//! Commands and events from the world change only facts: who sits where, what is open, which profile plays. Requests for
//! nodes, covers, lamps, held-back keys, alarms and what is remembered
//! all follow from those.

use super::alarms::Alarm;
use super::{Effect, Table};
use crate::time::Micros;

impl Table {
    /// Works out what follows from the facts.
    pub(super) fn settle(&mut self, now: Micros) {
        self.settled += 1;
        debug_assert!(
            self.slots().all(|(number, slot)| self.members(number).count() == slot.session.members.len()),
            "a session has the members that sit in its slot"
        );
        self.look_after_game(now);
        self.look_after_links(now);
        self.derive_routes();
        self.look_after_kept(now);
        self.look_after_strokes(now);
        self.ask_for_pad();
        self.consider_covers();
        self.look_after_sight(now);
        self.refresh_outputs(now);
        self.remember();
        self.set_alarms(Alarm::ALL);
    }

    /// Saves what is to be kept across restarts, if it has changed.
    fn remember(&mut self) {
        let remembered = self.remembered();
        if remembered == self.kept {
            return;
        }
        // A newer memory replaces one that nobody has taken yet.
        self.effects.retain(|effect| !matches!(effect, Effect::Remember(_)));
        self.kept.clone_from(&remembered);
        self.effects.push_back(Effect::Remember(remembered));
    }
}
