//! The system's journal: entries of an engine started at login, with one field per fact so that they can be searched.

use crate::exit::Exit;
use crate::log::Log;
use crate::sentences::LastSentence;
use crossbeam_channel::{Receiver, Sender, bounded};
use mantle_core::path::{Mark, Sentence};
use mantle_core::table::Note;
use mantle_core::time::Micros;
use mantle_core::visible::visible;
use mantle_engine::Observer;
use std::io::Stdout;
use std::os::unix::fs::MetadataExt;
use std::thread::JoinHandle;
use tracing_subscriber::layer::SubscriberExt;

/// Entries that can wait for a slow journal; further ones are dropped and counted.
const WAITING: usize = 1000;
/// The prefix of our fields in the journal.
const PREFIX: &str = "MANTLE";

/// Where an engine without a screen writes.
pub enum Journal {
    /// The system's journal.
    System(SystemJournal),
    /// Standard output, one line per entry.
    Lines(Log<Stdout>),
}

impl Journal {
    /// Chooses the system's journal if our output goes there, else lines.
    pub fn begin() -> Self {
        let system = goes_to_journal().then(SystemJournal::begin).flatten();
        system.map_or_else(|| Self::Lines(Log::new(std::io::stdout(), false)), Self::System)
    }

    /// Takes the current sentences.
    pub fn say(&mut self, now: Micros, sentences: &[Sentence]) {
        match self {
            Self::System(system) => system.say(now, sentences),
            Self::Lines(log) => log.say(now, sentences),
        }
    }

    /// The exit code it leads to.
    pub fn exit(&self) -> Exit {
        match self {
            Self::System(system) if system.lost => Exit::Failed,
            Self::System(_) => Exit::Fine,
            Self::Lines(log) => log.exit(),
        }
    }
}

impl Observer for Journal {
    fn handle_note(&mut self, note: Note) {
        match self {
            Self::System(system) => system.give(Entry::of_note(note)),
            Self::Lines(log) => log.handle_note(note),
        }
    }

    fn handle_warning(&mut self, note: Note) {
        match self {
            Self::System(system) => {
                system.lost |= note.mark == Mark::Stop;
                system.give(Entry::of_note(note));
            }
            Self::Lines(log) => log.handle_warning(note),
        }
    }
}

/// Whether standard output is a stream of the journal (`JOURNAL_STREAM` in systemd.exec(5): its device and inode).
fn goes_to_journal() -> bool {
    let Ok(stream) = std::env::var("JOURNAL_STREAM") else { return false };
    let own = std::fs::metadata("/proc/self/fd/1").map(|own| format!("{}:{}", own.dev(), own.ino()));
    own.is_ok_and(|own| own == stream)
}

/// An entry.
#[derive(Debug)]
struct Entry {
    at: Micros,
    mark: Mark,
    slot: Option<u8>,
    stage: Option<&'static str>,
    text: String,
}

impl Entry {
    fn of_note(note: Note) -> Self {
        Self { at: note.at, mark: note.mark, slot: None, stage: None, text: note.text }
    }

    fn of_sentence(at: Micros, sentence: &Sentence) -> Self {
        let slot = sentence.slot.map(|slot| slot.number());
        let stage = sentence.stage.map(|stage| stage.name());
        Self { at, mark: sentence.mark, slot, stage, text: sentence.text.clone() }
    }

    fn write(&self) {
        let (at, mark) = (self.at.0 as f64 / 1e6, format!("{:?}", self.mark).to_lowercase());
        let (slot, stage, text) = (self.slot, self.stage, visible(&self.text));
        match self.mark {
            Mark::Stop => tracing::error!(at, mark, slot, stage, "{text}"),
            Mark::Doubt | Mark::Ask => tracing::warn!(at, mark, slot, stage, "{text}"),
            Mark::Kept | Mark::Hint | Mark::Well => tracing::info!(at, mark, slot, stage, "{text}"),
        }
    }
}

/// The journal, written by its own thread so that the engine never waits for it.
pub struct SystemJournal {
    give: Option<Sender<Entry>>,
    thread: Option<JoinHandle<()>>,
    said: LastSentence,
    /// Number of dropped entries.
    unsaid: u64,
    /// The world ended because of a fault.
    lost: bool,
}

impl SystemJournal {
    fn begin() -> Option<Self> {
        let layer = tracing_journald::layer().ok()?.with_field_prefix(Some(PREFIX.into()));
        let subscriber = tracing_subscriber::registry().with(layer);
        let (give, entries): (Sender<Entry>, Receiver<Entry>) = bounded(WAITING);
        let thread = std::thread::spawn(move || {
            tracing::subscriber::with_default(subscriber, || entries.iter().for_each(|entry| entry.write()));
        });
        Some(Self { give: Some(give), thread: Some(thread), said: LastSentence::default(), unsaid: 0, lost: false })
    }

    fn give(&mut self, entry: Entry) {
        let Some(give) = &self.give else { return };
        if self.unsaid > 0 {
            let text = format!("{} journal entries were lost: the journal did not accept them", self.unsaid);
            let missing = Entry { at: entry.at, mark: Mark::Doubt, slot: None, stage: None, text };
            if give.try_send(missing).is_ok() {
                self.unsaid = 0;
            }
        }
        self.unsaid += u64::from(give.try_send(entry).is_err());
    }

    fn say(&mut self, now: Micros, sentences: &[Sentence]) {
        if let Some(first) = self.said.is_new(sentences) {
            self.give(Entry::of_sentence(now, first));
        }
    }
}

impl Drop for SystemJournal {
    fn drop(&mut self) {
        self.give = None;
        // Flushes everything.
        let _ = self.thread.take().map(JoinHandle::join);
    }
}
