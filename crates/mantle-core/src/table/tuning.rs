//! Tuning a slot's feel during play: old against new, measured, and raised until the game reacts.

use super::Table;
use crate::binding::{Change, ProfileAct};
use crate::command::CommandNumber;
use crate::feel::{Feel, Knob, Setting, Shaped};
use crate::path::Mark;
use crate::session::Assist;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// Changes within this time count as one: the old feel is the one before the first of them.
const ONE: Micros = Micros::seconds(60);

/// A changed feel, and what it was before.
#[derive(Clone, Copy, Debug, Default)]
pub struct Tuning {
    /// The feel before the changes.
    pub old: Option<Feel>,
    /// Whether that one is on.
    pub flipped: bool,
    /// What a device steps.
    pub chosen: Option<(Shaped, Knob)>,
    changed: Micros,
}

impl Tuning {
    /// A change from this feel to another.
    pub(super) fn change(&mut self, now: Micros, before: &Feel) {
        if self.old.is_none() || now.since(self.changed) > ONE {
            self.old = Some(*before);
        }
        (self.changed, self.flipped) = (now, false);
    }
}

impl Table {
    /// Switches between the old and the new feel.
    pub(super) fn flip(&mut self, now: Micros, number: SlotNumber) -> Result<(), String> {
        let profile = self.slot(number).map(|slot| self.profile_of(&slot.profile));
        let (Some(profile), Some(slot)) = (profile, self.slots.get_mut(number)) else {
            return Err(format!("{number} is empty"));
        };
        let Some(old) = slot.tuning.old.filter(|old| *old != profile.feel) else {
            return Err("nothing has been changed in the feel yet".into());
        };
        slot.tuning.flipped = !slot.tuning.flipped;
        let next = if slot.tuning.flipped { old } else { profile.feel };
        slot.session.set_feel(now, next);
        Ok(())
    }

    /// Chooses what a device steps.
    pub(super) fn choose_feel(&mut self, number: SlotNumber, which: Shaped, knob: Knob) -> Result<(), String> {
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        slot.tuning.chosen = Some((which, knob));
        Ok(())
    }

    /// The device steps the chosen setting up or down.
    pub(super) fn step_feel(&mut self, now: Micros, number: SlotNumber, more: bool) -> Result<(), String> {
        let Some(slot) = self.slot(number) else { return Err(format!("{number} is empty")) };
        if slot.tuning.flipped {
            return Err("the old feel is on: switch back first (f)".into());
        }
        let (which, knob) = slot.tuning.chosen.unwrap_or((Shaped::LeftStick, Knob::DeadZone));
        let profile = self.profile_of(&slot.profile);
        let shape = profile.feel.of(which);
        let knob = knob.among(&Knob::of(which, shape));
        let setting = knob.step(shape, more);
        self.note(now, Mark::Well, format!("{number}: {} of the {}", knob.name(), which.name()));
        self.save_changes(now, number, vec![Change::Feel(which, setting)]);
        Ok(())
    }

    /// Raises a pad's output slowly until the person says that the game reacts.
    pub(super) fn walk(&mut self, now: Micros, number: SlotNumber, which: Shaped) -> Result<(), String> {
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        if slot.session.paused() {
            return Err("everything is let go: resume first".into());
        }
        slot.session.walk(now, which);
        Ok(())
    }

    /// Ends that; if the game has reacted, the present output becomes the minimum output.
    pub(super) fn end_walk(
        &mut self,
        now: Micros,
        number: CommandNumber,
        slot: SlotNumber,
        moved: bool,
    ) -> Result<(), String> {
        let Some(entry) = self.slots.get_mut(slot) else { return Err(format!("{slot} is empty")) };
        let Some((which, share)) = entry.session.end_walk(now) else {
            return Err("the output is not being raised".into());
        };
        if moved {
            let thousandths = (share * 1000.0).round() as u16;
            let change = Change::Feel(which, Setting::Minimum(thousandths));
            return self.edit(number, slot, ProfileAct::Change(vec![change]));
        }
        Ok(())
    }

    /// Helps to assign controls inside a game.
    pub(super) fn help(&mut self, now: Micros, number: SlotNumber, assist: Option<Assist>) -> Result<(), String> {
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        if slot.session.paused() && assist.is_some() {
            return Err("everything is let go: resume first".into());
        }
        slot.session.help(now, assist);
        Ok(())
    }
}
