//! Virtual pads that are HID devices: made through uhid, so that the kernel's own driver makes their nodes and games' libraries read their reports,
//! or so that they are separate devices.

use crate::clock::now;
use crate::sysfs::{attribute, bits, names};
use crate::uhid::{UhidDevice, UhidEvent, UhidIdentity};
use crate::uinput::{FF_RUMBLE, phys_of, processed};
use mantle_core::device::OsFault;
use mantle_core::pad::{
    CommonReport, Events, GameLamp, HidForm, MotionBack, MotionReport, PadModel, Rumble, address_of,
};
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use rustix::event::{PollFd, PollFlags, poll};
use rustix::fd::BorrowedFd;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// The node that such pads are made through.
pub const NODE: &str = "/dev/uhid";
/// The longest time between reports, whether or not anything has changed: a library takes a silent pad for a sleeping one, and looks for 16 ms when
/// it opens it. Its driver has the device open all the time, so nothing shows whether a game has.
const STREAM: Micros = Micros::millis(8);
/// A library repeats every two seconds that a pad shakes; one that has died does not.
const SHAKES_AT_MOST: Micros = Micros::seconds(5);
/// How long its driver may take to make its nodes.
const MADE_WITHIN: Duration = Duration::from_secs(3);

/// Such a pad; dropping it removes it.
#[derive(Debug)]
pub struct HidPad {
    device: UhidDevice,
    address: [u8; 6],
    report: Report,
    /// Its event node, for example `/dev/input/event9`.
    pub node: String,
    /// When a report is due, for a pad that streams.
    due: Option<Micros>,
    /// When shaking ends that nobody else ends.
    shakes_until: Option<Micros>,
}

/// The report of a pad.
#[derive(Debug)]
enum Report {
    /// Sent whenever something has changed.
    Common(CommonReport),
    /// Sent at a steady rate.
    Motion(Box<MotionReport>),
}

impl Report {
    fn new(form: HidForm) -> Self {
        match form {
            HidForm::Common => Self::Common(CommonReport::default()),
            HidForm::Motion => Self::Motion(Box::default()),
        }
    }

    fn descriptor(&self) -> Vec<u8> {
        match self {
            Self::Common(_) => CommonReport::descriptor(),
            Self::Motion(_) => MotionReport::descriptor(),
        }
    }
}

/// What came back through a pad.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct PadBack {
    /// How it shakes from now on, if anything was said about that.
    pub rumble: Option<Rumble>,
    /// What was set of its lamps.
    pub lamp: GameLamp,
}

fn fault(operation: &str, error: &io::Error) -> PadFault {
    let errno = error.raw_os_error().unwrap_or(0);
    PadFault::of_uhid(OsFault { operation: operation.into(), path: NODE.into(), errno })
}

/// An address as the system writes it.
fn text(address: [u8; 6]) -> String {
    address.map(|byte| format!("{byte:02x}")).join(":")
}

impl HidPad {
    /// Makes the pad of a slot, and waits, boundedly, until its driver has made its nodes and the system has processed them.
    ///
    /// # Errors
    /// [`PadFault`].
    pub fn create(slot: SlotNumber, model: &PadModel, form: HidForm) -> Result<Self, PadFault> {
        let report = Report::new(form);
        let address = address_of(rustix::process::getuid().as_raw(), slot.number());
        let (phys, uniq) = (phys_of(slot), text(address));
        let id = model.identity;
        let title = model.title_of(slot.number());
        let identity = UhidIdentity {
            name: &title,
            phys: &phys,
            uniq: &uniq,
            bus: id.bus,
            ids: (id.vendor, id.product, id.version),
        };
        let device =
            UhidDevice::create(&identity, &report.descriptor()).map_err(|error| fault("making the pad", &error))?;
        let due = matches!(report, Report::Motion(_)).then_some(Micros(0));
        let mut pad = Self { device, address, report, node: String::new(), due, shakes_until: None };
        pad.node = pad.wait_for_nodes(&title, model.more.len())?;
        Ok(pad)
    }

    /// Answers its driver's requests until all of its nodes exist; returns that of its buttons, the only one with exactly this name.
    fn wait_for_nodes(&mut self, title: &str, more: usize) -> Result<String, PadFault> {
        let until = Instant::now() + MADE_WITHIN;
        loop {
            let _ = poll(&mut [PollFd::new(&self.device.as_fd(), PollFlags::IN)], Some(&PAUSE));
            while self.event().map_err(|error| fault("making the pad", &error))?.is_some() {}
            let late = Instant::now() > until;
            let nodes = nodes_of(&text(self.address));
            if nodes.len() > more && (late || nodes.iter().all(|node| processed(node))) {
                let of_buttons = nodes.iter().find(|node| attribute(node, "device/name") == title);
                return Ok(of_buttons.or(nodes.first()).map(|node| device_node(node)).unwrap_or_default());
            }
            if late {
                return Err(PadFault::NoDriver);
            }
        }
    }

    /// Whether the driver of its nodes lets games shake it.
    #[must_use]
    pub fn can_shake(&self) -> bool {
        let Some(name) = self.node.rsplit('/').next() else { return false };
        let effects = attribute(&Path::new("/sys/class/input").join(name), "device/capabilities/ff");
        bits(&effects).contains(&FF_RUMBLE)
    }

    /// Its descriptor, to wait on for what games send.
    #[must_use]
    pub fn as_fd(&self) -> BorrowedFd<'_> {
        self.device.as_fd()
    }

    fn event(&self) -> io::Result<Option<UhidEvent>> {
        self.device.event_answered(|asked| match self.report {
            Report::Motion(_) => MotionReport::feature(asked, self.address),
            Report::Common(_) => None,
        })
    }

    /// Shows what has changed.
    ///
    /// # Errors
    /// [`PadFault`] if the kernel did not take it.
    pub fn write(&mut self, now: Micros, events: &Events) -> Result<(), PadFault> {
        match &mut self.report {
            Report::Common(report) => report.take(events),
            Report::Motion(report) => report.take(events),
        }
        self.send(now)
    }

    fn send(&mut self, now: Micros) -> Result<(), PadFault> {
        let bytes: &[u8] = match &mut self.report {
            Report::Common(report) => report.bytes(),
            Report::Motion(report) => {
                self.due = Some(now.after(STREAM));
                report.at(now)
            }
        };
        self.device.input(bytes).map_err(|error| fault("writing to the pad", &error))
    }

    /// The battery's charge, in tenths, for its next report.
    pub fn set_battery(&mut self, tenths: u8, charges: bool) {
        if let Report::Motion(report) = &mut self.report {
            report.set_battery(tenths, charges);
        }
    }

    /// When it wants to send its report again, or stops shaking.
    #[must_use]
    pub fn due(&self) -> Option<Micros> {
        self.due.into_iter().chain(self.shakes_until).min()
    }

    /// It is due; returns what it does from now on, if that is something else.
    ///
    /// # Errors
    /// [`PadFault`] if the kernel did not take its report.
    pub fn handle_time(&mut self, now: Micros) -> Result<PadBack, PadFault> {
        if self.due.is_some_and(|due| due <= now) {
            self.send(now)?;
        }
        let ends = self.shakes_until.take_if(|until| *until <= now).is_some();
        Ok(PadBack { rumble: ends.then(Rumble::default), ..PadBack::default() })
    }

    /// Takes what games have sent back.
    pub fn handle_back(&mut self) -> PadBack {
        let mut back = PadBack::default();
        while let Ok(Some(event)) = self.event() {
            let now = now();
            let bytes = match event {
                UhidEvent::Output(bytes) => bytes,
                UhidEvent::Asked { .. } => {
                    if let Report::Motion(report) = &mut self.report {
                        report.handle_opened(now);
                    }
                    continue;
                }
                _ => continue,
            };
            let came = match self.report {
                Report::Motion(_) => MotionReport::back(&bytes),
                Report::Common(_) => CommonReport::back(&bytes)
                    .map(|rumble| MotionBack { rumble: Some(rumble), ..MotionBack::default() }),
            };
            let Some(MotionBack { rumble, repeats, lamp }) = came else { continue };
            back.lamp.take(lamp);
            if let Some([strong, weak]) = rumble {
                let shakes = strong != 0 || weak != 0;
                let until = if repeats { now.after(SHAKES_AT_MOST) } else { Micros::NEVER };
                self.shakes_until = shakes.then_some(until);
                back.rumble = Some(match shakes {
                    true => Rumble { strong, weak, until, next: None },
                    false => Rumble::default(),
                });
            }
        }
        back
    }
}

/// Time between two looks at what has become of it.
const PAUSE: rustix::time::Timespec = rustix::time::Timespec { tv_sec: 0, tv_nsec: 4_000_000 };

/// The directories of the event nodes of the pad with this address. Found through the input devices and not the HID device: while its driver is being
/// bound, reading that waits for the driver, and the driver waits for our answers.
fn nodes_of(uniq: &str) -> Vec<PathBuf> {
    let class = Path::new("/sys/class/input");
    names(class)
        .into_iter()
        .filter(|name| name.starts_with("event"))
        .map(|name| class.join(name))
        .filter(|node| attribute(node, "device/uniq") == uniq && is_of_uhid(node))
        .collect()
}

/// Whether a node's device is below uhid: a physical device may claim anything.
fn is_of_uhid(node: &Path) -> bool {
    std::fs::canonicalize(node).is_ok_and(|path| path.to_string_lossy().contains("/misc/uhid/"))
}

fn device_node(node: &Path) -> String {
    format!("/dev/input/{}", node.file_name().unwrap_or_default().to_string_lossy())
}
