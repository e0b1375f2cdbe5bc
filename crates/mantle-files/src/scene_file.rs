//! Scenes: which made-up devices there are, on what kind of machine, and what happens. Documented in docs/devices-and-scenes.md.

use crate::device_file::{DeviceFile, Gesture, RestValue};
use crate::fault::FileFault;
use crate::pad_kind::{KindName, Said};
use crate::scene_program::SceneProgram;
use crate::scene_radio::{SceneHeard, SceneRadio};
use mantle_core::binding::TEMPLATES;
use mantle_core::pad::PadKind;
use mantle_core::path::PadFault;
use serde::Deserialize;

/// A scene.
#[derive(Clone, PartialEq, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneFile {
    /// The form of the file: 1.
    pub version: u32,
    /// The title at the top of the screen.
    pub title: String,
    /// Whether the shipped sheets are ignored.
    #[serde(default)]
    pub without_sheets: bool,
    /// The text of the settings file.
    #[serde(default)]
    pub settings: String,
    /// The text of the file of rules for games.
    #[serde(default)]
    pub games: String,
    /// The machine.
    #[serde(default)]
    pub machine: MachineFile,
    /// Its radio.
    #[serde(default)]
    pub radio: SceneRadio,
    /// Profiles besides *plain*.
    #[serde(default)]
    pub profile: Vec<SceneProfile>,
    /// The scene's own sheets, preferred to the shipped ones.
    #[serde(default)]
    pub sheet: Vec<SceneSheet>,
    /// The scene's own pad files.
    #[serde(default)]
    pub own_pad: Vec<ScenePad>,
    /// The devices.
    #[serde(default)]
    pub device: Vec<SceneDevice>,
    /// The programs.
    #[serde(default)]
    pub program: Vec<SceneProgram>,
    /// Reports sent in addition to those caused by hands.
    #[serde(default)]
    pub report: Vec<RawReport>,
}

/// The simulated machine.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MachineFile {
    /// `ok`, `absent`, `denied` or `no module`.
    #[serde(default = "ok")]
    pub uinput: String,
    /// The second at which uinput becomes available.
    pub uinput_mended_at: Option<f64>,
    /// The second at which it disappears: pads take nothing, and none can be made.
    pub uinput_gone_at: Option<f64>,
    /// Faults of the machine from the start, each in a sentence.
    #[serde(default)]
    pub notices: Vec<String>,
    /// Programs that have every pad open.
    #[serde(default)]
    pub games: Vec<String>,
    /// Browsers, which have the pad open that they list.
    #[serde(default)]
    pub browsers: Vec<String>,
    /// Whether common pads can be separate devices with rumble.
    #[serde(default = "yes")]
    pub uhid: bool,
    /// The usual delay from a report to its pad in microseconds; some take longer.
    #[serde(default = "usual_delay")]
    pub delay: u32,
    /// How devices are covered: `hidden` as root, `held` as an ordinary account, `no` if even that is refused.
    #[serde(default = "hidden")]
    pub cover: String,
}

impl Default for MachineFile {
    fn default() -> Self {
        Self {
            uinput: ok(),
            uinput_mended_at: None,
            uinput_gone_at: None,
            notices: Vec::new(),
            games: Vec::new(),
            browsers: Vec::new(),
            uhid: true,
            delay: usual_delay(),
            cover: hidden(),
        }
    }
}

impl MachineFile {
    /// Why it makes no pads.
    #[must_use]
    pub fn fault(&self) -> PadFault {
        match self.uinput.as_str() {
            "denied" => PadFault::Denied,
            "no module" => PadFault::NoModule,
            _ => PadFault::NoNode,
        }
    }
}

fn ok() -> String {
    "ok".into()
}

fn usual_delay() -> u32 {
    40
}

fn hidden() -> String {
    "hidden".into()
}

/// A profile.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneProfile {
    /// Its name.
    pub name: String,
    /// Dead zone of the sticks, as a share of full travel.
    #[serde(default = "dead_zone")]
    pub dead_zone: f32,
    /// The template it was made from.
    pub like: Option<String>,
    /// The text of its file.
    pub text: Option<String>,
    /// Whether what it types is allowed.
    #[serde(default)]
    pub agreed: bool,
}

/// A pad file.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ScenePad {
    /// Its file name, without the ending.
    pub name: String,
    /// Its text.
    pub text: String,
}

/// A sheet.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneSheet {
    /// Its file name.
    pub name: String,
    /// Its text.
    pub text: String,
}

/// A control that trembles.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Tremble {
    /// The control's name.
    pub control: String,
    /// Its part.
    #[serde(default)]
    pub part: usize,
    /// By this much, raw, either way in each report.
    pub by: i64,
    /// Only in one report of this many, and one way: then it jumps.
    #[serde(default)]
    pub every: u64,
}

fn dead_zone() -> f32 {
    mantle_core::feel::DEAD_ZONE
}

/// A device in a scene.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneDevice {
    /// The device file: a name in `devices/`, or a path relative to the scene's directory.
    pub file: String,
    /// USB port path.
    pub port: String,
    /// Serial number, if not the file's.
    pub serial: Option<String>,
    /// When it is plugged in, in seconds.
    #[serde(default)]
    pub at: f64,
    /// Spans in which it is unplugged, in seconds.
    #[serde(default)]
    pub gone: Vec<[f64; 2]>,
    /// The slots of its parts, remembered from earlier; 0 for a part that was taken out. By default, the
    /// lowest free slots.
    pub slots: Option<Vec<u8>>,
    /// The profile of its slots.
    pub profile: Option<String>,
    /// Their kind of pad, as the slots file has it.
    #[serde(default)]
    kind: KindName,
    made_by: Option<String>,
    pad: Option<String>,
    axes: Option<Vec<String>>,
    buttons: Option<u8>,
    hats: Option<u8>,
    /// Whether hands move it.
    #[serde(default = "yes")]
    pub hands: bool,
    /// Whether it may be opened.
    #[serde(default = "yes")]
    pub readable: bool,
    /// The second from which it may be opened.
    pub readable_at: Option<f64>,
    /// How it takes its start-up: `yes`, `mute` (accepts writes, answers none), `refuses`, or `awake` (needs none).
    #[serde(default = "ok_yes")]
    pub wakes: String,
    /// Whether it is left to the game.
    #[serde(default)]
    pub left: bool,
    /// The kernel driver that serves it.
    #[serde(default = "generic")]
    pub driver: String,
    /// Its name, instead of the file's.
    pub name: Option<String>,
    /// `usb` or `bluetooth`.
    pub bus: Option<String>,
    /// Rests, before the file's.
    #[serde(default)]
    pub rest: Vec<RestValue>,
    /// Movements, replacing the file's.
    #[serde(default)]
    pub hand: Vec<Gesture>,
    /// Controls that tremble.
    #[serde(default)]
    pub trembles: Vec<Tremble>,
    /// Reports per second over time: `[[from, rate], …]`; 0 for silence.
    #[serde(default)]
    pub rates: Vec<[f64; 2]>,
    /// The share of its reports that are truncated.
    #[serde(default)]
    pub damaged: f64,
    /// The share of its reports that never arrive.
    #[serde(default)]
    pub lost: f64,
    /// Up to this many milliseconds of extra time before each report.
    #[serde(default)]
    pub jitter: f64,
    /// Spans in which another program holds it, in seconds.
    #[serde(default)]
    pub busy: Vec<[f64; 2]>,
    /// How it is covered, instead of the machine's way.
    pub cover: Option<String>,
    /// Whether its report descriptor can be read.
    #[serde(default = "yes")]
    pub descriptor: bool,
    /// It connects by radio.
    pub radio: Option<SceneHeard>,
}

impl SceneDevice {
    /// Whether it is plugged in at this second.
    fn is_there(&self, time: f64) -> bool {
        time >= self.at && !self.gone.iter().any(|[from, to]| (*from..*to).contains(&time))
    }

    /// The kind of pad of its slots.
    ///
    /// # Errors
    /// What is impossible, and what is allowed.
    pub fn kind(&self) -> Result<PadKind, String> {
        self.kind.kind(Said {
            made_by: self.made_by.as_deref(),
            pad: self.pad.as_deref(),
            axes: self.axes.as_deref(),
            buttons: self.buttons,
            hats: self.hats,
        })
    }

    /// The device file with this scene's changes.
    #[must_use]
    pub fn amended(&self, mut file: DeviceFile) -> DeviceFile {
        file.name = self.name.clone().unwrap_or(file.name);
        file.bus = self.bus.clone().unwrap_or(file.bus);
        if !self.hand.is_empty() {
            file.hand.clone_from(&self.hand);
        }
        for interface in &mut file.interface {
            interface.rest.splice(0..0, self.rest.iter().cloned());
        }
        file
    }

    /// Reports per second at a second, if not the file's.
    #[must_use]
    pub fn rate_at(&self, second: f64) -> Option<f64> {
        self.rates.iter().rfind(|[from, _]| *from <= second).map(|[_, rate]| *rate)
    }
}

fn yes() -> bool {
    true
}

fn ok_yes() -> String {
    "yes".into()
}

fn generic() -> String {
    "hid-generic".into()
}

/// A report, byte for byte.
#[derive(Clone, PartialEq, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RawReport {
    /// Port of the device that sends it.
    pub port: String,
    /// The interface, from 0.
    #[serde(default)]
    pub interface: usize,
    /// When, in seconds.
    pub at: f64,
    /// Repeat interval in seconds; 0 for once.
    #[serde(default)]
    pub every: f64,
    /// The bytes in hex, as hidraw would deliver them.
    pub bytes: String,
}

impl SceneFile {
    /// Reads a scene.
    ///
    /// # Errors
    /// The first fault, with its line and column.
    pub fn parse(path: &str, text: &str) -> Result<Self, FileFault> {
        let scene: Self = toml::from_str(text).map_err(|error| FileFault::from_toml(path, text, &error))?;
        let one_of = |what: &str, value: &str, allowed: &[&str]| {
            if allowed.contains(&value) {
                return Ok(());
            }
            Err(FileFault::whole(path, format!("{what} {value:?} is not one of: {}", allowed.join(", "))))
        };
        if scene.version != 1 {
            return Err(FileFault::whole(path, format!("version {} is unknown; this program reads 1", scene.version)));
        }
        FileFault::most(path, "characters of its title", scene.title.chars().count(), 255)?;
        FileFault::most(path, "profiles", scene.profile.len(), 100)?;
        FileFault::most(path, "devices", scene.device.len(), 64)?;
        FileFault::most(path, "reports", scene.report.len(), 10_000)?;
        SceneProgram::check(path, &scene.program)?;
        for device in &scene.device {
            FileFault::most(path, "times that a device is gone", device.gone.len(), 1000)?;
        }
        FileFault::most(path, "devices that its radio hears", scene.radio.also.len(), 1000)?;
        FileFault::most(path, "states of its radio", scene.radio.states.len(), 1000)?;
        FileFault::most(path, "strangers", scene.radio.strangers.len(), 1000)?;
        one_of("machine.uinput", &scene.machine.uinput, &["ok", "absent", "denied", "no module"])?;
        one_of("machine.cover", &scene.machine.cover, &["hidden", "held", "no"])?;
        for device in &scene.device {
            one_of("bus", device.bus.as_deref().unwrap_or("usb"), &["usb", "bluetooth"])?;
            one_of("cover", device.cover.as_deref().unwrap_or("no"), &["hidden", "held", "no", "busy"])?;
            FileFault::most(path, "rates", device.rates.len(), 1000)?;
            if device.rates.iter().any(|[_, rate]| !(0.0..=8000.0).contains(rate)) {
                return Err(FileFault::whole(path, format!("{}: a rate is not within 0 to 8000", device.file)));
            }
            for (what, value, most) in
                [("damaged", device.damaged, 1.0), ("lost", device.lost, 1.0), ("jitter", device.jitter, 1000.0)]
            {
                if !(0.0..=most).contains(&value) {
                    return Err(FileFault::whole(path, format!("{}: {what} is not within 0 to {most}", device.file)));
                }
            }
        }
        FileFault::most(path, "sheets", scene.sheet.len(), 100)?;
        for profile in &scene.profile {
            if let Some(like) = &profile.like {
                let names: Vec<&str> = TEMPLATES.iter().map(|template| template.name).collect();
                one_of("like", like, &names)?;
            }
        }
        scene.check_ports(path)?;
        for device in &scene.device {
            device.kind().map_err(|why| FileFault::whole(path, format!("{}: {why}", device.file)))?;
            if device.slots.iter().flatten().any(|slot| usize::from(*slot) > mantle_core::slot::SLOTS) {
                return Err(FileFault::whole(path, format!("{}: a slot is not within 0 to 8", device.file)));
            }
        }
        Ok(scene)
    }

    /// Two devices cannot be at the same port at the same time.
    fn check_ports(&self, path: &str) -> Result<(), FileFault> {
        for (at, one) in self.device.iter().enumerate() {
            for two in self.device[at + 1..].iter().filter(|two| two.port == one.port) {
                let ends = one.gone.iter().chain(&two.gone).map(|[_, to]| *to);
                let both =
                    [one.at, two.at].into_iter().chain(ends).find(|time| one.is_there(*time) && two.is_there(*time));
                if let Some(time) = both {
                    let why = format!(
                        "{} and {} are both plugged in at port {} at {time} s: give one another port",
                        one.file, two.file, one.port
                    );
                    return Err(FileFault::whole(path, why));
                }
            }
        }
        Ok(())
    }
}
