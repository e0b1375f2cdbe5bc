//! Recording beside other work: giving it a report never waits and makes no system call; a thread that wakes
//! regularly writes them.

use super::{Header, Writer};
use mantle_core::time::Micros;
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::mpsc::{Receiver, SyncSender, TryRecvError, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

/// The most waiting reports: one second at 8000 per second.
const WAITING: usize = 8192;
/// How often the writer wakes.
const LOOK: Duration = Duration::from_millis(25);
/// Bytes of a report that need no allocation.
const SHORT: usize = 128;

#[derive(Debug)]
struct RecorderLine {
    at: Micros,
    len: usize,
    short: [u8; SHORT],
    long: Vec<u8>,
}

/// A running recording; it is complete once this is dropped.
#[derive(Debug)]
pub struct Recorder {
    lines: Option<SyncSender<RecorderLine>>,
    shared: Arc<Shared>,
    thread: Option<JoinHandle<()>>,
}

#[derive(Debug, Default)]
struct Shared {
    count: AtomicU64,
    lost: AtomicU64,
    over: AtomicBool,
    /// The file, once it is there; or why it is missing or incomplete.
    file: Mutex<Option<Result<PathBuf, String>>>,
}

impl Recorder {
    /// Begins a recording of limited size in the file that `make` creates, on its own thread.
    pub fn start(
        make: impl FnOnce() -> io::Result<(PathBuf, File)> + Send + 'static,
        header: Header,
        most: u64,
    ) -> Self {
        let (lines, incoming) = sync_channel(WAITING);
        let shared = Arc::<Shared>::default();
        let own = shared.clone();
        let thread = std::thread::spawn(move || {
            let set = |file| *own.file.lock().unwrap_or_else(PoisonError::into_inner) = Some(file);
            let written = make().and_then(|(path, file)| {
                set(Ok(path));
                write(Writer::new(BufWriter::new(file), &header, most)?, &incoming, &own)
            });
            if let Err(error) = written {
                set(Err(error.to_string()));
            }
            own.over.store(true, Ordering::Relaxed);
        });
        Self { lines: Some(lines), shared, thread: Some(thread) }
    }

    /// Records a report.
    pub fn offer(&self, at: Micros, bytes: &[u8]) {
        let mut line = RecorderLine { at, len: bytes.len(), short: [0; SHORT], long: Vec::new() };
        match line.short.get_mut(..bytes.len()) {
            Some(short) => short.copy_from_slice(bytes),
            None => line.long.extend_from_slice(bytes),
        }
        // Nobody waits at the other end, so this wakes no one; without room, the report is counted as lost.
        if self.lines.as_ref().is_some_and(|lines| lines.try_send(line).is_err()) {
            self.shared.lost.fetch_add(1, Ordering::Relaxed);
        }
    }

    /// No more reports: the rest is written, and then it ends.
    pub fn stop(&mut self) {
        self.lines = None;
    }

    /// Number of reports written.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.shared.count.load(Ordering::Relaxed)
    }

    /// Whether everything is written, the file is full, or nothing can be written.
    #[must_use]
    pub fn is_over(&self) -> bool {
        self.shared.over.load(Ordering::Relaxed)
    }

    /// The file, once it is there; or what went wrong.
    #[must_use]
    pub fn file(&self) -> Option<Result<PathBuf, String>> {
        self.shared.file.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

impl Drop for Recorder {
    fn drop(&mut self) {
        self.stop();
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

fn write(mut writer: Writer<BufWriter<File>>, incoming: &Receiver<RecorderLine>, shared: &Shared) -> io::Result<()> {
    loop {
        match incoming.try_recv() {
            Ok(line) => {
                let bytes = line.short.get(..line.len).unwrap_or(&line.long);
                if !writer.report(line.at, bytes)? {
                    writer.remark("ended", "the file is full")?;
                    break;
                }
                shared.count.fetch_add(1, Ordering::Relaxed);
            }
            Err(TryRecvError::Empty) => std::thread::sleep(LOOK),
            Err(TryRecvError::Disconnected) => break,
        }
    }
    let lost = shared.lost.load(Ordering::Relaxed);
    if lost > 0 {
        writer.remark("lost", &lost.to_string())?;
    }
    writer.finish()?.flush()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_recording_holds_everything_offered_in_order() {
        let directory = tempfile::tempdir().expect("a directory");
        let path = directory.path().join("pad.hid");
        let header = Header { name: "Pad".into(), descriptor: vec![0xc0], ..Header::default() };
        let at = path.clone();
        let make = move || Ok((at.clone(), File::options().write(true).create_new(true).open(&at)?));
        let recorder = Recorder::start(make.clone(), header.clone(), 1 << 20);
        for n in 0..3000u32 {
            let long = if n % 100 == 0 { 300 } else { 4 };
            recorder.offer(Micros(u64::from(n) * 1000), &vec![n as u8; long]);
        }
        drop(recorder);
        let mut again = Recorder::start(make, header, 1 << 20);
        again.stop();
        let text = std::fs::read_to_string(&path).expect("there");
        let lines: Vec<&str> = text.lines().filter(|line| line.starts_with("E: ")).collect();
        assert_eq!(lines.len(), 3000);
        assert!(
            lines[2999].starts_with("E: 000002.999000 4 b7") || lines[2999].contains(" 4 b7 b7 b7 b7"),
            "{}",
            lines[2999]
        );
        assert!(!text.contains("lost"));
        let until = std::time::Instant::now() + Duration::from_secs(30);
        while !again.is_over() && std::time::Instant::now() < until {
            std::thread::yield_now();
        }
        assert!(again.file().is_some_and(|file| file.is_err()), "it is not written over");
    }
}
