//! What goes to devices that are read by a sheet: start-up, keep-alive, rumble, lamps; and what their silence means.

use super::alarms::Alarm;
use super::{Effect, Offer, Source, Table};
use crate::device::{Access, NodeId, OsFault};
use crate::outgoing::{Act, Sent, StartUp};
use crate::path::Mark;
use crate::sheet::Sheet;
use crate::slot::SlotNumber;
use crate::time::Micros;
use mantle_hid::Want;
use std::sync::Arc;

/// How strongly a device shakes for a step that was taken, of 65535.
const SHAKE: u16 = 0xa000;

/// Why something is sent; what is sent for rumble or lamps makes what waits for the same purpose pointless.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Purpose {
    /// A step of the start-up.
    StartUp,
    /// That it goes on.
    KeepAlive,
    /// A game's rumble.
    Rumble,
    /// Who plays with it.
    Lamps,
    /// The colour that a game wants of its pad's lamp.
    Colour,
}

/// A conversation with one source.
#[derive(Clone, Debug)]
pub(super) struct DeviceLink {
    sheet: Arc<Sheet>,
    start: StartUp,
    /// The act whose result is waited for by the start-up.
    request: u32,
    /// When each keep-alive is due, once it has started.
    alive: Vec<Micros>,
    /// When the report of each silence came last, until it is released.
    heard: Vec<Option<Micros>>,
    rumble: (u16, u16),
    lamps: Option<u8>,
    colour: Option<[u8; 3]>,
    /// Faults other than those of the start-up have been noted.
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
            lamps: None,
            colour: None,
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

    /// A report has come; returns whether it is an answer, and so no report of controls. `moved` is set if a deadline
    /// came into being that was not there before.
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
    /// A node is open: if its sheet has anything to say to it, the conversation begins.
    pub(super) fn begin_talk(&mut self, now: Micros, node: NodeId) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        source.talk =
            source.sheet.clone().filter(|sheet| sheet.talks()).map(|sheet| Box::new(DeviceLink::new(sheet, now)));
        self.set_alarm(Alarm::Talks);
        self.pass_time(now);
    }

    /// What was due for conversations happens now.
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

    /// Says what a start-up fails with, once.
    fn note_start(&mut self, now: Micros, node: NodeId, before: Option<&str>) {
        let Some(source) = self.source(node) else { return };
        let name = &source.facts.identity.name;
        let (mark, text) = match (before, source.talk.as_ref().and_then(|talk| talk.fault())) {
            (before, Some(fault)) if before != Some(fault) => (Mark::Stop, format!("{name} does not wake: {fault}")),
            (Some(_), None) => (Mark::Well, format!("{name} is awake")),
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
                let text = format!(
                    "{}: {} of {} fails ({})",
                    source.facts.identity.name,
                    fault.operation,
                    fault.path,
                    fault.name()
                );
                self.note(now, Mark::Doubt, text);
            }
            _ => {}
        }
    }

    /// A report was what a start-up waited for, and so none of controls.
    #[cold]
    pub(super) fn handle_answer(&mut self, now: Micros, node: NodeId) {
        let before = self.source(node).and_then(|source| source.start_fault()).map(str::to_owned);
        self.finish_start(now, node, before.as_deref());
        self.set_alarm(Alarm::Talks);
        self.refresh_lamps();
        self.pass_time(now);
    }

    /// The start-up may have gone on: what comes after it begins with its end.
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

    /// A report has been silent for as long as its sheet allows: what it tells of rests.
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

    /// What a slot's devices shall do: a game's rumble and, for a moment, the shake that says that something was done.
    fn rumble_of(&self, number: SlotNumber) -> (u16, u16) {
        let Some(slot) = self.slot(number).filter(|_| !self.paused) else { return (0, 0) };
        let (strong, weak) = slot.rumble.map_or((0, 0), |(strong, weak, _)| (strong, weak));
        (strong, if slot.shakes.is_some() { weak.max(SHAKE) } else { weak })
    }

    /// A slot's devices are still.
    pub(super) fn stop_rumble(&mut self, number: SlotNumber) {
        if let Some(slot) = self.slots.get_mut(number) {
            (slot.rumble, slot.shakes) = (None, None);
        }
        self.send_rumble(number);
    }

    /// Rumble of a slot goes to all its devices that can.
    pub(super) fn send_rumble(&mut self, number: SlotNumber) {
        let (strong, weak) = self.rumble_of(number);
        for index in 0..self.sources.len() {
            let plays = self.routes_of(NodeId(index as u16)).iter().flatten().any(|(slot, _)| *slot == number);
            let Some(Some(source)) = self.sources.get_mut(index) else { continue };
            let Some(talk) = source.talk.as_deref_mut().filter(|talk| plays && talk.start.is_done()) else { continue };
            let Some(encoder) = talk.sheet.rumble.as_ref().filter(|_| talk.rumble != (strong, weak)) else { continue };
            talk.rumble = (strong, weak);
            let share = |motor: u16| f32::from(motor) / f32::from(u16::MAX);
            let act = encoder.encode(&[share(strong), share(weak)], &talk.sheet.checks);
            let node = NodeId(index as u16);
            self.effects.push_back(Effect::Send { node, request: 0, purpose: Purpose::Rumble, act });
        }
    }

    /// The colour that a game wants of a pad's lamp goes to all devices of its slot that have one.
    pub(super) fn send_colour(&mut self, number: SlotNumber) {
        let Some(colour) = self.slot(number).and_then(|slot| slot.lamp.colour) else { return };
        for index in 0..self.sources.len() {
            let plays = self.routes_of(NodeId(index as u16)).iter().flatten().any(|(slot, _)| *slot == number);
            let Some(Some(source)) = self.sources.get_mut(index) else { continue };
            let Some(talk) = source.talk.as_deref_mut().filter(|talk| plays && talk.start.is_done()) else { continue };
            let Some(encoder) = talk.sheet.light.as_ref().filter(|_| talk.colour != Some(colour)) else { continue };
            talk.colour = Some(colour);
            let act = encoder.encode(&colour.map(|part| f32::from(part) / 255.0), &talk.sheet.checks);
            let node = NodeId(index as u16);
            self.effects.push_back(Effect::Send { node, request: 0, purpose: Purpose::Colour, act });
        }
    }

    /// A rumble has lasted as long as it was meant to.
    pub(super) fn end_rumbles(&mut self, due: Micros) {
        for number in SlotNumber::all() {
            let Some(slot) = self.slots.get_mut(number) else { continue };
            let ended = slot.rumble.take_if(|(_, _, until)| *until <= due).is_some();
            let stilled = slot.shakes.take_if(|until| *until <= due).is_some();
            if ended || stilled {
                self.send_rumble(number);
            }
        }
    }

    /// Lamps show the slot that a device plays for.
    pub(super) fn refresh_lamps(&mut self) {
        for index in 0..self.sources.len() {
            let Some(Some(source)) = self.sources.get_mut(index) else { continue };
            if source.access != Access::Open {
                continue;
            }
            let slot = source.routes.iter().flatten().next().map_or(0, |(slot, _)| slot.number());
            let Some(talk) = source.talk.as_deref_mut().filter(|talk| talk.start.is_done()) else { continue };
            let Some(lamps) = talk.sheet.lamps.as_ref().filter(|_| talk.lamps != Some(slot)) else { continue };
            talk.lamps = Some(slot);
            let act: Act = lamps.encode(slot, &talk.sheet.checks);
            let node = NodeId(index as u16);
            self.effects.push_back(Effect::Send { node, request: 0, purpose: Purpose::Lamps, act });
        }
    }
}

impl Source {
    /// Why it does not wake, if it does not.
    #[must_use]
    pub fn start_fault(&self) -> Option<&str> {
        self.talk.as_ref()?.fault()
    }
}
