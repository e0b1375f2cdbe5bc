//! Covering: which devices and interfaces, when, and for how long.

use super::{Device, Effect, Source, Table};
use crate::command::Command;
use crate::control::PartLayout;
use crate::cover::{Cover, CoverInterface, CoverPlan, Strength};
use crate::device::{Access, DeviceId, NodeId, OsFault};
use crate::path::{Mark, PadCondition, StaysBare};
use crate::planted::planted;
use crate::time::Micros;

/// How often in a row a device is covered again because some unseen program held it.
const UNSEEN_TRIES: u8 = 3;
/// How long a device's nodes may take to come back from being covered.
const NODES_BACK_WITHIN: Micros = Micros::seconds(3);

impl Table {
    /// A covered mouse that has become the last one goes back to the system.
    pub(super) fn give_back_the_last(&mut self, now: Micros) {
        let covered = |device: &&Device| matches!(device.cover, Cover::Covered(_));
        let lost = |device: &&Device| {
            self.stays_bare(device).is_some()
                || (device.sides && !self.sides(device).all(|side| self.may_go(device, side)))
        };
        let last: Vec<(DeviceId, String)> =
            self.devices().filter(covered).filter(lost).map(|device| (device.id, device.name.clone())).collect();
        for (id, name) in last {
            self.uncover(id);
            self.note(now, Mark::Doubt, format!("{name} is the only mouse now: the system has it again"));
        }
    }

    /// Uncovers a device.
    fn uncover(&mut self, id: DeviceId) {
        if let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) {
            device.cover = Cover::Bare;
        }
        self.effects.push_back(Effect::Uncover(id));
    }

    /// Why a device is never covered, if people use the machine with it. A device held through the node it is read by may always be
    /// covered, since its unused events are passed on. Whether there is another keyboard is never certain: mice and receivers
    /// claim to be keyboards.
    #[must_use]
    pub fn stays_bare(&self, device: &Device) -> Option<StaysBare> {
        let sources = || device.sources.iter().filter_map(|node| self.source(*node));
        let by_reports = |source: &Source| source.steers() && !source.facts.is_input_node();
        if !sources().any(by_reports) {
            // Held, a keyboard passes on what does not play, so it needs no permission; of a pointer nothing may be left.
            let asks = sources().all(Source::steers) && self.points(device) && !self.another_points(device);
            return (asks && !self.may_take_pointer(device)).then_some(StaysBare::LastMouse);
        }
        // On a controller it is only a side, which may stay bare by itself.
        if self.sides(device).next().is_some() {
            return None;
        }
        let has = |device: &Device, wanted: &dyn Fn(&PartLayout) -> bool| {
            let layouts = device.sources.iter().filter_map(|node| self.source(*node)).filter_map(Source::layout);
            layouts.flat_map(|layout| &layout.parts).any(wanted)
        };
        if has(device, &PartLayout::is_keyboard) {
            return Some(StaysBare::Keyboard);
        }
        (!self.another_points(device) && !self.may_take_pointer(device)).then_some(StaysBare::LastMouse)
    }

    /// Whether the person allows the pointer to be taken while this mouse plays.
    fn may_take_pointer(&self, device: &Device) -> bool {
        self.identity_of(device).is_some_and(|identity| self.seating.kept.may_take_pointer(&identity))
    }

    /// Whether a device is the only mouse and may be held while it plays.
    fn takes_pointer(&self, device: &Device) -> bool {
        let mut sources = device.sources.iter().filter_map(|node| self.source(*node));
        sources.any(Source::steers)
            && self.sides(device).next().is_none()
            && !self.another_points(device)
            && self.may_take_pointer(device)
    }

    /// Allows the only mouse to be held while it plays, or withdraws that.
    pub(super) fn take_pointer(&mut self, now: Micros, id: DeviceId, taken: bool) -> Result<Option<Command>, String> {
        let device = self.device(id).ok_or("that device is no longer connected")?;
        let before = self.may_take_pointer(device);
        if taken && (!self.points(device) || self.sides(device).next().is_some()) {
            return Err(format!("{} is not a mouse", device.name));
        }
        let (name, held) = (device.name.clone(), device.pointer && matches!(device.cover, Cover::Covered(_)));
        let Some(identity) = self.identity_of(device) else { return Ok(None) };
        self.seating.kept.take_pointer(&identity, taken);
        if held && !taken {
            self.uncover(id);
        }
        let words = match taken {
            true => "is held while it plays; holding its first two buttons for three seconds brings the pointer back",
            false => "moves the pointer while it plays",
        };
        self.note(now, Mark::Well, format!("{name} {words}"));
        Ok((before != taken).then_some(Command::TakePointer { device: id, taken: before }))
    }

    /// Whether a device points.
    fn points(&self, device: &Device) -> bool {
        let layouts = device.sources.iter().filter_map(|node| self.source(*node)).filter_map(Source::layout);
        layouts.flat_map(|layout| &layout.parts).any(|part| part.is_keyboard_or_mouse() && !part.is_keyboard())
    }

    /// Whether the system has another pointing device.
    fn another_points(&self, device: &Device) -> bool {
        let is_bare = |other: &Device| matches!(other.cover, Cover::Bare | Cover::LeftToGame | Cover::Failed(_));
        self.devices().any(|other| other.id != device.id && is_bare(other) && self.points(other))
    }

    /// The interfaces by which a controller also types or points. Plain keyboards and mice have none.
    fn sides<'a>(&'a self, device: &'a Device) -> impl Iterator<Item = &'a Source> {
        let sources = || device.sources.iter().filter_map(|node| self.source(*node));
        let plays = |source: &Source| {
            let parts = source.layout().map(|layout| layout.parts.as_slice()).unwrap_or_default();
            let of_keyboards = |part: &PartLayout| part.is_keyboard_or_mouse() || part.is_beside_keys();
            parts.iter().any(|part| !of_keyboards(part) && !part.controls.is_empty())
        };
        let sided = sources().any(|source| !source.facts.is_input_node() && plays(source));
        sources().filter(move |source| sided && source.steers())
    }

    /// Whether a side is covered along with its controller: a few keys always are; a whole keyboard once somebody has chosen that (people may use
    /// the machine with it); a pointer while something else points, too.
    fn may_go(&self, device: &Device, side: &Source) -> bool {
        let parts = side.layout().map(|layout| layout.parts.as_slice()).unwrap_or_default();
        parts.iter().all(|part| {
            if part.is_keyboard() { !part.is_whole_keyboard() || !device.pass_on } else { self.another_points(device) }
        })
    }

    pub(super) fn covered(&mut self, now: Micros, device: DeviceId, result: Result<Strength, OsFault>) {
        let Some(Some(entry)) = self.devices.get_mut(usize::from(device.0)) else { return };
        if entry.cover != Cover::Covering {
            return;
        }
        let name = entry.name.clone();
        match result {
            Ok(strength) if entry.sources.is_empty() => {
                // Its nodes have not come back yet; it is covered when they have.
                let within = if planted("who went for its covering is waited for for ever") {
                    Micros::seconds(1_000_000)
                } else {
                    NODES_BACK_WITHIN
                };
                entry.back_until = Some((strength, now.after(within)));
            }
            Ok(strength) => {
                entry.cover = Cover::Covered(strength);
                entry.busy = 0;
                self.note(now, Mark::Well, format!("{name} is {}", Cover::Covered(strength).words()));
            }
            Err(fault) => {
                let text = format!("{name} cannot be covered ({})", fault.system());
                entry.cover = Cover::Failed(fault);
                if entry.sources.is_empty() {
                    self.seating.rise_all(device);
                    self.devices[usize::from(device.0)] = None;
                }
                self.note(now, Mark::Doubt, text);
            }
        }
    }

    /// Covers a device again: one that is only held may get hidden this time, and its hold stays until then. One hidden by a dead process
    /// is bare by now.
    pub(super) fn cover_again(&mut self, id: DeviceId) {
        if let Some(Some(device)) = self.devices.get_mut(usize::from(id.0))
            && matches!(device.cover, Cover::Covered(_))
        {
            device.cover = Cover::Bare;
        }
    }

    /// Covering a device was refused; tries once more.
    pub(super) fn cover_anew(&mut self, id: DeviceId) -> Result<(), String> {
        let found = self.devices.get_mut(usize::from(id.0)).and_then(Option::as_mut);
        let device = found.ok_or("that device is no longer connected")?;
        match &device.cover {
            Cover::Failed(_) => {
                device.cover = Cover::Bare;
                Ok(())
            }
            Cover::LeftToGame => Err(format!("{} is left to the game: undo that first (g)", device.name)),
            Cover::Bare => Err(format!("{} will be covered as soon as it plays and can be read", device.name)),
            Cover::Covering | Cover::Covered(_) => Err(format!("{} is covered", device.name)),
        }
    }

    /// Covers devices again that another program had held, once nobody else has them open: that program was seen and is gone
    /// (`seen`), or none was seen, since it may have been a brief moment. Returns whether there are any.
    pub(super) fn cover_what_is_free(&mut self, seen: bool) -> bool {
        // EBUSY: another program held it.
        let busy = self.devices().filter(|device| matches!(&device.cover, Cover::Failed(fault) if fault.errno == 16));
        let busy = busy.filter(|device| seen || device.busy < UNSEEN_TRIES);
        let free: Vec<DeviceId> = busy.map(|device| device.id).filter(|id| self.held_by(*id).is_empty()).collect();
        for id in &free {
            let _ = self.cover_anew(*id);
            if let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) {
                device.busy = device.busy.saturating_add(1);
            }
        }
        !free.is_empty()
    }

    /// A device that left to be covered did not come back, so it is really gone.
    pub(super) fn give_up_waiting(&mut self, due: Micros) {
        for index in 0..self.devices.len() {
            let Some(device) = &self.devices[index] else { continue };
            if device.back_until.is_some_and(|(_, until)| until <= due) {
                let name = device.name.clone();
                self.seating.rise_all(DeviceId(index as u16));
                self.devices[index] = None;
                self.note(due, Mark::Kept, format!("{name} is gone"));
            }
        }
    }

    /// Whether a device's unused events could be passed on: keyboards and mice that are read as input nodes.
    #[must_use]
    pub fn passes(&self, device: &Device) -> Option<bool> {
        let mut sources = device.sources.iter().filter_map(|node| self.source(*node));
        let held = sources.all(|source| source.facts.is_input_node() && source.steers());
        let types = || {
            self.sides(device).filter_map(Source::layout).flat_map(|layout| &layout.parts).any(PartLayout::is_keyboard)
        };
        (held || types()).then_some(device.pass_on)
    }

    /// Passes on a device's unused events, or keeps them back.
    pub(super) fn pass_on(&mut self, now: Micros, id: DeviceId, on: bool) -> Result<Option<Command>, String> {
        let device = self.device(id).ok_or("that device is no longer connected")?;
        let name = device.name.clone();
        let before = self.passes(device).ok_or_else(|| {
            format!("{name} is not a keyboard or mouse read by its input node, and has no keyboard: there is nothing to pass on")
        })?;
        // Somebody has to be able to type, if only to take this back.
        let another = self.devices().any(|other| {
            let sources = other.sources.iter().filter_map(|node| self.source(*node));
            other.id != id && sources.into_iter().any(Source::steers)
        });
        if !on && !another {
            return Err(format!("{name} is the only keyboard or mouse: unused keys have to reach the system"));
        }
        let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) else { return Ok(None) };
        device.pass_on = on;
        if matches!(device.cover, Cover::Covered(_) | Cover::Covering) {
            // It is covered again, in the other way.
            self.uncover(id);
        }
        let words = if on { "reaches the system" } else { "is kept back" };
        self.note(now, Mark::Well, format!("{name}: its unused keys and movement: {words}"));
        Ok((before != on).then_some(Command::PassOn { device: id, on: before }))
    }

    /// What bindings use of a source.
    fn used_of(&self, device: &Device, node: NodeId) -> Vec<mantle_hid::Usage> {
        let parts = device.parts.iter().filter(|part| part.source == node);
        let seats = parts.filter_map(|part| self.seat(device.id, part.number));
        let members = seats.filter_map(|seat| self.slot(seat.slot)?.session.members.get(seat.index));
        members.flat_map(crate::session::Member::used).collect()
    }

    /// While pads rest, held devices are given back, and so are the keyboard and pointer sides of hidden ones.
    fn let_go_of_held(&mut self) {
        let held = |device: &&Device| {
            let sides = device.sides && matches!(device.cover, Cover::Covered(_));
            device.cover == Cover::Covered(Strength::Held) || sides
        };
        let held: Vec<DeviceId> = self.devices().filter(held).map(|device| device.id).collect();
        held.into_iter().for_each(|id| self.uncover(id));
    }

    /// Whether a device plays: in a slot that has its pad, or needs none.
    fn plays(&self, device: &Device) -> bool {
        device.parts.iter().any(|part| {
            let own = self.seat(device.id, part.number).map(|seat| seat.slot);
            let slot = own.or_else(|| self.waits_for(device.id));
            let pad = slot.and_then(|number| self.slot(number)).map(|slot| &slot.pad);
            matches!(pad, Some(PadCondition::Made | PadCondition::Unwanted))
                && self.source(part.source).is_some_and(|s| s.access == Access::Open)
        })
    }

    /// Whether every slot of a device is paused.
    fn all_paused(&self, device: &Device) -> bool {
        let mut slots =
            device.parts.iter().filter_map(|part| self.seat(device.id, part.number)).map(|seat| seat.slot).peekable();
        slots.peek().is_some() && slots.all(|slot| self.slot(slot).is_some_and(|slot| slot.session.paused()))
    }

    /// Covers what plays and is bare. Keyboards and the last mouse are never covered, since people use the machine with them; on a controller they are
    /// sides, which stay bare by themselves.
    pub(super) fn consider_covers(&mut self) {
        if self.front.rests() || (self.paused && !planted("let go covers again")) {
            return self.let_go_of_held();
        }
        if !self.covers {
            return;
        }
        for index in 0..self.devices.len() {
            let id = DeviceId(index as u16);
            self.follow_choice(id);
            let Some(device) = self.device(id) else { continue };
            let sides: Vec<(NodeId, bool)> =
                self.sides(device).map(|side| (side.facts.id, self.may_go(device, side))).collect();
            let is_side = |source: &Source| sides.iter().find(|(node, _)| *node == source.facts.id);
            let goes_along = sides.iter().any(|(_, may_go)| *may_go);
            // Somebody who has a screen of ours open wants to point at it.
            let pointer = self.takes_pointer(device);
            let all_paused = self.all_paused(device) || pointer && self.is_looked_at() && !self.types_here;
            // Keyboard and pointer sides are given back when the slot is paused. An interface that comes later is covered along with the others.
            let sources = || device.sources.iter().filter_map(|node| self.source(*node));
            let steers = sides.is_empty() && sources().any(Source::steers);
            // Sides read by their events are held through those; the device's other interfaces play nothing.
            let by_events = steers && sources().any(|source| source.facts.is_input_node());
            let goes = |source: &Source| {
                (!by_events || source.facts.is_input_node()) && is_side(source).is_none_or(|(_, may_go)| *may_go)
            };
            let later = sources().any(|source| goes(source) && !device.covered.contains(&source.facts.identity.phys));
            let given_back = matches!(device.cover, Cover::Covered(_))
                && (later || ((device.sides || device.pointer) && all_paused) || device.pointer != pointer);
            if !given_back && device.cover != Cover::Bare {
                continue;
            }
            let rests = (goes_along || pointer) && all_paused;
            let covers = !rests && self.plays(device) && self.stays_bare(device).is_none();
            let interfaces: Vec<CoverInterface> = sources()
                .filter(|source| covers && goes(source))
                .map(|source| CoverInterface {
                    identity: source.facts.identity.clone(),
                    sysfs: source.facts.sysfs.clone(),
                    node: source.facts.path.clone(),
                    inputs: source.facts.inputs.clone(),
                    side: is_side(source).is_some(),
                    pass: (steers && device.pass_on).then(|| self.used_of(device, source.facts.id)),
                })
                .collect();
            if given_back {
                self.effects.push_back(Effect::Uncover(id));
            }
            let Some(Some(device)) = self.devices.get_mut(index) else { continue };
            device.cover = if covers { Cover::Covering } else { Cover::Bare };
            if covers {
                device.sides = goes_along;
                device.pointer = pointer;
                device.covered = interfaces.iter().map(|interface| interface.identity.phys.clone()).collect();
                self.effects.push_back(Effect::Cover(CoverPlan { device: id, interfaces, only_held: pointer }));
            }
        }
    }

    /// Whether a device is left to the game: by the person's choice or, while a game is running, by its rule.
    fn follow_choice(&mut self, id: DeviceId) {
        let Some(device) = self.device(id) else { return };
        let Some(identity) = self.identity_of(device) else { return };
        let left = match self.covers_by_game(id) {
            Some(covers) => !covers,
            None => self.seating.kept.is_left_to_game(&identity),
        };
        let Some(Some(device)) = self.devices.get_mut(usize::from(id.0)) else { return };
        match (left, &device.cover) {
            (true, Cover::Covered(_)) => {
                device.cover = Cover::LeftToGame;
                self.effects.push_back(Effect::Uncover(id));
            }
            (true, Cover::Bare | Cover::Failed(_)) => device.cover = Cover::LeftToGame,
            (false, Cover::LeftToGame) => device.cover = Cover::Bare,
            // A device that is just being covered is given back afterwards.
            (true, Cover::Covering | Cover::LeftToGame) | (false, _) => {}
        }
    }
}
