//! Everything slow: each kind of work on a thread of its own, results back through one channel.

use crate::coverer::{CoverPaths, Coverer};
use crate::scan;
use crate::uinput::Pad;
use crossbeam_channel::{Receiver, Sender, unbounded};
use mantle_core::cover::{CoverPlan, Strength};
use mantle_core::device::{DeviceId, NodeFacts, NodeId, OsFault};
use mantle_core::path::PadFault;
use mantle_core::slot::{Remembered, SlotNumber};
use rustix::event::{EventfdFlags, eventfd};
use rustix::fd::OwnedFd;
use rustix::fs::{Mode, OFlags};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread::JoinHandle;

/// Where things are; tests put them elsewhere.
#[derive(Clone, Debug)]
pub struct Paths {
    /// Normally `/sys`.
    pub sys: PathBuf,
    /// The slots file; none if there is no home.
    pub slots: Option<PathBuf>,
    /// Whether it may be written: not if it could not be read.
    pub save_slots: bool,
    /// Where covering is written down.
    pub cover: CoverPaths,
}

/// A node as a scan has found it. The generation differs when the same path is another node.
#[derive(Clone, Debug)]
pub(crate) struct Found {
    pub facts: NodeFacts,
    pub generation: u64,
}

pub(crate) enum Job {
    Scan,
    Open(NodeId, String),
    Close(OwnedFd),
}

enum PadJob {
    Make(SlotNumber),
    Drop(Pad),
}

enum CoverJob {
    Cover(CoverPlan),
    Uncover(DeviceId),
}

/// What a worker has done.
pub(crate) enum Done {
    Scanned(Vec<Found>),
    Opened(NodeId, Result<OwnedFd, OsFault>),
    Pad(SlotNumber, Result<Pad, PadFault>),
    Covered(DeviceId, Result<Strength, OsFault>),
    /// Saving failed; in words.
    NotSaved(String),
}

/// Wakes the engine out of its wait.
#[derive(Clone, Debug)]
pub(crate) struct Bell(Arc<OwnedFd>);

impl Bell {
    pub fn new() -> rustix::io::Result<Self> {
        Ok(Self(Arc::new(eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?)))
    }

    pub fn fd(&self) -> &OwnedFd {
        &self.0
    }

    pub fn ring(&self) {
        let _ = rustix::io::write(&*self.0, &1u64.to_ne_bytes());
    }

    pub fn hush(&self) {
        let mut count = [0u8; 8];
        let _ = rustix::io::read(&*self.0, &mut count);
    }
}

pub(crate) struct Workers {
    jobs: Sender<Job>,
    pads: Sender<PadJob>,
    covers: Sender<CoverJob>,
    memory: Sender<Remembered>,
    pub done: Receiver<Done>,
    threads: Vec<JoinHandle<()>>,
}

/// Starts a thread that works off one channel; it ends when the channel's other end is gone.
fn worker<J: Send + 'static>(mut work: impl FnMut(J) + Send + 'static) -> (Sender<J>, JoinHandle<()>) {
    let (sender, receiver) = unbounded::<J>();
    let thread = std::thread::spawn(move || {
        while let Ok(job) = receiver.recv() {
            work(job);
        }
    });
    (sender, thread)
}

impl Workers {
    pub fn start(paths: &Paths, bell: &Bell) -> Self {
        let (results, done) = unbounded();
        let report = move |bell: &Bell, results: &Sender<Done>, what: Done| {
            if results.send(what).is_ok() {
                bell.ring();
            }
        };
        let (sys, out, ring) = (paths.sys.clone(), results.clone(), bell.clone());
        let (jobs, t1) = worker(move |job| match job {
            Job::Scan => report(&ring, &out, Done::Scanned(scan_all(&sys))),
            Job::Open(node, path) => report(&ring, &out, Done::Opened(node, open(&path))),
            Job::Close(fd) => drop(fd),
        });
        let (out, ring) = (results.clone(), bell.clone());
        let (pads, t2) = worker(move |job| match job {
            PadJob::Make(slot) => report(&ring, &out, Done::Pad(slot, Pad::create(slot))),
            PadJob::Drop(pad) => drop(pad),
        });
        let (out, ring, cover_paths) = (results.clone(), bell.clone(), paths.cover.clone());
        let (covers, covers_in) = unbounded();
        let t3 = std::thread::spawn(move || {
            let mut coverer = Coverer::new(cover_paths);
            while let Ok(job) = covers_in.recv() {
                match job {
                    CoverJob::Cover(plan) => report(&ring, &out, Done::Covered(plan.device, coverer.cover(&plan))),
                    CoverJob::Uncover(device) => coverer.uncover(device),
                }
            }
            coverer.uncover_all();
        });
        let (path, may_save, ring) = (paths.slots.clone(), paths.save_slots, bell.clone());
        let (memory, t4) = worker(move |remembered: Remembered| {
            if let Some(path) = path.as_deref().filter(|_| may_save)
                && let Err(why) = save(path, &remembered)
            {
                report(&ring, &results, Done::NotSaved(why));
            }
        });
        Self { jobs, pads, covers, memory, done, threads: vec![t1, t2, t3, t4] }
    }

    pub fn job(&self, job: Job) {
        let _ = self.jobs.send(job);
    }

    pub fn make_pad(&self, slot: SlotNumber) {
        let _ = self.pads.send(PadJob::Make(slot));
    }

    pub fn drop_pad(&self, pad: Pad) {
        let _ = self.pads.send(PadJob::Drop(pad));
    }

    pub fn cover(&self, plan: CoverPlan) {
        let _ = self.covers.send(CoverJob::Cover(plan));
    }

    pub fn uncover(&self, device: DeviceId) {
        let _ = self.covers.send(CoverJob::Uncover(device));
    }

    pub fn remember(&self, remembered: Remembered) {
        let _ = self.memory.send(remembered);
    }

    /// Lets everything that was begun come to its end: pads go, covers are undone, the slots file is saved.
    pub fn finish(self) {
        let Self { jobs, pads, covers, memory, done, threads } = self;
        drop((jobs, pads, covers, memory, done));
        for thread in threads {
            let _ = thread.join();
        }
    }
}

fn open(path: &str) -> Result<OwnedFd, OsFault> {
    let with = |access| rustix::fs::open(path, access | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty());
    // Reading is what matters; writing is for what goes back to the device.
    with(OFlags::RDWR).or_else(|_| with(OFlags::RDONLY)).map_err(|errno| OsFault {
        operation: "open".into(),
        path: path.into(),
        errno: errno.raw_os_error(),
    })
}

fn scan_all(sys: &Path) -> Vec<Found> {
    use std::os::unix::fs::MetadataExt;
    let generation = |facts: &NodeFacts| {
        let name = facts.path.trim_start_matches("/dev/");
        std::fs::metadata(Path::new(&facts.sysfs).join("hidraw").join(name)).map_or(0, |meta| meta.ino())
    };
    scan::hidraw_nodes(sys).into_iter().map(|facts| Found { generation: generation(&facts), facts }).collect()
}

/// Saves the slots file; what the person has written into it meanwhile is kept.
fn save(path: &Path, remembered: &Remembered) -> Result<(), String> {
    let shown = path.display().to_string();
    let before = match std::fs::read_to_string(path) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => String::new(),
        Err(error) => return Err(format!("{shown}: {error}; slots are not saved")),
    };
    let text = mantle_files::slots::render(&shown, &before, remembered)
        .map_err(|fault| format!("{fault}; slots are not saved, and the file is left alone"))?;
    if text == before {
        return Ok(());
    }
    mantle_files::save(path, text.as_bytes()).map_err(|error| format!("{shown}: {error}; slots are not saved"))
}
