//! What is known of a slot: all that its states and its sentence are made from.

use crate::cover::{Cover, Strength};
use crate::device::{Access, OsFault};
use crate::slot::SlotNumber;
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

    /// What happened, with the error's name.
    #[must_use]
    pub fn cause(&self) -> String {
        match self {
            Self::NoNode => "/dev/uinput is not there (ENOENT)".into(),
            Self::Denied => "/dev/uinput may not be opened by this account (EACCES)".into(),
            Self::NoModule => "/dev/uinput is there, but its module cannot be loaded (ENODEV)".into(),
            Self::Other(fault) => format!("{} of {} failed ({})", fault.operation, fault.path, fault.name()),
        }
    }

    /// What to do about it.
    #[must_use]
    pub fn remedy(&self) -> &'static str {
        match self {
            Self::NoNode => "as root: modprobe uinput (in a container: on the host, and pass the node in)",
            Self::Denied => "as root: placid-mantle setup, then log in again",
            Self::NoModule => "restart the machine: its kernel was upgraded since it started",
            Self::Other(_) => "see the journal of the system; it is tried again by itself",
        }
    }
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

/// One member of a slot.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct MemberFacts {
    /// Its name.
    pub name: String,
    /// Whether its device is connected.
    pub present: bool,
    /// Whether it can be read.
    pub access: Access,
    /// What is wrong with its reports.
    pub fault: Option<ReportsFault>,
    /// Where it stands between games and us.
    pub cover: Cover,
    /// Controls that were down when it came, and do not count before they have been let go.
    pub was_down: Vec<(String, crate::control::ControlKind)>,
    /// Sticks that have stood at an end since it came, and do not count before they have been in the middle.
    pub at_end: Vec<String>,
    /// Why it stays bare, if the machine is steered with it.
    pub stays_bare: Option<StaysBare>,
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
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SlotFacts {
    /// Its number.
    pub number: SlotNumber,
    /// Its members.
    pub members: Vec<MemberFacts>,
    /// Reports that came.
    pub reports: u64,
    /// Controls that the members have.
    pub controls: usize,
    /// Reports in which a control changed.
    pub moved: u64,
    /// Targets that have a source.
    pub bound: u128,
    /// Times that what the bindings give has changed.
    pub bindings_passed: u64,
    /// Times that the shaped state has changed.
    pub feel_passed: u64,
    /// Whether the pad is there.
    pub pad: PadCondition,
    /// Frames that the pad took.
    pub pad_passed: u64,
    /// Whether everything is let go.
    pub paused: bool,
    /// Bound targets, and what is typed, seen from rest to full and back.
    pub seen: u32,
    /// How many there are of those.
    pub to_try: u32,
    /// Whether anything of it plays a key, the mouse, or the program itself.
    pub strokes: bool,
    /// Keys and the like that its profile would type, and nobody has agreed to.
    pub not_agreed: usize,
}

impl SlotFacts {
    /// Whether none of the members is connected.
    #[must_use]
    pub fn all_gone(&self) -> bool {
        self.members.iter().all(|member| !member.present)
    }

    fn present(&self) -> impl Iterator<Item = &MemberFacts> {
        self.members.iter().filter(|member| member.present)
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

    /// The first member that games see beside the pad.
    #[must_use]
    pub fn doubtful_cover(&self) -> Option<&MemberFacts> {
        self.present().find(|member| match &member.cover {
            // Until it can be read nobody covers it, and that is said at Device.
            Cover::Bare => member.access == Access::Open,
            Cover::Failed(_) | Cover::Covered(Strength::Held) => true,
            _ => false,
        })
    }
}
