//! What was done is undone and redone, whoever did it.

use super::profiles::{give, profile, rule, world};
use super::*;
use crate::binding::Change;

/// What the last answer says; refusals as they are.
fn said(world: &mut World) -> String {
    let mut last = String::new();
    while let Some((_, answer)) = world.table.poll_answer() {
        last = match answer {
            Answer::Done { said, .. } => said,
            Answer::Refused { why } => why,
        };
    }
    last
}

fn undo(world: &mut World) -> String {
    give(world, Command::Undo { slot: None });
    said(world)
}

fn redo(world: &mut World) -> String {
    give(world, Command::Redo { slot: None });
    said(world)
}

fn button(button: &str) -> Vec<Change> {
    let source = Some(button.to_owned());
    vec![Change::Source { target: PadTarget::South.into(), layer: String::new(), source, inverted: false }]
}

/// A change is saved as it was last requested.
fn saves(world: &mut World, result: Result<&str, &str>) {
    let number = world.effects.iter().rev().find_map(|effect| match effect {
        Effect::Profile { number, .. } => Some(*number),
        _ => None,
    });
    let result = result.map(|source| profile("ferry", vec![rule(PadTarget::South, source)])).map_err(str::to_owned);
    world.table.handle_profile(world.now, number.expect("something is to be saved"), result);
    world.settle();
}

#[test]
fn undo_takes_the_last_change_first_and_redo_keeps_the_order() {
    let mut world = world(vec![]);
    give(&mut world, Command::PauseSlot { slot: slot(1), paused: true });
    give(&mut world, Command::Move { from: slot(1), to: slot(3) });
    assert_eq!(said(&mut world), "slot 1 and slot 3 have swapped");
    assert_eq!(world.table.turnable()[0], Some("slot 1 and slot 3 have swapped"));
    assert_eq!(undo(&mut world), "undone: slot 1 and slot 3 have swapped");
    assert!(world.table.slot(slot(1)).is_some() && world.table.slot(slot(3)).is_none());
    assert_eq!(undo(&mut world), "undone: slot 1 rests");
    assert_eq!(redo(&mut world), "redone: slot 1 rests");
    assert_eq!(redo(&mut world), "redone: slot 1 and slot 3 have swapped");
    assert!(world.table.slot(slot(3)).is_some_and(|entry| entry.session.paused()));
    assert_eq!(redo(&mut world), "nothing to redo");
    // What is done again leaves nothing to be redone.
    undo(&mut world);
    give(&mut world, Command::PauseSlot { slot: slot(1), paused: false });
    assert_eq!((redo(&mut world), world.table.turnable()[1]), ("nothing to redo".into(), None));
}

#[test]
fn undo_reverts_profiles_too_and_a_failed_save_can_be_retried() {
    let mut world = world(vec![]);
    give(&mut world, Command::Edit { slot: slot(1), changes: button("button 2") });
    saves(&mut world, Ok("button 2"));
    said(&mut world);
    give(&mut world, Command::Undo { slot: None });
    assert!(world.table.poll_answer().is_none(), "not saved yet");
    saves(&mut world, Err("the disk is full"));
    assert_eq!(said(&mut world), "the disk is full");
    give(&mut world, Command::Undo { slot: None });
    saves(&mut world, Ok("button 1"));
    assert_eq!(said(&mut world), "undone: South ← button 2, in ferry");
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South), "button 1 plays it again");
    give(&mut world, Command::Redo { slot: None });
    saves(&mut world, Ok("button 2"));
    assert_eq!(said(&mut world), "redone: South ← button 2, in ferry");
    world.report(0, &[2, 128]);
    assert!(world.down(1, PadTarget::South));
}

#[test]
fn an_irreversible_change_does_not_block_undo() {
    let mut world = world(vec![]);
    give(&mut world, Command::PauseSlot { slot: slot(1), paused: true });
    give(&mut world, Command::LeaveToGame { device: DeviceId(0), left: true });
    world.unplug(0);
    assert_eq!(undo(&mut world), "that device is no longer connected", "and it is said why");
    assert_eq!(undo(&mut world), "undone: slot 1 rests", "what was before it can be taken back");
}

#[test]
fn undo_without_a_history_uses_the_profiles_own() {
    let mut world = world(vec![]);
    said(&mut world);
    world.table.done = Default::default();
    assert_eq!(undo(&mut world), "nothing to undo");
    give(&mut world, Command::Undo { slot: SlotNumber::new(1) });
    saves(&mut world, Ok("button 3"));
    assert_eq!(said(&mut world), "undone: the last change to ferry is undone");
}

/// Keys come faster than files are saved: changes while a profile is being made are made in that one.
#[test]
fn quick_changes_create_a_single_profile() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    said(&mut world);
    for source in ["button 2", "button 3", "button 4"] {
        give(&mut world, Command::Edit { slot: slot(1), changes: button(source) });
    }
    let asked = |world: &World| {
        let names = world.effects.iter().filter_map(|effect| match effect {
            Effect::Profile { number, name, origin, .. } => Some((*number, name.clone(), origin.clone())),
            _ => None,
        });
        names.collect::<Vec<_>>()
    };
    assert_eq!(asked(&world).len(), 1, "one is asked for, and the others wait: {:?}", asked(&world));
    let (number, name, _) = asked(&world)[0].clone();
    let made = profile(&name, vec![rule(PadTarget::South, "button 2")]);
    let file = made.origin.clone();
    world.table.handle_profile(world.now, number, Ok(made));
    world.settle();
    assert_eq!(asked(&world)[1..].iter().map(|(_, own, of)| (own, of)).collect::<Vec<_>>(), [(&name, &file); 2]);
    for ((number, ..), source) in asked(&world)[1..].to_vec().into_iter().zip(["button 3", "button 4"]) {
        let result = Ok(profile(&name, vec![rule(PadTarget::South, source)]));
        world.table.handle_profile(world.now, number, result);
        world.settle();
    }
    assert_eq!(said(&mut world), format!("South ← button 4, in {name}"));
    // What cannot be made leaves nothing waiting for ever.
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    give(&mut world, Command::Edit { slot: slot(1), changes: button("button 2") });
    let last = give(&mut world, Command::Edit { slot: slot(1), changes: button("button 3") });
    let (first, ..) = asked(&world)[0].clone();
    world.table.handle_profile(world.now, first, Err("the disk is full".into()));
    world.settle();
    assert_eq!(asked(&world)[1].0, last, "it is tried by itself");
}
