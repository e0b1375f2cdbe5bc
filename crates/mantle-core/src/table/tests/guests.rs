//! Who may sit down, and what a device is called.

use super::*;
use crate::preferences::Preferences;

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
fn a_nickname_is_shown_everywhere_saved_and_undoable() {
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
fn a_locked_table_seats_no_strangers_but_slot_owners_return() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.command(Command::Lock(true));
    world.plug(node(1, "B", "1-2"));
    assert_eq!(world.table.slots().count(), 1);
    assert!(said(&world).iter().any(|text| text.contains("the table is locked")), "{:?}", said(&world));
    world.unplug(0);
    world.plug(node(2, "A", "1-3"));
    assert!(world.table.slot_facts(slot(1)).is_some_and(|facts| !facts.all_gone()), "its own slot is kept for it");
    // It survives a restart, and what the person places sits.
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
fn while_the_board_asks_a_first_press_takes_a_slot() {
    let mut world = two_waiting();
    world.report(1, &[1, 128]);
    assert_eq!(world.table.slots().count(), 0, "nobody has asked");
    world.report(1, &[0, 128]);
    world.command(Command::AskToSit(true));
    assert!(said(&world)[0].starts_with("To sit down, press a button"), "{:?}", said(&world));
    world.report(0, &[0, 250]);
    assert_eq!(world.table.slots().count(), 0, "an axis that moves is no press");
    world.report(1, &[4, 128]);
    assert_eq!(world.table.slots().count(), 1);
    assert_eq!(world.memory.slots[0].members[0].uniq, "B");
    // The press that gave it a slot plays nothing; the next one does.
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
    assert!(!said(&world).iter().any(|text| text.starts_with("To sit down")), "{:?}", said(&world));
}

#[test]
fn two_buttons_together_take_a_slot_when_enabled() {
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
    // Taken out by the person, it sits down again only by a press.
    world.command(Command::TakeOut { slot: slot(1) });
    world.report(0, &[0, 128]);
    assert_eq!(world.table.slots().count(), 0);
    world.report(0, &[3, 128]);
    assert_eq!(world.table.slots().count(), 1);
}

#[test]
fn only_the_two_chosen_buttons_take_a_slot() {
    let mut world = two_waiting();
    world.command(Command::SitByTwo(true));
    world.command(Command::Lock(false));
    // By what they would play: buttons 1 and 2 are South and East.
    for (both, sits) in [([PadTarget::South, PadTarget::Start], 0), ([PadTarget::East, PadTarget::South], 1)] {
        let preferences = Preferences { sit_down: Some(both), ..Preferences::default() };
        world.table.handle_preferences(world.now, Ok(preferences));
        world.settle();
        world.report(0, &[0, 128]);
        world.report(0, &[3, 128]);
        assert_eq!(world.table.slots().count(), sits, "{both:?}");
    }
}

#[test]
fn with_all_slots_in_use_nothing_is_asked() {
    let mut world = World::plain();
    (0..8u16).for_each(|n| world.plug(node(n, &format!("S{n}"), &format!("1-{n}"))));
    world.plug(node(8, "S8", "2-1"));
    let answer = world.command(Command::AskToSit(true));
    assert!(matches!(answer, Answer::Refused { why } if why.contains("all slots are in use")));
}

#[test]
fn a_kept_slot_is_lent_and_given_back_once_nothing_is_held() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.command(Command::TakeOut { slot: slot(2) });
    let lend = Command::Lend { device: DeviceId(1), part: 0, slot: slot(1) };
    let answer = world.command(lend.clone());
    assert!(matches!(answer, Answer::Refused { why } if why.contains("is connected and plays in slot 1")));
    world.unplug(0);
    assert!(matches!(world.command(lend), Answer::Done { .. }));
    // The borrower plays on the very same pad; the slot's owner stays written down.
    world.report(1, &[0, 128]);
    world.report(1, &[1, 128]);
    assert!(!world.shadows[&slot(1)].is_empty());
    assert_eq!(world.memory.slots.len(), 1);
    let uniqs: Vec<&str> = world.memory.slots[0].members.iter().map(|key| key.uniq.as_str()).collect();
    assert_eq!(uniqs, ["A"]);
    assert!(said(&world).iter().any(|text| text == "Slot 1 is lent to pad until pad is back."), "{:?}", said(&world));
    // The owner comes back while something is held: the person is told, and nothing is released in anybody's hands.
    world.plug(node(2, "A", "1-1"));
    for _ in 0..20 {
        world.wait(Micros::millis(100));
        world.report(2, &[0, 128]);
    }
    assert!(!world.shadows[&slot(1)].is_empty(), "what is held is held");
    assert!(said(&world)[0].contains("release pad, and it gets slot 1 again"), "{:?}", said(&world));
    world.report(1, &[0, 128]);
    for _ in 0..20 {
        world.wait(Micros::millis(100));
        world.report(2, &[0, 128]);
    }
    assert_eq!(world.table.members(slot(1)).count(), 1, "it is given back");
    world.report(1, &[1, 128]);
    assert!(world.shadows[&slot(1)].is_empty(), "the borrower plays there no more");
    world.report(2, &[1, 128]);
    assert!(!world.shadows[&slot(1)].is_empty());
    assert!(!said(&world).iter().any(|text| text.contains("let go of")));
}

#[test]
fn a_loan_is_undoable_and_ends_with_the_session() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.command(Command::TakeOut { slot: slot(2) });
    world.unplug(0);
    world.command(Command::Lend { device: DeviceId(1), part: 0, slot: slot(1) });
    let memory = world.memory.clone();
    world.command(Command::Undo { slot: None });
    assert_eq!(world.table.members(slot(1)).count(), 1);
    let mut world = World::new(Settings { remembered: memory, cover: true, ..Settings::default() });
    world.plug(node(5, "B", "1-2"));
    assert!(world.table.slot_facts(slot(1)).is_some_and(|facts| facts.all_gone()), "the owner's slot waits for it");
}
