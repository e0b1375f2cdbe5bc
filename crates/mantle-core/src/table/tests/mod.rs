//! The table alone: nodes, reports and commands in, frames and effects out.

mod alike;
mod calibrating;
mod calling;
mod cases;
mod device_link;
mod drawing;
mod first_reports;
mod guests;
mod hammering;
mod input_nodes;
mod keeping;
mod kinds;
mod links;
mod listening;
mod looks;
mod losses;
mod moving;
mod mutants;
mod one_door;
mod playing;
mod profiles;
mod radio;
mod sensing;
mod sides;
mod survival;
mod ties;
mod tuning;
mod typing;
mod undo;
mod whatever;

use super::{Effect, Settings, Table};
use crate::binding::{Named, Rule, Target};
use crate::command::{Answer, Command, CommandNumber};
use crate::cover::Strength;
use crate::device::{Bus, DeviceId, Driver, Identity, NodeFacts, NodeId, NodeKind, OsFault};
use crate::pad::{Events, MORE_NODES, PadKind, PadModel, PadState, PadTarget};
use crate::path::{Mark, PadFault, sentences};
use crate::seating::MemberId;
use crate::slot::SlotNumber;
use crate::time::Micros;

/// Eight buttons and an axis of 8 bits.
const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0xc0,
];
/// A keyboard's modifiers.
const KEYBOARD: &[u8] = &[
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0xc0,
];

fn slot(number: u8) -> SlotNumber {
    SlotNumber::new(number).expect("a slot")
}

/// The number of the member at a place of a slot; one that nobody has if there is none.
fn member(world: &World, number: u8, index: usize) -> MemberId {
    world.table.members(slot(number)).nth(index).unwrap_or_default()
}

fn node(id: u16, uniq: &str, port: &str) -> NodeFacts {
    NodeFacts {
        id: NodeId(id),
        path: format!("/dev/hidraw{id}"),
        identity: Identity {
            bus: Bus::USB,
            vendor: 0x1209,
            product: 1,
            name: "pad".into(),
            uniq: uniq.into(),
            phys: format!("usb-{port}/input0"),
            port: Some(port.into()),
            interface: Some(0),
            ..Identity::default()
        },
        kind: NodeKind::Reports,
        driver: Driver::Generic,
        descriptor: PAD.to_vec(),
        inputs: Vec::new(),
        driven: Default::default(),
        connection: Default::default(),
        sysfs: String::new(),
    }
}

/// A pad after all events that were written to it: event type and code, and the value if it is not 0.
type Shadow = std::collections::BTreeMap<(u16, u16), i32>;

/// What a shadow of a pad in this state looks like.
fn shadow_of(state: &PadState, model: &PadModel) -> Shadow {
    let mut events = Events::default();
    PadState::default().events_of(state, model, &mut events);
    told(&events).filter(|((kind, _), _)| kind & 0xff != 0).collect()
}

/// What events say: for a node after the first its number is in the type's upper byte, and for a contact its slot in the code's.
fn told(events: &Events) -> impl Iterator<Item = ((u16, u16), i32)> {
    (0..=MORE_NODES).flat_map(move |node| {
        let mut slot = 0;
        events.iter_of(node).filter_map(move |(kind, code, value)| {
            let of_contact = kind == 3 && (0x35..=0x39).contains(&code);
            if (kind, code) == (3, 0x2f) {
                slot = value as u16;
                return None;
            }
            Some(((kind | (node as u16) << 8, if of_contact { code | slot << 8 } else { code }), value))
        })
    })
}

/// What a pad of a model shows at rest, if that is not 0.
fn rests(model: &PadModel, (kind, code): (u16, u16)) -> i32 {
    let still = PadState::default();
    match (kind, code) {
        (3, _) => {
            model.axes.iter().find(|axis| axis.info.code == code).map_or(0, |axis| axis.shown(still.lane(axis.lane)))
        }
        (0x103 | 0x203, _) if code & 0xff == 0x39 => -1,
        (0x103 | 0x203, _) => {
            let axes = model.more.get(usize::from(kind >> 8) - 1).map_or(&[][..], |node| &node.axes);
            let axis = axes.iter().find(|(_, info)| info.code == code);
            axis.map_or(0, |(lane, info)| info.of_units(still.sensed.lane(*lane)))
        }
        _ => 0,
    }
}

/// A table and a world that does at once what is asked.
struct World {
    table: Table,
    now: Micros,
    memory: crate::slot::Remembered,
    effects: Vec<Effect>,
    numbers: u32,
    typed: Vec<(u16, u16, i32)>,
    /// Events that pads were written.
    written: Vec<(u16, u16, i32)>,
    /// What every written event has made of each pad: the value of each event type and code.
    shadows: std::collections::BTreeMap<SlotNumber, Shadow>,
    /// What each pad is that was made.
    models: std::collections::BTreeMap<SlotNumber, std::sync::Arc<PadModel>>,
    keys_down: std::collections::BTreeSet<u16>,
    uinput: Result<(), PadFault>,
    /// Running programs, and the last request about them.
    running: Vec<crate::games::RunningProgram>,
    round: u32,
    strength: Result<Strength, OsFault>,
}

impl World {
    fn new(settings: Settings) -> Self {
        let table = Table::new(settings);
        let mut world = Self {
            table,
            now: Micros(1),
            memory: Default::default(),
            effects: Vec::new(),
            numbers: 0,
            typed: Vec::new(),
            written: Vec::new(),
            shadows: Default::default(),
            models: Default::default(),
            keys_down: Default::default(),
            uinput: Ok(()),
            running: Vec::new(),
            round: 0,
            strength: Ok(Strength::Hidden),
        };
        world.settle();
        world
    }

    fn plain() -> Self {
        Self::new(Settings { cover: true, ..Settings::default() })
    }

    fn settle(&mut self) {
        let mut turns = 0;
        loop {
            let mut idle = true;
            while let Some(number) = self.write() {
                turns += 1;
                assert!(turns < 1_000, "there is always something more to write");
                self.table.handle_written(self.now, number);
                idle = false;
            }
            if let Some(effect) = self.table.poll_effect() {
                idle = false;
                match &effect {
                    Effect::Open(node) => self.table.handle_opened(self.now, *node, Ok(())),
                    Effect::MakePad { slot, model } => {
                        self.shadows.insert(*slot, Shadow::new());
                        self.models.insert(*slot, model.clone());
                        let made = self.uinput.clone().map(|()| format!("event{}", 8 + slot.number()).into());
                        self.table.handle_pad(self.now, *slot, made);
                    }
                    Effect::ProbePads => self.table.handle_probe(self.now, self.uinput.clone()),
                    Effect::MakeKeys { slot } => {
                        let made = self.uinput.clone().map(|()| "event10 and event11".into());
                        self.table.handle_keys(self.now, *slot, made);
                    }
                    Effect::Type { typed, .. } => {
                        for (kind, code, value) in typed.events() {
                            match (kind, value) {
                                (1, 1) => drop(self.keys_down.insert(*code)),
                                (1, _) => drop(self.keys_down.remove(code)),
                                _ => {}
                            }
                            self.typed.push((*kind, *code, *value));
                        }
                    }
                    // What is down on a node that disappears is released.
                    Effect::DropKeys { .. } => {
                        let down = std::mem::take(&mut self.keys_down);
                        self.typed.extend(down.into_iter().map(|code| (1, code, 0)));
                    }
                    Effect::Cover(plan) => self.table.handle_cover(self.now, plan.device, self.strength.clone()),
                    Effect::WatchGames { round, .. } => {
                        self.round = *round;
                        self.table.handle_running(self.now, *round, self.running.clone());
                    }
                    Effect::Remember(memory) => self.memory = memory.clone(),
                    Effect::Profile { .. }
                    | Effect::Rule { .. }
                    | Effect::Send { .. }
                    | Effect::SaveSheet(_)
                    | Effect::Close(_)
                    | Effect::Look(_)
                    | Effect::Radio(_)
                    | Effect::LookReady
                    | Effect::PadBattery { .. }
                    | Effect::DropPad { .. }
                    | Effect::Uncover(_) => {}
                }
                self.effects.push(effect);
            }
            if idle {
                return self.check_shadows();
            }
        }
    }

    /// Takes one frame and applies it to the pad's shadow.
    fn write(&mut self) -> Option<SlotNumber> {
        let (number, _, events) = self.table.poll_write()?;
        let shadow = self.shadows.get_mut(&number).expect("only a pad that was made takes events");
        let (mut once, mut synced) = (std::collections::BTreeSet::new(), false);
        let model = self.models.get(&number).cloned().unwrap_or_default();
        let mut node = 0;
        for ((kind, code), value) in told(events) {
            assert!(!synced || kind >> 8 > node, "a frame ends with its sync event");
            node = kind >> 8;
            assert!(once.insert((kind, code)), "one frame says one thing twice: {kind} {code:#x}");
            synced = kind & 0xff == 0;
            self.written.push((kind, code, value));
            if !synced {
                let before = shadow.get(&(kind, code)).copied().unwrap_or_else(|| rests(&model, (kind, code)));
                // A finger that arrives where the last one left says so once more.
                if !(0x35..=0x36).contains(&(code & 0xff)) {
                    assert_ne!(before, value, "{kind} {code:#x} is {value} already");
                }
                shadow.insert((kind, code), value);
                shadow.retain(|key, value| *value != rests(&model, *key));
                if code & 0xff == 0x39 && value < 0 {
                    // Where a finger was is of no interest.
                    shadow.retain(|(own, place), _| *own != kind || place >> 8 != code >> 8);
                }
            }
        }
        assert!(synced, "a frame without its sync event");
        Some(number)
    }

    /// While nothing is left to be done, every pad shows what its slot says it should, and no alarm is late.
    fn check_shadows(&self) {
        for alarm in super::alarms::Alarm::ALL {
            let due = self.table.due_of(alarm);
            assert!(due.is_none() || self.table.deadline() <= due, "{alarm:?} is due at {due:?}");
        }
        for (number, slot) in self.table.slots().filter(|(_, slot)| slot.pad == crate::path::PadCondition::Made) {
            assert_eq!(self.shadows[&number], shadow_of(slot.session.state(), &slot.model), "{number}");
        }
    }

    /// Plugged in and open, with nothing sent yet.
    fn plug_at_once(&mut self, facts: NodeFacts) {
        self.now.0 += 1000;
        self.table.handle_arrived(self.now, facts);
        self.settle();
    }

    fn plug(&mut self, facts: NodeFacts) {
        self.plug_at_once(facts);
        // What the first report shows from now on is a change, and not the device's initial state.
        self.wait(crate::session::AT_ONCE.after(Micros(1)));
    }

    fn unplug(&mut self, id: u16) {
        self.now.0 += 1000;
        self.table.handle_gone(self.now, NodeId(id));
        self.settle();
    }

    fn report(&mut self, id: u16, bytes: &[u8]) {
        self.now.0 += 1000;
        self.table.handle_report(self.now, NodeId(id), bytes);
        self.settle();
    }

    fn command(&mut self, command: Command) -> Answer {
        self.now.0 += 1000;
        self.numbers += 1;
        self.table.handle_command(self.now, CommandNumber(self.numbers), command);
        let answer = self.table.poll_answer().expect("every command is answered").1;
        self.settle();
        answer
    }

    /// Places a device's first part, which must be possible.
    fn place(&mut self, device: u16, number: u8, profile: &str) {
        let (device, kind) = (DeviceId(device), PadKind::Common);
        let place = Command::Place { device, part: 0, slot: slot(number), kind, profile: profile.into() };
        assert!(matches!(self.command(place), Answer::Done { .. }));
        self.wait(crate::session::AT_ONCE.after(Micros(1)));
    }

    /// This much time passes, and whatever is due happens when it is.
    fn wait(&mut self, time: Micros) {
        let end = self.now.after(time);
        while let Some(due) = self.table.deadline().filter(|due| *due <= end) {
            self.now = due;
            self.table.handle_time(due);
            self.settle();
        }
        self.now = end;
    }

    fn undo(&mut self, answer: Answer) {
        let Answer::Done { inverse: Some(inverse), .. } = answer else { panic!("no inverse: {answer:?}") };
        assert!(matches!(self.command(inverse), Answer::Done { .. }));
    }

    fn pad(&self, number: u8) -> PadState {
        *self.table.slot(slot(number)).expect("in use").session.state()
    }

    fn down(&self, number: u8, target: PadTarget) -> bool {
        self.pad(number).share(target) > 0.5
    }

    fn sentence(&self) -> (Mark, String) {
        let facts: Vec<_> = SlotNumber::all().filter_map(|slot| self.table.slot_facts(slot)).collect();
        let all = sentences(&facts, &self.table.table_facts());
        (all[0].mark, all[0].text.clone())
    }

    fn used(&self) -> Vec<u8> {
        self.table.slots().map(|(number, _)| number.number()).collect()
    }
}
