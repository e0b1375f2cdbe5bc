//! What the engine and the screen say to each other: plain values that serialise, and all that the screen knows.
//!
//! A [`Snapshot`] is the board and the detail of what the screen asked for ([`Watch`]); an [`Order`] is what the
//! screen wants, most of all a [`Command`], and is answered by its number. Nothing here refers to the engine's
//! memory, so that both may be in different processes. A snapshot with 8 slots and 16 devices stays under
//! [`SNAPSHOT_BYTES`].
//!
//! ```
//! use mantle_talk::{Snapshot, StageState};
//! let empty = Snapshot::default();
//! assert!(empty.slots.is_empty());
//! assert_ne!(StageState::Untried, StageState::Stopped);
//! ```
#![forbid(unsafe_code)]

mod calibration;
mod detail;
mod feel;
mod finding;
mod options;
mod order;
mod reports;
mod rollcall;
mod shelf;

pub use calibration::{AxisView, CalibrationView};
pub use detail::{
    AxisTrialView, BindingRow, CaptureView, ControlRow, Detail, DeviceDetail, FieldRow, HelpView, KeysView, NodeRow,
    SlotDetail, StickTrialView, TrialView,
};
pub use feel::{FeelView, MeasureView};
pub use finding::{FindOrder, FindingView, FoundRow};
pub use mantle_core::binding::{
    Block, Change, Combine, Difference, FACE, Face, Leave, ListEntry, Named, OptionChange, Options, ProfileStoreAct,
    SeenControl, SeenTarget, TEMPLATES, Target, TargetBlock, Template, WideChange, block_of, blocks, read_list, spoken,
    typed_blocks,
};
pub use mantle_core::case::{CASE_SPAN, CaseEvent, CaseNode, CasePiece, CaseTable, GOES_IN, STAYS_OUT};
pub use mantle_core::command::CalibrationStep;
pub use mantle_core::command::{Answer, Asker, Command, CommandNumber, ConnectAct, OWN, RuleAct};
pub use mantle_core::connecting::{
    CameView, ConnectView, Dialogue, JourneyStep, JourneyView, RadioDevice, RadioFault, RadioKind, RadioRow,
    RadioState, USUAL_WAYS,
};
pub use mantle_core::control::ControlKind;
pub use mantle_core::control::calibration::CalibrationPhase;
pub use mantle_core::device::{DeviceId, NodeId};
pub use mantle_core::feel::{Curve, DEAD_ZONE, Feel, Gate, Knob, PRESETS, Setting, Shape, Shaped, percent};
pub use mantle_core::games::{GameRule, GameView, SlotRule};
pub use mantle_core::keys::KeyTarget;
pub use mantle_core::measure::{ByteRole, Gaps, SpreadView, took};
pub use mantle_core::pad::{
    KindStep, PadKind, PadModel, PadState, PadTarget, SURFACE, Sensed, SensedLane, TARGETS, Touch, WAYS,
};
pub use mantle_core::path::{Mark, Mend, Sentence, Stage, StageState, as_sentence};
pub use mantle_core::readiness::Obstacle;
pub use mantle_core::rollcall::CallStep;
pub use mantle_core::seating::MemberId;
pub use mantle_core::session::Counter;
pub use mantle_core::sight::{Holder, ListedDevice, ProgramRow, RowStanding, SightView, Verdict};
pub use mantle_core::slot::{Feedback, LampChoice};
pub use mantle_core::slot::{SLOTS, SlotNumber};
pub use mantle_core::time::Micros;
pub use mantle_core::visible::visible;
pub use options::{OptionsView, WideView};
pub use order::{HandKey, HandMove, Order, Paper, Play, PlaybackOrder, Watch, Wish};
pub use reports::{HistoryAnswer, HistoryRequest, HistoryRow, ReportRow, ReportsDetail};
pub use rollcall::{CallState, HeardView, RollCallView};
pub use shelf::{DIFFERENCES, ProfileRow, ProfilesView};

use serde::{Deserialize, Serialize};

/// The version of these values; raised when they change.
pub const VERSION: u32 = 10;
/// A snapshot's size, serialised, stays under this.
pub const SNAPSHOT_BYTES: usize = 64 * 1024;

/// Everything that the screen draws.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Snapshot {
    /// [`VERSION`] of the engine.
    pub version: u32,
    /// When it was made.
    pub now: Micros,
    /// What stands at the top.
    pub header: Header,
    /// The slots in use.
    pub slots: Vec<SlotRow>,
    /// The connected devices, each part a row.
    pub devices: Vec<DeviceRow>,
    /// The sentences, most urgent first; the first is the one at the bottom.
    pub sentences: Vec<Sentence>,
    /// The names of the profiles.
    pub profiles: Vec<String>,
    /// The kinds of pad that each is for, by name.
    pub profile_kinds: Vec<Vec<String>>,
    /// The detail of what the screen watches.
    pub detail: Detail,
    /// The newest entries of the journal, oldest first; more of them if the screen asked for it.
    pub journal: Vec<JournalRow>,
    /// Answers to the last orders.
    pub answers: Vec<(CommandNumber, Answer)>,
    /// What would be undone next, whoever did it; none if nothing can be.
    pub undo: Option<String>,
    /// What would be redone next.
    pub redo: Option<String>,
    /// Whether everything is released.
    pub paused: bool,
    /// Whether keys are typed although this screen may have the keyboard.
    pub types_here: bool,
    /// Whether the table is locked.
    pub locked: bool,
    /// Whether the board asks for a press, and whether two buttons give a slot at any time.
    pub sitting: (bool, bool),
    /// The press being listened for.
    pub capture: Option<CaptureView>,
    /// The running roll call.
    pub roll_call: Option<RollCallView>,
    /// The running calibration.
    pub calibration: Option<CalibrationView>,
    /// The running search for fields.
    pub finding: Option<FindingView>,
    /// The current recording, or the last one.
    pub recording: Option<RecordingView>,
    /// The profiles, if the screen watches them.
    pub shelf: Option<Box<ProfilesView>>,
    /// What a game would see of this machine, if the screen watches that and somebody has looked.
    pub sight: Option<Box<SightView>>,
    /// What stands in the way of play, if the screen watches that and it is known.
    pub readiness: Option<Vec<Obstacle>>,
    /// The Connect view, if the screen watches that.
    pub connecting: Option<Box<ConnectView>>,
}

impl Snapshot {
    /// The lowest slot that is not in use.
    #[must_use]
    pub fn free_slot(&self) -> Option<SlotNumber> {
        SlotNumber::all().find(|slot| !self.slots.iter().any(|row| row.number == *slot))
    }
}

/// A recording, as the screen sees it.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct RecordingView {
    /// The node.
    pub node: NodeId,
    /// The file.
    pub file: String,
    /// Reports in it so far.
    pub count: u64,
    /// Why it has ended; none while it is running.
    pub ended: Option<String>,
}

/// What stands at the top of every view.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct Header {
    /// The scene's title, or the machine's name.
    pub title: String,
    /// Whether the devices are simulated.
    pub demo: bool,
    /// Whether a recording is played.
    pub replay: bool,
    /// The owner of the configuration, if it is not who runs the program.
    pub account: Option<String>,
    /// Something about the machine or its files that the person should know.
    pub warning: Option<String>,
    /// The engine that this screen is attached to; none if it lives in the screen's own process, and ends with it.
    #[serde(default)]
    pub attached: Option<String>,
}

/// One slot on the board.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct SlotRow {
    /// Its number.
    pub number: SlotNumber,
    /// Its profile.
    pub profile: String,
    /// Names of its members.
    pub names: Vec<String>,
    /// Their numbers, in the same order: a number stays its member's whoever else comes or goes.
    pub members: Vec<MemberId>,
    /// Where they are plugged in.
    pub place: String,
    /// How they are covered.
    pub cover: String,
    /// The seven stages.
    pub stages: [StageState; Stage::COUNT],
    /// What has passed each stage.
    pub passed: [Counter; Stage::COUNT],
    /// Reports a second, over the last second.
    pub rate: u32,
    /// Reports in the last eight eighths of a second, oldest first.
    pub bars: [u16; 8],
    /// The first 64 controls: how many there are, and which are off their rest.
    pub controls: (u16, u64),
    /// How many targets have a source.
    pub bound: u16,
    /// What is played besides the pad: keys, the mouse.
    pub strokes: u16,
    /// The feel in words.
    pub feel: [String; 2],
    /// What the pad shows.
    pub pad: PadState,
    /// Whether the person has paused the pad.
    pub paused: bool,
    /// What comes back to its devices.
    pub feedback: Feedback,
    /// The kind of pad.
    pub kind: PadKind,
    /// What games see, in two short lines.
    pub games: [String; 2],
    /// What to do next; none when it is ready.
    pub next: Option<String>,
    /// Its sentence.
    pub sentence: Sentence,
}

impl SlotRow {
    /// What the Games cell says if games see nothing of a slot.
    pub const NO_PAD: &str = "no pad";

    /// Whether games see a pad of it.
    #[must_use]
    pub fn is_live(&self) -> bool {
        self.games[0] != Self::NO_PAD
    }
}

/// One part of a connected device.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct DeviceRow {
    /// The device.
    pub id: DeviceId,
    /// The part.
    pub part: u8,
    /// The node that it is read from.
    pub node: NodeId,
    /// Its name; parts of one device are numbered.
    pub name: String,
    /// Where it is plugged in.
    pub place: String,
    /// What it is, for example a game pad.
    pub what: String,
    /// Whether it is a keyboard: what it sends is shown and kept only when asked for.
    pub keyboard: bool,
    /// Its slot.
    pub slot: Option<SlotNumber>,
    /// The slot whose device also has this link, while it plays over another one.
    pub waits: Option<SlotNumber>,
    /// Reports a second.
    pub rate: u32,
    /// The first 64 controls: how many, and which are off their rest.
    pub controls: (u16, u64),
    /// When a control last changed.
    pub changed: Counter,
    /// Why it cannot be read, if it cannot.
    pub trouble: Option<String>,
    /// Whether its unused events reach the system while it is held; none if that does not apply.
    pub passes: Option<bool>,
    /// The kinds of pad possible for it, each shaped like the device.
    pub kinds: Vec<PadKind>,
    /// The one that suits it best.
    pub kind: PadKind,
    /// Whether it is an opened recording rather than a device.
    pub recorded: bool,
    /// How it is covered.
    pub cover: String,
    /// Whether it is left to the game.
    pub left: bool,
}

/// An entry of the journal.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct JournalRow {
    /// When.
    pub at: Micros,
    /// How urgent.
    pub mark: Mark,
    /// What happened.
    pub text: String,
}
