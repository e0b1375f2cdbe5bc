//! Everything known of a slot from which its states and its sentence are made.

use super::words::{Proposal, as_sentence};
use crate::cover::{Cover, Strength};
use crate::device::{Access, OsFault};
use crate::sight::Verdict;
use crate::slot::SlotNumber;
use crate::time::Micros;
use crate::watch::{Ailment, Coming, Outcome};
use serde::{Deserialize, Serialize};

/// Why no virtual pad can be made.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum PadFault {
    /// `/dev/uinput` is missing: no module, or no node.
    NoNode,
    /// It may not be opened.
    Denied,
    /// The node is there, but its module cannot be loaded: the kernel was upgraded without a restart.
    NoModule,
    /// `/dev/uhid` is missing: no module, or no node.
    NoHidNode,
    /// It may not be opened.
    HidDenied,
    /// A pad was made through it, but no kernel driver made its nodes.
    NoDriver,
    /// A pad was made through it, but its driver offers no rumble.
    NoRumble,
    /// Anything else.
    Other(OsFault),
}

impl PadFault {
    /// Tells the three faults of opening `/dev/uinput` apart.
    #[must_use]
    pub fn from_fault(fault: OsFault) -> Self {
        match fault.errno {
            2 => Self::NoNode,
            1 | 13 => Self::Denied,
            19 | 6 => Self::NoModule,
            _ => Self::Other(fault),
        }
    }

    /// Tells the faults of `/dev/uhid` apart.
    #[must_use]
    pub fn of_uhid(fault: OsFault) -> Self {
        match fault.errno {
            2 | 6 | 19 => Self::NoHidNode,
            1 | 13 => Self::HidDenied,
            _ => Self::Other(fault),
        }
    }

    /// What happened, in words.
    #[must_use]
    pub fn why(&self) -> &'static str {
        match self {
            Self::NoNode => "the kernel's module uinput is not loaded",
            Self::Denied => "your account may not make pads",
            Self::NoModule => "the kernel's module uinput cannot be loaded",
            Self::NoHidNode => "the kernel's module uhid is not loaded",
            Self::HidDenied => "your account may not make pads of this kind",
            Self::NoDriver => "the kernel has no driver for such a pad: its nodes did not appear within 3 s",
            Self::NoRumble => "its kernel driver gives games no rumble",
            Self::Other(_) => "the system refused it",
        }
    }

    /// What to do about it.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::NoNode => "run sudo modprobe uinput; in a container, run it on the host and pass /dev/uinput in",
            Self::Denied => "run sudo placid-mantle setup --install, then log in again",
            Self::NoModule => "restart the computer: its kernel has been upgraded since it started",
            Self::NoHidNode => "run sudo modprobe uhid, or choose another kind of pad",
            Self::HidDenied => "run sudo placid-mantle setup --install and log in again, or choose another kind of pad",
            Self::NoDriver => "choose another kind of pad; the system's journal says which driver is missing",
            Self::NoRumble => "run sudo placid-mantle setup --install, then choose the kind again",
            Self::Other(_) => "the program tries again by itself; the system's journal may say more",
        }
    }

    /// What the system said, if it said anything.
    #[must_use]
    pub fn system(&self) -> Option<String> {
        match self {
            Self::NoNode => Some("/dev/uinput: ENOENT".into()),
            Self::Denied => Some("/dev/uinput: EACCES".into()),
            Self::NoModule => Some("/dev/uinput: ENODEV".into()),
            Self::NoHidNode => Some("/dev/uhid: ENOENT".into()),
            Self::HidDenied => Some("/dev/uhid: EACCES".into()),
            Self::NoDriver | Self::NoRumble => None,
            Self::Other(fault) => Some(fault.system()),
        }
    }

    fn with_system(&self, text: &str) -> String {
        match self.system() {
            Some(system) => format!("{text} ({system})"),
            None => text.to_owned(),
        }
    }

    /// What happened, and what the system said.
    #[must_use]
    pub fn cause(&self) -> String {
        self.with_system(self.why())
    }

    /// What happened, what to do about it, and what the system said: from the middle of a sentence on, to the end of another.
    #[must_use]
    pub fn told(&self) -> String {
        format!("{}. {}", self.why(), as_sentence(&self.with_system(self.remedy())))
    }
}

/// A pad that was made.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct MadePad {
    /// Its name in the system.
    pub node: String,
    /// Why it was made of event nodes although it was to be a separate device.
    pub instead: Option<PadFault>,
}

impl<S: Into<String>> From<S> for MadePad {
    fn from(node: S) -> Self {
        Self { node: node.into(), instead: None }
    }
}

/// A browser that lists another slot's pad instead of this one.
#[derive(Clone, PartialEq, Debug)]
pub struct KeptOut {
    /// Its name.
    pub browser: String,
    /// The slot whose pad it lists.
    pub keeps: SlotNumber,
    /// What makes it list both.
    pub proposal: Option<Proposal>,
}

/// Whether a slot's pad is there.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum PadCondition {
    /// Being made.
    Making,
    /// There.
    Made,
    /// Cannot be made; retried automatically.
    Fault(PadFault),
    /// None is made: keys alone play.
    Unwanted,
}

/// Why a device's reports are of no use.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum ReportsFault {
    /// The descriptor could not be read.
    Descriptor(String),
    /// Reports could not be decoded.
    Unreadable(String),
    /// Its start-up failed.
    Asleep(String),
}

/// A control that does less than it should.
#[derive(Clone, PartialEq, Debug)]
pub struct Ailing {
    /// Its name.
    pub control: String,
    /// What it plays, by this kind of pad's names; empty if nothing.
    pub plays: String,
    /// What is wrong.
    pub ailment: Ailment,
    /// The dead zone that would cover the fault, if one would.
    pub dead_zone: Option<f32>,
    /// The remedy.
    pub proposal: Option<Proposal>,
}

/// One member of a slot.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct MemberFacts {
    /// Its name.
    pub name: String,
    /// Whether its device is connected.
    pub present: bool,
    /// Whether the slot is only lent to it.
    pub lent: bool,
    /// Whether it can be read.
    pub access: Access,
    /// What is wrong with its reports.
    pub fault: Option<ReportsFault>,
    /// How it stands towards games.
    pub cover: Cover,
    /// Whether a game lists it as a controller; none if unknown.
    pub listed: Option<bool>,
    /// Programs other than ours that have it open.
    pub held_by: Vec<String>,
    /// The command that covers it again after a refusal, or holds it if it is the only mouse.
    pub anew: Option<Proposal>,
    /// Controls that were pressed when it came, and do not count until they are released.
    pub was_down: Vec<(String, crate::control::ControlKind)>,
    /// Sticks that have been at an end since it came, and do not count until they were in the middle.
    pub at_end: Vec<String>,
    /// Why it stays bare, if people use the machine with it.
    pub stays_bare: Option<StaysBare>,
    /// Unused axes, hats and the like, and why.
    pub idle: Vec<(String, &'static str)>,
    /// The name of an axis shared by both triggers, if there is one.
    pub shared_triggers: Option<String>,
    /// Whether any of its controls plays anything.
    pub plays: bool,
    /// What was noticed about its controls during play.
    pub ailing: Vec<Ailing>,
    /// What was noticed about its reports.
    pub coming: Vec<Coming>,
    /// How often it disconnected within the last minute.
    pub goings: usize,
    /// Its battery, 0 to 1, and whether it is charging.
    pub battery: Option<(f32, bool)>,
    /// A receiver whose controller is off, and what switches that on.
    pub receiver_alone: Option<String>,
    /// The command that measures its axes.
    pub measure: Option<Proposal>,
    /// The slot in which the same device plays over another link.
    pub also: Option<SlotNumber>,
    /// In that case, the command that takes it out again.
    pub out: Option<Proposal>,
}

/// Why a feel lets little or nothing through.
#[derive(Clone, PartialEq, Debug)]
pub struct Shut {
    /// Which stick, trigger or axis, by this kind of pad's names.
    pub which: String,
    /// The setting, with its value.
    pub setting: String,
    /// Whether nothing gets through at all.
    pub wholly: bool,
    /// Whether it was changed since the program started.
    pub changed: bool,
    /// The command that resets it.
    pub proposal: Option<Proposal>,
}

/// What is known of a slot's profile.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct ProfileFacts {
    /// Its name.
    pub name: String,
    /// Whether no profile has that name, so that the slot has default bindings.
    pub missing: bool,
    /// Number of rules, and those that nothing in this slot can play: the line and why.
    pub rules: usize,
    /// Rules that nothing in this slot can play: the file's line, and why.
    pub unplayed: Vec<(u32, String)>,
    /// The remedy for the first of those, for all of them, or for a missing profile.
    pub proposal: Option<Proposal>,
}

/// The last press, and where it got lost.
#[derive(Clone, PartialEq, Debug)]
pub struct PressFacts {
    /// The control.
    pub control: String,
    /// Its device.
    pub device: String,
    /// Where it got lost.
    pub lost: Lost,
    /// The command that would let it play.
    pub proposal: Option<Proposal>,
}

/// Where a press got lost.
#[derive(Clone, PartialEq, Debug)]
pub enum Lost {
    /// At the bindings.
    Unplayed(Outcome),
    /// At the feel: the target, and how far the control was pressed.
    Shut(String, f32),
}

/// Why a playing device is not hidden from games.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum StaysBare {
    /// It is a keyboard, and somebody has to be able to type.
    Keyboard,
    /// It is the only mouse.
    LastMouse,
}

/// One slot.
#[derive(Clone, PartialEq, Debug)]
pub struct SlotFacts {
    /// Its number.
    pub number: SlotNumber,
    /// The limits from which the person is warned.
    pub limits: super::Limits,
    /// Its members.
    pub members: Vec<MemberFacts>,
    /// Number of reports.
    pub reports: u64,
    /// Number of the members' controls.
    pub controls: usize,
    /// Whether a control was seen to move.
    pub moved: bool,
    /// Number of targets with a source.
    pub bound: u128,
    /// How often the bindings' output has changed.
    pub bindings_passed: u64,
    /// How often the shaped state has changed.
    pub feel_passed: u64,
    /// Whether the pad is there.
    pub pad: PadCondition,
    /// Why it is made of event nodes although it was to be a separate device.
    pub instead: Option<PadFault>,
    /// The missing pad file, if its pad needs one.
    pub no_file: Option<String>,
    /// A browser that does not list it.
    pub kept_out: Option<KeptOut>,
    /// What a game sees of it.
    pub verdict: Verdict,
    /// Number of frames the pad took.
    pub pad_passed: u64,
    /// The delay from report to pad that 1 % exceed, if that is over the person's limit.
    pub late: Option<Micros>,
    /// Whether somebody has paused it.
    pub paused: bool,
    /// Who paused it.
    pub paused_by: Option<String>,
    /// Bound targets and typed keys seen from rest to full and back.
    pub seen: u32,
    /// How many there are in all.
    pub to_try: u32,
    /// Whether anything plays a key, the mouse, or the program itself.
    pub strokes: bool,
    /// What its profile wants to type without permission.
    pub not_agreed: usize,
    /// Its profile.
    pub profile: ProfileFacts,
    /// What its feel blocks.
    pub shut: Vec<Shut>,
    /// The last press, if it got lost.
    pub press: Option<PressFacts>,
}

impl SlotFacts {
    /// Whether none of the members is connected.
    #[must_use]
    pub fn all_gone(&self) -> bool {
        self.members.iter().all(|member| !member.present)
    }

    /// A slot without any facts.
    #[must_use]
    pub fn of(number: SlotNumber) -> Self {
        Self {
            number,
            limits: super::Limits::default(),
            members: Vec::new(),
            reports: 0,
            controls: 0,
            moved: false,
            bound: 0,
            bindings_passed: 0,
            feel_passed: 0,
            pad: PadCondition::Making,
            instead: None,
            no_file: None,
            kept_out: None,
            verdict: Verdict::Unknown,
            pad_passed: 0,
            late: None,
            paused: false,
            paused_by: None,
            seen: 0,
            to_try: 0,
            strokes: false,
            not_agreed: 0,
            profile: ProfileFacts::default(),
            shut: Vec::new(),
            press: None,
        }
    }

    pub(super) fn present(&self) -> impl Iterator<Item = &MemberFacts> {
        self.members.iter().filter(|member| member.present)
    }

    /// Whether all connected members have gone silent.
    #[must_use]
    pub fn is_silent(&self) -> bool {
        let silent = |member: &MemberFacts| member.coming.iter().any(|coming| matches!(coming, Coming::Silent(..)));
        self.present().next().is_some() && self.present().all(silent)
    }

    /// The first member that cannot be opened.
    #[must_use]
    pub fn refused(&self) -> Option<(&MemberFacts, &OsFault)> {
        self.present().find_map(|member| match &member.access {
            Access::Refused(fault) => Some((member, fault)),
            _ => None,
        })
    }

    /// The first member whose reports are of no use.
    #[must_use]
    pub fn reports_fault(&self) -> Option<(&MemberFacts, &ReportsFault)> {
        self.present().find_map(|member| member.fault.as_ref().map(|fault| (member, fault)))
    }

    /// Whether another connected member can be read, with useful reports.
    #[must_use]
    pub fn others_play(&self, member: &MemberFacts) -> bool {
        self.present().any(|other| !std::ptr::eq(other, member) && other.is_well())
    }

    /// The first member that games see beside the pad.
    #[must_use]
    pub fn doubtful_cover(&self) -> Option<&MemberFacts> {
        self.present().find(|member| {
            (match &member.cover {
                // A device that cannot be read is not covered either, which is said at Device.
                Cover::Bare => member.access == Access::Open,
                Cover::Failed(_) | Cover::Covered(Strength::Held) => true,
                _ => false,
            }) && (member.listed != Some(false) || member.stays_bare.is_some())
        })
    }
}

impl MemberFacts {
    /// Whether it can be read, with useful reports.
    #[must_use]
    pub fn is_well(&self) -> bool {
        !matches!(self.access, Access::Refused(_)) && self.fault.is_none()
    }
}
