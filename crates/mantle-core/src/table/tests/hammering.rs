//! What is pressed repeatedly, or in a row, while something is held: by the events that are written.

use super::profiles::{rule, world};
use super::*;
use crate::binding::{Options, Rule};

fn hammered(options: Options) -> World {
    world(vec![Rule { options, ..rule(PadTarget::South, "button 1") }])
}

fn again() -> Options {
    Options { again: Some(10.0), ..Options::default() }
}

/// The presses and releases of South that are written within a time, each with its moment.
fn written(world: &mut World, span: Micros) -> Vec<(u64, i32)> {
    let (from, until) = (world.now, world.now.after(span));
    let mut out = Vec::new();
    while let Some(due) = world.table.deadline().filter(|due| *due <= until) {
        let before = world.written.len();
        world.wait(due.since(world.now));
        let told = world.written[before..].iter().filter(|(kind, code, _)| (*kind & 0xff, *code) == (1, 0x130));
        out.extend(told.map(|(.., value)| (world.now.since(from).0 / 1_000, *value)));
    }
    world.wait(until.since(world.now));
    out
}

#[test]
fn autofire_presses_ten_times_a_second_and_stops_on_release() {
    let mut world = hammered(again());
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South), "at once");
    let told = written(&mut world, Micros::millis(320));
    assert_eq!(told, [(50, 0), (100, 1), (150, 0), (200, 1), (250, 0), (300, 1)]);
    world.report(0, &[0, 128]);
    assert!(!world.down(1, PadTarget::South), "let go in the middle of a press");
    assert_eq!(written(&mut world, Micros::seconds(2)), []);
}

#[test]
fn any_end_of_the_hold_stops_autofire_at_once() {
    let endings: [fn(&mut World); 3] = [
        |world| world.unplug(0),
        |world| drop(world.command(Command::LetGo)),
        |world| drop(world.command(Command::PauseSlot { slot: slot(1), paused: true })),
    ];
    for options in [
        again(),
        Options { row: vec![Micros::millis(500); 3], ..Options::default() },
        Options { toggle: true, ..again() },
    ] {
        for end in endings {
            let mut world = hammered(options.clone());
            world.report(0, &[1, 128]);
            world.wait(Micros::millis(20));
            assert!(world.down(1, PadTarget::South));
            end(&mut world);
            assert!(!world.down(1, PadTarget::South));
            assert_eq!(written(&mut world, Micros::seconds(3)), []);
        }
    }
}

#[test]
fn a_sequence_plays_once_per_press_and_stops_on_release() {
    let row = [30, 40, 60].map(Micros::millis).to_vec();
    let mut world = hammered(Options { row, ..Options::default() });
    world.report(0, &[1, 128]);
    assert_eq!(written(&mut world, Micros::seconds(1)), [(30, 0), (70, 1), (130, 0)], "held on, it is over");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(written(&mut world, Micros::millis(35)), [(30, 0)]);
    world.report(0, &[0, 128]);
    assert_eq!(written(&mut world, Micros::seconds(1)), [], "it was let go in the middle");
}

#[test]
fn toggled_autofire_continues_until_toggled_off() {
    let mut world = hammered(Options { toggle: true, ..again() });
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    assert_eq!(written(&mut world, Micros::millis(110)).len(), 2, "nobody holds it");
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    assert!(!world.down(1, PadTarget::South));
    assert_eq!(written(&mut world, Micros::seconds(1)), []);
}

/// An engine that was stopped for five seconds does not play them afterwards.
#[test]
fn missed_repeats_are_not_made_up() {
    let mut world = hammered(again());
    world.report(0, &[1, 128]);
    let before = world.written.len();
    world.now = world.now.after(Micros::seconds(5));
    world.table.handle_time(world.now);
    world.settle();
    let edges = world.written[before..].iter().filter(|(kind, ..)| *kind & 0xff == 1).count();
    assert!(edges <= 2, "{edges} at once");
    assert_eq!(written(&mut world, Micros::millis(500)).len(), 10, "and it goes on");
}

/// News arrives when a press is due: the press is handed out, and so is what follows from the news.
#[test]
fn a_look_may_coincide_with_a_due_press() {
    let mut world = hammered(again());
    world.report(0, &[1, 128]);
    let due = Micros(world.now.0 + 50_000);
    world.table.handle_look(due, crate::sight::Look { closed: 1, ..Default::default() });
    world.now = due;
    world.settle();
    assert!(!world.down(1, PadTarget::South), "its end was due");
    world.wait(Micros::millis(50));
    assert!(world.down(1, PadTarget::South), "and it goes on");
}
