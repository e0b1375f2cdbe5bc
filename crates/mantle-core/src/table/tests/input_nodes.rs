//! Keyboards and mice that are read as input nodes: held, and what nothing uses of them passed on.

use super::*;
use crate::cover::{Cover, CoverPlan};
use crate::device::{DeviceId, Driver, NodeId, NodeKind};
use crate::path::StaysBare;

fn keyboard(id: u16, port: &str) -> NodeFacts {
    let mut keyboard = node(id, "", port);
    keyboard.path = format!("/dev/input/event{id}");
    (keyboard.kind, keyboard.driver) = (NodeKind::Input, Driver::InputNode);
    keyboard.descriptor = KEYBOARD.to_vec();
    keyboard
}

fn last_cover(world: &World) -> &CoverPlan {
    let mut plans = world.effects.iter().filter_map(|effect| match effect {
        Effect::Cover(plan) => Some(plan),
        _ => None,
    });
    plans.next_back().expect("it is held")
}

#[test]
fn a_playing_keyboard_is_grabbed_and_passes_unused_keys_on() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(keyboard(0, "1-1"));
    assert!(world.effects.iter().all(|effect| !matches!(effect, Effect::Cover(_))), "it plays nothing yet");
    world.place(0, 1, "plain");
    assert!(last_cover(&world).holds());
    assert_eq!(last_cover(&world).interfaces[0].pass.as_deref(), Some(&[][..]), "it plays nothing: all goes on");
    let device = world.table.device(DeviceId(0)).expect("there");
    assert_eq!(world.table.passes(device), Some(true));
    assert_eq!(device.cover, Cover::Covered(Strength::Held));
}

#[test]
fn a_mouse_passes_on_everything_unbound() {
    // Two buttons, of which the first is South and the second East, and motion.
    let mut mouse = keyboard(0, "1-1");
    mouse.descriptor = vec![
        0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x02, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
        0x95, 0x02, 0x81, 0x02, 0x75, 0x06, 0x95, 0x01, 0x81, 0x03, 0x05, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f,
        0x75, 0x08, 0x95, 0x01, 0x81, 0x06, 0xc0,
    ];
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(mouse.clone());
    world.place(0, 1, "plain");
    // It is the only one, so somebody has to agree.
    assert!(world.effects.iter().all(|effect| !matches!(effect, Effect::Cover(_))), "it points");
    let device = world.table.device(DeviceId(0)).expect("there");
    assert_eq!(world.table.stays_bare(device), Some(StaysBare::LastMouse));
    world.command(Command::TakePointer { device: DeviceId(0), taken: true });
    let used = last_cover(&world).interfaces[0].pass.clone().expect("the rest goes on");
    assert_eq!(used, [mantle_hid::Usage(0x0009_0001), mantle_hid::Usage(0x0009_0002)]);
    // Beside another one nobody is asked.
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(NodeFacts {
        path: "/dev/input/event1".into(),
        id: NodeId(1),
        identity: node(1, "", "1-2").identity,
        ..mouse.clone()
    });
    world.plug(mouse);
    world.place(0, 1, "plain");
    assert!(last_cover(&world).holds() && !last_cover(&world).only_held);
}

#[test]
fn the_only_keyboard_keeps_passing_on() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(keyboard(0, "1-1"));
    world.place(0, 1, "plain");
    let off = || Command::PassOn { device: DeviceId(0), on: false };
    let Answer::Refused { why, .. } = world.command(off()) else { panic!("nobody could type any more") };
    assert!(why.contains("only keyboard"), "{why}");
    world.plug(keyboard(1, "1-2"));
    let answer = world.command(off());
    assert_eq!(last_cover(&world).interfaces[0].pass, None);
    let uncovered = world.effects.iter().filter(|effect| matches!(effect, Effect::Uncover(_))).count();
    assert_eq!(uncovered, 1, "it is held anew");
    world.undo(answer);
    assert!(last_cover(&world).interfaces[0].pass.is_some());
    // A pad has nothing to pass on.
    world.plug(node(2, "A", "1-3"));
    assert!(matches!(world.command(Command::PassOn { device: DeviceId(2), on: true }), Answer::Refused { .. }));
}
