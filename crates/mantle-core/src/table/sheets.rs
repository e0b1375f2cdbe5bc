//! Sheets that come or change while the program runs.

use super::{Effect, Source, Table};
use crate::device::{Access, NodeId};
use crate::listening::Listening;
use crate::path::Mark;
use crate::sheet::Sheet;
use crate::time::Micros;
use std::sync::Arc;

/// Whether two sheets say the same, wherever they are.
fn same(a: Option<&Arc<Sheet>>, b: Option<&Arc<Sheet>>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => **a == Sheet { origin: a.origin.clone(), ..(**b).clone() },
        (None, None) => true,
        _ => false,
    }
}

impl Table {
    pub(super) fn sheets_read(&mut self, now: Micros, sheets: Vec<Sheet>) {
        self.sheets = sheets.into_iter().map(Arc::new).collect();
        self.apply_sheets(now);
    }

    pub(super) fn sheet_made(&mut self, now: Micros, sheet: Sheet) {
        let sheet = Arc::new(sheet);
        self.sheets.retain(|other| other.origin != sheet.origin);
        self.sheets.insert(0, sheet.clone());
        self.effects.push_back(Effect::SaveSheet(sheet));
        self.apply_sheets(now);
    }

    pub(super) fn find_fields(&mut self, now: Micros, node: Option<NodeId>) {
        match node {
            Some(node) => {
                self.begin_listening(now, Listening::Fields(node));
                self.open(node);
            }
            None => {
                self.end_listening(now, |own| matches!(own, Listening::Fields(_)));
                self.apply_sheets(now);
            }
        }
    }

    /// Sources that another sheet fits now are read by that one.
    fn apply_sheets(&mut self, now: Micros) {
        for index in 0..self.sources.len() {
            let node = NodeId(index as u16);
            let searched = matches!(self.listening, Listening::Fields(own) if own == node);
            let Some(source) = self.source(node).filter(|_| !searched) else { continue };
            let best = self.sheet_for(&source.facts);
            if same(best, source.sheet.as_ref()) {
                continue;
            }
            let (facts, open) = (source.facts.clone(), source.access == Access::Open);
            let by = best.map_or_else(|| "its own description".to_owned(), |sheet| format!("the sheet {}", sheet.name));
            let name = facts.identity.name.clone();
            // As if it had been plugged in anew: what it held is released, and its slot is kept.
            self.quiet = true;
            self.go(now, node);
            self.arrive(now, facts);
            self.quiet = false;
            if open {
                self.open(node);
            }
            self.note(now, Mark::Well, format!("{name} is now read by {by}"));
        }
    }

    /// Whether any node's fields are being found.
    #[inline]
    #[must_use]
    pub fn finds_fields(&self) -> bool {
        matches!(self.listening, Listening::Fields(_))
    }

    /// The node whose fields are being found.
    #[must_use]
    pub fn finding(&self) -> Option<&Source> {
        if let Listening::Fields(node) = self.listening { self.source(node) } else { None }
    }
}
