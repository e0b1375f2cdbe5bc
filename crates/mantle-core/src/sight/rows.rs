//! The list in words: a row for each input device, and one for each program.

use super::{GameList, ListedDevice, Program, Verdict, Whose};
use crate::cover::{Cover, Strength};
use crate::device::errno_name;
use crate::games::GameView;
use crate::slot::SlotNumber;
use serde::{Deserialize, Serialize};

/// The most rows that are shown; there may be more.
const ROWS: usize = 48;
/// Programs that are told.
const PROGRAMS: usize = 16;

/// How it stands with a row.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub enum RowStanding {
    /// As it should be.
    Well,
    /// Neither well nor wrong.
    #[default]
    Plain,
    /// Wrong for somebody who plays.
    Wrong,
}

impl ListedDevice {
    /// The slot that it belongs to.
    #[must_use]
    pub fn slot(&self) -> Option<SlotNumber> {
        match &self.whose {
            Whose::Pad(slot) | Whose::Device(_, _, Some(slot)) => Some(*slot),
            _ => None,
        }
    }

    /// What people call it: a pad by its slot, a device by its name.
    #[must_use]
    pub fn called(&self) -> String {
        match &self.whose {
            Whose::Pad(slot) => format!("pad of {slot}"),
            Whose::Device(_, name, _) => name.clone(),
            _ => self.name.clone(),
        }
    }

    /// Whose it is, in words.
    #[must_use]
    pub fn whose(&self) -> String {
        // Devices whose nickname differs from the system's name show both.
        let called = |name: &String, of: &str| match *name == self.name {
            true => format!("device of {of}"),
            false => format!("{name}, of {of}"),
        };
        match &self.whose {
            Whose::Nobody => "the machine's".into(),
            Whose::Pad(slot) => format!("pad of {slot}"),
            Whose::Ours => "typed through".into(),
            Whose::Device(_, name, Some(slot)) => called(name, &slot.to_string()),
            Whose::Device(_, name, None) => called(name, "no slot"),
            Whose::OtherEngine => "pad of an engine".into(),
            Whose::Program(Some(name)) => format!("made by {name}"),
            Whose::Program(None) => "made by a program".into(),
        }
    }

    /// Why this account cannot open it; none if it can.
    #[must_use]
    pub fn refused(&self) -> Option<String> {
        self.refused.map(errno_name)
    }

    /// How it is covered; empty for devices that are not ours.
    #[must_use]
    pub fn cover(&self) -> &'static str {
        if matches!(self.whose, Whose::Device(..)) { self.cover.words() } else { "" }
    }

    /// Who has grabbed it, as far as that is known.
    #[must_use]
    pub fn held_by(&self) -> Option<String> {
        if self.cover == Cover::Covered(Strength::Held) {
            return Some("this program".into());
        }
        // EBUSY: another one holds it.
        let busy = matches!(&self.cover, Cover::Failed(fault) if fault.errno == 16);
        (self.grabbed == Some(true) || busy).then(|| match self.holders.as_slice() {
            [one] => one.name.clone(),
            _ => "another program".into(),
        })
    }
}

/// A program.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct ProgramRow {
    /// The number of its process.
    pub pid: u32,
    /// Its name.
    pub name: String,
    /// When it was started, in seconds from the beginning of 1970.
    pub since: Option<u64>,
    /// What it has open, by names.
    pub opens: Vec<String>,
    /// The same by nodes.
    pub nodes: Vec<String>,
    /// Whether it makes input devices.
    pub makes: bool,
    /// Whether it is a browser.
    pub browser: bool,
    /// Whether it has its own `/dev`, and how many of the rows a game plays with that contains.
    pub shut_in: Option<u16>,
    /// What a player should know about it; empty if all is well.
    pub words: String,
}

/// All of it.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct SightView {
    /// The rows, starting with what a game plays with, by its numbers.
    pub rows: Vec<ListedDevice>,
    /// Rows that are not told.
    pub more: u16,
    /// The programs.
    pub programs: Vec<ProgramRow>,
    /// Processes that could not be inspected.
    pub closed: u32,
    /// Whether games' libraries go by udev's database.
    pub udev: bool,
    /// When this was read, in seconds from the beginning of 1970.
    pub now: Option<u64>,
    /// Whether something has changed since, and a new look is on its way.
    pub outdated: bool,
    /// The game that is played by a rule.
    pub game: Option<GameView>,
}

impl GameList {
    /// The list in words.
    #[must_use]
    pub fn view(&self) -> SightView {
        SightView {
            rows: self.list.iter().take(ROWS).map(|entry| self.row(entry)).collect(),
            more: self.list.len().saturating_sub(ROWS) as u16,
            programs: self
                .programs
                .iter()
                .filter(|one| !one.ours)
                .take(PROGRAMS)
                .map(|one| self.program(one))
                .collect(),
            closed: self.closed,
            udev: self.udev,
            now: self.at,
            outdated: false,
            game: None,
        }
    }

    fn row(&self, entry: &ListedDevice) -> ListedDevice {
        let (standing, words, mend) = self.standing(entry);
        ListedDevice { standing, words, mend, ..entry.clone() }
    }

    /// The state of an entry, why, and what mends it.
    fn standing(&self, entry: &ListedDevice) -> (RowStanding, String, String) {
        let say = |standing, words: &str, mend: &str| (standing, words.to_owned(), mend.to_owned());
        let plays = entry.takes.is_pad();
        match (&entry.whose, entry.number) {
            (Whose::Pad(slot), Some(_)) => match Verdict::of(self, *slot) {
                Verdict::Alone(_) => say(RowStanding::Well, "alone", ""),
                _ => say(RowStanding::Plain, "not alone", ""),
            },
            (Whose::Pad(_), None) if !plays => say(RowStanding::Plain, "part of a pad", ""),
            (Whose::Pad(_), None) => say(
                RowStanding::Wrong,
                "games cannot open it",
                "log in at the machine itself, or add the account to the group that owns /dev/input",
            ),
            (Whose::Device(_, _, Some(_)), Some(_)) => match &entry.cover {
                Cover::LeftToGame => say(RowStanding::Plain, "left to the game, on purpose", ""),
                Cover::Covering => say(RowStanding::Plain, "being covered", ""),
                Cover::Covered(Strength::Held) => say(
                    RowStanding::Wrong,
                    "listed, but dead",
                    "choose the pad in the game; running sudo placid-mantle setup --install --helper once hides it",
                ),
                Cover::Covered(Strength::Hidden) | Cover::Bare | Cover::Failed(_) => {
                    say(RowStanding::Wrong, "a second player, by mistake", "cover it again, or leave it to the game")
                }
            },
            (Whose::Device(_, _, Some(_)), None) if plays => say(RowStanding::Well, "not listed", ""),
            (Whose::Device(_, _, None), Some(_)) => say(RowStanding::Plain, "plays as it is", ""),
            (Whose::Program(_), Some(_)) => match self.makes_again(entry) {
                Some(name) => (
                    RowStanding::Wrong,
                    format!("a second pad of {name}"),
                    "close that program, or take the device out of it".into(),
                ),
                None => say(RowStanding::Plain, "a program's pad", ""),
            },
            (Whose::OtherEngine, Some(_)) => say(RowStanding::Plain, "plays", ""),
            (Whose::Nobody, Some(_)) => say(RowStanding::Plain, "plays as it is", ""),
            _ => (RowStanding::Plain, String::new(), String::new()),
        }
    }

    /// What the program that made an entry has open of ours: that plays twice.
    fn makes_again(&self, entry: &ListedDevice) -> Option<String> {
        let Whose::Program(Some(name)) = &entry.whose else { return None };
        self.list.iter().find_map(|other| {
            let its = match &other.whose {
                Whose::Pad(slot) => format!("the pad of {slot}"),
                Whose::Device(_, name, Some(_)) => name.clone(),
                _ => return None,
            };
            other.holders.iter().any(|holder| holder.name == *name).then_some(its)
        })
    }

    fn program(&self, one: &Program) -> ProgramRow {
        let opened = || self.list.iter().filter(|entry| entry.nodes.iter().any(|node| one.nodes.contains(node)));
        let shows = |entry: &&ListedDevice| {
            one.own_dev.as_ref().is_some_and(|own| entry.nodes.iter().any(|node| own.contains(node)))
        };
        let pads = || self.played().filter(|entry| matches!(entry.whose, Whose::Pad(_)));
        let past = opened().find(|entry| {
            let reports = |node: &String| node.starts_with("/dev/hidraw") && one.nodes.contains(node);
            entry.cover == Cover::Covered(Strength::Held) && entry.nodes.iter().any(reports)
        });
        let bare = opened().find(|entry| {
            let its = matches!(entry.whose, Whose::Device(_, _, Some(_)));
            its && entry.takes.is_pad() && matches!(entry.cover, Cover::Bare | Cover::Failed(_))
        });
        let words = if let Some(entry) = past {
            format!("reads the reports of {} in spite of the hold: close it", entry.called())
        } else if one.own_dev.is_some() && pads().next().is_some() && !pads().any(|entry| shows(&entry)) {
            "is shut in and sees none of our pads: restart it once the pads are there".into()
        } else if let (Some(entry), true) = (bare, one.makes) {
            format!("makes another pad of {}", entry.called())
        } else if let Some(entry) = bare {
            format!("has {} open: restart it once that is covered", entry.called())
        } else if one.makes && opened().any(|entry| matches!(entry.whose, Whose::Pad(_))) {
            "makes another pad of ours".into()
        } else {
            String::new()
        };
        ProgramRow {
            pid: one.pid,
            name: one.name.clone(),
            since: one.since,
            opens: opened().map(ListedDevice::called).collect(),
            nodes: one.nodes.clone(),
            makes: one.makes,
            browser: one.browser,
            shut_in: one.own_dev.as_ref().map(|_| self.played().filter(shows).count() as u16),
            words,
        }
    }
}
