//! Faults that once survived, and others that the table's interface invites: each is planted, and its test has to fail then, and to pass without it.

use super::first_reports::{FOUR, descriptor, plugged};
use super::*;
use crate::control::{Check, Verify, Zone};
use crate::cover::Cover;
use crate::measure::{Checksum, Width};
use crate::planted::{planted, with_planted};
use std::panic::{AssertUnwindSafe, catch_unwind};

fn covered() -> World {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    assert!(matches!(world.table.device(DeviceId(0)).expect("it is there").cover, Cover::Covered(_)));
    world.effects.clear();
    world
}

fn what_is_taken_out_is_uncovered() {
    let mut world = covered();
    world.command(Command::TakeOut { slot: slot(1) });
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))), "games do not see it any more: {:?}", world.effects);
}

fn a_twin_is_asked_about_while_another_one_is_there() {
    let mut world = World::plain();
    world.plug(node(0, "", "1-1"));
    world.plug(node(1, "", "1-2"));
    // Only the first one is remembered: the second one is taken out, and present all the same.
    world.command(Command::TakeOut { slot: slot(2) });
    world.unplug(0);
    world.plug(node(2, "", "1-9"));
    let device = world.table.source(NodeId(2)).expect("it is there").device;
    assert_eq!(world.table.seat(device, 0), None, "it could be either");
    assert_eq!(world.sentence().0, Mark::Ask);
}

fn a_report_too_short_for_its_checksum_does_not_pass() {
    let (checksum, width) = (Checksum::Sum { plus: 0 }, Width::One);
    let check = Check::of(Verify { kind: mantle_hid::ReportKind::Input, report: 0, checksum, width, at: 3, from: 0 });
    assert!(check.holds(&[1, 2, 3, 6]), "a whole one does");
    assert!(!check.holds(&[1, 2]) && !check.holds(&[1]) && !check.holds(&[]));
}

fn zones_begin_and_end_where_they_are_said_to() {
    let inside = |zone: Zone, share: f32| zone.contains(share);
    assert!(inside(Zone::Middle, 0.376) && inside(Zone::Middle, 0.624));
    assert!(!inside(Zone::Middle, 0.374) && !inside(Zone::Middle, 0.626));
    assert!(inside(Zone::LowEnd, 0.25) && !inside(Zone::LowEnd, 0.251));
    assert!(inside(Zone::HighEnd, 0.75) && !inside(Zone::HighEnd, 0.749));
}

fn a_held_device_that_goes_is_given_back() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world.effects.clear();
    world.unplug(0);
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))), "its grab would stay: {:?}", world.effects);
}

fn who_does_not_come_back_from_covering_is_gone() {
    let mut world = covered();
    world.table.devices[0].as_mut().expect("it").cover = Cover::Covering;
    world.unplug(0);
    world.table.handle_cover(world.now, DeviceId(0), Ok(Strength::Hidden));
    world.settle();
    world.wait(Micros::seconds(10));
    assert_eq!(world.table.devices().count(), 0);
    let said = std::iter::from_fn(|| world.table.poll_note()).any(|note| note.text.contains("pad is gone"));
    assert!(said, "and it is said");
}

fn nothing_is_covered_while_everything_is_let_go() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world.command(Command::LetGo);
    world.effects.clear();
    world.plug(node(1, "B", "1-2"));
    world.report(1, &[0, 128]);
    assert!(!world.effects.iter().any(|effect| matches!(effect, Effect::Cover(_))), "{:?}", world.effects);
    world.command(Command::Resume);
    assert!(world.effects.iter().any(|effect| matches!(effect, Effect::Cover(_))));
}

/// The slots whose pads are requested, while nobody makes one.
fn asked(table: &mut Table) -> Vec<u8> {
    let effects = std::iter::from_fn(|| table.poll_effect()).take(100);
    let made = effects.filter_map(|effect| match effect {
        Effect::MakePad { slot, .. } => Some(slot.number()),
        _ => None,
    });
    made.collect()
}

fn pads_are_asked_for_one_at_a_time_in_the_order_of_slots() {
    let mut world = World::plain();
    for id in 0..3 {
        world.plug(node(id, ["A", "B", "C"][usize::from(id)], &format!("1-{}", id + 1)));
    }
    let mut table = Table::new(Settings { remembered: world.memory, ..Settings::default() });
    assert_eq!(asked(&mut table), [1]);
    // One that is refused is not overtaken, since games number pads in the order in which they appear.
    table.handle_pad(Micros(1), slot(1), Err(PadFault::NoNode));
    assert_eq!(asked(&mut table), []);
    table.handle_time(Micros(1).after(crate::table::PAD_RETRY));
    assert_eq!(asked(&mut table), [1]);
    let now = Micros(2).after(crate::table::PAD_RETRY);
    table.handle_pad(now, slot(1), Ok("event1".into()));
    assert_eq!(asked(&mut table), [2]);
    table.handle_pad(now, slot(2), Ok("event2".into()));
    assert_eq!(asked(&mut table), [3]);
}

fn a_press_and_a_release_are_told_once_each() {
    let mut world = covered();
    for down in [1, 0, 1, 0] {
        world.report(0, &[down, 128]);
    }
    assert_eq!(world.shadows[&slot(1)], Shadow::new());
}

fn what_changes_a_slot_reaches_its_pad() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    for node in [0, 1] {
        world.report(node, &[0, 128]);
        world.report(node, &[1, 128]);
    }
    for number in [1, 2] {
        assert_eq!(world.shadows[&slot(number)].get(&(1, 0x130)), Some(&1), "slot {number}: {:?}", world.shadows);
    }
}

fn presses_of_late_deadlines_are_never_merged() {
    let short = crate::binding::Options { shortest: Micros::millis(30), ..Default::default() };
    let rule =
        |target, control| crate::binding::Rule { options: short.clone(), ..super::profiles::rule(target, control) };
    let mut world = super::profiles::world(vec![rule(PadTarget::South, "button 1"), rule(PadTarget::East, "button 2")]);
    for down in [1, 0, 2, 0] {
        world.report(0, &[down, 128]);
        world.wait(Micros::millis(5));
    }
    // Both are released by themselves, one after the other, long before anybody looks again.
    world.now = world.now.after(Micros::seconds(5));
    world.table.handle_time(world.now);
    let mut said = Vec::new();
    while let Some((_, _, events)) = world.table.poll_write() {
        said.push(
            events.iter().filter(|(kind, ..)| *kind == 1).map(|(_, code, value)| (code, value)).collect::<Vec<_>>(),
        );
    }
    assert_eq!(said, [[(0x130, 0)], [(0x131, 0)]]);
}

fn alarms_ring_in_time() {
    let mut world = covered();
    let rumble = world.now.after(Micros::millis(200));
    world.table.handle_rumble(world.now, slot(1), 9, 9, rumble);
    assert_eq!(world.table.deadline_of_play(), Some(rumble));
    world.settle();
    world.wait(Micros::millis(200));
    assert_eq!(world.table.slot(slot(1)).expect("in use").rumble, None);
}

fn what_is_down_at_first_does_not_count() {
    let mut world = plugged(descriptor(&FOUR, 4), "A", "1-1");
    world.report(0, &[128, 128, 128, 128, 1]);
    assert!(!world.down(1, PadTarget::South));
}

/// Each fault, by the words at its place in the code, and its test.
const FAULTS: [(&str, fn()); 16] = [
    ("what is taken out stays covered", what_is_taken_out_is_uncovered),
    ("a twin is guessed", a_twin_is_asked_about_while_another_one_is_there),
    ("a report too short for its checksum passes", a_report_too_short_for_its_checksum_does_not_pass),
    ("the middle is wider", zones_begin_and_end_where_they_are_said_to),
    ("a held device that goes stays held", a_held_device_that_goes_is_given_back),
    ("who went for its covering is waited for for ever", who_does_not_come_back_from_covering_is_gone),
    ("let go covers again", nothing_is_covered_while_everything_is_let_go),
    ("all pads are asked for at once", pads_are_asked_for_one_at_a_time_in_the_order_of_slots),
    ("what a pad was told is forgotten", a_press_and_a_release_are_told_once_each),
    ("a slot that is changed is not looked at", what_changes_a_slot_reaches_its_pad),
    ("presses of deadlines are merged", presses_of_late_deadlines_are_never_merged),
    ("an alarm rings late", alarms_ring_in_time),
    ("what is down at first counts", what_is_down_at_first_does_not_count),
    ("the road is not told who sits where", super::ties::two_devices_play_as_one_and_each_for_itself_again),
    ("what is on view is not seen anew", super::listening::what_is_on_view_is_seen_anew_after_whatever_else_went_on),
    ("a member gets another one's number", super::ties::one_of_several_goes_and_comes_back_and_the_others_play_on),
];

#[test]
fn each_planted_fault_is_caught_by_its_test() {
    let mut missed = Vec::new();
    for (fault, test) in FAULTS {
        test();
        let found = with_planted(fault, || catch_unwind(AssertUnwindSafe(test))).is_err();
        if !found {
            missed.push(fault);
        }
        assert!(!planted(fault), "it is pulled out again");
    }
    assert_eq!(missed, [""; 0], "planted and not found");
}
