//! A recording as a world: its devices are there, and send what they sent, at their times.

use crate::world::Pace;
use crossbeam_channel::{RecvTimeoutError, TryRecvError};
use mantle_core::cover::Strength;
use mantle_core::device::{Bus, Identity, NodeFacts, NodeId};
use mantle_core::evdev::{EvdevEvent, Face, State, Took, event};
use mantle_core::outgoing::Sent;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Effect;
use mantle_core::time::Micros;
use mantle_engine::{Happening, Orders, World};
use mantle_files::recording::{Content, Recording};
use mantle_talk::{Order, Play};
use std::collections::VecDeque;
use std::time::{Duration, Instant};

/// Between the end of a recording and its beginning, where it is played over and over.
const BETWEEN: Micros = Micros::seconds(1);

/// How a recording is played.
#[derive(Clone, Copy, Debug)]
pub struct Playing {
    /// By the clock or as fast as it can.
    pub pace: Pace,
    /// 1 for its own times, 2 for twice as fast.
    pub speed: f64,
    /// Over and over.
    pub looped: bool,
    /// Nothing is sent until it is told to.
    pub paused: bool,
}

/// A recording at work. The first report has the stamp 0.
#[derive(Debug)]
pub struct RecordedWorld {
    script: Vec<(Micros, NodeId, Vec<u8>)>,
    next: usize,
    playing: Playing,
    /// The moment at which the recording stood at `from`.
    base: Micros,
    from: Micros,
    now: Micros,
    start: Instant,
    orders: Option<Orders>,
    ready: VecDeque<Happening<'static>>,
    paths: Vec<String>,
    /// One report is to be sent now, although it is paused.
    step: bool,
}

impl RecordedWorld {
    /// Sets a recording up.
    ///
    /// # Errors
    /// In words, if nothing in it can be played.
    pub fn new(recording: &Recording, playing: Playing, orders: Option<Orders>) -> Result<Self, String> {
        let mut world = Self {
            script: Vec::new(),
            next: 0,
            playing,
            base: Micros(0),
            from: Micros(0),
            now: Micros(0),
            start: Instant::now(),
            orders,
            ready: VecDeque::new(),
            paths: Vec::new(),
            step: false,
        };
        let mut nodes = Vec::new();
        for (index, device) in recording.devices.iter().enumerate() {
            let node = NodeId(world.paths.len() as u16);
            // Where there are raw reports they say more than the events that the kernel made of them.
            let face = match &device.evdev {
                Some(caps) if device.descriptor.is_empty() => Face::new(caps, device.vendor),
                _ => None,
            };
            let descriptor = face.as_ref().map_or(device.descriptor.as_slice(), Face::descriptor).to_vec();
            if descriptor.is_empty() {
                nodes.push(None);
                continue;
            }
            let path = match &face {
                Some(_) => format!("/dev/input/event{}", node.0),
                None => format!("/dev/hidraw{}", node.0),
            };
            nodes.push(Some((node, face.map(State::new))));
            let port = format!("rec-{}", index + 1);
            let identity = Identity {
                bus: Bus(device.bus),
                vendor: device.vendor,
                product: device.product,
                version: device.version,
                name: device.name.clone(),
                uniq: String::new(),
                phys: if device.phys.is_empty() { port.clone() } else { device.phys.clone() },
                port: Some(port),
                interface: None,
                descriptor_hash: Identity::hash_descriptor(&descriptor),
            };
            let facts = NodeFacts {
                id: node,
                path: path.clone(),
                identity,
                driver: "hid-generic".into(),
                descriptor,
                inputs: Vec::new(),
                sysfs: String::new(),
            };
            world.paths.push(path);
            world.ready.push_back(Happening::Arrived(Micros(0), Box::new(facts)));
        }
        for event in recording.in_time() {
            let Some(Some((node, state))) = nodes.get_mut(event.device) else { continue };
            match (&event.content, state) {
                (Content::Report(bytes), None) => world.script.push((event.time, *node, bytes.clone())),
                (Content::Evdev(events), Some(state)) => {
                    for event in events {
                        state.handle(*event);
                    }
                    let sync = EvdevEvent { kind: event::SYN, code: event::SYN_REPORT, value: 0 };
                    // What was lost is not in the recording either: what is known of it is all that there is.
                    if state.handle(sync) != Took::Nothing {
                        world.script.push((event.time, *node, state.report().to_vec()));
                    }
                }
                _ => {}
            }
        }
        if world.paths.is_empty() {
            return Err("no device in it can be played: it has neither a report descriptor nor controls".into());
        }
        Ok(world)
    }

    /// How long it takes from the first report to the last.
    #[must_use]
    pub fn length(&self) -> Micros {
        self.script.last().map_or(Micros(0), |(time, ..)| *time)
    }

    /// When the next report is due.
    fn due(&self) -> Option<Micros> {
        if self.playing.paused {
            return self.step.then_some(self.now);
        }
        let (time, ..) = self.script.get(self.next)?;
        let span = time.since(self.from).0;
        // At its own speed a recording keeps its stamps to the microsecond.
        let span = if self.playing.speed == 1.0 { span } else { (span as f64 / self.playing.speed).round() as u64 };
        Some(self.base.after(Micros(span)))
    }

    /// The report that is due has been sent.
    fn advance(&mut self) {
        self.next += 1;
        self.step = false;
        if self.next == self.script.len() && self.playing.looped {
            self.next = 0;
            self.base = self.now.after(BETWEEN);
            self.from = Micros(0);
        }
    }

    /// From here on everything counts from now.
    fn anchor(&mut self) {
        let passed = self.now.since(self.base).0;
        if !self.playing.paused {
            self.from = self.from.after(Micros((passed as f64 * self.playing.speed).round() as u64));
        }
        self.base = self.now;
    }

    fn handle_play(&mut self, play: Play) {
        self.anchor();
        match play {
            Play::Pause => self.playing.paused = !self.playing.paused,
            Play::Step => {
                self.playing.paused = true;
                self.step = true;
                if let Some((time, ..)) = self.script.get(self.next) {
                    self.from = *time;
                }
            }
            Play::Faster => self.playing.speed = (self.playing.speed * 2.0).min(64.0),
            Play::Slower => self.playing.speed = (self.playing.speed / 2.0).max(1.0 / 64.0),
        }
    }
}

impl RecordedWorld {
    fn handle_order(&mut self, order: Order) {
        let now = self.now;
        self.ready.push_back(match order {
            Order::Command(number, command) => Happening::Command(now, number, command),
            Order::Watch(watch) => Happening::Watch(now, watch),
            Order::Record(node, on) => Happening::Record(now, node, on),
            Order::Find(order) => Happening::Find(now, order),
            Order::History(request) => Happening::History(now, request),
            Order::Stop => Happening::End,
            Order::Play(play) => return self.handle_play(play),
            // What was recorded is in nobody's hands.
            Order::Hand { .. } => return,
        });
    }

    /// Waits until a moment, or until an order comes; false if it is to be looked at anew.
    fn wait(&mut self, until: Option<Micros>) -> bool {
        let clock = |start: Instant| Micros(start.elapsed().as_micros() as u64);
        let Some(orders) = self.orders.clone() else { return true };
        let left = until.map(|until| Duration::from_micros(until.since(clock(self.start)).0));
        let got = match (self.playing.pace, left) {
            (Pace::Clock, Some(left)) => {
                orders.channel.recv_timeout(left).map_err(|error| error == RecvTimeoutError::Disconnected)
            }
            // Nothing comes of itself: only somebody can go on.
            (_, None) => orders.channel.recv().map_err(|_| true),
            (Pace::Virtual { .. }, Some(_)) => {
                orders.channel.try_recv().map_err(|error| error == TryRecvError::Disconnected)
            }
        };
        match got {
            Ok(order) => {
                if let Pace::Clock = self.playing.pace {
                    self.now = self.now.max(clock(self.start).min(until.unwrap_or(Micros(u64::MAX))));
                }
                self.handle_order(order);
                false
            }
            Err(true) => {
                self.ready.push_back(Happening::End);
                false
            }
            Err(false) => true,
        }
    }
}

impl World for RecordedWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        loop {
            if let Some(happening) = self.ready.pop_front() {
                return happening;
            }
            let due = self.due().filter(|_| self.next < self.script.len());
            let first = [due, until].into_iter().flatten().min();
            if let Pace::Virtual { until: end } = self.playing.pace
                && (due.is_none() && self.orders.is_none() || first.is_some_and(|first| first > end))
            {
                return Happening::End;
            }
            // A step is taken at once: the next one asked for is another report.
            if !self.step && !self.wait(first) {
                continue;
            }
            let Some(first) = first else { continue };
            self.now = self.now.max(first);
            if due != Some(first) {
                return Happening::Time(self.now);
            }
            let sent = self.next;
            self.advance();
            let (_, node, bytes) = &self.script[sent];
            return Happening::Report { at: self.now, node: *node, bytes };
        }
    }

    fn write(&mut self, _slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn start(&mut self, effect: Effect) {
        let now = self.now;
        match effect {
            Effect::Open(node) => self.ready.push_back(Happening::Opened(now, node, Ok(()))),
            Effect::MakePad { slot, .. } => {
                self.ready.push_back(Happening::Pad(now, slot, Ok(format!("simulated pad {}", slot.number()))));
            }
            Effect::Cover(plan) => self.ready.push_back(Happening::Covered(now, plan.device, Ok(Strength::Hidden))),
            Effect::Send { node, request, purpose, .. } => {
                self.ready.push_back(Happening::Sent(now, node, request, purpose, Ok(Sent::NotNeeded)));
            }
            Effect::SaveSheet(_)
            | Effect::Close(_)
            | Effect::DropPad { .. }
            | Effect::Uncover(_)
            | Effect::Remember(_) => {}
        }
    }
}
