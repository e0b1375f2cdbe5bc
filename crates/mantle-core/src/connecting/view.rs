//! What somebody sees who connects a device.

use super::{JourneyStep, RadioDevice, RadioState};
use crate::control::Half;
use crate::device::DeviceId;
use crate::sheet::Sheet;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// So many of the devices that a radio has found are shown.
pub const SHOWN: usize = 40;

/// What makes a controller look for a computer, where nobody knows the model: one way after another.
pub const USUAL_WAYS: [&str; 4] = [
    "by cable: plug it in",
    "by radio: hold its pairing button, often small and near the socket, until its lamp blinks fast",
    "without such a button: hold the round middle button and the small one to its left for 5 s",
    "by its own receiver: plug that in, press its button, then switch the controller on",
];

/// What somebody sees who connects a device.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct ConnectView {
    /// What the radio is able to do.
    pub state: RadioState,
    /// Whether it looks for devices.
    pub looks: bool,
    /// What it knows and has found, in the order in which that is shown.
    pub rows: Vec<RadioRow>,
    /// How many more there are.
    pub more: usize,
    /// The device that is on its way, or was last.
    pub journey: Option<JourneyView>,
    /// What has turned up since somebody began to look, by whatever way, the newest last.
    pub came: Vec<CameView>,
}

/// A device that the radio knows or has found.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct RadioRow {
    /// What is known of it.
    pub device: RadioDevice,
    /// What its sheet says, line by line: what to do, or what else there is to know.
    pub hints: Vec<(String, String)>,
    /// When it was seen last, in words.
    pub seen: Option<String>,
}

/// A device that is on its way.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct JourneyView {
    /// Its address.
    pub address: String,
    /// What it is called.
    pub name: String,
    /// Where it is.
    pub step: JourneyStep,
    /// The same in a sentence, with what to do.
    pub sentence: String,
    /// How many seconds the step may still take.
    pub left: Option<u64>,
    /// What it is at the table, once it is there.
    pub device: Option<(DeviceId, u8)>,
}

/// What has turned up.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct CameView {
    /// Which it is, and its first part.
    pub device: (DeviceId, u8),
    /// What it is called.
    pub name: String,
    /// By what way it has come.
    pub way: String,
    /// What the radio knows of it, if it has come by that: it is not among the others then.
    pub radio: Option<RadioDevice>,
    /// The slot that it has already.
    pub slot: Option<SlotNumber>,
    /// Whether anything has come from it.
    pub speaks: bool,
    /// What else is to be known: the other half is missing, nobody is at the other end, it types as well.
    pub notes: Vec<String>,
}

/// What a sheet tells somebody who connects such a device.
pub(crate) fn hints(sheet: &Sheet) -> Vec<(String, String)> {
    let all = [
        ("pair", &sheet.pairing),
        ("lamps", &sheet.hints.lamps),
        ("mode", &sheet.hints.mode),
        ("elsewhere", &sheet.hints.elsewhere),
    ];
    let said = all.into_iter().filter_map(|(label, text)| Some((label.to_owned(), text.clone()?)));
    let half = sheet.half.map(|half| {
        let (own, other) = halves(half);
        ("half".to_owned(), format!("it is the {own} one of a pair; the {other} one is paired separately"))
    });
    said.chain(half).collect()
}

/// What a half and the other one are called.
pub(crate) fn halves(half: Half) -> (&'static str, &'static str) {
    match half {
        Half::Left => ("left", "right"),
        Half::Right => ("right", "left"),
    }
}
