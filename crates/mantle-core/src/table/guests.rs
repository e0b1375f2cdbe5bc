//! Guests: nicknames, the locked table, and getting a slot by a press.

use super::Table;
use super::alarms::Alarm;
use crate::binding::default_bindings;
use crate::command::Command;
use crate::control::{Control, ControlKind, PartLayout};
use crate::cover::Cover;
use crate::device::{DeviceId, Identity, NodeFacts, NodeId};
use crate::pad::{PadKind, PadTarget};
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// How long the board asks for a press.
const ASKS: Micros = Micros::seconds(60);
/// The longest nickname.
const NAME: usize = 40;

/// Whether what is pressed would play both of these on a common pad.
fn would_play(layout: &PartLayout, down: &[&Control], both: [PadTarget; 2]) -> bool {
    let bindings = default_bindings(layout);
    let is_down = |control| down.iter().any(|own| own.number == control);
    let plays = |target| bindings.list.iter().any(|one| one.target == target && is_down(one.control));
    both.into_iter().all(|target: PadTarget| plays(target))
}

/// Whether devices without a slot may get one by a press.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) struct Sitting {
    /// Until when the board asks for a press.
    pub asks: Option<Micros>,
    /// Whether two buttons held together do it at any time.
    pub always: bool,
}

impl Table {
    /// The name of a node from now on: its nickname, if it has one.
    pub(super) fn named(&self, mut facts: NodeFacts) -> NodeFacts {
        let kept = &self.seating.kept;
        let by_link = || kept.nicknames.iter().find(|(key, _)| self.is_other_link(key, &facts.identity));
        let name = kept.nickname(&facts.identity).or_else(|| by_link().map(|(_, name)| name.as_str()));
        if let Some(name) = name {
            let own = std::mem::replace(&mut facts.identity.name, name.to_owned());
            facts.identity.system_name = Some(own);
        }
        facts
    }

    /// Nicknames a device; an empty name removes it.
    pub(super) fn nickname(&mut self, now: Micros, id: DeviceId, name: &str) -> Result<Option<Command>, String> {
        let name = name.trim();
        if name.chars().count() > NAME {
            return Err(format!("a nickname has at most {NAME} characters"));
        }
        let device = self.device(id).ok_or("that device is no longer connected")?;
        let nodes = device.sources.clone();
        let identity = self.first_identity(device).ok_or("that device is no longer connected")?.clone();
        let before = self.seating.kept.nickname(&identity).unwrap_or_default().to_owned();
        let system = identity.system_name().to_owned();
        self.seating.kept.call(&identity, name);
        let shown = if name.is_empty() { system.clone() } else { name.to_owned() };
        for node in nodes {
            if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) {
                source.facts.identity.name.clone_from(&shown);
                source.facts.identity.system_name = (!name.is_empty()).then(|| system.clone());
            }
        }
        if let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) {
            device.name.clone_from(&shown);
        }
        self.call_members(&identity, &shown);
        self.note(now, Mark::Well, format!("{system} is now called {shown}"));
        Ok(Some(Command::Nickname { device: id, name: before }))
    }

    /// Members that are this device get the name, too.
    fn call_members(&mut self, identity: &Identity, shown: &str) {
        let counts = self.seating.kept.uniq_counts(identity);
        for number in SlotNumber::all() {
            let Some(slot) = self.slots.get_mut(number) else { continue };
            for member in &mut slot.session.members {
                if member.key.is(identity, counts) {
                    shown.clone_into(&mut member.key.name);
                }
            }
        }
    }

    /// While the table is locked, nobody gets a slot unasked.
    pub(super) fn lock(&mut self, now: Micros, locked: bool) -> Option<Command> {
        if self.locked == locked {
            return None;
        }
        self.locked = locked;
        let text = if locked { "the table is locked: no device gets a slot unasked" } else { "the table is unlocked" };
        self.note(now, Mark::Well, text);
        Some(Command::Lock(!locked))
    }

    /// Whether the table is locked.
    #[must_use]
    pub fn is_locked(&self) -> bool {
        self.locked
    }

    /// Asks for a press, or stops asking.
    pub(super) fn ask_to_sit(&mut self, now: Micros, asks: bool) -> Result<Option<Command>, String> {
        if asks && self.slots().count() == crate::slot::SLOTS {
            return Err("all slots are in use: take a device out first".into());
        }
        let before = self.sitting.asks.is_some();
        self.sitting.asks = asks.then(|| now.after(ASKS));
        self.set_alarm(Alarm::Sitting);
        Ok((before != asks).then_some(Command::AskToSit(before)))
    }

    /// Lets two buttons held together give a slot at any time, or no longer.
    pub(super) fn sit_by_two(&mut self, always: bool) -> Option<Command> {
        let before = std::mem::replace(&mut self.sitting.always, always);
        (before != always).then_some(Command::SitByTwo(before))
    }

    /// Nobody pressed anything in time.
    pub(super) fn sitting_due(&mut self) {
        self.sitting.asks = None;
    }

    /// How long the board will still ask for a press, and whether two buttons do it at any time.
    #[must_use]
    pub fn sitting(&self, now: Micros) -> (Option<Micros>, bool) {
        (self.sitting.asks.map(|until| until.since(now)), self.sitting.always)
    }

    /// Something is pressed on a device with a part that has no slot: it gets one, if that was asked for.
    pub(super) fn sit_down(&mut self, now: Micros, node: NodeId) {
        let enough = match self.sitting {
            Sitting { asks: Some(_), .. } => 1,
            Sitting { always: true, .. } if !self.locked => 2,
            _ => return,
        };
        let Some(source) = self.source(node) else { return };
        let (device, frame) = (source.device, source.frame);
        let Some(free) = self.slots.free() else { return };
        let Some(entry) = self.device(device).filter(|entry| entry.cover != Cover::LeftToGame) else { return };
        let waits = self.waits_for(device).is_some();
        if waits || self.seating.kept.asking.iter().any(|asked| asked.part.device == device) {
            return;
        }
        let pressed = entry.parts.iter().filter(|part| part.source == node).find(|part| {
            let layout = source.layout().and_then(|layout| layout.parts.get(part.local));
            let Some(layout) = layout.filter(|layout| layout.is_game_controller()) else { return false };
            let is_down = |control: &&Control| control.is_down(control.raw(&frame));
            let buttons = layout.controls.iter().filter(|control| control.kind == ControlKind::Button);
            let down: Vec<&Control> = buttons.filter(is_down).collect();
            down.len() >= enough
                && self.seat(device, part.number).is_none()
                && (enough == 1 || self.preferences.sit_down.is_none_or(|both| would_play(layout, &down, both)))
        });
        let Some((part, name)) = pressed.map(|part| (part.number, entry.name.clone())) else { return };
        let Some(identity) = self.identity(device, part) else { return };
        self.slots.put(free, self.new_slot(PadKind::default(), super::PLAIN.into()));
        self.sit_wanted(now, device, part, free, &identity);
        self.sitting.asks = None;
        self.set_alarm(Alarm::Sitting);
        self.note(now, Mark::Well, format!("{name} has sat down in {free} by a press"));
    }
}
