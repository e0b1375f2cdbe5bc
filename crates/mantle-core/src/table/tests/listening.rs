//! One thing goes on at a time; each screen has its own view, and it is seen anew after that.

use super::profiles::{give, rule, world};
use super::*;
use crate::command::{Asker, CalibrationStep};
use crate::device::DeviceId;
use crate::feel::Shaped;
use crate::listening::Listening;

const PAD_0: (DeviceId, u8) = (DeviceId(0), 0);

/// What looks on, in a word.
fn now(world: &World) -> &'static str {
    match world.table.listening() {
        Listening::Nothing => "nothing",
        Listening::Press(_) => "press",
        Listening::RollCall(_) => "roll call",
        Listening::Calibration(_) => "calibration",
        Listening::Measure(..) => "measure",
        Listening::Fields(_) => "fields",
    }
}

/// What a screen asks for.
fn ask(world: &mut World, screen: u8, command: Command) {
    world.now.0 += 1000;
    world.numbers += 1;
    world.table.handle_command(world.now, CommandNumber::of(Asker(screen), world.numbers), command);
    assert!(matches!(world.table.poll_answer(), Some((_, Answer::Done { .. }))));
    world.settle();
}

/// Whether the slot's pad and the device's controls are in view, and since when the pad is.
fn on_view(world: &World) -> (Option<Micros>, bool) {
    (world.table.trying(slot(1)).map(|trial| trial.begun), world.table.observed(PAD_0.0, PAD_0.1).is_some())
}

fn try_pad(slot: Option<SlotNumber>) -> Command {
    Command::TryPad { slot, again: false }
}

#[test]
pub(super) fn what_is_on_view_is_seen_anew_after_whatever_else_went_on() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    let press = || Command::Listen { slot: slot(1), target: PadTarget::South.into() };
    let roll = || Command::CallRoll { slot: slot(1), targets: vec![PadTarget::South.into()] };
    let measure = || Command::MeasureFeel(Some((slot(1), Shaped::LeftStick)));
    let calibrate = || Command::Calibrate { device: PAD_0.0, part: PAD_0.1 };
    let begins = [
        ("press", press(), Command::StopListening),
        ("roll call", roll(), Command::EndCall),
        ("measure", measure(), Command::MeasureFeel(None)),
        ("calibration", calibrate(), Command::StepCalibration(CalibrationStep::Stop)),
    ];
    ask(&mut world, 0, try_pad(Some(slot(1))));
    for (name, begin, end) in begins {
        let before = on_view(&world).0;
        give(&mut world, begin);
        assert_eq!(now(&world), name);
        // What is pressed for something else is not tried.
        world.report(0, &[1, 128]);
        world.report(0, &[0, 128]);
        // A view that is opened while somebody is asked for something takes nothing away.
        ask(&mut world, 1, Command::LookAt(Some(PAD_0)));
        assert_eq!((now(&world), on_view(&world)), (name, (before, true)));
        ask(&mut world, 1, Command::LookAt(None));
        if now(&world) == name {
            give(&mut world, end);
        }
        assert_eq!(now(&world), "nothing");
        let after = on_view(&world).0;
        assert!(after > before, "the {name}: {before:?} {after:?}");
    }
    // The view that was left meanwhile does not come back.
    give(&mut world, press());
    ask(&mut world, 0, try_pad(None));
    give(&mut world, Command::StopListening);
    assert_eq!(on_view(&world), (None, false));
}

#[test]
fn each_screen_watches_only_what_it_shows() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    ask(&mut world, 0, try_pad(Some(slot(1))));
    let began = on_view(&world).0;
    assert!(began.is_some());
    // Another one at something else, and a third at the same.
    ask(&mut world, 1, Command::LookAt(Some(PAD_0)));
    ask(&mut world, 2, try_pad(Some(slot(1))));
    assert_eq!(on_view(&world), (began, true));
    // Whoever leaves takes only what is their own.
    ask(&mut world, 1, try_pad(None));
    ask(&mut world, 0, try_pad(None));
    assert_eq!(on_view(&world), (began, true));
    ask(&mut world, 2, Command::LookAt(Some(PAD_0)));
    assert_eq!(on_view(&world), (None, true), "nobody tries it any more");
    ask(&mut world, 1, Command::LookAt(None));
    assert_eq!(on_view(&world), (None, true), "one screen still shows them");
    ask(&mut world, 2, Command::LookAt(None));
    assert_eq!(on_view(&world), (None, false));
    // What cannot be seen is refused, and nobody shows it.
    assert!(matches!(world.command(try_pad(Some(slot(7)))), Answer::Refused { .. }));
    assert!(world.table.trying(slot(7)).is_none());
}

#[test]
fn starting_an_activity_replaces_the_running_one() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    let begins = [
        ("press", Command::Listen { slot: slot(1), target: PadTarget::South.into() }),
        ("roll call", Command::CallRoll { slot: slot(1), targets: vec![PadTarget::South.into()] }),
        ("measure", Command::MeasureFeel(Some((slot(1), Shaped::LeftStick)))),
        ("calibration", Command::Calibrate { device: PAD_0.0, part: PAD_0.1 }),
    ];
    for (_, before) in &begins {
        for (name, next) in &begins {
            give(&mut world, before.clone());
            give(&mut world, next.clone());
            assert_eq!(now(&world), *name, "after {before:?}");
        }
        world.table.handle_finding(world.now, Some(NodeId(0)));
        world.settle();
        assert_eq!(now(&world), "fields", "after {before:?}");
        world.table.handle_finding(world.now, None);
        world.settle();
    }
    give(&mut world, Command::StepCalibration(CalibrationStep::Stop));
}

#[test]
fn activities_on_a_node_end_with_it() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    give(&mut world, Command::LookAt(Some(PAD_0)));
    give(&mut world, Command::Calibrate { device: PAD_0.0, part: PAD_0.1 });
    world.unplug(0);
    assert_eq!((now(&world), on_view(&world)), ("nothing", (None, false)));
    world.plug(node(0, "A", "1-1"));
    world.table.handle_finding(world.now, Some(NodeId(0)));
    world.settle();
    world.unplug(0);
    assert_eq!(now(&world), "nothing");
    assert_eq!(world.table.deadline_of_play(), None);
}
