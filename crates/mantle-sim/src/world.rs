//! A scene being played: what the machine, the devices and the hands do, at their own times.

mod due;
mod games;
mod ordered;
mod pads;
mod plugged;
mod radio;
mod settings;
mod sight;

use due::Due;

use self::plugged::path_of;
use self::sight::{SimCover, SimPad};
use crate::device::SimDevice;
use crate::profiles::Profiles;
use crate::waker::{Manner, Waker};
use mantle_core::device::{Bus, NodeId, OsFault};
use mantle_core::outgoing::{Act, Sent};
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::sheet::Sheet;
use mantle_core::slot::Remembered;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Effect;
use mantle_core::time::Micros;
use mantle_engine::{FilesToRead, Happening, Orders, World};
use mantle_files::{FileFault, SceneFile, shipped};
use mantle_hid::bits::from_hex;
use mantle_talk::HandMove;
use std::collections::{BTreeMap, VecDeque};
use std::ops::Range;
use std::sync::Arc;
use std::time::Instant;

/// How fast a scene goes.
#[derive(Clone, Copy, Debug)]
pub enum Pace {
    /// By the clock.
    Clock,
    /// As fast as possible, until this moment.
    Virtual {
        /// The end.
        until: Micros,
    },
}

/// How long a tapped control stays down.
const TAP: Micros = Micros::millis(180);
/// How long the simulated machine takes for various things.
const OPENING: Micros = Micros::millis(1);
const PAD_MAKING: Micros = Micros::millis(40);
const COVERING: Micros = Micros::millis(60);
const SENDING: Micros = Micros::millis(4);
const SAVING: Micros = Micros::millis(2);
const LOOKING: Micros = Micros::millis(5);
const READING: Micros = Micros::millis(60);

#[derive(Clone, Debug)]
struct Presence {
    device: SimDevice,
    plugged: Option<Micros>,
    nodes: Vec<NodeId>,
    open: bool,
    readable_from: Option<Micros>,
    hands: bool,
    driver: String,
    /// Reports that it has sent.
    sent: u64,
}

enum Ready {
    Report(Micros, NodeId, Vec<u8>),
    Other(Happening<'static>),
}

/// A scene at work.
pub struct SimWorld {
    /// Frames that pads have taken.
    written: u32,
    scene: SceneFile,
    profiles: Profiles,
    pace: Pace,
    orders: Option<Orders>,
    start: Instant,
    now: Micros,
    present: Vec<Presence>,
    queue: BTreeMap<(Micros, u64), Due>,
    count: u64,
    ready: VecDeque<Ready>,
    nodes: Vec<bool>,
    current: Vec<u8>,
    mended: Option<Micros>,
    /// From when until when it is gone.
    outage: Range<Micros>,
    /// Devices that were to be covered.
    covered: Vec<SimCover>,
    /// The pads of slots, what they are to a game, and whether they exist.
    pads: Vec<SimPad>,
    /// The slots whose pads are to be separate devices.
    apart: Vec<SlotNumber>,
    games: games::SimGames,
    radio: radio::SimRadio,
    /// Sheets that were made here.
    sheets: Vec<Arc<Sheet>>,
    /// What is to be remembered, once that has changed.
    remembered: Option<Remembered>,
}

impl std::fmt::Debug for SimWorld {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SimWorld").field("title", &self.scene.title).field("now", &self.now).finish_non_exhaustive()
    }
}

fn micros(seconds: f64) -> Micros {
    Micros((seconds.max(0.0) * 1e6).round() as u64)
}

impl SimWorld {
    /// Sets a scene up. Device files are taken from among the shipped ones.
    ///
    /// # Errors
    /// What is wrong with the scene or one of its devices.
    pub fn new(scene: &SceneFile, pace: Pace, orders: Option<Orders>) -> Result<Self, FileFault> {
        Self::with_devices(scene, pace, orders, shipped::device)
    }

    /// Sets a scene up with device files from elsewhere.
    ///
    /// # Errors
    /// As [`SimWorld::new`], and whatever `load` says.
    pub fn with_devices(
        scene: &SceneFile,
        pace: Pace,
        orders: Option<Orders>,
        load: impl Fn(&str) -> Result<mantle_files::DeviceFile, FileFault>,
    ) -> Result<Self, FileFault> {
        let mut world = Self {
            written: 0,
            profiles: Profiles::of(scene),
            scene: scene.clone(),
            pace,
            orders,
            start: Instant::now(),
            now: Micros(0),
            present: Vec::new(),
            queue: BTreeMap::new(),
            count: 0,
            ready: VecDeque::new(),
            nodes: Vec::new(),
            current: Vec::new(),
            covered: Vec::new(),
            pads: Vec::new(),
            apart: Vec::new(),
            games: games::SimGames::new(&scene.games),
            radio: radio::SimRadio::new(scene),
            sheets: Vec::new(),
            remembered: None,
            // Needed for every frame that is written, so it is computed once.
            outage: scene.machine.uinput_gone_at.map_or(Micros(u64::MAX), micros)
                ..scene.machine.uinput_mended_at.map_or(Micros(u64::MAX), micros),
            mended: match (scene.machine.uinput.as_str(), scene.machine.uinput_mended_at) {
                ("ok", _) => Some(Micros(0)),
                (_, at) => at.map(micros),
            },
        };
        for program in &scene.program {
            let times = [Some(program.at), program.until];
            times.into_iter().flatten().for_each(|second| world.at(micros(second), Due::Games));
        }
        if !scene.profile.is_empty() {
            world.at(READING, Due::Profiles);
        }
        if !scene.without_sheets || !scene.sheet.is_empty() {
            world.at(READING, Due::Sheets);
        }
        for (index, entry) in scene.device.iter().enumerate() {
            let file = entry.amended(load(&entry.file)?);
            let address =
                entry.radio.as_ref().map(|radio| radio.address.as_str()).filter(|address| !address.is_empty());
            let serial = address.or(entry.serial.as_deref());
            let mut device = SimDevice::new(&entry.file, &file, &entry.port, serial)?;
            let identity = &device.identity;
            let by_radio = identity.bus == Bus::BLUETOOTH;
            if entry.radio.is_some() && !by_radio {
                return Err(FileFault::whole(&entry.file, "it comes by radio, and its bus is not bluetooth"));
            }
            world.radio.name(index, &file.name, &identity.uniq, (identity.vendor, identity.product), by_radio);
            for tremble in &entry.trembles {
                if !device.interfaces.iter_mut().any(|interface| interface.tremble(tremble)) {
                    let why = format!("trembles: there is no control named {:?}", tremble.control);
                    return Err(FileFault::whole(&entry.file, why));
                }
            }
            for interface in &mut device.interfaces {
                match entry.wakes.as_str() {
                    "awake" => interface.waker = Waker::default(),
                    "mute" => interface.waker.manner = Manner::Mute,
                    "refuses" => interface.waker.manner = Manner::Refusing,
                    _ => {}
                }
            }
            let readable_from = if entry.readable { Some(Micros(0)) } else { entry.readable_at.map(micros) };
            world.present.push(Presence {
                device,
                plugged: None,
                nodes: Vec::new(),
                open: false,
                readable_from,
                hands: entry.hands,
                driver: entry.driver.clone(),
                sent: 0,
            });
            // What connects by radio appears when it is connected.
            if entry.radio.is_none() {
                world.at(micros(entry.at), Due::Plug(index));
            }
            for [from, to] in &entry.gone {
                world.at(micros(*from), Due::Unplug(index));
                world.at(micros(*to), Due::Plug(index));
            }
            if let Some(at) = entry.readable_at {
                world.at(micros(at), Due::Rights(index));
            }
            for [from, to] in &entry.busy {
                world.at(micros(*from), Due::Taken(index));
                world.at(micros(*to), Due::Rights(index));
            }
        }
        world.begin_radio();
        for (index, report) in scene.report.iter().enumerate() {
            if from_hex(&report.bytes).is_none() {
                return Err(FileFault::whole("scene", format!("report {:?} is not bytes in hex", report.bytes)));
            }
            if !scene.device.iter().any(|device| device.port == report.port) {
                return Err(FileFault::whole("scene", format!("no device is at port {}", report.port)));
            }
            world.at(micros(report.at), Due::Raw(index));
        }
        Ok(world)
    }

    fn at(&mut self, when: Micros, due: Due) {
        self.count += 1;
        self.queue.insert((when, self.count), due);
    }

    fn soon(&mut self, span: Micros, due: Due) {
        self.at(self.now.after(span), due);
    }

    /// Whether another program has grabbed a device.
    fn is_busy(&self, device: usize, when: Micros) -> bool {
        let busy = &self.scene.device[device].busy;
        busy.iter().any(|[from, to]| micros(*from) <= when && when < micros(*to))
    }

    fn run(&mut self, when: Micros, due: Due) {
        match due {
            Due::Plug(index) => {
                self.plug(when, index);
                self.radio_follows(index, true);
            }
            Due::Unplug(index) => {
                self.radio_follows(index, false);
                for node in std::mem::take(&mut self.present[index].nodes) {
                    self.nodes[usize::from(node.0)] = false;
                    self.ready.push_back(Ready::Other(Happening::Gone(when, node)));
                }
                self.present[index].plugged = None;
                self.present[index].open = false;
            }
            Due::Rights(index) => {
                for node in self.present[index].nodes.clone() {
                    self.ready.push_back(Ready::Other(Happening::Changed(when, node)));
                }
            }
            // Whoever grabs it drives out those who read it.
            Due::Taken(index) => {
                if self.present[index].plugged.is_some() {
                    self.run(when, Due::Unplug(index));
                    self.plug(when, index);
                }
            }
            Due::Probe => {
                let found = self.uinput(when);
                self.ready.push_back(Ready::Other(Happening::Probed(when, found)));
            }
            Due::Tick { device, interface, plugged } => self.tick(when, device, interface, plugged),
            Due::Raw(index) => {
                let report = self.scene.report[index].clone();
                let device = self.scene.device.iter().position(|device| device.port == report.port);
                let presence = device.and_then(|device| self.present.get(device)).filter(|p| p.open);
                let node = presence.and_then(|presence| presence.nodes.get(report.interface)).copied();
                if let (Some(node), Some(bytes)) = (node, from_hex(&report.bytes)) {
                    self.ready.push_back(Ready::Report(when, node, bytes));
                }
                if report.every > 0.0 {
                    self.at(when.after(micros(report.every)), Due::Raw(index));
                }
            }
            Due::Opened(node) => {
                let Some((device, _)) = self.owner(node) else { return };
                let busy = self.is_busy(device, when);
                let presence = &mut self.present[device];
                let errno = match presence.readable_from.is_some_and(|from| from <= when) {
                    _ if busy => 16,
                    true => 0,
                    false => 13,
                };
                presence.open |= errno == 0;
                let result = match errno {
                    0 => Ok(()),
                    errno => Err(OsFault { operation: "open".into(), path: path_of(node), errno }),
                };
                self.ready.push_back(Ready::Other(Happening::Opened(when, node, result)));
            }
            Due::Pad(slot) => {
                let result = self.made_pad(when, slot);
                if let Some(SimPad { made, .. }) = self.pads.iter_mut().find(|own| own.slot == slot) {
                    *made = result.is_ok();
                }
                self.ready.push_back(Ready::Other(Happening::Pad(when, slot, result)));
            }
            Due::Profiles if !self.profiles.read() => {}
            Due::Profiles | Due::Faults => {
                let (all, faults) = (self.profiles.all(), self.profiles.faults());
                self.ready.push_back(Ready::Other(Happening::Profiles(when, all, faults)));
            }
            Due::Sheets => {
                let (mut sheets, faults) = settings::own_sheets(&self.scene);
                sheets.extend(if self.scene.without_sheets { Vec::new() } else { shipped::sheets() });
                self.ready.push_back(Ready::Other(Happening::Sheets(when, sheets, faults)));
            }
            Due::Radio(due) => self.run_radio(due),
            Due::Games => {
                let told = self.games_told(when);
                self.ready.extend(told.map(Ready::Other));
            }
            Due::Rule(number, result) => self.ready.push_back(Ready::Other(Happening::Rule(when, number, result))),
            Due::Ready => {
                let facts = Box::new(self.ready_facts(when));
                self.ready.push_back(Ready::Other(Happening::Ready(when, facts)));
            }
            Due::Look => {
                let look = Box::new(self.look(when));
                self.ready.push_back(Ready::Other(Happening::Looked(when, look)));
            }
            Due::Keys(slot) => {
                let result = self.made(when, "keys", slot);
                self.ready.push_back(Ready::Other(Happening::Keys(when, slot, result)));
            }
            Due::Covered(device) => {
                let result = self.cover(device, when);
                self.ready.push_back(Ready::Other(Happening::Covered(when, device, result)));
            }
            Due::Sent { node, request, purpose, act } => {
                let Some((device, interface)) = self.owner(node) else { return };
                let waker = &mut self.present[device].device.interfaces[interface].waker;
                let refused = |errno| OsFault { operation: "write".into(), path: path_of(node), errno };
                let result = match &act {
                    _ if waker.manner == Manner::Refusing => Err(refused(32)),
                    Act::Get { .. } => Err(refused(5)),
                    Act::Driver(_) => Ok(Sent::Done),
                    Act::Send(_, bytes) => {
                        let answer = waker.handle_write(bytes);
                        let answer = answer.filter(|_| self.present[device].open);
                        self.ready.extend(answer.map(|answer| Ready::Report(when, node, answer)));
                        Ok(Sent::Done)
                    }
                };
                self.ready.push_back(Ready::Other(Happening::Sent(when, node, request, purpose, result)));
            }
            Due::Profile(number, result) => {
                self.ready.push_back(Ready::Other(Happening::Profile(when, number, result)))
            }
            Due::TapEnds { device, interface, part, control } => {
                self.present[device].device.interfaces[interface].handle_move(part, HandMove::Rest { control });
            }
        }
    }
}

impl World for SimWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        loop {
            match self.ready.pop_front() {
                Some(Ready::Report(at, node, bytes)) => {
                    self.current = bytes;
                    return Happening::Report { at, node, bytes: &self.current };
                }
                Some(Ready::Other(happening)) => return happening,
                None => {}
            }
            let due = self.queue.first_key_value().map(|((when, _), _)| *when);
            let first = [due, until].into_iter().flatten().min();
            if !self.wait(first) {
                continue;
            }
            if let Pace::Virtual { until: end } = self.pace
                && first.is_none_or(|first| first > end)
            {
                return Happening::End;
            }
            let Some(first) = first else { continue };
            self.now = self.now.max(first);
            if due == Some(first) {
                if let Some(((when, _), due)) = self.queue.pop_first() {
                    self.run(when, due);
                }
            } else {
                return Happening::Time(self.now);
            }
        }
    }

    fn write(&mut self, _slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        self.written = self.written.wrapping_add(1);
        self.uinput(self.now)
    }

    fn clock(&self) -> Option<Micros> {
        // The machine usually takes as long as its scene says, sometimes longer, and once in 256 times much longer.
        let usual = u64::from(self.scene.machine.delay);
        let more = if self.written.is_multiple_of(256) { 12 } else { u64::from(self.written % 7) / 3 };
        Some(self.now.after(Micros(usual + usual * more / 2)))
    }

    fn files(&self) -> FilesToRead {
        let files = self.own_files();
        Box::new(move || files)
    }

    fn start(&mut self, effect: Effect) {
        match effect {
            Effect::Open(node) => self.soon(OPENING, Due::Opened(node)),
            Effect::MakePad { slot, model } => {
                self.remember_way(slot, &model);
                self.remember_pad(slot, &model);
                self.soon(PAD_MAKING, Due::Pad(slot));
            }
            Effect::ProbePads => self.soon(PAD_MAKING, Due::Probe),
            Effect::Radio(act) => self.ask_radio(act),
            Effect::Look(_) => self.soon(LOOKING, Due::Look),
            Effect::LookReady => self.soon(LOOKING, Due::Ready),
            Effect::WatchGames { round, rules } => {
                self.games.watch(round, rules);
                self.soon(LOOKING, Due::Games);
            }
            Effect::Rule { number, act } => {
                let done = self.change_rule(act);
                self.soon(SAVING, Due::Rule(number, Box::new(done)));
            }
            Effect::MakeKeys { slot } => self.soon(PAD_MAKING, Due::Keys(slot)),
            Effect::Send { node, request, purpose, act } => {
                self.soon(SENDING, Due::Sent { node, request, purpose, act })
            }
            Effect::Cover(plan) => {
                self.covered.retain(|own| own.device != plan.device);
                let node = plan.interfaces.first().map(|interface| interface.node.as_str());
                let index = self.present.iter().position(|one| one.nodes.iter().any(|id| node == Some(&path_of(*id))));
                self.covered.extend(index.map(|index| SimCover {
                    device: plan.device,
                    index,
                    strength: None,
                    only_held: plan.only_held,
                }));
                self.soon(COVERING, Due::Covered(plan.device));
            }
            Effect::Profile { number, name, origin, act } => {
                let faults = self.profiles.faults();
                let done = self.profiles.act(&name, &origin, &act).map(Box::new);
                self.soon(SAVING, Due::Profile(number, done));
                if self.profiles.faults() != faults {
                    self.soon(SAVING, Due::Faults);
                }
            }
            Effect::Uncover(device) => self.covered.retain(|own| own.device != device),
            Effect::DropPad { slot } => self.pads.retain(|own| own.slot != slot),
            // In the simulation these are kept only until the end.
            Effect::SaveSheet(sheet) => {
                self.sheets.retain(|own| own.origin != sheet.origin);
                self.sheets.push(sheet);
            }
            Effect::Remember(remembered) => self.remembered = Some(remembered),
            Effect::Close(_) | Effect::PadBattery { .. } | Effect::DropKeys { .. } | Effect::Type { .. } => {}
        }
    }
}
