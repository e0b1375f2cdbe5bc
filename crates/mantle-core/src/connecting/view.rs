//! What the Connect view shows.

use super::{JourneyStep, RadioDevice, RadioState};
use crate::control::Half;
use crate::device::DeviceId;
use crate::sheet::Sheet;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The most devices of a radio that are shown.
pub const SHOWN: usize = 40;

/// The usual ways to make a controller discoverable, if nobody knows the model.
pub const USUAL_WAYS: [&str; 4] = [
    "by cable: plug it in",
    "by radio: hold its pairing button, often small and near the socket, until its lamp blinks fast",
    "without such a button: hold the round middle button and the small one to its left for 5 s",
    "by its own receiver: plug that in, press its button, then switch the controller on",
];

/// What the Connect view shows.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct ConnectView {
    /// The state of the radio.
    pub state: RadioState,
    /// Whether it is searching.
    pub looks: bool,
    /// The devices it knows and has found, in display order.
    pub rows: Vec<RadioRow>,
    /// How many more there are.
    pub more: usize,
    /// The device being connected, or the last one.
    pub journey: Option<JourneyView>,
    /// What has turned up since the search began, over any link, newest last.
    pub came: Vec<CameView>,
}

/// A device that the radio knows or has found.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct RadioRow {
    /// The radio's facts.
    pub device: RadioDevice,
    /// What its sheet says, line by line: how to connect it, and what else to know.
    pub hints: Vec<(String, String)>,
    /// When it was last seen, in words.
    pub seen: Option<String>,
}

/// A device being connected.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct JourneyView {
    /// Its address.
    pub address: String,
    /// Its name.
    pub name: String,
    /// Where it is.
    pub step: JourneyStep,
    /// The same in a sentence, with what to do.
    pub sentence: String,
    /// Seconds left for this step.
    pub left: Option<u64>,
    /// The device at the table, once it is there.
    pub device: Option<(DeviceId, u8)>,
}

/// Something that has turned up.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct CameView {
    /// The device and its first part.
    pub device: (DeviceId, u8),
    /// Its name.
    pub name: String,
    /// Its link.
    pub way: String,
    /// The radio's facts, if it came by radio; then it is not listed among the others.
    pub radio: Option<RadioDevice>,
    /// Its slot, if it has one.
    pub slot: Option<SlotNumber>,
    /// Whether it has sent anything.
    pub speaks: bool,
    /// What else to know: its other half is missing, nobody is at the other end, it also types.
    pub notes: Vec<String>,
}

/// What a sheet says about connecting such a device.
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

/// The names of a half and of its other half.
pub(crate) fn halves(half: Half) -> (&'static str, &'static str) {
    match half {
        Half::Left => ("left", "right"),
        Half::Right => ("right", "left"),
    }
}
