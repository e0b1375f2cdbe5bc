//! The log of an engine without a screen: its journal, and its sentence whenever that changes.

use crate::exit::Exit;
use crate::frames::{write_frame, write_typed};
use crate::sentences::{LastSentence, SentenceWatch};
use mantle_core::keys::Typed;
use mantle_core::pad::Events;
use mantle_core::path::{Mark, Sentence};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_core::visible::visible;
use mantle_engine::Observer;
use std::io::Write;

/// Writes journal entries, frames, and the sentence whenever it changes.
pub struct Log<W> {
    out: W,
    /// Whether frames are written, too.
    frames: bool,
    watch: SentenceWatch,
    said: LastSentence,
    /// The world ended because of a fault.
    lost: bool,
    failed: bool,
}

impl<W: Write> Log<W> {
    /// A log, with or without frames.
    pub fn new(out: W, frames: bool) -> Self {
        Self { out, frames, watch: SentenceWatch::default(), said: LastSentence::default(), lost: false, failed: false }
    }

    /// The exit code it leads to.
    pub fn exit(&self) -> Exit {
        if self.failed || self.lost { Exit::Failed } else { Exit::Fine }
    }

    /// Takes the current sentences; the first one is written if it is new.
    pub fn say(&mut self, now: Micros, sentences: &[Sentence]) {
        if let Some(first) = self.said.is_new(sentences) {
            self.line(now, &first.text);
        }
    }

    fn line(&mut self, now: Micros, text: &str) {
        let line = format!("{}.{:06} {}\n", now.0 / 1_000_000, now.0 % 1_000_000, visible(text));
        self.failed |= self.out.write_all(line.as_bytes()).and_then(|()| self.out.flush()).is_err();
    }
}

impl<W: Write> Observer for Log<W> {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        if self.frames {
            self.failed |= write_frame(&mut self.out, now, slot, events).is_err();
        }
    }

    fn handle_typed(&mut self, now: Micros, slot: SlotNumber, typed: &Typed) {
        if self.frames {
            self.failed |= write_typed(&mut self.out, now, slot, typed).is_err();
        }
    }

    fn handle_note(&mut self, note: Note) {
        let sign = match note.mark {
            Mark::Stop => "stop: ",
            Mark::Doubt | Mark::Ask => "look: ",
            _ => "",
        };
        self.line(note.at, &format!("{sign}{}", note.text));
    }

    fn handle_warning(&mut self, note: Note) {
        self.lost |= note.mark == Mark::Stop;
        self.handle_note(note);
    }

    fn look(&mut self, now: Micros, table: &Table) {
        if let Some(sentences) = self.watch.look(now, table, None) {
            self.say(now, &sentences);
        }
    }
}
