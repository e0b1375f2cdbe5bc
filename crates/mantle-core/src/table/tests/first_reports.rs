//! What counts at the first report, and what is learnt from it.

use super::*;
use crate::session::{AT_ONCE, STANDS};

/// Items of the short form.
pub(super) fn descriptor(axes: &[u8], buttons: u8) -> Vec<u8> {
    let mut out = vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01];
    for usage in axes {
        out.extend([0x09, *usage]);
    }
    out.extend([0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, axes.len() as u8, 0x81, 0x02]);
    out.extend([0x05, 0x09, 0x19, 0x01, 0x29, buttons, 0x25, 0x01, 0x75, 0x01, 0x95, buttons, 0x81, 0x02]);
    if !buttons.is_multiple_of(8) {
        out.extend([0x75, 8 - buttons % 8, 0x95, 0x01, 0x81, 0x01]);
    }
    out.push(0xc0);
    out
}

const SIX_BY_RX: [u8; 6] = [0x30, 0x31, 0x33, 0x34, 0x32, 0x35];
const SIX_BY_Z: [u8; 6] = [0x30, 0x31, 0x32, 0x35, 0x33, 0x34];
pub(super) const FOUR: [u8; 4] = [0x30, 0x31, 0x32, 0x35];

/// A device that has just been opened, and has sent nothing yet.
pub(super) fn plugged(descriptor: Vec<u8>, serial: &str, port: &str) -> World {
    let mut world = World::plain();
    world.plug_at_once(NodeFacts { descriptor, ..node(0, serial, port) });
    world
}

fn axes(world: &World) -> [i32; 6] {
    world.pad(1).axes
}

#[test]
fn a_button_that_is_down_on_arrival_counts_after_its_release() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(!world.down(1, PadTarget::South));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Doubt, "{text}");
    assert!(text.contains("button 1 of pad was down when it was connected: release it"), "{text}");
    world.report(0, &[128, 128, 128, 128, 3]);
    assert!(world.down(1, PadTarget::East) && !world.down(1, PadTarget::South), "the others count");
    world.report(0, &[128, 128, 128, 128, 0]);
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(world.down(1, PadTarget::South));
    assert!(!world.sentence().1.contains("was down"), "{}", world.sentence().1);
}

#[test]
fn a_first_report_long_after_opening_is_a_change() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.wait(AT_ONCE.after(Micros::millis(5)));
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(world.down(1, PadTarget::South), "a silent device's first press");
    // The same after a reconnect: what is held while it is plugged in does not count, a first press later does.
    world.unplug(0);
    world.plug_at_once(NodeFacts { descriptor: descriptor(&FOUR, 4), ..node(0, "A", "1-1") });
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(!world.down(1, PadTarget::South));
    world.unplug(0);
    world.plug_at_once(NodeFacts { descriptor: descriptor(&FOUR, 4), ..node(0, "A", "1-1") });
    world.wait(AT_ONCE.after(Micros::millis(5)));
    world.report(0, &[255, 128, 128, 128, 1]);
    assert!(world.down(1, PadTarget::South) && axes(&world)[0] == 32_767);
}

#[test]
fn a_trigger_pulled_on_arrival_counts_after_its_release() {
    let mut world = plugged(descriptor(&SIX_BY_RX, 4), "A", "1-1");
    world.report(0, &[128, 128, 128, 128, 200, 0, 0]);
    assert_eq!(axes(&world)[4], 0);
    assert!(world.sentence().1.contains("Z of pad was down"), "{}", world.sentence().1);
    world.report(0, &[128, 128, 128, 128, 255, 255, 0]);
    assert_eq!((axes(&world)[4], axes(&world)[5]), (0, 255));
    world.report(0, &[128, 128, 128, 128, 30, 255, 0]);
    world.report(0, &[128, 128, 128, 128, 255, 255, 0]);
    assert_eq!(axes(&world)[4], 255);
    let mut late = plugged(descriptor(&SIX_BY_RX, 4), "A", "1-1");
    late.wait(AT_ONCE.after(Micros::millis(5)));
    late.report(0, &[128, 128, 128, 128, 200, 0, 0]);
    assert!(axes(&late)[4] > 150, "{:?}", axes(&late));
}

#[test]
fn a_stick_plays_at_once_even_off_centre() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[255, 128, 128, 128, 0]);
    assert_eq!(axes(&world)[0], 32_767);
    world.report(0, &[128, 128, 128, 128, 0]);
    assert_eq!(axes(&world)[0], 0);
}

/// A stick at its end in every report.
fn stands(world: &mut World, seconds: u64, apart: Micros, buttons: impl Fn(u64) -> u8) {
    let steps = Micros::seconds(seconds).0 / apart.0;
    for step in 0..=steps {
        world.now = world.now.after(Micros(apart.0 - 1000));
        world.report(0, &[255, 128, 128, 128, buttons(step)]);
    }
}

#[test]
fn a_stick_held_at_its_end_for_long_waits_until_it_is_centred() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    stands(&mut world, 9, Micros::millis(100), |_| 0);
    assert_eq!(axes(&world)[0], 32_767, "nine seconds are not ten");
    stands(&mut world, 2, Micros::millis(100), |_| 0);
    assert_eq!(axes(&world)[0], 0);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Doubt);
    assert!(text.contains("X of pad has been at an end since it was connected"), "{text}");
    world.report(0, &[128, 128, 128, 128, 0]);
    world.report(0, &[255, 128, 128, 128, 0]);
    assert_eq!(axes(&world)[0], 32_767, "it has been seen in the middle");
    stands(&mut world, 12, Micros::millis(100), |_| 0);
    assert_eq!(axes(&world)[0], 32_767, "and is never held back again");
}

#[test]
fn a_stick_is_held_back_briefly_only_if_other_controls_change() {
    let mut quiet = plugged(descriptor(&FOUR, 4), "A", "1-1");
    stands(&mut quiet, 14, Micros::seconds(1), |_| 0);
    assert_eq!(axes(&quiet)[0], 32_767, "fifteen reports, and nothing else");
    let mut busy = plugged(descriptor(&FOUR, 4), "A", "1-1");
    stands(&mut busy, 14, Micros::seconds(1), |step| 1 << (step % 3));
    assert_eq!(axes(&busy)[0], 0, "three buttons have been pressed meanwhile");
}

#[test]
fn our_own_rebind_does_not_make_a_device_new() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Hidden);
    let facts = || NodeFacts { descriptor: descriptor(&FOUR, 4), ..node(0, "A", "1-1") };
    world.now.0 += 1000;
    world.table.handle_arrived(world.now, facts());
    // Open, with its pad made; covering is under way.
    let mut covering = None;
    while let Some(effect) = world.table.poll_effect() {
        match effect {
            Effect::Open(node) => world.table.handle_opened(world.now, node, Ok(())),
            Effect::MakePad { slot, .. } => {
                world.shadows.insert(slot, Default::default());
                world.table.handle_pad(world.now, slot, Ok("event9".into()));
            }
            Effect::Cover(plan) => covering = Some(plan.device),
            _ => {}
        }
    }
    let device = covering.expect("what plays is covered");
    world.now = world.now.after(Micros::millis(1_500));
    world.table.handle_gone(world.now, NodeId(0));
    let (_, text) = world.sentence();
    assert!(!text.contains("stops"), "away for its covering it is the same device still: {text}");
    world.table.handle_arrived(world.now.after(Micros::millis(20)), facts());
    world.table.handle_cover(world.now.after(Micros::millis(30)), device, Ok(Strength::Hidden));
    world.now = world.now.after(Micros::millis(30));
    world.settle();
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(world.down(1, PadTarget::South), "it was opened more than a second ago");
}

#[test]
fn axes_that_rest_at_their_ends_are_triggers() {
    for (axes_of, rest, pulled) in [
        // Rx and Ry rest at their lower ends: the right stick is Z and Rz.
        (&SIX_BY_RX[..], vec![128, 128, 0, 0, 128, 128, 0], vec![128, 128, 255, 0, 128, 255, 0]),
        (&SIX_BY_Z[..], vec![128, 128, 0, 0, 128, 128, 0], vec![128, 128, 255, 0, 128, 255, 0]),
    ] {
        let mut world = plugged(descriptor(axes_of, 4), "A", "1-1");
        world.report(0, &rest);
        assert_eq!(axes(&world), [0; 6], "at rest nothing is held");
        world.report(0, &pulled);
        assert_eq!(axes(&world), [0, 0, 0, 32_767, 255, 0], "{axes_of:x?}");
    }
    let mut four = plugged(descriptor(&FOUR, 8), "A", "1-1");
    four.report(0, &[128, 128, 0, 0, 0]);
    assert_eq!(axes(&four), [0; 6]);
    four.report(0, &[128, 128, 255, 0, 0]);
    assert_eq!(axes(&four), [0, 0, 0, 0, 255, 0]);
    four.report(0, &[128, 128, 0, 0, 1 << 6]);
    assert_eq!(axes(&four)[4], 255, "what buttons do does not change by it");
}

#[test]
fn axes_seen_at_their_centre_become_a_stick() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[128, 128, 0, 255, 0]);
    world.report(0, &[128, 128, 128, 128, 0]);
    world.report(0, &[128, 128, 255, 128, 0]);
    assert_eq!(axes(&world), [0, 0, 32_767, 0, 0, 0]);
    // With another stick away from its middle, somebody's hands are on it.
    let mut hands = plugged(descriptor(&FOUR, 4), "A", "1-1");
    hands.report(0, &[0, 128, 0, 0, 0]);
    hands.report(0, &[128, 128, 255, 128, 0]);
    assert_eq!(axes(&hands), [0, 0, 32_767, 0, 0, 0]);
}

#[test]
fn a_rest_held_for_ten_seconds_is_saved_with_the_device() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[128, 128, 0, 0, 0]);
    assert_eq!(world.memory.triggers_turned, []);
    world.now = world.now.after(STANDS);
    world.report(0, &[128, 128, 10, 0, 0]);
    assert_eq!(world.memory.triggers_turned.len(), 1);
    let memory = world.memory.clone();
    // After a restart, with a stick in hand and at another port, it is still known.
    let mut world = World::new(Settings { remembered: memory, ..Settings::default() });
    world.plug_at_once(NodeFacts { descriptor: descriptor(&FOUR, 4), ..node(0, "A", "1-7") });
    world.report(0, &[0, 128, 0, 0, 0]);
    world.report(0, &[128, 128, 128, 0, 0]);
    assert_eq!(axes(&world)[2], 0);
    assert!((120..=135).contains(&axes(&world)[4]), "{:?}", axes(&world));
}

#[test]
fn triggers_that_start_pulled_count_after_their_release() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[128, 128, 255, 255, 0]);
    assert_eq!(axes(&world), [0; 6], "nothing is held down");
    world.report(0, &[128, 128, 10, 255, 0]);
    world.report(0, &[128, 128, 255, 255, 0]);
    assert_eq!((axes(&world)[4], axes(&world)[5]), (255, 0));
}

/// A hat of 0 to 8.
const HAT_OF_NINE: &[u8] =
    &[0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x08, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0xc0];

#[test]
fn a_nine_value_hat_is_centred_at_its_first_report() {
    for (rest, up, left) in [(8u8, 0u8, 6u8), (0, 1, 7)] {
        let mut world = plugged(HAT_OF_NINE.to_vec(), "A", "1-1");
        world.report(0, &[rest]);
        assert_eq!(world.pad(1), PadState::default(), "it rests at {rest}");
        world.report(0, &[up]);
        assert!(world.down(1, PadTarget::Up) && !world.down(1, PadTarget::Right), "{up} is up");
        world.report(0, &[left]);
        assert!(world.down(1, PadTarget::Left) && !world.down(1, PadTarget::Up), "{left} is left");
        world.report(0, &[rest]);
        assert_eq!(world.pad(1), PadState::default());
    }
}
