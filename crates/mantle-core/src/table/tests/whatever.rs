//! Whatever happens, nothing stays down.

use super::*;
use crate::device::DeviceId;
use crate::pad::PadKind;
use proptest::prelude::*;

/// What may happen to a table.
#[derive(Clone, Debug)]
enum Step {
    Plug(u16, u8),
    Unplug(u16),
    Report(u16, Vec<u8>),
    TakeOut(u8),
    Move(u8, u8),
    Place(u16, u8),
    Tie(u16, u8),
    Untie(u8, u8),
    Lend(u16, u8),
    Same(u16, u8),
    Other(u16),
    Sleep(bool),
    Lock(bool),
    Ask(bool),
    ByTwo(bool),
    Name(u16, String),
    UndoIt,
    LetGo,
    Resume,
    Mend(bool),
    Time(u64),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        3 => (0u16..4, 0u8..6).prop_map(|(id, serial)| Step::Plug(id, serial)),
        2 => (0u16..4).prop_map(Step::Unplug),
        8 => (0u16..4, prop::collection::vec(any::<u8>(), 0..4)).prop_map(|(id, bytes)| Step::Report(id, bytes)),
        8 => (0u16..4, any::<u8>(), any::<u8>()).prop_map(|(id, a, b)| Step::Report(id, vec![a, b])),
        1 => (1u8..9).prop_map(Step::TakeOut),
        1 => (1u8..9, 1u8..9).prop_map(|(a, b)| Step::Move(a, b)),
        1 => (0u16..4, 1u8..9).prop_map(|(id, slot)| Step::Place(id, slot)),
        2 => (0u16..4, 1u8..5).prop_map(|(id, slot)| Step::Tie(id, slot)),
        1 => (1u8..5, 0u8..3).prop_map(|(slot, member)| Step::Untie(slot, member)),
        2 => (0u16..4, 1u8..5).prop_map(|(id, slot)| Step::Lend(id, slot)),
        1 => (0u16..4, 1u8..5).prop_map(|(id, slot)| Step::Same(id, slot)),
        1 => (0u16..4).prop_map(Step::Other),
        1 => any::<bool>().prop_map(Step::Sleep),
        1 => any::<bool>().prop_map(Step::Lock),
        1 => any::<bool>().prop_map(Step::Ask),
        1 => any::<bool>().prop_map(Step::ByTwo),
        1 => (0u16..4, "[a-c]{0,2}").prop_map(|(id, name)| Step::Name(id, name)),
        1 => Just(Step::UndoIt),
        1 => Just(Step::LetGo),
        1 => Just(Step::Resume),
        1 => any::<bool>().prop_map(Step::Mend),
        1 => (0u64..3_000_000).prop_map(Step::Time),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    /// Whatever happens: nothing panics, there is always a sentence, pads are requested one at a time, and when all devices are gone no pad holds
    /// anything.
    #[test]
    fn nothing_stays_pressed_in_any_sequence(steps in prop::collection::vec(step(), 1..60)) {
        let mut world = World::plain();
        let mut undo = Vec::new();
        for step in steps {
            match step {
                Step::Tie(id, n) => {
                    if let Answer::Done { inverse: Some(inverse), .. } =
                        world.command(Command::Tie { device: DeviceId(id), part: 0, slot: slot(n) })
                    {
                        undo.push(inverse);
                    }
                }
                Step::Untie(n, index) => {
                    let member = member(&world, n, index.into());
                    let untie = Command::Untie { slot: slot(n), member, back: None };
                    if let Answer::Done { inverse: Some(inverse), .. } = world.command(untie) {
                        undo.push(inverse);
                    }
                }
                Step::Lend(id, n) => {
                    if let Answer::Done { inverse: Some(inverse), .. } =
                        world.command(Command::Lend { device: DeviceId(id), part: 0, slot: slot(n) })
                    {
                        undo.push(inverse);
                    }
                }
                Step::Same(id, n) => {
                    let same = Command::SameDevice { device: DeviceId(id), part: 0, slot: slot(n) };
                    if let Answer::Done { inverse: Some(inverse), .. } = world.command(same) {
                        undo.push(inverse);
                    }
                }
                Step::Other(id) => drop(world.command(Command::OtherDevice { device: DeviceId(id), part: 0 })),
                Step::Sleep(asleep) => {
                    world.table.handle_sleep(world.now, asleep);
                    world.settle();
                }
                Step::Lock(locked) => drop(world.command(Command::Lock(locked))),
                Step::Ask(asks) => drop(world.command(Command::AskToSit(asks))),
                Step::ByTwo(always) => drop(world.command(Command::SitByTwo(always))),
                Step::Name(id, name) => drop(world.command(Command::Nickname { device: DeviceId(id), name })),
                Step::UndoIt => drop(undo.pop().map(|inverse| world.command(inverse))),
                Step::Plug(id, serial) if world.table.source(NodeId(id)).is_none() => {
                    let mut facts = node(id, ["", "A", "B"][usize::from(serial % 3)], &format!("1-{id}"));
                    if serial >= 3 {
                        // By radio: the same serial number, and no port.
                        (facts.identity.bus, facts.identity.port) = (Bus::BLUETOOTH, None);
                    }
                    world.plug(facts);
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
            // Nobody has two slots: a serial number that identifies somebody is in at most one of them.
            let memory = world.table.remembered();
            let owners: Vec<_> = memory.slots.iter().flat_map(|slot| &slot.members).filter(|key| !key.uniq.is_empty()).collect();
            for (at, key) in owners.iter().enumerate() {
                let twice = owners[..at].iter().any(|other| other.uniq == key.uniq && other.part == key.part);
                let shared = memory.shared_serials.iter().any(|other| other.uniq == key.uniq);
                prop_assert!(!twice || shared, "{key:?} owns two slots");
            }
            for device in world.table.devices() {
                // Whoever waits for a slot plays in none, and the slot exists.
                let waits = world.table.waits_for(device.id);
                prop_assert!(waits.is_none_or(|slot| world.table.slot(slot).is_some()));
                prop_assert!(waits.is_none() || device.parts.iter().all(|part| world.table.seat(device.id, part.number).is_none()));
                for part in &device.parts {
                    let Some(seat) = world.table.seat(device.id, part.number) else { continue };
                    let slot = world.table.slot(seat.slot);
                    prop_assert!(slot.is_some_and(|slot| seat.index < slot.session.members.len()));
                    let route = world.table.source(part.source).map(|source| source.routes[part.local]);
                    let seat = Some((seat.slot, seat.index));
                    prop_assert!(route.is_none_or(|route| route == seat), "{route:?} and {seat:?}");
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
