//! One device by cable and by radio, or in two modes: one slot, one link that plays, and nothing lost when it changes.

use super::*;

/// By radio: the address is the serial number that it has by cable.
fn radio(id: u16, uniq: &str) -> NodeFacts {
    let mut facts = node(id, &uniq.to_lowercase(), "");
    facts.identity.bus = Bus::BLUETOOTH;
    (facts.identity.port, facts.identity.phys, facts.identity.interface) = (None, "00:11:22".into(), None);
    facts
}

/// In another mode: other ids, another name, no serial number.
fn mode(id: u16, port: &str) -> NodeFacts {
    let mut facts = node(id, "", port);
    (facts.identity.product, facts.identity.name) = (77, "pad in the other mode".into());
    facts
}

fn in_use(world: &World) -> Vec<u8> {
    world.table.slots().map(|(number, _)| number.number()).collect()
}

/// The events written to a slot's pad since this was last asked.
fn written(world: &mut World) -> Vec<(u16, u16, i32)> {
    std::mem::take(&mut world.written).into_iter().filter(|(kind, ..)| *kind != 0).collect()
}

/// The link by which a slot plays, by its node.
fn plays_by(world: &World) -> u16 {
    let (_, part) = world.table.part_of(slot(1), 0).expect("somebody plays");
    part.source.0
}

fn looked(world: &mut World) {
    world.wait(Micros::millis(700));
}

#[test]
fn the_cable_takes_over_from_the_radio_and_hands_back_with_a_button_held() {
    let mut world = World::plain();
    world.plug(radio(0, "AA:BB"));
    world.report(0, &[1, 128]);
    assert_eq!(in_use(&world), [1]);
    written(&mut world);
    // The cable is plugged in while a button is held: it gets no slot of its own, and sends nothing new.
    world.plug(node(1, "AA:BB", "1-2"));
    assert_eq!(in_use(&world), [1]);
    looked(&mut world);
    assert_eq!(plays_by(&world), 0, "a link that has never said anything does not play");
    world.report(1, &[1, 128]);
    looked(&mut world);
    assert_eq!((plays_by(&world), written(&mut world)), (1, vec![]), "a change of link presses and lets go of nothing");
    world.report(0, &[3, 128]);
    assert_eq!(written(&mut world), [], "the other one waits");
    world.report(1, &[3, 128]);
    assert_eq!(written(&mut world).len(), 1);
    // It is pulled out: the radio continues with its last state.
    world.unplug(1);
    assert_eq!((plays_by(&world), written(&mut world)), (0, vec![]), "both buttons are held still");
    world.report(0, &[0, 128]);
    assert_eq!(written(&mut world).len(), 2, "and let go by it");
    assert_eq!(in_use(&world), [1]);
    assert_eq!(world.memory.slots[0].members.len(), 1);
}

#[test]
fn a_device_returning_over_another_link_finds_its_slot_even_after_a_restart() {
    let mut world = World::plain();
    world.plug(node(0, "AA:BB", "1-2"));
    world.plug(node(1, "CC:DD", "1-3"));
    world.unplug(0);
    world.plug(radio(2, "AA:BB"));
    assert_eq!((in_use(&world), plays_by(&world)), (vec![1, 2], 2));
    let mut world = World::new(Settings { remembered: world.memory, cover: true, ..Settings::default() });
    world.plug(radio(0, "CC:DD"));
    world.plug(node(1, "AA:BB", "9-9"));
    assert_eq!((in_use(&world), plays_by(&world)), (vec![1, 2], 1));
    // Taken out is taken out, however it comes; and it keeps its name.
    world.command(Command::TakeOut { slot: slot(1) });
    world.unplug(1);
    world.plug(radio(5, "AA:BB"));
    assert_eq!(in_use(&world), [2]);
    world.command(Command::Nickname { device: DeviceId(0), name: "red one".into() });
    world.plug(node(6, "CC:DD", "1-1"));
    let names: Vec<&str> = world.table.devices().map(|device| device.name.as_str()).collect();
    assert_eq!(names.iter().filter(|name| **name == "red one").count(), 2, "{names:?}");
}

#[test]
fn a_cable_that_only_charges_does_not_take_over_and_gives_way() {
    let mut world = World::plain();
    world.plug(radio(0, "AA:BB"));
    world.plug(node(1, "AA:BB", "1-2"));
    // The cable streams a device at rest, the radio sends what is pressed.
    for turn in 0..30 {
        world.report(1, &[0, 128]);
        world.report(0, &[turn & 1, 128]);
        world.wait(Micros::millis(40));
        assert_eq!(plays_by(&world), 0, "{turn}");
    }
    // And the other way round: it took over, and then sends nothing more.
    world.report(1, &[1, 128]);
    world.report(0, &[1, 128]);
    looked(&mut world);
    assert_eq!(plays_by(&world), 1);
    world.report(1, &[0, 128]);
    world.report(0, &[0, 128]);
    world.wait(Micros::seconds(2));
    for _ in 0..10 {
        world.report(1, &[0, 128]);
        world.wait(Micros::millis(20));
    }
    world.report(0, &[4, 128]);
    looked(&mut world);
    assert_eq!(plays_by(&world), 0, "what is pressed there arrives");
    assert!(!world.shadows[&slot(1)].is_empty());
}

#[test]
fn a_waiting_link_is_covered_and_uncovered_with_its_slot() {
    let mut world = World::plain();
    world.plug(radio(0, "AA:BB"));
    world.plug(node(1, "AA:BB", "1-2"));
    let covered =
        |world: &World| world.table.devices().filter(|device| device.cover != crate::cover::Cover::Bare).count();
    assert_eq!(covered(&world), 2, "a game must not find the other one");
    world.command(Command::TakeOut { slot: slot(1) });
    assert_eq!((covered(&world), in_use(&world)), (0, vec![]));
    // Two serial numbers that are alike by accident are two devices, on one bus.
    let mut world = World::plain();
    world.plug(node(0, "7", "1-1"));
    let mut other = node(1, "7", "1-2");
    other.identity.product = 9;
    world.plug(other);
    assert_eq!(in_use(&world), [1, 2]);
}

#[test]
fn confirming_a_device_in_another_mode_is_remembered() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.unplug(0);
    world.plug(mode(2, "1-1"));
    assert_eq!(in_use(&world), [1, 2, 3], "nobody guesses");
    let same = Command::SameDevice { device: DeviceId(0), part: 0, slot: slot(1) };
    assert!(matches!(world.command(same.clone()), Answer::Done { .. }));
    assert_eq!((in_use(&world), plays_by(&world)), (vec![1, 2], 2));
    world.report(2, &[0, 128]);
    world.report(2, &[1, 128]);
    assert!(!world.shadows[&slot(1)].is_empty());
    // From one mode to the other and back, and over a restart, wherever it is plugged in.
    world.unplug(2);
    world.plug(node(3, "A", "1-1"));
    assert_eq!((in_use(&world), plays_by(&world)), (vec![1, 2], 3));
    world.unplug(3);
    let memory = world.memory.clone();
    assert_eq!(memory.same.len(), 1);
    let mut world = World::new(Settings { remembered: memory, cover: true, ..Settings::default() });
    world.plug(mode(4, "1-1"));
    assert_eq!((in_use(&world), plays_by(&world)), (vec![1, 2], 4));
    // It was a mistake: it is taken back.
    let Answer::Done { .. } = world.command(Command::OtherDevice { device: DeviceId(0), part: 0 }) else { panic!() };
    assert_eq!(in_use(&world), [1, 2, 3]);
    assert!(world.memory.same.is_empty());
    world.plug(node(5, "A", "1-1"));
    assert_eq!(plays_by(&world), 5, "the place has waited for the first one");
    for (command, why) in [
        (Command::OtherDevice { device: DeviceId(0), part: 0 }, "was never said"),
        (Command::SameDevice { device: DeviceId(9), part: 0, slot: slot(1) }, "no longer connected"),
        (Command::SameDevice { device: DeviceId(0), part: 0, slot: slot(8) }, "is empty"),
        (Command::SameDevice { device: DeviceId(0), part: 0, slot: slot(3) }, "already"),
    ] {
        let Answer::Refused { why: said } = world.command(command) else { panic!("{why}") };
        assert!(said.contains(why), "{said}");
    }
}

#[test]
fn undo_revokes_the_confirmation() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.unplug(0);
    world.plug(mode(1, "1-5"));
    // It has its former slot again as it was: its kind, its profile.
    world.command(Command::Kind { slot: slot(2), kind: PadKind::widest()[1].clone() });
    let profile = super::profiles::profile("aloft", Vec::new());
    world.table.handle_profiles(world.now, vec![std::sync::Arc::new(profile)], Vec::new());
    world.command(Command::PlayBy { slot: slot(2), profile: "aloft".into() });
    let kept = world.memory.slots[1].clone();
    assert_eq!((&kept.kind, kept.profile.as_str()), (&PadKind::widest()[1], "aloft"));
    let same = world.command(Command::SameDevice { device: DeviceId(0), part: 0, slot: slot(1) });
    assert_eq!(in_use(&world), [1]);
    world.undo(same);
    assert_eq!(in_use(&world), [1, 2]);
    assert!(world.memory.same.is_empty());
    assert_eq!(world.memory.slots[0].members[0].uniq, "A");
    assert_eq!(world.memory.slots[1], kept);
    assert!(world.table.seat(DeviceId(0), 0).is_some_and(|seat| seat.slot == slot(2)), "and it plays there");
}
