//! The reports of the last half minute from each node, kept beside the road for the Reports view. Keyboards are not kept,
//! since what people type is private.

use mantle_core::control::PartLayout;
use mantle_core::measure::{ByteRole, Gaps, roles};
use mantle_core::table::Source;
use mantle_core::time::Micros;
use mantle_hid::ReportKind;
use mantle_talk::{HistoryAnswer, HistoryRequest, HistoryRow, ReportRow, ReportsDetail};
use std::collections::VecDeque;

/// How far back it goes.
pub const BACK: Micros = Micros::seconds(30);
/// Bytes kept of a report.
pub const KEPT: usize = 64;
/// The most reports kept of one node: half a minute at a thousand per second.
const MOST: usize = 30_000;
/// Rows of one answer.
const ROWS: usize = 256;
/// Reports from which the roles of bytes are worked out.
const FOR_ROLES: usize = 256;
/// How often roles are worked out again.
const ROLES_GAP: Micros = Micros::millis(500);
/// How long a changed bit glows.
const GLOW: Micros = Micros::millis(900);

#[derive(Clone, Copy)]
struct KeptReport {
    at: Micros,
    len: u16,
    bytes: [u8; KEPT],
}

impl KeptReport {
    fn bytes(&self) -> &[u8] {
        &self.bytes[..usize::from(self.len).min(KEPT)]
    }
}

/// The latest report of one id.
struct ReportRecord {
    id: u8,
    count: u64,
    last: KeptReport,
    /// When each bit last changed.
    changed: Box<[[Micros; 8]; KEPT]>,
    roles: Vec<ByteRole>,
    roles_at: Option<Micros>,
}

/// One node's history.
pub(crate) struct History {
    /// Who the node is, since its number may belong to another one later.
    who: (String, u64),
    numbered: bool,
    kept: VecDeque<KeptReport>,
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
        if is_keyboard(source) && !keyboards {
            return None;
        }
        let descriptor = mantle_hid::Descriptor::parse(&source.facts.descriptor).ok();
        let numbered = descriptor.is_some_and(|descriptor| descriptor.numbered(ReportKind::Input));
        Some(Self { who: who(source), numbered, kept: VecDeque::new(), faces: Vec::new() })
    }

    pub fn is_of(&self, source: &Source) -> bool {
        self.who == who(source)
    }

    /// Handles a report.
    pub fn handle_report(&mut self, at: Micros, bytes: &[u8]) {
        let mut kept = KeptReport { at, len: bytes.len().min(usize::from(u16::MAX)) as u16, bytes: [0; KEPT] };
        let length = bytes.len().min(KEPT);
        kept.bytes[..length].copy_from_slice(&bytes[..length]);
        let id = if self.numbered { bytes.first().copied().unwrap_or(0) } else { 0 };
        match self.faces.iter_mut().find(|face| face.id == id) {
            Some(face) => face.handle(kept),
            None => self.faces.push(ReportRecord::new(id, kept)),
        }
        self.kept.push_back(kept);
        while self.kept.len() > MOST || self.kept.front().is_some_and(|oldest| at.since(oldest.at) > BACK) {
            self.kept.pop_front();
        }
    }

    fn of_id(&self, id: u8) -> impl DoubleEndedIterator<Item = &KeptReport> {
        let numbered = self.numbered;
        self.kept.iter().filter(move |kept| !numbered || kept.bytes().first() == Some(&id))
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
                .map(KeptReport::bytes)
                .filter(|b| b.len() == face.length())
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
            let stamps = self.of_id(face.id).rev().take(FOR_ROLES).map(|kept| kept.at).collect::<Vec<_>>();
            let second = stamps.iter().take_while(|at| now.since(**at) < Micros::seconds(1)).count();
            face.row(now, second as u32, Gaps::of(stamps.into_iter().rev()))
        });
        ReportsDetail {
            numbered: self.numbered,
            kept: self.kept.len() as u32,
            ids: ids.collect(),
            ..ReportsDetail::default()
        }
    }

    /// Some of the reports up to a moment.
    pub fn answer(&self, request: &HistoryRequest) -> HistoryAnswer {
        let until = self.kept.partition_point(|kept| kept.at <= request.until);
        let from = until.saturating_sub(ROWS);
        let rows = self.kept.range(from..until).map(|kept| HistoryRow {
            at: kept.at,
            len: kept.len,
            bytes: hex(kept.bytes()),
        });
        HistoryAnswer { node: request.node, rows: rows.collect(), more: from > 0 }
    }
}

impl ReportRecord {
    fn new(id: u8, last: KeptReport) -> Self {
        let changed = Box::new([[Micros(0); 8]; KEPT]);
        Self { id, count: 1, last, changed, roles: Vec::new(), roles_at: None }
    }

    fn length(&self) -> usize {
        self.last.bytes().len()
    }

    fn handle(&mut self, next: KeptReport) {
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
        History { who: Default::default(), numbered, kept: VecDeque::new(), faces: Vec::new() }
    }

    #[test]
    fn ids_are_kept_apart_and_changed_bits_glow_and_fade() {
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
    fn half_a_minute_is_kept_and_answered_in_pieces() {
        let mut history = history(false);
        for ms in 0..40_000u64 {
            history.handle_report(Micros::millis(ms), &(ms as u32).to_le_bytes());
        }
        assert!(history.kept.len() <= MOST);
        let oldest = history.kept.front().expect("something").at;
        assert!(Micros::millis(39_999).since(oldest) <= BACK);
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
        assert_eq!(rows, history.kept.len());
        assert_eq!(history.detail(Micros::millis(39_999)).ids[0].rate, FOR_ROLES as u32);
    }

    #[test]
    fn a_long_report_is_kept_in_part_and_its_length_is_true() {
        let mut history = history(false);
        history.handle_report(Micros(1), &[7; 300]);
        let row = &history.detail(Micros(2)).ids[0];
        assert_eq!((row.len, row.bytes.len()), (300, 2 * KEPT));
    }
}
