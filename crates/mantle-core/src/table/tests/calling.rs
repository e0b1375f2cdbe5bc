use super::profiles::{give, profile, rule};
use super::*;
use crate::binding::{Change, ProfileAct};
use crate::rollcall::CallStep;
use std::sync::Arc;

const FACE: [Target; 4] = {
    use PadTarget::{East, North, South, West};
    [Target::Pad(South), Target::Pad(East), Target::Pad(West), Target::Pad(North)]
};

/// What is to be saved, taken from the effects.
fn saved(world: &mut World) -> Vec<(CommandNumber, String, Vec<Change>)> {
    let mut out = Vec::new();
    world.effects.retain(|effect| match effect {
        Effect::Profile { number, name, act: ProfileAct::Change(changes), .. } => {
            out.push((*number, name.clone(), changes.clone()));
            false
        }
        _ => true,
    });
    out
}

/// Reports of a press of these buttons, each 1 ms after the one before, and of rest around it.
fn press(world: &mut World, buttons: u8) {
    for at in 0..400 {
        world.report(0, &[if (100..150).contains(&at) { buttons } else { 0 }, 128]);
    }
}

fn source(target: impl Into<Target>, source: &str) -> Change {
    Change::Source { target: target.into(), layer: String::new(), source: Some(source.into()), inverted: false }
}

#[test]
fn answers_are_saved_one_by_one() {
    let mut world = profiles::world(vec![rule(PadTarget::Mode, "button 8")]);
    give(&mut world, Command::CallRoll { slot: slot(1), targets: FACE.to_vec() });
    press(&mut world, 0b100);
    press(&mut world, 0b1000);
    let first = saved(&mut world);
    let [(number, name, changes)] = first.as_slice() else { panic!("one at a time: {first:?}") };
    assert_eq!((name.as_str(), changes.as_slice()), ("ferry", &[source(PadTarget::South, "button 3")][..]));
    assert!(number.0 > crate::command::OWN, "nobody's command");
    let ferry = Arc::new(profile("ferry", vec![rule(PadTarget::South, "button 3")]));
    world.table.handle_profile(world.now, *number, Ok((*ferry).clone()));
    world.settle();
    let second = saved(&mut world);
    assert_eq!(second.len(), 1, "then the next: {second:?}");
    assert_eq!(second[0].2, [source(PadTarget::East, "button 4")]);
    give(&mut world, Command::StepCall(CallStep::Skip));
    give(&mut world, Command::StepCall(CallStep::Skip));
    assert_eq!(world.table.calling().and_then(|calling| calling.call.target()), None, "it is over");
    give(&mut world, Command::EndCall);
    assert!(world.table.calling().is_none());
}

#[test]
fn targets_not_asked_for_are_listed() {
    let mut world = profiles::world(vec![rule(PadTarget::Mode, "button 8")]);
    give(&mut world, Command::CallRoll { slot: slot(1), targets: vec![PadTarget::South.into()] });
    press(&mut world, 0b1000_0000);
    let question = world.table.calling().and_then(|calling| calling.call.question()).expect("it is asked about");
    assert_eq!(question.plays, PadTarget::Mode);
    give(&mut world, Command::TakeOut { slot: slot(1) });
    assert!(world.table.calling().is_none(), "without a slot there is no roll call");
}
