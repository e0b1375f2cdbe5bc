//! What a radio is able to do, what it has found, what it asks, and what it may be asked for.

use super::JourneyNews;
use serde::{Deserialize, Serialize};

/// What the computer's radio is able to do now.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum RadioState {
    /// Nobody has looked yet.
    #[default]
    Unknown,
    /// Nothing on this computer speaks to radios.
    NoService,
    /// This account may not ask it.
    Denied,
    /// There is no adapter.
    NoAdapter,
    /// It is kept off: by a switch of the machine's, or by a setting.
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
    /// What is so, in a sentence.
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

    /// What mends it; nothing where nothing is to be mended.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::Unknown | Self::Ready => "",
            Self::NoService => {
                "Install and start the Bluetooth service (package bluez; as root: systemctl start bluetooth). Cables and receivers work without it."
            }
            Self::Denied => "Log in at the machine itself, or add the account to the group bluetooth.",
            Self::NoAdapter => "Plug in an adapter. Cables and the controller's own receiver work without one.",
            Self::Blocked { hard: true } => "Move the switch, or press the key with the antenna.",
            Self::Blocked { hard: false } => "As root: rfkill unblock bluetooth.",
            Self::Off => "Switch it on.",
        }
    }

    /// What the program itself can do about it.
    #[must_use]
    pub fn mend(&self) -> Option<RadioAct> {
        (*self == Self::Off).then_some(RadioAct::SwitchOn)
    }
}

/// What something that was found seems to be.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Default, Serialize, Deserialize)]
pub enum RadioKind {
    /// A controller.
    Controller,
    /// Something to steer with that does not say what: it has reports, or does not tell yet what it has.
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
    /// Its address, which tells it from all others.
    pub address: String,
    /// What it calls itself, or what somebody has called it.
    pub name: String,
    /// Its class of device (Bluetooth assigned numbers), if it has said one.
    pub class: Option<u32>,
    /// Its appearance, likewise.
    pub appearance: Option<u16>,
    /// Its services, by their 16-bit numbers.
    pub services: Vec<u16>,
    /// How strong it is heard, in dBm; none if it is not heard now.
    pub signal: Option<i16>,
    /// This computer and it have keys of each other.
    pub paired: bool,
    /// It may come back by itself.
    pub trusted: bool,
    /// Its link is up.
    pub linked: bool,
    /// How full its battery is, in percent.
    pub battery: Option<u8>,
    /// Vendor and product, if it has said them.
    pub ids: Option<(u16, u16)>,
    /// When it was seen last, in seconds from the beginning of 1970.
    pub seen: Option<u64>,
}

/// Human interface devices, as services: of the older radio and of the newer one.
const REPORTS: [u16; 2] = [0x1124, 0x1812];

impl RadioDevice {
    /// What it seems to be. What it says by its appearance counts before its class, and both before its services.
    #[must_use]
    pub fn kind(&self) -> RadioKind {
        match self.appearance {
            Some(0x03c3 | 0x03c4) => return RadioKind::Controller,
            Some(0x03c1 | 0x03c2 | 0x03c5 | 0x03c7) => return RadioKind::Steering,
            _ => {}
        }
        if let Some(class) = self.class.filter(|class| class >> 8 & 0x1f == 0x05) {
            // A peripheral: below, what of it; above, whether it types or points.
            return match (class >> 2 & 0x0f, class >> 6 & 0x03) {
                (1 | 2, _) => RadioKind::Controller,
                (_, 1..=3) => RadioKind::Steering,
                _ => RadioKind::Unsaid,
            };
        }
        let has_reports = self.services.iter().any(|service| REPORTS.contains(service));
        if has_reports { RadioKind::Unsaid } else { RadioKind::Other }
    }

    /// How it stands, in words.
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

/// The devices in the order in which they are shown: controllers first, then what may be one; of these what is heard now, best first, then what
/// is known and not heard, and last what is connected already. The rest keeps the order of the addresses, so that a list that grows does not jump.
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
    /// This code is to be typed on the device; so many of its digits have been.
    Type {
        /// The code, as it is written.
        code: String,
        /// How many digits have been typed.
        typed: u16,
    },
    /// The device shows a code: is it this one?
    Compare(String),
    /// The device shows a code, which is to be entered here: six digits.
    EnterCode,
    /// The device has a fixed code, to be entered here: up to sixteen letters and digits.
    EnterPin,
    /// It wants to be paired, and asks nothing: may it?
    Allow,
}

impl Dialogue {
    /// What is asked, in a sentence.
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

    /// What an answer has to be.
    #[must_use]
    pub fn wants(&self) -> &'static str {
        match self {
            Self::EnterCode => "the code has six digits",
            Self::EnterPin => "the code has 1 to 16 letters and digits",
            Self::Type { .. } => "the code is typed on the device",
            Self::Compare(_) | Self::Allow => "the answer is yes or no",
        }
    }

    /// Whether what somebody has typed can be an answer.
    #[must_use]
    pub fn takes(&self, typed: &str) -> bool {
        match self {
            Self::EnterCode => typed.len() == 6 && typed.bytes().all(|c| c.is_ascii_digit()),
            Self::EnterPin => (1..=16).contains(&typed.len()) && typed.bytes().all(|c| c.is_ascii_alphanumeric()),
            Self::Type { .. } | Self::Compare(_) | Self::Allow => typed.is_empty(),
        }
    }
}

/// Why something was not done.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RadioFault {
    /// The device, or somebody here, has said no.
    Refused,
    /// The code was another one.
    WrongCode,
    /// Nothing has come back in time.
    NoAnswer,
    /// It answers, and does not pair: it belongs to another machine.
    Elsewhere,
    /// One of the two has forgotten the other's keys.
    StaleKeys,
    /// It is not there: off, or out of reach.
    NotThere,
    /// Its link is up, and the system makes no input device of it.
    NoInput,
    /// Something else is being done with it.
    Busy,
    /// The radio itself has gone.
    NoRadio,
    /// Something else: in the service's own words.
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

    /// Whether a link that was refused by it may come all the same: the device may call by itself.
    #[must_use]
    pub fn passes(&self) -> bool {
        matches!(self, Self::NotThere | Self::NoAnswer | Self::Busy | Self::Other(_))
    }

    /// Whether it helps to remove the device and to pair it anew.
    #[must_use]
    pub fn wants_anew(&self) -> bool {
        matches!(self, Self::StaleKeys | Self::NoInput)
    }
}

/// What a radio says.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum RadioNews {
    /// It is able to do this from now on.
    State(RadioState),
    /// It knows these devices, and has found them.
    Devices(Vec<RadioDevice>),
    /// What was asked of it about a device is done or refused, or something is asked of the person.
    Of(String, JourneyNews),
    /// A device with this name has asked to be paired, which nobody wanted; it was refused.
    Stranger(String),
    /// Something that nobody waits for could not be done: why, in a sentence.
    Failed(String),
}

/// Whoever speaks to the computer's radio. What it says comes by the way that it was given when it was made.
pub trait Radio: Send {
    /// Asks for something, and waits for nothing.
    fn ask(&self, act: RadioAct);
}

/// Whoever is told what a radio says.
pub type RadioTeller = Box<dyn Fn(RadioNews) + Send + Sync>;

/// Begins to speak to a radio.
pub type BeginRadio = fn(RadioTeller) -> Box<dyn Radio>;

/// What a radio is asked for.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RadioAct {
    /// What it can do and knows is told from now on.
    Open,
    /// The adapter is switched on.
    SwitchOn,
    /// It looks for devices, or no longer.
    Look(bool),
    /// A device is paired.
    Pair(String),
    /// What a dialogue asked is answered: what was typed, or yes; none is no.
    Answer(String, Option<String>),
    /// A device may come back by itself from now on.
    Trust(String),
    /// Its link is taken up.
    Link(String),
    /// Its link is dropped.
    Drop(String),
    /// What goes on with it is given up.
    Cancel(String),
    /// It is removed, with its keys.
    Forget(String),
    /// It is called this from now on.
    Rename(String, String),
}

impl RadioAct {
    /// The address of the device that it is about; none where it is about the radio itself.
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
