//! Rules for games: what they make of slots while their program runs, and the state before.

use super::profiles::{give, profile, rule};
use super::*;
use crate::command::RuleAct;
use crate::games::{GameRule, GameSign, RunningProgram, SlotRule};
use crate::pad::FlightShape;
use crate::path::PadCondition;
use std::sync::Arc;

fn program(name: &str, pid: u32) -> RunningProgram {
    RunningProgram { pid, started: u64::from(pid), names: vec![name.into()], ..RunningProgram::default() }
}

fn of(name: &str, slots: Vec<SlotRule>) -> GameRule {
    GameRule { signs: vec![GameSign::Program(name.into())], slots, ..GameRule::default() }
}

fn sliding() -> SlotRule {
    SlotRule { profile: Some("sliding".into()), ..SlotRule::of(slot(1)) }
}

/// A pad in slot 1 that plays by *ferry*, in which button 1 is South; in *sliding* button 3 is.
fn ferry(rules: Vec<GameRule>) -> World {
    let profiles = [("ferry", "button 1"), ("sliding", "button 3")]
        .map(|(name, button)| Arc::new(profile(name, vec![rule(PadTarget::South, button)])));
    let settings = Settings { profiles: profiles.to_vec(), cover: true, rules, ..Settings::default() };
    let mut world = World::new(settings);
    world.plug(node(0, "A", "1-1"));
    world.place(0, 1, "ferry");
    world.report(0, &[0, 128]);
    world
}

fn run(world: &mut World, running: &[RunningProgram]) {
    world.now.0 += 1_000_000;
    world.running = running.to_vec();
    world.table.handle_running(world.now, world.round, world.running.clone());
    world.settle();
}

/// Which button plays South, as the pad shows it.
fn south(world: &mut World) -> u8 {
    let played = (0..3u8).find(|bit| {
        world.report(0, &[1 << bit, 128]);
        let down = world.down(1, PadTarget::South);
        world.report(0, &[0, 128]);
        down
    });
    played.map_or(0, |bit| bit + 1)
}

fn notes(world: &mut World) -> Vec<String> {
    std::iter::from_fn(|| world.table.poll_note()).map(|note| note.text).collect()
}

#[test]
fn a_rule_applies_while_its_program_runs_and_is_then_reverted() {
    let mut world = ferry(vec![of("crane", vec![sliding()])]);
    assert_eq!(south(&mut world), 1);
    run(&mut world, &[program("crane", 612)]);
    assert_eq!(south(&mut world), 3);
    assert_eq!(world.memory.slots[0].profile, "ferry", "what is kept is what was before");
    let said = notes(&mut world);
    assert!(said.iter().any(|text| text == "crane (612) is running: its rule (program crane) applies"), "{said:?}");
    run(&mut world, &[]);
    assert_eq!(south(&mut world), 1);
    assert_eq!(world.memory.slots[0].profile, "ferry");
    // What is reported about an earlier list means nothing.
    world.table.handle_running(world.now, world.round.wrapping_sub(1), vec![program("crane", 613)]);
    world.settle();
    assert_eq!(south(&mut world), 1);
}

#[test]
fn a_manual_choice_holds_until_the_game_ends() {
    let mut world = ferry(vec![of("crane", vec![sliding()])]);
    run(&mut world, &[program("crane", 612)]);
    world.command(Command::PlayBy { slot: slot(1), profile: "plain".into() });
    let plain = south(&mut world);
    run(&mut world, &[program("crane", 612), program("other", 7)]);
    world.plug(node(1, "B", "1-2"));
    assert_eq!(world.table.slot(slot(1)).map(|own| own.profile.as_str()), Some("plain"), "whatever happens");
    assert_eq!(south(&mut world), plain);
    run(&mut world, &[program("other", 7)]);
    assert_eq!(south(&mut world), 1, "what was before the game");
    run(&mut world, &[program("crane", 614)]);
    assert_eq!(south(&mut world), 3, "another time it counts anew");
}

#[test]
fn a_rule_sets_kind_and_rumble_and_reverts_them() {
    let flight = PadKind::Flight(FlightShape::USUAL);
    let wanted = SlotRule { kind: Some(flight.clone()), rumble: Some(40), ..SlotRule::of(slot(1)) };
    let mut world = ferry(vec![of("crane", vec![wanted])]);
    let now = |world: &World| {
        let own = world.table.slot(slot(1)).expect("in use");
        assert_eq!(own.pad, PadCondition::Made);
        (own.kind.name().to_owned(), world.models[&slot(1)].publisher, own.feedback.rumble)
    };
    let before = now(&world);
    run(&mut world, &[program("crane", 612)]);
    let during = now(&world);
    assert_eq!((during.0, during.2), (flight.name().to_owned(), 40));
    let kept = &world.memory.slots[0];
    assert_eq!((kept.kind.name(), kept.feedback.rumble), (before.0.as_str(), 100));
    run(&mut world, &[]);
    assert_eq!(now(&world), before);
    // While its pad is being made the kind cannot change; it does as soon as the pad exists.
    world.uinput = Err(PadFault::NoModule);
    world.command(Command::Kind { slot: slot(1), kind: PadKind::Motion });
    run(&mut world, &[program("crane", 612)]);
    world.uinput = Ok(());
    world.wait(Micros::seconds(3));
    assert_eq!(now(&world).0, flight.name());
    run(&mut world, &[]);
    assert_eq!(now(&world).0, PadKind::Motion.name());
}

fn cover(world: &World) -> &'static str {
    world.table.devices().next().expect("it is there").cover.words()
}

#[test]
fn a_device_is_left_to_one_game_and_covered_for_another() {
    let covers = |cover: bool| SlotRule { cover: Some(cover), ..SlotRule::of(slot(1)) };
    let mut world = ferry(vec![of("crane", vec![covers(false)]), of("parade", vec![covers(true)])]);
    assert_eq!(cover(&world), "covered");
    world.effects.clear();
    run(&mut world, &[program("crane", 612)]);
    assert_eq!(cover(&world), "left to the game");
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))));
    run(&mut world, &[]);
    assert_eq!(cover(&world), "covered");
    // Left to games, it is covered only while that one runs.
    world.command(Command::LeaveToGame { device: DeviceId(0), left: true });
    assert_eq!(cover(&world), "left to the game");
    run(&mut world, &[program("parade", 613)]);
    assert_eq!(cover(&world), "covered");
    world.effects.clear();
    run(&mut world, &[]);
    assert_eq!(cover(&world), "left to the game");
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))));
    // Chosen in the game, that counts.
    run(&mut world, &[program("parade", 614)]);
    world.command(Command::LeaveToGame { device: DeviceId(0), left: true });
    assert_eq!(cover(&world), "left to the game");
}

#[test]
fn staying_out_of_a_game_rests_pads_and_uncovers_devices() {
    let mut world = ferry(vec![GameRule { stays_out: true, ..of("crane", Vec::new()) }]);
    world.report(0, &[1, 128]);
    run(&mut world, &[program("crane", 612)]);
    assert!(!world.down(1, PadTarget::South), "what was held is let go");
    assert_eq!((south(&mut world), cover(&world)), (0, "left to the game"));
    run(&mut world, &[]);
    assert_eq!((south(&mut world), cover(&world)), (1, "covered"));
    // Who wants to play all the same does.
    run(&mut world, &[program("crane", 613)]);
    world.command(Command::PauseSlot { slot: slot(1), paused: false });
    assert_eq!(south(&mut world), 1);
    run(&mut world, &[]);
    assert_eq!(south(&mut world), 1);
    // And who rested before rests on.
    world.command(Command::PauseSlot { slot: slot(1), paused: true });
    run(&mut world, &[program("crane", 614)]);
    run(&mut world, &[]);
    assert_eq!(south(&mut world), 0);
}

#[test]
fn one_game_is_played_at_a_time_and_a_deleted_rule_no_longer_counts() {
    let rules = vec![of("crane", vec![sliding()]), of("parade", Vec::new())];
    let mut world = ferry(rules.clone());
    run(&mut world, &[program("parade", 1)]);
    run(&mut world, &[program("crane", 2), program("parade", 1)]);
    assert_eq!(south(&mut world), 1, "the one that was there first counts");
    run(&mut world, &[program("crane", 2)]);
    assert_eq!(south(&mut world), 3, "and then the other one");
    world.table.handle_rules(world.now, Ok(rules[1..].to_vec()));
    world.settle();
    assert_eq!(south(&mut world), 1);
    world.table.handle_rules(world.now, Ok(rules));
    world.settle();
    assert_eq!(south(&mut world), 3, "it runs on");
    world.table.handle_rules(world.now, Err(vec!["line 3: nonsense".into()]));
    world.settle();
    assert_eq!(south(&mut world), 3, "what cannot be read changes nothing");
}

#[test]
fn the_impossible_part_of_a_rule_is_reported_and_the_rest_is_done() {
    let wanted = SlotRule { profile: Some("gone".into()), rumble: Some(10), ..SlotRule::of(slot(1)) };
    let mut world = ferry(vec![of("crane", vec![wanted])]);
    notes(&mut world);
    run(&mut world, &[program("crane", 612)]);
    run(&mut world, &[program("crane", 612)]);
    assert_eq!(world.table.slot(slot(1)).map(|own| own.feedback.rumble), Some(10));
    let said: Vec<String> = notes(&mut world).into_iter().filter(|text| text.contains("gone")).collect();
    assert_eq!(said, ["slot 1: the rule for crane cannot be applied: there is no profile named gone"]);
}

#[test]
fn slots_change_places_in_a_game_and_each_gets_back_what_it_had() {
    let mut world = ferry(vec![of("crane", vec![sliding()])]);
    world.plug(node(1, "B", "1-2"));
    world.place(1, 2, "plain");
    run(&mut world, &[program("crane", 612)]);
    world.command(Command::Move { from: slot(1), to: slot(2) });
    let profiles = |world: &World| -> Vec<String> { world.table.slots().map(|(_, own)| own.profile.clone()).collect() };
    assert_eq!(profiles(&world), ["sliding", "ferry"], "the rule is for slot 1, whoever sits there");
    run(&mut world, &[]);
    assert_eq!(profiles(&world), ["plain", "ferry"]);
}

#[test]
fn a_request_lasts_as_long_as_its_process() {
    let mut world = ferry(Vec::new());
    world.running = vec![program("play", 900)];
    let asks = |pid: u32, slots: Vec<SlotRule>| Command::PlayFor {
        pid,
        called: "crane".into(),
        rule: GameRule { slots, ..GameRule::default() },
    };
    notes(&mut world);
    world.command(asks(900, vec![sliding()]));
    assert!(notes(&mut world).iter().any(|text| text.starts_with("crane (900) is running")));
    assert_eq!(south(&mut world), 3);
    run(&mut world, &[]);
    assert_eq!(south(&mut world), 1);
    // As many as there are slots may ask.
    world.running = (910..920).map(|pid| program("play", pid)).collect();
    for pid in 910..918 {
        assert!(matches!(world.command(asks(pid, vec![sliding()])), Answer::Done { .. }));
    }
    assert!(matches!(world.command(asks(918, vec![sliding()])), Answer::Refused { .. }));
    assert!(matches!(world.command(asks(917, vec![])), Answer::Done { .. }), "who asks again asks for something else");
    run(&mut world, &[]);
    // One that is gone by then has asked in vain.
    world.command(asks(901, vec![sliding()]));
    assert_eq!(south(&mut world), 1);
}

#[test]
fn a_rule_from_the_current_slots_is_saved_and_undoable() {
    let mut world = ferry(Vec::new());
    let add = Command::Rule(RuleAct::Add { pid: 612, rule: GameRule::default() });
    let number = give(&mut world, add);
    assert_eq!(world.table.poll_answer(), None);
    let asked = |world: &World| match world.effects.iter().rev().find(|effect| matches!(effect, Effect::Rule { .. })) {
        Some(Effect::Rule { act, .. }) => act.clone(),
        other => panic!("{other:?}"),
    };
    let RuleAct::Add { pid: 612, rule } = asked(&world) else { panic!("{:?}", asked(&world)) };
    let own = &rule.slots[0];
    assert_eq!((own.slot, own.profile.as_deref(), own.cover, own.rumble), (slot(1), Some("ferry"), None, None));
    let saved = GameRule { signs: vec![GameSign::Program("crane".into())], ..rule };
    world.table.handle_rule(world.now, number, Ok((saved.clone(), None)));
    world.settle();
    let Some((_, Answer::Done { said, .. })) = world.table.poll_answer() else { panic!("it is saved") };
    assert_eq!(said, "there is a rule for program crane");
    assert_eq!(world.table.rules(), std::slice::from_ref(&saved));
    // Taken back, and done again.
    let number = give(&mut world, Command::Undo { slot: None });
    assert_eq!(asked(&world), RuleAct::Drop(saved.signs.clone()));
    world.table.handle_rule(world.now, number, Ok((saved.clone(), None)));
    world.settle();
    assert_eq!(world.table.rules(), []);
    let number = give(&mut world, Command::Redo { slot: None });
    assert_eq!(asked(&world), RuleAct::Put(saved.clone()));
    world.table.handle_rule(world.now, number, Err("the disk is full".into()));
    world.settle();
    assert_eq!(world.table.rules(), []);
}
