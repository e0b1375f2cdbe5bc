//! Commands: the only way to change anything. Each is numbered, answered, and has its inverse.

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

/// Who asks: a screen or a script, by its place at the engine.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
pub struct Asker(pub u8);

impl Asker {
    /// How many there may be at a time.
    pub const COUNT: usize = 16;
}

impl CommandNumber {
    /// Bits for what an asker counts.
    const OWN_BITS: u32 = 27;
    /// The largest number that an asker may give.
    pub const LAST_OWN: u32 = (1 << Self::OWN_BITS) - 1;

    /// The number of an asker's order.
    #[must_use]
    pub const fn of(asker: Asker, own: u32) -> Self {
        Self((asker.0 as u32 & 15) << Self::OWN_BITS | own & Self::LAST_OWN)
    }

    /// Who has asked.
    #[must_use]
    pub const fn asker(self) -> Asker {
        Asker((self.0 >> Self::OWN_BITS & 15) as u8)
    }
}

/// Numbers above this are given by the program itself: for what is changed while a roll call goes on.
pub const OWN: u32 = 1 << 31;

/// What somebody wants of the computer's radio.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum ConnectAct {
    /// The device with this address is brought to the table.
    Begin(String),
    /// What was asked meanwhile is answered: by what was typed, or yes; none is no.
    Answer(Option<String>),
    /// The device that is on its way is given up.
    GiveUp,
    /// The device that has not come is removed, and paired anew.
    Anew,
    /// A device is removed, with its keys.
    Forget(String),
    /// A device is called this from now on.
    Rename(String, String),
    /// The link of a device is dropped: most switch themselves off then.
    Drop(String),
    /// The radio is switched on.
    SwitchOn,
    /// What has turned up is not what was meant: it is looked for more.
    LookOn,
}

/// What is done to the rules for games.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum RuleAct {
    /// A rule for a program that runs: what it is known by is found. One that says nothing of slots gets what slots are now.
    Add {
        /// The number of its process.
        pid: u32,
        /// What it says, without what its program is known by.
        rule: GameRule,
    },
    /// This rule, in the place of one for the same program, if there is one.
    Put(GameRule),
    /// The rule for this program is thrown away.
    Drop(Vec<GameSign>),
}

/// What somebody wants.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Command {
    /// Give a part of a device a slot; whoever sat there keeps it too only if nobody did.
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
    /// What comes back to a slot's devices: how strongly they rumble, what their lamps show.
    SetFeedback {
        /// The slot.
        slot: SlotNumber,
        /// This from now on.
        feedback: Feedback,
    },
    /// A device is looked for: it shakes and blinks.
    FindDevice {
        /// The device.
        device: DeviceId,
    },
    /// Whoever plays in a slot is told something by their device, if it can (given by the program itself).
    Nudge {
        /// The slot.
        slot: SlotNumber,
        /// Whether it may shake.
        shakes: bool,
        /// Whether it may blink.
        blinks: bool,
    },
    /// A slot's pad is of another kind from now on: games see the old one go, and another one come.
    Kind {
        /// The slot.
        slot: SlotNumber,
        /// The kind.
        kind: PadKind,
    },
    /// Try once more to hide a device from games, which was refused.
    CoverAnew {
        /// The device.
        device: DeviceId,
    },
    /// Save a rule for a game, or throw one away.
    Rule(RuleAct),
    /// The radio is asked for something.
    Connect(ConnectAct),
    /// As long as a process runs, slots are to be like this.
    PlayFor {
        /// The number of the process.
        pid: u32,
        /// What is played: the process itself may be called otherwise.
        called: String,
        /// What shall be, without what its program is known by.
        rule: GameRule,
    },
    /// Look now what a game would see of this machine, and who has what open.
    Look,
    /// Put what sits in one slot into another; what sat there goes to the first.
    Move {
        /// From.
        from: SlotNumber,
        /// To.
        to: SlotNumber,
    },
    /// Empty a slot: its pad goes, its device gets no slot unasked again.
    TakeOut {
        /// The slot.
        slot: SlotNumber,
    },
    /// Put a device that is away back into its slot's memory (the inverse of taking out).
    Restore {
        /// The slot.
        slot: SlotNumber,
        /// Names it again; found by the number of the command that took it out.
        taken_out: CommandNumber,
    },
    /// Have a part of a device play along in a slot that others play: several devices as one player.
    Tie {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// A device is the same as the one that a slot is kept for, or that plays there by another way: kept.
    SameDevice {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// It is one of its own again.
    OtherDevice {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
    },
    /// Have a part of a device play in a slot for as long as the slot's own devices are away.
    Lend {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The slot.
        slot: SlotNumber,
    },
    /// Have a member play along no longer.
    Untie {
        /// The slot.
        slot: SlotNumber,
        /// Which of its devices, from 0.
        member: MemberId,
        /// The slot that it gets for itself, if that is free, with its kind of pad and its profile; none if it gets none.
        back: Option<(SlotNumber, PadKind, String)>,
    },
    /// Have it play along again (the inverse of that).
    TieAgain {
        /// The slot.
        slot: SlotNumber,
        /// The number of the command that parted them.
        untied: CommandNumber,
    },
    /// Free every grab, all pads to neutral.
    LetGo,
    /// Play again.
    Resume,
    /// One slot's pad rests, or plays again.
    PauseSlot {
        /// The slot.
        slot: SlotNumber,
        /// Whether it rests.
        paused: bool,
    },
    /// The person agrees to what a slot's profile types, or no longer.
    LetType {
        /// The slot.
        slot: SlotNumber,
        /// Whether it may type.
        allowed: bool,
    },
    /// The program's own screen has the keyboard, or has it no longer: as long as it has, no keys are typed.
    HaveScreen(bool),
    /// Keys are typed all the same: for terminals that do not tell whether they have the keyboard.
    TypeHere(bool),
    /// This is what a device steps when it asks for more of the feel, or less.
    ChooseFeel {
        /// The slot.
        slot: SlotNumber,
        /// The stick or trigger.
        which: Shaped,
        /// What of it.
        knob: Knob,
    },
    /// Do not hide a device, on purpose; or take that back.
    LeaveToGame {
        /// The device.
        device: DeviceId,
        /// Whether it is to be left.
        left: bool,
    },
    /// The only mouse may be held while it plays, so that the pointer stands still; or no longer. It comes back with every pause, and while
    /// somebody has a screen of the program before them.
    TakePointer {
        /// The mouse.
        device: DeviceId,
        /// Whether it may.
        taken: bool,
    },
    /// Listen for the control that shall play a target: the next press on any of the slot's devices.
    Listen {
        /// The slot.
        slot: SlotNumber,
        /// The target.
        target: Target,
    },
    /// Listen no more.
    StopListening,
    /// Call the roll: one of the pad's controls after the other is answered on the slot's devices.
    CallRoll {
        /// The slot.
        slot: SlotNumber,
        /// Which; none for all of them.
        targets: Vec<Target>,
    },
    /// Go on with it.
    StepCall(CallStep),
    /// End it; what was answered stays.
    EndCall,
    /// Play by another profile.
    PlayBy {
        /// The slot.
        slot: SlotNumber,
        /// The profile's name.
        profile: String,
    },
    /// Make a new profile, and play by it.
    NewProfile {
        /// The slot.
        slot: SlotNumber,
        /// By purpose: a template's name; none for a copy of what the slot plays by.
        like: Option<String>,
    },
    /// Do something with the profiles that there are.
    ProfileStore(ProfileStoreAct),
    /// Change the profile that a slot plays by; where that is the one that says nothing, a new one is made for it.
    Edit {
        /// The slot.
        slot: SlotNumber,
        /// All of these, or none.
        changes: Vec<Change>,
    },
    /// Change it further, as a part of the last change: both are taken back together.
    Amend {
        /// The slot.
        slot: SlotNumber,
        /// All of these, or none.
        changes: Vec<Change>,
    },
    /// Take back what was done last, by whoever; where nothing is known, the last change of this slot's profile, which is kept
    /// with it from one start to the next.
    Undo {
        /// The slot that is looked at, if there is one.
        slot: Option<SlotNumber>,
    },
    /// Do once more what was taken back last; or else the same of this slot's profile.
    Redo {
        /// The slot that is looked at, if there is one.
        slot: Option<SlotNumber>,
    },
    /// Take the last change of a slot's profile back, or do once more what was taken back.
    TakeBack {
        /// The slot.
        slot: SlotNumber,
        /// Do it once more.
        again: bool,
    },
    /// The feel of a slot before it was changed plays, or the new one again.
    FlipFeel {
        /// The slot.
        slot: SlotNumber,
    },
    /// Measure the dead zones of a stick or trigger; none measures no longer.
    MeasureFeel(Option<(SlotNumber, Shaped)>),
    /// Send a slowly rising output, for finding where a game begins to move.
    WalkOutput {
        /// The slot.
        slot: SlotNumber,
        /// The stick, which goes to the right, or the trigger.
        which: Shaped,
    },
    /// End that; if the game has moved, what was sent is the minimum output from now on.
    EndWalk {
        /// The slot.
        slot: SlotNumber,
        /// Whether it has.
        moved: bool,
    },
    /// Only one control of the pad is sent, or all again: for assigning it inside a game. It ends by itself after two minutes.
    SendOnly {
        /// The slot.
        slot: SlotNumber,
        /// Which.
        target: Option<PadTarget>,
    },
    /// In five seconds a control of the pad is pressed by itself, a stick or trigger moved to its end and back.
    PressFor {
        /// The slot.
        slot: SlotNumber,
        /// Which.
        target: PadTarget,
    },
    /// Try a slot's pad: how round its sticks are, how far its triggers go, how they drift; none tries nothing.
    TryPad {
        /// The slot.
        slot: Option<SlotNumber>,
        /// From the beginning: what has been seen so far is forgotten, the check-off list too.
        again: bool,
    },
    /// Look closely at the controls of a part: what is seen of them is kept from then on; none looks at nothing.
    LookAt(Option<(DeviceId, u8)>),
    /// Calibrate a part's axes.
    Calibrate {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
    },
    /// Go on with that.
    StepCalibration(CalibrationStep),
    /// What is known of a part's axes is this; nothing takes it back to what the descriptor says.
    SetCalibration {
        /// The device.
        device: DeviceId,
        /// Its part.
        part: u8,
        /// The controls by name.
        axes: Vec<(String, Calibration)>,
    },
    /// The person's own name for a device; an empty one takes it away.
    Nickname {
        /// The device.
        device: DeviceId,
        /// The name.
        name: String,
    },
    /// Nobody sits down unasked; or the table is open again.
    Lock(bool),
    /// The board asks for a press: the next device without a slot that presses a button sits down. Or it asks no longer.
    AskToSit(bool),
    /// Two buttons held together sit a device down at any time, whether a screen is open or not; or no longer.
    SitByTwo(bool),
    /// What nothing uses of a held keyboard or mouse is passed on to the system; or kept back.
    PassOn {
        /// The device.
        device: DeviceId,
        /// Whether it is passed on.
        on: bool,
    },
}

/// The answer to a command.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Answer {
    /// Done.
    Done {
        /// What was done and where, in words; empty where it shows by itself.
        said: String,
        /// What takes it back, if there is such a thing; [`Command::Undo`] does it.
        inverse: Option<Command>,
    },
    /// Not done, and why.
    Refused {
        /// Why, and what to do.
        why: String,
    },
}

impl Answer {
    /// Done, with nothing to be said about it and nothing to take it back.
    pub const PLAIN: Self = Self::Done { said: String::new(), inverse: None };
}

/// What the person wants of a calibration.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum CalibrationStep {
    /// Everything has been through its travel; of a proposal: take it.
    Next,
    /// From the beginning.
    Again,
    /// Leave it as it was.
    Stop,
}
