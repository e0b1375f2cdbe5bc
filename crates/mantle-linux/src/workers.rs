//! Everything slow: each kind of work on a separate thread, with results through one channel.

mod covering;
mod files;
mod paths;
mod power;

pub use paths::Paths;
pub(crate) use power::Supply;

use self::files::Memory;
use crate::coverer::Coverer;
use crate::evdev::{self, Hold, InputNode};
use crate::games;
use crate::keys::Keys;
use crate::opener::{self, Wanted};
use crate::priority;
use crate::readiness;
use crate::scan;
use crate::sight::{self, SightPaths};
use crate::sysfs::FoundNode;
use crate::virtual_pad::VirtualPad;
use crate::waker::Waker;
use crate::writer::{self, OutputRequest};
use crossbeam_channel::{Receiver, Sender, unbounded};
use mantle_core::binding::{Profile, ProfileAct};
use mantle_core::command::{CommandNumber, RuleAct};
use mantle_core::connecting::{BeginRadio, Radio, RadioAct, RadioNews};
use mantle_core::cover::{CoverPlan, Strength};
use mantle_core::device::{DeviceId, NodeId, OsFault};
use mantle_core::games::{GameRule, RunningProgram};
use mantle_core::outgoing::Sent;
use mantle_core::pad::{OwnPad, PadModel};
use mantle_core::path::PadFault;
use mantle_core::preferences::Preferences;
use mantle_core::readiness::ReadyFacts;
use mantle_core::sheet::Sheet;
use mantle_core::sight::Look;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::Purpose;
use rustix::fd::{AsFd, OwnedFd};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread::JoinHandle;

/// An open node, and what is read from it if it is an input node.
pub(crate) type Opened = (OwnedFd, Option<Box<InputNode>>);

pub(crate) enum Job {
    Close(OwnedFd),
    CloseInput(OwnedFd, Box<InputNode>),
}

impl Job {
    /// The closing of a node.
    pub fn closing(fd: OwnedFd, input: Option<Box<InputNode>>) -> Self {
        match input {
            Some(input) => Self::CloseInput(fd, input),
            None => Self::Close(fd),
        }
    }
}

enum PadJob {
    Probe,
    Make(SlotNumber, Arc<PadModel>),
    Drop(Box<VirtualPad>),
    MakeKeys(SlotNumber),
    DropKeys(Keys),
}

enum CoverJob {
    Cover(CoverPlan),
    Hold(DeviceId, Vec<Hold>),
    Uncover(DeviceId),
}

/// What a worker has done.
pub(crate) enum Done {
    Scanned(Vec<FoundNode>),
    Opened(NodeId, Wanted, Result<Opened, OsFault>),
    Pad(SlotNumber, Result<(Box<VirtualPad>, Option<PadFault>), PadFault>),
    Probed(Result<(), PadFault>),
    Looked(Box<Look>),
    Ready(Box<ReadyFacts>),
    Radio(Box<RadioNews>),
    Keys(SlotNumber, Result<Keys, PadFault>),
    Covered(DeviceId, Result<Strength, OsFault>),
    /// Sources are held, and what nothing uses of them is passed on through these nodes.
    Held(DeviceId, evdev::Passes),
    /// Something was sent to a node, or not: its number and purpose.
    Sent(NodeId, Wanted, u32, Purpose, Result<Sent, OsFault>),
    /// What a node's battery says.
    Power(NodeId, Wanted, Option<(f32, bool)>),
    /// The state of a node: a report for each of its ids, or why it does not answer.
    Asked(NodeId, Wanted, Result<Vec<Vec<u8>>, OsFault>),
    /// All sheets that there are now.
    Sheets(Vec<Sheet>, Vec<String>),
    /// All current profiles, and whether some could not be read; all current pad files of the person's own, and their faults.
    OwnPads(Vec<Arc<OwnPad>>, Vec<String>),
    Profiles(Vec<Arc<Profile>>, Vec<String>),
    /// The current settings, or their faults.
    Settings(Result<Preferences, Vec<String>>),
    /// A change of a profile was saved, or not.
    Profile(CommandNumber, Result<Box<Profile>, String>),
    /// The current rules for games, or their faults.
    Rules(Result<Vec<GameRule>, Vec<String>>),
    /// Which of the programs requested under a number are running.
    Running(u32, Vec<RunningProgram>),
    /// A rule was saved or deleted, or not.
    Rule(CommandNumber, Result<(GameRule, Option<GameRule>), String>),
    /// A device that is only held, although it should be hidden, may be tried again.
    CoverAgain(DeviceId),
    /// A thread has ended by a panic.
    Lost(&'static str),
    /// The engine's thread has been granted real-time priority, or why not.
    Raised(Result<(), String>),
    /// For the journal.
    Note(String),
}

pub(crate) struct Workers {
    scans: Sender<()>,
    jobs: Sender<Job>,
    pads: Sender<PadJob>,
    looks: Sender<LookAt>,
    games: Sender<(u32, Vec<GameRule>)>,
    covers: Sender<CoverJob>,
    memory: Sender<Memory>,
    pub done: Receiver<Done>,
    results: Sender<Done>,
    bell: Waker,
    raise: fn(u32, u32) -> Result<(), String>,
    batteries: fn() -> Vec<(String, f32)>,
    begin_radio: BeginRadio,
    radio: Option<Box<dyn Radio>>,
    threads: Vec<JoinHandle<()>>,
}

/// Starts a thread that works through one channel; it ends when the channel's other end is gone. If it panics, that is reported: whoever waits for
/// its work would wait for ever.
fn worker<J: Send + 'static>(
    name: &'static str,
    out: &Reporter,
    mut work: impl FnMut(J) + Send + 'static,
) -> (Sender<J>, JoinHandle<()>) {
    let (sender, receiver) = unbounded::<J>();
    let guard = Guard { name, out: out.clone() };
    let thread = std::thread::spawn(move || {
        let _guard = guard;
        while let Ok(job) = receiver.recv() {
            assert!(!crate::hooks::fails_in(name), "the {name} worker was asked to fail");
            work(job);
        }
    });
    (sender, thread)
}

/// Reports when a thread ends by a panic.
struct Guard {
    name: &'static str,
    out: Reporter,
}

impl Drop for Guard {
    fn drop(&mut self) {
        if std::thread::panicking() {
            self.out.report(Done::Lost(self.name));
        }
    }
}

impl Workers {
    pub fn start(paths: &Paths, bell: &Waker) -> Self {
        let (results, done) = unbounded();
        let reporter = Reporter { results: results.clone(), bell: bell.clone() };
        let (sys, out) = (paths.sys.clone(), reporter.clone());
        let (scans, t0) = worker("scan", &reporter, move |()| {
            let found = scan::sources(&sys);
            out.report(Done::Scanned(found));
        });
        // Closing may take a while, and must not delay scans.
        let (jobs, t1) = worker("close", &reporter, move |job| match job {
            Job::Close(fd) => drop(fd),
            Job::CloseInput(fd, mut input) => {
                drop(input.set_pass(None));
                input.restore(fd.as_fd());
            }
        });
        let out = reporter.clone();
        let (pads, t2) = worker("pad", &reporter, move |job| match job {
            PadJob::Probe => out.report(Done::Probed(crate::uinput::open().map(drop))),
            PadJob::Make(slot, model) => {
                let made = VirtualPad::create(slot, &model).map(|(pad, instead)| (Box::new(pad), instead));
                out.report(Done::Pad(slot, made));
            }
            PadJob::Drop(pad) => drop(pad),
            PadJob::MakeKeys(slot) => out.report(Done::Keys(slot, Keys::create(slot))),
            PadJob::DropKeys(keys) => drop(keys),
        });
        let (out, sight) = (reporter.clone(), SightPaths { sys: paths.sys.clone(), ..SightPaths::default() });
        // Nobody waits for its end, since other programs' files may take a while.
        let mut seen = Look::default();
        let (looks, _) = worker("sight", &reporter, move |at| match at {
            LookAt::Games(process) => {
                seen = sight::look(&sight, process);
                out.report(Done::Looked(Box::new(seen.clone())));
            }
            // It is requested together with a look, which says which programs read what.
            LookAt::Readiness => out.report(Done::Ready(Box::new(readiness::facts(readiness::RULE, &seen)))),
        });
        let out = reporter.clone();
        let (games, games_in) = unbounded();
        let guard = Guard { name: "games", out: out.clone() };
        let t5 = std::thread::spawn(move || {
            let _guard = guard;
            let tell = |round, running| out.report(Done::Running(round, running));
            games::watch(Path::new("/proc"), &games_in, tell);
        });
        let out = reporter.clone();
        let (covers, covers_in) = unbounded();
        let guard = Guard { name: "cover", out: out.clone() };
        let apart = paths.apart;
        let t3 = std::thread::spawn(move || {
            let _guard = guard;
            covering::cover(Coverer::new(apart), &covers_in, &out);
        });
        let (memory, t4) = worker("file", &reporter, files::worker(paths, reporter.clone()));
        let bell = bell.clone();
        Self {
            scans,
            jobs,
            pads,
            looks,
            games,
            covers,
            memory,
            done,
            results,
            bell,
            raise: paths.raise,
            batteries: paths.batteries,
            begin_radio: paths.radio,
            radio: None,
            threads: vec![t0, t1, t2, t3, t4, t5],
        }
    }

    /// Does something on a separate thread, since it may take a while. A panic there is reported.
    fn aside(&self, name: &'static str, work: impl FnOnce(&Reporter) + Send + 'static) {
        let out = Reporter { results: self.results.clone(), bell: self.bell.clone() };
        let guard = Guard { name, out: out.clone() };
        std::thread::spawn(move || {
            let _guard = guard;
            work(&out);
        });
    }

    /// Opens a node on a separate thread, so that a slow one delays nobody else.
    pub fn open(&self, node: NodeId, found: &FoundNode) {
        let (wanted, caps, vendor) = (found.wanted.clone(), found.caps.clone(), found.facts.identity.vendor);
        self.aside("open", move |out| {
            let result = opener::open_once_ready(&wanted).map(|fd| {
                let input = caps.and_then(|caps| InputNode::new(fd.as_fd(), &caps, vendor)).map(Box::new);
                (fd, input)
            });
            out.report(Done::Opened(node, wanted, result));
        });
    }

    /// Asks a node for its state, report by report, on a separate thread: it may take a while, or never answer.
    pub fn ask(&self, node: NodeId, found: &FoundNode, fd: OwnedFd) {
        let (wanted, descriptor) = (found.wanted.clone(), found.facts.descriptor.clone());
        self.aside("ask", move |out| {
            let result = crate::writer::inputs(&fd, &wanted.path, &descriptor);
            out.report(Done::Asked(node, wanted, result));
        });
    }

    /// Asks for real-time priority for this thread, on a separate thread, since whoever is asked may take a while. `refused` is why the account's own
    /// limits do not allow it.
    pub fn raise(&self, refused: String) {
        let (raise, thread) = (self.raise, priority::this_thread());
        self.aside("priority", move |out| {
            priority::bow_to_daemon();
            let result = raise(thread, priority::LEVEL).map_err(|why| format!("{refused}, and {why}"));
            out.report(Done::Raised(result));
        });
    }

    pub fn scan(&self) {
        let _ = self.scans.send(());
    }

    /// Watches the directories of the person's own files, which may be on a slow disk.
    pub fn watch(&self, watcher: OwnedFd, directories: Vec<PathBuf>) {
        let _ = self.memory.send(Memory::Watch(watcher, directories));
    }

    pub fn job(&self, job: Job) {
        let _ = self.jobs.send(job);
    }

    pub fn make_pad(&self, slot: SlotNumber, model: Arc<PadModel>) {
        let _ = self.pads.send(PadJob::Make(slot, model));
    }

    /// Finds out whether pads can be made.
    pub fn probe_pads(&self) {
        let _ = self.pads.send(PadJob::Probe);
    }

    /// Looks at what a game would see of this machine.
    pub fn look(&self, process: Option<u32>) {
        let _ = self.looks.send(LookAt::Games(process));
    }

    /// Looks how ready the machine is.
    pub fn look_ready(&self) {
        let _ = self.looks.send(LookAt::Readiness);
    }

    /// Asks the computer's radio for something; the first request starts whoever talks to it.
    pub fn ask_radio(&mut self, act: RadioAct) {
        let (begin, out) = (self.begin_radio, Reporter { results: self.results.clone(), bell: self.bell.clone() });
        let tell = move |news| out.report(Done::Radio(Box::new(news)));
        self.radio.get_or_insert_with(|| begin(Box::new(tell))).ask(act);
    }

    pub fn drop_pad(&self, pad: Box<VirtualPad>) {
        let _ = self.pads.send(PadJob::Drop(pad));
    }

    pub fn make_keys(&self, slot: SlotNumber) {
        let _ = self.pads.send(PadJob::MakeKeys(slot));
    }

    pub fn drop_keys(&self, keys: Keys) {
        let _ = self.pads.send(PadJob::DropKeys(keys));
    }

    pub fn cover(&self, plan: CoverPlan) {
        let _ = self.covers.send(CoverJob::Cover(plan));
    }

    /// Starts a writer to a node; it ends when the sender is dropped, and a slow device delays nobody else.
    pub fn writer(&self, node: NodeId, wanted: Wanted, fd: OwnedFd) -> Sender<OutputRequest> {
        let (letters, incoming) = unbounded();
        self.aside("write", move |out| {
            let path = wanted.path.clone();
            writer::run(&fd, (&path, &wanted.sys), &incoming, |letter, result| {
                out.report(Done::Sent(node, wanted.clone(), letter.request, letter.purpose, result));
            });
        });
        letters
    }

    pub fn hold(&self, device: DeviceId, nodes: Vec<Hold>) {
        let _ = self.covers.send(CoverJob::Hold(device, nodes));
    }

    pub fn uncover(&self, device: DeviceId) {
        let _ = self.covers.send(CoverJob::Uncover(device));
    }

    pub fn remember(&self, remembered: Remembered) {
        let _ = self.memory.send(Memory::Slots(remembered));
    }

    pub fn read_sheets(&self) {
        let _ = self.memory.send(Memory::ReadSheets);
    }

    pub fn read_settings(&self) {
        let _ = self.memory.send(Memory::ReadSettings);
    }

    pub fn read_rules(&self) {
        let _ = self.memory.send(Memory::ReadRules);
    }

    pub fn change_rule(&self, number: CommandNumber, act: RuleAct) {
        let _ = self.memory.send(Memory::Rule(number, act));
    }

    /// From now on, looks for the programs that these rules are for.
    pub fn watch_games(&self, round: u32, rules: Vec<GameRule>) {
        let _ = self.games.send((round, rules));
    }

    pub fn read_own_pads(&self) {
        let _ = self.memory.send(Memory::ReadOwnPads);
    }

    pub fn read_profiles(&self) {
        let _ = self.memory.send(Memory::ReadProfiles);
    }

    pub fn change_profile(&self, number: CommandNumber, name: String, origin: String, act: ProfileAct) {
        let _ = self.memory.send(Memory::Profile(number, name, origin, act));
    }

    pub fn save_sheet(&self, sheet: Arc<Sheet>) {
        let _ = self.memory.send(Memory::Sheet(sheet));
    }

    /// Brings everything that was begun to an end: pads go, covers are undone, the slots file is saved.
    pub fn finish(self) {
        let Self {
            scans,
            jobs,
            pads,
            looks,
            games,
            covers,
            memory,
            done,
            results,
            bell,
            threads,
            raise: _,
            batteries: _,
            begin_radio: _,
            radio: _,
        } = self;
        drop((scans, jobs, pads, looks, games, covers, memory, done, results, bell));
        for thread in threads {
            let _ = thread.join();
        }
    }
}

/// Tells the engine what has been done, and wakes it.
#[derive(Clone)]
struct Reporter {
    results: Sender<Done>,
    bell: Waker,
}

impl Reporter {
    fn report(&self, what: Done) {
        if self.results.send(what).is_ok() {
            self.bell.ring();
        }
    }
}

/// What is looked at.
enum LookAt {
    Games(Option<u32>),
    Readiness,
}
