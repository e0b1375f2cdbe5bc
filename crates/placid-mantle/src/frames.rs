//! Pad frames as lines: time, slot, and each event's type, code and value.

use crate::exit::Exit;
use crate::say::say_error;
use mantle_core::keys::Typed;
use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Note;
use mantle_core::time::Micros;
use mantle_engine::Observer;
use std::io::Write;

/// Typed keys as a line: `1.250000 slot 1 keys key:0x01e=1 rel:0x00=-3`.
pub fn write_typed(out: &mut impl Write, now: Micros, slot: SlotNumber, typed: &Typed) -> std::io::Result<()> {
    write!(out, "{}.{:06} {slot} keys", now.0 / 1_000_000, now.0 % 1_000_000)?;
    for (kind, code, value) in typed.events() {
        match kind {
            1 => write!(out, " key:{code:#05x}={value}")?,
            _ => write!(out, " rel:{code:#04x}={value}")?,
        }
    }
    writeln!(out)
}

/// Prints frames.
#[derive(Debug)]
pub struct FramePrinter<W: Write> {
    out: std::io::BufWriter<W>,
    failed: bool,
}

/// A frame as a line: `1.250000 slot 1 key:0x130=1 abs:0x00=-32768`.
pub fn write_frame(out: &mut impl Write, now: Micros, slot: SlotNumber, events: &Events) -> std::io::Result<()> {
    write!(out, "{}.{:06} {slot}", now.0 / 1_000_000, now.0 % 1_000_000)?;
    for (kind, code, value) in events.iter() {
        match kind {
            1 => write!(out, " key:{code:#05x}={value}")?,
            3 => write!(out, " abs:{code:#04x}={value}")?,
            _ => {}
        }
    }
    writeln!(out)
}

impl<W: Write> FramePrinter<W> {
    /// Prints to this writer.
    pub fn new(out: W) -> Self {
        Self { out: std::io::BufWriter::new(out), failed: false }
    }

    /// Flushes the output.
    pub fn finish(mut self) -> Exit {
        match self.out.flush() {
            Ok(()) => Exit::Fine,
            // The reader has closed the pipe.
            Err(_) => Exit::Fine,
        }
    }
}

impl<W: Write> Observer for FramePrinter<W> {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        if !self.failed {
            self.failed = write_frame(&mut self.out, now, slot, events).is_err();
        }
    }

    fn handle_typed(&mut self, now: Micros, slot: SlotNumber, typed: &Typed) {
        if !self.failed {
            self.failed = write_typed(&mut self.out, now, slot, typed).is_err();
        }
    }

    fn handle_note(&mut self, note: Note) {
        if note.mark == mantle_core::path::Mark::Stop {
            let at = note.at;
            say_error!("{}.{:06} {}", at.0 / 1_000_000, at.0 % 1_000_000, note.text);
        }
    }
}
