//! The table by itself: nodes, reports and commands in, frames and effects out.

use super::{Effect, Settings, Table};
use crate::command::{Answer, Command, CommandNumber};
use crate::cover::{Cover, Strength};
use crate::device::{Bus, DeviceId, Identity, NodeFacts, NodeId, OsFault};
use crate::pad::{PadKind, PadState, Target};
use crate::path::{Mark, PadFault, Stage, StageState, sentences, stages};
use crate::slot::SlotNumber;
use crate::time::Micros;
use proptest::prelude::*;

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
        driver: "hid-generic".into(),
        descriptor: PAD.to_vec(),
        inputs: Vec::new(),
        sysfs: String::new(),
    }
}

/// A table and a world that does at once what it is asked for.
struct World {
    table: Table,
    now: Micros,
    memory: crate::slot::Remembered,
    effects: Vec<Effect>,
    numbers: u32,
    uinput: Result<(), PadFault>,
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
            uinput: Ok(()),
            strength: Ok(Strength::Hidden),
        };
        world.settle();
        world
    }

    fn plain() -> Self {
        Self::new(Settings { cover: true, ..Settings::default() })
    }

    fn settle(&mut self) {
        loop {
            let mut idle = true;
            while let Some((number, _)) = self.table.poll_write().map(|(number, events)| (number, events.len())) {
                self.table.handle_written(self.now, number);
                idle = false;
            }
            while let Some(effect) = self.table.poll_effect() {
                idle = false;
                match &effect {
                    Effect::Open(node) => self.table.handle_opened(self.now, *node, Ok(())),
                    Effect::MakePad { slot, .. } => {
                        let made = self.uinput.clone().map(|()| "event9".into());
                        self.table.handle_pad(self.now, *slot, made);
                    }
                    Effect::Cover(plan) => self.table.handle_cover(self.now, plan.device, self.strength.clone()),
                    Effect::Remember(memory) => self.memory = memory.clone(),
                    Effect::Close(_) | Effect::DropPad { .. } | Effect::Uncover(_) => {}
                }
                self.effects.push(effect);
            }
            if idle {
                return;
            }
        }
    }

    fn plug(&mut self, facts: NodeFacts) {
        self.now.0 += 1000;
        self.table.handle_arrived(self.now, facts);
        self.settle();
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

    fn undo(&mut self, answer: Answer) {
        let Answer::Done { inverse: Some(inverse) } = answer else { panic!("no inverse: {answer:?}") };
        assert!(matches!(self.command(inverse), Answer::Done { .. }));
    }

    fn pad(&self, number: u8) -> PadState {
        *self.table.slot(slot(number)).expect("in use").session.state()
    }

    fn down(&self, number: u8, target: Target) -> bool {
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

#[test]
fn the_first_device_takes_the_lowest_slot_and_plays() {
    let mut world = World::plain();
    assert_eq!(world.sentence().0, Mark::Hint);
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.used(), [1]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, Target::South));
    world.report(0, &[0, 128]);
    assert_eq!(world.pad(1), PadState::default());
    assert_eq!(world.sentence(), (Mark::Well, "All is well: slot 1 plays.".into()));
}

#[test]
fn a_device_that_goes_leaves_its_pad_neutral_and_comes_back_to_its_slot() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[1, 255]);
    world.report(0, &[1, 128]);
    world.report(0, &[1, 255]);
    assert!(world.down(1, Target::South));
    world.unplug(0);
    assert_eq!(world.pad(1), PadState::default(), "let go at once");
    assert_eq!(world.sentence().0, Mark::Kept);
    world.plug(node(0, "A", "1-7"));
    assert_eq!(world.used(), [1, 2]);
    world.report(0, &[1, 255]);
    assert_eq!(world.pad(1), PadState::default(), "what is still held does not count");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 255]);
    assert!(world.down(1, Target::South) && world.down(1, Target::LeftStickRight));
}

#[test]
fn a_slot_is_remembered_over_a_restart() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    let settings = Settings { remembered: world.memory.clone(), cover: true, ..Settings::default() };
    let mut world = World::new(settings);
    assert_eq!(world.used(), [1, 2], "pads are made though nobody is there");
    assert!(world.effects.iter().filter(|effect| matches!(effect, Effect::MakePad { .. })).count() == 2);
    world.plug(node(0, "B", "1-9"));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(2, Target::South) && !world.down(1, Target::South));
}

#[test]
fn twins_without_serials_are_asked_about_and_never_guessed() {
    let mut world = World::plain();
    world.plug(node(0, "", "1-1"));
    world.plug(node(1, "", "1-2"));
    world.unplug(0);
    world.unplug(1);
    world.plug(node(0, "", "1-5"));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Ask);
    assert!(text.contains("belongs to slot 1"), "{text}");
    world.report(0, &[0, 128]);
    assert!(world.table.devices().all(|device| device.parts[0].seat.is_none()), "not without a press");
    world.report(0, &[1, 128]);
    assert_eq!(world.table.devices().next().expect("it").parts[0].seat, Some((slot(1), 0)));
    world.plug(node(1, "", "1-2"));
    assert_eq!(world.table.device(DeviceId(1)).expect("it").parts[0].seat, Some((slot(2), 0)), "its port is certain");
}

#[test]
fn a_serial_that_two_present_devices_share_says_nothing() {
    let mut world = World::plain();
    world.plug(node(0, "0000", "1-1"));
    world.plug(node(1, "0000", "1-2"));
    assert_eq!(world.used(), [1, 2]);
    world.unplug(1);
    world.plug(node(1, "0000", "1-2"));
    assert_eq!(world.table.device(DeviceId(1)).expect("it").parts[0].seat, Some((slot(2), 0)));
}

#[test]
fn taken_out_stays_out_until_it_is_placed_and_undo_brings_it_back() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    let answer = world.command(Command::TakeOut { slot: slot(1) });
    assert_eq!(world.used(), [0u8; 0]);
    assert!(world.effects.contains(&Effect::DropPad { slot: slot(1) }));
    world.unplug(0);
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.used(), [0u8; 0], "not unasked again");
    world.undo(answer);
    assert_eq!(world.used(), [1]);
    assert!(world.memory.taken_out.is_empty());
    let place =
        |slot| Command::Place { device: DeviceId(0), part: 0, slot, kind: PadKind::Common, profile: "plain".into() };
    world.command(Command::TakeOut { slot: slot(1) });
    assert!(matches!(world.command(place(slot(3))), Answer::Done { .. }));
    assert_eq!(world.used(), [3]);
    world.plug(node(1, "B", "1-2"));
    let refused = world.command(Command::Place {
        device: DeviceId(1),
        part: 0,
        slot: slot(3),
        kind: PadKind::Common,
        profile: "plain".into(),
    });
    assert!(matches!(&refused, Answer::Done { .. }), "it sits in slot 1 and changes places: {refused:?}");
}

#[test]
fn moving_keeps_pads_with_their_slots_and_lets_go() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[1, 128]);
    let answer = world.command(Command::Move { from: slot(1), to: slot(2) });
    assert_eq!((world.pad(1), world.pad(2)), (PadState::default(), PadState::default()));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(2, Target::South) && !world.down(1, Target::South));
    world.undo(answer);
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, Target::South));
    world.command(Command::Move { from: slot(2), to: slot(5) });
    assert_eq!(world.used(), [1, 5]);
}

#[test]
fn let_go_holds_every_pad_at_neutral_until_resumed() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1, 128]);
    let answer = world.command(Command::LetGo);
    assert_eq!(world.pad(1), PadState::default());
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))), "what was held is free");
    world.report(0, &[3, 128]);
    assert_eq!(world.pad(1), PadState::default());
    world.undo(answer);
    world.report(0, &[3, 255]);
    assert!(!world.down(1, Target::South), "still held from before");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, Target::South));
}

/// Four buttons of the pad's eight are its let-go chord: it has neither Select nor Start.
#[test]
fn the_chord_lets_go_after_three_seconds_and_again_to_resume() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    world.report(0, &[0x0f, 0x80]);
    let began = world.now;
    assert!(world.down(1, Target::South) && !world.table.paused());
    assert_eq!(world.table.deadline(), Some(began.after(Micros::seconds(3))));
    world.table.handle_time(Micros(began.0 + 2_999_999));
    assert!(!world.table.paused(), "not a moment too early");
    world.now = began.after(Micros::seconds(9));
    world.table.handle_time(world.now);
    world.settle();
    assert!(world.table.paused() && world.pad(1) == PadState::default());
    let notes: Vec<_> = std::iter::from_fn(|| world.table.poll_note()).collect();
    let note = notes.iter().find(|note| note.text.contains("let-go chord")).expect("the journal says so");
    assert_eq!(note.at, began.after(Micros::seconds(3)), "at its own due time, however late the wake-up");
    // Held on, it does nothing more; let go and held again, it lets pads play.
    world.now.0 += 20_000_000;
    world.table.handle_time(world.now);
    assert!(world.table.paused());
    world.report(0, &[0x07, 0x80]);
    world.report(0, &[0x0f, 0x80]);
    world.now.0 += 3_000_000;
    world.table.handle_time(world.now);
    world.settle();
    assert!(!world.table.paused());
    assert_eq!(world.pad(1), PadState::default(), "what is still held does not play");
    world.report(0, &[0x00, 0x80]);
    world.report(0, &[0x01, 0x80]);
    assert!(world.down(1, Target::South));
}

#[test]
fn a_chord_that_is_broken_or_whose_device_goes_does_nothing() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    for ending in 0..3 {
        world.report(0, &[0x0f, 0x80]);
        world.now.0 += 2_000_000;
        match ending {
            0 => world.report(0, &[0x0e, 0x80]),
            1 => world.report(0, &[0x0f]),
            _ => world.unplug(0),
        }
        world.now.0 += 2_000_000;
        world.table.handle_time(world.now);
        assert!(!world.table.paused(), "ending {ending}");
        assert_eq!(world.table.deadline(), None, "ending {ending}");
    }
}

/// Every target that is off its rest can say which binding of which member makes it so, and no other can.
#[test]
fn a_target_knows_its_origin() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    for target in crate::pad::TARGETS {
        assert_eq!(world.table.origin(slot(1), target), None);
    }
    world.report(0, &[0x81, 0xff]);
    let member = &world.table.slot(slot(1)).expect("it").session.members[0];
    let control_of = |target| {
        let origin = world.table.origin(slot(1), target)?;
        let binding = member.bindings.list.iter().find(|binding| binding.number == origin.binding)?;
        assert_eq!((origin.member, binding.target), (0, target));
        Some(binding.control.0)
    };
    assert_eq!(control_of(Target::South), Some(1));
    assert_eq!(control_of(Target::RightTrigger), Some(8));
    assert_eq!(control_of(Target::LeftStickRight), Some(9));
    assert_eq!(control_of(Target::LeftStickLeft), None, "the other half of the same axis");
    assert_eq!(control_of(Target::East), None);
    world.unplug(0);
    assert_eq!(world.table.origin(slot(1), Target::South), None);
}

#[test]
fn a_report_cut_short_lets_go_and_a_whole_one_plays_again() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1, 128]);
    world.report(0, &[1]);
    assert_eq!(world.pad(1), PadState::default());
    world.report(0, &[1, 128]);
    assert!(world.down(1, Target::South));
    world.report(0, &[1, 128, 7, 7, 7]);
    assert!(world.down(1, Target::South), "a longer one is read up to its size");
}

#[test]
fn only_unreadable_reports_stop_at_reports() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1]);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("stops at Reports") && text.contains("has 1 bytes, its descriptor says 2"), "{text}");
}

#[test]
fn an_unreadable_descriptor_is_said_with_its_offset() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.unplug(0);
    let mut broken = node(0, "A", "1-1");
    broken.descriptor = vec![0x05, 0x01, 0xc0];
    world.plug(broken);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("byte 2: end of a collection that was not begun"), "{text}");
}

#[test]
fn without_uinput_it_says_so_once_and_goes_on_when_it_is_mended() {
    let mut world = World::plain();
    world.uinput = Err(PadFault::NoNode);
    world.plug(node(0, "A", "1-1"));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("ENOENT") && text.contains("modprobe uinput"), "{text}");
    world.uinput = Ok(());
    let due = world.table.deadline().expect("it tries again");
    world.table.handle_time(Micros(due.0 - 1));
    world.settle();
    assert_eq!(world.sentence().0, Mark::Stop, "not before its time");
    world.now = due.after(Micros::seconds(30));
    world.table.handle_time(world.now);
    world.settle();
    assert_eq!(world.sentence().0, Mark::Hint);
}

#[test]
fn who_sits_unasked() {
    let mut world = World::plain();
    let mut special = node(0, "A", "1-1");
    special.driver = "some-special-driver".into();
    world.plug(special);
    let mut keyboard = node(1, "K", "1-2");
    keyboard.descriptor = KEYBOARD.to_vec();
    world.plug(keyboard);
    assert_eq!(world.used(), [0u8; 0]);
    assert!(!world.effects.contains(&Effect::Open(NodeId(1))), "nobody reads a keyboard unasked");
    let place =
        Command::Place { device: DeviceId(1), part: 0, slot: slot(2), kind: PadKind::Common, profile: "plain".into() };
    world.command(place);
    assert_eq!(world.used(), [2]);
    assert!(world.effects.contains(&Effect::Open(NodeId(1))));
    assert!(!world.effects.iter().any(|effect| matches!(effect, Effect::Cover(_))), "keyboards are never covered");
}

#[test]
fn covering_is_not_a_disconnect() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    let device = &mut world.table.devices[0].as_mut().expect("it");
    device.cover = Cover::Covering;
    world.report(0, &[1, 128]);
    world.unplug(0);
    assert_eq!(world.pad(1), PadState::default());
    assert_ne!(world.sentence().0, Mark::Kept);
    world.table.handle_cover(world.now, DeviceId(0), Ok(Strength::Hidden));
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.table.device(DeviceId(0)).expect("it").cover, Cover::Covered(Strength::Hidden));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, Target::South));
    assert_eq!(world.used(), [1]);
}

#[test]
fn left_to_the_game_is_no_alarm_and_gets_no_slot() {
    let mut world = World::plain();
    world.strength = Err(OsFault { operation: "open".into(), path: "/dev/input/event3".into(), errno: 13 });
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Doubt);
    assert!(text.contains("open of /dev/input/event3 failed (EACCES)"), "{text}");
    let answer = world.command(Command::LeaveToGame { device: DeviceId(0), left: true });
    assert_eq!(world.sentence().0, Mark::Well);
    assert_eq!(world.memory.left_to_game.len(), 1);
    world.undo(answer);
    assert_eq!(world.sentence().0, Mark::Doubt);
}

#[test]
fn a_press_of_two_milliseconds_leaves_its_marks() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    let before = world.table.slot(slot(1)).expect("it").session.passed();
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    let after = world.table.slot(slot(1)).expect("it").session.passed();
    for stage in Stage::ALL.into_iter().skip(1) {
        assert_eq!(after[stage as usize].count, before[stage as usize].count + 2, "{}", stage.name());
    }
    let facts = world.table.slot_facts(slot(1)).expect("it");
    assert_eq!(stages(&facts)[1..], [StageState::Passing; 6]);
}

/// What may happen to a table.
#[derive(Clone, Debug)]
enum Step {
    Plug(u16, u8),
    Unplug(u16),
    Report(u16, Vec<u8>),
    TakeOut(u8),
    Move(u8, u8),
    Place(u16, u8),
    LetGo,
    Resume,
    Mend(bool),
    Time(u64),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        3 => (0u16..4, 0u8..3).prop_map(|(id, serial)| Step::Plug(id, serial)),
        2 => (0u16..4).prop_map(Step::Unplug),
        8 => (0u16..4, prop::collection::vec(any::<u8>(), 0..4)).prop_map(|(id, bytes)| Step::Report(id, bytes)),
        8 => (0u16..4, any::<u8>(), any::<u8>()).prop_map(|(id, a, b)| Step::Report(id, vec![a, b])),
        1 => (1u8..9).prop_map(Step::TakeOut),
        1 => (1u8..9, 1u8..9).prop_map(|(a, b)| Step::Move(a, b)),
        1 => (0u16..4, 1u8..9).prop_map(|(id, slot)| Step::Place(id, slot)),
        1 => Just(Step::LetGo),
        1 => Just(Step::Resume),
        1 => any::<bool>().prop_map(Step::Mend),
        1 => (0u64..3_000_000).prop_map(Step::Time),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    /// Whatever happens: nothing panics, there is always a sentence, pads are asked for one at a time, and when all
    /// devices are gone no pad holds anything.
    #[test]
    fn nothing_stays_down(steps in prop::collection::vec(step(), 1..60)) {
        let mut world = World::plain();
        for step in steps {
            match step {
                Step::Plug(id, serial) if world.table.source(NodeId(id)).is_none() => {
                    let serial = ["", "A", "B"][usize::from(serial)];
                    world.plug(node(id, serial, &format!("1-{id}")));
                }
                Step::Plug(..) => {}
                Step::Unplug(id) => world.unplug(id),
                Step::Report(id, bytes) => world.report(id, &bytes),
                Step::TakeOut(n) => drop(world.command(Command::TakeOut { slot: slot(n) })),
                Step::Move(a, b) => drop(world.command(Command::Move { from: slot(a), to: slot(b) })),
                Step::Place(id, n) => {
                    let device = DeviceId(id);
                    let profile = "plain".into();
                    drop(world.command(Command::Place { device, part: 0, slot: slot(n), kind: PadKind::Common, profile }));
                }
                Step::LetGo => drop(world.command(Command::LetGo)),
                Step::Resume => drop(world.command(Command::Resume)),
                Step::Mend(ok) => world.uinput = if ok { Ok(()) } else { Err(PadFault::Denied) },
                Step::Time(span) => {
                    world.now.0 += span;
                    world.table.handle_time(world.now);
                    world.settle();
                }
            }
            prop_assert!(!world.sentence().1.is_empty());
            for device in world.table.devices() {
                for part in &device.parts {
                    let Some((number, member)) = part.seat else { continue };
                    prop_assert!(world.table.slot(number).is_some_and(|slot| member < slot.session.members.len()));
                }
            }
        }
        for id in 0..4 {
            world.unplug(id);
        }
        for (number, slot) in world.table.slots() {
            prop_assert_eq!(slot.session.state(), &PadState::default(), "{} holds something", number);
        }
    }
}
