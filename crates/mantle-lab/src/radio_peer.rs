//! A game pad by radio for a virtual machine: the pad and the air on the host, the machine's own controller in the guest.

use crate::wait_for;
use rustix::event::{PollFd, PollFlags, poll};
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Write};
use std::os::fd::AsFd;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// The port that carries the controller's packets, and the one through which the pad is told what to do.
const AIR: &str = "vm.bt";
const CONTROL: &str = "vm.peer";

/// The pad and the air; both end with this.
#[derive(Debug)]
pub struct RadioPeer {
    child: Child,
    directory: tempfile::TempDir,
}

impl RadioPeer {
    /// Starts them; `site` is where the software stack is installed.
    ///
    /// # Errors
    /// What it said instead of being there.
    pub fn start(site: &Path) -> Result<Self, String> {
        let directory = tempfile::tempdir().map_err(|error| error.to_string())?;
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("radio/peer.py");
        // The system's own, since the packages are for it.
        let mut child = Command::new("/usr/bin/python3")
            .arg(script)
            .args([directory.path().join("air"), directory.path().join("control")])
            .env("PYTHONPATH", site)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|error| format!("/usr/bin/python3: {error}"))?;
        let mut line = String::new();
        let mut out = BufReader::new(child.stdout.take().ok_or("no output")?);
        let _ = out.read_line(&mut line);
        if !line.contains("there") {
            let mut why = String::new();
            if let Some(mut errors) = child.stderr.take() {
                let _ = errors.read_to_string(&mut why);
            }
            let _ = child.kill();
            return Err(format!("the pad by radio: {why}"));
        }
        // What it says comes through the other port; its pipes must not fill up.
        std::thread::spawn(move || out.lines().for_each(drop));
        if let Some(errors) = child.stderr.take() {
            std::thread::spawn(move || BufReader::new(errors).lines().for_each(drop));
        }
        Ok(Self { child, directory })
    }

    /// The ports of a machine that it is connected to: name and socket of each.
    #[must_use]
    pub fn ports(&self) -> Vec<(&'static str, PathBuf)> {
        vec![(AIR, self.directory.path().join("air")), (CONTROL, self.directory.path().join("control"))]
    }
}

impl Drop for RadioPeer {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// In the guest: the path of the port with a name.
fn port(name: &str) -> Result<PathBuf, String> {
    wait_for(&format!("the port {name}"), || {
        let all = std::fs::read_dir("/sys/class/virtio-ports").ok()?.flatten();
        let own = |entry: &std::fs::DirEntry| {
            std::fs::read_to_string(entry.path().join("name")).is_ok_and(|own| own.trim() == name)
        };
        all.into_iter().find(own).map(|entry| Path::new("/dev").join(entry.file_name()))
    })
}

fn open(path: &Path) -> Result<File, String> {
    File::options().read(true).write(true).open(path).map_err(|error| format!("{}: {error}", path.display()))
}

/// In the guest: makes a controller of the machine's own, whose air is at the other end of the port. It lasts as long as the process.
///
/// # Errors
/// When the kernel makes none.
pub fn join_air() -> Result<(), String> {
    let (mut stream, mut controller) = (open(&port(AIR)?)?, open(Path::new("/dev/vhci"))?);
    // A primary controller; the answer is ff, the same, and its number.
    controller.write_all(&[0xff, 0]).map_err(|error| format!("/dev/vhci: {error}"))?;
    std::thread::spawn(move || {
        let (mut bytes, mut packet) = (Vec::new(), [0; 4096]);
        loop {
            let mut ends = [PollFd::new(&stream, PollFlags::IN), PollFd::new(&controller, PollFlags::IN)];
            if poll(&mut ends, None).is_err() {
                return;
            }
            let [from_air, from_machine] = [0, 1].map(|end: usize| ends[end].revents().contains(PollFlags::IN));
            if from_machine {
                // One packet a read.
                match controller.read(&mut packet) {
                    Ok(length) if length > 0 && packet[0] != 0xff => drop(stream.write_all(&packet[..length])),
                    Ok(_) => {}
                    Err(_) => return,
                }
            }
            if from_air {
                match stream.read(&mut packet) {
                    Ok(length) => bytes.extend(&packet[..length]),
                    Err(_) => return,
                }
                while let Some(length) = packet_length(&bytes) {
                    let _ = controller.write(&bytes[..length]);
                    bytes.drain(..length);
                }
            }
        }
    });
    Ok(())
}

/// The length of the first packet, if it is complete.
fn packet_length(bytes: &[u8]) -> Option<usize> {
    let kind = *bytes.first()?;
    let at = |index: usize| bytes.get(index).copied().map(usize::from);
    let length = match kind {
        1 => 4 + at(3)?,
        4 => 3 + at(2)?,
        3 => 4 + at(3)?,
        _ => 5 + at(3)? + (at(4)? << 8) % (1 << 14),
    };
    (bytes.len() >= length).then_some(length)
}

/// In the guest: what the pad is told, and what it says.
#[derive(Debug)]
pub struct PeerLine {
    out: File,
    told: Receiver<String>,
    /// Everything that it has told.
    pub said: Vec<String>,
}

impl PeerLine {
    /// Takes the line.
    ///
    /// # Errors
    /// When there is none.
    pub fn open() -> Result<Self, String> {
        let out = open(&port(CONTROL)?)?;
        let input = out.try_clone().map_err(|error| error.to_string())?;
        let (tell, told) = channel();
        std::thread::spawn(move || {
            let mut input = BufReader::new(input);
            loop {
                let mut line = String::new();
                match input.read_line(&mut line) {
                    // Nobody is at the other end yet, or any more.
                    Ok(0) => {
                        let _ = poll(&mut [PollFd::new(input.get_ref(), PollFlags::IN)], None);
                    }
                    Ok(_) if tell.send(line.trim().to_owned()).is_err() => return,
                    Ok(_) => {}
                    Err(_) => return,
                }
            }
        });
        let _ = out.as_fd();
        Ok(Self { out, told, said: Vec::new() })
    }

    /// Tells it to do something, and waits until that is done.
    ///
    /// # Errors
    /// What it told instead.
    pub fn tell(&mut self, what: &str) -> Result<(), String> {
        self.out.write_all(format!("{what}\n").as_bytes()).map_err(|error| error.to_string())?;
        self.wait(&format!("{what} to be done"), |line| {
            (line.contains("\"done\"") && line.contains(&format!("\"{what}\""))).then_some(())
        })
    }

    /// Waits for something that it tells from now on.
    ///
    /// # Errors
    /// What it told instead.
    pub fn wait<T>(&mut self, what: &str, mut so: impl FnMut(&str) -> Option<T>) -> Result<T, String> {
        let (until, from) = (Instant::now() + Duration::from_secs(90), self.said.len());
        while let Ok(line) = self.told.recv_timeout(until.saturating_duration_since(Instant::now())) {
            let found = so(&line);
            self.said.push(line);
            if let Some(found) = found {
                return Ok(found);
            }
        }
        Err(format!("waited 90 s for {what} of the pad by radio; it told: {:?}", &self.said[from..]))
    }
}
