//! Case files: everything that explains a table from afar, in one text file. Documented in docs/case.md.
//!
//! A case comes from a stranger, and goes to one. What it may not carry is taken out before it is written
//! ([`Private`]); what comes is bounded, and names no place outside the directory of a person's own files.

mod answer;
mod private;
mod replies;
#[cfg(test)]
mod tests;

pub use answer::answer;
pub use private::{Private, Whose};
pub use replies::{Question, Replies};

use crate::bounded::{PROFILE_BYTES, read_if_there};
use crate::fault::FileFault;
use crate::pack::Kind;
use crate::pointed::listed;
use crate::slots;
use mantle_core::case::{CaseEvent, CasePiece, CaseTable};
use mantle_core::device::NodeId;
use mantle_core::slot::SlotNumber;
use mantle_core::time::Micros;
use mantle_hid::bits;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// The version of the file format.
pub const VERSION: u32 = 1;
/// The ending of a case's file name.
pub const ENDING: &str = ".case.toml";
/// The largest case.
pub const CASE_BYTES: usize = 48 << 20;
/// The most that is taken of anything in it that is listed, but for reports.
const LISTED: usize = 20_000;
/// The largest node number; recordings that are opened beside a case have larger ones.
const LAST_NODE: u16 = 511;
/// The longest report descriptor, in bytes.
const DESCRIPTOR_BYTES: usize = 8192;
/// The longest case, in microseconds: twice what this program makes.
pub const LONGEST: u64 = 120_000_000;
/// The most reports.
const REPORTS: usize = 4_000_000;

/// A case.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Case {
    /// The version of the file format.
    version: u32,
    /// The program that made it, with its version.
    #[serde(default)]
    pub program: String,
    /// The title at the top of the owner's screen.
    #[serde(default)]
    pub title: String,
    /// How long it is, in microseconds.
    pub span: u64,
    /// The sentences at its end, most urgent first.
    #[serde(default)]
    pub said: Vec<String>,
    /// What was left out or replaced, in words.
    #[serde(default)]
    pub left_out: Vec<String>,
    /// What stood in the way of play, in words.
    #[serde(default)]
    pub readiness: Vec<String>,
    /// Faults of the machine, in words.
    #[serde(default)]
    pub notices: Vec<String>,
    /// Whether everything was released.
    #[serde(default)]
    pub paused: bool,
    /// Seconds from the beginning of 1970 to the beginning of the case, if that is known.
    pub began: Option<u64>,
    /// Whether devices were covered while they played.
    #[serde(default = "yes")]
    pub covers: bool,
    /// Whether the sheets that come with the program were known.
    #[serde(default = "yes")]
    pub shipped_sheets: bool,
    /// Slots that were paused.
    #[serde(default)]
    pub paused_slots: Vec<SlotNumber>,
    /// The journal.
    #[serde(default)]
    pub journal: Vec<CaseLine>,
    /// The person's files.
    #[serde(default)]
    pub file: Vec<CaseText>,
    /// What happened, in order.
    #[serde(default)]
    pub event: Vec<TimedEvent>,
    /// The reports.
    #[serde(default)]
    pub reports: Vec<CaseReports>,
}

fn yes() -> bool {
    true
}

/// An entry of the journal.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CaseLine {
    /// When, in microseconds from the beginning of the case; negative if before.
    pub at: i64,
    /// What happened.
    pub text: String,
}

/// One of the person's files.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CaseText {
    /// Its name, which says what it is, as in packs.
    pub name: String,
    /// Where it was, for messages only.
    #[serde(default)]
    pub path: String,
    /// Its text.
    pub text: String,
}

/// Something that happened.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct TimedEvent {
    /// When, in microseconds from the beginning of the case; 0 for what had happened before.
    pub at: u64,
    /// What.
    #[serde(flatten)]
    pub event: CaseEvent,
}

/// The reports of one node.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CaseReports {
    /// The node.
    pub node: NodeId,
    /// A line for each, as in recordings: `E: SECONDS.MICROSECONDS COUNT BYTES`.
    pub text: String,
}

impl Case {
    /// Puts the pieces together; none if they are not all there. `program` is what made it.
    #[must_use]
    pub fn of(pieces: Vec<CasePiece>, program: String) -> Option<Self> {
        if !matches!(pieces.last(), Some(CasePiece::End)) {
            return None;
        }
        let mut pieces = pieces.into_iter();
        let Some(CasePiece::Table(table)) = pieces.next() else { return None };
        let table: CaseTable = *table;
        let from = table.from;
        let mut case = Self {
            version: VERSION,
            program,
            title: table.title,
            span: table.now.since(from).0,
            said: table.sentences.into_iter().map(|sentence| sentence.text).collect(),
            readiness: table.readiness.unwrap_or_default().into_iter().map(|one| one.what).collect(),
            notices: table.notices,
            paused: table.paused,
            paused_slots: table.paused_slots,
            began: table.began.map(|began| began + from.0 / 1_000_000),
            covers: table.covers,
            ..Self::default()
        };
        let line = |(at, _, text): (Micros, _, String)| CaseLine { at: at.0 as i64 - from.0 as i64, text };
        case.journal = table.journal.into_iter().map(line).collect();
        // Opened recordings are no devices of its owner's.
        let is_here = |piece: &CasePiece| match piece {
            CasePiece::Event(_, event) => node_of(event).is_none_or(|node| node.0 <= LAST_NODE),
            CasePiece::Reports(node, _) => node.0 <= LAST_NODE,
            _ => true,
        };
        for piece in pieces.filter(is_here) {
            match piece {
                CasePiece::Remembered(remembered) => {
                    let text = slots::render(slots::FILE, "", &remembered).unwrap_or_default();
                    case.file.push(CaseText { name: slots::FILE.into(), path: slots::FILE.into(), text });
                }
                // The slots are known already, as they were at the beginning.
                CasePiece::Text(place, _) if place.rsplit('/').next() == Some(slots::FILE) => {}
                CasePiece::Event(at, event) => {
                    case.event.push(TimedEvent { at: at.since(from).0, event: *event });
                }
                CasePiece::Text(place, text) => {
                    let name = place.rsplit('/').next().unwrap_or_default().to_owned();
                    match case.file.iter_mut().find(|file| file.name == name) {
                        Some(file) => file.text.push_str(&text),
                        None => case.file.push(CaseText { name, path: place, text }),
                    }
                }
                CasePiece::Reports(node, rows) => {
                    let at = case.reports.iter().position(|own| own.node == node).unwrap_or_else(|| {
                        case.reports.push(CaseReports { node, text: String::new() });
                        case.reports.len() - 1
                    });
                    for (at_time, bytes) in rows {
                        let time = at_time.since(from).0;
                        let count = bytes.split_whitespace().count();
                        let line = format!("E: {:06}.{:06} {count} {bytes}\n", time / 1_000_000, time % 1_000_000);
                        case.reports[at].text.push_str(&line);
                    }
                }
                CasePiece::Table(_) | CasePiece::End => {}
            }
        }
        let own = case.file.iter().filter(|file| Kind::of(&file.name) == Some(Kind::Sheet)).count();
        case.shipped_sheets = table.sheets > own;
        Some(case)
    }

    /// The text of one of its files.
    #[must_use]
    pub fn text(&self, name: &str) -> Option<&str> {
        self.file.iter().find(|file| file.name == name).map(|file| file.text.as_str())
    }

    /// Reads a case, completely or not at all.
    ///
    /// # Errors
    /// The first fault, and where.
    pub fn parse(path: &str, text: &str) -> Result<Self, FileFault> {
        if text.len() > CASE_BYTES {
            return Err(FileFault::whole(path, format!("{} bytes; a case has at most {CASE_BYTES}", text.len())));
        }
        let mut case: Self = toml::from_str(text).map_err(|error| FileFault::from_toml(path, text, &error))?;
        let whole = |why: String| FileFault::whole(path, why);
        if case.version != VERSION {
            return Err(whole(format!("version {} is unknown; this program reads {VERSION}", case.version)));
        }
        let late = case.event.iter().map(|timed| timed.at).find(|at| *at > case.span);
        if case.span > LONGEST || late.is_some() {
            let why = format!("span: {} µs, and an event at {late:?}; at most {LONGEST}, and nothing later", case.span);
            return Err(whole(why));
        }
        for (what, count) in [
            ("sentences", case.said.len()),
            ("entries of its journal", case.journal.len()),
            ("events", case.event.len()),
            ("files", case.file.len()),
            ("notices", case.notices.len()),
            ("nodes with reports", case.reports.len()),
        ] {
            FileFault::most(path, what, count, LISTED)?;
        }
        let mut sizes = 0;
        for file in &case.file {
            if !is_name(&file.name) {
                return Err(whole(format!("{:?} is not the name of a file that can be in a case", file.name)));
            }
            sizes += file.text.len();
            FileFault::most(path, &format!("bytes of {}", file.name), file.text.len(), 1 << 20)?;
        }
        FileFault::most(path, "bytes of its files", sizes, 16 << 20)?;
        for (at, timed) in case.event.iter().enumerate() {
            check(&timed.event).map_err(|why| whole(format!("event {}: {why}", at + 1)))?;
        }
        let reports: usize = case.reports.iter().map(|own| own.text.lines().count()).sum();
        FileFault::most(path, "reports", reports, REPORTS)?;
        for own in &case.reports {
            for line in own.lines() {
                let late = |(at, _): (Micros, Vec<u8>)| {
                    if at.0 > case.span { Err("one comes after the end of the case".to_owned()) } else { Ok(()) }
                };
                line.and_then(late).map_err(|why| whole(format!("reports of node {}: {why}", own.node.0)))?;
            }
        }
        case.event.sort_by_key(|timed| timed.at);
        Ok(case)
    }

    /// As text.
    #[must_use]
    pub fn to_text(&self) -> String {
        let body = toml::to_string_pretty(self).unwrap_or_default();
        format!("# A case of placid-mantle: `placid-mantle case --open FILE` plays it.\n{body}")
    }
}

/// Whether a name says what the file is, and names no other place.
fn is_name(name: &str) -> bool {
    let plain = |c: char| !c.is_control() && !matches!(c, '/' | '\\');
    Kind::of(name).is_some() && name.len() <= 200 && !name.starts_with('.') && name.chars().all(plain)
}

/// The node that an event is about.
fn node_of(event: &CaseEvent) -> Option<NodeId> {
    match event {
        CaseEvent::Arrived { facts } => Some(facts.node),
        CaseEvent::Gone { node }
        | CaseEvent::Changed { node }
        | CaseEvent::Inputs { node, .. }
        | CaseEvent::Power { node, .. }
        | CaseEvent::Opened { node, .. }
        | CaseEvent::Sent { node, .. }
        | CaseEvent::Covered { node, .. }
        | CaseEvent::CoverAgain { node } => Some(*node),
        _ => None,
    }
}

/// Nothing in an event may be larger than a real machine has it.
fn check(event: &CaseEvent) -> Result<(), String> {
    match event {
        CaseEvent::Arrived { facts } => {
            let bytes = bits::from_hex(&facts.descriptor).ok_or("its descriptor is not bytes in hex")?;
            if bytes.len() > DESCRIPTOR_BYTES {
                return Err(format!("a descriptor of {} bytes; at most {DESCRIPTOR_BYTES}", bytes.len()));
            }
        }
        CaseEvent::Looked { look } if look.nodes.len().max(look.programs.len()) > LISTED => {
            return Err(format!("more than {LISTED} nodes or programs"));
        }
        _ => {}
    }
    match node_of(event) {
        Some(node) if node.0 > LAST_NODE => Err(format!("there is no node {}: 0 to {LAST_NODE}", node.0)),
        _ => Ok(()),
    }
}

/// The files of a person, as far as they can be read: where each is, and its text.
#[must_use]
pub fn own_files(directory: &Path) -> Vec<(String, String)> {
    let once = Kind::ONCE.iter().map(|(_, name)| directory.join(name));
    let many = [Kind::Sheet, Kind::Profile, Kind::Pad].into_iter().flat_map(|kind| {
        listed(&directory.join(kind.directory()), |name| Kind::of(name) == Some(kind)).unwrap_or_default()
    });
    let read = |path: PathBuf| Some((path.display().to_string(), read_if_there(&path, PROFILE_BYTES).ok()??));
    once.chain(many).filter_map(read).collect()
}

impl CaseReports {
    /// Its reports: when, and the bytes.
    ///
    /// # Errors
    /// For a line that is no report, which one.
    pub fn lines(&self) -> impl Iterator<Item = Result<(Micros, Vec<u8>), String>> {
        self.text.lines().enumerate().map(|(number, line)| {
            report_of(line).ok_or_else(|| format!("line {} is not `E: SECONDS.MICROSECONDS COUNT BYTES`", number + 1))
        })
    }
}

fn report_of(line: &str) -> Option<(Micros, Vec<u8>)> {
    let mut words = line.strip_prefix("E: ")?.splitn(3, ' ');
    let (seconds, micros) = words.next()?.split_once('.')?;
    if micros.len() != 6 {
        return None;
    }
    let (seconds, micros): (u64, u64) = (seconds.parse().ok()?, micros.parse().ok()?);
    let count: usize = words.next()?.parse().ok()?;
    let bytes = bits::from_hex(words.next().unwrap_or_default())?;
    (bytes.len() == count && seconds <= 1_000_000).then_some((Micros(seconds * 1_000_000 + micros), bytes))
}
