//! How long slots wait, what sleep does to what is held, and the person's own limits.

use super::*;
use crate::front::Front;
use crate::path::Limits;
use crate::preferences::Preferences;

const DAY: u64 = 86_400;
/// When the stamps began, in seconds.
const BEGAN: u64 = 1_790_000_000;

fn kept_for(days: u64) -> Preferences {
    Preferences { kept: Some(Micros::seconds(days * DAY)), ..Preferences::default() }
}

fn world(remembered: crate::slot::Remembered, preferences: Preferences, began: u64) -> World {
    World::new(Settings { remembered, cover: true, preferences, began: Some(began), ..Settings::default() })
}

fn in_use(world: &World) -> Vec<u8> {
    world.table.slots().map(|(number, _)| number.number()).collect()
}

#[test]
fn a_slot_waits_the_set_time_even_over_restarts() {
    let mut one = world(Default::default(), kept_for(2), BEGAN);
    one.plug(node(0, "A", "1-1"));
    one.plug(node(1, "B", "1-2"));
    one.wait(Micros::seconds(3 * DAY));
    assert_eq!(in_use(&one), [1, 2], "whoever is here loses nothing");
    one.unplug(0);
    one.unplug(1);
    one.wait(Micros::seconds(DAY));
    one.plug(node(2, "B", "1-2"));
    let gone = one.memory.slots[0].away_since.expect("it is written down");
    assert_eq!((gone - BEGAN) / 60, 3 * DAY / 60);
    assert_eq!(one.memory.slots[1].away_since, None);
    // The program is away for half a day, and so is slot 2's device.
    let began = BEGAN + 4 * DAY + DAY / 2;
    let mut two = world(one.memory, kept_for(2), began);
    assert_eq!(in_use(&two), [1, 2]);
    two.plug(node(0, "B", "1-2"));
    two.wait(Micros::seconds(DAY / 2 - 60));
    assert_eq!(in_use(&two), [1, 2]);
    two.wait(Micros::seconds(120));
    assert_eq!(in_use(&two), [2], "its two days are over");
    assert!(two.effects.iter().any(|effect| matches!(effect, Effect::DropPad { slot } if slot.number() == 1)));
    assert_eq!(two.memory.slots.len(), 1, "and it is so after a restart");
    assert!(two.memory.taken_out.is_empty(), "it may come again");
    two.plug(node(1, "A", "1-1"));
    assert_eq!(in_use(&two), [1, 2]);
}

#[test]
fn overdue_slots_are_freed_at_start_and_permanent_ones_stay() {
    let mut one = world(Default::default(), kept_for(1), BEGAN);
    one.plug(node(0, "A", "1-1"));
    one.unplug(0);
    let memory = one.memory;
    let mut late = world(memory.clone(), kept_for(1), BEGAN + 9 * DAY);
    late.wait(Micros::seconds(1));
    assert_eq!(in_use(&late), [] as [u8; 0]);
    let mut for_good = world(memory.clone(), Preferences::default(), BEGAN + 9 * DAY);
    for_good.wait(Micros::seconds(400 * DAY));
    assert_eq!(in_use(&for_good), [1]);
    // It is set during a run: the time counts from when its device went.
    for_good.table.handle_preferences(for_good.now, Ok(kept_for(1000)));
    for_good.settle();
    for_good.wait(Micros::seconds(1));
    assert_eq!(in_use(&for_good), [1]);
    for_good.table.handle_preferences(for_good.now, Ok(kept_for(100)));
    for_good.settle();
    for_good.wait(Micros::seconds(1));
    assert_eq!(in_use(&for_good), [] as [u8; 0]);
    // A clock that was set back takes nothing away.
    let mut back = world(memory, kept_for(1), BEGAN - 99 * DAY);
    back.wait(Micros::seconds(DAY - 10));
    assert_eq!(in_use(&back), [1]);
}

#[test]
fn a_settings_fault_is_reported_and_changes_nothing() {
    let mut world = world(Default::default(), kept_for(1), BEGAN);
    let notices = |world: &World| world.table.table_facts().notices;
    world.table.handle_preferences(world.now, Err(vec!["settings.toml, line 3: so not".into()]));
    assert_eq!(notices(&world), ["settings.toml, line 3: so not"]);
    assert_eq!(world.table.preferences(), &kept_for(1));
    world.table.handle_preferences(world.now, Ok(Preferences::default()));
    assert!(notices(&world).is_empty());
    assert_eq!(world.table.preferences(), &Preferences::default());
}

#[test]
fn pads_rest_before_sleep_and_held_controls_need_a_fresh_press() {
    for told_before in [true, false] {
        let mut world = World::plain();
        world.plug(node(0, "A", "1-1"));
        world.report(0, &[1, 128]);
        assert!(!world.shadows[&slot(1)].is_empty());
        if told_before {
            world.table.handle_sleep(world.now, true);
            world.settle();
            assert!(world.shadows[&slot(1)].is_empty(), "it sleeps with a button down");
            world.report(0, &[3, 128]);
            assert!(world.shadows[&slot(1)].is_empty(), "nothing plays while it falls asleep");
        }
        // It was released while nobody could see it, or it is still held: neither plays before a fresh press.
        world.wait(Micros::seconds(1));
        world.table.handle_sleep(world.now, false);
        world.settle();
        assert!(world.shadows[&slot(1)].is_empty());
        let held = if told_before { 3 } else { 1 };
        world.report(0, &[held, 128]);
        assert!(world.shadows[&slot(1)].is_empty(), "what is held does not count");
        world.report(0, &[0, 128]);
        world.report(0, &[1, 128]);
        assert!(!world.shadows[&slot(1)].is_empty(), "a fresh press does");
        // The waking is reported a second time, by the clocks: nobody who is already playing is disturbed.
        world.table.handle_sleep(world.now, false);
        world.settle();
        assert!(!world.shadows[&slot(1)].is_empty());
    }
}

#[test]
fn slots_created_during_sleep_rest_and_another_session_does_not_wake_them() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.table.handle_front(world.now, Front::OtherSession);
    world.table.handle_sleep(world.now, true);
    world.table.handle_front(world.now, Front::Ours);
    world.settle();
    world.report(0, &[1, 128]);
    assert!(world.shadows.get(&slot(1)).is_none_or(Shadow::is_empty), "it sleeps still");
    world.report(0, &[0, 128]);
    world.table.handle_front(world.now, Front::OtherSession);
    world.table.handle_sleep(world.now, false);
    world.settle();
    world.report(0, &[1, 128]);
    assert!(world.shadows.get(&slot(1)).is_none_or(Shadow::is_empty), "another session is in front still");
    world.report(0, &[0, 128]);
    world.table.handle_front(world.now, Front::Ours);
    world.settle();
    world.report(0, &[1, 128]);
    assert!(!world.shadows[&slot(1)].is_empty());
}

/// A device that sends only changes says nothing about a button that is up: its first press counts all the same.
#[test]
fn the_first_press_after_a_rest_counts_and_held_controls_do_not() {
    let ends: [fn(&mut World); 5] = [
        |world| {
            world.command(Command::LetGo);
            world.command(Command::Resume);
        },
        |world| {
            for paused in [true, false] {
                world.command(Command::PauseSlot { slot: slot(1), paused });
            }
        },
        |world| {
            world.table.handle_front(world.now, Front::OtherSession);
            world.settle();
            world.table.handle_front(world.now, Front::Ours);
        },
        |world| {
            world.table.handle_sleep(world.now, true);
            world.settle();
            world.table.handle_sleep(world.now, false);
        },
        |world| {
            for (from, to) in [(1, 2), (2, 1)] {
                world.command(Command::Move { from: slot(from), to: slot(to) });
            }
        },
    ];
    for (at, rest) in ends.into_iter().enumerate() {
        for held in [false, true] {
            let mut world = World::plain();
            world.plug(node(0, "A", "1-1"));
            world.report(0, &[1, 128]);
            world.report(0, &[u8::from(held), 128]);
            rest(&mut world);
            world.settle();
            let up = |world: &World| world.shadows.get(&slot(1)).is_none_or(Shadow::is_empty);
            assert!(up(&world), "{at}: it rested");
            world.report(0, &[u8::from(held) | 2, 128]);
            assert_eq!(world.shadows[&slot(1)].len(), 1, "{at}: the press after it, and nothing that was held");
        }
    }
}

#[test]
fn delay_and_battery_limits_follow_the_settings() {
    let said = |delay: u64, battery: f32| {
        let limits = Limits { delay: Micros::millis(delay), battery, ..Limits::default() };
        let mut world = world(Default::default(), Preferences { limits, ..Preferences::default() }, BEGAN);
        world.plug(node(0, "A", "1-1"));
        for turn in 0..200 {
            world.report(0, &[u8::from(turn == 0), 128]);
            world.wait(Micros::millis(40));
        }
        let facts = world.table.slot_facts(slot(1)).expect("it is in use");
        assert!((facts.limits.battery - battery).abs() < 1e-6);
        sentences(&[facts], &world.table.table_facts()).iter().any(|sentence| sentence.word == "slow")
    };
    assert!(!said(100, 0.2), "25 a second are enough for most");
    assert!(said(20, 0.5), "and too few for whoever wants one every 20 ms");
}
