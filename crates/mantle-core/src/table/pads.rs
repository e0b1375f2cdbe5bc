//! Pads: requested one after the other, made, refused, lost, and rumbling.

use super::alarms::Alarm;
use super::proposals::set_apart;
use super::{Effect, PAD_RETRY, Slot, Table};
use crate::command::Command;
use crate::front::Front;
use crate::pad::{GameLamp, PadKind, Publisher};
use crate::path::{KeptOut, MadePad, Mark, PadCondition, PadFault};
use crate::planted::planted;
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::sync::Arc;

impl Slot {
    /// Whether its pad has been requested and is not there yet; until then nothing about it can change.
    pub(super) fn is_being_made(&self) -> bool {
        self.asked && self.pad == PadCondition::Making
    }

    /// Whether its pad is made of event nodes.
    #[must_use]
    pub fn is_of_nodes(&self) -> bool {
        self.model.publisher == Publisher::Uinput || self.instead.is_some()
    }
}

impl Table {
    /// Requests the pad of the lowest slot without one, if none is being made: one after the other, in slot order. A refused
    /// one is not overtaken by the next, since games number pads in the order in which they appear.
    pub(super) fn ask_for_pad(&mut self) {
        // Waiting slots have none, since the games of others would list them.
        if matches!(self.front, Front::OtherEngine { .. }) {
            return;
        }
        let all = planted("all pads are asked for at once");
        let has_one = |slot: &Slot| matches!(slot.pad, PadCondition::Made | PadCondition::Unwanted);
        let waits = |slot: &Slot| !(has_one(slot) || all && slot.asked);
        let first = self.slots.iter().find(|(_, slot)| waits(slot)).map(|(number, _)| number);
        if let Some(number) = first
            && let Some(slot) = self.slots.get_mut(number)
            && !slot.asked
        {
            slot.asked = true;
            self.effects.push_back(Effect::MakePad { slot: number, model: slot.model.clone() });
            if all {
                self.ask_for_pad();
            }
        }
    }

    /// Pads that could not be made may be requested again.
    pub(super) fn retry_pads(&mut self, due: Micros) {
        for (_, slot) in self.slots.iter_mut().filter(|(_, slot)| slot.retry_at.is_some_and(|at| at <= due)) {
            slot.retry_at = None;
            slot.asked = false;
        }
    }

    /// Changes a slot's kind of pad. Games see the old pad go and a new one come.
    pub(super) fn change_kind(
        &mut self,
        now: Micros,
        number: SlotNumber,
        kind: PadKind,
    ) -> Result<Option<Command>, String> {
        let kind = self.resolved(kind);
        if let Some(own) = kind.own().filter(|own| own.missing) {
            return Err(format!("there is no pad file {}.pad.toml", own.file));
        }
        let Some(slot) = self.slots.get_mut(number) else { return Err(format!("{number} is empty")) };
        let before = slot.kind.clone();
        if before == kind && slot.instead.is_none() {
            return Ok(None);
        }
        if slot.is_being_made() {
            return Err(format!("{number}'s pad is still being made: try again in a moment"));
        }
        let had_one = slot.pad == PadCondition::Made;
        slot.session.release_all(now);
        (slot.model, slot.kind) = (Arc::new(kind.model()), kind.clone());
        slot.session.set_model(now, slot.model.clone());
        slot.pad = if slot.model.is_made() { PadCondition::Making } else { PadCondition::Unwanted };
        (slot.asked, slot.retry_at, slot.rumble) = (false, None, None);
        slot.lamp = GameLamp::default();
        slot.pad_node.clear();
        slot.instead = None;
        if had_one {
            self.effects.push_back(Effect::DropPad { slot: number });
        }
        self.bind_members(now, number);
        self.note(
            now,
            Mark::Well,
            format!("{number} now plays as {}; it was {}", kind.with_article(), before.with_article()),
        );
        Ok(Some(Command::Kind { slot: number, kind: before }))
    }

    pub(super) fn pad_made(&mut self, now: Micros, number: SlotNumber, made: Result<MadePad, PadFault>) {
        let Some(slot) = self.slots.get_mut(number) else {
            if made.is_ok() {
                self.effects.push_back(Effect::DropPad { slot: number });
            }
            return;
        };
        let before = slot.pad.clone();
        match made {
            Ok(MadePad { node, instead }) => {
                slot.pad = PadCondition::Made;
                slot.retry_at = None;
                slot.pad_node.clone_from(&node);
                slot.session.handle_new_pad();
                slot.battery = None;
                (slot.instead, slot.made_at) = (instead.clone(), now);
                self.note(now, Mark::Well, format!("{number}: its pad is ready: {node}"));
                if let Some(why) = instead {
                    let text = format!(
                        "{number}: its pad is made of event nodes instead of being a device of its own: {}",
                        why.told()
                    );
                    self.note(now, Mark::Doubt, text);
                }
                self.follow_own_pad(now, number);
            }
            Err(fault) => {
                slot.retry_at = Some(now.after(PAD_RETRY));
                slot.pad = PadCondition::Fault(fault.clone());
                if before != slot.pad {
                    let text = format!("{number}: no pad can be made: {}", fault.told());
                    self.note(now, Mark::Stop, text);
                }
            }
        }
    }

    pub(super) fn pad_lost(&mut self, now: Micros, number: SlotNumber, fault: PadFault) {
        let Some(slot) = self.slots.get_mut(number) else { return };
        slot.asked = true;
        slot.pad = PadCondition::Fault(fault.clone());
        slot.retry_at = Some(now.after(PAD_RETRY));
        self.effects.push_back(Effect::DropPad { slot: number });
        self.note(now, Mark::Stop, format!("{number}: its pad took no events: {}", fault.cause()));
    }

    /// A pad with a battery reports its device's; of several devices, the emptiest one's; if unknown, full.
    pub(super) fn tell_battery(&mut self, number: SlotNumber) {
        let Some(slot) = self.slot(number) else { return };
        if slot.pad != PadCondition::Made || !slot.model.tells_battery() {
            return;
        }
        let known = (0..slot.session.members.len()).filter_map(|index| {
            let (_, part) = self.part_of(number, index)?;
            self.source(part.source)?.battery()
        });
        let emptiest = known.reduce(|one, other| if other.0 < one.0 { other } else { one });
        let told = emptiest.map(|(share, charges)| ((share * 10.0).floor().clamp(0.0, 10.0) as u8, charges));
        let Some((tenths, charges)) = told.filter(|_| told != slot.battery) else { return };
        if let Some(slot) = self.slots.get_mut(number) {
            slot.battery = told;
            self.effects.push_back(Effect::PadBattery { slot: number, tenths, charges });
        }
    }

    /// The slot whose pad a browser lists: of several pads with one parent it lists only the newest (measured). None if there are fewer than
    /// two of that kind.
    pub(super) fn listed(&self) -> Option<SlotNumber> {
        let of_nodes = || self.slots().filter(|(_, slot)| slot.pad == PadCondition::Made && slot.is_of_nodes());
        of_nodes().nth(1)?;
        of_nodes().max_by_key(|(_, slot)| slot.made_at).map(|(number, _)| number)
    }

    /// Whether a browser lists another slot's pad instead of this one's.
    pub(super) fn kept_out(&self, number: SlotNumber, slot: &Slot) -> Option<KeptOut> {
        let keeps = self.listed().filter(|listed| *listed != number)?;
        let browser = self.sight().pad_of(keeps)?.holders.iter().find(|reader| reader.browser)?.name.clone();
        let out = slot.pad == PadCondition::Made && slot.is_of_nodes();
        let proposal = slot.kind.set_apart().map(|kind| set_apart(number, kind));
        out.then_some(KeptOut { browser, keeps, proposal })
    }

    /// A game sets a pad's lamp.
    pub(super) fn lamp(&mut self, number: SlotNumber, lamp: GameLamp) {
        if let Some(slot) = self.slots.get_mut(number) {
            slot.lamp.take(lamp);
        }
    }

    pub(super) fn rumble(&mut self, now: Micros, number: SlotNumber, (strong, weak): (u16, u16), until: Micros) {
        if let Some(slot) = self.slots.get_mut(number) {
            slot.rumble = (strong != 0 || weak != 0).then_some((strong, weak, until));
            self.refresh_outputs(now);
            self.set_alarm(Alarm::Rumbles);
        }
    }
}
