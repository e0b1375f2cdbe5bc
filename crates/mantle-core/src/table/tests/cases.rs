//! What happens in common situations.

use super::*;
use crate::cover::Cover;
use crate::device::{DeviceId, Driver};
use crate::pad::{PadKind, PadTarget};
use crate::path::{Stage, StageState, stages};

/// Where the first part of a device sits: the slot, and its place there.
fn seat(world: &World, device: DeviceId) -> Option<(SlotNumber, usize)> {
    let part = world.table.device(device)?.parts.first()?.number;
    world.table.seat(device, part).map(|seat| (seat.slot, seat.index))
}

#[test]
fn the_first_device_takes_the_lowest_slot_and_plays() {
    let mut world = World::plain();
    assert_eq!(world.sentence().0, Mark::Hint);
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.used(), [1]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    world.report(0, &[0, 128]);
    assert_eq!(world.pad(1), PadState::default());
    assert_eq!(world.sentence(), (Mark::Well, "All is well: slot 1 plays.".into()));
}

#[test]
fn an_unplugged_device_leaves_its_pad_neutral_and_regains_its_slot() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[1, 255]);
    world.report(0, &[1, 128]);
    world.report(0, &[1, 255]);
    assert!(world.down(1, PadTarget::South));
    world.unplug(0);
    assert_eq!(world.pad(1), PadState::default(), "let go at once");
    assert_eq!(world.sentence().0, Mark::Kept);
    world.plug_at_once(node(0, "A", "1-7"));
    assert_eq!(world.used(), [1, 2]);
    world.report(0, &[1, 128]);
    assert_eq!(world.pad(1), PadState::default(), "what is still held does not count");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 255]);
    assert!(world.down(1, PadTarget::South) && world.down(1, PadTarget::LeftStickRight));
}

#[test]
fn slots_survive_a_restart() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    let settings = Settings { remembered: world.memory.clone(), cover: true, ..Settings::default() };
    let mut world = World::new(settings);
    assert_eq!(world.used(), [1, 2], "pads are made though nobody is there");
    assert!(world.effects.iter().filter(|effect| matches!(effect, Effect::MakePad { .. })).count() == 2);
    world.plug(node(0, "B", "1-9"));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(2, PadTarget::South) && !world.down(1, PadTarget::South));
}

#[test]
fn twins_without_serials_are_never_guessed() {
    let mut world = World::plain();
    world.plug(node(0, "", "1-1"));
    world.plug(node(1, "", "1-2"));
    world.unplug(0);
    world.unplug(1);
    world.plug(node(0, "", "1-5"));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Ask);
    assert!(text.contains("belongs in slot 1"), "{text}");
    world.report(0, &[0, 128]);
    assert!(world.table.devices().all(|device| seat(&world, device.id).is_none()), "not without a press");
    world.report(0, &[1, 128]);
    assert_eq!(seat(&world, DeviceId(0)), Some((slot(1), 0)));
    world.plug(node(1, "", "1-2"));
    assert_eq!(seat(&world, DeviceId(1)), Some((slot(2), 0)), "its port is certain");
}

#[test]
fn a_serial_shared_by_present_devices_is_ignored() {
    let mut world = World::plain();
    world.plug(node(0, "0000", "1-1"));
    world.plug(node(1, "0000", "1-2"));
    assert_eq!(world.used(), [1, 2]);
    world.unplug(1);
    world.plug(node(1, "0000", "1-2"));
    assert_eq!(seat(&world, DeviceId(1)), Some((slot(2), 0)));
}

#[test]
fn taken_out_stays_out_until_it_is_placed_and_undo_brings_it_back() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    let answer = world.command(Command::TakeOut { slot: slot(1) });
    assert_eq!(world.used(), [0u8; 0]);
    assert!(world.effects.contains(&Effect::DropPad { slot: slot(1) }));
    world.unplug(0);
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.used(), [0u8; 0], "not unasked again");
    world.undo(answer);
    assert_eq!(world.used(), [1]);
    assert!(world.memory.taken_out.is_empty());
    let place =
        |slot| Command::Place { device: DeviceId(0), part: 0, slot, kind: PadKind::Common, profile: "plain".into() };
    world.command(Command::TakeOut { slot: slot(1) });
    assert!(matches!(world.command(place(slot(3))), Answer::Done { .. }));
    assert_eq!(world.used(), [3]);
    world.plug(node(1, "B", "1-2"));
    let refused = world.command(Command::Place {
        device: DeviceId(1),
        part: 0,
        slot: slot(3),
        kind: PadKind::Common,
        profile: "plain".into(),
    });
    assert!(matches!(&refused, Answer::Done { .. }), "it sits in slot 1 and changes places: {refused:?}");
}

#[test]
fn moving_keeps_pads_with_slots_and_releases_everything() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[1, 128]);
    let answer = world.command(Command::Move { from: slot(1), to: slot(2) });
    assert_eq!((world.pad(1), world.pad(2)), (PadState::default(), PadState::default()));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(2, PadTarget::South) && !world.down(1, PadTarget::South));
    world.undo(answer);
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    world.command(Command::Move { from: slot(2), to: slot(5) });
    assert_eq!(world.used(), [1, 5]);
}

#[test]
fn letting_go_holds_every_pad_neutral_until_resumed() {
    let mut world = World::plain();
    world.strength = Ok(Strength::Held);
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1, 128]);
    let answer = world.command(Command::LetGo);
    assert_eq!(world.pad(1), PadState::default());
    assert!(world.effects.contains(&Effect::Uncover(DeviceId(0))), "what was held is free");
    world.report(0, &[3, 128]);
    assert_eq!(world.pad(1), PadState::default());
    world.undo(answer);
    world.report(0, &[3, 255]);
    assert!(!world.down(1, PadTarget::South), "still held from before");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
}

/// Four of the pad's eight buttons are its let-go chord: it has neither Select nor Start.
#[test]
fn the_chord_lets_go_after_three_seconds_and_again_to_resume() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    world.report(0, &[0x0f, 0x80]);
    let began = world.now;
    assert!(world.down(1, PadTarget::South) && !world.table.paused());
    assert_eq!(world.table.deadline_of_play(), Some(began.after(Micros::seconds(3))));
    world.table.handle_time(Micros(began.0 + 2_999_999));
    assert!(!world.table.paused(), "not a moment too early");
    world.now = began.after(Micros::seconds(9));
    world.table.handle_time(world.now);
    world.settle();
    assert!(world.table.paused() && world.pad(1) == PadState::default());
    let notes: Vec<_> = std::iter::from_fn(|| world.table.poll_note()).collect();
    let note = notes.iter().find(|note| note.text.contains("let-go chord")).expect("the journal says so");
    assert_eq!(note.at, began.after(Micros::seconds(3)), "at its own due time, however late the wake-up");
    // Held on, it does nothing more; released and held again, it lets pads play.
    world.now.0 += 20_000_000;
    world.table.handle_time(world.now);
    assert!(world.table.paused());
    world.report(0, &[0x07, 0x80]);
    world.report(0, &[0x0f, 0x80]);
    world.now.0 += 3_000_000;
    world.table.handle_time(world.now);
    world.settle();
    assert!(!world.table.paused());
    assert_eq!(world.pad(1), PadState::default(), "what is still held does not play");
    world.report(0, &[0x00, 0x80]);
    world.report(0, &[0x01, 0x80]);
    assert!(world.down(1, PadTarget::South));
}

#[test]
fn a_broken_chord_or_unplugged_device_does_nothing() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    for ending in 0..3 {
        world.report(0, &[0x0f, 0x80]);
        world.now.0 += 2_000_000;
        match ending {
            0 => world.report(0, &[0x0e, 0x80]),
            1 => world.report(0, &[0x0f]),
            _ => world.unplug(0),
        }
        world.now.0 += 2_000_000;
        world.table.handle_time(world.now);
        assert!(!world.table.paused(), "ending {ending}");
        assert_eq!(world.table.deadline_of_play(), None, "ending {ending}");
    }
}

/// Every target that is off its rest can say which binding of which member causes that, and no other can.
#[test]
fn a_target_knows_its_origin() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0x00, 0x80]);
    for target in crate::pad::TARGETS {
        assert_eq!(world.table.origin(slot(1), target.into()), None);
    }
    world.report(0, &[0x81, 0xff]);
    let member = &world.table.slot(slot(1)).expect("it").session.members[0];
    let control_of = |target| {
        let origin = world.table.origin(slot(1), target)?;
        let binding = member.bindings.list.iter().find(|binding| binding.number == origin.binding)?;
        assert_eq!((origin.member, binding.target), (0, target));
        Some(binding.control.0)
    };
    assert_eq!(control_of(PadTarget::South.into()), Some(1));
    assert_eq!(control_of(PadTarget::RightTrigger.into()), Some(8));
    assert_eq!(control_of(PadTarget::LeftStickRight.into()), Some(9));
    assert_eq!(control_of(PadTarget::LeftStickLeft.into()), None, "the other half of the same axis");
    assert_eq!(control_of(PadTarget::East.into()), None);
    world.unplug(0);
    assert_eq!(world.table.origin(slot(1), PadTarget::South.into()), None);
}

#[test]
fn a_truncated_report_releases_and_the_next_full_one_plays() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1, 128]);
    world.report(0, &[1]);
    assert_eq!(world.pad(1), PadState::default());
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    world.report(0, &[1, 128, 7, 7, 7]);
    assert!(world.down(1, PadTarget::South), "a longer one is read up to its size");
}

#[test]
fn unreadable_reports_stop_at_the_reports_stage() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[1]);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("stops at Reports") && text.contains("has 1 bytes, its descriptor says 2"), "{text}");
}

#[test]
fn an_unreadable_descriptor_is_reported_with_its_offset() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.unplug(0);
    let mut broken = node(0, "A", "1-1");
    broken.descriptor = vec![0x05, 0x01, 0xc0];
    world.plug(broken);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("byte 2: end of a collection that was not begun"), "{text}");
}

#[test]
fn missing_uinput_is_reported_once_and_play_resumes_when_fixed() {
    let mut world = World::plain();
    world.uinput = Err(PadFault::NoNode);
    world.plug(node(0, "A", "1-1"));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.contains("ENOENT") && text.contains("modprobe uinput"), "{text}");
    world.uinput = Ok(());
    let due = world.table.deadline_of_play().expect("it tries again");
    world.table.handle_time(Micros(due.0 - 1));
    world.settle();
    assert_eq!(world.sentence().0, Mark::Stop, "not before its time");
    world.now = due.after(Micros::seconds(30));
    world.table.handle_time(world.now);
    world.settle();
    assert_eq!(world.sentence().0, Mark::Hint);
}

#[test]
fn only_controllers_are_seated_unasked() {
    let mut world = World::plain();
    let mut special = node(0, "A", "1-1");
    special.driver = Driver::named("some-special-driver");
    world.plug(special);
    let mut keyboard = node(1, "K", "1-2");
    keyboard.descriptor = KEYBOARD.to_vec();
    world.plug(keyboard);
    assert_eq!(world.used(), [0u8; 0]);
    assert!(!world.effects.contains(&Effect::Open(NodeId(1))), "nobody reads a keyboard unasked");
    let place =
        Command::Place { device: DeviceId(1), part: 0, slot: slot(2), kind: PadKind::Common, profile: "plain".into() };
    world.command(place);
    assert_eq!(world.used(), [2]);
    assert!(world.effects.contains(&Effect::Open(NodeId(1))));
    assert!(!world.effects.iter().any(|effect| matches!(effect, Effect::Cover(_))), "keyboards are never covered");
}

#[test]
fn covering_is_not_a_disconnect() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    let device = &mut world.table.devices[0].as_mut().expect("it");
    device.cover = Cover::Covering;
    world.report(0, &[1, 128]);
    world.unplug(0);
    assert_eq!(world.pad(1), PadState::default());
    assert_ne!(world.sentence().0, Mark::Kept);
    world.table.handle_cover(world.now, DeviceId(0), Ok(Strength::Hidden));
    world.plug(node(0, "A", "1-1"));
    assert_eq!(world.table.device(DeviceId(0)).expect("it").cover, Cover::Covered(Strength::Hidden));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    assert_eq!(world.used(), [1]);
}

/// Zeros alone come from a receiver without its controller where axes count from 0; where they count both ways, it is a stick that rests.
#[test]
fn only_axes_at_their_lower_ends_say_that_a_receiver_is_alone() {
    let said = |low: [u8; 2], high: [u8; 3]| {
        let mut facts = node(0, "A", "1-1");
        facts.descriptor = [&[0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31][..], &low, &high].concat();
        facts.descriptor.extend([0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00]);
        facts.descriptor.extend([0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0]);
        let mut world = World::plain();
        world.plug(facts);
        (0..30).for_each(|_| world.report(0, &[0, 0, 0]));
        world.sentence().1
    };
    let alone = said([0x15, 0x00], [0x26, 0xff, 0x00]);
    assert!(alone.contains("no controller is connected to it"), "{alone}");
    let rests = said([0x15, 0x81], [0x26, 0x7f, 0x00]);
    assert!(rests.contains("has not been tried"), "{rests}");
}

#[test]
fn a_device_left_to_the_game_raises_no_alarm_and_gets_no_slot() {
    let mut world = World::plain();
    world.strength = Err(OsFault { operation: "open".into(), path: "/dev/input/event3".into(), errno: 13 });
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Doubt);
    assert!(text.contains("(open of /dev/input/event3: EACCES)"), "{text}");
    let answer = world.command(Command::LeaveToGame { device: DeviceId(0), left: true });
    assert_eq!(world.sentence().0, Mark::Well);
    assert_eq!(world.memory.left_to_game.len(), 1);
    world.undo(answer);
    assert_eq!(world.sentence().0, Mark::Doubt);
}

#[test]
fn a_two_millisecond_press_is_recorded() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    let before = world.table.slot(slot(1)).expect("it").session.passed();
    world.report(0, &[1, 128]);
    world.report(0, &[0, 128]);
    let after = world.table.slot(slot(1)).expect("it").session.passed();
    for stage in Stage::ALL.into_iter().skip(1) {
        assert_eq!(after[stage as usize].count, before[stage as usize].count + 2, "{}", stage.name());
    }
    let facts = world.table.slot_facts(slot(1)).expect("it");
    assert_eq!(stages(&facts)[1..], [StageState::Passing; 6]);
}

/// Faults in files from the start are in the journal, before whatever happens first.
#[test]
fn initial_faults_are_in_the_journal() {
    let mut settings = Settings { notices: vec!["the machine".into()], ..Settings::default() };
    settings.file_faults[0] = vec!["own.profile.toml:3:10: a fault".into()];
    let mut table = Table::new(settings);
    assert!(table.poll_note().is_none(), "nothing has happened yet");
    table.handle_arrived(Micros(5), node(0, "A", "1-1"));
    let first: Vec<_> = std::iter::from_fn(|| table.poll_note()).take(3).map(|note| (note.at, note.text)).collect();
    let at = Micros(5);
    assert_eq!(first[..2], [(at, "the machine".into()), (at, "own.profile.toml:3:10: a fault".into())]);
    assert!(first[2].1.contains("is connected"), "{first:?}");
}
