//! Profiles that come, change and go while somebody plays by them.

use super::*;
use crate::binding::{Change, Named, Options, Profile, ProfileAct, ProfileStoreAct, Rule};
use crate::rollcall::Heard;
use std::sync::Arc;

pub(super) fn rule(target: impl Into<Target>, source: &str) -> Rule {
    Rule { target: target.into(), source: Some(Named::parse(source)), layer: 0, line: 4, options: Options::default() }
}

pub(super) fn profile(name: &str, rules: Vec<Rule>) -> Profile {
    Profile { origin: format!("{name}.profile.toml"), rules, ..Profile::plain(name, Default::default()) }
}

/// A pad in slot 1 that plays by a profile.
pub(super) fn world(rules: Vec<Rule>) -> World {
    let mut world = World::new(Settings { profiles: vec![Arc::new(profile("ferry", rules))], ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world.place(0, 1, "ferry");
    world.report(0, &[0, 128]);
    world
}

/// What the table wants done to a profile.
fn wanted(world: &World) -> (CommandNumber, String, String, ProfileAct) {
    let found = world.effects.iter().rev().find_map(|effect| match effect {
        Effect::Profile { number, name, origin, act } => Some((*number, name.clone(), origin.clone(), act.clone())),
        _ => None,
    });
    found.expect("something is to be saved")
}

pub(super) fn give(world: &mut World, command: Command) -> CommandNumber {
    world.now.0 += 1000;
    world.numbers += 1;
    world.table.handle_command(world.now, CommandNumber(world.numbers), command);
    world.settle();
    CommandNumber(world.numbers)
}

fn source(button: &str) -> Vec<Change> {
    let source = Some(button.to_owned());
    vec![Change::Source { target: PadTarget::South.into(), layer: String::new(), source, inverted: false }]
}

#[test]
fn profile_bindings_override_defaults_and_leave_the_rest() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    world.report(0, &[0b100, 128]);
    assert!(world.down(1, PadTarget::South) && !world.down(1, PadTarget::West));
    world.report(0, &[0b10, 128]);
    assert!(world.down(1, PadTarget::East) && !world.down(1, PadTarget::South));
}

#[test]
fn a_saved_change_is_confirmed_and_releases_held_controls() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    world.report(0, &[0b100, 128]);
    let number = give(&mut world, Command::Edit { slot: slot(1), changes: source("button 5") });
    assert_eq!(world.table.poll_answer(), None, "not saved yet");
    assert_eq!(
        wanted(&world),
        (number, "ferry".into(), "ferry.profile.toml".into(), ProfileAct::Change(source("button 5")))
    );
    world.table.handle_profile(world.now, number, Ok(profile("ferry", vec![rule(PadTarget::South, "button 5")])));
    world.settle();
    let inverse = Some(Command::TakeBack { slot: slot(1), again: false });
    assert_eq!(
        world.table.poll_answer(),
        Some((number, Answer::Done { said: "South ← button 5, in ferry".into(), inverse }))
    );
    assert_eq!(world.pad(1), PadState::default(), "what was held is let go");
    world.report(0, &[0b1_0000, 128]);
    assert!(world.down(1, PadTarget::South));
    let number = give(&mut world, Command::TakeBack { slot: slot(1), again: false });
    assert_eq!(wanted(&world).3, ProfileAct::Back);
    world.table.handle_profile(world.now, number, Err("the disk is full".into()));
    let refused = Answer::Refused { why: "the disk is full".into() };
    assert_eq!(world.table.poll_answer(), Some((number, refused)));
    assert!(world.down(1, PadTarget::South), "what could not be saved changes nothing");
}

#[test]
fn changing_the_plain_profile_creates_a_new_one() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    let number = give(&mut world, Command::Edit { slot: slot(2), changes: source("button 5") });
    let (_, name, origin, _) = wanted(&world);
    assert_eq!((name.as_str(), origin.as_str()), ("pad", ""), "named after who plays");
    world.table.handle_profile(world.now, number, Ok(profile("pad", vec![rule(PadTarget::South, "button 5")])));
    world.settle();
    let names: Vec<String> = world.table.slots().map(|(_, slot)| slot.profile.clone()).collect();
    assert_eq!(names, ["plain", "pad"]);
    assert_eq!(world.memory.slots[1].profile, "pad", "and it is remembered");
    let refused = give(&mut world, Command::TakeBack { slot: slot(1), again: false });
    let why = "the profile plain has not been changed".to_owned();
    assert!(matches!(world.table.poll_answer(), Some((first, Answer::Done { .. })) if first == number));
    assert_eq!(world.table.poll_answer(), Some((refused, Answer::Refused { why })));
}

#[test]
fn a_temporarily_unreadable_profile_stays_in_force() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    world.table.handle_profiles(world.now, Vec::new(), vec!["it is broken".into()]);
    world.settle();
    world.report(0, &[0b100, 128]);
    assert!(world.down(1, PadTarget::South), "its file is broken: it plays on");
    world.table.handle_profiles(
        world.now,
        vec![Arc::new(profile("ferry", vec![rule(PadTarget::South, "button 4")]))],
        Vec::new(),
    );
    world.settle();
    assert!(!world.down(1, PadTarget::South));
    world.report(0, &[0, 128]);
    world.report(0, &[0b1000, 128]);
    assert!(world.down(1, PadTarget::South), "edited by hand, it plays so at once");
}

#[test]
fn listening_for_a_press_keeps_the_pad_playing() {
    let mut world = world(Vec::new());
    give(&mut world, Command::Listen { slot: slot(1), target: PadTarget::North.into() });
    for _ in 0..100 {
        world.report(0, &[0, 128]);
    }
    world.report(0, &[0b10, 128]);
    assert_eq!(world.table.capturing().expect("it listens").heard().1, &Heard::Pressed);
    assert!(world.down(1, PadTarget::East), "the pad plays on");
    for _ in 0..30 {
        world.report(0, &[0, 128]);
    }
    world.table.handle_time(world.now.after(crate::rollcall::CALM));
    let Heard::Taken(taken) = world.table.capturing().expect("it listens").heard().1.clone() else { panic!("nothing") };
    assert_eq!(taken.source.text(), "button 2");
    give(&mut world, Command::StopListening);
    assert!(world.table.capturing().is_none());
}

/// However late the wake-up: what runs by itself is written as separate frames, each with its own stamp.
#[test]
fn late_wake_ups_give_the_same_frames() {
    let ramp = Options { ramp: Micros::millis(20), ..Options::default() };
    let frames = |late: bool| {
        let mut world = world(vec![Rule { options: ramp.clone(), ..rule(PadTarget::RightTrigger, "button 1") }]);
        let start = world.now;
        let mut frames = Vec::new();
        let mut at = start;
        for step in 0..40u64 {
            at = start.after(Micros(2_500 * (step + 1)));
            let pressed = (4..12).contains(&step) || step == 20;
            if step % 8 == 4 || step == 12 || step == 20 || step == 21 {
                world.table.handle_report(at, NodeId(0), &[u8::from(pressed), 128]);
            } else if !late {
                world.table.handle_time(at);
            }
            while let Some((_, earlier, events)) = world.table.poll_write() {
                frames.push((earlier.unwrap_or(at), events.iter().collect::<Vec<_>>()));
            }
        }
        world.table.handle_time(at.after(Micros::seconds(1)));
        while let Some((_, earlier, events)) = world.table.poll_write() {
            frames.push((earlier.unwrap_or(at), events.iter().collect::<Vec<_>>()));
        }
        assert_eq!(world.pad(1), PadState::default());
        frames
    };
    let (prompt, late) = (frames(false), frames(true));
    assert!(prompt.len() > 5, "{prompt:?}");
    assert_eq!(prompt, late);
}

#[test]
fn a_slot_follows_its_profiles_new_name() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    let renamed = Profile { name: "night ferry".into(), ..profile("ferry", vec![rule(PadTarget::South, "button 3")]) };
    world.table.handle_profiles(world.now, vec![Arc::new(renamed)], Vec::new());
    world.settle();
    assert_eq!(world.table.slot(slot(1)).expect("in use").profile, "night ferry");
    assert_eq!(world.memory.slots[0].profile, "night ferry");
    world.report(0, &[0b100, 128]);
    assert!(world.down(1, PadTarget::South));
}

#[test]
fn a_new_profile_is_made_from_a_template_or_a_copy_and_undone() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    let number = give(&mut world, Command::NewProfile { slot: slot(1), like: Some("driving".into()) });
    let from = crate::binding::NewFrom::Template("driving".into());
    assert_eq!(wanted(&world), (number, "driving".into(), String::new(), ProfileAct::New(from)));
    let made = profile("driving", vec![rule(PadTarget::RightTrigger, "button 1")]);
    world.table.handle_profile(world.now, number, Ok(made));
    world.settle();
    assert_eq!(world.table.slot(slot(1)).expect("in use").profile, "driving");
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::RightTrigger));
    let inverse = Some(Command::PlayBy { slot: slot(1), profile: "ferry".into() });
    assert_eq!(
        world.table.poll_answer(),
        Some((number, Answer::Done { said: "slot 1 plays by driving, a new profile".into(), inverse }))
    );
    let back = world.command(Command::PlayBy { slot: slot(1), profile: "ferry".into() });
    assert_eq!(
        back,
        Answer::Done {
            said: "slot 1 plays by ferry".into(),
            inverse: Some(Command::PlayBy { slot: slot(1), profile: "driving".into() }),
        }
    );
    assert_eq!(world.memory.slots[0].profile, "ferry");
    give(&mut world, Command::NewProfile { slot: slot(1), like: None });
    let (_, name, _, act) = wanted(&world);
    let from = crate::binding::NewFrom::File("ferry.profile.toml".into());
    assert_eq!((name.as_str(), act), ("ferry copy", ProfileAct::New(from)));
    for refused in [
        Command::NewProfile { slot: slot(1), like: Some("sailing".into()) },
        Command::NewProfile { slot: slot(4), like: None },
        Command::PlayBy { slot: slot(1), profile: "nobody's".into() },
    ] {
        assert!(matches!(world.command(refused), Answer::Refused { .. }));
    }
}

/// Two devices of one player: a layer that one of them holds is on for both, and goes with it.
#[test]
fn a_layer_held_on_one_device_applies_to_all_tied_devices() {
    let layer = crate::binding::Layer { name: "shift".into(), hold: Named::parse("button 8"), toggle: false };
    let rules = vec![rule(PadTarget::South, "button 1"), Rule { layer: 1, ..rule(PadTarget::North, "button 1") }];
    let both = Profile { layers: vec![layer], defaults: false, ..profile("ferry", rules) };
    let key = |uniq: &str| crate::device::Key::new(&node(0, uniq, "1-1").identity, 0);
    let remembered = crate::slot::RememberedSlot {
        feedback: Default::default(),
        away_since: None,
        number: slot(1),
        kind: crate::pad::PadKind::Common,
        profile: "ferry".into(),
        members: vec![key("A"), key("B")],
    };
    let remembered = crate::slot::Remembered { slots: vec![remembered], ..Default::default() };
    let mut world = World::new(Settings { profiles: vec![Arc::new(both)], remembered, ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[0, 128]);
    world.report(1, &[0, 128]);
    let settle = |world: &mut World| {
        let due = world.table.deadline_of_play().filter(|due| *due <= world.now);
        if let Some(due) = due {
            world.table.handle_time(due);
            world.settle();
        }
    };
    world.report(1, &[1, 128]);
    assert!(world.down(1, PadTarget::South) && !world.down(1, PadTarget::North));
    // The other device holds the layer: what is pressed here changes at once.
    world.report(0, &[0x80, 128]);
    settle(&mut world);
    assert!(world.down(1, PadTarget::North) && !world.down(1, PadTarget::South), "it is on for both");
    world.unplug(0);
    settle(&mut world);
    assert!(
        world.down(1, PadTarget::South) && !world.down(1, PadTarget::North),
        "and goes with the device that held it"
    );
    assert_eq!(world.table.deadline_of_play(), None, "a device that is away waits for nothing");
}

/// A profile is deleted while somebody plays by it, and comes back.
#[test]
fn a_slot_whose_profile_is_deleted_plays_the_defaults_until_it_is_back() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    world.report(0, &[0b100, 128]);
    let number = give(&mut world, Command::ProfileStore(ProfileStoreAct::Delete("ferry".into())));
    assert_eq!(wanted(&world), (number, "ferry".into(), "ferry.profile.toml".into(), ProfileAct::Delete));
    assert!(world.down(1, PadTarget::South), "not done yet");
    let trashed = Profile { origin: "trash/ferry.profile.toml".into(), ..profile("ferry", Vec::new()) };
    world.table.handle_profile(world.now, number, Ok(trashed));
    world.settle();
    assert_eq!(world.pad(1), PadState::default(), "what it held is let go");
    world.report(0, &[0b100, 128]);
    assert!(world.down(1, PadTarget::West), "default");
    let back =
        ProfileStoreAct::BringBack { trashed: "trash/ferry.profile.toml".into(), origin: "ferry.profile.toml".into() };
    let inverse = Some(Command::ProfileStore(back.clone()));
    assert_eq!(world.table.poll_answer(), Some((number, Answer::Done { said: "ferry is deleted".into(), inverse })));
    let number = give(&mut world, Command::ProfileStore(back));
    let restored = profile("ferry", vec![rule(PadTarget::South, "button 3")]);
    world.table.handle_profile(world.now, number, Ok(restored));
    world.settle();
    world.report(0, &[0, 128]);
    world.report(0, &[0b100, 128]);
    assert!(world.down(1, PadTarget::South));
    let inverse = Some(Command::ProfileStore(ProfileStoreAct::Delete("ferry".into())));
    assert_eq!(
        world.table.poll_answer(),
        Some((number, Answer::Done { said: "ferry is in the list of profiles".into(), inverse }))
    );
}

#[test]
fn profiles_in_use_can_be_renamed_copied_and_exported() {
    let mut world = world(vec![rule(PadTarget::South, "button 3")]);
    let (from, to) = ("ferry".to_owned(), "night ferry".to_owned());
    let number =
        give(&mut world, Command::ProfileStore(ProfileStoreAct::Rename { from: from.clone(), to: to.clone() }));
    assert_eq!(wanted(&world).3, ProfileAct::Change(vec![Change::Name(to.clone())]));
    let renamed = Profile { name: to.clone(), ..profile("ferry", vec![rule(PadTarget::South, "button 3")]) };
    world.table.handle_profile(world.now, number, Ok(renamed));
    world.settle();
    assert_eq!(world.table.slot(slot(1)).expect("in use").profile, to);
    let inverse = Some(Command::ProfileStore(ProfileStoreAct::Rename { from: to.clone(), to: from }));
    assert_eq!(
        world.table.poll_answer(),
        Some((number, Answer::Done { said: "it is now called night ferry".into(), inverse }))
    );
    give(&mut world, Command::ProfileStore(ProfileStoreAct::Copy(to.clone())));
    assert_eq!(wanted(&world).1, "night ferry copy");
    let number =
        give(&mut world, Command::ProfileStore(ProfileStoreAct::HandOut { name: to.clone(), to: "/elsewhere".into() }));
    world.table.handle_profile(
        world.now,
        number,
        Ok(Profile { origin: "/elsewhere".into(), ..profile(&to, Vec::new()) }),
    );
    let known = |world: &World| world.table.profiles().iter().filter(|profile| profile.name == to).count();
    assert_eq!(known(&world), 1, "what lies elsewhere is not a profile of ours");
    assert_eq!(
        world.table.poll_answer(),
        Some((number, Answer::Done { said: "night ferry is also in /elsewhere".into(), inverse: None }))
    );
    for refused in [
        ProfileStoreAct::Delete("plain".into()),
        ProfileStoreAct::Delete("nobody's".into()),
        ProfileStoreAct::Rename { from: to.clone(), to: "plain".into() },
        ProfileStoreAct::Rename { from: "plain".into(), to: "mine".into() },
        ProfileStoreAct::Copy("nobody's".into()),
    ] {
        assert!(matches!(world.command(Command::ProfileStore(refused)), Answer::Refused { .. }));
    }
}
