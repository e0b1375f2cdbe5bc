//! The *keys* output of slots: its nodes, what may be typed, and when it is held back.

use super::{Effect, PLAIN, Profile, Table};
use crate::binding::Target;
use crate::command::Command;
use crate::keys::{KeyAct, KeyTarget, ProgramAction};
use crate::path::{Mark, PadFault, Stage};
use crate::slot::SlotNumber;
use crate::time::Micros;

/// A failed node is retried after this long.
const RETRY: Micros = Micros::seconds(1);
/// How long a device rumbles to confirm a step.
const TICK: Micros = Micros::millis(80);

/// The nodes through which a slot types.
#[derive(Clone, Debug, Default)]
pub struct KeysNode {
    /// Their names, once they are there.
    pub name: Option<String>,
    /// Why they are not.
    pub fault: Option<PadFault>,
    asked: bool,
    pub(super) retry_at: Option<Micros>,
}

/// Why nothing is typed, most telling first.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum HeldBack {
    /// A press is being listened for, or something is being measured.
    Capture,
    /// The program's own screen has the keyboard.
    Screen,
    /// The nodes are not there.
    NoNode,
}

impl HeldBack {
    /// In words, with what ends it.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Capture => "while presses are listened for",
            Self::Screen => "while this screen has the keyboard: go to the game",
            Self::NoNode => "until their nodes are there",
        }
    }
}

impl Table {
    /// Why a slot types nothing now; none if it types.
    #[must_use]
    pub fn held_back(&self, number: SlotNumber) -> Option<HeldBack> {
        match self.slot(number) {
            _ if self.listening.takes_presses() => Some(HeldBack::Capture),
            _ if self.is_looked_at() && !self.types_here => Some(HeldBack::Screen),
            Some(slot) if slot.keys.name.is_none() => Some(HeldBack::NoNode),
            _ => None,
        }
    }

    /// Whether somebody has a screen of the program open and focused, as far as terminals report it.
    #[must_use]
    pub fn is_looked_at(&self) -> bool {
        self.screen && self.preferences.trusts_focus
    }

    /// Whether keys are typed although the program's own screen may have the keyboard.
    #[must_use]
    pub fn types_here(&self) -> bool {
        self.types_here
    }

    /// What a profile may type.
    #[must_use]
    pub fn agreed(&self, profile: &str) -> &[KeyTarget] {
        self.agreed.iter().find(|(name, _)| name == profile).map_or(&[], |(_, strokes)| strokes)
    }

    /// What a profile wants to type but may not.
    #[must_use]
    pub fn not_agreed(&self, profile: &Profile) -> Vec<KeyTarget> {
        let agreed = self.agreed(&profile.name);
        profile.strokes().into_iter().filter(|stroke| stroke.types() && !agreed.contains(stroke)).collect()
    }

    /// Allows a profile to type these as well.
    pub(super) fn agree(&mut self, profile: &str, strokes: &[KeyTarget]) {
        let strokes = strokes.iter().filter(|stroke| stroke.types());
        match self.agreed.iter_mut().find(|(name, _)| name == profile) {
            Some((_, own)) => {
                own.extend(strokes);
                own.sort();
                own.dedup();
            }
            None => self.agreed.push((profile.to_owned(), strokes.copied().collect())),
        }
    }

    /// Allows what a slot's profile types, or withdraws that.
    pub(super) fn let_type(&mut self, number: SlotNumber, allowed: bool) -> Result<Option<Command>, String> {
        let Some(slot) = self.slot(number) else { return Err(format!("{number} is empty")) };
        let name = slot.profile.clone();
        let profile = self.profile_of(&name);
        let strokes = if allowed { self.not_agreed(&profile) } else { self.agreed(&name).to_vec() };
        if strokes.is_empty() {
            return Err(match allowed {
                true => format!("the profile {name} types nothing that is not already allowed"),
                false => format!("the profile {name} may type nothing"),
            });
        }
        match allowed {
            true => self.agree(&name, &strokes),
            false => self.agreed.retain(|(own, _)| *own != name),
        }
        Ok(Some(Command::LetType { slot: number, allowed: !allowed }))
    }

    /// A renamed profile keeps its permissions.
    pub(super) fn rename_agreed(&mut self, from: &str, to: &str) {
        if from != to && from != PLAIN {
            for (name, _) in self.agreed.iter_mut().filter(|(name, _)| name == from) {
                to.clone_into(name);
            }
        }
    }

    /// Gives each slot its allowed keys, requests its nodes, and holds back what must be.
    pub(super) fn look_after_strokes(&mut self, now: Micros) {
        if !self.types && self.profiles.iter().all(|profile| profile.strokes().is_empty()) {
            return;
        }
        self.types = false;
        for number in SlotNumber::all() {
            let Some(slot) = self.slot(number) else { continue };
            let profile = self.profile_of(&slot.profile);
            let agreed = self.agreed(&profile.name);
            let mut strokes = profile.strokes();
            strokes.retain(|stroke| !stroke.types() || agreed.contains(stroke));
            let held = self.held_back(number).is_some();
            let Some(slot) = self.slots.get_mut(number) else { continue };
            let types = strokes.iter().any(|stroke| stroke.types());
            let known = slot.session.key_output().is_some_and(|key_output| {
                key_output.pace() == profile.pace
                    && key_output.strokes().map(|(stroke, _)| stroke).eq(strokes.iter().copied())
            });
            if !known {
                slot.session.set_strokes(now, &strokes, profile.pace, held);
            }
            slot.session.hold_back(now, held);
            self.types |= slot.session.key_output().is_some();
            if types && !slot.keys.asked {
                slot.keys.asked = true;
                self.effects.push_back(Effect::MakeKeys { slot: number });
            } else if !types && slot.keys.asked {
                self.take_typed();
                self.drop_keys(number);
            }
        }
    }

    /// Holds back what must be, and lets go of what need not be.
    pub(super) fn hold_strokes(&mut self, now: Micros) {
        for number in SlotNumber::all() {
            let held = self.held_back(number).is_some();
            if let Some(slot) = self.slots.get_mut(number) {
                slot.session.hold_back(now, held);
            }
        }
    }

    pub(super) fn drop_keys(&mut self, number: SlotNumber) {
        if let Some(slot) = self.slots.get_mut(number)
            && std::mem::take(&mut slot.keys).asked
        {
            self.effects.push_back(Effect::DropKeys { slot: number });
        }
    }

    /// Writes what was typed.
    pub(super) fn take_typed(&mut self) {
        for (number, slot) in self.slots.iter_mut() {
            while let Some((at, typed)) = slot.session.take_typed() {
                // Typing counts as passing, like a pad's events.
                slot.session.passed[Stage::Feel as usize].tick(at);
                slot.session.passed[Stage::Pad as usize].tick(at);
                self.effects.push_back(Effect::Type { slot: number, at, typed });
            }
        }
    }

    pub(super) fn keys_made(&mut self, now: Micros, number: SlotNumber, made: Result<String, PadFault>) {
        let Some(slot) = self.slots.get_mut(number).filter(|slot| slot.keys.asked) else {
            if made.is_ok() {
                self.effects.push_back(Effect::DropKeys { slot: number });
            }
            return;
        };
        match made {
            Ok(name) => {
                slot.keys.name = Some(name.clone());
                slot.keys.fault = None;
                self.note(now, Mark::Well, format!("{number}: its keyboard and mouse are ready: {name}"));
            }
            Err(fault) => {
                let again = slot.keys.fault.as_ref() == Some(&fault);
                slot.keys.name = None;
                slot.keys.retry_at = Some(now.after(RETRY));
                let text = format!("{number}: keys cannot be typed: {}", fault.told());
                slot.keys.fault = Some(fault);
                if !again {
                    self.note(now, Mark::Stop, text);
                }
            }
        }
    }

    pub(super) fn retry_keys(&mut self, due: Micros) {
        let mut again = Vec::new();
        for (number, slot) in self.slots.iter_mut() {
            if slot.keys.retry_at.is_some_and(|at| at <= due) {
                slot.keys.retry_at = None;
                again.push(Effect::MakeKeys { slot: number });
            }
        }
        self.effects.extend(again);
    }

    /// Carries out actions that devices ask of the program. Returns whether there were any.
    #[cold]
    pub(super) fn do_actions(&mut self, now: Micros) -> bool {
        let mut any = false;
        for number in SlotNumber::all() {
            while let Some(wish) = self.slots.get_mut(number).and_then(|slot| slot.session.take_action()) {
                any = true;
                // Other changes from the same report are written first.
                self.slots.keep(now, Micros(0));
                let done = match wish {
                    ProgramAction::Pause => {
                        let paused = self.slot(number).is_some_and(|slot| slot.session.paused());
                        let by = self.paused_with(number);
                        self.pause_slot(now, number, !paused, &by).map(drop)
                    }
                    ProgramAction::FlipFeel => self.flip(now, number),
                    ProgramAction::StepFeel(more) => self.step_feel(now, number, more),
                    // Without a screen, nobody would see the question.
                    ProgramAction::RollCall if !self.is_watched() => {
                        Err("a roll call needs a screen: placid-mantle".into())
                    }
                    ProgramAction::RollCall => self.call_roll(now, number, &[]),
                };
                match done {
                    Ok(()) => self.shake(now, number),
                    Err(why) => self.note(now, Mark::Hint, format!("{number}: {why}")),
                }
            }
        }
        any
    }

    /// Who pauses a slot from its own devices, in words.
    fn paused_with(&self, number: SlotNumber) -> String {
        let members = self.slot(number).map(|slot| &slot.session.members[..]).unwrap_or_default();
        let pausers = members.iter().flat_map(|member| {
            let list = member.bindings.list.iter();
            let own = list.filter(|binding| match binding.target {
                Target::Key(stroke) => stroke.act() == KeyAct::ProgramAction(ProgramAction::Pause),
                _ => false,
            });
            own.filter_map(move |binding| {
                let control = member.controls().iter().find(|control| control.number == binding.control)?;
                Some(format!("by {} of {}", control.name, member.key.name))
            })
        });
        let mut pausers: Vec<String> = pausers.collect();
        if pausers.len() == 1 { pausers.remove(0) } else { "from its device".into() }
    }

    /// The device confirms the step.
    fn shake(&mut self, now: Micros, number: SlotNumber) {
        if let Some(slot) = self.slots.get_mut(number) {
            slot.shakes = Some(now.after(TICK));
        }
        self.refresh_outputs(now);
        self.set_alarm(super::alarms::Alarm::Rumbles);
    }

    /// Pauses a slot, or resumes it.
    pub(super) fn pause_slot(
        &mut self,
        now: Micros,
        number: SlotNumber,
        paused: bool,
        by: &str,
    ) -> Result<Option<Command>, String> {
        if self.paused {
            return Err("everything is let go: resume first".into());
        }
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        if slot.session.paused() == paused {
            return Ok(None);
        }
        slot.session.pause(now, paused);
        slot.paused_by = paused.then(|| by.to_owned());
        if !paused {
            self.take_up(now, number);
        }
        self.stop_rumble(number);
        let text = if paused { "rests: its pad is at neutral" } else { "plays again" };
        self.note(now, Mark::Well, format!("{number} {text}"));
        Ok(Some(Command::PauseSlot { slot: number, paused: !paused }))
    }
}
