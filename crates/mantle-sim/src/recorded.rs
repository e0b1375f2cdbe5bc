//! A recording as a world: its devices are there, and send what they sent, at the same times.

use crate::played::{Naming, PlayedRecording};
use crate::profiles::Profiles;
use crate::world::Pace;
use crossbeam_channel::{RecvTimeoutError, TryRecvError};
use mantle_core::cover::Strength;
use mantle_core::device::Driver;
use mantle_core::outgoing::Sent;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Effect;
use mantle_core::time::Micros;
use mantle_engine::{FilesToRead, Happening, Orders, World};
use mantle_files::recording::Recording;
use mantle_talk::{Answer, Order, PlaybackOrder, Wish};
use std::collections::VecDeque;
use std::time::{Duration, Instant};

/// How a recording is played.
#[derive(Clone, Copy, Debug)]
pub struct Playing {
    /// By the clock or as fast as it can.
    pub pace: Pace,
    /// 1 for its own times, 2 for twice as fast.
    pub speed: f64,
    /// Over and over.
    pub looped: bool,
    /// Nothing is sent until requested.
    pub paused: bool,
}

/// A recording being played. The first report has the stamp 0.
#[derive(Debug)]
pub struct RecordedWorld {
    playback: PlayedRecording,
    pace: Pace,
    now: Micros,
    start: Instant,
    orders: Option<Orders>,
    ready: VecDeque<Happening<'static>>,
    profiles: Profiles,
}

impl RecordedWorld {
    /// Sets a recording up.
    ///
    /// # Errors
    /// In words, if nothing in it can be played.
    pub fn new(recording: &Recording, playing: Playing, orders: Option<Orders>) -> Result<Self, String> {
        let naming =
            Naming { node: 0, paths: ("/dev/hidraw", "/dev/input/event"), port: "rec-", driver: &Driver::Generic };
        let Playing { pace, speed, looped, paused } = playing;
        let (playback, nodes) = PlayedRecording::new(recording, naming, (speed, looped, paused), Micros(0))?;
        let arrived = |facts| Happening::Arrived(Micros(0), Box::new(facts));
        let ready = nodes.into_iter().map(arrived).collect();
        Ok(Self { playback, pace, now: Micros(0), start: Instant::now(), orders, ready, profiles: Profiles::default() })
    }

    /// Its devices, as they will arrive.
    #[must_use]
    pub fn nodes(&self) -> Vec<mantle_core::device::NodeFacts> {
        let arrives = self.ready.iter().filter_map(|happening| match happening {
            Happening::Arrived(_, facts) => Some((**facts).clone()),
            _ => None,
        });
        arrives.collect()
    }

    /// The time from the first report to the last.
    #[must_use]
    pub fn length(&self) -> Micros {
        self.playback.length()
    }

    fn handle_order(&mut self, order: Order) {
        let now = self.now;
        self.ready.push_back(match order {
            Order { wish: Wish::Stop, .. } => Happening::End,
            Order { number, wish: Wish::Playback(PlaybackOrder::Play(node, play)) }
                if !crate::alongside::is_alongside(node) =>
            {
                self.playback.handle_play(now, play);
                Happening::Answer(now, number, Box::new(Answer::PLAIN))
            }
            order => Happening::Order(now, Box::new(order)),
        });
    }

    /// Waits until a moment, or until an order comes; false if everything has to be checked again.
    fn wait(&mut self, until: Option<Micros>) -> bool {
        let clock = |start: Instant| Micros(start.elapsed().as_micros() as u64);
        let Some(orders) = self.orders.clone() else { return true };
        let left = until.map(|until| Duration::from_micros(until.since(clock(self.start)).0));
        let got = match (self.pace, left) {
            (Pace::Clock, Some(left)) => {
                orders.channel.recv_timeout(left).map_err(|error| error == RecvTimeoutError::Disconnected)
            }
            // Nothing comes by itself, so only somebody's order can continue.
            (_, None) => orders.channel.recv().map_err(|_| true),
            (Pace::Virtual { .. }, Some(_)) => {
                orders.channel.try_recv().map_err(|error| error == TryRecvError::Disconnected)
            }
        };
        match got {
            Ok(order) => {
                if let Pace::Clock = self.pace {
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
            let due = self.playback.due(self.now);
            let first = [due, until].into_iter().flatten().min();
            if let Pace::Virtual { until: end } = self.pace
                && (due.is_none() && self.orders.is_none() || first.is_some_and(|first| first > end))
            {
                return Happening::End;
            }
            // A step is taken at once: the next one requested is another report.
            if !self.playback.steps() && !self.wait(first) {
                continue;
            }
            let Some(first) = first else { continue };
            self.now = self.now.max(first);
            if due != Some(first) {
                return Happening::Time(self.now);
            }
            let (node, bytes) = self.playback.take(self.now);
            return Happening::Report { at: self.now, node, bytes };
        }
    }

    fn write(&mut self, _slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn files(&self) -> FilesToRead {
        let files = self.profiles.texts();
        Box::new(move || files)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, effect: Effect) {
        let now = self.now;
        match effect {
            Effect::Open(node) => self.ready.push_back(Happening::Opened(now, node, Ok(()))),
            Effect::MakeKeys { slot } => {
                self.ready.push_back(Happening::Keys(now, slot, Ok("keys of the replay".into())));
            }
            Effect::ProbePads => self.ready.push_back(Happening::Probed(self.now, Ok(()))),
            Effect::MakePad { slot, .. } => {
                self.ready.push_back(Happening::Pad(now, slot, Ok(format!("simulated pad {}", slot.number()).into())));
            }
            Effect::Cover(plan) => self.ready.push_back(Happening::Covered(now, plan.device, Ok(Strength::Hidden))),
            Effect::Send { node, request, purpose, .. } => {
                self.ready.push_back(Happening::Sent(now, node, request, purpose, Ok(Sent::NotNeeded)));
            }
            Effect::Profile { number, name, origin, act } => {
                let done = self.profiles.act(&name, &origin, &act).map(Box::new);
                self.ready.push_back(Happening::Profile(now, number, done));
            }
            Effect::Rule { number, .. } => {
                let why = Err("a replay has no rules for games".to_owned());
                self.ready.push_back(Happening::Rule(now, number, Box::new(why)));
            }
            // Nobody plays what is only replayed.
            Effect::Look(_)
            | Effect::LookReady
            | Effect::Radio(_)
            | Effect::WatchGames { .. }
            | Effect::SaveSheet(_)
            | Effect::Close(_)
            | Effect::DropPad { .. }
            | Effect::PadBattery { .. }
            | Effect::DropKeys { .. }
            | Effect::Type { .. }
            | Effect::Uncover(_)
            | Effect::Remember(_) => {}
        }
    }
}
