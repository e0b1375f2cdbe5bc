//! Connecting at the table: what turns up while somebody waits for it, when the radio searches, what it has found, and the device being
//! connected.

use super::alarms::Alarm;
use super::facts::{receiver_alone, receiver_pairs};
use super::{Effect, Table};
use crate::command::ConnectAct;
use crate::connecting::{
    CameView, ConnectView, Journey, JourneyNews, JourneyStep, JourneyView, RadioAct, RadioDevice, RadioFault,
    RadioNews, RadioRow, RadioState, SHOWN, halves, hints, in_order,
};
use crate::device::{Bus, DeviceId, NodeFacts, NodeId};
use crate::path::Mark;
use crate::sheet::Sheet;
use crate::time::Micros;

/// How long a removal may take; a device that is still there is shown again after that.
const LEAVES: Micros = Micros::seconds(10);

/// What is known of the radio.
#[derive(Clone, Debug, Default)]
pub(super) struct RadioBook {
    watched: bool,
    /// Whether it was told to search.
    looks: bool,
    state: RadioState,
    devices: Vec<RadioDevice>,
    journey: Option<Journey>,
    /// The connected device at the table, once it is there.
    there: Option<DeviceId>,
    /// What has turned up since the search began.
    came: Vec<DeviceId>,
    /// Devices being removed, and for how long that may take: they are hidden, and cannot be used meanwhile.
    leaving: Vec<(String, Micros)>,
    /// Nicknames of forgotten devices, for when they are paired again.
    forgotten: Vec<(String, String)>,
}

impl Table {
    /// What the Connect view shows.
    #[must_use]
    pub fn connecting(&self, now: Micros) -> ConnectView {
        let came: Vec<CameView> = self.radio.came.iter().filter_map(|device| self.came(*device)).collect();
        let is_here =
            |address: &str| came.iter().filter_map(|came| came.radio.as_ref()).any(|own| own.address == address);
        let mut devices = in_order(&self.radio.devices);
        devices.retain(|device| !is_here(&device.address) && !self.is_leaving(now, &device.address));
        let row = |device: &&RadioDevice| RadioRow {
            device: (*device).clone(),
            hints: self.radio_sheet(device).map(hints).unwrap_or_default(),
            seen: device
                .seen
                .zip(self.began)
                .map(|(seen, began)| ago((began + now.0 / 1_000_000).saturating_sub(seen))),
        };
        ConnectView {
            state: self.radio.state.clone(),
            looks: self.radio.looks,
            rows: devices.iter().take(SHOWN).map(row).collect(),
            more: devices.len().saturating_sub(SHOWN),
            journey: self.radio.journey.as_ref().map(|journey| JourneyView {
                address: journey.address().to_owned(),
                name: journey.name().to_owned(),
                step: journey.step().clone(),
                sentence: journey.sentence(),
                left: journey.left(now).map(|left| left.0.div_ceil(1_000_000)),
                device: self.radio.there.and_then(|device| self.first_part(device)),
            }),
            came,
        }
    }

    /// A device at the table, by its first part.
    fn first_part(&self, device: DeviceId) -> Option<(DeviceId, u8)> {
        Some((device, self.device(device)?.parts.first()?.number))
    }

    /// A device that has turned up.
    fn came(&self, id: DeviceId) -> Option<CameView> {
        let device = self.device(id)?;
        let sources = || device.sources.iter().filter_map(|node| self.source(*node));
        let first = sources().next()?;
        let mut notes = Vec::new();
        if let Some(own) = sources().find_map(|source| source.sheet.as_ref()?.half) {
            let others = self.sources.iter().flatten().filter_map(|source| source.sheet.as_ref()?.half);
            let (own_name, other) = halves(own);
            if others.into_iter().all(|half| half == own) {
                notes.push(format!("it is the {own_name} half: the {other} one is missing; this one also plays alone"));
            }
        }
        if let Some(source) = sources().find(|source| receiver_alone(source)) {
            notes.push(format!("no controller is connected to it: {}", receiver_pairs(source)));
        }
        let types = |source: &super::Source| {
            source.layout().is_some_and(|layout| layout.parts.iter().any(crate::control::PartLayout::is_keyboard))
        };
        if sources().any(types) {
            notes.push("it is also a keyboard: what it types reaches every program".into());
        }
        Some(CameView {
            device: self.first_part(id)?,
            name: device.name.clone(),
            way: match (first.facts.identity.bus, &first.facts.identity.port) {
                (Bus::BLUETOOTH, _) => "by radio".into(),
                (_, Some(port)) => format!("at port {port}"),
                (_, None) => "inside the computer".into(),
            },
            radio: self.radio.devices.iter().find(|known| is_of(&first.facts, &known.address)).cloned(),
            slot: self.slot_of(id),
            speaks: sources().any(|source| source.good() > 0),
            notes,
        })
    }

    /// The sheet for a radio device: by its ids or, until those are known, by its name.
    fn radio_sheet(&self, device: &RadioDevice) -> Option<&Sheet> {
        let identity = |(vendor, product)| crate::device::Identity {
            bus: Bus::BLUETOOTH,
            vendor,
            product,
            name: device.name.clone(),
            ..crate::device::Identity::default()
        };
        let named = |sheet: &&std::sync::Arc<Sheet>| sheet.name.eq_ignore_ascii_case(&device.name);
        let by_ids = device.ids.and_then(|ids| Sheet::best_of(&self.sheets, &identity(ids)));
        by_ids.or_else(|| self.sheets.iter().find(named)).map(AsRef::as_ref)
    }

    /// The device being connected.
    #[must_use]
    pub fn journey(&self) -> Option<&Journey> {
        self.radio.journey.as_ref()
    }

    /// Somebody opens or closes the Connect view: the radio searches while it is open.
    pub fn handle_radio_watched(&mut self, watched: bool) {
        if std::mem::replace(&mut self.radio.watched, watched) != watched {
            if watched {
                self.radio.came.clear();
                self.effects.push_back(Effect::Radio(RadioAct::Open));
            }
            self.radio_looks();
        }
    }

    /// It searches while the view is open, nothing has turned up, and nothing is being paired, since many radios cannot do both.
    fn radio_looks(&mut self) {
        let busy = self.radio.journey.as_ref().is_some_and(|journey| !journey.is_over());
        let found = self.radio.came.iter().any(|device| self.is_company(*device));
        let looks = self.radio.watched && !busy && !found && self.radio.state == RadioState::Ready;
        if std::mem::replace(&mut self.radio.looks, looks) != looks {
            self.effects.push_back(Effect::Radio(RadioAct::Look(looks)));
        }
    }

    /// The radio reports something.
    pub(super) fn radio_says(&mut self, now: Micros, news: RadioNews) {
        match news {
            RadioNews::State(state) => {
                if state != RadioState::Ready {
                    // It has forgotten whatever it was told.
                    (self.radio.looks, self.radio.devices) = (false, Vec::new());
                    self.radio.leaving.clear();
                    self.journey_hears(now, JourneyNews::Refused(RadioFault::NoRadio));
                }
                self.radio.state = state;
            }
            RadioNews::Devices(devices) => {
                let of = |devices: &[RadioDevice], address: &str| {
                    devices.iter().find(|device| device.address == address).is_some_and(|device| device.linked)
                };
                let link = self
                    .radio
                    .journey
                    .as_ref()
                    .map(|journey| (of(&self.radio.devices, journey.address()), of(&devices, journey.address())));
                let paired = |address: &str| devices.iter().any(|own| own.address == address && own.paired);
                self.radio.leaving.retain(|(address, _)| paired(address));
                self.radio.devices = devices;
                if let Some((before, linked)) = link
                    && before != linked
                {
                    self.journey_hears(now, JourneyNews::Linked(linked));
                }
            }
            RadioNews::Stranger(name) => {
                let text = format!("{name} asked to be paired, unasked, and was refused");
                self.note(now, Mark::Doubt, text);
            }
            RadioNews::Failed(why) => self.note(now, Mark::Doubt, why),
            RadioNews::Of(address, heard) => {
                if let JourneyNews::Refused(fault) = &heard
                    && let Some(at) = self.radio.leaving.iter().position(|(own, _)| *own == address)
                {
                    self.radio.leaving.remove(at);
                    let name = self.radio_device(now, &address).map_or(address.clone(), |device| device.name.clone());
                    let text = format!("{name} cannot be removed: {} {}", fault.sentence(&name), fault.remedy());
                    self.note(now, Mark::Doubt, text);
                }
                if self.radio.journey.as_ref().is_some_and(|journey| journey.address() == address) {
                    self.journey_hears(now, heard);
                }
            }
        }
        self.radio_looks();
    }

    fn journey_hears(&mut self, now: Micros, heard: JourneyNews) {
        let Some(journey) = &mut self.radio.journey else { return };
        let over = journey.is_over();
        let act = journey.handle(now, heard);
        self.journey_went(now, over, act);
    }

    /// The journey's deadline is due.
    pub(super) fn journey_due(&mut self, due: Micros) {
        let Some(journey) = &mut self.radio.journey else { return };
        let over = journey.is_over();
        let act = journey.handle_time(due);
        self.journey_went(due, over, act);
        self.radio_looks();
    }

    fn journey_went(&mut self, now: Micros, was_over: bool, act: Option<RadioAct>) {
        self.effects.extend(act.map(Effect::Radio));
        let Some(journey) = &self.radio.journey else { return };
        if journey.is_over() && !was_over {
            let came = matches!(journey.step(), JourneyStep::There(_));
            let (sentence, address) = (journey.sentence(), journey.address().to_owned());
            self.note(now, if came { Mark::Well } else { Mark::Doubt }, sentence);
            // The nickname it had before it was forgotten is restored.
            let called = self.radio.forgotten.iter().position(|(own, _)| came && *own == address);
            if let Some((address, name)) = called.map(|at| self.radio.forgotten.remove(at)) {
                self.effects.push_back(Effect::Radio(RadioAct::Rename(address, name)));
            }
        }
        self.set_alarm(Alarm::Radio);
    }

    /// When the journey wants to be told the time.
    pub(super) fn radio_due(&self) -> Option<Micros> {
        self.radio.journey.as_ref()?.deadline()
    }

    /// Whether a device that turned up can be played with; a receiver without a controller cannot.
    fn is_company(&self, device: DeviceId) -> bool {
        let nodes = self.device(device).map(|device| device.sources.clone()).unwrap_or_default();
        nodes.into_iter().filter_map(|node| self.source(node)).any(|source| {
            // A receiver that can say so must have said so.
            let says = source.layout().is_some_and(|layout| layout.extras.nobody.is_some());
            !(receiver_alone(source) || says && source.good() == 0)
        })
    }

    /// What turned up may prove to be empty, or not.
    pub(super) fn look_who_came(&mut self) {
        if !self.radio.came.is_empty() {
            self.radio_looks();
        }
    }

    /// A node has come: its device may be the awaited one.
    pub(super) fn radio_sees(&mut self, now: Micros, node: NodeId, back: bool) {
        let Some(source) = self.source(node) else { return };
        let device = source.device;
        let is_awaited = self.radio.journey.as_ref().is_some_and(|journey| is_of(&source.facts, journey.address()));
        if let Some(path) = is_awaited.then(|| source.facts.path.clone()) {
            self.radio.there = Some(device);
            self.journey_hears(now, JourneyNews::Node(path));
        }
        if self.radio.watched && !back && !self.radio.came.contains(&device) {
            self.radio.came.push(device);
        }
        self.radio_looks();
    }

    /// A device has gone for good.
    pub(super) fn radio_loses(&mut self, device: DeviceId) {
        self.radio.came.retain(|own| *own != device);
        if self.radio.there == Some(device) {
            self.radio.there = None;
        }
        self.radio_looks();
    }

    /// Makes a request to the radio.
    pub(super) fn connect(&mut self, now: Micros, act: ConnectAct) -> Result<(), String> {
        match act {
            ConnectAct::Begin(address) => {
                if let Some(journey) = self.radio.journey.as_ref().filter(|journey| !journey.is_over()) {
                    return match journey.address() == address {
                        // Two screens made the same request.
                        true => Ok(()),
                        false => Err(format!("{} Finish that first, or stop it (Esc).", journey.sentence())),
                    };
                }
                let device = self.radio_device(now, &address)?.clone();
                self.begin_journey(now, &device);
            }
            ConnectAct::Answer(answer) => {
                let Some(JourneyStep::Pairing(Some(asked))) = self.radio.journey.as_ref().map(Journey::step) else {
                    return Err("the question is no longer open".into());
                };
                if answer.as_ref().is_some_and(|typed| !asked.takes(typed)) {
                    return Err(asked.wants().to_owned());
                }
                self.journey_hears(now, JourneyNews::Answered(answer));
            }
            ConnectAct::GiveUp => {
                // Closing the view clears a finished journey.
                if self.radio.journey.as_ref().is_some_and(Journey::is_over) {
                    (self.radio.journey, self.radio.there) = (None, None);
                } else {
                    self.journey_hears(now, JourneyNews::GivenUp);
                }
            }
            ConnectAct::Anew => self.journey_hears(now, JourneyNews::Anew),
            ConnectAct::Forget(address) => {
                let name = self.radio_device(now, &address)?.name.clone();
                self.radio.forgotten.retain(|(own, _)| *own != address);
                self.radio.forgotten.push((address.clone(), name));
                self.radio.leaving.push((address.clone(), now.after(LEAVES)));
                self.effects.push_back(Effect::Radio(RadioAct::Forget(address)));
            }
            ConnectAct::Rename(address, name) => {
                self.radio_device(now, &address)?;
                let name = name.trim().to_owned();
                if name.is_empty() || name.chars().count() > 40 {
                    return Err("a name has 1 to 40 letters".into());
                }
                self.effects.push_back(Effect::Radio(RadioAct::Rename(address, name)));
            }
            ConnectAct::Drop(address) => {
                self.radio_device(now, &address)?;
                self.effects.push_back(Effect::Radio(RadioAct::Drop(address)));
            }
            ConnectAct::LookOn => self.radio.came.clear(),
            ConnectAct::SwitchOn => self.effects.push_back(Effect::Radio(RadioAct::SwitchOn)),
        }
        self.radio_looks();
        Ok(())
    }

    /// Connects a device; one whose node is there already is connected.
    fn begin_journey(&mut self, now: Micros, device: &RadioDevice) {
        let (journey, first) = Journey::begin(now, device);
        let there = self.sources.iter().flatten().find(|source| is_of(&source.facts, &device.address));
        let there = there.filter(|_| device.paired).map(|source| (source.device, source.facts.path.clone()));
        (self.radio.journey, self.radio.there) = (Some(journey), there.as_ref().map(|(device, _)| *device));
        let is_there = there.is_some();
        if let Some((_, node)) = there {
            self.journey_hears(now, JourneyNews::Node(node));
        }
        // Searching stops before pairing begins.
        self.radio_looks();
        if !is_there {
            self.effects.push_back(Effect::Radio(first));
        }
        self.set_alarm(Alarm::Radio);
    }

    /// Whether a device is being removed.
    fn is_leaving(&self, now: Micros, address: &str) -> bool {
        self.radio.leaving.iter().any(|(own, until)| own == address && now < *until)
    }

    fn radio_device(&self, now: Micros, address: &str) -> Result<&RadioDevice, String> {
        let stays = |device: &&RadioDevice| !self.is_leaving(now, &device.address);
        let found = self.radio.devices.iter().find(|device| device.address == address).filter(stays);
        found.ok_or_else(|| "the radio no longer knows that device".to_owned())
    }
}

/// How long ago something was, in words, from seconds.
fn ago(seconds: u64) -> String {
    match seconds {
        0..120 => "just now".into(),
        120..7200 => format!("{} min ago", seconds / 60),
        7200..172_800 => format!("{} h ago", seconds / 3600),
        _ => format!("{} days ago", seconds / 86_400),
    }
}

/// Whether a node belongs to the device with an address.
fn is_of(facts: &NodeFacts, address: &str) -> bool {
    facts.identity.bus == Bus::BLUETOOTH && facts.identity.uniq.eq_ignore_ascii_case(address)
}
