//! Records from the screen: which node, and into which file.

use mantle_core::control::PartLayout;
use mantle_core::device::NodeId;
use mantle_core::table::Source;
use mantle_files::recording::{Header, Recorder, Recording};
use mantle_talk::RecordingView;
use std::fs::File;
use std::path::PathBuf;

/// The largest recording made from the screen.
const MOST: u64 = 64 << 20;
/// The largest file opened from the screen, since all of it is held in memory.
const LARGEST: u64 = 256 << 20;
/// How many file names are tried.
const NAMES: u32 = 1000;

/// The current recording, and the last one.
#[derive(Debug, Default)]
pub struct ScreenRecorder {
    running: Option<(NodeId, Recorder)>,
    /// Recordings whose last bytes are still being written.
    ending: Vec<(NodeId, Recorder)>,
    last: Option<RecordingView>,
}

impl ScreenRecorder {
    /// Records a report.
    pub fn offer(&self, at: mantle_core::time::Micros, node: NodeId, bytes: &[u8]) {
        if let Some((_, recorder)) = self.running.as_ref().filter(|(own, _)| *own == node) {
            recorder.offer(at, bytes);
        }
    }

    /// Begins recording a source, or stops.
    ///
    /// # Errors
    /// In words: there is no such source, or it is a keyboard.
    pub fn handle(&mut self, source: Option<&Source>, on: bool) -> Result<(), String> {
        if let Some((node, mut recorder)) = self.running.take() {
            recorder.stop();
            self.ending.push((node, recorder));
        }
        if !on {
            return Ok(());
        }
        let source = source.ok_or("that device is no longer connected")?;
        let node = source.facts.id;
        if source.layout().is_some_and(|layout| layout.parts.iter().any(PartLayout::is_keyboard)) {
            let why = "a keyboard can only be recorded with `placid-mantle record --keyboard`, because the file contains what is typed";
            self.last = Some(RecordingView { node, file: String::new(), count: 0, ended: Some(why.into()) });
            return Err(why.into());
        }
        let identity = &source.facts.identity;
        let header = Header {
            name: identity.name.clone(),
            bus: identity.bus.0,
            vendor: identity.vendor,
            product: identity.product,
            descriptor: source.facts.descriptor.clone(),
            phys: None,
            serial: None,
        };
        let name = identity.name.clone();
        self.running = Some((node, Recorder::start(move || new_file(&name), header, MOST)));
        Ok(())
    }

    /// What the screen shows about it.
    pub fn view(&mut self) -> Option<RecordingView> {
        let over = |(_, recorder): &(NodeId, Recorder)| recorder.is_over();
        self.ending.extend(self.running.take_if(|running| over(running)));
        for at in (0..self.ending.len()).rev().filter(|at| self.ending[*at].1.is_over()).collect::<Vec<_>>() {
            let (node, recorder) = self.ending.remove(at);
            let (file, ended) = match recorder.file() {
                Some(Ok(path)) => (path.display().to_string(), "ended".to_owned()),
                Some(Err(why)) => (String::new(), why),
                None => (String::new(), "nothing was written".to_owned()),
            };
            self.last = Some(RecordingView { node, file, count: recorder.count(), ended: Some(ended) });
        }
        match self.running.as_ref().or(self.ending.last()) {
            Some((node, recorder)) => {
                let file = recorder.file().and_then(Result::ok).map(|path| path.display().to_string());
                let (file, count) = (file.unwrap_or_default(), recorder.count());
                Some(RecordingView { node: *node, file, count, ended: None })
            }
            None => self.last.clone(),
        }
    }
}

/// Where recordings from the screen are kept.
pub fn directory() -> Option<PathBuf> {
    Some(mantle_files::state_directory()?.join("recordings"))
}

/// Reads a recording by its path, or one recorded here by its name.
///
/// # Errors
/// In words: what was looked for, and what there is.
pub fn open(typed: &str) -> Result<Recording, String> {
    let kept = directory();
    let mut places = vec![mantle_files::typed_path(typed)];
    if !typed.contains('/') {
        let names = [typed.to_owned(), format!("{typed}.hid")];
        places.extend(kept.iter().flat_map(|kept| names.iter().map(|name| kept.join(name))));
    }
    let Some(path) = places.iter().find(|path| path.is_file()) else {
        let known = kept.and_then(|kept| std::fs::read_dir(kept).ok()).into_iter().flatten().flatten();
        let mut known: Vec<_> = known.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
        known.sort();
        let known = match known.as_slice() {
            [] => "none has been recorded here".to_owned(),
            names => format!("recorded here: {}", names.iter().take(5).cloned().collect::<Vec<_>>().join(", ")),
        };
        return Err(format!("there is no recording {typed}; {known}"));
    };
    let size = std::fs::metadata(path).map_err(|error| format!("{}: {error}", path.display()))?.len();
    if size > LARGEST {
        return Err(format!("{}: {} MiB; at most {} MiB can be opened", path.display(), size >> 20, LARGEST >> 20));
    }
    crate::recording_file::load(path)
}

/// Creates a file named after the device.
fn new_file(name: &str) -> std::io::Result<(PathBuf, File)> {
    let home = std::io::Error::other("there is no home directory for recordings");
    let directory = directory().ok_or(home)?;
    std::fs::create_dir_all(&directory)?;
    let name = mantle_core::file_stem(name, "device");
    let mut number = 1;
    loop {
        let path = directory.join(format!("{name}-{number}.hid"));
        match File::options().write(true).create_new(true).open(&path) {
            Ok(file) => return Ok((path, file)),
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists && number < NAMES => number += 1,
            Err(error) => return Err(error),
        }
    }
}
