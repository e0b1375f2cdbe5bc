//! What may be lost on the way: reports, a hold that should be a cover, the person's screen.

use super::*;
use crate::cover::Cover;
use crate::device::OsFault;
use crate::front::Front;

fn playing() -> World {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world
}

/// What the pad of slot 1 was told, by all that left.
fn south(world: &World) -> Option<i32> {
    world.shadows[&slot(1)].get(&(1, 0x130)).copied()
}

fn asked(world: &mut World, answer: Result<Vec<Vec<u8>>, OsFault>) {
    world.now.0 += 1000;
    world.table.handle_asked(world.now, NodeId(0), &answer);
    world.settle();
}

#[test]
fn a_release_lost_among_reports_is_found_by_query() {
    let mut world = playing();
    world.report(0, &[1, 128]);
    assert_eq!(south(&world), Some(1));
    asked(&mut world, Ok(vec![vec![2, 128]]));
    assert_eq!(south(&world), None);
    assert_eq!(world.shadows[&slot(1)].get(&(1, 0x131)), Some(&1), "and a press among them as well");
}

#[test]
fn an_unanswered_query_releases_until_the_next_report() {
    let mut world = playing();
    world.report(0, &[1, 128]);
    asked(&mut world, Err(OsFault { operation: "HIDIOCGINPUT".into(), path: "/dev/hidraw0".into(), errno: 32 }));
    assert_eq!(world.shadows[&slot(1)], Shadow::new());
    let said = std::iter::from_fn(|| world.table.poll_note()).any(|note| note.text.contains("until its next report"));
    assert!(said, "and it is said");
    // The same bytes as before: they count, although nothing has changed in them.
    world.report(0, &[1, 128]);
    assert_eq!(south(&world), Some(1));
}

#[test]
fn pads_rest_while_another_login_session_is_in_front() {
    let mut world = playing();
    world.report(0, &[1, 128]);
    world.now.0 += 1000;
    world.table.handle_front(world.now, Front::OtherSession);
    world.settle();
    assert_eq!(south(&world), None);
    world.report(0, &[3, 128]);
    assert_eq!(world.shadows[&slot(1)], Shadow::new(), "what is read may be meant for somebody else");
    // Released and played on meanwhile, it rests all the same.
    world.command(Command::LetGo);
    world.command(Command::Resume);
    world.report(0, &[1, 128]);
    assert_eq!(world.shadows[&slot(1)], Shadow::new());
    world.now.0 += 1000;
    world.table.handle_front(world.now, Front::Ours);
    world.settle();
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(south(&world), Some(1));
}

#[test]
fn a_hold_becomes_a_cover_when_that_works() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    let cover = |world: &World| world.table.device(DeviceId(0)).expect("it is there").cover.clone();
    assert_eq!(cover(&world), Cover::Covered(Strength::Held));
    world.effects.clear();
    world.strength = Ok(Strength::Hidden);
    world.now.0 += 1000;
    world.table.handle_cover_again(world.now, DeviceId(0));
    world.settle();
    assert_eq!(cover(&world), Cover::Covered(Strength::Hidden));
    assert!(!world.effects.contains(&Effect::Uncover(DeviceId(0))), "it is never free in between: {:?}", world.effects);
    // If it is hidden it is requested once more, which does nothing; it is never free in between.
    world.effects.clear();
    world.table.handle_cover_again(world.now, DeviceId(0));
    world.settle();
    assert!(matches!(world.effects.as_slice(), [Effect::Cover(_)]), "{:?}", world.effects);
    assert_eq!(cover(&world), Cover::Covered(Strength::Hidden));
}
