//! Pads of the person's own: which there are, and what becomes of those that play when their files change.

use super::Table;
use crate::pad::{OwnPad, PadKind};
use crate::path::Mark;
use crate::slot::SlotNumber;
use crate::time::Micros;
use std::sync::Arc;

impl Table {
    /// The pads of the person's own.
    #[must_use]
    pub fn own_pads(&self) -> &[Arc<OwnPad>] {
        &self.own_pads
    }

    /// The kind that is meant: of one of the person's own what its file says now.
    pub(super) fn resolved(&self, kind: PadKind) -> PadKind {
        let Some(own) = kind.own() else { return kind };
        match self.own_pads.iter().find(|pad| pad.file == own.file) {
            Some(known) => known.clone().into(),
            None => Arc::new(OwnPad::missing(&own.file)).into(),
        }
    }

    /// All of them have been read again. Whoever plays by one that says something else now plays by that; whose file is gone plays on.
    pub(super) fn own_pads_read(&mut self, now: Micros, pads: Vec<Arc<OwnPad>>) {
        self.own_pads = pads;
        for number in SlotNumber::all() {
            self.follow_own_pad(now, number);
        }
    }

    /// A slot whose pad is another by now than its file says gets that one, unless it is being made: then a moment later.
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
