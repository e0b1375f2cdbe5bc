//! Commands: the only way to change anything. Each has a number, an answer and an inverse.

use crate::binding::{Change, ProfileStoreAct, Target};
use crate::control::Calibration;
use crate::device::DeviceId;
use crate::feel::{Knob, Shaped};
use crate::games::{GameRule, GameSign};
use crate::pad::{PadKind, PadTarget};
use crate::rollcall::CallStep;
use crate::seating::MemberId;
use crate::slot::Feedback;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The number under which a command is answered.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct CommandNumber(pub u32);

/// Who asks: a screen or a script, by its index at the engine.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct Asker(pub u8);

impl Asker {
    /// The most askers at a time.
    pub const COUNT: usize = 16;
}

impl CommandNumber {
    /// Bits for an asker's own numbers.
    const OWN_BITS: u32 = 27;
    /// The largest number an asker may use.
    pub const LAST_OWN: u32 = (1 << Self::OWN_BITS) - 1;

    /// The number of an asker's order.
    #[must_use]
    pub const fn of(asker: Asker, own: u32) -> Self {
        Self((asker.0 as u32 & 15) << Self::OWN_BITS | own & Self::LAST_OWN)
    }

    /// The asker.
    #[must_use]
    pub const fn asker(self) -> Asker {
        Asker((self.0 >> Self::OWN_BITS & 15) as u8)
    }
}

/// Larger numbers are used by the program itself, for changes during a roll call.
pub const OWN: u32 = 1 << 31;

/// Requests to the computer's radio.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum ConnectAct {
    /// Connect the device with this address.
    Begin(String),
    /// Answer an open question: with the typed text, or yes; none means no.
    Answer(Option<String>),
    /// Give up connecting.
    GiveUp,
    /// Remove the device that failed to connect, and pair it anew.
    Anew,
    /// Remove a device with its keys.
    Forget(String),
    /// Rename a device.
    Rename(String, String),
    /// Disconnect a device: most switch themselves off then.
    Drop(String),
    /// Switch the radio on.
    SwitchOn,
    /// The device that turned up is not the one: search on.
    LookOn,
}

/// Changes to the rules for games.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RuleAct {
    /// Make a rule for a running program; how to recognise it is worked out. A rule that names no slots gets the present ones.
    Add {
        /// The process number.
        pid: u32,
        /// The rule, without its program.
        rule: GameRule,
    },
    /// Set this rule, replacing one for the same program.
    Put(GameRule),
    /// Delete the rule for this program.
    Drop(Vec<GameSign>),
}

/// Everything that can be asked for.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Command {
    /// Give a part of a device a slot that is free.
    Place {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
        /// The kind of pad.
        kind: PadKind,
        /// The profile's name.
        profile: String,
    },
    /// Set what comes back to a slot's devices: strength of rumble, what lamps show.
    SetFeedback {
        /// The slot.
        slot: SlotNumber,
        /// The new setting.
        feedback: Feedback,
    },
    /// Make a device rumble and blink, to find it.
    FindDevice {
        /// The device.
        device: DeviceId,
    },
    /// Tell a slot's player something through their device, if it can (given by the program itself).
    Nudge {
        /// The slot.
        slot: SlotNumber,
        /// Whether it may rumble.
        shakes: bool,
        /// Whether it may blink.
        blinks: bool,
    },
    /// Change a slot's kind of pad: games see the old pad go and a new one come.
    Kind {
        /// The slot.
        slot: SlotNumber,
        /// The kind.
        kind: PadKind,
    },
    /// Try again to hide a device from games after a refusal.
    CoverAnew {
        /// The device.
        device: DeviceId,
    },
    /// Save or delete a rule for a game.
    Rule(RuleAct),
    /// Ask something of the radio.
    Connect(ConnectAct),
    /// Set slots like this as long as a process is running.
    PlayFor {
        /// The process number.
        pid: u32,
        /// The game, since the process may have another name.
        called: String,
        /// The rule, without its program.
        rule: GameRule,
    },
    /// Look again at what a game would see of this machine, and who has what open.
    Look,
    /// Move the player of one slot to another; whoever was there moves to the first.
    Move {
        /// From.
        from: SlotNumber,
        /// To.
        to: SlotNumber,
    },
    /// Empty a slot: its pad goes, and its device gets no slot unasked again.
    TakeOut {
        /// The slot.
        slot: SlotNumber,
    },
    /// Restore an absent device to its slot (the inverse of taking out).
    Restore {
        /// The slot.
        slot: SlotNumber,
        /// The command that took it out, by number.
        taken_out: CommandNumber,
    },
    /// Tie a part of a device to a slot that is in use: several devices, one player.
    Tie {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// Say that a device is a slot's own, over another link or in another mode; it is remembered.
    SameDevice {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// Make it separate again.
    OtherDevice {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
    },
    /// Lend a part of a device a slot whose own devices are away, until one is back.
    Lend {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// Untie a member.
    Untie {
        /// The slot.
        slot: SlotNumber,
        /// Index of the device.
        member: MemberId,
        /// The slot it moves to, if free, with its kind of pad and profile; none if it gets none.
        back: Option<(SlotNumber, PadKind, String)>,
    },
    /// Tie it again (the inverse of untying).
    TieAgain {
        /// The slot.
        slot: SlotNumber,
        /// The command that untied it, by number.
        untied: CommandNumber,
    },
    /// Release every grab and rest all pads.
    LetGo,
    /// Resume.
    Resume,
    /// Pause a slot's pad, or resume it.
    PauseSlot {
        /// The slot.
        slot: SlotNumber,
        /// Whether it is paused.
        paused: bool,
    },
    /// Allow what a slot's profile types, or withdraw that.
    LetType {
        /// The slot.
        slot: SlotNumber,
        /// Whether it may type.
        allowed: bool,
    },
    /// Say whether the program's own screen has the keyboard; while it has, no keys are typed.
    HaveScreen(bool),
    /// Type all the same, for terminals that do not report focus.
    TypeHere(bool),
    /// Choose what a device's feel controls step.
    ChooseFeel {
        /// The slot.
        slot: SlotNumber,
        /// The stick or trigger.
        which: Shaped,
        /// The setting.
        knob: Knob,
    },
    /// Leave a device to the game on purpose, or take that back.
    LeaveToGame {
        /// The device.
        device: DeviceId,
        /// Whether it is left.
        left: bool,
    },
    /// Allow the only mouse to be held while it plays, so that the pointer stands still, or withdraw that. It is given back with every
    /// pause, and while somebody has a screen of the program open.
    TakePointer {
        /// The mouse.
        device: DeviceId,
        /// Whether it may be held.
        taken: bool,
    },
    /// Listen for the next press on any of the slot's devices, as a source for a target.
    Listen {
        /// The slot.
        slot: SlotNumber,
        /// The target.
        target: Target,
    },
    /// Stop listening.
    StopListening,
    /// Begin a roll call: the pad's controls are asked for one by one.
    CallRoll {
        /// The slot.
        slot: SlotNumber,
        /// The targets; none for all.
        targets: Vec<Target>,
    },
    /// Steer the roll call.
    StepCall(CallStep),
    /// End it, keeping the answers.
    EndCall,
    /// Choose a slot's profile.
    PlayBy {
        /// The slot.
        slot: SlotNumber,
        /// The profile's name.
        profile: String,
    },
    /// Make a new profile and use it.
    NewProfile {
        /// The slot.
        slot: SlotNumber,
        /// The template's name; none for a copy of the slot's profile.
        like: Option<String>,
    },
    /// Act on a profile's file.
    ProfileStore(ProfileStoreAct),
    /// Change a slot's profile; instead of the plain one, a new one is made.
    Edit {
        /// The slot.
        slot: SlotNumber,
        /// The changes, all or none.
        changes: Vec<Change>,
    },
    /// Change it further, as part of the last change: one undo takes both back.
    Amend {
        /// The slot.
        slot: SlotNumber,
        /// The changes, all or none.
        changes: Vec<Change>,
    },
    /// Undo the last command, whoever gave it; after a restart, the last change of this slot's profile, which is kept
    /// with the profile.
    Undo {
        /// The shown slot, if any.
        slot: Option<SlotNumber>,
    },
    /// Redo what was undone last, or the same for this slot's profile.
    Redo {
        /// The shown slot, if any.
        slot: Option<SlotNumber>,
    },
    /// Undo or redo the last change of a slot's profile.
    TakeBack {
        /// The slot.
        slot: SlotNumber,
        /// Redo it.
        again: bool,
    },
    /// Switch a slot between the feel before its change and the new one.
    FlipFeel {
        /// The slot.
        slot: SlotNumber,
    },
    /// Measure the dead zones of a stick or trigger; none stops.
    MeasureFeel(Option<(SlotNumber, Shaped)>),
    /// Raise the output slowly, to find where a game begins to react.
    WalkOutput {
        /// The slot.
        slot: SlotNumber,
        /// The stick, which goes right, or the trigger.
        which: Shaped,
    },
    /// End that; if the game has reacted, the present output becomes the minimum output.
    EndWalk {
        /// The slot.
        slot: SlotNumber,
        /// Whether it has reacted.
        moved: bool,
    },
    /// Send only one control of the pad, or all again, to assign it inside a game. Ends automatically after two minutes.
    SendOnly {
        /// The slot.
        slot: SlotNumber,
        /// The control.
        target: Option<PadTarget>,
    },
    /// Press a control of the pad automatically in five seconds; a stick or trigger goes to its end and back.
    PressFor {
        /// The slot.
        slot: SlotNumber,
        /// The control.
        target: PadTarget,
    },
    /// Try a slot's pad: roundness of sticks, travel of triggers, drift; none stops.
    TryPad {
        /// The slot.
        slot: Option<SlotNumber>,
        /// Start over: forget what was seen, including the check-off list.
        again: bool,
    },
    /// Watch the controls of a part from now on; none stops.
    LookAt(Option<(DeviceId, u8)>),
    /// Calibrate a part's axes.
    Calibrate {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
    },
    /// Steer the calibration.
    StepCalibration(CalibrationStep),
    /// Set a part's calibration; empty means as the descriptor says.
    SetCalibration {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The controls by name.
        axes: Vec<(String, Calibration)>,
    },
    /// Nickname a device; an empty name removes it.
    Nickname {
        /// The device.
        device: DeviceId,
        /// The name.
        name: String,
    },
    /// Lock the table, so that nobody gets a slot unasked, or unlock it.
    Lock(bool),
    /// Ask for a press: the next device without a slot that presses a button gets one. Or stop asking.
    AskToSit(bool),
    /// Let two buttons held together give a device a slot at any time, or no longer.
    SitByTwo(bool),
    /// Let unused keys of a held keyboard or mouse reach the system, or keep them back.
    PassOn {
        /// The device.
        device: DeviceId,
        /// Whether they reach it.
        on: bool,
    },
}

/// The answer to a command.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Answer {
    /// Done.
    Done {
        /// What was done, in words; empty if it is obvious.
        said: String,
        /// Its inverse, if it has one; [`Command::Undo`] carries it out.
        inverse: Option<Command>,
    },
    /// Refused.
    Refused {
        /// Why, and what to do.
        why: String,
    },
}

impl Answer {
    /// Done, with nothing to say and nothing to undo.
    pub const PLAIN: Self = Self::Done { said: String::new(), inverse: None };
}

/// Steps of a calibration.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum CalibrationStep {
    /// Everything has been moved; or accept the proposal.
    Next,
    /// Start over.
    Again,
    /// Discard it.
    Stop,
}
