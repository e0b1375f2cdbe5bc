//! What a recording sends, and when: its devices, its reports, and how it is played.

use mantle_core::device::{Bus, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_core::evdev::{EvdevEvent, InputState, NodeCapabilities, Took, event};
use mantle_core::time::Micros;
use mantle_files::recording::{Content, Recording};
use mantle_talk::Play;

/// The pause between the end of a repeated recording and its beginning.
const BETWEEN: Micros = Micros::seconds(1);

/// A recording and the position reached in it.
#[derive(Debug)]
pub(crate) struct PlayedRecording {
    script: Vec<(Micros, NodeId, Vec<u8>)>,
    next: usize,
    /// 1 for its own times, 2 for twice as fast.
    speed: f64,
    looped: bool,
    /// The pause before it is repeated.
    between: Micros,
    paused: bool,
    /// One report is to be sent now, although playing is paused.
    step: bool,
    /// The moment at which the recording was at `from`.
    base: Micros,
    from: Micros,
}

/// What its devices are known as.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Naming<'a> {
    /// The number of its first node.
    pub node: u16,
    /// The beginning of its nodes' paths, before the node's number: for raw reports, for input nodes.
    pub paths: (&'a str, &'a str),
    /// The beginning of its ports, before the device's number.
    pub port: &'a str,
    /// The driver that is said to serve them.
    pub driver: &'a Driver,
}

impl PlayedRecording {
    /// Sets a recording up, to begin at a moment; what devices are in it.
    ///
    /// # Errors
    /// In words, if nothing in it can be played.
    pub(crate) fn new(
        recording: &Recording,
        naming: Naming<'_>,
        (speed, looped, paused): (f64, bool, bool),
        now: Micros,
    ) -> Result<(Self, Vec<NodeFacts>), String> {
        let mut script = Vec::new();
        let mut all: Vec<NodeFacts> = Vec::new();
        let mut nodes = Vec::new();
        for (index, device) in recording.devices.iter().enumerate() {
            let id = NodeId(naming.node + all.len() as u16);
            // Raw reports say more than the events that the kernel made of them.
            let face = match &device.evdev {
                Some(caps) if device.descriptor.is_empty() => NodeCapabilities::new(caps, device.vendor),
                _ => None,
            };
            let descriptor = face.as_ref().map_or(device.descriptor.as_slice(), NodeCapabilities::descriptor).to_vec();
            if descriptor.is_empty() {
                nodes.push(None);
                continue;
            }
            let (path, kind) = match face {
                Some(_) => (naming.paths.1, NodeKind::Input),
                None => (naming.paths.0, NodeKind::Reports),
            };
            nodes.push(Some((id, face.map(InputState::new))));
            let port = format!("{}{}", naming.port, index + 1);
            let identity = Identity {
                bus: Bus(device.bus),
                vendor: device.vendor,
                product: device.product,
                version: device.version,
                name: device.name.clone(),
                system_name: None,
                uniq: String::new(),
                phys: if device.phys.is_empty() { port.clone() } else { device.phys.clone() },
                port: Some(port),
                interface: None,
                descriptor_hash: Identity::hash_descriptor(&descriptor),
            };
            all.push(NodeFacts {
                id,
                path: format!("{path}{}", id.0),
                identity,
                kind,
                driver: naming.driver.clone(),
                descriptor,
                inputs: Vec::new(),
                driven: Default::default(),
                connection: Default::default(),
                sysfs: String::new(),
            });
        }
        for event in recording.in_time() {
            let Some(Some((node, state))) = nodes.get_mut(event.device) else { continue };
            match (&event.content, state) {
                (Content::Report(bytes), None) => script.push((event.time, *node, bytes.clone())),
                (Content::Evdev(events), Some(state)) => {
                    for event in events {
                        state.handle(*event);
                    }
                    let sync = EvdevEvent { kind: event::SYN, code: event::SYN_REPORT, value: 0 };
                    // What was lost is not in the recording either, so what is known is all there is.
                    if state.handle(sync) != Took::Nothing {
                        script.push((event.time, *node, state.report().to_vec()));
                    }
                }
                _ => {}
            }
        }
        if all.is_empty() {
            return Err("no device in it can be played: there is neither a report descriptor nor controls".into());
        }
        let (between, from) = (BETWEEN, Micros(0));
        let playback = Self { script, next: 0, speed, looped, between, paused, step: false, base: now, from };
        Ok((playback, all))
    }

    /// Reports that are repeated from a moment on.
    pub(crate) fn of(script: Vec<(Micros, NodeId, Vec<u8>)>, now: Micros) -> Self {
        // A longer pause would look like a fault of the devices.
        let between = Micros::millis(2);
        let base = now.after(between);
        Self { script, next: 0, speed: 1.0, looped: true, between, paused: false, step: false, base, from: Micros(0) }
    }

    /// The time from the first report to the last.
    pub(crate) fn length(&self) -> Micros {
        self.script.last().map_or(Micros(0), |(time, ..)| *time)
    }

    /// Whether a report was requested that is to be sent at once.
    pub(crate) fn steps(&self) -> bool {
        self.step
    }

    /// When the next report is due.
    pub(crate) fn due(&self, now: Micros) -> Option<Micros> {
        let (time, ..) = self.script.get(self.next)?;
        if self.paused {
            return self.step.then_some(now);
        }
        let span = time.since(self.from).0;
        // At its own speed a recording keeps its stamps to the microsecond.
        let span = if self.speed == 1.0 { span } else { (span as f64 / self.speed).round() as u64 };
        Some(self.base.after(Micros(span)))
    }

    /// Takes the report that is due.
    pub(crate) fn take(&mut self, now: Micros) -> (NodeId, &[u8]) {
        let sent = self.next;
        self.next += 1;
        self.step = false;
        if self.next == self.script.len() && self.looped {
            self.next = 0;
            self.base = now.after(self.between);
            self.from = Micros(0);
        }
        let (_, node, bytes) = &self.script[sent];
        (*node, bytes)
    }

    /// How it is played from here on.
    pub(crate) fn handle_play(&mut self, now: Micros, play: Play) {
        // From here on everything is counted from now.
        let passed = now.since(self.base).0;
        if !self.paused {
            self.from = self.from.after(Micros((passed as f64 * self.speed).round() as u64));
        }
        self.base = now;
        match play {
            Play::Pause => self.paused = !self.paused,
            Play::Step => {
                self.paused = true;
                self.step = true;
                if let Some((time, ..)) = self.script.get(self.next) {
                    self.from = *time;
                }
            }
            Play::Faster => self.speed = (self.speed * 2.0).min(64.0),
            Play::Slower => self.speed = (self.speed / 2.0).max(1.0 / 64.0),
        }
    }
}
