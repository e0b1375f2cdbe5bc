//! Who may sit down, and what a device is called.

use super::*;

fn named(world: &World, number: u8) -> Vec<String> {
    let slot = world.table.slot(slot(number)).expect("it is in use");
    slot.session.members.iter().map(|member| member.key.name.clone()).collect()
}

fn said(world: &World) -> Vec<String> {
    let facts: Vec<_> = SlotNumber::all().filter_map(|slot| world.table.slot_facts(slot)).collect();
    sentences(&facts, &world.table.table_facts()).into_iter().map(|sentence| sentence.text).collect()
}

fn nickname(world: &mut World, device: u16, name: &str) -> Answer {
    world.command(Command::Nickname { device: DeviceId(device), name: name.into() })
}

#[test]
fn a_nickname_is_shown_everywhere_is_kept_with_the_device_and_can_be_taken_back() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    assert!(matches!(nickname(&mut world, 0, "  red one, left cupboard "), Answer::Done { .. }));
    assert_eq!(named(&world, 1), ["red one, left cupboard"]);
    assert_eq!(named(&world, 2), ["pad"], "its twin keeps its own name");
    world.unplug(0);
    assert!(said(&world).iter().any(|text| text.contains("kept for red one, left cupboard")), "{:?}", said(&world));
    // At another port, and after a restart: the serial number says who it is.
    let memory = world.memory.clone();
    assert_eq!(memory.nicknames.len(), 1);
    assert_eq!(memory.nicknames[0].0.name, "pad", "its own name is kept beside it");
    let mut world = World::new(Settings { remembered: memory, cover: true, ..Settings::default() });
    world.plug(node(7, "A", "2-9"));
    let name = world.table.devices().map(|device| device.name.clone()).collect::<Vec<_>>();
    assert_eq!(name, ["red one, left cupboard"]);
    assert!(matches!(nickname(&mut world, 0, ""), Answer::Done { .. }));
    assert_eq!(named(&world, 1), ["pad"]);
    assert!(world.memory.nicknames.is_empty());
    world.command(Command::Undo { slot: None });
    assert_eq!(named(&world, 1), ["red one, left cupboard"]);
    assert!(matches!(nickname(&mut world, 0, &"x".repeat(41)), Answer::Refused { .. }));
    assert!(matches!(nickname(&mut world, 9, "x"), Answer::Refused { .. }));
}

#[test]
fn at_a_locked_table_nobody_sits_unasked_and_whoever_has_a_slot_comes_back() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.command(Command::Lock(true));
    world.plug(node(1, "B", "1-2"));
    assert_eq!(world.table.slots().count(), 1);
    assert!(said(&world).iter().any(|text| text.contains("the table is locked")), "{:?}", said(&world));
    world.unplug(0);
    world.plug(node(2, "A", "1-3"));
    assert!(world.table.slot_facts(slot(1)).is_some_and(|facts| !facts.all_gone()), "its own slot is kept for it");
    // It holds over a restart, and what the person places sits.
    let mut world = World::new(Settings { remembered: world.memory, cover: true, ..Settings::default() });
    world.plug(node(3, "C", "1-5"));
    assert_eq!(world.table.slots().count(), 1);
    world.command(Command::Lock(false));
    world.plug(node(4, "D", "1-6"));
    assert_eq!(world.table.slots().count(), 2);
}

/// A table at which nobody sits unasked, and two devices without a slot.
fn two_waiting() -> World {
    let mut world = World::plain();
    world.command(Command::Lock(true));
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    assert_eq!(world.table.slots().count(), 0);
    world
}

#[test]
fn while_the_board_asks_the_first_press_sits_its_device_down() {
    let mut world = two_waiting();
    world.report(1, &[1, 128]);
    assert_eq!(world.table.slots().count(), 0, "nobody has asked");
    world.report(1, &[0, 128]);
    world.command(Command::AskToSit(true));
    assert!(said(&world)[0].starts_with("Sit down: press a button"), "{:?}", said(&world));
    world.report(0, &[0, 250]);
    assert_eq!(world.table.slots().count(), 0, "an axis that moves is no press");
    world.report(1, &[4, 128]);
    assert_eq!(world.table.slots().count(), 1);
    assert_eq!(world.memory.slots[0].members[0].uniq, "B");
    // The press that sat it down plays nothing; the next one does.
    assert!(world.shadows[&slot(1)].is_empty());
    world.report(1, &[0, 128]);
    world.report(1, &[1, 128]);
    assert!(!world.shadows[&slot(1)].is_empty());
    // One press, one seat.
    world.report(0, &[1, 250]);
    assert_eq!(world.table.slots().count(), 1);
}

#[test]
fn the_board_asks_for_a_minute() {
    let mut world = two_waiting();
    world.command(Command::AskToSit(true));
    world.wait(Micros::seconds(61));
    world.report(1, &[1, 128]);
    assert_eq!(world.table.slots().count(), 0);
    assert!(!said(&world).iter().any(|text| text.starts_with("Sit down")), "{:?}", said(&world));
}

#[test]
fn two_buttons_together_sit_a_device_down_at_any_time_if_that_is_switched_on() {
    let mut world = two_waiting();
    world.command(Command::SitByTwo(true));
    world.report(0, &[3, 128]);
    assert_eq!(world.table.slots().count(), 0, "not while the table is locked");
    world.report(0, &[0, 128]);
    world.command(Command::Lock(false));
    world.report(0, &[1, 128]);
    assert_eq!(world.table.slots().count(), 0, "one is not enough");
    world.report(0, &[3, 128]);
    assert_eq!(world.table.slots().count(), 1);
    assert!(world.memory.sit_by_two, "and that is kept");
    // Taken out by the person it sits down again only by a press.
    world.command(Command::TakeOut { slot: slot(1) });
    world.report(0, &[0, 128]);
    assert_eq!(world.table.slots().count(), 0);
    world.report(0, &[3, 128]);
    assert_eq!(world.table.slots().count(), 1);
}

#[test]
fn where_all_slots_are_in_use_nobody_is_asked() {
    let mut world = World::plain();
    (0..8u16).for_each(|n| world.plug(node(n, &format!("S{n}"), &format!("1-{n}"))));
    world.plug(node(8, "S8", "2-1"));
    let answer = world.command(Command::AskToSit(true));
    assert!(matches!(answer, Answer::Refused { why } if why.contains("all slots are in use")));
}
