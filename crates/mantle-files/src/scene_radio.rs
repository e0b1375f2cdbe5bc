//! The computer's radio in a scene, and the devices that come by it. Documented in docs/devices-and-scenes.md.

use mantle_core::connecting::{Dialogue, RadioDevice, RadioFault, RadioState};
use serde::Deserialize;

/// The computer's radio.
#[derive(Clone, PartialEq, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneRadio {
    /// What it is able to do.
    #[serde(default)]
    pub state: StateName,
    /// From which second on something else: `[[second, state], …]`.
    #[serde(default)]
    pub states: Vec<(f64, StateName)>,
    /// What else it hears, that is none of the scene's devices.
    #[serde(default)]
    pub also: Vec<SceneHeard>,
    /// Seconds at which something with a name asks to be paired, which nobody wanted.
    #[serde(default)]
    pub strangers: Vec<(f64, String)>,
}

/// What a radio is able to do, as scenes write it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum StateName {
    /// It can be used.
    #[default]
    Ready,
    /// It is switched off.
    Off,
    /// It is kept off by a setting.
    Blocked,
    /// It is kept off by a switch.
    Switch,
    /// There is no adapter.
    Absent,
    /// Nothing speaks to it.
    NoService,
    /// This account may not ask it.
    Denied,
}

impl StateName {
    /// The state.
    #[must_use]
    pub fn state(self) -> RadioState {
        match self {
            Self::Ready => RadioState::Ready,
            Self::Off => RadioState::Off,
            Self::Blocked => RadioState::Blocked { hard: false },
            Self::Switch => RadioState::Blocked { hard: true },
            Self::Absent => RadioState::NoAdapter,
            Self::NoService => RadioState::NoService,
            Self::Denied => RadioState::Denied,
        }
    }
}

/// Something that a radio hears.
#[derive(Clone, PartialEq, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneHeard {
    /// Its address; a device that belongs to the scene has its serial number for one, if nothing else is said.
    #[serde(default)]
    pub address: String,
    /// What it calls itself; a device that belongs to the scene has its own name.
    #[serde(default)]
    pub name: String,
    /// Its class of device.
    pub class: Option<u32>,
    /// Its appearance.
    pub appearance: Option<u16>,
    /// How strong it is heard, in dBm.
    pub signal: Option<i16>,
    /// After so many seconds of looking it is found.
    #[serde(default = "soon")]
    pub found: f64,
    /// Whether it is known already.
    #[serde(default)]
    pub paired: bool,
    /// What pairing asks.
    #[serde(default)]
    pub asks: AsksFor,
    /// The code that belongs to it.
    #[serde(default = "code")]
    pub code: String,
    /// What goes wrong.
    pub fault: Option<FaultName>,
    /// After so many seconds it calls by itself; it cannot be called then.
    pub calls: Option<f64>,
    /// How full its battery is, in percent.
    pub battery: Option<u8>,
    /// So many days ago it was seen last.
    pub days: Option<u64>,
}

/// What pairing asks, as scenes write it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum AsksFor {
    /// Nothing.
    #[default]
    Nothing,
    /// A code is to be typed on the device.
    Type,
    /// Two codes are to be compared.
    Compare,
    /// The code that the device shows is to be entered.
    Enter,
    /// The code that belongs to the device is to be entered.
    Pin,
    /// Whether it may.
    Allow,
}

/// What goes wrong, as scenes write it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum FaultName {
    /// It says no.
    Refuses,
    /// It says nothing.
    Silent,
    /// It belongs to another machine.
    Elsewhere,
    /// It is known here, and does not know this computer any more.
    StaleKeys,
    /// Its link is up, and the system makes no input device of it, until it has been dropped once.
    LateInput,
    /// The system never makes an input device of it.
    NoInput,
}

impl SceneHeard {
    /// As the radio tells of it.
    #[must_use]
    pub fn device(&self) -> RadioDevice {
        RadioDevice {
            address: self.address.clone(),
            name: self.name.clone(),
            class: self.class,
            appearance: self.appearance,
            battery: self.battery.filter(|_| self.paired),
            paired: self.paired,
            trusted: self.paired,
            ..RadioDevice::default()
        }
    }

    /// What it asks.
    #[must_use]
    pub fn dialogue(&self) -> Option<Dialogue> {
        match self.asks {
            AsksFor::Nothing => None,
            AsksFor::Type => Some(Dialogue::Type { code: self.code.clone(), typed: 0 }),
            AsksFor::Compare => Some(Dialogue::Compare(self.code.clone())),
            AsksFor::Enter => Some(Dialogue::EnterCode),
            AsksFor::Pin => Some(Dialogue::EnterPin),
            AsksFor::Allow => Some(Dialogue::Allow),
        }
    }

    /// Why pairing it fails, where it does; silence is none.
    #[must_use]
    pub fn refusal(&self) -> Option<RadioFault> {
        match self.fault? {
            FaultName::Refuses => Some(RadioFault::Refused),
            FaultName::Elsewhere => Some(RadioFault::Elsewhere),
            FaultName::Silent | FaultName::StaleKeys | FaultName::LateInput | FaultName::NoInput => None,
        }
    }
}

fn soon() -> f64 {
    1.0
}

fn code() -> String {
    "004711".into()
}
