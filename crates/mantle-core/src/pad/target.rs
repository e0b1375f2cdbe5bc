//! What a pad of any kind may have: the vocabulary that bindings, states and pad models share. Whatever several kinds have in common is one target: X
//! and Y of a flight stick are what a common pad calls its left stick, so a profile means the same on both. A [`super::PadModel`] says which of them
//! a pad has, and what they are called there.

use super::sensed::CONTACTS;
use serde::{Deserialize, Serialize};
use std::sync::LazyLock;

/// A control of a pad, or one direction of it. [`PadTarget::index`] is also the bit number of a button in [`super::PadState::bits`].
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[allow(missing_docs, reason = "the names are the positions themselves")]
pub enum PadTarget {
    South,
    East,
    West,
    North,
    LeftShoulder,
    RightShoulder,
    LeftTrigger,
    RightTrigger,
    Select,
    Start,
    LeftStickPress,
    RightStickPress,
    Mode,
    Up,
    Down,
    Left,
    Right,
    LeftStickUp,
    LeftStickDown,
    LeftStickLeft,
    LeftStickRight,
    RightStickUp,
    RightStickDown,
    RightStickLeft,
    RightStickRight,
    /// A numbered button, from 0.
    Button(u8),
    /// One direction of an axis that belongs to no stick: which of [`LINES`], and whether it is the upper one. An axis that travels from its rest
    /// only has just the upper one.
    Line(u8, bool),
    /// A direction of the second to fourth hat, from 1, as a number 0 to 3: up, down, left, right. The first hat is the d-pad.
    Hat(u8, u8),
    /// How the pad moves as a whole: rotation and acceleration from its sensor.
    Motion,
    /// A contact of its touch surface, from 0, as a whole: whether something touches, and where.
    Contact(u8),
}

/// A flight stick's names for what it has in common with the common pad.
const OTHER_NAMES: [(&str, PadTarget); 12] = {
    use PadTarget::*;
    [
        ("X minus", LeftStickLeft),
        ("X plus", LeftStickRight),
        ("Y minus", LeftStickUp),
        ("Y plus", LeftStickDown),
        ("Rx minus", RightStickLeft),
        ("Rx plus", RightStickRight),
        ("Ry minus", RightStickUp),
        ("Ry plus", RightStickDown),
        ("hat 1 up", Up),
        ("hat 1 down", Down),
        ("hat 1 left", Left),
        ("hat 1 right", Right),
    ]
};

/// The lane of the first line; the two before it are unused.
pub const FIRST_LINE: usize = 8;
/// The most numbered buttons a pad may have.
pub const BUTTONS: u8 = 64;
/// The most hats a pad may have, including the d-pad.
pub const HATS: u8 = 4;
/// Axes that belong to no stick or trigger: their names, and whether they rest in the middle and have two directions.
pub const LINES: [(&str, bool); 12] = [
    ("Z", true),
    ("Rz", true),
    ("throttle", false),
    ("rudder", true),
    ("wheel", true),
    ("gas", false),
    ("brake", false),
    ("axis 8", true),
    ("axis 9", true),
    ("axis 10", true),
    ("axis 11", true),
    ("axis 12", true),
];

/// The directions of a hat, in the order of [`PadTarget::hat`].
pub const WAYS: [&str; 4] = ["up", "down", "left", "right"];

const CONTACT_NAMES: [&str; CONTACTS] = ["contact 1", "contact 2"];

/// Names by number.
struct Names {
    buttons: Vec<String>,
    lines: Vec<[String; 2]>,
    hats: Vec<[String; 4]>,
}

/// Made once, since names are needed for every frame of the screen.
static NAMES: LazyLock<Names> = LazyLock::new(|| {
    let line = |(name, centred): (&str, bool)| {
        if centred { [format!("{name} minus"), format!("{name} plus")] } else { [String::new(), name.to_owned()] }
    };
    let hat = |hat| WAYS.map(|direction| format!("hat {hat} {direction}"));
    Names {
        buttons: (1..=BUTTONS).map(|n| format!("button {n}")).collect(),
        lines: LINES.map(line).into(),
        hats: (2..=HATS).map(hat).collect(),
    }
});

/// The first bits of numbered targets: buttons, the second hat's directions, lines. Below the buttons, some bits are free behind the common pad's
/// targets; lines use those as well.
const BUTTON_BITS: usize = 32;
const HAT_BITS: usize = BUTTON_BITS + BUTTONS as usize;
const LOW_LINE_BITS: usize = TARGETS.len();
const HIGH_LINE_BITS: usize = HAT_BITS + 4 * (HATS as usize - 1);
const WHOLE_BITS: usize = HIGH_LINE_BITS + 2 * LINES.len() - (BUTTON_BITS - LOW_LINE_BITS);
/// All of them are bits of one word.
pub(crate) const BITS: usize = 128;
const _: () = assert!(WHOLE_BITS + 1 + CONTACTS <= BITS);

/// All targets of the common pad, in the order used everywhere.
pub const TARGETS: [PadTarget; 25] = {
    use PadTarget::*;
    [
        South,
        East,
        West,
        North,
        LeftShoulder,
        RightShoulder,
        LeftTrigger,
        RightTrigger,
        Select,
        Start,
        LeftStickPress,
        RightStickPress,
        Mode,
        Up,
        Down,
        Left,
        Right,
        LeftStickUp,
        LeftStickDown,
        LeftStickLeft,
        LeftStickRight,
        RightStickUp,
        RightStickDown,
        RightStickLeft,
        RightStickRight,
    ]
};

impl PadTarget {
    /// How many bits a set of targets has.
    pub const BITS: usize = BITS;

    /// Its number, below [`PadTarget::BITS`].
    #[must_use]
    pub const fn index(self) -> usize {
        match self {
            Self::South => 0,
            Self::East => 1,
            Self::West => 2,
            Self::North => 3,
            Self::LeftShoulder => 4,
            Self::RightShoulder => 5,
            Self::LeftTrigger => 6,
            Self::RightTrigger => 7,
            Self::Select => 8,
            Self::Start => 9,
            Self::LeftStickPress => 10,
            Self::RightStickPress => 11,
            Self::Mode => 12,
            Self::Up => 13,
            Self::Down => 14,
            Self::Left => 15,
            Self::Right => 16,
            Self::LeftStickUp => 17,
            Self::LeftStickDown => 18,
            Self::LeftStickLeft => 19,
            Self::LeftStickRight => 20,
            Self::RightStickUp => 21,
            Self::RightStickDown => 22,
            Self::RightStickLeft => 23,
            Self::RightStickRight => 24,
            Self::Button(n) => BUTTON_BITS + (n % BUTTONS) as usize,
            Self::Hat(hat, direction) => {
                HAT_BITS + 4 * ((hat + HATS - 2) % (HATS - 1)) as usize + (direction % 4) as usize
            }
            Self::Line(line, upper) => {
                let at = 2 * (line as usize % LINES.len()) + upper as usize;
                let low = BUTTON_BITS - LOW_LINE_BITS;
                if at < low { LOW_LINE_BITS + at } else { HIGH_LINE_BITS + at - low }
            }
            Self::Motion => WHOLE_BITS,
            Self::Contact(contact) => WHOLE_BITS + 1 + contact as usize % CONTACTS,
        }
    }

    /// Its bit in a set of targets.
    #[must_use]
    pub const fn mask(self) -> u128 {
        1 << self.index()
    }

    /// Whether it is a direction of a stick, or of an axis that rests in its middle like a stick's.
    #[must_use]
    pub const fn is_stick(self) -> bool {
        match self {
            Self::Line(line, _) => LINES[line as usize % LINES.len()].1,
            Self::Button(_) | Self::Hat(..) | Self::Motion | Self::Contact(_) => false,
            _ => self.index() >= Self::LeftStickUp.index(),
        }
    }

    /// Whether it is played as a whole, by a sensor or a contact, and by nothing else.
    #[must_use]
    pub const fn is_whole(self) -> bool {
        matches!(self, Self::Motion | Self::Contact(_))
    }

    /// Whether it travels from its rest to one end, as a trigger does.
    #[must_use]
    pub const fn is_pulled(self) -> bool {
        match self {
            Self::LeftTrigger | Self::RightTrigger => true,
            Self::Line(line, _) => !LINES[line as usize % LINES.len()].1,
            _ => false,
        }
    }

    /// The opposite direction of the same axis or hat: the lower of both (left, up) and the higher one.
    #[must_use]
    pub const fn opposed(self) -> Option<(Self, Self)> {
        use PadTarget::*;
        Some(match self {
            Left | Right => (Left, Right),
            Up | Down => (Up, Down),
            LeftStickLeft | LeftStickRight => (LeftStickLeft, LeftStickRight),
            LeftStickUp | LeftStickDown => (LeftStickUp, LeftStickDown),
            RightStickLeft | RightStickRight => (RightStickLeft, RightStickRight),
            RightStickUp | RightStickDown => (RightStickUp, RightStickDown),
            Line(line, _) if self.is_stick() => (Line(line, false), Line(line, true)),
            Hat(hat, direction) if direction < 2 => (Hat(hat, 0), Hat(hat, 1)),
            Hat(hat, _) => (Hat(hat, 2), Hat(hat, 3)),
            _ => return None,
        })
    }

    /// The hat that it is a direction of, from 0.
    #[must_use]
    pub const fn hat_of(self) -> Option<u8> {
        match self {
            Self::Up | Self::Down | Self::Left | Self::Right => Some(0),
            Self::Hat(hat, _) => Some(hat),
            _ => None,
        }
    }

    /// The directions of a hat, from 0: up, down, left, right.
    #[must_use]
    pub const fn hat(hat: u8) -> [Self; 4] {
        match hat {
            0 => [Self::Up, Self::Down, Self::Left, Self::Right],
            _ => [Self::Hat(hat, 0), Self::Hat(hat, 1), Self::Hat(hat, 2), Self::Hat(hat, 3)],
        }
    }

    /// Everything that a pad of any kind may have, the common pad's first.
    pub fn all() -> impl Iterator<Item = Self> {
        let lines = (0..LINES.len() as u8).flat_map(|line| [Self::Line(line, false), Self::Line(line, true)]);
        let lines = lines.filter(|line| line.is_stick() || matches!(line, Self::Line(_, true)));
        let hats = (1..HATS).flat_map(Self::hat);
        let contacts = (0..CONTACTS as u8).map(Self::Contact);
        let wholes = std::iter::once(Self::Motion).chain(contacts);
        TARGETS.into_iter().chain((0..BUTTONS).map(Self::Button)).chain(lines).chain(hats).chain(wholes)
    }

    /// The one that is written so.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        let name = name.trim();
        let shared = OTHER_NAMES.iter().find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, target)| *target);
        shared.or_else(|| Self::all().find(|target| target.name().eq_ignore_ascii_case(name)))
    }

    /// Whether it takes a travel, not only a press: a stick's direction, a trigger.
    #[must_use]
    pub const fn travels(self) -> bool {
        self.is_stick() || self.is_pulled()
    }

    /// Which direction of a hat plays it by default, as one of the four bits up, down, left, right.
    #[must_use]
    pub fn direction(self) -> Option<u8> {
        Some(match self {
            Self::Up | Self::LeftStickUp | Self::RightStickUp => 1,
            Self::Down | Self::LeftStickDown | Self::RightStickDown => 2,
            Self::Left | Self::LeftStickLeft | Self::RightStickLeft => 4,
            Self::Right | Self::LeftStickRight | Self::RightStickRight => 8,
            Self::Hat(_, direction) => 1 << (direction % 4),
            Self::Line(_, upper) if self.is_stick() => 4 << u8::from(upper),
            _ => return None,
        })
    }

    /// The lane that it lies on, and its direction; none for a button. The first six are [`super::PadState::axes`]; the lines begin at
    /// [`FIRST_LINE`].
    #[must_use]
    pub const fn axis(self) -> Option<(usize, f32)> {
        Some(match self {
            Self::LeftStickLeft => (0, -1.0),
            Self::LeftStickRight => (0, 1.0),
            Self::LeftStickUp => (1, -1.0),
            Self::LeftStickDown => (1, 1.0),
            Self::RightStickLeft => (2, -1.0),
            Self::RightStickRight => (2, 1.0),
            Self::RightStickUp => (3, -1.0),
            Self::RightStickDown => (3, 1.0),
            Self::LeftTrigger => (4, 1.0),
            Self::RightTrigger => (5, 1.0),
            Self::Line(line, upper) => (FIRST_LINE + line as usize % LINES.len(), if upper { 1.0 } else { -1.0 }),
            _ => return None,
        })
    }

    /// Its name as people see it, if no model has another one for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::South => "South",
            Self::East => "East",
            Self::West => "West",
            Self::North => "North",
            Self::LeftShoulder => "left shoulder",
            Self::RightShoulder => "right shoulder",
            Self::LeftTrigger => "left trigger",
            Self::RightTrigger => "right trigger",
            Self::Select => "Select",
            Self::Start => "Start",
            Self::LeftStickPress => "left stick press",
            Self::RightStickPress => "right stick press",
            Self::Mode => "Mode",
            Self::Up => "d-pad up",
            Self::Down => "d-pad down",
            Self::Left => "d-pad left",
            Self::Right => "d-pad right",
            Self::LeftStickUp => "left stick up",
            Self::LeftStickDown => "left stick down",
            Self::LeftStickLeft => "left stick left",
            Self::LeftStickRight => "left stick right",
            Self::RightStickUp => "right stick up",
            Self::RightStickDown => "right stick down",
            Self::RightStickLeft => "right stick left",
            Self::RightStickRight => "right stick right",
            Self::Button(n) => &NAMES.buttons[usize::from(n % BUTTONS)],
            Self::Line(line, upper) => &NAMES.lines[usize::from(line) % LINES.len()][usize::from(upper)],
            Self::Hat(hat, direction) => {
                &NAMES.hats[usize::from((hat + HATS - 2) % (HATS - 1))][usize::from(direction % 4)]
            }
            Self::Motion => "motion",
            Self::Contact(contact) => CONTACT_NAMES[usize::from(contact) % CONTACTS],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_target_has_a_unique_bit_and_name() {
        let all: Vec<PadTarget> = PadTarget::all().collect();
        assert_eq!(all.len(), 25 + 64 + 21 + 12 + 3);
        let mut bits = 0u128;
        for target in &all {
            assert_eq!(bits & target.mask(), 0, "{target:?} has a bit of another one");
            bits |= target.mask();
            assert_eq!(PadTarget::named(target.name()), Some(*target), "{}", target.name());
        }
        assert_eq!(bits.count_ones() as usize, all.len());
    }

    #[test]
    fn opposite_directions_share_a_lane() {
        for target in PadTarget::all() {
            let Some((low, high)) = target.opposed() else { continue };
            assert!(target == low || target == high);
            assert_eq!(low.axis().map(|(lane, _)| lane), high.axis().map(|(lane, _)| lane));
            assert!(low.axis().is_none_or(|(_, sign)| sign < 0.0) && high.axis().is_none_or(|(_, sign)| sign > 0.0));
        }
    }
}
