//! The detail of one slot or device.

use crate::feel::FeelView;
use crate::options::{OptionsView, is_usual};
use crate::reports::ReportsDetail;
use mantle_core::binding::{Combine, Face, SeenControl, Target};
use mantle_core::control::Packing;
use mantle_core::device::{DeviceId, NodeId};
use mantle_core::finding::Field;
use mantle_core::measure::SpreadView;
use mantle_core::pad::{PadKind, PadTarget};
use mantle_core::sight::Verdict;
use mantle_core::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// What the screen asked to see closely.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub enum Detail {
    /// Nothing.
    #[default]
    None,
    /// A slot.
    Slot(Box<SlotDetail>),
    /// A device that no slot has.
    Device(Box<DeviceDetail>),
}

impl Detail {
    /// The devices that are shown closely.
    #[must_use]
    pub fn devices(&self) -> &[DeviceDetail] {
        match self {
            Self::Slot(slot) => &slot.devices,
            Self::Device(device) => std::slice::from_ref(&**device),
            Self::None => &[],
        }
    }
}

/// A slot closely.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct SlotDetail {
    /// The slot.
    pub number: SlotNumber,
    /// The kind of pad.
    pub kind: PadKind,
    /// Its members' devices.
    pub devices: Vec<DeviceDetail>,
    /// All targets of the pad, bound or not; behind them what its profile plays beside the pad.
    pub bindings: Vec<BindingRow>,
    /// Controls that play nothing, and why.
    pub left_out: Vec<(String, String)>,
    /// What the profile says and nothing plays here: where that stands, and why.
    pub unplayed: Vec<(String, String)>,
    /// How it feels.
    pub feel: FeelView,
    /// Where each lane of a pad is before feel: shares, X right and Y down positive.
    pub before_feel: Vec<f32>,
    /// What the system calls the pad.
    pub pad_node: String,
    /// By which way it is made, in words; empty where there is none.
    pub made: String,
    /// Whether it was to be a device of its own, and is none.
    pub not_apart: bool,
    /// Which programs had its pad open when that was asked last; none as long as it is not known.
    pub readers: Option<Vec<String>>,
    /// What it types beside the pad; none if it types nothing.
    pub keys: Option<KeysView>,
    /// The layers of its profile: names, what is held for them, and whether that switches them.
    pub layers: Vec<(String, String, bool)>,
    /// The person's notes in the profile.
    pub notes: String,
    /// Where the profile says that controls sit.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub face: Face,
    /// What trying the pad has found so far, if it is tried.
    pub trial: Option<TrialView>,
    /// Help for assigning a control inside a game.
    pub helping: Option<HelpView>,
    /// What it has taken from a report to the pad within the last minute.
    pub delay: SpreadView,
    /// Rumble asked for by a game: strong, weak.
    pub rumble: Option<(u16, u16)>,
    /// What games want of its pad's lamps; empty if nothing.
    pub game_lamps: String,
    /// Whether any of its devices has motors, and lamps, that are known.
    pub shows: (bool, bool),
    /// What a game sees of it.
    pub verdict: Verdict,
    /// Which of all that it plays with a game finds its pad to be, from 1.
    pub game_number: u16,
}

/// A device, or one part of it, closely.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct DeviceDetail {
    /// The device.
    pub id: DeviceId,
    /// The part.
    pub part: u8,
    /// Its name.
    pub name: String,
    /// Whether it is connected.
    pub present: bool,
    /// Bus and port.
    pub place: String,
    /// Vendor, product and version.
    pub ids: (u16, u16, u16),
    /// Serial number or address.
    pub serial: String,
    /// What it is, for example a game pad.
    pub what: String,
    /// The kernel driver that serves it.
    pub driver: String,
    /// The sheet that it is read by; none if its descriptor is enough.
    pub sheet: Option<String>,
    /// Where its sheet says that its controls sit.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub face: Face,
    /// What the sheet makes of the latest report beside its controls, and how such a device is paired: labels and values.
    pub sensed: Vec<(String, String)>,
    /// Its nodes.
    pub nodes: Vec<NodeRow>,
    /// How it is covered.
    pub cover: String,
    /// Whether what nothing uses of it is passed on to the system while it is held; none where that is no question.
    pub passes: Option<bool>,
    /// Reports: all, readable, unreadable.
    pub reports: (u64, u64, u64),
    /// What was wrong with the last unreadable one.
    pub last_bad: String,
    /// Its controls.
    pub controls: Vec<ControlRow>,
    /// Fields that found no control.
    pub unread: u32,
    /// Its node.
    pub node: NodeId,
    /// Its reports, if the screen asked for them; none of a keyboard.
    pub arriving: Option<ReportsDetail>,
    /// Fields of its reports, if the screen asked for them.
    pub fields: Vec<FieldRow>,
}

impl DeviceDetail {
    /// Its controls, in the order in which people count them.
    #[must_use]
    pub fn seen_controls(&self) -> Vec<SeenControl<'_>> {
        let controls = self.controls.iter();
        controls.map(|one| SeenControl { name: &one.name, kind: &one.kind, number: one.number }).collect()
    }

    /// How many controls it has, in words.
    #[must_use]
    pub fn count_of_controls(&self) -> String {
        format!("{}, {} fields without meaning", self.controls.len(), self.unread)
    }
}

/// A node of a device.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct NodeRow {
    /// Its path.
    pub path: String,
    /// Open, closed, or why it is refused.
    pub access: String,
}

/// An element of a report.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct FieldRow {
    /// Report id, 0 if the device numbers none.
    pub report: u8,
    /// First bit, counted from the one after the id byte.
    pub offset: u32,
    /// Bits.
    pub width: u32,
    /// What it means.
    pub name: String,
    /// Its control's number, if it is one.
    pub control: Option<u16>,
    /// Whether it is sign-extended.
    pub signed: bool,
    /// Whether its bits are counted from the highest of each byte.
    pub big: bool,
    /// What it measures, where a sheet says so: factor, offset, unit.
    pub scale: Option<(f64, f64, String)>,
    /// Its logical range.
    pub range: (i32, i32),
    /// Its raw value in the latest report.
    pub raw: i64,
    /// The same as a share of its range, 0 to 1.
    pub share: f32,
}

impl FieldRow {
    /// What it measures, in its unit.
    #[must_use]
    pub fn measured(&self) -> Option<String> {
        let (factor, offset, unit) = self.scale.as_ref()?;
        Some(format!("{:.1} {unit}", self.raw as f64 * factor + offset))
    }

    /// The same element of another report, whose bytes behind the id these are; none if it is not wholly there.
    #[must_use]
    pub fn of(&self, body: &[u8]) -> Option<Self> {
        if (self.offset + self.width) as usize > body.len() * 8 {
            return None;
        }
        let packing = if self.big { Packing::Big } else { Packing::Little };
        let value = Field { at: self.offset, size: self.width as u8, packing, signed: self.signed }.of(body);
        let (min, max) = self.range;
        let span = (f64::from(max) - f64::from(min)).max(1.0);
        let share = ((f64::from(value) - f64::from(min)) / span).clamp(0.0, 1.0) as f32;
        Some(Self { raw: i64::from(value), share, ..self.clone() })
    }
}

/// A control closely.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct ControlRow {
    /// Its number.
    pub number: u16,
    /// Its name.
    pub name: String,
    /// Its kind in a word.
    pub kind: String,
    /// Its raw value.
    pub raw: i32,
    /// The same as a share of its range, 0 to 1, as it was calibrated.
    pub share: f32,
    /// The lowest and the highest raw value that the device promises.
    pub promised: (i32, i32),
    /// How far it has been seen to go, if somebody has looked.
    pub seen: Option<(i32, i32)>,
    /// Where it was still for longest, and how far it trembled there either way.
    pub rest: Option<(i32, i32)>,
    /// Its calibration: lowest, rest, highest.
    pub calibrated: Option<(i32, i32, i32)>,
    /// Whether it is off its rest.
    pub active: bool,
    /// What it plays, in words; empty if nothing.
    pub plays: String,
}

/// A press that is listened for, and what was heard.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct CaptureView {
    /// The slot.
    pub slot: SlotNumber,
    /// What the press shall play.
    pub target: Target,
    /// Something is pressed now.
    pub pressed: bool,
    /// What it was taken for: the source as it is written, whether it runs backwards, and why.
    pub taken: Option<(String, bool, String)>,
    /// Why it could not be told.
    pub unclear: Option<String>,
}

/// What trying a pad has found so far.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct TrialView {
    /// Seconds since it began.
    pub seconds: u32,
    /// The pad's sticks.
    pub sticks: Vec<StickTrialView>,
    /// All of its axes, those of sticks among them.
    pub axes: Vec<AxisTrialView>,
    /// What has been off its rest for ten seconds without a move, by name.
    pub stuck: Vec<String>,
}

/// What trying a stick has found.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct StickTrialView {
    /// What it is called.
    pub name: String,
    /// Its X and its Y, by their places among the axes.
    pub axes: [u8; 2],
    /// Its outline: points in shares of full travel, X to the right and Y down.
    pub outline: Vec<(f32, f32)>,
    /// How far it goes at least and at most, and how far it is off a circle on the average, as a share; none until it has been
    /// rolled round.
    pub roundness: Option<(f32, f32, f32)>,
}

/// What trying an axis has found.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct AxisTrialView {
    /// What it is called.
    pub name: String,
    /// Its ends.
    pub ends: (i32, i32),
    /// How far it went, from and to; none until something has been seen.
    pub travel: Option<(i32, i32)>,
    /// How far it went to and fro while nobody touched it, within the last minute, as a share of full travel, and in how many
    /// seconds that was seen.
    pub drift: (f32, u32),
}

impl TrialView {
    /// The axes that are no stick's.
    pub fn singles(&self) -> impl Iterator<Item = &AxisTrialView> {
        let of_stick = |at: usize| self.sticks.iter().any(|stick| stick.axes.contains(&(at as u8)));
        self.axes.iter().enumerate().filter(move |(at, _)| !of_stick(*at)).map(|(_, axis)| axis)
    }

    /// The drift of a stick: the larger of its axes', and the seconds in which both were seen.
    #[must_use]
    pub fn drift_of(&self, stick: &StickTrialView) -> (f32, u32) {
        let axes = stick.axes.iter().filter_map(|at| self.axes.get(usize::from(*at)));
        axes.fold((0.0, u32::MAX), |(most, least), axis| (axis.drift.0.max(most), axis.drift.1.min(least)))
    }
}

/// What a slot types.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct KeysView {
    /// The names of its nodes; empty until they are there.
    pub nodes: String,
    /// Why they cannot be made, and what to do about it.
    pub fault: Option<String>,
    /// Why nothing is typed now, and what ends that.
    pub held_back: Option<String>,
    /// What the profile wants to type without permission.
    pub not_agreed: Vec<String>,
    /// Whether anything is allowed.
    pub agreed: bool,
    /// Whether the pad plays as well: some games change between the two at each press.
    pub flickers: bool,
}

/// Help for assigning a control inside a game.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct HelpView {
    /// The control.
    pub target: PadTarget,
    /// Whether only it is sent; otherwise it is pressed automatically.
    pub only: bool,
    /// Tenths of a second until it is pressed, or until everything is sent again; 0 while it is pressed.
    pub left: u16,
}

/// A target with its sources.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct BindingRow {
    /// The target.
    pub target: Target,
    /// Its name on this kind of pad.
    pub name: String,
    /// Its sources in words.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub sources: Vec<String>,
    /// The options of each source, in short.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub options: Vec<OptionsView>,
    /// Which of them are default bindings.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub guessed: Vec<bool>,
    /// How they combine.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub combine: Combine,
    /// The options of each source in words, and its device.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub how: Vec<(String, String)>,
    /// The sources as profiles write them, and where each is written: a layer, and a place in a file, or that it is a default.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub said: Vec<(String, String, String)>,
    /// Its number in games.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub index: String,
    /// What it does in the game, in the person's words.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub action: Option<String>,
    /// What games print for it.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub prompt: Option<String>,
    /// Index of the source that makes its present value.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub by: Option<u8>,
    /// How far it is from rest, 0 to 1.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub share: f32,
    /// Whether it was seen from rest to full and back.
    #[serde(default, skip_serializing_if = "is_usual")]
    pub seen: bool,
}
