//! Frames: four bytes with the length, least significant first, followed by that many bytes of JSON.

use crate::message::ToScreen;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::io::{self, Read, Write};
use std::os::unix::net::UnixStream;
use std::time::{Duration, Instant};

/// A frame has at most so many bytes.
pub const FRAME_BYTES: usize = 1 << 20;
/// A frame that has begun has to be complete within this time.
pub const FRAME_TIME: Duration = Duration::from_secs(2);
/// How often a reader waiting for a frame checks whether it is still wanted.
const LOOKS_UP: Duration = Duration::from_millis(250);

/// Why no message came.
#[derive(Debug)]
pub(crate) enum Broken {
    /// The other end has closed it, or it failed.
    Gone,
    /// What came is no message of ours, in words for the other end.
    Wrong(String),
}

/// Reads messages.
pub(crate) struct Reader {
    stream: UnixStream,
    buffer: Vec<u8>,
}

impl Reader {
    pub(crate) fn new(stream: UnixStream) -> io::Result<Self> {
        stream.set_read_timeout(Some(LOOKS_UP))?;
        Ok(Self { stream, buffer: Vec::new() })
    }

    /// The next message. It waits for as long as it is `wanted`; none if it no longer is.
    pub(crate) fn next<T: DeserializeOwned>(&mut self, mut wanted: impl FnMut() -> bool) -> Result<Option<T>, Broken> {
        let mut begun: Option<Instant> = (!self.buffer.is_empty()).then(Instant::now);
        loop {
            if let Some(length) = self.buffer.first_chunk::<4>().map(|bytes| u32::from_le_bytes(*bytes) as usize) {
                if length > FRAME_BYTES {
                    return Err(Broken::Wrong(format!(
                        "a frame of {length} bytes; at most {FRAME_BYTES} are accepted"
                    )));
                }
                if self.buffer.len() >= 4 + length {
                    let message = serde_json::from_slice(&self.buffer[4..4 + length]);
                    self.buffer.drain(..4 + length);
                    return message.map(Some).map_err(|error| Broken::Wrong(format!("not a valid message: {error}")));
                }
            }
            if begun.is_some_and(|begun| begun.elapsed() >= FRAME_TIME) {
                return Err(Broken::Wrong("a frame that was not complete within 2 s".into()));
            }
            let mut bytes = [0; 16 * 1024];
            match self.stream.read(&mut bytes) {
                Ok(0) => return Err(Broken::Gone),
                Ok(count) => {
                    begun.get_or_insert_with(Instant::now);
                    self.buffer.extend_from_slice(&bytes[..count]);
                }
                Err(error) => match error.kind() {
                    io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut if begun.is_some() || wanted() => {}
                    io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut => return Ok(None),
                    io::ErrorKind::Interrupted => {}
                    _ => return Err(Broken::Gone),
                },
            }
        }
    }
}

/// A message as its frame.
fn framed(message: &impl Serialize) -> io::Result<Vec<u8>> {
    let mut bytes = vec![0; 4];
    serde_json::to_writer(&mut bytes, message)?;
    let length = bytes.len() - 4;
    bytes[..4].copy_from_slice(&(length as u32).to_le_bytes());
    Ok(bytes)
}

/// Writes one message, however long the other end takes.
pub(crate) fn write(stream: &mut UnixStream, message: &impl Serialize) -> io::Result<()> {
    stream.write_all(&framed(message)?)
}

/// What the other end would get: written out and read back. None if that is impossible, or it is larger than one snapshot may be.
#[must_use]
pub fn through(message: &ToScreen) -> Option<ToScreen> {
    let bytes = framed(message).ok()?;
    let fits = bytes.len() <= mantle_talk::SNAPSHOT_BYTES + 64;
    fits.then(|| serde_json::from_slice(&bytes[4..]).ok()).flatten()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn messages_are_reassembled_from_any_pieces() {
        let (mut one, other) = UnixStream::pair().expect("a pair");
        let mut reader = Reader::new(other).expect("a reader");
        let said: Vec<String> = (0..20).map(|n| "x".repeat(n * 3000)).collect();
        let bytes = {
            let (mut end, mut from) = UnixStream::pair().expect("a pair");
            let all = said.clone();
            let writer =
                std::thread::spawn(move || all.iter().for_each(|text| write(&mut end, text).expect("written")));
            let mut bytes = Vec::new();
            from.read_to_end(&mut bytes).expect("read");
            writer.join().expect("it ends");
            bytes
        };
        let writer = std::thread::spawn(move || {
            bytes.chunks(997).for_each(|chunk| one.write_all(chunk).expect("written"));
        });
        for text in said {
            assert_eq!(reader.next::<String>(|| true).expect("a message"), Some(text));
        }
        writer.join().expect("it ends");
        assert!(matches!(reader.next::<String>(|| true), Err(Broken::Gone)));
    }

    #[test]
    fn oversized_and_malformed_messages_are_refused_before_buffering() {
        for (bytes, why) in [
            (u32::MAX.to_le_bytes().to_vec(), "at most 1048576"),
            ([&5u32.to_le_bytes()[..], b"{{{{{"].concat(), "not a valid message"),
            (vec![9, 0, 0, 0, b'"'], "not complete within 2 s"),
        ] {
            let (mut one, other) = UnixStream::pair().expect("a pair");
            one.write_all(&bytes).expect("written");
            match Reader::new(other).expect("a reader").next::<String>(|| true) {
                Err(Broken::Wrong(words)) => assert!(words.contains(why), "{words}"),
                other => panic!("{other:?}"),
            }
        }
    }
}
