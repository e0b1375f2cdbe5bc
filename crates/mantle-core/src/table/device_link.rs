//! What is sent to devices: start-up and keep-alive of their sheets, rumble and lamps; and what their silence means.

use super::alarms::Alarm;
use super::{Effect, Offer, Source, Table};
use crate::command::Command;
use crate::device::{Access, Bus, DeviceId, NodeId, OsFault};
use crate::outgoing::{Sent, Signal, StartUp};
use crate::path::Mark;
use crate::sheet::{Sheet, Ways};
use crate::slot::SlotNumber;
use crate::slot::{DARK, Feedback, LampChoice, MOST_RUMBLE};
use crate::time::Micros;
use mantle_hid::Want;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Strength of the rumble that confirms a step, of 65535.
const SHAKE: u16 = 0xa000;
/// How often a device rumbles and blinks to be found, or to tell its player something.
const FOUND: u8 = 4;
const NUDGED: u8 = 2;
/// The least time between two changes of a wireless device's motors: changes in between wait, and only the newest
/// counts. Such a link carries some hundred reports per second both ways, and the hand's come first.
const SHAKE_EVERY_BY_RADIO: Micros = Micros::millis(30);
/// The colour of a lamp that blinks and was dark.
const LIT: [u8; 3] = [255, 255, 255];

/// The purpose of an act; a new one for rumble or lamps replaces a waiting one with the same purpose.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Serialize, Deserialize)]
pub enum Purpose {
    /// A step of the start-up.
    StartUp,
    /// Keep-alive.
    KeepAlive,
    /// A game's rumble.
    Rumble,
    /// The player's number.
    Lamps,
    /// The colour that a game wants.
    Colour,
}

/// What a source shall do: strength of its motors, the player its lamps show, and their colour, if that is ours to set.
struct Outputs {
    motors: (u16, u16),
    player: u8,
    colour: Option<[u8; 3]>,
}

/// A conversation with one source.
#[derive(Clone, Debug)]
pub(super) struct DeviceLink {
    sheet: Arc<Sheet>,
    start: StartUp,
    /// The act whose result the start-up is waiting for.
    request: u32,
    /// When each keep-alive is due, once it has started.
    alive: Vec<Micros>,
    /// When each watched report last came, until it is released.
    heard: Vec<Option<Micros>>,
    /// What was last sent.
    rumble: (u16, u16),
    /// From when its motors may be changed again, and whether a change is waiting.
    rumble_from: Micros,
    rumble_waits: bool,
    lamps: Option<u8>,
    colour: Option<[u8; 3]>,
    /// When it stops signalling where it is.
    signal: Option<Signal>,
    /// Whether a fault other than the start-up's was noted.
    noted: bool,
}

impl DeviceLink {
    fn new(sheet: Arc<Sheet>, now: Micros) -> Self {
        let start = StartUp::new(sheet.start_up.clone(), now);
        let heard = vec![None; sheet.silences.len()];
        Self {
            sheet,
            start,
            request: 0,
            alive: Vec::new(),
            heard,
            rumble: (0, 0),
            rumble_from: Micros(0),
            rumble_waits: false,
            lamps: None,
            colour: None,
            signal: None,
            noted: false,
        }
    }

    pub fn fault(&self) -> Option<&str> {
        self.start.fault()
    }

    pub fn deadline(&self) -> Option<Micros> {
        let silences = self.sheet.silences.iter().zip(&self.heard);
        let silences = silences.filter_map(|(silence, heard)| heard.map(|heard| heard.after(silence.after)));
        self.start.deadline().into_iter().chain(self.alive.iter().copied()).chain(silences).min()
    }

    /// Handles a report. Returns whether it is an answer rather than a report of controls. `moved` is set if a new
    /// deadline came into being.
    #[inline]
    pub fn hear(&mut self, now: Micros, bytes: &[u8], numbered: bool, moved: &mut bool) -> bool {
        for (silence, heard) in self.sheet.silences.iter().zip(&mut self.heard) {
            if !numbered || bytes.first() == Some(&silence.report) {
                *moved |= heard.replace(now).is_none();
            }
        }
        if self.start.is_done() {
            return false;
        }
        let answer = self.start.handle_report(now, bytes);
        *moved |= answer;
        answer
    }
}

impl Table {
    /// A node has been opened: begins its conversation, if it needs one.
    pub(super) fn begin_talk(&mut self, now: Micros, node: NodeId) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let sheet = source.sheet.clone().unwrap_or_default();
        let any = sheet.talks() || source.shows();
        source.talk = any.then(|| Box::new(DeviceLink::new(sheet, now)));
        self.set_alarm(Alarm::Talks);
        self.pass_time(now);
    }

    /// Carries out what is due in conversations.
    pub(super) fn run_talks(&mut self, due: Micros) {
        for index in 0..self.sources.len() {
            let Some(Some(source)) = self.sources.get_mut(index) else { continue };
            let node = NodeId(index as u16);
            let Some(talk) = source.talk.as_deref_mut().filter(|talk| talk.deadline() <= Some(due)) else { continue };
            let before = talk.start.fault().map(str::to_owned);
            if let Some(act) = talk.start.poll(due) {
                self.requests = self.requests.wrapping_add(1);
                talk.request = self.requests;
                let (request, purpose) = (self.requests, Purpose::StartUp);
                self.effects.push_back(Effect::Send { node, request, purpose, act: act.sealed(&talk.sheet.checks) });
            }
            for (alive, keep) in talk.alive.iter_mut().zip(&talk.sheet.keep_alive) {
                if *alive <= due {
                    *alive = alive.after(keep.every);
                    let act = keep.act.clone().sealed(&talk.sheet.checks);
                    self.effects.push_back(Effect::Send { node, request: 0, purpose: Purpose::KeepAlive, act });
                }
            }
            let silent: Vec<u8> = talk
                .sheet
                .silences
                .iter()
                .zip(&mut talk.heard)
                .filter_map(|(silence, heard)| {
                    heard.take_if(|heard| heard.after(silence.after) <= due).map(|_| silence.report)
                })
                .collect();
            for report in silent {
                self.rest_report(due, node, report);
            }
            self.note_start(due, node, before.as_deref());
        }
    }

    /// Reports a failed start-up once.
    fn note_start(&mut self, now: Micros, node: NodeId, before: Option<&str>) {
        let Some(source) = self.source(node) else { return };
        let name = &source.facts.identity.name;
        let (mark, text) = match (before, source.talk.as_ref().and_then(|talk| talk.fault())) {
            (before, Some(fault)) if before != Some(fault) => {
                (Mark::Stop, format!("{name} does not start up: {fault}"))
            }
            (Some(_), None) => (Mark::Well, format!("{name} has started up")),
            _ => return,
        };
        self.note(now, mark, text);
    }

    pub(super) fn sent(
        &mut self,
        now: Micros,
        node: NodeId,
        request: u32,
        purpose: Purpose,
        result: Result<Sent, OsFault>,
    ) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let Some(talk) = source.talk.as_deref_mut() else { return };
        match (purpose, result) {
            (Purpose::StartUp, result) if request == talk.request => {
                let before = talk.start.fault().map(str::to_owned);
                talk.start.handle_sent(now, result);
                self.finish_start(now, node, before.as_deref());
            }
            (Purpose::StartUp, _) | (_, Ok(_)) => {}
            (_, Err(fault)) if !talk.noted => {
                talk.noted = true;
                let text = format!("{} does not take what it is sent ({})", source.facts.identity.name, fault.system());
                self.note(now, Mark::Doubt, text);
            }
            _ => {}
        }
    }

    /// Whether a report was an answer that a start-up was waiting for.
    #[cold]
    pub(super) fn handle_answer(&mut self, now: Micros, node: NodeId) {
        let before = self.source(node).and_then(|source| source.start_fault()).map(str::to_owned);
        self.finish_start(now, node, before.as_deref());
        self.set_alarm(Alarm::Talks);
        self.refresh_outputs(now);
        self.pass_time(now);
    }

    /// The start-up may have ended, and what follows it begins.
    fn finish_start(&mut self, now: Micros, node: NodeId, before: Option<&str>) {
        if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0))
            && let Some(talk) = source.talk.as_deref_mut()
            && talk.start.is_done()
            && talk.alive.is_empty()
        {
            talk.alive = talk.sheet.keep_alive.iter().map(|keep| now.after(keep.every)).collect();
        }
        self.note_start(now, node, before);
    }

    /// A report has been silent for as long as its sheet allows: its controls return to rest.
    fn rest_report(&mut self, due: Micros, node: NodeId, report: u8) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let Offer::Layout(layout) = &source.offer else { return };
        for want in &layout.wants {
            match *want {
                Want::Bit { report: id, to, .. } if id.0 == report => source.frame.set_bit(to, layout.rest.bit(to)),
                Want::Array { report: id, to, len, .. } if id.0 == report => {
                    (to..to + len).for_each(|bit| source.frame.set_bit(bit, layout.rest.bit(bit)));
                }
                Want::Value { report: id, to, .. } | Want::Big { report: id, to, .. } if id.0 == report => {
                    source.frame.values[usize::from(to)] = layout.rest.values[usize::from(to)];
                }
                _ => {}
            }
        }
        layout.extras.translate(&mut source.frame);
        let index = layout.plan.ids().position(|id| id.0 == report);
        let Some(reach) = index.and_then(|index| layout.reach.get(index)).copied() else { return };
        for (part, route) in source.routes.iter().enumerate() {
            let Some((number, member)) = route.filter(|_| reach.parts >> part & 1 != 0) else { continue };
            if let Some(slot) = self.slots.get_mut(number) {
                slot.session.handle_frame(due, member, &source.frame, reach.carries());
            }
        }
    }

    /// Stops a slot's motors once everything has settled.
    pub(super) fn stop_rumble(&mut self, number: SlotNumber) {
        if let Some(slot) = self.slots.get_mut(number) {
            (slot.rumble, slot.shakes) = (None, None);
        }
    }

    /// A rumble or a signal ends, or continues.
    pub(super) fn end_rumbles(&mut self, due: Micros) {
        for number in SlotNumber::all() {
            let Some(slot) = self.slots.get_mut(number) else { continue };
            slot.rumble.take_if(|(_, _, until)| *until <= due);
            slot.shakes.take_if(|until| *until <= due);
        }
        for talk in self.sources.iter_mut().flatten().filter_map(|source| source.talk.as_deref_mut()) {
            talk.signal.take_if(|signal| !signal.handle_time(due));
        }
        self.refresh_outputs(due);
    }

    /// When a signal continues or ends, or a waiting change of motors may be sent.
    pub(super) fn signals_due(&self) -> Option<Micros> {
        let talks = self.sources.iter().flatten().filter_map(|source| source.talk.as_deref());
        let due = |talk: &DeviceLink| {
            let waits = talk.rumble_waits.then_some(talk.rumble_from);
            talk.signal.as_ref().map(Signal::deadline).into_iter().chain(waits).min()
        };
        talks.filter_map(due).min()
    }

    /// What a slot's devices shall do: a game's rumble and, briefly, the rumble that confirms a step.
    fn rumble_of(&self, number: SlotNumber) -> (u16, u16) {
        let Some(slot) = self.slot(number).filter(|_| !self.paused) else { return (0, 0) };
        let (strong, weak) = slot.rumble.map_or((0, 0), |(strong, weak, _)| (strong, weak));
        let shaken = if slot.shakes.is_some() { weak.max(SHAKE) } else { weak };
        (slot.feedback.scaled(strong), slot.feedback.scaled(shaken))
    }

    /// What a source shall do now: strength of its motors, the player its lamps show, and their colour.
    fn outputs_of(&self, index: usize) -> Option<Outputs> {
        let source = self.sources[index].as_ref().filter(|source| source.access == Access::Open)?;
        let talk = source.talk.as_ref().filter(|talk| talk.start.is_done())?;
        let slots = || source.routes.iter().flatten().map(|(slot, _)| *slot);
        let mut motors = slots()
            .map(|slot| self.rumble_of(slot))
            .fold((0, 0), |one, other| (one.0.max(other.0), one.1.max(other.1)));
        let first = slots().next().and_then(|number| Some((number, self.slot(number)?)));
        let low = || source.battery().map(|(level, _)| level < self.preferences.limits.battery);
        let (mut player, mut colour) = match first {
            Some((_, slot)) if slot.feedback.lamp == LampChoice::Off => (0, Some(DARK)),
            Some((number, slot)) => (number.number(), Some(slot.feedback.lamp.colour(number, slot.lamp.colour, low()))),
            // Lamps that we never lit are left alone.
            None => (0, talk.colour.map(|_| DARK)),
        };
        if let Some(signal) = talk.signal.filter(Signal::is_on) {
            if signal.shakes {
                motors.0 = motors.0.max(SHAKE);
            }
            if signal.blinks {
                player = u8::from(player == 0);
                colour = Some(if colour.is_none_or(|colour| colour == DARK) { LIT } else { DARK });
            }
        }
        Some(Outputs { motors, player, colour })
    }

    /// Sends motors and lamps what follows from the facts, as far as it has not been sent.
    pub(super) fn refresh_outputs(&mut self, now: Micros) {
        let mut waits = false;
        for index in 0..self.sources.len() {
            let Some(Outputs { motors, player, colour }) = self.outputs_of(index) else { continue };
            let Some(source) = self.sources[index].as_deref_mut() else { continue };
            let Some(talk) = source.talk.as_deref_mut() else { continue };
            let ways = Ways { sheet: Some(&talk.sheet), driven: &source.facts.driven };
            let mut acts = Vec::new();
            talk.rumble_waits = talk.rumble != motors && now < talk.rumble_from && ways.shake();
            waits |= talk.rumble_waits;
            if talk.rumble != motors
                && !talk.rumble_waits
                && let Some(act) = ways.rumble(motors)
            {
                if source.facts.identity.bus == Bus::BLUETOOTH {
                    talk.rumble_from = now.after(SHAKE_EVERY_BY_RADIO);
                }
                talk.rumble = motors;
                acts.push((Purpose::Rumble, act));
            }
            if talk.lamps != Some(player)
                && let Some(act) = ways.player(player)
            {
                talk.lamps = Some(player);
                acts.push((Purpose::Lamps, act));
            }
            if let Some(colour) = colour.filter(|colour| talk.colour != Some(*colour))
                && let Some(act) = ways.light(colour)
            {
                talk.colour = Some(colour);
                acts.push((Purpose::Colour, act));
            }
            let node = NodeId(index as u16);
            self.effects.extend(acts.into_iter().map(|(purpose, act)| Effect::Send { node, request: 0, purpose, act }));
        }
        if waits {
            self.set_alarm(Alarm::Rumbles);
        }
    }

    /// Makes devices signal where they are. Returns whether any of these nodes can.
    fn signal(&mut self, now: Micros, nodes: &[NodeId], times: u8, shakes: bool, blinks: bool) -> bool {
        let mut any = false;
        for node in nodes {
            let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { continue };
            let Some(talk) = source.talk.as_deref_mut().filter(|talk| talk.start.is_done()) else { continue };
            let ways = Ways { sheet: Some(&talk.sheet), driven: &source.facts.driven };
            let (can_shake, can_blink) = (ways.shake() && shakes, ways.shine() && blinks);
            if can_shake || can_blink {
                talk.signal = Some(Signal::begin(now, times, can_shake, can_blink));
                any = true;
            }
        }
        any
    }

    /// Finds a device: it rumbles and blinks.
    pub(super) fn find(&mut self, now: Micros, device: DeviceId) -> Result<(), String> {
        let entry = self.device(device).ok_or("that device is no longer connected")?;
        let (name, nodes) = (entry.name.clone(), entry.sources.clone());
        if self.signal(now, &nodes, FOUND, true, true) {
            return Ok(());
        }
        if nodes.iter().any(|node| self.source(*node).is_some_and(Source::shows)) {
            return Err(format!("{name} has not started up yet"));
        }
        Err(format!("{name} has no motor or lamp that this program or the kernel knows; a sheet can describe one"))
    }

    /// Tells a slot's player something through their device, if it can.
    pub(super) fn nudge(&mut self, now: Micros, slot: SlotNumber, shakes: bool, blinks: bool) {
        let members = self.slot(slot).map_or(0, |slot| slot.session.members.len());
        let nodes: Vec<NodeId> =
            (0..members).filter_map(|index| self.part_of(slot, index)).map(|(_, part)| part.source).collect();
        self.signal(now, &nodes, NUDGED, shakes, blinks);
    }

    /// Sets what comes back to a slot's devices.
    pub(super) fn set_feedback(&mut self, slot: SlotNumber, feedback: Feedback) -> Result<Option<Command>, String> {
        if feedback.rumble > MOST_RUMBLE {
            return Err(format!("rumble goes from 0 to {MOST_RUMBLE} percent, not {}", feedback.rumble));
        }
        let entry = self.slots.get_mut(slot).ok_or_else(|| format!("{slot} is empty"))?;
        let before = std::mem::replace(&mut entry.feedback, feedback);
        Ok((before != feedback).then_some(Command::SetFeedback { slot, feedback: before }))
    }
}

impl Source {
    /// The ways to its motors and lamps.
    #[must_use]
    pub fn ways(&self) -> Ways<'_> {
        Ways { sheet: self.sheet.as_deref(), driven: &self.facts.driven }
    }

    /// Whether it has a motor or lamp that can be reached.
    #[must_use]
    pub fn shows(&self) -> bool {
        self.ways().shake() || self.ways().shine()
    }

    /// Why its start-up fails, if it does.
    #[must_use]
    pub fn start_fault(&self) -> Option<&str> {
        self.talk.as_ref()?.fault()
    }
}
