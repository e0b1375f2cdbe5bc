//! Sheets that come, or change, while the program runs.

use super::{Effect, Source, Table};
use crate::control::Sheet;
use crate::device::{Access, NodeId};
use crate::path::Mark;
use crate::time::Micros;
use std::sync::Arc;

/// Whether two sheets say the same, wherever they stand.
fn same(a: Option<&Arc<Sheet>>, b: Option<&Arc<Sheet>>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => **a == Sheet { origin: a.origin.clone(), ..(**b).clone() },
        (None, None) => true,
        _ => false,
    }
}

impl Table {
    /// All sheets have been read again.
    pub fn handle_sheets(&mut self, now: Micros, sheets: Vec<Sheet>) {
        self.handle_time(now);
        self.sheets = sheets.into_iter().map(Arc::new).collect();
        self.apply_sheets(now);
    }

    /// A sheet was made here: it is saved, and comes before those that are there.
    pub fn handle_sheet(&mut self, now: Micros, sheet: Sheet) {
        self.handle_time(now);
        let sheet = Arc::new(sheet);
        self.sheets.retain(|other| other.origin != sheet.origin);
        self.sheets.insert(0, sheet.clone());
        self.effects.push_back(Effect::SaveSheet(sheet));
        self.apply_sheets(now);
    }

    /// A node's fields are looked for: it is read, whoever it is, and its sheet stays as it is until that is over.
    pub fn handle_finding(&mut self, now: Micros, node: Option<NodeId>) {
        self.handle_time(now);
        self.finding = node;
        match node {
            Some(node) => self.open(node),
            None => self.apply_sheets(now),
        }
        self.hold_strokes(now);
    }

    /// Somebody wants to see what a node says: it is read, whoever it is.
    pub fn handle_looking(&mut self, now: Micros, node: NodeId) {
        self.handle_time(now);
        self.open(node);
    }

    /// Sources that another sheet fits now are read by that.
    fn apply_sheets(&mut self, now: Micros) {
        for index in 0..self.sources.len() {
            let node = NodeId(index as u16);
            let Some(source) = self.source(node).filter(|_| self.finding != Some(node)) else { continue };
            let best = self.sheet_for(&source.facts);
            if same(best, source.sheet.as_ref()) {
                continue;
            }
            let (facts, open) = (source.facts.clone(), source.access == Access::Open);
            let by = best.map_or_else(|| "its own description".to_owned(), |sheet| format!("the sheet {}", sheet.name));
            let name = facts.identity.name.clone();
            // It is as if it came anew: what it held is let go, and its slot is kept for it.
            self.quiet = true;
            self.handle_gone(now, node);
            self.handle_arrived(now, facts);
            self.quiet = false;
            if open {
                self.open(node);
            }
            self.note(now, Mark::Well, format!("{name} is read by {by} from now on"));
        }
    }

    /// The node whose fields are looked for.
    #[must_use]
    pub fn finding(&self) -> Option<&Source> {
        self.source(self.finding?)
    }
}
