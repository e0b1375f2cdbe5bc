//! The reports of the last minute from each node, kept beside the road for the Reports view and for cases. Keyboards are
//! not kept, since what people type is private.

use mantle_core::case::CASE_SPAN;
use mantle_core::control::PartLayout;
use mantle_core::measure::{ByteRole, Gaps, roles};
use mantle_core::table::Source;
use mantle_core::time::Micros;
use mantle_hid::ReportKind;
use mantle_talk::{HistoryAnswer, HistoryRequest, HistoryRow, ReportRow, ReportsDetail};
use std::collections::VecDeque;

/// How far back it goes.
pub const BACK: Micros = CASE_SPAN;
/// Bytes shown of a report.
pub const SHOWN: usize = 64;
/// Bytes kept of a report: as many as a descriptor can describe.
const LONGEST: usize = 8192;
/// The most reports kept of one node: a minute at a thousand per second.
const MOST: usize = 60_000;
/// The most bytes kept of one node.
const MOST_BYTES: usize = 4 << 20;
/// Rows of one answer.
const ROWS: usize = 256;
/// Reports from which the roles of bytes are worked out.
const FOR_ROLES: usize = 256;
/// How often roles are worked out again.
const ROLES_GAP: Micros = Micros::millis(500);
/// How long a changed bit glows.
const GLOW: Micros = Micros::millis(900);

/// The beginning of the latest report of an id.
#[derive(Clone, Copy)]
struct LatestReport {
    at: Micros,
    len: u16,
    bytes: [u8; SHOWN],
}

impl LatestReport {
    fn new(at: Micros, bytes: &[u8]) -> Self {
        let mut latest = Self { at, len: bytes.len().min(usize::from(u16::MAX)) as u16, bytes: [0; SHOWN] };
        let length = bytes.len().min(SHOWN);
        latest.bytes[..length].copy_from_slice(&bytes[..length]);
        latest
    }

    fn bytes(&self) -> &[u8] {
        &self.bytes[..usize::from(self.len).min(SHOWN)]
    }
}

/// Where a kept report lies.
#[derive(Clone, Copy)]
struct Place {
    at: Micros,
    /// Of all bytes that were ever kept, the first.
    from: u64,
    len: u16,
}

/// Reports as they came, one behind the other.
#[derive(Clone, Default)]
pub(crate) struct KeptReports {
    places: VecDeque<Place>,
    bytes: Vec<u8>,
    /// Of all bytes that were ever kept, the one that `bytes` begins with.
    first: u64,
}

impl KeptReports {
    fn push(&mut self, at: Micros, bytes: &[u8]) {
        let bytes = &bytes[..bytes.len().min(LONGEST)];
        self.places.push_back(Place { at, from: self.first + self.bytes.len() as u64, len: bytes.len() as u16 });
        self.bytes.extend_from_slice(bytes);
        let live = |own: &Self| self.first + own.bytes.len() as u64 - own.places.front().map_or(0, |place| place.from);
        while self.places.len() > MOST
            || live(self) > MOST_BYTES as u64
            || self.places.front().is_some_and(|oldest| at.since(oldest.at) > BACK)
        {
            self.places.pop_front();
        }
        // Half of it is dead: it is moved rarely enough.
        let dead = self.places.front().map_or(self.bytes.len(), |oldest| (oldest.from - self.first) as usize);
        if dead > self.bytes.len() / 2 {
            self.bytes.drain(..dead);
            self.first += dead as u64;
        }
    }

    fn bytes(&self, place: &Place) -> &[u8] {
        let from = (place.from - self.first) as usize;
        &self.bytes[from..from + usize::from(place.len)]
    }

    /// When the latest one came.
    pub fn latest(&self) -> Option<Micros> {
        self.places.back().map(|place| place.at)
    }

    /// All of them since a moment, oldest first.
    pub fn since(&self, from: Micros) -> impl DoubleEndedIterator<Item = (Micros, &[u8])> {
        let first = self.places.partition_point(|place| place.at < from);
        self.places.range(first..).map(|place| (place.at, self.bytes(place)))
    }
}

/// The latest report of one id.
struct ReportRecord {
    id: u8,
    count: u64,
    last: LatestReport,
    /// When each bit last changed.
    changed: Box<[[Micros; 8]; SHOWN]>,
    roles: Vec<ByteRole>,
    roles_at: Option<Micros>,
}

/// One node's history.
pub(crate) struct History {
    /// Who the node is, since its number may belong to another one later.
    who: (String, u64),
    /// Whether it is a keyboard.
    pub keyboard: bool,
    numbered: bool,
    /// All of them as they came.
    pub kept: KeptReports,
    faces: Vec<ReportRecord>,
}

/// Why a node's reports are not kept.
pub(crate) fn is_keyboard(source: &Source) -> bool {
    source.layout().is_some_and(|layout| layout.parts.iter().any(PartLayout::is_keyboard))
}

fn who(source: &Source) -> (String, u64) {
    (source.facts.identity.phys.clone(), source.facts.identity.descriptor_hash)
}

impl History {
    /// Begins one; none for a keyboard, unless that was switched on.
    pub fn new(source: &Source, keyboards: bool) -> Option<Self> {
        let keyboard = is_keyboard(source);
        if keyboard && !keyboards {
            return None;
        }
        let descriptor = mantle_hid::Descriptor::parse(&source.facts.descriptor).ok();
        let numbered = descriptor.is_some_and(|descriptor| descriptor.numbered(ReportKind::Input));
        Some(Self { who: who(source), keyboard, numbered, kept: KeptReports::default(), faces: Vec::new() })
    }

    pub fn is_of(&self, source: &Source) -> bool {
        self.who == who(source)
    }

    /// Handles a report.
    pub fn handle_report(&mut self, at: Micros, bytes: &[u8]) {
        let latest = LatestReport::new(at, bytes);
        let id = if self.numbered { bytes.first().copied().unwrap_or(0) } else { 0 };
        match self.faces.iter_mut().find(|face| face.id == id) {
            Some(face) => face.handle(latest),
            None => self.faces.push(ReportRecord::new(id, latest)),
        }
        self.kept.push(at, bytes);
    }

    fn of_id(&self, id: u8) -> impl DoubleEndedIterator<Item = (Micros, &[u8])> {
        let numbered = self.numbered;
        let all = self.kept.since(Micros(0));
        all.filter(move |(_, bytes)| !numbered || bytes.first() == Some(&id))
    }

    /// What the Reports view shows.
    pub fn detail(&mut self, now: Micros) -> ReportsDetail {
        for at in 0..self.faces.len() {
            let face = &self.faces[at];
            if face.roles_at.is_some_and(|then| now.since(then) < ROLES_GAP) {
                continue;
            }
            let mut recent: Vec<&[u8]> = self
                .of_id(face.id)
                .rev()
                .take(FOR_ROLES)
                .map(|(_, bytes)| &bytes[..bytes.len().min(SHOWN)])
                .filter(|bytes| bytes.len() == face.length())
                .collect();
            recent.reverse();
            let found = roles(&recent);
            let face = &mut self.faces[at];
            face.roles_at = Some(now);
            if !found.is_empty() {
                face.roles = found;
            }
        }
        let ids = self.faces.iter().map(|face| {
            let stamps = self.of_id(face.id).rev().take(FOR_ROLES).map(|(at, _)| at).collect::<Vec<_>>();
            let second = stamps.iter().take_while(|at| now.since(**at) < Micros::seconds(1)).count();
            face.row(now, second as u32, Gaps::of(stamps.into_iter().rev()))
        });
        ReportsDetail {
            numbered: self.numbered,
            kept: self.kept.places.len() as u32,
            ids: ids.collect(),
            ..ReportsDetail::default()
        }
    }

    /// Some of the reports up to a moment.
    pub fn answer(&self, request: &HistoryRequest) -> HistoryAnswer {
        let until = self.kept.places.partition_point(|place| place.at <= request.until);
        let from = until.saturating_sub(ROWS);
        let rows = self.kept.places.range(from..until).map(|place| {
            let bytes = self.kept.bytes(place);
            HistoryRow { at: place.at, len: place.len, bytes: hex(&bytes[..bytes.len().min(SHOWN)]) }
        });
        HistoryAnswer { node: request.node, rows: rows.collect(), more: from > 0 }
    }
}

impl ReportRecord {
    fn new(id: u8, last: LatestReport) -> Self {
        let changed = Box::new([[Micros(0); 8]; SHOWN]);
        Self { id, count: 1, last, changed, roles: Vec::new(), roles_at: None }
    }

    fn length(&self) -> usize {
        self.last.bytes().len()
    }

    fn handle(&mut self, next: LatestReport) {
        self.count += 1;
        for ((before, after), stamps) in self.last.bytes.iter().zip(&next.bytes).zip(self.changed.iter_mut()) {
            let mut differs = before ^ after;
            while differs != 0 {
                stamps[differs.trailing_zeros() as usize] = next.at;
                differs &= differs - 1;
            }
        }
        self.last = next;
    }

    fn row(&self, now: Micros, rate: u32, gaps: Gaps) -> ReportRow {
        let heat = self.changed[..self.length()].iter().flat_map(|byte| {
            byte.iter().map(|at| {
                let age = now.since(*at);
                if at.0 == 0 || age >= GLOW { '0' } else { char::from(b'9' - (age.0 * 9 / GLOW.0) as u8) }
            })
        });
        ReportRow {
            id: self.id,
            count: self.count,
            rate,
            at: self.last.at,
            len: self.last.len,
            bytes: hex(self.last.bytes()),
            heat: heat.collect(),
            roles: self.roles.clone(),
            gaps,
        }
    }
}

fn hex(bytes: &[u8]) -> String {
    use std::fmt::Write;
    bytes.iter().fold(String::with_capacity(bytes.len() * 2), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::device::NodeId;

    fn history(numbered: bool) -> History {
        History { who: Default::default(), keyboard: false, numbered, kept: KeptReports::default(), faces: Vec::new() }
    }

    #[test]
    fn report_ids_are_separate_and_changed_bits_glow_and_fade() {
        let mut history = history(true);
        history.handle_report(Micros::millis(1), &[1, 0x00]);
        history.handle_report(Micros::millis(2), &[2, 0xff]);
        history.handle_report(Micros::millis(5), &[1, 0x81]);
        let detail = history.detail(Micros::millis(5));
        assert_eq!(detail.ids.iter().map(|row| (row.id, row.count)).collect::<Vec<_>>(), [(1, 2), (2, 1)]);
        assert_eq!(detail.ids[0].heat, "0000000090000009");
        assert_eq!(history.detail(Micros::millis(455)).ids[0].heat, "0000000050000005");
        assert_eq!(history.detail(Micros::seconds(2)).ids[0].heat, "0000000000000000");
    }

    #[test]
    fn a_minute_of_reports_is_kept_and_served_in_pieces() {
        let mut history = history(false);
        for ms in 0..80_000u64 {
            history.handle_report(Micros::millis(ms), &(ms as u32).to_le_bytes());
        }
        assert!(history.kept.places.len() <= MOST && history.kept.bytes.len() <= 8 * MOST + 8);
        let (oldest, bytes) = history.kept.since(Micros(0)).next().expect("something");
        assert_eq!(bytes, (oldest.0 as u32 / 1000).to_le_bytes());
        assert!(Micros::millis(79_999).since(oldest) <= BACK);
        let mut until = Micros(u64::MAX);
        let mut rows = 0;
        loop {
            let answer = history.answer(&HistoryRequest { node: NodeId(0), until });
            rows += answer.rows.len();
            assert!(answer.rows.len() <= ROWS && answer.rows.windows(2).all(|two| two[0].at < two[1].at));
            if !answer.more {
                break;
            }
            until = Micros(answer.rows[0].at.0 - 1);
        }
        assert_eq!(rows, history.kept.places.len());
        assert_eq!(history.detail(Micros::millis(79_999)).ids[0].rate, FOR_ROLES as u32);
    }

    #[test]
    fn a_long_report_is_shown_in_part_and_kept_whole() {
        let mut history = history(false);
        history.handle_report(Micros(1), &[7; 300]);
        let row = &history.detail(Micros(2)).ids[0];
        assert_eq!((row.len, row.bytes.len()), (300, 2 * SHOWN));
        assert_eq!(history.kept.since(Micros(0)).map(|(_, bytes)| bytes.len()).collect::<Vec<_>>(), [300]);
        for moment in 2..3000 {
            history.handle_report(Micros(moment), &[moment as u8; LONGEST]);
        }
        assert!(history.kept.bytes.len() <= 2 * MOST_BYTES + LONGEST, "{}", history.kept.bytes.len());
        assert!(history.kept.since(Micros(2999)).all(|(_, bytes)| bytes == [2999u64 as u8; LONGEST]));
    }
}
