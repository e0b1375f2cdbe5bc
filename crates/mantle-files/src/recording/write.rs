//! Writes recordings: the text format of the Linux HID recording tools, with our own additions in comment lines.

use mantle_core::time::Micros;
use std::fmt::Write as _;
use std::io::{self, Write};

/// The head of a recording.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Header {
    /// The device's name.
    pub name: String,
    /// Bus type.
    pub bus: u16,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Report descriptor.
    pub descriptor: Vec<u8>,
    /// Physical path; left out unless asked for, since it can be an address.
    pub phys: Option<String>,
    /// Serial number; left out unless asked for.
    pub serial: Option<String>,
}

/// Writes a recording, line by line, up to a size.
#[derive(Debug)]
pub struct Writer<W: Write> {
    out: W,
    first: Option<Micros>,
    written: u64,
    most: u64,
    line: String,
    checksum: u64,
}

/// A line break would start a new line of the file.
fn plain(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

fn hex(line: &mut String, bytes: &[u8]) {
    for byte in bytes {
        let _ = write!(line, " {byte:02x}");
    }
}

impl<W: Write> Writer<W> {
    /// Begins a recording of limited size.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn new(out: W, header: &Header, most: u64) -> io::Result<Self> {
        let mut this = Self { out, first: None, written: 0, most, line: String::new(), checksum: FNV };
        let mut head = String::from("# mantle: version=1\n# mantle: clock=CLOCK_MONOTONIC\n");
        if let Some(serial) = &header.serial {
            let _ = writeln!(head, "# mantle: serial={}", plain(serial));
        }
        let _ = write!(head, "R: {}", header.descriptor.len());
        hex(&mut head, &header.descriptor);
        let _ = writeln!(head, "\nN: {}", plain(&header.name));
        if let Some(phys) = &header.phys {
            let _ = writeln!(head, "P: {}", plain(phys));
        }
        let _ = writeln!(head, "I: {:x} {:04x} {:04x}", header.bus, header.vendor, header.product);
        this.put(&head)?;
        Ok(this)
    }

    fn put(&mut self, text: &str) -> io::Result<()> {
        self.checksum =
            text.bytes().fold(self.checksum, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3));
        self.written += text.len() as u64;
        self.out.write_all(text.as_bytes())
    }

    /// Bytes so far.
    #[must_use]
    pub fn written(&self) -> u64 {
        self.written
    }

    /// Writes one report, stamped by any clock; times in the file count from its first report. Returns whether there was room.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn report(&mut self, at: Micros, bytes: &[u8]) -> io::Result<bool> {
        let first = *self.first.get_or_insert(at);
        let time = at.since(first).0;
        let mut line = std::mem::take(&mut self.line);
        line.clear();
        let _ = write!(line, "E: {:06}.{:06} {}", time / 1_000_000, time % 1_000_000, bytes.len());
        hex(&mut line, bytes);
        line.push('\n');
        let room = self.written + line.len() as u64 <= self.most;
        let result = if room { self.put(&line) } else { Ok(()) };
        self.line = line;
        result.map(|()| room)
    }

    /// Writes a remark of ours, `key=value`, which other readers skip.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn remark(&mut self, key: &str, value: &str) -> io::Result<()> {
        self.put(&format!("# mantle: {}={}\n", plain(key), plain(value)))
    }

    /// Ends the recording with a checksum of all lines so far, 64-bit FNV-1a, and returns the output.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn finish(mut self) -> io::Result<W> {
        let line = format!("# mantle: checksum={:016x}\n", self.checksum);
        self.out.write_all(line.as_bytes())?;
        self.out.flush()?;
        Ok(self.out)
    }
}

const FNV: u64 = 0xcbf2_9ce4_8422_2325;
