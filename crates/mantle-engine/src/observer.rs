//! Whoever watches while the engine runs.

use crate::world::{FilesToRead, Happening};
use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::device::NodeId;
use mantle_core::keys::Typed;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::sheet::Sheet;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::{Note, Source, Table};
use mantle_core::time::Micros;
use mantle_talk::{FindOrder, HistoryRequest, Watch};

/// What watches for the screen, or a log. Every method is optional.
pub trait Observer {
    /// A frame goes to a pad.
    fn handle_frame(&mut self, _now: Micros, _slot: SlotNumber, _events: &Events) {}

    /// Keys are typed.
    fn handle_typed(&mut self, _now: Micros, _slot: SlotNumber, _typed: &Typed) {}

    /// A report has come.
    fn handle_report(&mut self, _at: Micros, _node: NodeId, _bytes: &[u8]) {}

    /// Something else than a report has happened; the table has not been told yet.
    fn handle_happening(&mut self, _happening: &Happening<'_>, _table: &Table) {}

    /// What is to be kept across restarts has changed.
    fn handle_remembered(&mut self, _at: Micros, _remembered: &Remembered) {}

    /// A pad stopped accepting events.
    fn handle_pad_lost(&mut self, _at: Micros, _slot: SlotNumber, _fault: &PadFault) {}

    /// A screen asks for everything that explains this table, with the reports of keyboards or not.
    ///
    /// # Errors
    /// Why that is impossible, in words.
    fn handle_case(
        &mut self,
        _now: Micros,
        _asker: Asker,
        _keyboards: bool,
        _table: &Table,
        _files: FilesToRead,
    ) -> Result<(), String> {
        Err("a case cannot be made here".into())
    }

    /// A screen asks for past reports.
    fn handle_history(&mut self, _asker: Asker, _request: &HistoryRequest) {}

    /// An entry of the journal.
    fn handle_note(&mut self, _note: Note) {}

    /// An entry of the journal that stays in sight.
    fn handle_warning(&mut self, note: Note) {
        self.handle_note(note);
    }

    /// The answer to an order.
    fn handle_answer(&mut self, _number: CommandNumber, _answer: Answer) {}

    /// A screen watches something else.
    fn handle_watch(&mut self, _asker: Asker, _watch: Watch) {}

    /// The person finds fields by pressing.
    ///
    /// # Errors
    /// Why that is impossible, in words.
    fn handle_find(&mut self, _now: Micros, _order: FindOrder) -> Result<(), String> {
        Err("fields cannot be found here".into())
    }

    /// The person starts or stops recording a source's reports.
    ///
    /// # Errors
    /// Why that is impossible, in words.
    fn handle_record(&mut self, _now: Micros, _source: Option<&Source>, _on: bool) -> Result<(), String> {
        Err("recording is not possible here".into())
    }

    /// A sheet that says more than the last one, to be saved.
    fn poll_sheet(&mut self) -> Option<Sheet> {
        None
    }

    /// Whether finding fields has ended.
    fn poll_found(&mut self) -> bool {
        false
    }

    /// Whether anybody watches.
    fn is_watched(&self) -> bool {
        false
    }

    /// Whether anybody looks at readiness.
    fn looks_at_readiness(&self) -> bool {
        false
    }

    /// Whether anybody waits for a device to turn up.
    fn looks_for_devices(&self) -> bool {
        false
    }

    /// When it wants to look again.
    fn deadline(&self) -> Option<Micros> {
        None
    }

    /// Something has happened. Reports may be waiting, so nothing here takes long.
    fn look(&mut self, _now: Micros, _table: &Table) {}

    /// Nothing is waiting: a piece of longer work may be done. Its deadline says whether there is more.
    fn work(&mut self, _now: Micros, _table: &Table) {}
}

/// Nobody watches.
#[derive(Clone, Copy, Debug, Default)]
pub struct NoObserver;

impl Observer for NoObserver {}
