//! Files are bounded before they are read, and anything but a regular file is refused: a pipe would block its reader.

use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

/// The largest profile, scene or card.
pub const PROFILE_BYTES: u64 = 1 << 20;
/// The largest sheet or device file.
pub const SHEET_BYTES: u64 = 4 << 20;
/// The largest slots file.
pub const SLOTS_BYTES: u64 = 1 << 20;
/// The largest settings file.
pub const SETTINGS_BYTES: u64 = 1 << 18;

/// Reads a file of at most this many bytes.
///
/// # Errors
/// Whatever the system says; it is not a regular file, or too large.
pub fn read_bytes(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    // Opening a pipe without a writer would block.
    let nonblock = rustix::fs::OFlags::NONBLOCK.bits() as i32;
    let file = File::options().read(true).custom_flags(nonblock).open(path)?;
    let kind = file.metadata()?;
    if kind.is_dir() {
        return Err(io::Error::other("it is a directory, not a file"));
    }
    if !kind.is_file() {
        return Err(io::Error::other("it is a pipe or a device, not a file"));
    }
    let too_large = || io::Error::other(format!("it is larger than {most} bytes, the most that is read"));
    if kind.len() > most {
        return Err(too_large());
    }
    let mut bytes = Vec::with_capacity(kind.len() as usize);
    // It may grow meanwhile.
    file.take(most + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most { Err(too_large()) } else { Ok(bytes) }
}

/// Reads a text file of at most this many bytes.
///
/// # Errors
/// As [`read_bytes`], and if it is not UTF-8.
pub fn read_text(path: &Path, most: u64) -> io::Result<String> {
    String::from_utf8(read_bytes(path, most)?).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        io::Error::other(format!("it is not text: byte {at} is not UTF-8"))
    })
}

/// Reads a text file of at most this many bytes, if it exists.
///
/// # Errors
/// As [`read_text`], except that a missing file is not an error.
pub fn read_if_there(path: &Path, most: u64) -> io::Result<Option<String>> {
    match read_text(path, most) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        read => read.map(Some),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn oversized_and_special_files_are_refused_at_once() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("a");
        std::fs::write(&path, "12345678").expect("written");
        assert_eq!(read_text(&path, 8).expect("it fits"), "12345678");
        let why = |path: &Path, most| read_text(path, most).expect_err("refused").to_string();
        assert!(why(&path, 7).contains("larger than 7 bytes"));
        assert!(why(directory.path(), 7).contains("directory"));
        assert!(why(Path::new("/dev/zero"), 7).contains("a pipe or a device"));
        let pipe = directory.path().join("pipe");
        rustix::fs::mknodat(
            rustix::fs::CWD,
            &pipe,
            rustix::fs::FileType::Fifo,
            rustix::fs::Mode::from_raw_mode(0o600),
            0,
        )
        .expect("a pipe");
        assert!(why(&pipe, 7).contains("a pipe or a device"));
        std::fs::write(&path, [b'a', 0xff]).expect("written");
        assert!(why(&path, 7).contains("byte 1 is not UTF-8"));
    }
}
