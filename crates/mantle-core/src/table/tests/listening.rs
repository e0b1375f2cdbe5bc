//! One thing looks on at a time; what is on view comes back when nothing else goes on.

use super::profiles::{give, rule, world};
use super::*;
use crate::command::CalibrationStep;
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
        Listening::Controls(_) => "controls",
        Listening::Measure(..) => "measure",
        Listening::Trial(..) => "trial",
        Listening::Fields(_) => "fields",
    }
}

#[test]
pub(super) fn what_is_on_view_gives_way_and_comes_back() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    let press = || Command::Listen { slot: slot(1), target: PadTarget::South.into() };
    let roll = || Command::CallRoll { slot: slot(1), targets: vec![PadTarget::South.into()] };
    let measure = || Command::MeasureFeel(Some((slot(1), Shaped::LeftStick)));
    let begins: [(&str, Command); 3] = [("press", press()), ("roll call", roll()), ("measure", measure())];
    for (view, seen) in
        [("controls", Command::LookAt(Some(PAD_0))), ("trial", Command::TryPad { slot: Some(slot(1)), again: false })]
    {
        give(&mut world, seen.clone());
        assert_eq!(now(&world), view);
        for (name, begin) in &begins {
            give(&mut world, begin.clone());
            assert_eq!(now(&world), *name);
            // A view that is opened while somebody is asked for something takes nothing away.
            give(&mut world, seen.clone());
            assert_eq!(now(&world), *name);
            let end = match *name {
                "press" => Command::StopListening,
                "roll call" => Command::EndCall,
                _ => Command::MeasureFeel(None),
            };
            give(&mut world, end);
            assert_eq!(now(&world), view, "after the {name}");
        }
    }
    // The view that was left meanwhile does not come back.
    give(&mut world, press());
    give(&mut world, Command::TryPad { slot: None, again: false });
    give(&mut world, Command::StopListening);
    assert_eq!(now(&world), "nothing");
}

#[test]
fn whatever_is_begun_takes_the_place_of_what_went_on() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    let begins = [
        ("press", Command::Listen { slot: slot(1), target: PadTarget::South.into() }),
        ("roll call", Command::CallRoll { slot: slot(1), targets: vec![PadTarget::South.into()] }),
        ("measure", Command::MeasureFeel(Some((slot(1), Shaped::LeftStick)))),
        ("controls", Command::Calibrate { device: PAD_0.0, part: PAD_0.1 }),
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
fn what_a_node_was_looked_at_for_ends_with_it() {
    let mut world = world(vec![rule(PadTarget::South, "button 1")]);
    give(&mut world, Command::LookAt(Some(PAD_0)));
    world.unplug(0);
    assert_eq!(now(&world), "nothing");
    world.plug(node(0, "A", "1-1"));
    world.table.handle_finding(world.now, Some(NodeId(0)));
    world.settle();
    world.unplug(0);
    assert_eq!(now(&world), "nothing");
    assert_eq!(world.table.deadline_of_play(), None);
}
