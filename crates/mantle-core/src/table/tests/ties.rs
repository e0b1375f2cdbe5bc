//! Several devices as one player.

use super::*;
use crate::device::DeviceId;

/// Two pads, each in a slot of its own.
fn two() -> World {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[0, 128]);
    world.report(1, &[0, 128]);
    assert_eq!(world.used(), [1, 2]);
    world
}

fn tie(device: u16, to: u8) -> Command {
    Command::Tie { device: DeviceId(device), part: 0, slot: slot(to) }
}

#[test]
pub(super) fn two_devices_play_as_one_and_each_for_itself_again() {
    let mut world = two();
    world.report(1, &[1, 128]);
    assert!(world.down(2, PadTarget::South));
    let tied = world.command(tie(1, 1));
    assert_eq!(world.used(), [1], "the slot that it had is free");
    assert!(world.effects.iter().any(|effect| matches!(effect, Effect::DropPad { slot: gone } if *gone == slot(2))));
    assert!(!world.effects.iter().any(|effect| matches!(effect, Effect::Uncover(_))), "games do not see it meanwhile");
    assert_eq!(world.memory.slots[0].members.len(), 2, "it is remembered");
    world.report(1, &[0, 128]);
    world.report(0, &[1, 128]);
    world.report(1, &[2, 128]);
    assert!(world.down(1, PadTarget::South) && world.down(1, PadTarget::East));
    world.undo(tied);
    assert_eq!(world.used(), [1, 2]);
    assert!(world.down(1, PadTarget::South) && !world.down(1, PadTarget::East), "what it held there is let go");
    world.report(1, &[0, 128]);
    world.report(1, &[2, 128]);
    assert!(world.down(2, PadTarget::East) && !world.down(1, PadTarget::East));
}

#[test]
pub(super) fn one_of_several_goes_and_comes_back_and_the_others_play_on() {
    let mut world = two();
    world.plug(node(2, "C", "1-3"));
    world.report(2, &[0, 128]);
    world.command(tie(1, 1));
    world.command(tie(2, 1));
    world.report(2, &[4, 128]);
    assert!(world.down(1, PadTarget::West));
    // The middle one: those after it move up, and keep their numbers.
    let last = member(&world, 1, 2);
    let parted = world.command(Command::Untie { slot: slot(1), member: member(&world, 1, 1), back: None });
    let bare = |effect: &Effect| matches!(effect, Effect::Uncover(device) if *device == DeviceId(1));
    assert!(world.effects.iter().any(bare), "who sits nowhere is not hidden");
    assert!(world.down(1, PadTarget::West), "the other one is held on");
    assert_eq!(member(&world, 1, 1), last);
    world.report(1, &[2, 128]);
    assert!(!world.down(1, PadTarget::East), "it plays no more");
    world.report(2, &[0, 128]);
    world.report(2, &[8, 128]);
    assert!(world.down(1, PadTarget::North) && !world.down(1, PadTarget::West));
    world.undo(parted);
    world.report(1, &[0, 128]);
    world.report(1, &[2, 128]);
    assert!(world.down(1, PadTarget::East) && world.down(1, PadTarget::North));
    // One that is away can be separated as well, and does not come back by itself.
    world.unplug(2);
    let away = world.command(Command::Untie { slot: slot(1), member: member(&world, 1, 1), back: None });
    world.plug(node(2, "C", "1-3"));
    world.report(2, &[4, 128]);
    assert!(!world.down(1, PadTarget::West) && world.used() == [1]);
    world.undo(away);
    world.report(2, &[0, 128]);
    world.report(2, &[4, 128]);
    assert!(world.down(1, PadTarget::West));
}

#[test]
fn tied_devices_return_to_their_player_after_restart_and_reconnect() {
    let mut world = two();
    world.command(tie(1, 1));
    world.unplug(1);
    world.plug(node(1, "B", "1-4"));
    assert_eq!(world.used(), [1]);
    let remembered = world.memory.clone();
    let mut world = World::new(Settings { remembered, ..Settings::default() });
    world.plug(node(0, "B", "1-9"));
    world.plug(node(1, "A", "1-1"));
    assert_eq!(world.used(), [1]);
    world.report(0, &[0, 128]);
    world.report(0, &[2, 128]);
    assert!(world.down(1, PadTarget::East));
}

#[test]
fn impossible_ties_are_reported() {
    let mut world = two();
    let why = |world: &mut World, command: Command| match world.command(command) {
        Answer::Refused { why } => why,
        done => panic!("{done:?}"),
    };
    assert!(why(&mut world, tie(0, 1)).contains("already plays in slot 1"));
    assert!(why(&mut world, tie(0, 5)).contains("is empty"));
    assert!(why(&mut world, tie(7, 1)).contains("no longer connected"));
    let alone = Command::Untie { slot: slot(1), member: member(&world, 1, 0), back: None };
    assert!(why(&mut world, alone).contains("take it out instead"));
    let nobody = Command::Untie { slot: slot(1), member: member(&world, 1, 3), back: None };
    assert!(why(&mut world, nobody).contains("no such device"));
}

/// Everything is released: whoever is tied to a player that rests, rests too.
#[test]
fn a_device_tied_to_a_paused_player_is_paused() {
    let mut world = two();
    world.command(Command::PauseSlot { slot: slot(1), paused: true });
    world.command(tie(1, 1));
    world.report(1, &[2, 128]);
    assert_eq!(world.pad(1), PadState::default());
    world.command(Command::PauseSlot { slot: slot(1), paused: false });
    world.report(1, &[0, 128]);
    world.report(1, &[2, 128]);
    assert!(world.down(1, PadTarget::East));
}

/// A game pad of five buttons and one stick of 8 bits an axis.
const HALF: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x05, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x05, 0x81, 0x02, 0x95, 0x03, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95,
    0x02, 0x81, 0x02, 0xc0,
];

#[test]
fn two_half_pads_share_the_guess_in_any_order_of_arrival() {
    let half = |id: u16, uniq: &str| NodeFacts { descriptor: HALF.to_vec(), ..node(id, uniq, &format!("1-{id}")) };
    let rest = [0, 128, 128];
    // The stick to the right, and the first button.
    let held = [1, 255, 128];
    let codes = |world: &World| world.shadows[&slot(1)].keys().map(|(_, code)| *code).collect::<Vec<_>>();
    let (left, right) = (vec![0x130, 0x00], vec![0x11, 0x03]);
    let plays = |world: &mut World, id: u16, wanted: &[u16]| {
        world.report(id, &rest);
        world.report(id, &held);
        let mut shown = codes(world);
        let mut wanted = wanted.to_vec();
        shown.sort_unstable();
        wanted.sort_unstable();
        assert_eq!(shown, wanted, "node {id}");
        world.report(id, &rest);
    };
    let mut world = World::plain();
    world.plug(half(0, "A"));
    world.plug(half(1, "B"));
    world.command(Command::Tie { device: DeviceId(1), part: 0, slot: slot(1) });
    plays(&mut world, 0, &left);
    plays(&mut world, 1, &right);
    // The second comes first after a restart: as soon as the first is here, each has its own hand.
    let mut world = World::new(Settings { remembered: world.memory, cover: true, ..Settings::default() });
    world.plug(half(1, "B"));
    plays(&mut world, 1, &left);
    world.plug(half(0, "A"));
    plays(&mut world, 0, &left);
    plays(&mut world, 1, &right);
    // One goes, and the other one keeps its hand; separated, each plays all default bindings again.
    world.unplug(0);
    plays(&mut world, 1, &right);
    world.plug(half(0, "A"));
    let first = member(&world, 1, 0);
    world.command(Command::Untie { slot: slot(1), member: first, back: None });
    plays(&mut world, 1, &left);
}
