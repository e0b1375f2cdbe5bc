//! One rule, and what it goes by.

use super::pattern::fits;
use crate::pad::PadKind;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// A program that runs.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct RunningProgram {
    /// The number of its process.
    pub pid: u32,
    /// When it was started, in ticks since the machine was: another process of this number has another one.
    pub started: u64,
    /// What it is called: the file that runs, what it was called when it was started, the file of a script. What says most comes last.
    pub names: Vec<String>,
    /// The file that runs.
    pub path: String,
    /// What it was started with.
    pub arguments: Vec<String>,
}

impl RunningProgram {
    /// What a person would call it.
    #[must_use]
    pub fn name(&self) -> &str {
        self.names.last().map_or("a program", String::as_str)
    }
}

/// What a rule knows its program by.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum GameSign {
    /// One of its names.
    Program(String),
    /// The place of its file.
    Path(String),
    /// One of its arguments.
    Argument(String),
    /// The number of its process: for as long as that runs.
    Process(u32),
}

impl GameSign {
    fn is_of(&self, program: &RunningProgram) -> bool {
        match self {
            Self::Program(pattern) => program.names.iter().any(|name| fits(pattern, name)),
            Self::Path(pattern) => fits(pattern, &program.path),
            Self::Argument(pattern) => program.arguments.iter().any(|argument| fits(pattern, argument)),
            Self::Process(pid) => program.pid == *pid,
        }
    }

    fn words(&self) -> String {
        match self {
            Self::Program(pattern) => format!("program {pattern}"),
            Self::Path(pattern) => format!("path {pattern}"),
            Self::Argument(pattern) => format!("argument {pattern}"),
            Self::Process(pid) => format!("process {pid}"),
        }
    }
}

/// What shall be of a slot while a program runs; what is not said stays as it is.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct SlotRule {
    /// The slot.
    pub slot: SlotNumber,
    /// The profile's name.
    pub profile: Option<String>,
    /// The kind of pad.
    pub kind: Option<PadKind>,
    /// Whether its devices are hidden from games; false leaves them to this one.
    pub cover: Option<bool>,
    /// How strongly they rumble, in percent of what a game asks for.
    pub rumble: Option<u8>,
}

impl SlotRule {
    /// A rule that says nothing of a slot.
    #[must_use]
    pub const fn of(slot: SlotNumber) -> Self {
        Self { slot, profile: None, kind: None, cover: None, rumble: None }
    }
}

/// The game that is played by a rule, in words.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct GameView {
    /// The number of its process.
    pub pid: u32,
    /// What its rule knows it by.
    pub signs: Vec<GameSign>,
    /// That it is played, and by which rule.
    pub words: String,
    /// What the rule has made of each slot, and what of it is otherwise.
    pub slots: Vec<String>,
    /// What it wants of slots and cannot be, and why.
    pub refused: Vec<(SlotNumber, String)>,
    /// What the person has noted about the game.
    pub note: String,
}

/// A rule: what shall be while a program runs.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct GameRule {
    /// What its program is known by: all of it.
    pub signs: Vec<GameSign>,
    /// Everything rests while it runs, and its devices are left to the game.
    pub stays_out: bool,
    /// What the person has noted about the game.
    pub note: String,
    /// What shall be of slots.
    pub slots: Vec<SlotRule>,
}

impl GameRule {
    /// Whether a running program is the one that is meant.
    #[must_use]
    pub fn is_for(&self, program: &RunningProgram) -> bool {
        !self.signs.is_empty() && self.signs.iter().all(|sign| sign.is_of(program))
    }

    /// What its program is known by, in words.
    #[must_use]
    pub fn words(&self) -> String {
        self.signs.iter().map(GameSign::words).collect::<Vec<_>>().join(" and ")
    }

    /// What it says of a slot.
    #[must_use]
    pub fn of_slot(&self, slot: SlotNumber) -> Option<&SlotRule> {
        self.slots.iter().find(|own| own.slot == slot)
    }
}
