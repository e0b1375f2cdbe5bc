//! The radio: its state, its devices, its questions and requests.

use super::JourneyNews;
use serde::{Deserialize, Serialize};

/// What the computer's radio can do now.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum RadioState {
    /// Not known yet.
    #[default]
    Unknown,
    /// No service on this computer talks to radios.
    NoService,
    /// This account may not use it.
    Denied,
    /// There is no adapter.
    NoAdapter,
    /// It is blocked, by a switch or a setting.
    Blocked {
        /// By a switch that a hand has to move.
        hard: bool,
    },
    /// It is switched off.
    Off,
    /// It can be used.
    Ready,
}

impl RadioState {
    /// The state in a sentence.
    #[must_use]
    pub fn sentence(&self) -> &'static str {
        match self {
            Self::Unknown => "Checking this computer's radio.",
            Self::NoService => "No Bluetooth service is running on this computer.",
            Self::Denied => "This account may not use this computer's radio.",
            Self::NoAdapter => "This computer has no Bluetooth radio, or it is not plugged in.",
            Self::Blocked { hard: true } => "The radio is blocked by a switch on this computer.",
            Self::Blocked { hard: false } => "The radio is blocked by a setting of this computer.",
            Self::Off => "The radio is switched off.",
            Self::Ready => "This computer's radio is on.",
        }
    }

    /// Its remedy; empty if none is needed.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::Unknown | Self::Ready => "",
            Self::NoService => {
                "Install the package bluez, then run sudo systemctl start bluetooth. Cables and receivers work without it."
            }
            Self::Denied => "Log in at the machine itself, or add the account to the group bluetooth.",
            Self::NoAdapter => "Plug in an adapter. Cables and the controller's own receiver work without one.",
            Self::Blocked { hard: true } => "Move the switch, or press the key with the antenna.",
            Self::Blocked { hard: false } => "Run sudo rfkill unblock bluetooth.",
            Self::Off => "Switch it on.",
        }
    }

    /// What the program itself can do about it.
    #[must_use]
    pub fn mend(&self) -> Option<RadioAct> {
        (*self == Self::Off).then_some(RadioAct::SwitchOn)
    }
}

/// What a found device seems to be.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Default, Serialize, Deserialize)]
pub enum RadioKind {
    /// A controller.
    Controller,
    /// Possibly a controller: it has reports, or has not said yet what it has.
    Unsaid,
    /// A keyboard, a mouse or a pen.
    Steering,
    /// Something else.
    #[default]
    Other,
}

impl RadioKind {
    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Controller => "controller",
            Self::Unsaid => "has reports",
            Self::Steering => "keyboard or mouse",
            Self::Other => "no controller",
        }
    }
}

/// A device that the radio knows or has found.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct RadioDevice {
    /// Its address, which is unique.
    pub address: String,
    /// Its name, or the name somebody gave it.
    pub name: String,
    /// Its class of device (Bluetooth assigned numbers), if it has said one.
    pub class: Option<u32>,
    /// Its appearance, likewise.
    pub appearance: Option<u16>,
    /// Its services, by their 16-bit numbers.
    pub services: Vec<u16>,
    /// Signal strength in dBm; none if it is not heard now.
    pub signal: Option<i16>,
    /// Whether it is paired with this computer.
    pub paired: bool,
    /// Whether it may come back by itself.
    pub trusted: bool,
    /// Whether its link is up.
    pub linked: bool,
    /// Battery in percent.
    pub battery: Option<u8>,
    /// Vendor and product, if known.
    pub ids: Option<(u16, u16)>,
    /// When it was last seen, in seconds since 1970.
    pub seen: Option<u64>,
}

/// Human interface devices, as services of the older and the newer radio.
const REPORTS: [u16; 2] = [0x1124, 0x1812];

impl RadioDevice {
    /// What it seems to be: its appearance counts before its class, and both before its services.
    #[must_use]
    pub fn kind(&self) -> RadioKind {
        match self.appearance {
            Some(0x03c3 | 0x03c4) => return RadioKind::Controller,
            Some(0x03c1 | 0x03c2 | 0x03c5 | 0x03c7) => return RadioKind::Steering,
            _ => {}
        }
        if let Some(class) = self.class.filter(|class| class >> 8 & 0x1f == 0x05) {
            // A peripheral; the lower bits tell its kind, the upper bits whether it types or points.
            return match (class >> 2 & 0x0f, class >> 6 & 0x03) {
                (1 | 2, _) => RadioKind::Controller,
                (_, 1..=3) => RadioKind::Steering,
                _ => RadioKind::Unsaid,
            };
        }
        let has_reports = self.services.iter().any(|service| REPORTS.contains(service));
        if has_reports { RadioKind::Unsaid } else { RadioKind::Other }
    }

    /// Its state in words.
    #[must_use]
    pub fn stands(&self) -> String {
        let signal = || match self.signal {
            Some(signal) if signal >= -60 => "near",
            Some(signal) if signal >= -80 => "in range",
            Some(_) => "far off",
            None => "not heard now",
        };
        match (self.linked, self.paired) {
            (true, _) => "connected".into(),
            (false, true) => format!("known, {}", signal()),
            (false, false) => format!("new, {}", signal()),
        }
    }
}

/// Sorts devices for display: controllers first, then possible ones; of these, those heard now, strongest first, then those
/// known but not heard, then those connected. The rest keeps the order of addresses, so that a growing list does not jump.
#[must_use]
pub fn in_order(devices: &[RadioDevice]) -> Vec<&RadioDevice> {
    let mut all: Vec<&RadioDevice> = devices.iter().collect();
    let heard = |device: &RadioDevice| device.signal.map_or(i16::MAX, |signal| -(signal / 10));
    all.sort_by(|one, other| {
        let key = |device: &RadioDevice| (device.kind(), device.linked, heard(device), !device.paired);
        key(one).cmp(&key(other)).then_with(|| one.address.cmp(&other.address))
    });
    all
}

/// What pairing asks of the person.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Dialogue {
    /// To type this code on the device; so many digits have been typed.
    Type {
        /// The code as written.
        code: String,
        /// Number of typed digits.
        typed: u16,
    },
    /// To compare the code shown by the device.
    Compare(String),
    /// To enter a code that the device shows: six digits.
    EnterCode,
    /// To enter the device's fixed code: up to sixteen letters and digits.
    EnterPin,
    /// To allow a device that asks nothing.
    Allow,
}

impl Dialogue {
    /// The question in a sentence.
    #[must_use]
    pub fn sentence(&self, name: &str) -> String {
        match self {
            Self::Type { code, .. } => format!("Type {code} on {name}, and Enter there."),
            Self::Compare(code) => format!("{name} shows a code: is it {code}?"),
            Self::EnterCode => format!("{name} shows six digits: type them here."),
            Self::EnterPin => format!("{name} has a code of its own (often 0000 or 1234): type it here."),
            Self::Allow => format!("{name} wants to be paired. Allow it?"),
        }
    }

    /// What an answer looks like.
    #[must_use]
    pub fn wants(&self) -> &'static str {
        match self {
            Self::EnterCode => "the code has six digits",
            Self::EnterPin => "the code has 1 to 16 letters and digits",
            Self::Type { .. } => "the code is typed on the device",
            Self::Compare(_) | Self::Allow => "the answer is yes or no",
        }
    }

    /// Whether the typed text can be an answer.
    #[must_use]
    pub fn takes(&self, typed: &str) -> bool {
        match self {
            Self::EnterCode => typed.len() == 6 && typed.bytes().all(|c| c.is_ascii_digit()),
            Self::EnterPin => (1..=16).contains(&typed.len()) && typed.bytes().all(|c| c.is_ascii_alphanumeric()),
            Self::Type { .. } | Self::Compare(_) | Self::Allow => typed.is_empty(),
        }
    }
}

/// Why something failed.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RadioFault {
    /// The device, or somebody here, said no.
    Refused,
    /// The code was wrong.
    WrongCode,
    /// Nothing came back in time.
    NoAnswer,
    /// It answers but does not pair: it belongs to another machine.
    Elsewhere,
    /// One of the two has forgotten the other's keys.
    StaleKeys,
    /// It is off, or out of reach.
    NotThere,
    /// The link is up, but the system makes no input device.
    NoInput,
    /// It is busy with another request.
    Busy,
    /// The radio itself has gone.
    NoRadio,
    /// Something else, in the service's own words.
    Other(String),
}

impl RadioFault {
    /// What happened, in a sentence.
    #[must_use]
    pub fn sentence(&self, name: &str) -> String {
        match self {
            Self::Refused => format!("{name} refused to pair, or was refused."),
            Self::WrongCode => format!("The code for {name} was wrong."),
            Self::NoAnswer => format!("{name} did not answer in time."),
            Self::Elsewhere => format!("{name} answers but does not pair: it refuses, or belongs to another machine."),
            Self::StaleKeys => format!("{name} and this computer have forgotten each other's keys."),
            Self::NotThere => format!("{name} is not there: it is off, or out of reach."),
            Self::NoInput => format!("{name} is connected, but the system makes no input device of it."),
            Self::Busy => format!("{name} is busy with something else."),
            Self::NoRadio => "The radio is gone.".into(),
            Self::Other(why) => format!("{name}: {why}."),
        }
    }

    /// What to do.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::Refused => "Try again, and say yes on both sides.",
            Self::WrongCode => "Try again with the code printed on it or in its manual.",
            Self::NoAnswer => "Put it in pairing mode again (its lamp blinks fast), bring it closer, and try again.",
            Self::Elsewhere => {
                "Switch off that machine's radio, or make it forget the device. Then put the device in pairing mode again."
            }
            Self::StaleKeys => "Remove it here and pair it again, with the device in pairing mode.",
            Self::NotThere => "Switch it on or press a button on it, and bring it closer.",
            Self::NoInput => "Switch it off and on. If that does not help, remove it and pair it again.",
            Self::Busy => "Wait a moment, or close the other program that pairs.",
            Self::NoRadio => "Plug the adapter in again.",
            Self::Other(_) => "Try again. The system's journal says more (journalctl -u bluetooth).",
        }
    }

    /// Whether the link may still come, because the device may connect by itself.
    #[must_use]
    pub fn passes(&self) -> bool {
        matches!(self, Self::NotThere | Self::NoAnswer | Self::Busy | Self::Other(_))
    }

    /// Whether removing the device and pairing it anew helps.
    #[must_use]
    pub fn wants_anew(&self) -> bool {
        matches!(self, Self::StaleKeys | Self::NoInput)
    }
}

/// What a radio reports.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum RadioNews {
    /// Its state from now on.
    State(RadioState),
    /// The devices it knows and has found.
    Devices(Vec<RadioDevice>),
    /// A request about a device is done or has failed, or the person is asked something.
    Of(String, JourneyNews),
    /// A device with this name asked to be paired, unwanted; it was refused.
    Stranger(String),
    /// Something nobody is waiting for failed: why, in a sentence.
    Failed(String),
}

/// A connection to the computer's radio. Its reports come through the sink given when it was made.
pub trait Radio: Send {
    /// Makes a request without waiting.
    fn ask(&self, act: RadioAct);
}

/// Where a radio's reports go.
pub type RadioTeller = Box<dyn Fn(RadioNews) + Send + Sync>;

/// Connects to the radio.
pub type BeginRadio = fn(RadioTeller) -> Box<dyn Radio>;

/// Requests to a radio.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RadioAct {
    /// Begin reporting its state and devices.
    Open,
    /// Switch the adapter on.
    SwitchOn,
    /// Search for devices, or stop.
    Look(bool),
    /// Pair a device.
    Pair(String),
    /// Answer a question: with the typed text, or yes; none means no.
    Answer(String, Option<String>),
    /// Let a device come back by itself.
    Trust(String),
    /// Take its link up.
    Link(String),
    /// Drop its link.
    Drop(String),
    /// Give up what is going on with it.
    Cancel(String),
    /// Remove it with its keys.
    Forget(String),
    /// Rename it.
    Rename(String, String),
}

impl RadioAct {
    /// The address of the device it is about; none if it is about the radio itself.
    #[must_use]
    pub fn address(&self) -> Option<&str> {
        match self {
            Self::Open | Self::SwitchOn | Self::Look(_) => None,
            Self::Pair(address)
            | Self::Answer(address, _)
            | Self::Trust(address)
            | Self::Link(address)
            | Self::Drop(address)
            | Self::Cancel(address)
            | Self::Forget(address)
            | Self::Rename(address, _) => Some(address),
        }
    }
}
