//! The verdict for a slot: what a game sees of it.

use super::{GameList, ListedDevice, Takes, Whose};
use crate::cover::{Cover, Strength};
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// What a game sees of a slot.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum Verdict {
    /// Nobody has looked yet.
    #[default]
    Unknown,
    /// Its pad and nothing else of it, under this number.
    Alone(u16),
    /// Its pad, and one of its devices as well.
    Doubled {
        /// The pad's number.
        pad: u16,
        /// The device's name.
        device: String,
        /// The device's number.
        number: u16,
    },
    /// Its pad, and one of its devices that is silent because it is held.
    Dead {
        /// The pad's number.
        pad: u16,
        /// The device's name.
        device: String,
        /// The device's number.
        number: u16,
    },
    /// Its pad, and another one that a program makes from the same device.
    Again {
        /// The pad's number.
        pad: u16,
        /// Who makes the other one.
        second: Second,
    },
    /// One of its devices, and not its pad.
    DeviceOnly {
        /// The device's name.
        device: String,
        /// The device's number.
        number: u16,
    },
    /// Its pad exists, but this account may not open it: the error number.
    Closed(i32),
    /// Its pad exists, but games take it for something else.
    Taken(Takes),
    /// Its pad exists, but the running game has its own `/dev` that does not contain it: the game's name.
    ShutIn(String),
    /// Its pad does not exist.
    Nothing,
}

/// A program that makes another pad.
#[derive(Clone, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub struct Second {
    /// Its name and process number.
    pub program: String,
    /// What it reads: a device's name; none if it is our pad.
    pub reads: Option<String>,
}

impl Verdict {
    /// What a game sees of a slot that has a pad.
    #[must_use]
    pub fn of(sight: &GameList, slot: SlotNumber) -> Self {
        let is_device = |entry: &&ListedDevice| {
            let on_purpose = matches!(entry.cover, Cover::LeftToGame | Cover::Covering);
            let its = matches!(entry.whose, Whose::Device(..)) && entry.slot() == Some(slot);
            its && !on_purpose && entry.number.is_some()
        };
        let (dead, live): (Vec<&ListedDevice>, Vec<&ListedDevice>) =
            sight.list.iter().filter(is_device).partition(|entry| entry.cover == Cover::Covered(Strength::Held));
        let named = |entries: &[&ListedDevice]| entries.first().and_then(|entry| Some((entry.called(), entry.number?)));
        let Some(pad) = sight.pad_of(slot) else {
            return match named(&live) {
                Some((device, number)) => Self::DeviceOnly { device, number },
                None => Self::Nothing,
            };
        };
        match pad.number {
            Some(pad) => match (named(&live), second(sight, slot), named(&dead)) {
                (Some((device, number)), ..) => Self::Doubled { pad, device, number },
                (None, Some(second), _) => Self::Again { pad, second },
                (None, None, Some((device, number))) => Self::Dead { pad, device, number },
                (None, None, None) => Self::Alone(pad),
            },
            None => match (named(&live), pad.refused) {
                (Some((device, number)), _) => Self::DeviceOnly { device, number },
                (None, Some(errno)) => Self::Closed(errno),
                (None, None) => Self::Taken(pad.takes),
            },
        }
    }

    /// What the running game sees of a slot: the same as any game, unless it has its own `/dev`.
    #[must_use]
    pub fn of_game(sight: &GameList, slot: SlotNumber, game: Option<u32>) -> Self {
        let shut_in = game.and_then(|pid| {
            let pad = sight.pad_of(slot)?;
            let program = sight.programs.iter().find(|program| program.pid == pid)?;
            let shown = program.own_dev.as_ref()?;
            (!pad.nodes.iter().any(|node| shown.contains(node))).then(|| Self::ShutIn(program.name.clone()))
        });
        shut_in.unwrap_or_else(|| Self::of(sight, slot))
    }

    /// The number under which a game has the slot's pad.
    #[must_use]
    pub fn number(&self) -> Option<u16> {
        match self {
            Self::Alone(pad) | Self::Doubled { pad, .. } | Self::Dead { pad, .. } | Self::Again { pad, .. } => {
                Some(*pad)
            }
            _ => None,
        }
    }

    /// Whether all is as it should be, as far as is known.
    #[must_use]
    pub fn is_well(&self) -> bool {
        matches!(self, Self::Unknown | Self::Alone(_))
    }

    /// A sentence about what a game sees that starts now.
    #[must_use]
    pub fn sentence(&self, slot: SlotNumber) -> String {
        let ends = "and counts both as players";
        match self {
            Self::Unknown => format!("What a game sees of {slot} is not known yet."),
            Self::Alone(pad) => format!("A game sees only the pad of {slot}, as controller {pad}."),
            Self::Doubled { pad, device, number } if number < pad => format!(
                "A game sees {device} as controller {number}, before the pad of {slot}, which is controller {pad}, {ends}."
            ),
            Self::Doubled { pad, device, number } => {
                format!(
                    "A game sees the pad of {slot} as controller {pad}, and {device} as controller {number}, {ends}."
                )
            }
            Self::Dead { pad, device, number } => format!(
                "A game sees the pad of {slot} as controller {pad}, and also lists {device} as controller {number}, which is dead: choose the pad."
            ),
            Self::Again { pad, second } => {
                let of = second.reads.as_ref().map_or_else(|| "that pad".to_owned(), Clone::clone);
                format!(
                    "A game sees the pad of {slot} as controller {pad}, and another one that {} makes of {of}.",
                    second.program
                )
            }
            Self::DeviceOnly { device, number } => {
                format!("A game sees {device} as controller {number}, but not the pad of {slot}.")
            }
            Self::Closed(_) => format!("The pad of {slot} is there, but this account may not open it."),
            Self::Taken(takes) => format!("A game takes the pad of {slot} for {}.", takes.words()),
            Self::ShutIn(game) => format!("{game} is shut in, and does not see the pad of {slot}."),
            Self::Nothing => format!("Nothing sees the pad of {slot}."),
        }
    }

    /// The same in two short lines, for a cell.
    #[must_use]
    pub fn short(&self) -> Option<[String; 2]> {
        let sees = |pad: &u16| format!("sees pad {pad}");
        Some(match self {
            Self::Unknown => return None,
            Self::Alone(pad) => [sees(pad), "alone".into()],
            Self::Doubled { pad, device, number } if number < pad => [sees(pad), format!("after {device}")],
            Self::Doubled { pad, device, .. } => [sees(pad), format!("and {device}")],
            Self::Dead { pad, device, .. } => [sees(pad), format!("lists {device} too")],
            Self::Again { pad, second } => [sees(pad), format!("and that of {}", second.program)],
            Self::DeviceOnly { device, .. } => ["sees no pad".into(), format!("but {device}")],
            Self::Closed(_) => ["sees no pad".into(), "may not open it".into()],
            Self::Taken(takes) => ["sees no pad".into(), format!("but {}", takes.words())],
            Self::ShutIn(game) => ["sees no pad".into(), format!("{game} is shut in")],
            Self::Nothing => ["sees no pad".into(), String::new()],
        })
    }
}

/// A program that makes input devices and has a device of the slot, or its pad, open.
fn second(sight: &GameList, slot: SlotNumber) -> Option<Second> {
    let makes = |pid: u32| sight.programs.iter().any(|one| one.pid == pid && one.makes && !one.ours);
    // Only if another program's pad really exists.
    sight.played().find(|entry| matches!(entry.whose, Whose::Program(_)))?;
    sight.list.iter().find_map(|entry| {
        let reads = match &entry.whose {
            _ if entry.slot() != Some(slot) => return None,
            Whose::Device(_, name, _) => Some(name.clone()),
            _ => None,
        };
        let holder = entry.holders.iter().find(|holder| makes(holder.pid))?;
        Some(Second { program: holder.name.clone(), reads })
    })
}
