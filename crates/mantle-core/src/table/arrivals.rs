//! Nodes come, are opened, and go.

use super::{Device, Effect, Offer, PartRef, Source, Table};
use crate::control::Layout;
use crate::cover::{Cover, Strength};
use crate::device::{Access, DeviceId, Driven, NodeFacts, NodeId, OsFault};
use crate::path::Mark;
use crate::planted::planted;
use crate::seating::DevicePart;
use crate::session::Counter;
use crate::sheet::Sheet;
use crate::time::Micros;
use mantle_hid::{Descriptor, Frame};
use std::sync::Arc;

/// The former source of a part whose node is away.
const NOWHERE: NodeId = NodeId(u16::MAX);

impl Table {
    pub(super) fn arrive(&mut self, now: Micros, facts: NodeFacts) {
        let mut sheet = None;
        let offer = match Descriptor::parse(&facts.descriptor) {
            Ok(descriptor) => {
                let layout = match self.sheet_for(&facts) {
                    Some(found) => {
                        sheet = Some(found.clone());
                        Layout::with_sheet(&descriptor, found)
                    }
                    None => Layout::new(&descriptor),
                };
                Offer::Layout(Box::new(layout))
            }
            Err(error) => Offer::Unreadable(error.to_string()),
        };
        let facts = self.named(facts);
        let (device, back) = self.device_of(&facts);
        let node = facts.id;
        let name = facts.identity.name.clone();
        let place = facts.identity.place();
        let interface = facts.identity.interface.unwrap_or(0);
        let frame = match &offer {
            Offer::Layout(layout) => layout.rest,
            Offer::Unreadable(_) => Frame::default(),
        };
        let opened = self.devices[usize::from(device.0)].as_mut().and_then(|entry| {
            let at = entry.opened.iter().position(|(own, _)| *own == interface)?;
            Some(entry.opened.remove(at).1)
        });
        let source = Source {
            device,
            spikes: match &offer {
                Offer::Layout(layout) => crate::watch::Spikes::of_layout(layout),
                Offer::Unreadable(_) => crate::watch::Spikes::default(),
            },
            offer,
            access: Access::Closed,
            opened,
            sheet,
            frame,
            reports: Counter::default(),
            bad: Counter::default(),
            overruns: Counter::default(),
            last_good: Micros(0),
            changed: Counter::default(),
            last_bad: String::new(),
            routes: [None; crate::control::PARTS],
            fresh: true,
            noted_long: false,
            watch: crate::watch::SourceWatch::default(),
            power: None,
            talk: None,
            facts,
        };
        let parts = source.layout().map_or(1, |layout| layout.parts.len().max(1));
        let index = usize::from(node.0);
        if self.sources.len() <= index {
            self.sources.resize_with(index + 1, || None);
        }
        self.sources[index] = Some(Box::new(source));
        let mut covered = None;
        if let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0)) {
            if let Some((strength, _)) = entry.back_until.take() {
                entry.cover = Cover::Covered(strength);
                covered = Some(entry.cover.words());
            }
            entry.sources.push(node);
            for local in 0..parts {
                let number = interface.wrapping_mul(8).wrapping_add(local as u8);
                // Back from being covered, it is the same part and takes its seat again.
                entry.parts.retain(|own| own.number != number || own.source != NOWHERE);
                self.seating.rise(DevicePart { device, part: number });
                entry.parts.push(PartRef { number, source: node, local, learnt: Default::default() });
            }
            entry.parts.sort_by_key(|part| part.number);
        }
        if !back {
            self.note(now, Mark::Well, format!("{name} is connected ({place})"));
        } else if let Some(words) = covered {
            self.note(now, Mark::Well, format!("{name} is {words}"));
        }
        if let Some(identity) = self.source(node).map(|source| source.facts.identity.clone()) {
            self.meet_twin(device, &identity);
        }
        self.seat_arrival(now, device, node, back);
        self.radio_sees(now, node, back);
    }

    /// The sheet for a device.
    pub(super) fn sheet_for(&self, facts: &NodeFacts) -> Option<&Arc<Sheet>> {
        Sheet::best_of(&self.sheets, &facts.identity)
    }

    /// The device of a node, and whether it comes back from being covered.
    fn device_of(&mut self, facts: &NodeFacts) -> (DeviceId, bool) {
        let covering = self.devices().find(|device| {
            device.sources.is_empty() && matches!(device.cover, Cover::Covering) && {
                let seats = device.parts.iter().filter_map(|part| self.seat(device.id, part.number));
                seats.into_iter().any(|seat| {
                    let member = self.slot(seat.slot).and_then(|slot| slot.session.members.get(seat.index));
                    member.is_some_and(|member| {
                        member.key.fits(&facts.identity, true) > Some(crate::device::Match::Model)
                    })
                })
            }
        });
        if let Some(device) = covering {
            return (device.id, true);
        }
        let joined = self.devices().find(|device| {
            device
                .sources
                .iter()
                .filter_map(|node| self.source(*node))
                .any(|s| s.facts.identity.same_device(&facts.identity))
        });
        if let Some(device) = joined {
            return (device.id, device.cover == Cover::Covering);
        }
        let index = self.devices.iter().position(Option::is_none).unwrap_or(self.devices.len());
        let id = DeviceId(index as u16);
        let left = self.seating.kept.is_left_to_game(&facts.identity);
        let device = Device {
            id,
            name: facts.identity.name.clone(),
            parts: Vec::new(),
            sources: Vec::new(),
            cover: if left { Cover::LeftToGame } else { Cover::Bare },
            pass_on: true,
            sides: false,
            pointer: false,
            covered: Vec::new(),
            opened: Vec::new(),
            busy: 0,
            back_until: None,
        };
        if index == self.devices.len() {
            self.devices.push(Some(device));
        } else {
            self.devices[index] = Some(device);
        }
        (id, false)
    }

    pub(super) fn rights_changed(&mut self, node: NodeId) {
        if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0))
            && matches!(source.access, Access::Refused(_))
        {
            self.open(node);
        }
    }

    pub(super) fn inputs_changed(&mut self, now: Micros, node: NodeId, inputs: Vec<String>, driven: Driven) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        source.facts.inputs = inputs;
        source.facts.driven = driven;
        // A kernel driver that offers motors or lamps has bound.
        if source.access == Access::Open && source.talk.is_none() && source.shows() {
            self.begin_talk(now, node);
        }
    }

    /// The system reports on a device's battery.
    pub(super) fn power_is(&mut self, node: NodeId, power: Option<(f32, bool)>) {
        if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) {
            source.power = power;
        }
    }

    /// Reports of a node were lost.
    pub(super) fn overran(&mut self, now: Micros, node: NodeId) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        source.overruns.tick(now);
        let (came, asked) = match source.facts.is_input_node() {
            true => ("events", "its state was read again"),
            false => ("reports", "its state is being read again"),
        };
        let name = &source.facts.identity.name;
        let text = format!("{name}: {came} came faster than they could be read, and some were lost; {asked}");
        self.note(now, Mark::Doubt, text);
    }

    pub(super) fn open(&mut self, node: NodeId) {
        if let Some(Some(source)) = self.sources.get_mut(usize::from(node.0))
            && !matches!(source.access, Access::Open | Access::Opening)
        {
            source.access = Access::Opening;
            self.effects.push_back(Effect::Open(node));
        }
    }

    pub(super) fn opened(&mut self, now: Micros, node: NodeId, result: Result<(), OsFault>) {
        let Some(Some(source)) = self.sources.get_mut(usize::from(node.0)) else { return };
        let (name, device) = (source.facts.identity.name.clone(), source.device);
        let covering = self
            .devices
            .get(usize::from(device.0))
            .is_some_and(|device| device.as_ref().is_some_and(|device| device.cover == Cover::Covering));
        let before = std::mem::take(&mut source.access);
        match result {
            Ok(()) => {
                source.access = Access::Open;
                source.opened.get_or_insert(now);
                self.tell_opened(now, node);
                self.look_from(now);
                self.begin_talk(now, node);
            }
            // A node that is away to be covered is no fault: it comes back.
            Err(fault) if covering && matches!(fault.errno, 2 | 6 | 19) => {
                source.access = Access::Closed;
            }
            Err(fault) => {
                let again = before == Access::Refused(fault.clone());
                let text = format!("{name} cannot be opened ({}: {})", fault.path, fault.name());
                source.access = Access::Refused(fault);
                if !again {
                    self.note(now, Mark::Stop, text);
                }
            }
        }
    }

    pub(super) fn go(&mut self, now: Micros, node: NodeId) {
        let covering =
            self.source(node).and_then(|own| self.device(own.device)).is_some_and(|own| own.cover == Cover::Covering);
        if !covering {
            self.take_other_link(now, node);
        }
        let routes = self.routes_of(node);
        let Some(source) = self.sources.get_mut(usize::from(node.0)).and_then(Option::take) else { return };
        self.effects.push_back(Effect::Close(node));
        // Whichever node gets this number next is not the one being watched or searched for fields.
        self.views.forget_node(node);
        if self.listening.is_of(node) {
            self.end_listening(now, |_| true);
        }
        self.release_routes(now, &routes);
        let Some(Some(device)) = self.devices.get_mut(usize::from(source.device.0)) else { return };
        device.sources.retain(|other| *other != node);
        if device.cover == Cover::Covering {
            let interface = source.facts.identity.interface.unwrap_or(0);
            device.opened.extend(source.opened.map(|at| (interface, at)));
            // Seats stay, but the node's number may soon belong to another.
            for part in device.parts.iter_mut().filter(|part| part.source == node) {
                part.source = NOWHERE;
            }
            return;
        }
        let (last, cover) = (device.sources.is_empty(), device.cover.clone());
        self.drop_parts(source.device, |part| part.source == node);
        if last {
            self.count_going(now, &source.facts.identity);
            if cover == Cover::Covered(Strength::Held) && !planted("a held device that goes stays held") {
                self.effects.push_back(Effect::Uncover(source.device));
            }
            self.devices[usize::from(source.device.0)] = None;
            self.seating.rise_all(source.device);
            self.radio_loses(source.device);
            self.links.left.retain(|(own, _)| own.device != source.device);
            self.seating.kept.asking.retain(|asked| asked.part.device != source.device);
            let seats: Vec<String> = routes.iter().flatten().map(|(slot, _)| slot.to_string()).collect();
            let kept =
                if seats.is_empty() { String::new() } else { format!("; {} is kept for it", seats.join(" and ")) };
            self.note(now, Mark::Kept, format!("{} is gone{kept}", source.facts.identity.name));
            self.give_back_the_last(now);
        }
    }
}
