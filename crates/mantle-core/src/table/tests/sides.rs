//! Controllers that type and point as well: which of their interfaces are covered, and when they are given back.

use super::*;
use crate::path::StaysBare;
use crate::table::tests::moving::MOUSE;

/// A whole keyboard: sixty keys.
const WHOLE: &[u8] = &[
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x04, 0x29, 0x3f, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x3c, 0x81, 0x02, 0x75, 0x04, 0x95, 0x01, 0x81, 0x01, 0xc0,
];

/// A controller in this port, and its other interface.
fn plug(world: &mut World, first: u16, port: &str, side: &[u8]) {
    world.plug(node(first, port, port));
    let mut other = node(first + 1, port, port);
    other.descriptor = side.to_vec();
    other.identity.phys = format!("usb-{port}/input1");
    other.identity.interface = Some(1);
    world.plug(other);
}

/// What was done to covers since: the nodes that were covered together, or none if they were given back.
fn done(world: &mut World) -> Vec<Option<Vec<String>>> {
    let all = std::mem::take(&mut world.effects).into_iter().filter_map(|effect| match effect {
        Effect::Cover(plan) => Some(Some(plan.interfaces.into_iter().map(|interface| interface.node).collect())),
        Effect::Uncover(_) => Some(None),
        _ => None,
    });
    all.collect()
}

fn nodes(of: &[u16]) -> Option<Vec<String>> {
    Some(of.iter().map(|id| format!("/dev/hidraw{id}")).collect())
}

#[test]
fn a_controllers_few_keys_are_covered_with_it_and_returned_at_rest() {
    let mut world = World::plain();
    plug(&mut world, 0, "1-1", KEYBOARD);
    world.place(0, 1, "plain");
    let covered = done(&mut world);
    assert_eq!(covered.last(), Some(&nodes(&[0, 1])), "{covered:?}");
    for (rest, play) in [
        (Command::LetGo, Command::Resume),
        (Command::PauseSlot { slot: slot(1), paused: true }, Command::PauseSlot { slot: slot(1), paused: false }),
    ] {
        world.command(rest);
        assert_eq!(done(&mut world), [None], "what it types is the system's");
        world.report(0, &[1, 128]);
        world.report(0, &[0, 128]);
        assert_eq!(done(&mut world), [], "and stays so");
        world.command(play);
        assert_eq!(done(&mut world), [nodes(&[0, 1])]);
    }
}

#[test]
fn a_full_keyboard_stays_with_the_system_unless_chosen() {
    let mut world = World::plain();
    plug(&mut world, 0, "1-1", WHOLE);
    world.place(0, 1, "plain");
    assert_eq!(done(&mut world).last(), Some(&nodes(&[0])), "its controller alone");
    // It is the only one: nobody could type any more.
    let refused = world.command(Command::PassOn { device: DeviceId(0), on: false });
    assert!(matches!(refused, Answer::Refused { .. }), "{refused:?}");
    let mut keyboard = node(2, "K", "1-2");
    keyboard.descriptor = WHOLE.to_vec();
    world.plug(keyboard);
    world.command(Command::PassOn { device: DeviceId(0), on: false });
    assert_eq!(done(&mut world), [None, nodes(&[0, 1])]);
    world.command(Command::PassOn { device: DeviceId(0), on: true });
    assert_eq!(done(&mut world), [None, nodes(&[0])]);
}

#[test]
fn a_pointing_device_is_covered_while_another_points() {
    let mut world = World::plain();
    plug(&mut world, 0, "1-1", MOUSE);
    world.place(0, 1, "plain");
    assert_eq!(done(&mut world).last(), Some(&nodes(&[0])), "it is all that points");
    let mut world = World::plain();
    world.plug(NodeFacts { descriptor: MOUSE.to_vec(), ..node(2, "M", "1-2") });
    plug(&mut world, 0, "1-1", MOUSE);
    world.place(1, 1, "plain");
    assert_eq!(done(&mut world).last(), Some(&nodes(&[0, 1])));
    world.unplug(2);
    assert_eq!(done(&mut world), [None, nodes(&[0])], "the pointer comes back, the controller stays covered");
}

/// What was done to covers since, and whether the last one was to be held and not hidden.
fn held(world: &mut World) -> (Vec<bool>, Option<bool>) {
    let all = std::mem::take(&mut world.effects);
    let last = all.iter().rev().find_map(|effect| match effect {
        Effect::Cover(plan) => Some(plan.only_held),
        _ => None,
    });
    let done = all.iter().filter_map(|effect| match effect {
        Effect::Cover(_) => Some(true),
        Effect::Uncover(_) => Some(false),
        _ => None,
    });
    (done.collect(), last)
}

#[test]
fn the_only_mouse_is_grabbed_by_consent_and_returned_when_needed() {
    let mut world = World::plain();
    let mouse = |id: u16, uniq: &str| NodeFacts { descriptor: MOUSE.to_vec(), ..node(id, uniq, &format!("1-{id}")) };
    world.plug(mouse(0, "A"));
    world.place(0, 1, "plain");
    assert_eq!(held(&mut world).0, Vec::<bool>::new(), "it asks first");
    let facts = world.table.slot_facts(slot(1)).expect("in use");
    let asked = facts.members[0].anew.clone().expect("it proposes that");
    let agreed = world.command(asked.command);
    assert_eq!(held(&mut world), (vec![true], Some(true)), "held, whatever the machine offers");
    assert_eq!(world.memory.pointers.len(), 1, "it is not asked again");
    let wanted = |on: bool| (vec![on], on.then_some(true));
    for (gives, takes) in [
        (Command::HaveScreen(true), Command::HaveScreen(false)),
        (Command::PauseSlot { slot: slot(1), paused: true }, Command::PauseSlot { slot: slot(1), paused: false }),
        (
            Command::LeaveToGame { device: DeviceId(0), left: true },
            Command::LeaveToGame { device: DeviceId(0), left: false },
        ),
    ] {
        world.command(gives.clone());
        assert_eq!(held(&mut world), wanted(false), "{gives:?}");
        world.command(takes.clone());
        assert_eq!(held(&mut world), wanted(true), "{takes:?}");
    }
    // Everything released: by a key, or by the chord on the mouse itself.
    world.strength = Ok(crate::cover::Strength::Held);
    world.command(Command::HaveScreen(true));
    world.command(Command::HaveScreen(false));
    held(&mut world);
    world.command(Command::LetGo);
    assert_eq!(held(&mut world), wanted(false));
    world.command(Command::Resume);
    assert_eq!(held(&mut world), wanted(true));
    world.report(0, &[1, 0b11, 0, 0]);
    world.wait(Micros::seconds(4));
    assert_eq!(held(&mut world), wanted(false), "the chord");
    world.report(0, &[1, 0, 0, 0]);
    world.command(Command::Resume);
    assert_eq!(held(&mut world), wanted(true));
    // With another one present it is hidden like any device, and held again once that is gone.
    world.plug(mouse(1, "B"));
    assert_eq!(held(&mut world), (vec![false, true], Some(false)));
    world.unplug(1);
    assert_eq!(held(&mut world), (vec![false, true], Some(true)));
    // Taken back, it moves the pointer again.
    world.undo(agreed);
    assert_eq!(held(&mut world), wanted(false));
    assert_eq!(world.memory.pointers, []);
}

/// Whoever hid it is gone, and nobody took over: it is covered again, by whatever way there is.
#[test]
fn a_device_no_longer_hidden_is_covered_again() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.place(0, 1, "plain");
    assert_eq!(done(&mut world).last(), Some(&nodes(&[0])));
    world.strength = Ok(crate::cover::Strength::Held);
    world.table.handle_cover_again(world.now, DeviceId(0));
    world.settle();
    assert_eq!(done(&mut world), [nodes(&[0])]);
    assert_eq!(world.table.devices().next().map(|device| device.cover.words()), Some("held"));
}

/// Media keys.
const MEDIA: &[u8] = &[
    0x05, 0x0c, 0x09, 0x01, 0xa1, 0x01, 0x19, 0xb5, 0x29, 0xb8, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x04, 0x81,
    0x02, 0x95, 0x04, 0x81, 0x01, 0xc0,
];

#[test]
fn a_keyboard_with_media_keys_is_grabbed_like_a_keyboard() {
    let keyboard = |id| NodeFacts { descriptor: WHOLE.to_vec(), ..node(id, "K", "1-1") };
    let media = |id| {
        let mut media = NodeFacts { descriptor: MEDIA.to_vec(), ..node(id, "K", "1-1") };
        media.identity.phys = "usb-1-1/input1".into();
        media.identity.interface = Some(1);
        media
    };
    let mut world = World::plain();
    world.plug(keyboard(0));
    world.plug(media(1));
    world.place(0, 1, "plain");
    assert_eq!(
        done(&mut world),
        [],
        "its reports alone cannot be given on: it stays the system's, with its media keys"
    );
    let device = world.table.device(DeviceId(0)).expect("there");
    assert_eq!(world.table.stays_bare(device), Some(StaysBare::Keyboard));

    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    let by_events = NodeFacts {
        path: "/dev/input/event0".into(),
        kind: crate::device::NodeKind::Input,
        driver: crate::device::Driver::InputNode,
        ..keyboard(0)
    };
    world.plug(by_events);
    world.plug(media(1));
    world.place(0, 1, "plain");
    assert_eq!(done(&mut world).last(), Some(&Some(vec!["/dev/input/event0".to_owned()])), "the keys alone");
}
