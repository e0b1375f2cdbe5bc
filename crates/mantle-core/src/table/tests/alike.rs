//! Devices of one model: who is who when they come back, and who is taken out wherever it is plugged in.

use super::*;

fn seat(world: &World, id: u16) -> Option<u8> {
    let source = world.table.source(NodeId(id)).expect("it is there");
    let device = world.table.device(source.device).expect("it is");
    world.table.seat(device.id, device.parts[0].number).map(|seat| seat.slot.number())
}

#[test]
fn taken_out_stays_out_at_any_port() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.command(Command::TakeOut { slot: slot(1) });
    world.unplug(0);
    world.plug(node(0, "A", "1-7"));
    assert_eq!(world.used(), [0u8; 0], "its serial number says who it is");
    world.plug(node(1, "B", "1-1"));
    assert_eq!(seat(&world, 1), Some(1), "another one at its old port is another one");
    // Placed by the person, it is no longer taken out, wherever it was before.
    world.place(0, 2, "plain");
    world.unplug(0);
    world.plug(node(0, "A", "1-3"));
    assert_eq!(seat(&world, 0), Some(2));
    assert_eq!(world.memory.taken_out, []);
}

#[test]
fn left_to_the_game_stays_left_at_any_port() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.command(Command::LeaveToGame { device: DeviceId(0), left: true });
    world.unplug(0);
    world.plug(node(0, "A", "1-7"));
    assert_eq!(world.table.devices().next().expect("it").cover, crate::cover::Cover::LeftToGame);
    world.command(Command::LeaveToGame { device: DeviceId(0), left: false });
    assert_eq!(world.memory.left_to_game, []);
}

#[test]
fn a_serial_once_shared_is_ignored_even_after_a_restart() {
    // In whichever order they come back, each at its port.
    for order in [[0u16, 1], [1, 0]] {
        let mut world = World::plain();
        world.plug(node(0, "0000", "1-1"));
        world.plug(node(1, "0000", "1-2"));
        assert_eq!((seat(&world, 0), seat(&world, 1)), (Some(1), Some(2)));
        assert_eq!(world.memory.shared_serials.len(), 1);
        world.unplug(0);
        world.unplug(1);
        for id in order {
            world.plug(node(id, "0000", &format!("1-{}", id + 1)));
        }
        assert_eq!((seat(&world, 0), seat(&world, 1)), (Some(1), Some(2)), "{order:?}");
        let mut again = World::new(Settings { remembered: world.memory.clone(), ..Settings::default() });
        for id in order {
            again.plug(node(id, "0000", &format!("1-{}", id + 1)));
        }
        assert_eq!((seat(&again, 0), seat(&again, 1)), (Some(1), Some(2)), "{order:?} after a restart");
    }
}

#[test]
fn a_device_with_a_shared_serial_at_a_new_port_raises_a_question() {
    let mut world = World::plain();
    world.plug(node(0, "0000", "1-1"));
    world.plug(node(1, "0000", "1-2"));
    world.unplug(0);
    world.unplug(1);
    world.plug(node(1, "0000", "1-9"));
    assert_eq!(seat(&world, 1), None);
    assert_eq!(world.sentence().0, Mark::Ask);
}

#[test]
fn two_devices_without_serials_at_new_ports_both_raise_a_question() {
    let mut world = World::plain();
    world.plug(node(0, "", "1-1"));
    world.plug(node(1, "", "1-2"));
    world.unplug(0);
    world.unplug(1);
    world.plug(node(0, "", "1-5"));
    world.plug(node(1, "", "1-6"));
    assert_eq!((seat(&world, 0), seat(&world, 1)), (None, None), "neither gets a new slot silently");
    assert_eq!(world.used(), [1, 2]);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Ask);
    assert!(text.contains("slot 1"), "{text}");
    world.report(0, &[0, 128]);
    world.report(1, &[0, 128]);
    // The second one is the one for slot 1, so the first one can only be the one for slot 2.
    world.report(1, &[1, 128]);
    assert_eq!((seat(&world, 1), seat(&world, 0)), (Some(1), Some(2)));
    assert_ne!(world.sentence().0, Mark::Ask);
    world.report(0, &[2, 128]);
    assert!(world.down(2, PadTarget::East));
}

#[test]
fn three_identical_devices_raise_one_question_at_a_time() {
    let mut world = World::plain();
    for id in 0..3 {
        world.plug(node(id, "", &format!("1-{}", id + 1)));
    }
    for id in 0..3 {
        world.unplug(id);
    }
    for id in 0..3 {
        world.plug(node(id, "", &format!("2-{}", id + 1)));
        world.report(id, &[0, 128]);
    }
    world.report(2, &[1, 128]);
    assert_eq!((seat(&world, 2), seat(&world, 0), seat(&world, 1)), (Some(1), None, None));
    assert!(world.sentence().1.contains("slot 2"), "{}", world.sentence().1);
    world.report(0, &[1, 128]);
    assert_eq!((seat(&world, 0), seat(&world, 1)), (Some(2), Some(3)));
}
