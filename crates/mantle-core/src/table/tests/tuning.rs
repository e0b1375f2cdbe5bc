use super::profiles::{give, profile, world};
use super::*;
use crate::binding::{Change, ProfileAct};
use crate::feel::{Feel, Setting, Shape, Shaped};
use std::sync::Arc;

fn across(world: &World) -> i32 {
    world.pad(1).axes[0]
}

/// The profile says this of the left stick from now on.
fn feel(world: &mut World, change: impl Fn(&mut Shape)) {
    let mut feel = Feel::plain(0.0, 0.0);
    change(&mut feel.sticks[0]);
    let profile = crate::binding::Profile { feel, ..profile("ferry", Vec::new()) };
    world.table.handle_profiles(world.now, vec![Arc::new(profile)], Vec::new());
    world.settle();
}

#[test]
fn flipping_alternates_between_old_and_new_feel() {
    let mut world = world(Vec::new());
    feel(&mut world, |_| ());
    world.now.0 += 70_000_000;
    feel(&mut world, |shape| shape.sensitivity = 2.0);
    feel(&mut world, |shape| shape.sensitivity = 3.0);
    world.report(0, &[0, 153]);
    let new = across(&world);
    give(&mut world, Command::FlipFeel { slot: slot(1) });
    let old = across(&world);
    assert!(old > 6_000 && (new - 3 * old).abs() < 10, "from before all changes: {old}, {new}");
    give(&mut world, Command::FlipFeel { slot: slot(1) });
    assert_eq!(across(&world), new);
    give(&mut world, Command::FlipFeel { slot: slot(1) });
    feel(&mut world, |shape| shape.sensitivity = 4.0);
    assert!(!world.table.slot(slot(1)).expect("in use").tuning.flipped, "a change plays at once");
}

#[test]
fn smoothing_continues_on_its_own_and_release_is_immediate() {
    let mut world = world(Vec::new());
    feel(&mut world, |shape| shape.smoothing = Micros::millis(20));
    world.report(0, &[0, 255]);
    let first = across(&world);
    world.table.handle_time(world.now.after(Micros::millis(20)));
    world.settle();
    let later = across(&world);
    assert!(first < 1_000 && (19_000..21_000).contains(&later), "{first} {later}");
    world.table.handle_time(world.now.after(Micros::seconds(1)));
    world.settle();
    assert_eq!((across(&world), world.table.deadline_of_play()), (32_767, None), "it comes to its end");
    give(&mut world, Command::LetGo);
    assert_eq!(across(&world), 0, "let go is not smoothed");
}

#[test]
fn the_output_rises_until_the_game_moves() {
    let mut world = world(Vec::new());
    let which = Shaped::LeftStick;
    give(&mut world, Command::WalkOutput { slot: slot(1), which });
    world.table.handle_time(world.now.after(Micros::seconds(2)));
    world.settle();
    assert_eq!(across(&world), (0.2f32 * 32_767.0).round() as i32, "a tenth a second");
    give(&mut world, Command::EndWalk { slot: slot(1), moved: true });
    let asked = world.effects.iter().rev().find_map(|effect| match effect {
        Effect::Profile { act: ProfileAct::Change(changes), .. } => Some(changes.clone()),
        _ => None,
    });
    assert_eq!(asked, Some(vec![Change::Feel(which, Setting::Minimum(200))]));
    assert_eq!(across(&world), 0, "it is at rest again");
    give(&mut world, Command::WalkOutput { slot: slot(1), which });
    world.table.handle_time(world.now.after(Micros::seconds(20)));
    world.settle();
    assert_eq!(across(&world), (0.6f32 * 32_767.0).round() as i32, "not further than that");
    world.table.handle_time(world.now.after(Micros::seconds(31)));
    world.settle();
    assert_eq!((across(&world), world.table.deadline_of_play()), (0, None), "it ends by itself");
    give(&mut world, Command::WalkOutput { slot: slot(1), which });
    world.table.handle_time(world.now.after(Micros::seconds(2)));
    world.settle();
    give(&mut world, Command::LetGo);
    assert_eq!(across(&world), 0);
}

#[test]
fn measured_values_are_raw_device_values() {
    let mut world = world(Vec::new());
    give(&mut world, Command::MeasureFeel(Some((slot(1), Shaped::LeftStick))));
    for _ in 0..5_100 {
        world.report(0, &[0, 131]);
    }
    let (_, measure) = world.table.measuring().expect("it goes on");
    assert!(measure.rolling());
    assert!((0.02..0.03).contains(&measure.figures().0), "{:?}", measure.figures());
    give(&mut world, Command::MeasureFeel(None));
    assert!(world.table.measuring().is_none());
}

#[test]
fn a_press_is_sent_after_five_seconds_on_the_chosen_control_alone() {
    let mut world = world(Vec::new());
    give(&mut world, Command::PressFor { slot: slot(1), target: PadTarget::North });
    let begun = world.now;
    let mut down = Vec::new();
    for tenth in 1..80u64 {
        world.table.handle_time(begun.after(Micros::millis(100 * tenth)));
        world.settle();
        if world.down(1, PadTarget::North) {
            down.push(tenth);
        }
    }
    assert_eq!(down, [50, 51, 52, 53], "from five seconds on, for four tenths");
    world.now = begun.after(Micros::seconds(9));
    give(&mut world, Command::SendOnly { slot: slot(1), target: Some(PadTarget::South) });
    world.report(0, &[0b11, 255]);
    assert!(world.down(1, PadTarget::South) && !world.down(1, PadTarget::East));
    assert_eq!(across(&world), 0, "the stick is not sent");
    assert!(!world.table.slot(slot(1)).expect("in use").session.seen.done(PadTarget::South));
    world.table.handle_time(world.now.after(crate::session::ONLY));
    world.settle();
    assert!(world.down(1, PadTarget::East), "it ends by itself");
    give(&mut world, Command::SendOnly { slot: slot(1), target: Some(PadTarget::North) });
    give(&mut world, Command::LetGo);
    give(&mut world, Command::Resume);
    assert_eq!(world.table.slot(slot(1)).expect("in use").session.helping(), None, "let go ends it");
}

/// A step of the feel during play is no release: games would see a button released and pressed again.
#[test]
fn a_change_of_feel_releases_nothing() {
    let mut world = world(Vec::new());
    feel(&mut world, |_| ());
    world.report(0, &[0b1, 255]);
    let mut events = Vec::new();
    let mut shape = Feel::plain(0.0, 0.0);
    shape.sticks[0].sensitivity = 0.5;
    let next = crate::binding::Profile { feel: shape, ..profile("ferry", Vec::new()) };
    world.table.handle_profiles(world.now, vec![Arc::new(next)], Vec::new());
    while let Some((_, _, sent)) = world.table.poll_write() {
        events.extend(sent.iter().collect::<Vec<_>>());
    }
    assert_eq!(events.len(), 2, "the stick and the end of the frame: {events:?}");
    assert!(world.down(1, PadTarget::South));
}
