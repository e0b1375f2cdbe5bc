//! Recordings opened beside a world: each becomes a device next to that world's devices.

use crate::played::{Naming, PlayedRecording};
use crossbeam_channel::{Receiver, Sender, unbounded};
use mantle_core::command::{Answer, CommandNumber};
use mantle_core::cover::Strength;
use mantle_core::device::{DeviceId, Driver, NodeId};
use mantle_core::outgoing::Sent;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Effect;
use mantle_core::time::Micros;
use mantle_engine::{FilesToRead, Happening, OrderSender, World};
use mantle_files::recording::Recording;
use mantle_talk::{Order, PlaybackOrder, Wish};
use std::collections::VecDeque;
use std::sync::Arc;

/// Nodes of recordings have numbers from here on; no other world has that many.
const FIRST: u16 = 512;
/// The largest number: a recording that would exceed it is refused.
const LAST: u16 = 4096;

/// Whether a node belongs to a recording that was opened beside another world.
#[must_use]
pub fn is_alongside(node: NodeId) -> bool {
    node.0 >= FIRST
}

/// Reads a recording by what the person typed; errors in words. It runs on a separate thread.
pub type ReadRecording = Arc<dyn Fn(&str) -> Result<Recording, String> + Send + Sync>;

/// The result of reading, and the number of its answer.
type Read = (CommandNumber, Result<Recording, String>);

/// A world, and the recordings that were opened beside it.
pub struct Alongside<W> {
    inner: W,
    opened: OpenedRecordings,
}

/// The recordings.
struct OpenedRecordings {
    give: OrderSender,
    read: ReadRecording,
    read_in: Sender<Read>,
    read_out: Receiver<Read>,
    playbacks: Vec<(Vec<NodeId>, PlayedRecording)>,
    covered: Vec<DeviceId>,
    ready: VecDeque<Happening<'static>>,
    now: Micros,
    /// How many have been opened, for naming.
    count: u32,
}

impl<W> std::fmt::Debug for Alongside<W> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Alongside").field("playbacks", &self.opened.playbacks.len()).finish_non_exhaustive()
    }
}

impl<W> Alongside<W> {
    /// A world with no recording beside it yet. `give` wakes the world once a recording has been read.
    pub fn new(inner: W, give: OrderSender, read: ReadRecording) -> Self {
        let (read_in, read_out) = unbounded();
        let (playbacks, covered, ready) = (Vec::new(), Vec::new(), VecDeque::new());
        let opened =
            OpenedRecordings { give, read, read_in, read_out, playbacks, covered, ready, now: Micros(0), count: 0 };
        Self { inner, opened }
    }
}

impl OpenedRecordings {
    fn handle_playback(&mut self, number: CommandNumber, order: PlaybackOrder) {
        match order {
            PlaybackOrder::Open(path) => {
                let (read, done, give) = (self.read.clone(), self.read_in.clone(), self.give.clone());
                std::thread::spawn(move || {
                    // Both ends may be gone by the time it has been read, and then nobody wants it any more.
                    let _ = done.send((number, read(&path)));
                    give.give(Order::unanswered(Wish::Playback(PlaybackOrder::Opened)));
                });
            }
            PlaybackOrder::Opened => {
                while let Ok((number, read)) = self.read_out.try_recv() {
                    let answer = match read.and_then(|recording| self.open(&recording)) {
                        Ok(()) => Answer::Done { said: "the recording plays as a device".into(), inverse: None },
                        Err(why) => Answer::Refused { why },
                    };
                    self.ready.push_back(Happening::Answer(self.now, number, Box::new(answer)));
                }
            }
            PlaybackOrder::Close(node) => {
                let at = self.playbacks.iter().position(|(nodes, _)| nodes.contains(&node));
                self.answer(number, at.is_some());
                if let Some(at) = at {
                    let (nodes, _) = self.playbacks.remove(at);
                    self.ready.extend(nodes.into_iter().map(|node| Happening::Gone(self.now, node)));
                }
            }
            PlaybackOrder::Play(node, play) => {
                let now = self.now;
                let playback = self.playbacks.iter_mut().find(|(nodes, _)| nodes.contains(&node));
                let known = playback.is_some();
                if let Some((_, playback)) = playback {
                    playback.handle_play(now, play);
                }
                self.answer(number, known);
            }
        }
    }

    /// Answers whether there is a recording of that kind.
    fn answer(&mut self, number: CommandNumber, known: bool) {
        let answer = if known { Answer::PLAIN } else { Answer::Refused { why: "that is not a recording".into() } };
        self.ready.push_back(Happening::Answer(self.now, number, Box::new(answer)));
    }

    fn open(&mut self, recording: &Recording) -> Result<(), String> {
        let first = self.playbacks.iter().flat_map(|(nodes, _)| nodes).map(|node| node.0 + 1).max().unwrap_or(FIRST);
        if usize::from(first) + recording.devices.len() > usize::from(LAST) {
            return Err("too many recordings are open: close some".into());
        }
        self.count += 1;
        let port = format!("recording-{}-", self.count);
        let naming = Naming {
            node: first,
            paths: ("recording/", "/dev/input/recording"),
            port: &port,
            driver: &Driver::Recording,
        };
        // Over and over: whoever opens one wants to look at it for longer than it lasts.
        let (playback, nodes) = PlayedRecording::new(recording, naming, (1.0, true, false), self.now)?;
        self.playbacks.push((nodes.iter().map(|facts| facts.id).collect(), playback));
        for mut facts in nodes {
            // It is not the device that it was recorded from, even if that one is connected as well.
            facts.identity.phys = facts.identity.port.clone().unwrap_or_default();
            self.ready.push_back(Happening::Arrived(self.now, Box::new(facts)));
        }
        Ok(())
    }

    /// Whether a path belongs to a recording.
    fn owns(&self, path: &str) -> bool {
        let number = path.strip_prefix("recording/").or(path.strip_prefix("/dev/input/recording"));
        let node = number.and_then(|number| number.parse().ok()).map(NodeId);
        node.is_some_and(|node| self.playbacks.iter().any(|(nodes, _)| nodes.contains(&node)))
    }
}

impl<W: World> World for Alongside<W> {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        if let Some(happening) = self.opened.ready.pop_front() {
            return happening;
        }
        let due = self.opened.playbacks.iter().filter_map(|(_, playback)| playback.due(self.opened.now)).min();
        match self.inner.next([due, until].into_iter().flatten().min()) {
            Happening::Time(at) if due.is_some_and(|due| due <= at) => {
                self.opened.now = at;
                let first =
                    self.opened.playbacks.iter_mut().filter_map(|(_, playback)| Some((playback.due(at)?, playback)));
                match first.min_by_key(|(due, _)| *due) {
                    Some((_, playback)) => {
                        let (node, bytes) = playback.take(at);
                        Happening::Report { at, node, bytes }
                    }
                    None => Happening::Time(at),
                }
            }
            Happening::Order(at, order) => match *order {
                Order { number, wish: Wish::Playback(order) } => {
                    self.opened.now = self.opened.now.max(at);
                    self.opened.handle_playback(number, order);
                    Happening::Time(at)
                }
                order => Happening::Order(at, Box::new(order)),
            },
            other => {
                if let Happening::Time(at) | Happening::Report { at, .. } = &other {
                    self.opened.now = *at;
                }
                other
            }
        }
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        self.inner.write(slot, events)
    }

    fn files(&self) -> FilesToRead {
        self.inner.files()
    }

    fn clock(&self) -> Option<Micros> {
        self.inner.clock()
    }

    fn start(&mut self, effect: Effect) {
        let now = self.opened.now;
        match effect {
            Effect::Open(node) if is_alongside(node) => {
                self.opened.ready.push_back(Happening::Opened(now, node, Ok(())))
            }
            Effect::Close(node) if is_alongside(node) => {}
            Effect::Send { node, request, purpose, .. } if is_alongside(node) => {
                self.opened.ready.push_back(Happening::Sent(now, node, request, purpose, Ok(Sent::NotNeeded)));
            }
            Effect::Cover(plan)
                if plan.interfaces.iter().all(|one| one.sysfs.is_empty() && self.opened.owns(&one.node)) =>
            {
                self.opened.covered.push(plan.device);
                self.opened.ready.push_back(Happening::Covered(now, plan.device, Ok(Strength::Hidden)));
            }
            Effect::Uncover(device) if self.opened.covered.contains(&device) => {
                self.opened.covered.retain(|one| *one != device)
            }
            other => self.inner.start(other),
        }
    }
}
