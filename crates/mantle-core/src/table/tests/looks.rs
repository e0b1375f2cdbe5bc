//! When to look at what a game would see, what is said meanwhile, and what follows from it.

use super::{Settings, World, node, slot};
use crate::command::Command;
use crate::cover::Cover;
use crate::device::{DeviceId, NodeFacts, OsFault};
use crate::readiness::ReadyFacts;
use crate::sight::{Look, Program, SeenNode, Takes, Verdict};
use crate::table::Effect;
use crate::time::Micros;

/// A pad with an input node.
fn pad(id: u16) -> NodeFacts {
    let (serial, port) = (format!("S{id}"), format!("1-{}", id + 1));
    NodeFacts { inputs: vec![format!("/dev/input/event{}", 4 + id)], ..node(id, &serial, &port) }
}

fn looks(world: &World) -> usize {
    world.effects.iter().filter(|effect| matches!(effect, Effect::Look(_))).count()
}

fn later(world: &mut World, millis: u64) {
    world.now = world.now.after(Micros::millis(millis));
    world.table.handle_time(world.now);
    world.settle();
}

/// The pads of the table, and the input nodes of its devices, with a program that has all of them open.
fn look(world: &World, program: bool) -> Look {
    let pads = world.table.slots().map(|(_, slot)| (slot.pad_node.clone(), 50));
    let sources = world.table.devices().flat_map(|device| &device.sources);
    let inputs = sources.filter_map(|node| world.table.source(*node)).flat_map(|source| source.facts.inputs.clone());
    let all: Vec<(String, usize)> = pads.chain(inputs.map(|path| (path, 5))).collect();
    let nodes = all.iter().enumerate().map(|(at, (path, first))| SeenNode {
        path: path.clone(),
        place: format!("/sys/{at}/event{}", first + at),
        input: format!("/sys/{at}"),
        device: format!("/sys/{at}"),
        abilities: Takes::Pad,
        ..SeenNode::default()
    });
    let opens = all.iter().map(|(path, _)| path.clone()).collect();
    let program = program.then(|| Program { pid: 612, name: "crane".into(), nodes: opens, ..Program::default() });
    Look { nodes: nodes.collect(), programs: program.into_iter().collect(), ..Look::default() }
}

#[test]
fn a_change_triggers_a_look_and_later_changes_one_more() {
    let mut world = World::plain();
    world.plug_at_once(pad(0));
    assert_eq!(looks(&world), 0, "everything finds its place first");
    later(&mut world, 400);
    assert_eq!(looks(&world), 1);
    assert_eq!(*world.table.verdict(slot(1)), Verdict::Unknown);
    // During a look another device arrives: what was seen may be from the moment before.
    let seen = look(&world, false);
    world.plug_at_once(pad(1));
    later(&mut world, 400);
    assert_eq!(looks(&world), 1, "one at a time");
    world.table.handle_look(world.now, seen);
    assert_eq!(*world.table.verdict(slot(1)), Verdict::Unknown);
    later(&mut world, 0);
    assert_eq!(looks(&world), 2);
    let seen = look(&world, false);
    world.table.handle_look(world.now, seen.clone());
    assert!(world.table.verdict(slot(1)).number().is_some(), "{:?}", world.table.verdict(slot(1)));
    // Once all is known looks are rare; frequent while something is wrong, or somebody watches.
    let before = looks(&world);
    later(&mut world, 1_900);
    assert_eq!(looks(&world), before);
    world.table.handle_watched(world.now, true);
    later(&mut world, 300);
    assert_eq!(looks(&world), before + 1);
    world.table.handle_look(world.now, Look { at: Some(5), ..seen });
    later(&mut world, 1_999);
    assert_eq!(looks(&world), before + 1);
    later(&mut world, 1);
    assert_eq!(looks(&world), before + 2);
}

#[test]
fn readiness_is_checked_while_somebody_watches_it() {
    let mut world = World::plain();
    world.plug_at_once(pad(0));
    later(&mut world, 400);
    let asked = |world: &World| world.effects.iter().filter(|effect| **effect == Effect::LookReady).count();
    assert_eq!((asked(&world), world.table.obstacles()), (0, None));
    world.table.handle_look(world.now, look(&world, false));
    world.table.handle_watched(world.now, true);
    world.table.handle_readiness_watched(world.now, true);
    later(&mut world, 1);
    assert_eq!(asked(&world), 1);
    let closed = ReadyFacts { pads: Err(crate::path::PadFault::Denied), ..ReadyFacts::default() };
    for (facts, found) in [(closed, 1), (ReadyFacts::default(), 0)] {
        world.table.handle_ready(world.now, facts);
        assert_eq!(world.table.obstacles().map(<[_]>::len), Some(found));
        // Every two seconds, together with what a game sees.
        world.table.handle_look(world.now, look(&world, false));
        let before = asked(&world);
        later(&mut world, 2_000);
        assert_eq!(asked(&world), before + 1);
    }
    world.table.handle_readiness_watched(world.now, false);
    world.table.handle_look(world.now, look(&world, false));
    let before = asked(&world);
    later(&mut world, 5_000);
    assert_eq!(asked(&world), before, "nobody looks");
    world.table.handle_readiness_watched(world.now, true);
    assert_eq!(world.table.obstacles(), None, "what was found then may not be so now");
}

#[test]
fn a_device_is_covered_once_other_programs_release_it() {
    let mut world = World::plain();
    let busy = OsFault { operation: "holding".into(), path: "/dev/input/event4".into(), errno: 16 };
    world.strength = Err(busy);
    world.plug(pad(0));
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    later(&mut world, 400);
    let cover = |world: &World| world.table.device(DeviceId(0)).map(|device| device.cover.clone());
    assert!(matches!(cover(&world), Some(Cover::Failed(_))), "{:?}", cover(&world));
    let covers = |world: &World| world.effects.iter().filter(|effect| matches!(effect, Effect::Cover(_))).count();
    let tried = covers(&world);
    world.table.handle_look(world.now, look(&world, true));
    world.settle();
    assert_eq!(covers(&world), tried, "as long as it is open elsewhere it is not tried again and again");
    let sentences = world.table.slot_facts(slot(1)).map(|facts| crate::path::Looked::at(&facts).sentences);
    let named = |text: &str| text.contains("crane (612) has it open");
    assert!(sentences.iter().flatten().any(|sentence| named(&sentence.text)), "{sentences:?}");
    world.strength = Ok(crate::cover::Strength::Held);
    world.table.handle_look(world.now, look(&world, false));
    world.settle();
    assert_eq!(covers(&world), tried + 1);
    assert_eq!(cover(&world), Some(Cover::Covered(crate::cover::Strength::Held)));
    // Requested by hand it is refused if there is nothing to be done.
    let answer = world.command(Command::CoverAnew { device: DeviceId(0) });
    assert!(matches!(&answer, crate::command::Answer::Refused { why } if why.contains("is covered")), "{answer:?}");
}

#[test]
fn a_game_with_a_private_dev_stops_its_slot() {
    use crate::games::{GameRule, GameSign, RunningProgram};
    let rules = vec![GameRule { signs: vec![GameSign::Program("cellar".into())], ..GameRule::default() }];
    let mut world = World::new(Settings { rules, cover: true, ..Settings::default() });
    world.plug(pad(0));
    later(&mut world, 400);
    let seen = look(&world, false);
    world.table.handle_look(world.now, seen.clone());
    let before = world.table.verdict(slot(1)).clone();
    assert!(before.number().is_some(), "{before:?}");
    let cellar = RunningProgram { pid: 612, started: 1, names: vec!["cellar".into()], ..RunningProgram::default() };
    world.running = vec![cellar];
    world.now.0 += 1_000_000;
    world.table.handle_running(world.now, world.round, world.running.clone());
    later(&mut world, 0);
    // It looks at once, and into that process, although it has nothing open.
    assert_eq!(world.effects.last(), Some(&Effect::Look(Some(612))));
    let cellar = Program { pid: 612, name: "cellar".into(), own_dev: Some(Vec::new()), ..Program::default() };
    world.table.handle_look(world.now, Look { programs: vec![cellar], ..seen.clone() });
    assert_eq!(*world.table.verdict(slot(1)), Verdict::ShutIn("cellar".into()));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    let text = world.sentence().1;
    assert!(text.contains("cellar has its own /dev") && text.contains("Restart it"), "{text}");
    // It has ended.
    world.running.clear();
    world.now.0 += 1_000_000;
    world.table.handle_running(world.now, world.round, Vec::new());
    later(&mut world, 0);
    world.table.handle_look(world.now, seen);
    assert_eq!(*world.table.verdict(slot(1)), before);
}

#[test]
fn a_brief_hold_by_another_program_does_not_leave_a_device_bare() {
    let mut world = World::plain();
    let busy = || OsFault { operation: "holding".into(), path: "/dev/input/event4".into(), errno: 16 };
    world.strength = Err(busy());
    world.plug(pad(0));
    later(&mut world, 400);
    let covers = |world: &World| world.effects.iter().filter(|effect| matches!(effect, Effect::Cover(_))).count();
    let tried = covers(&world);
    // Nobody has it open by the time of the look: it is tried again, though not for ever.
    let seen = look(&world, false);
    for _ in 0..6 {
        world.table.handle_look(world.now, seen.clone());
        world.settle();
    }
    assert_eq!(covers(&world), tried + 3);
    let mut free = World::plain();
    free.strength = Err(busy());
    free.plug(pad(0));
    later(&mut free, 400);
    free.strength = Ok(crate::cover::Strength::Held);
    let seen = look(&free, false);
    free.table.handle_look(free.now, seen);
    free.settle();
    let device = free.table.device(DeviceId(0)).map(|device| device.cover.clone());
    assert_eq!(device, Some(Cover::Covered(crate::cover::Strength::Held)));
}
