//! One rule, and how it recognises its program.

use super::pattern::fits;
use crate::pad::PadKind;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// A running program.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct RunningProgram {
    /// Its process number.
    pub pid: u32,
    /// When it was started, in ticks since boot; another process with this number has another value.
    pub started: u64,
    /// Its names: the file that runs, the name it was started under, a script's file. The most telling one comes last.
    pub names: Vec<String>,
    /// The file that runs.
    pub path: String,
    /// Its arguments.
    pub arguments: Vec<String>,
}

impl RunningProgram {
    /// The name a person would use.
    #[must_use]
    pub fn name(&self) -> &str {
        self.names.last().map_or("a program", String::as_str)
    }
}

/// How a rule recognises its program.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum GameSign {
    /// By one of its names.
    Program(String),
    /// By the path of its file.
    Path(String),
    /// By one of its arguments.
    Argument(String),
    /// By its process number, as long as that is running.
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

/// What applies to a slot while a program runs; everything else stays as it is.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct SlotRule {
    /// The slot.
    pub slot: SlotNumber,
    /// The profile's name.
    pub profile: Option<String>,
    /// The kind of pad.
    pub kind: Option<PadKind>,
    /// Whether its devices are hidden from games; false leaves them to this game.
    pub cover: Option<bool>,
    /// The strength of rumble, in percent of what a game asks for.
    pub rumble: Option<u8>,
}

impl SlotRule {
    /// A rule about a slot that says nothing.
    #[must_use]
    pub const fn of(slot: SlotNumber) -> Self {
        Self { slot, profile: None, kind: None, cover: None, rumble: None }
    }
}

/// The running game with a rule, in words.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct GameView {
    /// Its process number.
    pub pid: u32,
    /// How its rule recognises it.
    pub signs: Vec<GameSign>,
    /// That it is running, and which rule applies.
    pub words: String,
    /// What the rule has changed in each slot, and what differs from it.
    pub slots: Vec<String>,
    /// What the rule wants but cannot have, and why.
    pub refused: Vec<(SlotNumber, String)>,
    /// The person's note about the game.
    pub note: String,
}

/// A rule: what applies while a program runs.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct GameRule {
    /// How it recognises its program; all of these must match.
    pub signs: Vec<GameSign>,
    /// Whether everything rests while it runs, with devices left to the game.
    pub stays_out: bool,
    /// The person's note about the game.
    pub note: String,
    /// What applies to slots.
    pub slots: Vec<SlotRule>,
}

impl GameRule {
    /// Whether a running program is the one that is meant.
    #[must_use]
    pub fn is_for(&self, program: &RunningProgram) -> bool {
        !self.signs.is_empty() && self.signs.iter().all(|sign| sign.is_of(program))
    }

    /// How its program is recognised, in words.
    #[must_use]
    pub fn words(&self) -> String {
        self.signs.iter().map(GameSign::words).collect::<Vec<_>>().join(" and ")
    }

    /// What it says about a slot.
    #[must_use]
    pub fn of_slot(&self, slot: SlotNumber) -> Option<&SlotRule> {
        self.slots.iter().find(|own| own.slot == slot)
    }
}
