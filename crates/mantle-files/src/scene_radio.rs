//! The computer's radio in a scene, and the devices that use it. Documented in docs/devices-and-scenes.md.

use mantle_core::connecting::{Dialogue, RadioDevice, RadioFault, RadioState};
use serde::Deserialize;

/// The computer's radio.
#[derive(Clone, PartialEq, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneRadio {
    /// Its state.
    #[serde(default)]
    pub state: StateName,
    /// Later states: `[[second, state], …]`.
    #[serde(default)]
    pub states: Vec<(f64, StateName)>,
    /// Other devices it hears.
    #[serde(default)]
    pub also: Vec<SceneHeard>,
    /// When something else asks to be paired, and its name.
    #[serde(default)]
    pub strangers: Vec<(f64, String)>,
}

/// States of a radio, as scenes write them.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum StateName {
    /// It can be used.
    #[default]
    Ready,
    /// It is switched off.
    Off,
    /// Blocked by a setting.
    Blocked,
    /// Blocked by a switch.
    Switch,
    /// There is no adapter.
    Absent,
    /// No service talks to it.
    NoService,
    /// This account may not use it.
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

/// A device that a radio hears.
#[derive(Clone, PartialEq, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneHeard {
    /// Its address; by default, the serial number of the scene's device.
    #[serde(default)]
    pub address: String,
    /// Its name; by default, that of the scene's device.
    #[serde(default)]
    pub name: String,
    /// Its class of device.
    pub class: Option<u32>,
    /// Its appearance.
    pub appearance: Option<u16>,
    /// Signal strength in dBm.
    pub signal: Option<i16>,
    /// Seconds of searching until it is found.
    #[serde(default = "soon")]
    pub found: f64,
    /// Whether it is paired already.
    #[serde(default)]
    pub paired: bool,
    /// What pairing asks.
    #[serde(default)]
    pub asks: AsksFor,
    /// The right code.
    #[serde(default = "code")]
    pub code: String,
    /// Its fault.
    pub fault: Option<FaultName>,
    /// It connects by itself after this many seconds, and cannot be called.
    pub calls: Option<f64>,
    /// Battery in percent.
    pub battery: Option<u8>,
    /// Days since it was last seen.
    pub days: Option<u64>,
}

/// Questions of pairing, as scenes write them.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum AsksFor {
    /// Nothing.
    #[default]
    Nothing,
    /// Type a code on the device.
    Type,
    /// Compare two codes.
    Compare,
    /// Enter the code that the device shows.
    Enter,
    /// Enter the device's fixed code.
    Pin,
    /// Allow it.
    Allow,
}

/// Faults, as scenes write them.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum FaultName {
    /// It refuses.
    Refuses,
    /// It does not answer.
    Silent,
    /// It belongs to another machine.
    Elsewhere,
    /// It is paired here, but has forgotten this computer.
    StaleKeys,
    /// Its link comes up without an input device, until it has been dropped once.
    LateInput,
    /// The system never makes an input device for it.
    NoInput,
}

impl SceneHeard {
    /// The device as the radio reports it.
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

    /// Its question.
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

    /// Why pairing fails, if it does; silence has no reason.
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
