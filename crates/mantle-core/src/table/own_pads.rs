//! The person's pad files, and what happens to playing pads when those change.

use super::Table;
use crate::pad::{OwnPad, PadKind};
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::sync::Arc;

impl Table {
    /// The pads of the pad files.
    #[must_use]
    pub fn own_pads(&self) -> &[Arc<OwnPad>] {
        &self.own_pads
    }

    /// The kind as its pad file describes it now.
    pub(super) fn resolved(&self, kind: PadKind) -> PadKind {
        let Some(own) = kind.own() else { return kind };
        match self.own_pads.iter().find(|pad| pad.file == own.file) {
            Some(known) => known.clone().into(),
            None => Arc::new(OwnPad::missing(&own.file)).into(),
        }
    }

    /// All pad files have been read again. Slots whose pad has changed get the new one; slots whose file is gone play on.
    pub(super) fn own_pads_read(&mut self, now: Micros, pads: Vec<Arc<OwnPad>>) {
        self.own_pads = pads;
        for number in SlotNumber::all() {
            self.follow_own_pad(now, number);
        }
    }

    /// A slot whose pad no longer matches its file gets a new one; if it is just being made, a moment later.
    pub(super) fn follow_own_pad(&mut self, now: Micros, number: SlotNumber) {
        let Some(slot) = self.slot(number) else { return };
        let Some(own) = slot.kind.own() else { return };
        let known = self.own_pads.iter().find(|pad| pad.file == own.file && *pad != own).cloned();
        let Some(known) = known.filter(|_| !slot.is_being_made()) else { return };
        let name = known.name.clone();
        if self.change_kind(now, number, known.into()).is_ok() {
            let text = format!("{number}: the file of its pad {name} has changed: games see another pad");
            self.note(now, Mark::Doubt, text);
        }
    }
}
