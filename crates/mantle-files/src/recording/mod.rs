//! Recordings: raw reports with their times, that play back as a device. Documented in docs/recordings.md.
//!
//! It reads the line-based text format of the Linux HID recording tools, which is also written, and two formats of evdev
//! events. Anything unreadable is a problem with its line, and never stops the rest.

mod evemu;
mod hid_text;
mod libinput;
mod recorder;
mod write;
mod yaml;

pub use mantle_core::evdev::{EvdevAxis, EvdevCaps, EvdevEvent};
pub use recorder::Recorder;
pub use write::{Header, Writer};

use mantle_core::time::Micros;

/// The largest file.
pub const FILE_BYTES: usize = 256 << 20;
/// The longest line: the longest descriptor or report, at three characters per byte, fits twice.
pub const LINE_BYTES: usize = 128 << 10;
/// The most devices in one file.
pub const DEVICES: usize = 64;
/// The most problems kept.
pub const PROBLEMS: usize = 1000;

/// A recording.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Recording {
    /// Its devices.
    pub devices: Vec<RecordedDevice>,
    /// What they sent, in the order of the file.
    pub events: Vec<RecordedEvent>,
    /// What could not be read.
    pub problems: Vec<Problem>,
    /// What was read, but is odd.
    pub warnings: Vec<Problem>,
}

/// A device as a recording describes it.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct RecordedDevice {
    /// Its name.
    pub name: String,
    /// Its physical path, if the file has one.
    pub phys: String,
    /// Bus type.
    pub bus: u16,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Version; 0 where the format has none.
    pub version: u16,
    /// Report descriptor; empty where the format has none.
    pub descriptor: Vec<u8>,
    /// What its input node offers, if the file says so.
    pub evdev: Option<EvdevCaps>,
    /// The line at which it begins.
    pub line: usize,
}

/// Something a device sent.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct RecordedEvent {
    /// Index of the device.
    pub device: usize,
    /// When, counted from the file's first event.
    pub time: Micros,
    /// What.
    pub content: Content,
    /// Its line.
    pub line: usize,
}

/// What a device sent.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Content {
    /// A report, as hidraw delivers it.
    Report(Vec<u8>),
    /// A frame of events of an input node, without the sync event.
    Evdev(Vec<EvdevEvent>),
}

/// A place in a recording, and what is wrong there.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Problem {
    /// The line, from 1.
    pub line: usize,
    /// The byte of the file at which the line begins.
    pub offset: usize,
    /// What is wrong.
    pub message: String,
}

/// The supported formats.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Format {
    /// The text format of the Linux HID recording tools.
    HidText,
    /// evemu.
    Evemu,
    /// libinput record.
    Libinput,
}

/// The format of a recording, by its first lines; none for anything else.
#[must_use]
pub fn format_of(bytes: &[u8]) -> Option<Format> {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(64 << 10)]);
    let mut lines = head.lines().map(str::trim).filter(|line| !line.is_empty());
    let first = lines.clone().next()?;
    if first.starts_with("# EVEMU") {
        return Some(Format::Evemu);
    }
    if first.starts_with("# libinput record") || lines.clone().any(|line| line.starts_with("ndevices:")) {
        return Some(Format::Libinput);
    }
    let tagged: Vec<u8> = lines
        .by_ref()
        .filter_map(|line| match line.as_bytes() {
            [tag, b':', ..] => Some(*tag),
            _ => None,
        })
        .collect();
    if tagged.iter().any(|tag| matches!(tag, b'R' | b'D')) {
        return Some(Format::HidText);
    }
    match tagged.iter().find(|tag| b"NIPBALSE".contains(tag)) {
        // Only the evdev format has capabilities, but a file that begins like this is a recording even without them.
        Some(_) if tagged.iter().any(|tag| matches!(tag, b'B' | b'A')) => Some(Format::Evemu),
        Some(_) => Some(Format::HidText),
        None => None,
    }
}

/// Reads a recording of any supported format.
///
/// # Errors
/// In words, if it is too large or of none of these formats.
pub fn read(bytes: &[u8]) -> Result<Recording, String> {
    if bytes.len() > FILE_BYTES {
        return Err(format!("the file has {} bytes; at most {FILE_BYTES} are read", bytes.len()));
    }
    match format_of(bytes) {
        Some(Format::HidText) => Ok(hid_text::read(bytes)),
        Some(Format::Evemu) => Ok(evemu::read(bytes)),
        Some(Format::Libinput) => Ok(libinput::read(bytes)),
        None => {
            Err("this is not a recording: no line starts with R:, N:, I: or E:, and it is not from libinput".into())
        }
    }
}

impl Recording {
    fn problem(&mut self, line: &Line<'_>, message: impl Into<String>) {
        keep(&mut self.problems, line, message.into());
    }

    fn warn(&mut self, line: &Line<'_>, message: impl Into<String>) {
        keep(&mut self.warnings, line, message.into());
    }

    /// Events in the order of their times; simultaneous ones in the order of the file.
    #[must_use]
    pub fn in_time(&self) -> Vec<&RecordedEvent> {
        let mut events: Vec<&RecordedEvent> = self.events.iter().collect();
        events.sort_by_key(|event| event.time);
        events
    }
}

fn keep(list: &mut Vec<Problem>, line: &Line<'_>, message: String) {
    if list.len() < PROBLEMS {
        list.push(Problem { line: line.number, offset: line.offset, message });
    }
}

/// A line with its position; its end, LF or CR LF, is cut off.
#[derive(Clone, Copy, Debug)]
struct Line<'a> {
    number: usize,
    offset: usize,
    bytes: &'a [u8],
}

impl<'a> Line<'a> {
    /// Its text.
    fn text(&self) -> Result<&'a str, String> {
        if self.bytes.len() > LINE_BYTES {
            return Err(format!("a line of {} bytes; at most {LINE_BYTES} are read", self.bytes.len()));
        }
        std::str::from_utf8(self.bytes)
            .map_err(|error| format!("not UTF-8 at byte {} of the line", error.valid_up_to()))
    }
}

fn lines(bytes: &[u8]) -> impl Iterator<Item = Line<'_>> {
    let mut offset = 0;
    bytes.split(|byte| *byte == b'\n').enumerate().map(move |(index, line)| {
        let at = offset;
        offset += line.len() + 1;
        Line { number: index + 1, offset: at, bytes: line.strip_suffix(b"\r").unwrap_or(line) }
    })
}

/// A tagged line: its letter, and the text after the colon.
fn tagged(text: &str) -> Option<(char, &str)> {
    let mut chars = text.chars();
    let tag = chars.next().filter(char::is_ascii_uppercase)?;
    Some((tag, chars.as_str().strip_prefix(':')?.trim()))
}

/// A time as two integers with a point between them: seconds, and microseconds with six digits.
fn time(text: &str) -> Result<Micros, String> {
    let wrong = || format!("{text:?} is not a time; a time is SECONDS.MICROSECONDS, with six digits after the point");
    let (seconds, micros) = text.split_once('.').ok_or_else(wrong)?;
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    if !digits(seconds) || !digits(micros) || micros.len() != 6 {
        return Err(wrong());
    }
    let seconds: u64 = seconds.parse().map_err(|_| wrong())?;
    let micros: u64 = micros.parse().map_err(|_| wrong())?;
    // Later than any clock: 2^31 seconds are 68 years.
    if seconds > 1 << 33 {
        return Err(format!("{seconds} seconds are longer than any recording"));
    }
    Ok(Micros(seconds * 1_000_000 + micros))
}

/// A count and that many bytes in hex, separated by blanks.
fn counted_bytes(text: &str, most: usize) -> Result<Vec<u8>, String> {
    let mut words = text.split_ascii_whitespace();
    let count = words.next().unwrap_or_default();
    let count: usize = count.parse().map_err(|_| format!("{count:?} is not a number of bytes"))?;
    if count > most {
        return Err(format!("{count} bytes; there are at most {most}"));
    }
    let bytes = words.map(byte).collect::<Result<Vec<u8>, String>>()?;
    if bytes.len() == count { Ok(bytes) } else { Err(format!("it says {count} bytes, but {} follow", bytes.len())) }
}

fn byte(word: &str) -> Result<u8, String> {
    match (word.len(), u8::from_str_radix(word, 16)) {
        (1..=2, Ok(byte)) if !word.starts_with('+') => Ok(byte),
        _ => Err(format!("{word:?} is not a byte in hex")),
    }
}

fn number16(word: &str) -> Result<u16, String> {
    u16::from_str_radix(word, 16).map_err(|_| format!("{word:?} is not a number in hex of up to four digits"))
}

#[cfg(test)]
mod tests;
