//! A case as a world: what happened to its owner happens again, and whatever is asked is answered as it was there.

mod files;

pub use files::CaseFiles;

use crate::played::PlayedRecording;
use crate::profiles::Profiles;
use crossbeam_channel::RecvTimeoutError;
use files::{settings_of, sheets_of};
use mantle_core::case::CaseEvent;
use mantle_core::cover::Strength;
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::games::{GameRule, RunningProgram};
use mantle_core::outgoing::Sent;
use mantle_core::pad::Events;
use mantle_core::path::{MadePad, Mark, PadFault};
use mantle_core::sheet::Sheet;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::{Effect, Note, Settings};
use mantle_core::time::Micros;
use mantle_engine::{FilesToRead, Happening, Orders, World};
use mantle_files::case::{Case, Question, Replies};
use mantle_files::{games, sheet, slots};
use mantle_talk::{Answer, Command, CommandNumber, Order, PlaybackOrder, Wish};
use std::collections::{BTreeMap, VecDeque};
use std::time::{Duration, Instant};

/// Something that is to happen.
#[derive(Clone, Debug)]
enum Comes {
    Event(CaseEvent),
    Report(NodeId, Vec<u8>),
}

/// A case at work. It goes through to its end at once; then, if there is a screen, the reports of the devices that are still there come
/// over and over, by the clock.
pub struct CaseWorld {
    script: VecDeque<(Micros, Comes)>,
    replies: Replies,
    span: Micros,
    now: Micros,
    /// When the clock took over, and the moment of this world then.
    clock: Option<(Instant, Micros)>,
    orders: Option<Orders>,
    ready: VecDeque<Happening<'static>>,
    /// What comes later.
    later: BTreeMap<(Micros, u64), Happening<'static>>,
    count: u64,
    current: Vec<u8>,
    playback: PlayedRecording,
    /// The nodes that are there, and their paths.
    here: Vec<(NodeId, String)>,
    /// Slots whose pads accept nothing any more.
    lost: Vec<(SlotNumber, PadFault)>,
    watched: Option<(u32, Vec<GameRule>)>,
    running: Vec<RunningProgram>,
    profiles: Profiles,
    files: CaseFiles,
    settings: Settings,
    /// What the person had paused.
    paused: Vec<Command>,
    shipped_sheets: bool,
}

impl std::fmt::Debug for CaseWorld {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("CaseWorld").field("now", &self.now).finish_non_exhaustive()
    }
}

/// What happens by itself; everything else answers a question.
fn is_news(event: &CaseEvent) -> bool {
    matches!(
        event,
        CaseEvent::Arrived { .. }
            | CaseEvent::Gone { .. }
            | CaseEvent::Changed { .. }
            | CaseEvent::Inputs { .. }
            | CaseEvent::Power { .. }
            | CaseEvent::PadLost { .. }
            | CaseEvent::CoverAgain { .. }
            | CaseEvent::Running { .. }
            | CaseEvent::Front { .. }
            | CaseEvent::Sleep { .. }
    )
}

impl CaseWorld {
    /// Sets a case up.
    ///
    /// # Errors
    /// In words, what in it cannot be played.
    pub fn new(case: &Case, orders: Option<Orders>) -> Result<Self, String> {
        let mut script: Vec<(Micros, Comes)> = Vec::new();
        for timed in case.event.iter().filter(|timed| is_news(&timed.event)) {
            script.push((Micros(timed.at), Comes::Event(timed.event.clone())));
        }
        for own in &case.reports {
            for line in own.lines() {
                let (at, bytes) = line?;
                script.push((at, Comes::Report(own.node, bytes)));
            }
        }
        // Events of one moment stay in order, and a device that arrives comes first.
        script.sort_by_key(|(at, _)| *at);
        let span = Micros(case.span);
        let files = CaseFiles::of(case);
        let (settings, profiles) = settings_of(case, &files);
        let mut paused: Vec<Command> = case.paused.then_some(Command::LetGo).into_iter().collect();
        paused.extend(case.paused_slots.iter().map(|slot| Command::PauseSlot { slot: *slot, paused: true }));
        let playback = PlayedRecording::of(again(&script), span);
        let mut ready = VecDeque::new();
        for line in &case.journal {
            let seconds = (line.at as f64 - case.span as f64) / 1e6;
            let text = format!("then, {seconds:.1} s: {}", line.text);
            ready.push_back(Happening::Recalled(Note { at: Micros(0), mark: Mark::Hint, text }));
        }
        Ok(Self {
            script: script.into(),
            replies: Replies::of(case),
            span,
            now: Micros(0),
            clock: None,
            orders,
            ready,
            later: BTreeMap::new(),
            count: 0,
            current: Vec::new(),
            playback,
            here: Vec::new(),
            lost: Vec::new(),
            watched: None,
            running: Vec::new(),
            profiles,
            files,
            settings,
            paused,
            shipped_sheets: case.shipped_sheets,
        })
    }

    /// What its table starts with.
    #[must_use]
    pub fn settings(&self) -> Settings {
        self.settings.clone()
    }

    /// Its files, as they are at any later time.
    #[must_use]
    pub fn files_now(&self) -> CaseFiles {
        self.files.clone()
    }

    fn at(&mut self, at: Micros, happening: Happening<'static>) {
        self.count += 1;
        self.later.insert((at.max(self.now), self.count), happening);
    }

    fn soon(&mut self, happening: impl FnOnce(Micros) -> Happening<'static>) {
        let at = self.now.after(Micros::millis(1));
        self.at(at, happening(at));
    }

    fn node_of(&self, path: &str) -> Option<NodeId> {
        self.here.iter().find(|(_, own)| own == path).map(|(node, _)| *node)
    }

    fn happens(&mut self, at: Micros, event: CaseEvent) -> Option<Happening<'static>> {
        Some(match event {
            CaseEvent::Arrived { facts } => {
                self.here.retain(|(node, _)| *node != facts.node);
                self.here.push((facts.node, facts.path.clone()));
                Happening::Arrived(at, Box::new(facts.facts()?))
            }
            CaseEvent::Gone { node } => {
                self.here.retain(|(own, _)| *own != node);
                Happening::Gone(at, node)
            }
            CaseEvent::Changed { node } => Happening::Changed(at, node),
            CaseEvent::Inputs { node, inputs, driven } => Happening::Inputs(at, node, inputs, Box::new(driven)),
            CaseEvent::Power { node, charge, charging } => {
                Happening::Power(at, node, charge.map(|charge| (charge, charging)))
            }
            CaseEvent::PadLost { slot, fault } => {
                self.lost.push((slot, fault));
                return None;
            }
            CaseEvent::Running { programs } => {
                self.running = programs;
                self.running_now(at)?
            }
            CaseEvent::Front { front } => Happening::Front(at, front),
            CaseEvent::Sleep { asleep } => Happening::Sleep(at, asleep),
            _ => return None,
        })
    }

    /// Which of the watched programs are running.
    fn running_now(&self, at: Micros) -> Option<Happening<'static>> {
        let (round, rules) = self.watched.as_ref()?;
        let running = self.running.iter().filter(|own| rules.iter().any(|rule| rule.is_for(own))).cloned();
        Some(Happening::Running(at, *round, running.collect()))
    }

    fn handle_order(&mut self, order: Order) {
        let now = self.now;
        let happening = match order {
            Order { wish: Wish::Stop, .. } => Happening::End,
            Order { number, wish: Wish::Playback(PlaybackOrder::Play(node, play)) }
                if !crate::alongside::is_alongside(node) =>
            {
                self.playback.handle_play(now, play);
                Happening::Answer(now, number, Box::new(Answer::PLAIN))
            }
            order => Happening::Order(now, Box::new(order)),
        };
        self.ready.push_back(happening);
    }

    /// Waits by the clock until a moment, or until an order comes; returns false if one came.
    fn wait(&mut self, until: Option<Micros>) -> bool {
        let now = self.now;
        let (start, base) = *self.clock.get_or_insert_with(|| (Instant::now(), now));
        let clock = || base.after(Micros(start.elapsed().as_micros() as u64));
        let Some(orders) = self.orders.clone() else { return true };
        let got = match until.map(|until| Duration::from_micros(until.since(clock()).0)) {
            Some(left) => orders.channel.recv_timeout(left).map_err(|error| error == RecvTimeoutError::Disconnected),
            None => orders.channel.recv().map_err(|_| true),
        };
        match got {
            Ok(order) => {
                self.now = self.now.max(clock().min(until.unwrap_or(Micros(u64::MAX))));
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

    /// Answers a question as it was answered then; `usual` is for questions that nobody asked then.
    fn answer(
        &mut self,
        question: Question,
        usual: CaseEvent,
        told: impl FnOnce(Micros, CaseEvent) -> Option<Happening<'static>>,
    ) {
        let found = self.replies.to(question, self.now).map(|(at, event)| (at, event.clone()));
        let (at, event) = found.unwrap_or((self.now.after(Micros::millis(1)), usual));
        if let Some(happening) = told(at, event) {
            self.at(at, happening);
        }
    }

    /// Answers whether a device is covered.
    fn answer_cover(&mut self, device: DeviceId, node: Option<NodeId>) {
        let node = node.unwrap_or(NodeId(u16::MAX));
        let usual = CaseEvent::Covered { node, strength: Some(Strength::Hidden), fault: None };
        self.answer(Question::Cover(node), usual, |at, event| match event {
            CaseEvent::Covered { strength: Some(strength), .. } => Some(Happening::Covered(at, device, Ok(strength))),
            CaseEvent::Covered { fault: Some(fault), .. } => Some(Happening::Covered(at, device, Err(fault))),
            _ => None,
        });
    }

    fn change_rule(&mut self, number: CommandNumber, act: mantle_core::command::RuleAct) {
        let file = self.files.text(games::FILE).unwrap_or_default();
        let name = |_: u32| None;
        let done = games::act(games::FILE, &file.text, act, name).map(|(text, rule, old)| {
            self.files.put(games::FILE, games::FILE, text);
            (rule, old)
        });
        self.soon(|at| Happening::Rule(at, number, Box::new(done)));
    }

    fn save_sheet(&mut self, saved: &Sheet) {
        let name = saved.origin.rsplit('/').next().unwrap_or("device.sheet.toml").to_owned();
        let name = if name.ends_with(".sheet.toml") { name } else { "device.sheet.toml".to_owned() };
        self.files.put(&name, &name, sheet::write(saved));
        let (sheets, faults) = sheets_of(&self.files, self.shipped_sheets);
        self.soon(|at| Happening::Sheets(at, sheets, faults));
    }

    fn remember(&mut self, remembered: &Remembered) {
        let file = self.files.text(slots::FILE).unwrap_or_default();
        // A file that cannot be read stays as it is.
        if let Ok(text) = slots::render(slots::FILE, &file.text, remembered) {
            self.files.put(slots::FILE, slots::FILE, text);
        }
    }

    /// Updates the files of profiles.
    fn keep_profiles(&mut self) {
        for (path, text) in self.profiles.texts() {
            let name = path.rsplit('/').next().unwrap_or_default();
            self.files.put(name, &path, text);
        }
    }
}

/// The reports that are repeated: of nodes that are still there, since they last arrived.
fn again(script: &[(Micros, Comes)]) -> Vec<(Micros, NodeId, Vec<u8>)> {
    let mut out: Vec<(Micros, NodeId, Vec<u8>)> = Vec::new();
    for (at, comes) in script {
        match comes {
            Comes::Report(node, bytes) => out.push((*at, *node, bytes.clone())),
            Comes::Event(CaseEvent::Gone { node }) => out.retain(|(_, own, _)| own != node),
            Comes::Event(_) => {}
        }
    }
    out
}

impl World for CaseWorld {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        loop {
            if let Some(happening) = self.ready.pop_front() {
                return happening;
            }
            let answer = self.later.first_key_value().map(|((at, _), _)| *at);
            let news = self.script.front().map(|(at, _)| *at);
            let over = self.now >= self.span && self.script.is_empty();
            let again = if over && self.orders.is_some() { self.playback.due(self.now) } else { None };
            let first = [answer, news, again, until].into_iter().flatten().min();
            if !over && first.is_none_or(|first| first > self.span) {
                self.now = self.span;
                self.files.mark();
                // What the person had paused is paused at the end, since nobody knows when that was.
                for command in std::mem::take(&mut self.paused) {
                    let order = Order::unanswered(Wish::Command(command));
                    self.ready.push_back(Happening::Order(self.span, Box::new(order)));
                }
                return Happening::Time(self.now);
            }
            if over && self.orders.is_none() {
                return Happening::End;
            }
            // A step is taken at once.
            if over && !self.playback.steps() && !self.wait(first) {
                continue;
            }
            let Some(first) = first else { continue };
            self.now = self.now.max(first);
            if answer == Some(first)
                && let Some((_, happening)) = self.later.pop_first()
            {
                return happening;
            }
            if news == Some(first)
                && let Some((at, comes)) = self.script.pop_front()
            {
                match comes {
                    Comes::Report(node, bytes) => {
                        self.current = bytes;
                        return Happening::Report { at: at.max(self.now), node, bytes: &self.current };
                    }
                    Comes::Event(event) => {
                        let now = self.now;
                        let happening = self.happens(now, event);
                        self.ready.extend(happening);
                        continue;
                    }
                }
            }
            if again == Some(first) {
                let (node, bytes) = self.playback.take(self.now);
                return Happening::Report { at: self.now, node, bytes };
            }
            return Happening::Time(self.now);
        }
    }

    fn write(&mut self, slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        let lost = self.lost.iter().position(|(own, _)| *own == slot);
        lost.map_or(Ok(()), |at| Err(self.lost.remove(at).1))
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn files(&self) -> FilesToRead {
        let files = self.files.now();
        Box::new(move || files.into_iter().map(|file| (file.path, file.text)).collect())
    }

    fn start(&mut self, effect: Effect) {
        match effect {
            Effect::Open(node) => {
                let usual = CaseEvent::Opened { node, fault: None };
                self.answer(Question::Open(node), usual, |at, event| match event {
                    CaseEvent::Opened { fault, .. } => Some(Happening::Opened(at, node, fault.map_or(Ok(()), Err))),
                    _ => None,
                });
            }
            Effect::MakePad { slot, .. } => {
                self.lost.retain(|(own, _)| *own != slot);
                let name = format!("pad {} of the case", slot.number());
                let usual = CaseEvent::Pad { slot, name, instead: None, fault: None };
                self.answer(Question::Pad(slot), usual, |at, event| match event {
                    CaseEvent::Pad { name, instead, fault, .. } => {
                        let made = MadePad { node: name, instead };
                        Some(Happening::Pad(at, slot, fault.map_or(Ok(made), Err)))
                    }
                    _ => None,
                });
            }
            Effect::MakeKeys { slot } => {
                let usual = CaseEvent::Keys { slot, name: "keys of the case".into(), fault: None };
                self.answer(Question::Keys(slot), usual, |at, event| match event {
                    CaseEvent::Keys { name, fault, .. } => Some(Happening::Keys(at, slot, fault.map_or(Ok(name), Err))),
                    _ => None,
                });
            }
            Effect::ProbePads => {
                self.answer(Question::Probe, CaseEvent::Probed { fault: None }, |at, event| match event {
                    CaseEvent::Probed { fault } => Some(Happening::Probed(at, fault.map_or(Ok(()), Err))),
                    _ => None,
                });
            }
            Effect::Cover(plan) => {
                let node = plan.interfaces.iter().find_map(|interface| self.node_of(&interface.node));
                self.answer_cover(plan.device, node);
            }
            Effect::Send { node, request, purpose, .. } => {
                let usual = CaseEvent::Sent { node, purpose, got: None, not_needed: true, fault: None };
                self.answer(Question::Send(node, purpose), usual, |at, event| match event {
                    CaseEvent::Sent { got, not_needed, fault, .. } => {
                        let sent = match got.and_then(|got| mantle_hid::bits::from_hex(&got)) {
                            Some(got) => Sent::Got(got),
                            None if not_needed => Sent::NotNeeded,
                            None => Sent::Done,
                        };
                        Some(Happening::Sent(at, node, request, purpose, fault.map_or(Ok(sent), Err)))
                    }
                    _ => None,
                });
            }
            // What was not looked at then is unknown.
            Effect::Look(_) => {
                self.answer(Question::Look, CaseEvent::Sleep { asleep: false }, |at, event| match event {
                    CaseEvent::Looked { look } => Some(Happening::Looked(at, Box::new(look))),
                    _ => None,
                })
            }
            Effect::LookReady => {
                self.answer(Question::Ready, CaseEvent::Sleep { asleep: false }, |at, event| match event {
                    CaseEvent::Ready { facts } => Some(Happening::Ready(at, facts)),
                    _ => None,
                });
            }
            Effect::WatchGames { round, rules } => {
                self.watched = Some((round, rules));
                let now = self.now;
                if let Some(happening) = self.running_now(now) {
                    self.at(now, happening);
                }
            }
            Effect::Rule { number, act } => self.change_rule(number, act),
            Effect::Profile { number, name, origin, act } => {
                let faults = self.profiles.faults();
                let done = self.profiles.act(&name, &origin, &act).map(Box::new);
                self.keep_profiles();
                self.soon(|at| Happening::Profile(at, number, done));
                if self.profiles.faults() != faults {
                    let (all, faults) = (self.profiles.all(), self.profiles.faults());
                    self.soon(|at| Happening::Profiles(at, all, faults));
                }
            }
            Effect::SaveSheet(sheet) => self.save_sheet(&sheet),
            Effect::Remember(remembered) => self.remember(&remembered),
            Effect::Radio(_)
            | Effect::Close(_)
            | Effect::DropPad { .. }
            | Effect::PadBattery { .. }
            | Effect::DropKeys { .. }
            | Effect::Type { .. }
            | Effect::Uncover(_) => {}
        }
    }
}
