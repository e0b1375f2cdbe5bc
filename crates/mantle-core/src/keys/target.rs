//! What bindings can play besides the pad: keys of a keyboard, buttons, motion and wheel of a mouse, and actions of the
//! program itself.

use serde::{Deserialize, Serialize};

/// Relative axes of `linux/input-event-codes.h`.
mod rel {
    pub const X: u16 = 0;
    pub const Y: u16 = 1;
    pub const HWHEEL: u16 = 6;
    pub const WHEEL: u16 = 8;
}

/// Actions of the program itself, from the device.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ProgramAction {
    /// Pause the slot, or resume it.
    Pause,
    /// Switch between the old and the new feel.
    FlipFeel,
    /// Step the chosen setting of the feel up or down.
    StepFeel(bool),
    /// Begin a roll call of the slot.
    RollCall,
}

/// What a stroke does.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum KeyAct {
    /// A key, by its event code.
    Key(u16),
    /// A mouse button, by its event code.
    Button(u16),
    /// Moves the pointer along this relative axis, this way.
    Motion(u16, i8),
    /// Turns the wheel along this relative axis, this way.
    Wheel(u16, i8),
    /// Nothing that games see.
    ProgramAction(ProgramAction),
}

/// Something a binding can play besides the pad, by its index in [`KeyTarget::all`].
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub struct KeyTarget(u8);

const fn key(name: &'static str, code: u16) -> (&'static str, KeyAct) {
    (name, KeyAct::Key(code))
}

/// The names, and what they do. Keys are named as on an English keyboard.
const STROKES: [(&str, KeyAct); 122] = [
    key("key A", 30),
    key("key B", 48),
    key("key C", 46),
    key("key D", 32),
    key("key E", 18),
    key("key F", 33),
    key("key G", 34),
    key("key H", 35),
    key("key I", 23),
    key("key J", 36),
    key("key K", 37),
    key("key L", 38),
    key("key M", 50),
    key("key N", 49),
    key("key O", 24),
    key("key P", 25),
    key("key Q", 16),
    key("key R", 19),
    key("key S", 31),
    key("key T", 20),
    key("key U", 22),
    key("key V", 47),
    key("key W", 17),
    key("key X", 45),
    key("key Y", 21),
    key("key Z", 44),
    key("key 1", 2),
    key("key 2", 3),
    key("key 3", 4),
    key("key 4", 5),
    key("key 5", 6),
    key("key 6", 7),
    key("key 7", 8),
    key("key 8", 9),
    key("key 9", 10),
    key("key 0", 11),
    key("key Enter", 28),
    key("key Escape", 1),
    key("key Backspace", 14),
    key("key Tab", 15),
    key("key Space", 57),
    key("key minus", 12),
    key("key equals", 13),
    key("key left bracket", 26),
    key("key right bracket", 27),
    key("key backslash", 43),
    key("key semicolon", 39),
    key("key apostrophe", 40),
    key("key grave", 41),
    key("key comma", 51),
    key("key full stop", 52),
    key("key slash", 53),
    key("key Caps Lock", 58),
    key("key F1", 59),
    key("key F2", 60),
    key("key F3", 61),
    key("key F4", 62),
    key("key F5", 63),
    key("key F6", 64),
    key("key F7", 65),
    key("key F8", 66),
    key("key F9", 67),
    key("key F10", 68),
    key("key F11", 87),
    key("key F12", 88),
    key("key Print Screen", 99),
    key("key Scroll Lock", 70),
    key("key Pause", 119),
    key("key Insert", 110),
    key("key Home", 102),
    key("key Page Up", 104),
    key("key Delete", 111),
    key("key End", 107),
    key("key Page Down", 109),
    key("key right arrow", 106),
    key("key left arrow", 105),
    key("key down arrow", 108),
    key("key up arrow", 103),
    key("key left Control", 29),
    key("key left Shift", 42),
    key("key left Alt", 56),
    key("key left Meta", 125),
    key("key right Control", 97),
    key("key right Shift", 54),
    key("key right Alt", 100),
    key("key right Meta", 126),
    key("key Menu", 127),
    key("keypad 0", 82),
    key("keypad 1", 79),
    key("keypad 2", 80),
    key("keypad 3", 81),
    key("keypad 4", 75),
    key("keypad 5", 76),
    key("keypad 6", 77),
    key("keypad 7", 71),
    key("keypad 8", 72),
    key("keypad 9", 73),
    key("keypad plus", 78),
    key("keypad minus", 74),
    key("keypad times", 55),
    key("keypad divide", 98),
    key("keypad point", 83),
    key("keypad Enter", 96),
    key("key less than", 86),
    ("mouse button left", KeyAct::Button(0x110)),
    ("mouse button right", KeyAct::Button(0x111)),
    ("mouse button middle", KeyAct::Button(0x112)),
    ("mouse button side", KeyAct::Button(0x113)),
    ("mouse button extra", KeyAct::Button(0x114)),
    ("mouse left", KeyAct::Motion(rel::X, -1)),
    ("mouse right", KeyAct::Motion(rel::X, 1)),
    ("mouse up", KeyAct::Motion(rel::Y, -1)),
    ("mouse down", KeyAct::Motion(rel::Y, 1)),
    ("wheel up", KeyAct::Wheel(rel::WHEEL, 1)),
    ("wheel down", KeyAct::Wheel(rel::WHEEL, -1)),
    ("wheel left", KeyAct::Wheel(rel::HWHEEL, -1)),
    ("wheel right", KeyAct::Wheel(rel::HWHEEL, 1)),
    ("pause", KeyAct::ProgramAction(ProgramAction::Pause)),
    ("flip feel", KeyAct::ProgramAction(ProgramAction::FlipFeel)),
    ("more feel", KeyAct::ProgramAction(ProgramAction::StepFeel(true))),
    ("less feel", KeyAct::ProgramAction(ProgramAction::StepFeel(false))),
    ("roll call", KeyAct::ProgramAction(ProgramAction::RollCall)),
];

impl KeyTarget {
    /// All of them, in the order used everywhere.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..STROKES.len() as u8).map(Self)
    }

    /// The one with this name, ignoring case.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::all().find(|stroke| stroke.name().eq_ignore_ascii_case(name.trim()))
    }

    /// Its index among all.
    #[must_use]
    pub const fn place(self) -> usize {
        self.0 as usize
    }

    /// Its name, as profiles write it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        STROKES[self.place()].0
    }

    /// What it does.
    #[must_use]
    pub const fn act(self) -> KeyAct {
        STROKES[self.place()].1
    }

    /// Whether it types, so that other programs get something.
    #[must_use]
    pub const fn types(self) -> bool {
        !matches!(self.act(), KeyAct::ProgramAction(_))
    }

    /// Whether it takes a travel, not only a press.
    #[must_use]
    pub const fn travels(self) -> bool {
        matches!(self.act(), KeyAct::Motion(..) | KeyAct::Wheel(..))
    }

    /// The direction of a hat that plays it by default, as one of the four bits up, down, left, right.
    #[must_use]
    pub const fn direction(self) -> Option<u8> {
        Some(match self.act() {
            KeyAct::Motion(rel::X, -1) | KeyAct::Wheel(rel::HWHEEL, -1) => 4,
            KeyAct::Motion(rel::X, _) | KeyAct::Wheel(rel::HWHEEL, _) => 8,
            KeyAct::Motion(_, -1) | KeyAct::Wheel(rel::WHEEL, 1) => 1,
            KeyAct::Motion(..) | KeyAct::Wheel(..) => 2,
            KeyAct::Key(_) | KeyAct::Button(_) | KeyAct::ProgramAction(_) => return None,
        })
    }
}

impl TryFrom<u8> for KeyTarget {
    type Error = String;

    fn try_from(place: u8) -> Result<Self, Self::Error> {
        if usize::from(place) < STROKES.len() { Ok(Self(place)) } else { Err(format!("there is no stroke {place}")) }
    }
}

impl From<KeyTarget> for u8 {
    fn from(stroke: KeyTarget) -> Self {
        stroke.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_codes_map_one_to_one() {
        for stroke in KeyTarget::all() {
            assert_eq!(KeyTarget::named(&stroke.name().to_uppercase()), Some(stroke), "{}", stroke.name());
            let same = KeyTarget::all().filter(|other| other.act() == stroke.act()).count();
            assert_eq!(same, 1, "{} does what another one does", stroke.name());
        }
    }
}
