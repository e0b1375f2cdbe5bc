//! A shadow of every pad: whatever is written is applied to it, and each time the engine is idle it has to show what the session says the pad should
//! show.

use mantle_core::command::{Answer, Asker, CommandNumber};
use mantle_core::device::NodeId;
use mantle_core::keys::Typed;
use mantle_core::pad::{Events, MORE_NODES, PadModel, PadState};
use mantle_core::path::PadCondition;
use mantle_core::sheet::Sheet;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Source, Table};
use mantle_core::time::Micros;
use mantle_engine::{Observer, World};
use mantle_talk::{FindOrder, HistoryRequest, Watch};
use std::collections::BTreeMap;

/// Event type and code, and the value if it is not 0.
type Shadow = BTreeMap<(u16, u16), i32>;

struct Shadows<'a> {
    desk: &'a mut dyn Observer,
    pads: BTreeMap<SlotNumber, Shadow>,
}

/// Runs a world as the engine does, and compares what was written with what should be shown.
pub fn run(world: &mut impl World, table: &mut Table, desk: &mut dyn Observer) {
    mantle_engine::run(world, table, &mut Shadows { desk, pads: BTreeMap::new() });
}

/// What events say about buttons and axes; a further node's number is in the type's upper byte. Contacts, which are reported one after the other with
/// the same codes, are checked elsewhere.
fn apply(shadow: &mut Shadow, events: &Events) {
    for node in 0..=MORE_NODES {
        let told = events.iter_of(node).filter(|(kind, code, _)| *kind != 0 && !(0x2f..=0x39).contains(code));
        shadow.extend(told.map(|(kind, code, value)| ((kind | (node as u16) << 8, code), value)));
    }
}

/// Without what a pad of this model shows at rest.
fn off_rest(shadow: &Shadow, model: &PadModel) -> Shadow {
    let still = PadState::default();
    let own = model.axes.iter().map(|axis| ((3, axis.info.code), axis.shown(still.lane(axis.lane))));
    let more = model.more.iter().zip(1u16..).flat_map(|(node, number)| {
        node.axes
            .iter()
            .map(move |(lane, info)| ((3 | number << 8, info.code), info.of_units(still.sensed.lane(*lane))))
    });
    let rest: Shadow = own.chain(more).collect();
    let differs = |(key, value): &(&(u16, u16), &i32)| rest.get(key).copied().unwrap_or(0) != **value;
    shadow.iter().filter(differs).map(|(key, value)| (*key, *value)).collect()
}

impl Observer for Shadows<'_> {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        apply(self.pads.entry(slot).or_default(), events);
        self.desk.handle_frame(now, slot, events);
    }

    fn look(&mut self, now: Micros, table: &Table) {
        let made = |number: &SlotNumber| table.slot(*number).is_some_and(|slot| slot.pad == PadCondition::Made);
        // A pad that is made again is at rest.
        self.pads.retain(|number, _| made(number));
        for (number, slot) in table.slots().filter(|(number, _)| made(number)) {
            let (mut expected, mut events) = (Shadow::new(), Events::default());
            PadState::default().events_of(slot.session.state(), &slot.model, &mut events);
            apply(&mut expected, &events);
            let shown = off_rest(self.pads.entry(number).or_default(), &slot.model);
            assert_eq!(shown, off_rest(&expected, &slot.model), "{number} at {now:?}");
        }
        self.desk.look(now, table);
    }

    fn looks_for_devices(&self) -> bool {
        self.desk.looks_for_devices()
    }

    fn handle_typed(&mut self, now: Micros, slot: SlotNumber, typed: &Typed) {
        self.desk.handle_typed(now, slot, typed);
    }

    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        self.desk.handle_report(at, node, bytes);
    }

    fn handle_history(&mut self, asker: Asker, request: &HistoryRequest) {
        self.desk.handle_history(asker, request);
    }

    fn handle_note(&mut self, note: Note) {
        self.desk.handle_note(note);
    }

    fn handle_warning(&mut self, note: Note) {
        self.desk.handle_warning(note);
    }

    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        self.desk.handle_answer(number, answer);
    }

    fn handle_watch(&mut self, asker: Asker, watch: Watch) {
        self.desk.handle_watch(asker, watch);
    }

    fn handle_find(&mut self, now: Micros, order: FindOrder) -> Result<(), String> {
        self.desk.handle_find(now, order)
    }

    fn handle_record(&mut self, now: Micros, source: Option<&Source>, on: bool) -> Result<(), String> {
        self.desk.handle_record(now, source, on)
    }

    fn poll_sheet(&mut self) -> Option<Sheet> {
        self.desk.poll_sheet()
    }

    fn poll_found(&mut self) -> bool {
        self.desk.poll_found()
    }

    fn deadline(&self) -> Option<Micros> {
        self.desk.deadline()
    }
}
