//! A case, put together: what happened, how the table stands, the reports, and at last the person's files.

use crate::history::{KeptReports, is_keyboard};
use crate::parts::sources;
use crate::world::Happening;
use mantle_core::case::{CASE_SPAN, CaseEvent, CaseLog, CaseNode, CasePiece, CaseTable, SeatLog};
use mantle_core::device::{DeviceId, NodeId, OsFault};
use mantle_core::outgoing::Sent;
use mantle_core::path::{MadePad, Mark, PadFault};
use mantle_core::slot::Remembered;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_hid::bits;
use mantle_talk::{Snapshot, Wish};

/// Reports in one piece.
const REPORTS: usize = 1000;
/// Bytes of reports in one piece.
const REPORT_BYTES: usize = 64 * 1024;

/// Bytes of a file in one piece.
const TEXT_BYTES: usize = 128 * 1024;

/// What a case is made of, taken down as it happens.
#[derive(Debug, Default)]
pub(crate) struct CaseBook {
    /// What happened.
    pub log: CaseLog,
    /// Who sat where.
    pub seats: SeatLog,
}

impl CaseBook {
    /// Takes down what happened; the table has not been told yet.
    pub fn handle_happening(&mut self, happening: &Happening<'_>, table: &Table) {
        if self.seats.is_empty() {
            self.seats.note(Micros(0), table.remembered());
        }
        if let Happening::Order(at, order) = happening
            && let Wish::Command(_) = order.wish
        {
            self.seats.handle_command(*at);
        }
        if let Some((at, event)) = event_of(happening, table) {
            self.log.note(at, event);
        }
    }

    /// What a case that is made now has of a table, as the board shows it.
    pub fn parts(
        &self,
        now: Micros,
        table: &Table,
        board: Snapshot,
        journal: Vec<(Micros, Mark, String)>,
        reports: Vec<(NodeId, KeptReports)>,
        keyboards: bool,
    ) -> CaseParts {
        let from = Micros(now.0.saturating_sub(CASE_SPAN.0));
        let left_out = sources(table).filter(|source| is_keyboard(source) && !keyboards);
        let left_out = left_out.map(|source| source.facts.id).collect();
        let identities = sources(table).map(|source| &source.facts.identity);
        let nicknames = identities.filter_map(|own| Some((own.name.clone(), own.system_name.clone()?)));
        CaseParts {
            remembered: self.seats.at(from),
            events: self.log.since(from),
            reports,
            table: CaseTable {
                now,
                from,
                title: board.header.title,
                sentences: board.sentences,
                journal,
                readiness: table.obstacles().map(<[_]>::to_vec),
                notices: table.notices().to_vec(),
                sheets: table.sheets().len(),
                began: table.began(),
                covers: table.covers(),
                paused: board.paused,
                paused_slots: board.slots.iter().filter(|slot| slot.paused).map(|slot| slot.number).collect(),
                keyboards: left_out,
                nicknames: nicknames.collect(),
            },
        }
    }
}

/// The first node of a device.
fn first_node(table: &Table, device: DeviceId) -> Option<NodeId> {
    table.device(device)?.sources.first().copied()
}

fn made(result: &Result<MadePad, PadFault>) -> (String, Option<PadFault>, Option<PadFault>) {
    match result {
        Ok(made) => (made.node.clone(), made.instead.clone(), None),
        Err(fault) => (String::new(), None, Some(fault.clone())),
    }
}

fn event_of(happening: &Happening<'_>, table: &Table) -> Option<(Micros, CaseEvent)> {
    let fault = |result: &Result<(), OsFault>| result.as_ref().err().cloned();
    Some(match happening {
        Happening::Arrived(at, facts) => (*at, CaseEvent::Arrived { facts: Box::new(CaseNode::of(facts)) }),
        Happening::Gone(at, node) => (*at, CaseEvent::Gone { node: *node }),
        Happening::Changed(at, node) => (*at, CaseEvent::Changed { node: *node }),
        Happening::Inputs(at, node, inputs, driven) => {
            (*at, CaseEvent::Inputs { node: *node, inputs: inputs.clone(), driven: (**driven).clone() })
        }
        Happening::Power(at, node, power) => {
            let (charge, charging) = (power.map(|(charge, _)| charge), power.is_some_and(|(_, charging)| charging));
            (*at, CaseEvent::Power { node: *node, charge, charging })
        }
        Happening::Opened(at, node, result) => (*at, CaseEvent::Opened { node: *node, fault: fault(result) }),
        Happening::Sent(at, node, _, purpose, result) => {
            let got = match result {
                Ok(Sent::Got(bytes)) => Some(bits::hex(bytes)),
                _ => None,
            };
            let (not_needed, fault) = (*result == Ok(Sent::NotNeeded), result.as_ref().err().cloned());
            (*at, CaseEvent::Sent { node: *node, purpose: *purpose, got, not_needed, fault })
        }
        Happening::Pad(at, slot, result) => {
            let (name, instead, fault) = made(result);
            (*at, CaseEvent::Pad { slot: *slot, name, instead, fault })
        }
        Happening::Keys(at, slot, result) => {
            let (name, fault) = match result {
                Ok(name) => (name.clone(), None),
                Err(fault) => (String::new(), Some(fault.clone())),
            };
            (*at, CaseEvent::Keys { slot: *slot, name, fault })
        }
        Happening::Probed(at, found) => (*at, CaseEvent::Probed { fault: found.as_ref().err().cloned() }),
        Happening::Looked(at, look) => (*at, CaseEvent::Looked { look: (**look).clone() }),
        Happening::Ready(at, facts) => (*at, CaseEvent::Ready { facts: facts.clone() }),
        Happening::CoverAgain(at, device) => (*at, CaseEvent::CoverAgain { node: first_node(table, *device)? }),
        Happening::Covered(at, device, result) => {
            let (strength, fault) = (result.as_ref().ok().copied(), result.as_ref().err().cloned());
            (*at, CaseEvent::Covered { node: first_node(table, *device)?, strength, fault })
        }
        Happening::Running(at, _, programs) => (*at, CaseEvent::Running { programs: programs.clone() }),
        Happening::Front(at, front) => (*at, CaseEvent::Front { front: front.clone() }),
        Happening::Sleep(at, asleep) => (*at, CaseEvent::Sleep { asleep: *asleep }),
        // Reports are kept elsewhere; files go along as they are now; everything else is over at once.
        _ => return None,
    })
}

/// What is handed on of a table, but for the person's files.
pub(crate) struct CaseParts {
    pub table: CaseTable,
    pub remembered: Remembered,
    pub events: Vec<(Micros, CaseEvent)>,
    pub reports: Vec<(NodeId, KeptReports)>,
}

impl CaseParts {
    /// Everything in its order. Slow: not for the engine's thread.
    pub fn pieces(self, files: Vec<(String, String)>) -> Vec<CasePiece> {
        let from = self.table.from;
        let mut pieces = vec![CasePiece::Table(Box::new(self.table)), CasePiece::Remembered(Box::new(self.remembered))];
        pieces.extend(self.events.into_iter().map(|(at, event)| CasePiece::Event(at, Box::new(event))));
        for (place, text) in files {
            let mut rest = text.as_str();
            while !rest.is_empty() {
                let end = (0..=TEXT_BYTES.min(rest.len())).rev().find(|at| rest.is_char_boundary(*at));
                let (part, more) = rest.split_at(end.unwrap_or(rest.len()));
                pieces.push(CasePiece::Text(place.clone(), part.to_owned()));
                rest = more;
            }
        }
        for (node, kept) in self.reports {
            let (mut piece, mut bytes) = (Vec::new(), 0);
            for (at, report) in kept.since(from) {
                bytes += report.len();
                piece.push((at, bits::hex(report)));
                if piece.len() == REPORTS || bytes > REPORT_BYTES {
                    pieces.push(CasePiece::Reports(node, std::mem::take(&mut piece)));
                    bytes = 0;
                }
            }
            if !piece.is_empty() {
                pieces.push(CasePiece::Reports(node, piece));
            }
        }
        pieces.push(CasePiece::End);
        pieces
    }
}
