//! What slots type beside their pads: what may be typed, when it is held back, and that everything is released again.

use super::profiles::{give, profile, rule, world};
use super::*;
use crate::binding::Change;
use crate::feel::{Knob, Setting, Shaped};
use crate::table::HeldBack;
use proptest::prelude::*;
use std::sync::Arc;

const A: u16 = 30;

fn named(name: &str) -> Target {
    Target::named(name).expect("there is one")
}

/// A pad whose buttons type, after the person has allowed it.
fn typing() -> World {
    let mut world = world(vec![rule(named("key A"), "button 1"), rule(named("mouse button left"), "button 2")]);
    assert!(matches!(world.command(Command::LetType { slot: slot(1), allowed: true }), Answer::Done { .. }));
    world
}

fn taken(world: &mut World) -> Vec<(u16, u16, i32)> {
    std::mem::take(&mut world.typed)
}

#[test]
fn nothing_is_typed_without_consent() {
    let mut world = world(vec![rule(named("key A"), "button 1")]);
    world.report(0, &[1, 128]);
    assert_eq!(taken(&mut world), []);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Ask, "{text}");
    assert!(text.contains("wants to type something"), "{text}");
    world.report(0, &[0, 128]);
    let answer = world.command(Command::LetType { slot: slot(1), allowed: true });
    assert_eq!(
        world.memory.agreed,
        [("ferry".to_owned(), vec![crate::keys::KeyTarget::named("key A").expect("a key")])]
    );
    world.report(0, &[1, 128]);
    assert_eq!(taken(&mut world), [(1, A, 1)]);
    world.undo(answer);
    assert_eq!(taken(&mut world), [(1, A, 0)], "what it may not type any more comes up at once");
    let refused = world.command(Command::LetType { slot: slot(1), allowed: false });
    assert!(matches!(refused, Answer::Refused { why } if why.contains("may type nothing")));
}

/// A profile that is changed by hand may type what was allowed, and nothing more.
#[test]
fn consent_covers_only_what_was_allowed() {
    let mut world = typing();
    let more = profile("ferry", vec![rule(named("key A"), "button 1"), rule(named("key B"), "button 3")]);
    world.table.handle_profiles(world.now, vec![Arc::new(more)], Vec::new());
    world.settle();
    world.report(0, &[0b101, 128]);
    assert_eq!(taken(&mut world), [(1, A, 1)]);
    assert_eq!(world.table.not_agreed(&world.table.profile_of("ferry")).len(), 1);
}

#[test]
fn binding_a_key_by_hand_is_consent() {
    let mut world = world(Vec::new());
    let change = Change::Source {
        target: named("key B"),
        layer: String::new(),
        source: Some("button 4".into()),
        inverted: false,
    };
    let number = give(&mut world, Command::Edit { slot: slot(1), changes: vec![change] });
    let saved = profile("ferry", vec![rule(named("key B"), "button 4")]);
    world.table.handle_profile(world.now, number, Ok(saved));
    world.settle();
    world.report(0, &[0b1000, 128]);
    assert_eq!(taken(&mut world), [(1, 48, 1)]);
}

#[test]
fn nothing_is_typed_into_our_own_screen() {
    let mut world = typing();
    world.report(0, &[1, 128]);
    world.command(Command::HaveScreen(true));
    assert_eq!(taken(&mut world), [(1, A, 1), (1, A, 0)], "what is down comes up");
    assert_eq!(world.table.held_back(slot(1)), Some(HeldBack::Screen));
    world.command(Command::HaveScreen(false));
    assert_eq!(taken(&mut world), [], "it is held, but was not pressed for the game");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(taken(&mut world), [(1, A, 1)]);
    world.command(Command::HaveScreen(true));
    world.command(Command::TypeHere(true));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(taken(&mut world), [(1, A, 0), (1, A, 1)], "a terminal that tells nothing can be passed over");
    assert!(world.memory.types_here);
}

#[test]
fn nothing_is_typed_while_presses_are_listened_for() {
    let mut world = typing();
    for (begin, end) in [
        (Command::Listen { slot: slot(1), target: PadTarget::East.into() }, Command::StopListening),
        (Command::CallRoll { slot: slot(1), targets: Vec::new() }, Command::EndCall),
        (Command::MeasureFeel(Some((slot(1), Shaped::LeftStick))), Command::MeasureFeel(None)),
    ] {
        world.command(begin);
        assert_eq!(world.table.held_back(slot(1)), Some(HeldBack::Capture));
        world.report(0, &[1, 128]);
        world.report(0, &[0, 128]);
        assert_eq!(taken(&mut world), []);
        world.command(end);
        assert_eq!(world.table.held_back(slot(1)), None);
        world.report(0, &[0b10, 128]);
        world.report(0, &[0, 128]);
        assert_eq!(taken(&mut world).len(), 2);
    }
}

#[test]
fn typed_keys_are_released_however_play_ends() {
    let endings: [fn(&mut World); 6] = [
        |world| world.unplug(0),
        |world| drop(world.command(Command::LetGo)),
        |world| drop(world.command(Command::PauseSlot { slot: slot(1), paused: true })),
        |world| {
            world.table.handle_profiles(world.now, vec![Arc::new(profile("ferry", Vec::new()))], Vec::new());
            world.settle();
        },
        |world| drop(world.command(Command::Move { from: slot(1), to: slot(2) })),
        |world| world.report(0, &[0]),
    ];
    for (at, end) in endings.into_iter().enumerate() {
        let mut world = typing();
        world.report(0, &[0b11, 128]);
        assert_eq!(taken(&mut world), [(1, A, 1), (1, 0x110, 1)]);
        end(&mut world);
        let up: Vec<_> = taken(&mut world).iter().map(|(_, code, value)| (*code, *value)).collect();
        assert_eq!(up, [(A, 0), (0x110, 0)], "ending {at}");
    }
}

/// When a slot is emptied its nodes go, and with them what was down.
#[test]
fn typing_nodes_vanish_with_the_slot_or_the_last_key() {
    for end in [Command::TakeOut { slot: slot(1) }, Command::LetType { slot: slot(1), allowed: false }] {
        let mut world = typing();
        assert!(world.effects.contains(&Effect::MakeKeys { slot: slot(1) }));
        world.command(end);
        assert_eq!(world.effects.iter().filter(|one| **one == Effect::DropKeys { slot: slot(1) }).count(), 1);
    }
}

#[test]
fn failed_nodes_are_retried() {
    let mut world = world(vec![rule(named("key A"), "button 1")]);
    world.uinput = Err(PadFault::Denied);
    world.command(Command::LetType { slot: slot(1), allowed: true });
    assert_eq!(world.table.held_back(slot(1)), Some(HeldBack::NoNode));
    world.uinput = Ok(());
    let due = world.table.deadline_of_play().expect("it is tried again");
    world.table.handle_time(due);
    world.settle();
    world.report(0, &[1, 128]);
    assert_eq!(taken(&mut world), [(1, A, 1)]);
    let fault = Err(PadFault::Other(OsFault { operation: "typing".into(), path: "event10".into(), errno: 19 }));
    world.table.handle_keys(world.now, slot(1), fault);
    assert_eq!(world.table.held_back(slot(1)), Some(HeldBack::NoNode), "one that took nothing is made again");
}

#[test]
fn a_slot_is_paused_and_resumed_from_its_device() {
    let mut world = world(vec![rule(named("pause"), "button 8"), rule(PadTarget::South, "button 1")]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    world.report(0, &[0x81, 128]);
    assert!(!world.down(1, PadTarget::South), "it rests, though it is held");
    assert!(world.sentence().1.contains("Slot 1 is paused"));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(!world.down(1, PadTarget::South));
    world.report(0, &[0x80, 128]);
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South), "and plays again");
    assert!(world.table.slot(slot(1)).expect("in use").keys.name.is_none(), "a wish needs no node");
}

#[test]
fn pausing_a_slot_leaves_the_others_and_is_undoable() {
    let mut world = world(Vec::new());
    world.plug(node(1, "B", "1-2"));
    world.report(1, &[1, 128]);
    let answer = world.command(Command::PauseSlot { slot: slot(1), paused: true });
    world.report(0, &[1, 128]);
    assert!(!world.down(1, PadTarget::South) && world.down(2, PadTarget::South));
    world.undo(answer);
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    world.command(Command::LetGo);
    let refused = world.command(Command::PauseSlot { slot: slot(1), paused: true });
    assert!(matches!(refused, Answer::Refused { .. }), "everything rests already");
}

#[test]
fn the_feel_is_flipped_and_stepped_from_the_device() {
    let rules = vec![rule(named("more feel"), "button 5"), rule(named("flip feel"), "button 6")];
    let mut world = world(rules.clone());
    let (which, knob) = (Shaped::LeftStick, Knob::Sensitivity);
    world.command(Command::ChooseFeel { slot: slot(1), which, knob });
    world.report(0, &[0x10, 255]);
    let saved = world.effects.iter().rev().find_map(|effect| match effect {
        Effect::Profile { number, act, .. } => Some((*number, act.clone())),
        _ => None,
    });
    let (number, act) = saved.expect("the step is saved");
    let change = Change::Feel(which, Setting::Sensitivity(1050));
    assert_eq!(act, crate::binding::ProfileAct::Change(vec![change]));
    let mut next = profile("ferry", rules);
    next.feel.of_mut(which).sensitivity = 0.5;
    world.table.handle_profile(world.now, number, Ok(next));
    world.settle();
    let new = world.pad(1).axes[0];
    world.report(0, &[0x20, 255]);
    assert!(world.pad(1).axes[0] > new + 10_000, "the old feel plays: {new}, {}", world.pad(1).axes[0]);
    assert!(world.table.slot(slot(1)).expect("in use").shakes.is_some(), "the device says that it was done");
}

#[test]
fn a_roll_call_starts_from_the_device_while_a_screen_is_open() {
    let mut world = world(vec![rule(named("roll call"), "button 8")]);
    let press = |world: &mut World| {
        world.report(0, &[0x80, 128]);
        world.report(0, &[0, 128]);
        world.table.calling().map(|calling| calling.slot)
    };
    assert_eq!(press(&mut world), None, "nobody looks on");
    let said: Vec<String> = std::iter::from_fn(|| world.table.poll_note()).map(|note| note.text).collect();
    assert!(said.iter().any(|text| text == "slot 1: a roll call needs a screen: placid-mantle"), "{said:?}");
    world.table.handle_watched(world.now, true);
    assert_eq!(press(&mut world), Some(slot(1)));
}

/// A command beside a press in the same report: the press goes out as it was.
#[test]
fn other_changes_in_a_report_with_a_program_action_are_sent() {
    let mut world = world(vec![rule(named("pause"), "button 8"), rule(PadTarget::South, "button 1")]);
    world.now.0 += 1000;
    world.table.handle_report(world.now, NodeId(0), &[0x81, 128]);
    let mut frames = Vec::new();
    while let Some((_, _, events)) = world.table.poll_write() {
        frames.extend(events.iter().filter(|(kind, ..)| *kind == 1));
    }
    assert_eq!(frames, [(1, 0x130, 1), (1, 0x130, 0)]);
}

proptest! {
    /// Whatever comes, what went down has been released once the device is gone; and no key is pressed or released twice.
    #[test]
    fn all_typed_keys_are_released(steps in prop::collection::vec((0u8..14, any::<u8>()), 1..80)) {
        let mut world = typing();
        for (act, value) in steps {
            let on = value & 1 == 1;
            match act {
                0 => drop(world.command(Command::HaveScreen(on))),
                1 => drop(world.command(Command::LetType { slot: slot(1), allowed: on })),
                2 => drop(world.command(if on { Command::LetGo } else { Command::Resume })),
                3 => drop(world.command(Command::PauseSlot { slot: slot(1), paused: on })),
                4 if on => drop(world.command(Command::Listen { slot: slot(1), target: PadTarget::East.into() })),
                4 => drop(world.command(Command::StopListening)),
                5 => {
                    let mut rules = vec![rule(named("key A"), "button 1"), rule(named("mouse up"), "X upper half")];
                    rules.truncate(usize::from(value % 3));
                    world.table.handle_profiles(world.now, vec![Arc::new(profile("ferry", rules))], Vec::new());
                    world.settle();
                }
                6 => {
                    world.unplug(0);
                    world.plug(node(0, "A", "1-1"));
                }
                7 => {
                    world.now.0 += 50_000;
                    world.table.handle_time(world.now);
                    world.settle();
                }
                _ => world.report(0, &[value & 0b11, if act > 11 { value } else { 128 }]),
            }
        }
        world.command(Command::StopListening);
        world.unplug(0);
        let mut down = std::collections::BTreeSet::new();
        for (kind, code, value) in taken(&mut world) {
            if kind == 1 {
                prop_assert!(if value == 1 { down.insert(code) } else { down.remove(&code) }, "{} twice {}", code, value);
            }
        }
        prop_assert!(down.is_empty(), "{:?} stay down", down);
        prop_assert_eq!(world.table.deadline_of_play(), None, "and nothing moves");
    }
}
