//! What follows from the facts: worked out here, once after each thing that happened, and nowhere else.
//!
//! Commands and whatever comes from the world change facts only: who sits where, what is open, which profile plays. That
//! nodes are asked for, devices are covered, lamps are lit, keys are held back, alarms are set and what has changed is
//! remembered follows from those.

use super::alarms::Alarm;
use super::{Effect, Table};
use crate::time::Micros;

impl Table {
    /// What follows from the facts as they are now.
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

    /// What is to be kept across restarts is, where it is not what is kept already.
    fn remember(&mut self) {
        let remembered = self.remembered();
        if remembered == self.kept {
            return;
        }
        // A later memory makes an earlier one that nobody has taken yet pointless.
        self.effects.retain(|effect| !matches!(effect, Effect::Remember(_)));
        self.kept.clone_from(&remembered);
        self.effects.push_back(Effect::Remember(remembered));
    }
}
