//! Virtual pads through uinput, and the rumble that comes back through them.

use crate::clock::now;
use crate::ioctls::{self, AbsInfo, Bit, FfEffect, FfErase, FfUpload, UinputAbsSetup, UinputSetup};
use crate::sysfs::{attribute, names};
use mantle_core::device::OsFault;
use mantle_core::evdev::{EvdevAxis, EvdevCaps, event};
use mantle_core::pad::{
    AbsInfo as PadAbs, CONTACTS, EFFECTS, Effects, Envelope, Events, PadAxis, PadModel, PadNode, PadSurface, Rumble,
    RumbleEffect, Sensed,
};
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use rustix::fd::{AsFd, BorrowedFd, OwnedFd};
use rustix::fs::{Mode, OFlags};
use rustix::io::Errno;
use std::ffi::CString;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// The node that pads are made through.
pub const NODE: &str = "/dev/uinput";
/// The phys of every pad of ours begins like this; those of physical devices never do.
pub const PHYS_PREFIX: &str = "placid-mantle/";

const EV_KEY: u16 = 1;
const EV_ABS: u16 = 3;
pub(crate) const EV_FF: u16 = 0x15;
const EV_UINPUT: u16 = 0x101;
/// The effects of pads: those that the kernel derives from rumble for every pad whose driver has no more.
pub(crate) const FF_RUMBLE: u16 = 0x50;
const FF_PERIODIC: u16 = 0x51;
const FF_WAVEFORMS: [u16; 3] = [0x58, 0x59, 0x5a];
const FF_GAIN: u16 = 0x60;
const UPLOAD: u16 = 1;
const ERASE: u16 = 2;

/// A virtual pad; dropping it removes it.
#[derive(Debug)]
pub struct Pad {
    fd: OwnedFd,
    /// Its further nodes.
    more: Vec<OwnedFd>,
    /// Its event node, for example `/dev/input/event9`.
    pub node: String,
    effects: Effects,
}

fn fault(operation: &str, errno: Errno) -> PadFault {
    PadFault::Other(OsFault { operation: operation.into(), path: NODE.into(), errno: errno.raw_os_error() })
}

/// Opens uinput, or says which of its faults this is.
///
/// # Errors
/// [`PadFault`].
pub fn open() -> Result<OwnedFd, PadFault> {
    rustix::fs::open(NODE, OFlags::RDWR | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty()).map_err(|errno| {
        PadFault::from_fault(OsFault { operation: "open".into(), path: NODE.into(), errno: errno.raw_os_error() })
    })
}

/// The physical path of every node of a slot's pad.
pub(crate) fn phys_of(slot: SlotNumber) -> String {
    format!("{PHYS_PREFIX}{}/{}", std::process::id(), slot.number())
}

fn declare(at: BorrowedFd<'_>, kind: Bit, code: u16) -> Result<(), PadFault> {
    ioctls::set_bit(at, kind, code).map_err(|errno| fault("declaring codes", errno))
}

/// Who a node says it is.
#[derive(Clone, Debug)]
pub struct NodeName<'a> {
    /// Its name, at most 79 bytes.
    pub name: &'a str,
    /// Its physical path.
    pub phys: &'a str,
    /// Bus, vendor, product, version.
    pub ids: [u16; 4],
}

/// Makes a node with keys, relative motion and axes, and waits, boundedly, until the system has processed it. It goes
/// when the descriptor is closed. Returns the path of its event node as well.
///
/// # Errors
/// [`PadFault`].
pub fn make_node(caps: &EvdevCaps, who: &NodeName<'_>) -> Result<(OwnedFd, String), PadFault> {
    let fd = open()?;
    let at = fd.as_fd();
    let set = |kind, code| declare(at, kind, code);
    for (event, bit) in [(event::KEY, Bit::Key), (event::REL, Bit::Rel)] {
        let mut codes = caps.of(event).peekable();
        if codes.peek().is_some() {
            set(Bit::Event, event)?;
        }
        codes.try_for_each(|code| set(bit, code))?;
    }
    for axis in &caps.axes {
        set(Bit::Event, event::ABS)?;
        declare_axis(at, axis)?;
    }
    let properties = caps.properties.iter();
    properties
        .copied()
        .try_for_each(|property| ioctls::set_property(at, property))
        .map_err(|errno| fault("declaring codes", errno))?;
    finish(fd, who, 0)
}

/// The property of nodes whose axes belong to a sensor.
const ACCELEROMETER: u16 = 6;

fn declare_axis(at: BorrowedFd<'_>, axis: &EvdevAxis) -> Result<(), PadFault> {
    declare_axis_at(at, axis, 0)
}

/// The same for an axis that has a value.
fn declare_axis_at(at: BorrowedFd<'_>, axis: &EvdevAxis, value: i32) -> Result<(), PadFault> {
    declare(at, Bit::Abs, axis.code)?;
    let setup = UinputAbsSetup {
        code: axis.code,
        pad: 0,
        info: AbsInfo {
            value,
            minimum: axis.min,
            maximum: axis.max,
            fuzz: axis.fuzz,
            flat: axis.flat,
            resolution: axis.resolution,
        },
    };
    ioctls::set_abs(at, setup).map_err(|errno| fault("declaring axes", errno))
}

/// Names and makes a node whose codes are declared.
fn finish(fd: OwnedFd, who: &NodeName<'_>, effects: u32) -> Result<(OwnedFd, String), PadFault> {
    let at = fd.as_fd();
    let phys = CString::new(who.phys).unwrap_or_default();
    ioctls::set_phys(at, &phys).map_err(|errno| fault("naming the pad", errno))?;
    let mut name = [0u8; 80];
    let text = &who.name.as_bytes()[..who.name.len().min(79)];
    name[..text.len()].copy_from_slice(text);
    let [bus, vendor, product, version] = who.ids;
    let setup = UinputSetup { bus, vendor, product, version, name, ff_effects_max: effects };
    ioctls::set_up(at, setup).map_err(|errno| fault("naming the pad", errno))?;
    ioctls::create(at).map_err(|errno| fault("making the pad", errno))?;
    let sysname = ioctls::sysname(at).map_err(|errno| fault("finding the pad", errno))?;
    let node = processed_node(&PathBuf::from("/sys/devices/virtual/input").join(sysname));
    Ok((fd, node))
}

/// A node of our own that offers what another one does, to pass on what nothing uses of it while it is held.
///
/// # Errors
/// [`PadFault`].
pub fn twin(caps: &EvdevCaps, number: u16) -> Result<OwnedFd, PadFault> {
    let phys = format!("{PHYS_PREFIX}{}/keys{number}", std::process::id());
    let who = NodeName { name: "Placid Mantle unused keys", phys: &phys, ids: [6, 0, 0, 1] };
    make_node(caps, &who).map(|(fd, _)| fd)
}

/// Writes one frame of one node.
fn put(fd: &OwnedFd, bytes: &[u8]) -> Result<(), PadFault> {
    match rustix::io::write(fd, bytes) {
        Ok(n) if n == bytes.len() => Ok(()),
        Ok(_) => Err(fault("writing to the pad", Errno::IO)),
        Err(errno) => Err(fault("writing to the pad", errno)),
    }
}

/// A further node of a pad, which shows what applies at rest.
fn make_more(slot: SlotNumber, model: &PadModel, node: &PadNode) -> Result<OwnedFd, PadFault> {
    let fd = open()?;
    let at = fd.as_fd();
    for (_, code) in &node.keys {
        declare(at, Bit::Event, EV_KEY)?;
        declare(at, Bit::Key, *code)?;
    }
    if !node.axes.is_empty() || node.surface.is_some() {
        declare(at, Bit::Event, EV_ABS)?;
    }
    let still = Sensed::default();
    for (lane, info) in &node.axes {
        let PadAbs { code, min, max, resolution } = *info;
        let axis = EvdevAxis { code, min, max, resolution, ..EvdevAxis::default() };
        declare_axis_at(at, &axis, info.of_units(still.lane(*lane)))?;
    }
    if !node.axes.is_empty() {
        ioctls::set_property(at, ACCELEROMETER).map_err(|errno| fault("declaring codes", errno))?;
    }
    if let Some(PadSurface { size: [x, y] }) = node.surface {
        let contacts = CONTACTS as i32 - 1;
        for (code, max) in [(event::ABS_MT_SLOT, contacts), (event::ABS_MT_TRACKING_ID, 127)] {
            declare_axis(at, &EvdevAxis { code, min: 0, max, ..EvdevAxis::default() })?;
        }
        for (code, max) in [(event::ABS_MT_POSITION_X, x), (event::ABS_MT_POSITION_Y, y)] {
            declare_axis(at, &EvdevAxis { code, min: 0, max, ..EvdevAxis::default() })?;
        }
    }
    let id = model.identity;
    let who = NodeName {
        name: &format!("{} {}", model.title_of(slot.number()), node.title),
        phys: &phys_of(slot),
        ids: [id.bus, id.vendor, id.product, id.version],
    };
    finish(fd, &who, 0).map(|(fd, _)| fd)
}

impl Pad {
    /// Makes the pad of a slot and waits, boundedly, until the system has processed it.
    ///
    /// # Errors
    /// [`PadFault`].
    pub fn create(slot: SlotNumber, model: &PadModel) -> Result<Self, PadFault> {
        let fd = open()?;
        let at = fd.as_fd();
        let set = |kind, code| declare(at, kind, code);
        for event in [EV_KEY, EV_ABS] {
            set(Bit::Event, event)?;
        }
        for (_, code) in &model.keys {
            set(Bit::Key, *code)?;
        }
        if model.rumbles() {
            set(Bit::Event, EV_FF)?;
            let own = [FF_RUMBLE, FF_PERIODIC, FF_GAIN];
            own.into_iter().chain(FF_WAVEFORMS).try_for_each(|code| set(Bit::Ff, code))?;
        }
        let axis = |code: u16, min: i32, max: i32| EvdevAxis { code, min, max, ..EvdevAxis::default() };
        for PadAxis { info, .. } in &model.axes {
            declare_axis(at, &axis(info.code, info.min, info.max))?;
        }
        for hat in model.hats.iter().filter(|hat| hat.appears()) {
            for code in hat.codes {
                declare_axis(at, &axis(code, -hat.reach, hat.reach))?;
            }
        }
        let id = model.identity;
        let who = NodeName {
            name: &model.title_of(slot.number()),
            phys: &phys_of(slot),
            ids: [id.bus, id.vendor, id.product, id.version],
        };
        let (fd, node) = finish(fd, &who, if model.rumbles() { EFFECTS as u32 } else { 0 })?;
        let more = model.more.iter().map(|node| make_more(slot, model, node)).collect::<Result<_, _>>()?;
        Ok(Self { fd, more, node, effects: Effects::default() })
    }

    /// Its descriptor, to wait on for what games send.
    #[must_use]
    pub fn as_fd(&self) -> BorrowedFd<'_> {
        self.fd.as_fd()
    }

    /// Writes one frame.
    ///
    /// # Errors
    /// [`PadFault`] if the pad did not take all of it.
    pub fn write(&self, bytes: &[u8]) -> Result<(), PadFault> {
        put(&self.fd, bytes)
    }

    /// Whether it has one node, which takes all events.
    #[must_use]
    pub fn is_single(&self) -> bool {
        self.more.is_empty()
    }

    /// Writes what each of its nodes is to show.
    ///
    /// # Errors
    /// [`PadFault`] if one did not take all of it.
    pub fn write_all(&self, events: &Events) -> Result<(), PadFault> {
        for (node, fd) in std::iter::once(&self.fd).chain(&self.more).enumerate() {
            let bytes = events.of_node(node);
            if !bytes.is_empty() {
                put(fd, bytes)?;
            }
        }
        Ok(())
    }

    /// Takes what games have sent, and answers uploads and erasures at once, since the game waits for that. Returns what the device has to do from
    /// now on, if games have said anything about it.
    pub fn handle_back(&mut self) -> Option<Rumble> {
        let mut buffer = [0u8; 24 * 16];
        let mut any = false;
        while let Ok(n) = rustix::io::read(&self.fd, &mut buffer) {
            // A game may play an effect as soon as its upload is answered: the time of the first read would be too early for that.
            let now = now();
            for event in buffer[..n].chunks_exact(24) {
                let kind = u16::from_ne_bytes([event[16], event[17]]);
                let code = u16::from_ne_bytes([event[18], event[19]]);
                let value = i32::from_ne_bytes([event[20], event[21], event[22], event[23]]);
                match (kind, code) {
                    (EV_UINPUT, UPLOAD) => self.upload(value as u32),
                    (EV_UINPUT, ERASE) => self.erase(value as u32),
                    (EV_FF, FF_GAIN) => self.effects.set_gain(value.clamp(0, 0xffff) as u16),
                    (EV_FF, id) if usize::from(id) < EFFECTS => self.effects.play(now, id.into(), value),
                    _ => continue,
                }
                any = true;
            }
            if n == 0 {
                break;
            }
        }
        any.then(|| self.effects.at(now()))
    }

    /// What the device has to do from this moment on.
    pub fn rumble(&mut self, now: Micros) -> Rumble {
        self.effects.at(now)
    }

    fn upload(&mut self, request: u32) {
        let mut upload = FfUpload { request, ..FfUpload::default() };
        if ioctls::begin_upload(self.fd.as_fd(), &mut upload).is_err() {
            return;
        }
        if let Ok(id) = usize::try_from(upload.effect.id) {
            let FfEffect { kind, words, length, delay, .. } = upload.effect;
            let level = |word: u16| RumbleEffect::of_magnitude(word.min(0x7fff) as i16)[0];
            let ([strong, weak], envelope) = match kind {
                FF_PERIODIC => {
                    let envelope =
                        Envelope { attack: words[5], from: level(words[6]), fade: words[7], to: level(words[8]) };
                    (RumbleEffect::of_magnitude(words[2] as i16), envelope)
                }
                _ => ([words[0], words[1]], Envelope::default()),
            };
            self.effects.upload(id, RumbleEffect { strong, weak, length, delay, envelope });
        }
        upload.retval = 0;
        let _ = ioctls::end_upload(self.fd.as_fd(), upload);
    }

    fn erase(&mut self, request: u32) {
        let mut erase = FfErase { request, ..FfErase::default() };
        if ioctls::begin_erase(self.fd.as_fd(), &mut erase).is_err() {
            return;
        }
        self.effects.erase(erase.effect as usize);
        erase.retval = 0;
        let _ = ioctls::end_erase(self.fd.as_fd(), erase);
    }
}

/// How long the system may take to process a new pad before we go on without it.
const PROCESSED_WITHIN: Duration = Duration::from_secs(3);

/// Whether the event node with this directory exists and, if udev runs, has been processed by it.
pub(crate) fn processed(event: &Path) -> bool {
    let known = Path::new(&format!("/run/udev/data/c{}", attribute(event, "dev"))).exists();
    let node = Path::new("/dev/input").join(event.file_name().unwrap_or_default());
    (known || !Path::new("/run/udev/control").exists()) && node.exists()
}

/// Waits until a new input device has its event node and, if udev runs, until that has processed it.
fn processed_node(sys: &Path) -> String {
    let until = Instant::now() + PROCESSED_WITHIN;
    loop {
        let event = names(sys).into_iter().find(|name| name.starts_with("event"));
        if let Some(event) = &event {
            let node = format!("/dev/input/{event}");
            if processed(&sys.join(event)) || Instant::now() > until {
                return node;
            }
        } else if Instant::now() > until {
            return sys.display().to_string();
        }
        std::thread::sleep(Duration::from_millis(4));
    }
}
