//! A mouse plays a stick, a surface is left: controls that are not anywhere by themselves.

use super::profiles::{profile, rule};
use super::*;
use crate::binding::{Options, Rule};
use std::sync::Arc;

/// 3 buttons, X and Y of 8 bits, relative; then an absolute X of 8 bits in report 2.
pub(super) const MOUSE: &[u8] = &[
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x03, 0x15, 0x00, 0x25, 0x01, 0x75,
    0x01, 0x95, 0x03, 0x81, 0x02, 0x75, 0x05, 0x95, 0x01, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81,
    0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0x85, 0x02, 0x09, 0x32, 0x15, 0x00, 0x26, 0xff, 0x00, 0x95, 0x01,
    0x81, 0x02, 0xc0,
];

fn mouse(change: impl Fn(&mut Options)) -> World {
    let both = [(PadTarget::RightStickLeft, "X lower half"), (PadTarget::RightStickRight, "X upper half")];
    let mut rules: Vec<Rule> = both.into_iter().map(|(target, source)| rule(target, source)).collect();
    rules.iter_mut().for_each(|rule| change(&mut rule.options));
    rules.push(rule(PadTarget::RightTrigger, "button 1"));
    let profiles = vec![Arc::new(profile("pointing", rules))];
    let mut world = World::new(Settings { profiles, ..Settings::default() });
    world.plug(NodeFacts { descriptor: MOUSE.to_vec(), ..node(0, "A", "1-1") });
    world.place(0, 1, "pointing");
    world
}

fn push(world: &mut World, counts: i8, reports: u32) {
    for _ in 0..reports {
        world.now.0 += 7_000;
        world.report(0, &[1, 0, counts as u8, 0]);
    }
}

fn across(world: &World) -> i32 {
    world.pad(1).axes[2]
}

#[test]
fn a_mouse_plays_a_stick_that_comes_back() {
    let mut world = mouse(|_| ());
    push(&mut world, 5, 40);
    let right = across(&world);
    assert!(
        (14_000..20_000).contains(&right),
        "5 counts in 8 ms are half of the reach within the spring's time: {right}"
    );
    push(&mut world, -20, 40);
    assert_eq!(across(&world), -32_768, "and as far as it goes the other way");
    world.wait(Micros::seconds(3));
    assert_eq!((across(&world), world.table.deadline_of_play()), (0, None));
}

/// It sends nothing while it lies still, and therefore nothing that would show a release.
#[test]
fn the_first_push_counts_even_after_a_reconnect() {
    for first in [5, -5] {
        let mut world = mouse(|_| ());
        world.unplug(0);
        world.plug(NodeFacts { descriptor: MOUSE.to_vec(), ..node(0, "A", "1-1") });
        push(&mut world, first, 10);
        assert!(across(&world) * i32::from(first) > 10_000, "{}", across(&world));
    }
}

/// Other reports of the same node do not repeat counts.
#[test]
fn mouse_counts_are_used_once() {
    let mut world = mouse(|options| options.spring = Some(Micros(0)));
    push(&mut world, 30, 1);
    let once = across(&world);
    assert!(once > 6_000, "{once}");
    for value in 0..20 {
        world.now.0 += 1_000;
        world.report(0, &[2, value]);
    }
    assert_eq!(across(&world), once, "it stays where it was left");
}

/// A mouse that somebody places plays at once, by its default bindings.
#[test]
fn by_default_a_mouse_aims() {
    let mut world = World::new(Settings::default());
    world.plug(NodeFacts { descriptor: MOUSE.to_vec(), ..node(0, "A", "1-1") });
    world.place(0, 1, "plain");
    push(&mut world, 20, 40);
    assert_eq!(world.pad(1).axes[2..4], [32_767, 0]);
    world.report(0, &[1, 0b11, 0, 0xf0]);
    assert!(
        world.down(1, PadTarget::RightTrigger) && world.down(1, PadTarget::LeftTrigger),
        "its buttons are triggers"
    );
    assert!(world.pad(1).axes[3] < -4_000, "and away is up: {:?}", world.pad(1).axes);
    world.wait(Micros::seconds(3));
    world.report(0, &[1, 0, 0, 0]);
    assert_eq!((world.pad(1), world.table.deadline_of_play()), (PadState::default(), None));
}

#[test]
fn steering_is_released_however_it_ends() {
    let endings: [fn(&mut World); 3] = [
        |world| world.unplug(0),
        |world| drop(world.command(Command::LetGo)),
        |world| {
            let other = profile("pointing", vec![rule(PadTarget::South, "button 2")]);
            world.table.handle_profiles(world.now, vec![Arc::new(other)], Vec::new());
            world.settle();
        },
    ];
    for end in endings {
        let mut world = mouse(|options| options.spring = Some(Micros(0)));
        push(&mut world, 60, 1);
        assert!(across(&world) > 10_000);
        end(&mut world);
        assert_eq!(across(&world), 0);
    }
}

#[test]
fn a_key_brings_the_steering_back_to_its_middle() {
    let mut world = mouse(|options| {
        options.spring = Some(Micros(0));
        options.centre = Some(crate::binding::Named::parse("button 3"));
    });
    push(&mut world, 60, 1);
    assert!(across(&world) > 10_000);
    world.report(0, &[1, 0b100, 0, 0]);
    assert_eq!(across(&world), 0);
    world.report(0, &[1, 0b001, 0, 0]);
    assert!(world.down(1, PadTarget::RightTrigger), "buttons of a mouse are pedals");
}

/// A mouse that plays is covered as long as the machine has another one.
#[test]
fn a_mouse_is_covered_only_while_there_is_another_one() {
    let mut world = World::plain();
    let mouse = |id: u16, uniq: &str| NodeFacts { descriptor: MOUSE.to_vec(), ..node(id, uniq, &format!("1-{id}")) };
    world.plug(mouse(0, "A"));
    world.place(0, 1, "plain");
    push(&mut world, 20, 4);
    let covers = |world: &World| {
        let of = |effect: &&Effect| matches!(effect, Effect::Cover(_) | Effect::Uncover(_));
        world.effects.iter().filter(of).map(|effect| matches!(effect, Effect::Cover(_))).collect::<Vec<_>>()
    };
    assert_eq!(covers(&world), Vec::<bool>::new());
    let (mark, text) = world.sentence();
    assert!(mark == Mark::Doubt && text.contains("it is the only mouse"), "{text}");
    world.plug(mouse(1, "B"));
    assert_eq!(covers(&world), [true], "now it can be");
    // The other one is not taken away from the person as well.
    world.place(1, 2, "plain");
    assert_eq!(covers(&world), [true]);
    world.unplug(1);
    assert_eq!(covers(&world), [true, false], "the last one goes back to the system");
    world.plug(mouse(1, "B"));
    assert_eq!(covers(&world).len(), 3, "and one of them is covered again");
}
