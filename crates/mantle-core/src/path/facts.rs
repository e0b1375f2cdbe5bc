//! What is known of a slot: all that its states and its sentence are made from.

use super::words::Proposal;
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
    /// `/dev/uinput` is not there: no module, or no node.
    NoNode,
    /// It may not be opened.
    Denied,
    /// The node is there, but its module cannot be loaded: the kernel was upgraded and not restarted.
    NoModule,
    /// `/dev/uhid` is not there: no module, or no node.
    NoHidNode,
    /// It may not be opened.
    HidDenied,
    /// A pad was made through it, and no driver of the kernel has made its nodes.
    NoDriver,
    /// It was made through it, and the driver of its nodes lets nothing shake it.
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

    /// What happened, with the error's name.
    #[must_use]
    pub fn cause(&self) -> String {
        match self {
            Self::NoNode => "/dev/uinput does not exist (ENOENT)".into(),
            Self::Denied => "this account may not open /dev/uinput (EACCES)".into(),
            Self::NoModule => "/dev/uinput exists, but its module cannot be loaded (ENODEV)".into(),
            Self::NoHidNode => "/dev/uhid does not exist (ENOENT)".into(),
            Self::HidDenied => "this account may not open /dev/uhid (EACCES)".into(),
            Self::NoDriver => "the kernel has no driver for such a pad: its nodes did not appear within 3 s".into(),
            Self::NoRumble => "its kernel driver gives games no rumble".into(),
            Self::Other(fault) => format!("{} of {} failed ({})", fault.operation, fault.path, fault.name()),
        }
    }

    /// What to do about it.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::NoNode => "as root: modprobe uinput (in a container: on the host, and pass the node in)",
            Self::Denied => "as root: placid-mantle setup --install, then log in again",
            Self::NoModule => "restart the machine: its kernel has been upgraded since it started",
            Self::NoHidNode => "as root: modprobe uhid; or choose another kind of pad",
            Self::HidDenied => {
                "as root: placid-mantle setup --install, then log in again; or choose another kind of pad"
            }
            Self::NoDriver => "choose another kind of pad; the system's journal says which driver is missing",
            Self::NoRumble => "as root: placid-mantle setup --install, then choose the kind again",
            Self::Other(_) => "see the system's journal; the program tries again by itself",
        }
    }
}

/// A pad that was made.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct MadePad {
    /// What the system calls it.
    pub node: String,
    /// It was made of event nodes, and was to be a device of its own: why it is not.
    pub instead: Option<PadFault>,
}

impl<S: Into<String>> From<S> for MadePad {
    fn from(node: S) -> Self {
        Self { node: node.into(), instead: None }
    }
}

/// A browser that lists the pad of another slot instead of this one.
#[derive(Clone, PartialEq, Debug)]
pub struct KeptOut {
    /// Its name.
    pub browser: String,
    /// Whose pad it lists.
    pub keeps: SlotNumber,
    /// What lets it list both.
    pub proposal: Option<Proposal>,
}

/// Whether a slot's pad is there.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum PadCondition {
    /// Being made.
    Making,
    /// There.
    Made,
    /// Cannot be made; it is tried again by itself.
    Fault(PadFault),
    /// None is made: keys alone play.
    Unwanted,
}

/// Why a device's reports are of no use.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum ReportsFault {
    /// The descriptor could not be read.
    Descriptor(String),
    /// What came could not be decoded.
    Unreadable(String),
    /// Its start-up failed.
    Asleep(String),
}

/// A control that is known to do less than it should.
#[derive(Clone, PartialEq, Debug)]
pub struct Ailing {
    /// What the control is called.
    pub control: String,
    /// What it plays, as it is called on this kind of pad; empty if that is nothing.
    pub plays: String,
    /// What is wrong.
    pub ailment: Ailment,
    /// The dead zone that would cover it, where one would.
    pub dead_zone: Option<f32>,
    /// What would mend it.
    pub proposal: Option<Proposal>,
}

/// One member of a slot.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct MemberFacts {
    /// Its name.
    pub name: String,
    /// Whether its device is connected.
    pub present: bool,
    /// Whether it has the slot only until the slot's own devices are back.
    pub lent: bool,
    /// Whether it can be read.
    pub access: Access,
    /// What is wrong with its reports.
    pub fault: Option<ReportsFault>,
    /// Where it stands between games and us.
    pub cover: Cover,
    /// Whether a game lists it as something to play with; none where that is not known.
    pub listed: Option<bool>,
    /// Which programs have it open beside ourselves.
    pub held_by: Vec<String>,
    /// What covers it anew, where that was refused; or holds it, where it is the only mouse.
    pub anew: Option<Proposal>,
    /// Controls that were down when it came, and do not count before they have been let go.
    pub was_down: Vec<(String, crate::control::ControlKind)>,
    /// Sticks that have stood at an end since it came, and do not count before they have been in the middle.
    pub at_end: Vec<String>,
    /// Why it stays bare, if the machine is steered with it.
    pub stays_bare: Option<StaysBare>,
    /// Axes, hats and the like that play nothing, and why.
    pub idle: Vec<(String, &'static str)>,
    /// One axis that plays both triggers, to its one side each: its name, if there is one.
    pub shared_triggers: Option<String>,
    /// Whether any of its controls plays anything.
    pub plays: bool,
    /// What was noticed of its controls while it played.
    pub ailing: Vec<Ailing>,
    /// What was noticed of its reports.
    pub coming: Vec<Coming>,
    /// How often it has gone within the last minute.
    pub goings: usize,
    /// How full its battery is, 0 to 1, and whether it charges.
    pub battery: Option<(f32, bool)>,
    /// It sends, but what it sends stands for no controller: a receiver whose controller is off; and what brings it.
    pub receiver_alone: Option<String>,
    /// Its axes are measured by this.
    pub measure: Option<Proposal>,
    /// The slot in which the same device plays by another way.
    pub also: Option<SlotNumber>,
    /// What takes it out again, if that is so.
    pub out: Option<Proposal>,
}

/// Why a feel lets nothing through, or hardly anything.
#[derive(Clone, PartialEq, Debug)]
pub struct Shut {
    /// Which stick, trigger or axis, as it is called on this kind of pad.
    pub which: String,
    /// What of it: its name and value.
    pub setting: String,
    /// Whether it lets nothing through at all.
    pub wholly: bool,
    /// Whether it was changed while the program ran.
    pub changed: bool,
    /// What sets it back.
    pub proposal: Option<Proposal>,
}

/// What is known of a slot's profile.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct ProfileFacts {
    /// Its name.
    pub name: String,
    /// Whether there is none of that name: the slot plays as guessed.
    pub missing: bool,
    /// Its rules, and those of them that nothing of this slot can play: the line and why.
    pub rules: usize,
    /// Those that nothing of this slot can play: the line of the file, and why.
    pub unplayed: Vec<(u32, String)>,
    /// What would mend the first of those, or all of them, or what is missing.
    pub proposal: Option<Proposal>,
}

/// What was pressed last, and where it got lost.
#[derive(Clone, PartialEq, Debug)]
pub struct PressFacts {
    /// The control.
    pub control: String,
    /// Its device.
    pub device: String,
    /// What became of it.
    pub lost: Lost,
    /// What would let it play.
    pub proposal: Option<Proposal>,
}

/// Where a press got lost.
#[derive(Clone, PartialEq, Debug)]
pub enum Lost {
    /// At the bindings.
    Unplayed(Outcome),
    /// At the feel: what it plays, and how far it was pressed.
    Shut(String, f32),
}

/// Why a device that plays is not hidden from games.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum StaysBare {
    /// It is a keyboard: somebody has to be able to type.
    Keyboard,
    /// It is the only mouse.
    LastMouse,
}

/// One slot.
#[derive(Clone, PartialEq, Debug)]
pub struct SlotFacts {
    /// Its number.
    pub number: SlotNumber,
    /// From where on the person is warned.
    pub limits: super::Limits,
    /// Its members.
    pub members: Vec<MemberFacts>,
    /// Reports that came.
    pub reports: u64,
    /// Controls that the members have.
    pub controls: usize,
    /// Whether a control was seen to move.
    pub moved: bool,
    /// Targets that have a source.
    pub bound: u128,
    /// Times that what the bindings give has changed.
    pub bindings_passed: u64,
    /// Times that the shaped state has changed.
    pub feel_passed: u64,
    /// Whether the pad is there.
    pub pad: PadCondition,
    /// Why it is made of event nodes, though it was to be a device of its own.
    pub instead: Option<PadFault>,
    /// The file that is to say what its pad is, and is not there.
    pub no_file: Option<String>,
    /// Which browser does not list it.
    pub kept_out: Option<KeptOut>,
    /// What a game sees of it.
    pub verdict: Verdict,
    /// Frames that the pad took.
    pub pad_passed: u64,
    /// What it takes from a report to the pad, but for one of a hundred, where that is longer than the person's limit.
    pub late: Option<Micros>,
    /// Whether it rests because somebody has paused it.
    pub paused: bool,
    /// Who has paused it.
    pub paused_by: Option<String>,
    /// Bound targets, and what is typed, seen from rest to full and back.
    pub seen: u32,
    /// How many there are of those.
    pub to_try: u32,
    /// Whether anything of it plays a key, the mouse, or the program itself.
    pub strokes: bool,
    /// Keys and the like that its profile would type, and nobody has agreed to.
    pub not_agreed: usize,
    /// Its profile.
    pub profile: ProfileFacts,
    /// What its feel keeps back.
    pub shut: Vec<Shut>,
    /// What was pressed last, if it got lost.
    pub press: Option<PressFacts>,
}

impl SlotFacts {
    /// Whether none of the members is connected.
    #[must_use]
    pub fn all_gone(&self) -> bool {
        self.members.iter().all(|member| !member.present)
    }

    /// A slot of which nothing is known.
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

    /// Whether all of those that are here have fallen silent.
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

    /// Whether another member that is here can be read, and its reports are of use.
    #[must_use]
    pub fn others_play(&self, member: &MemberFacts) -> bool {
        self.present().any(|other| !std::ptr::eq(other, member) && other.is_well())
    }

    /// The first member that games see beside the pad.
    #[must_use]
    pub fn doubtful_cover(&self) -> Option<&MemberFacts> {
        self.present().find(|member| {
            (match &member.cover {
                // Until it can be read nobody covers it, and that is said at Device.
                Cover::Bare => member.access == Access::Open,
                Cover::Failed(_) | Cover::Covered(Strength::Held) => true,
                _ => false,
            }) && (member.listed != Some(false) || member.stays_bare.is_some())
        })
    }
}

impl MemberFacts {
    /// Whether it can be read, and its reports are of use.
    #[must_use]
    pub fn is_well(&self) -> bool {
        !matches!(self.access, Access::Refused(_)) && self.fault.is_none()
    }
}
