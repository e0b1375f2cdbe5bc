//! Finds fields by pressing: with reports of unknown layout, a person does what is asked, and the bytes show where it is. Order of use: a [`Session`]
//! is given reports ([`Session::handle_report`]) and time ([`Session::handle_time`]); it asks ([`Session::ask`]) for hands off, a press, or a travel,
//! and decides from the bytes, not a clock, when that has been done. What it recorded ([`Takes`]) is examined by [`propose`], which answers with a
//! [`FieldProposal`]: where the control is, how certain that is, and why. Accepted ones are [`Confirmed`], and make a sheet.

mod axis;
mod button;
mod hat;
mod session;
mod sheet;
mod state;
mod still;
mod words;

pub use session::{Ask, Confirmed, FieldSearch, FindingStep};
pub use sheet::{confirmed, sheet};
pub use state::{ButtonShape, State};
pub use still::Still;
pub use words::{place_words, prompt};

use crate::control::{Packing, Plays};
use crate::measure::{Checksum, Width};
use crate::pad::PadTarget;
use crate::sheet::Where;
use mantle_hid::bits;

/// What a wanted control is like.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Want {
    /// Down or not.
    Button,
    /// A d-pad, as a hat or as four buttons.
    DPad,
    /// An axis with two ends, and a rest between them.
    Stick,
    /// An axis that rests at one end.
    Trigger,
}

/// A control that is asked for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Wanted {
    /// What it is called.
    pub name: String,
    /// What it is like.
    pub want: Want,
    /// What it plays.
    pub plays: Plays,
}

impl Wanted {
    /// All controls of the common pad, in the order of asking.
    #[must_use]
    pub fn common() -> Vec<Self> {
        use PadTarget::{
            East, LeftShoulder, LeftStickPress, LeftTrigger, Mode, North, RightShoulder, RightStickPress, RightTrigger,
            Select, South, Start, West,
        };
        let button =
            |target: PadTarget| Self { name: target.name().into(), want: Want::Button, plays: Plays::Target(target) };
        let stick = |(axis, name): (u8, &str)| Self { name: name.into(), want: Want::Stick, plays: Plays::Stick(axis) };
        let trigger = |target: PadTarget| Self { want: Want::Trigger, ..button(target) };
        let sticks = [(0, "left stick X"), (1, "left stick Y"), (2, "right stick X"), (3, "right stick Y")];
        let mut all: Vec<Self> = [South, East, West, North].map(button).into();
        all.push(Self { name: "d-pad".into(), want: Want::DPad, plays: Plays::DPad });
        all.extend(sticks.map(stick));
        all.extend([LeftTrigger, RightTrigger].map(trigger));
        all.extend([LeftShoulder, RightShoulder, LeftStickPress, RightStickPress, Select, Start, Mode].map(button));
        all
    }
}

/// What was done while samples were recorded.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Label {
    /// Nothing was touched.
    Rest,
    /// Held: a button down, a trigger pulled.
    Held,
    /// A stick held at its lower end: left, or up.
    Low,
    /// A stick held at its upper end: right, or down.
    High,
    /// A d-pad held: 0 up, 1 right, 2 down, 3 left.
    Toward(u8),
    /// Moved through its whole travel, or around.
    Moving,
}

/// Samples of one spell.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Take {
    /// What was done.
    pub label: Label,
    /// What the device said meanwhile.
    pub samples: Vec<State>,
}

/// Everything recorded for one control.
pub type Takes = Vec<Take>;

/// A place in the state: bits of one report.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Field {
    /// First bit of the state, counted as `packing` says.
    pub at: u32,
    /// Bits.
    pub size: u8,
    /// How they stand.
    pub packing: Packing,
    /// Whether the number is signed.
    pub signed: bool,
}

impl Field {
    /// One bit.
    #[must_use]
    pub const fn bit(at: u32) -> Self {
        Self { at, size: 1, packing: Packing::Little, signed: false }
    }

    /// The number in a state.
    #[inline]
    #[must_use]
    pub fn of(&self, state: &[u8]) -> i32 {
        let size = u32::from(self.size);
        let raw = match self.packing {
            Packing::Little => bits::extract(state, self.at, size),
            Packing::Big => {
                let first = (self.at / 8) as usize;
                let window =
                    (0..5).fold(0u64, |sum, k| sum << 8 | u64::from(state.get(first + k).copied().unwrap_or(0)));
                (window >> (40 - self.at % 8 - size) & ((1 << size) - 1)) as u32
            }
        };
        if self.signed { bits::sign_extend(raw, size) } else { raw as i32 }
    }

    /// A state that contains this number, as sheets write numbers.
    fn put(&self, state: &[u8], value: i32) -> State {
        let mut state = state.to_vec();
        let size = u32::from(self.size);
        match self.packing {
            Packing::Little => bits::insert(&mut state, self.at, size, value as u32),
            Packing::Big => bits::insert_turned(&mut state, self.at, size, value as u32),
        }
        state
    }

    /// The bits of the state that it covers, counted from the lowest bit of each byte.
    pub fn covers(&self) -> impl Iterator<Item = u32> {
        let Self { at, packing, .. } = *self;
        (at..at + u32::from(self.size)).map(move |bit| match packing {
            Packing::Little => bit,
            Packing::Big => bits::turned(bit),
        })
    }

    /// Its upper bits, which certainly belong to it: among the lowest bits of a noisy number there may be noise of a neighbour that has not been
    /// asked for yet.
    #[must_use]
    pub fn certain(&self) -> Self {
        self.cut(self.size.saturating_sub(CERTAIN))
    }

    /// The field without its lowest bits.
    #[must_use]
    fn cut(&self, bits: u8) -> Self {
        let at = if self.packing == Packing::Little { self.at + u32::from(bits) } else { self.at };
        Self { at, size: self.size - bits, ..*self }
    }

    /// Whether two fields share a bit.
    #[must_use]
    pub fn meets(&self, other: &Self) -> bool {
        self.covers().any(|bit| other.covers().any(|theirs| theirs == bit))
    }
}

/// How many bits of a number are certain.
const CERTAIN: u8 = 8;

/// What a control turned out to be.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum FieldFound {
    /// A bit, and whether it is 0 while pressed.
    Button(Field, bool),
    /// A number shared by buttons, and its value while this button is down.
    Value(Field, i32),
    /// A hat: its number for up; it counts eight steps clockwise from there, or four.
    Hat {
        /// Where.
        field: Field,
        /// Its number for up.
        up: i32,
        /// Eight or four.
        steps: u8,
    },
    /// Four buttons: up, right, down, left, and whether they are 0 while pressed.
    Four([Field; 4], bool),
    /// An axis: smallest and largest number seen, its rest, and whether it runs backwards.
    Axis {
        /// Where.
        field: Field,
        /// Smallest and largest number seen.
        range: (i32, i32),
        /// Where it rests.
        rest: i32,
        /// Whether it runs backwards.
        backwards: bool,
    },
}

impl FieldFound {
    /// Gives up the lowest bits of a number, which turned out to be another control's.
    fn yield_to(&mut self, others: &[Field]) {
        let Self::Axis { field, range, rest, .. } = self else { return };
        while field.size > CERTAIN && others.iter().any(|other| other.meets(field)) {
            *field = field.cut(1);
            *range = (range.0 >> 1, range.1 >> 1);
            *rest >>= 1;
        }
    }

    /// Its fields.
    #[must_use]
    pub fn fields(&self) -> Vec<Field> {
        match self {
            Self::Button(field, _) | Self::Value(field, _) | Self::Hat { field, .. } | Self::Axis { field, .. } => {
                vec![*field]
            }
            Self::Four(fields, _) => fields.to_vec(),
        }
    }
}

/// How sure a proposal is.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Confidence {
    /// Another press would help.
    Low,
    /// Nothing else in the report behaves like it.
    High,
}

/// Where a control seems to be.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FieldProposal {
    /// What it is; none if nothing in the report followed the hand.
    pub found: Option<FieldFound>,
    /// How sure that is.
    pub confidence: Confidence,
    /// Why, in words.
    pub reason: String,
}

impl FieldProposal {
    fn none(reason: impl Into<String>) -> Self {
        Self { found: None, confidence: Confidence::Low, reason: reason.into() }
    }

    fn new(found: FieldFound, sure: bool, reason: String) -> Self {
        let confidence = if sure { Confidence::High } else { Confidence::Low };
        Self { found: Some(found), confidence, reason }
    }
}

/// A checksum in the reports of an id.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct FoundChecksum {
    /// Report id, 0 if reports have none.
    pub report: u8,
    /// Which.
    pub checksum: Checksum,
    /// Its width.
    pub width: Width,
    /// Its first byte, counting the id.
    pub at: usize,
    /// The first byte that it covers.
    pub from: usize,
}

/// What is known of the confirmed controls.
#[derive(Clone, Debug, Default)]
pub struct Known {
    /// Fields that are theirs alone.
    pub alone: Vec<Field>,
    /// Bits of buttons; a number shared by several buttons may overlap them.
    pub bits: Vec<Field>,
    /// Numbers that buttons share.
    pub shared: Vec<Field>,
}

impl Known {
    /// What these controls are.
    pub fn of<'a>(found: impl IntoIterator<Item = &'a FieldFound>) -> Self {
        let mut known = Self::default();
        for found in found {
            match found {
                FieldFound::Button(field, _) => known.bits.push(*field),
                FieldFound::Value(field, _) => known.shared.push(*field),
                other => known.alone.extend(other.fields()),
            }
        }
        known
    }

    /// All their fields.
    #[must_use]
    pub fn all(&self) -> Vec<Field> {
        [&self.alone[..], &self.bits, &self.shared].concat()
    }
}

/// Where the wanted control is, judging by what was recorded and the confirmed controls.
#[must_use]
pub fn propose(want: Want, takes: &Takes, still: &Still, known: &Known) -> FieldProposal {
    match want {
        Want::Button => button::find(takes, still, known),
        Want::DPad => hat::find(takes, still, &known.all()),
        Want::Stick | Want::Trigger => axis::find(want == Want::Stick, takes, still, &known.all()),
    }
}

/// Where a field is, as sheets say it.
#[must_use]
pub fn place(field: &Field, shape: &ButtonShape) -> Option<Where> {
    let (report, first) = shape.report_of(field.at / 8)?;
    Some(Where::Bits {
        report,
        at: field.at - first * 8,
        size: field.size,
        packing: field.packing,
        signed: field.signed,
    })
}
