//! What goes to devices that are read by a sheet, and what their silence means.

use super::*;
use crate::control::Packing;
use crate::device::DeviceId;
use crate::device::NodeId;
use crate::outgoing::{Act, Encoder, ExpectedReply, KeepAlive, Lamps, OutField, Sent, Silence, StartUpStep};
use crate::sheet::{MatchRule, Sheet};
use crate::slot::{Feedback, LampChoice};
use crate::table::Purpose;
use mantle_hid::ReportKind::Output;

fn sheet() -> Sheet {
    let answer = ExpectedReply { pattern: vec![Some(0xaa)], within: Micros::millis(100) };
    let field = |at| OutField { at, size: 8, packing: Packing::Little, range: (0, 255) };
    let encoder = |id: u8, fields| Encoder { kind: Output, bytes: vec![id, 0, 0], fields };
    Sheet {
        name: "pad".into(),
        rule: MatchRule { vendor: Some(0x1209), ..MatchRule::default() },
        keep: true,
        start_up: [StartUpStep { act: Act::Send(Output, vec![1]), answer: Some(answer), wait: Micros(0) }].into(),
        keep_alive: vec![KeepAlive { every: Micros::seconds(2), act: Act::Send(Output, vec![9]) }],
        silences: vec![Silence { report: 0, after: Micros::millis(150) }],
        rumble: Some(encoder(2, vec![field(0), field(8)])),
        lamps: Some(Lamps { encoder: encoder(3, vec![field(0)]), values: vec![11, 12] }),
        ..Sheet::default()
    }
}

fn world() -> World {
    World::new(Settings { cover: false, sheets: vec![sheet()], ..Settings::default() })
}

fn sent(world: &World) -> Vec<(Purpose, Vec<u8>)> {
    let sends = world.effects.iter().filter_map(|effect| match effect {
        Effect::Send { purpose, act: Act::Send(_, bytes), .. } => Some((*purpose, bytes.clone())),
        _ => None,
    });
    sends.collect()
}

impl World {
    fn until(&mut self, now: Micros) {
        self.now = now;
        self.table.handle_time(now);
        self.settle();
    }

    /// The last start-up write has gone out.
    fn wrote(&mut self, result: Result<Sent, OsFault>) {
        let request = self.effects.iter().rev().find_map(|effect| match effect {
            Effect::Send { request, purpose: Purpose::StartUp, .. } => Some(*request),
            _ => None,
        });
        let request = request.expect("something was sent");
        self.table.handle_sent(self.now, NodeId(0), request, Purpose::StartUp, result);
        self.settle();
    }
}

#[test]
fn a_start_up_that_is_answered_brings_lamps_and_keep_alive() {
    let mut world = world();
    world.plug(node(0, "A", "1-1"));
    assert_eq!(sent(&world), [(Purpose::StartUp, vec![1])]);
    world.wrote(Ok(Sent::Done));
    world.report(0, &[0xaa, 0]);
    assert!(!world.down(1, PadTarget::South), "an answer is no report of controls, though it would be read as one");
    assert_eq!(sent(&world)[1..], [(Purpose::Lamps, vec![3, 11, 0])]);
    let awake = world.now;
    world.until(awake.after(Micros::seconds(5)));
    let alive = sent(&world).iter().filter(|(purpose, _)| *purpose == Purpose::KeepAlive).count();
    assert_eq!(alive, 2);
    world.command(Command::Move { from: slot(1), to: slot(2) });
    assert_eq!(sent(&world).last(), Some(&(Purpose::Lamps, vec![3, 12, 0])), "the lamps move with the player");
}

#[test]
fn unanswered_it_stops_at_reports_until_it_wakes() {
    let mut world = world();
    world.plug(node(0, "A", "1-1"));
    world.wrote(Ok(Sent::Done));
    let (asked, now) = (sent(&world).len(), world.now);
    world.until(now.after(Micros::millis(100)));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.starts_with("Slot 1 stops at Reports: pad does not wake: start-up write 1 of 1"), "{text}");
    let now = world.now;
    world.until(now.after(Micros::seconds(5)));
    assert_eq!(sent(&world).len(), asked + 1, "it is tried again");
    world.wrote(Ok(Sent::Done));
    world.report(0, &[0xaa, 0]);
    assert_ne!(world.sentence().0, Mark::Stop);
    // An answer to what was sent before it was plugged in anew says nothing.
    world.unplug(0);
    world.plug(node(0, "A", "1-1"));
    world.table.handle_sent(world.now, NodeId(0), 0, Purpose::StartUp, Ok(Sent::NotNeeded));
    assert!(world.table.source(NodeId(0)).is_some_and(|source| source.start_fault().is_none()));
    assert_eq!(sent(&world).last().map(|(purpose, _)| *purpose), Some(Purpose::StartUp));
}

#[test]
fn what_falls_silent_is_let_go_at_its_own_moment() {
    let mut world = world();
    world.plug(node(0, "A", "1-1"));
    world.wrote(Ok(Sent::NotNeeded));
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
    let last = world.now;
    world.until(Micros(last.0 + 149_999));
    assert!(world.down(1, PadTarget::South));
    world.until(Micros(last.0 + 150_000));
    assert_eq!(world.pad(1), PadState::default());
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South), "and speaks again");
}

#[test]
fn rumble_goes_to_the_device_and_ends_when_it_was_meant_to() {
    let mut world = world();
    world.plug(node(0, "A", "1-1"));
    world.wrote(Ok(Sent::NotNeeded));
    let until = world.now.after(Micros::millis(300));
    world.table.handle_rumble(world.now, slot(1), 0xffff, 0x8000, until);
    world.settle();
    let rumbles = |world: &World| -> Vec<Vec<u8>> {
        let all = sent(world).into_iter().filter(|(purpose, _)| *purpose == Purpose::Rumble);
        all.map(|(_, bytes)| bytes).collect()
    };
    assert_eq!(rumbles(&world), [[2, 255, 128]]);
    world.until(until);
    assert_eq!(rumbles(&world), [[2, 255, 128], [2, 0, 0]]);
    world.command(Command::LetGo);
    world.table.handle_rumble(world.now, slot(1), 0xffff, 0, until.after(Micros::seconds(1)));
    world.settle();
    assert_eq!(rumbles(&world).len(), 2, "let go, nothing rumbles");
}

/// The motors, the lamps and the colour that were sent, from some effect on.
fn outputs(world: &World, from: usize) -> Vec<(Purpose, Vec<u8>)> {
    sent(world)[from..].to_vec()
}

/// A pad with motors, lamps and a light, which plays in slot 1.
fn lit() -> World {
    let field = |at| OutField { at, size: 8, packing: Packing::Little, range: (0, 255) };
    let light = Encoder { kind: Output, bytes: vec![4, 0, 0, 0], fields: vec![field(0), field(8), field(16)] };
    let sheet =
        Sheet { start_up: [].into(), keep_alive: Vec::new(), silences: Vec::new(), light: Some(light), ..sheet() };
    let mut world = World::new(Settings { cover: false, sheets: vec![sheet], ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world
}

fn feedback(rumble: u8, lamp: LampChoice) -> Command {
    Command::SetFeedback { slot: slot(1), feedback: Feedback { rumble, lamp } }
}

#[test]
fn a_rumble_is_as_strong_as_the_person_wants_it() {
    let mut world = lit();
    let strong = |world: &mut World, motor: u16| {
        let from = sent(world).len();
        world.now.0 += 1000;
        world.table.handle_rumble(world.now, slot(1), motor, 0, world.now.after(Micros::seconds(1)));
        world.settle();
        outputs(world, from).into_iter().map(|(_, bytes)| bytes[1]).next()
    };
    assert_eq!(strong(&mut world, 0xffff), Some(255));
    let from = sent(&world).len();
    let half = world.command(feedback(50, LampChoice::Slot));
    assert_eq!(outputs(&world, from), [(Purpose::Rumble, vec![2, 127, 0])], "at once, and not with the next effect");
    assert_eq!(world.memory.slots[0].feedback.rumble, 50, "it is kept");
    world.command(feedback(0, LampChoice::Slot));
    assert_eq!(strong(&mut world, 0x8000), None, "it is off");
    world.command(feedback(200, LampChoice::Slot));
    assert_eq!(strong(&mut world, 0x4000), Some(128));
    assert!(matches!(world.command(feedback(201, LampChoice::Slot)), Answer::Refused { .. }));
    world.undo(half);
    assert_eq!(world.memory.slots[0].feedback.rumble, 100);
    world.wait(Micros::seconds(2));
    assert_eq!(sent(&world).last(), Some(&(Purpose::Rumble, vec![2, 0, 0])), "it ends");
}

#[test]
fn lamps_show_what_was_chosen() {
    let mut world = lit();
    let colour = |world: &World| {
        let light = sent(world).into_iter().rev().find(|(purpose, _)| *purpose == Purpose::Colour);
        light.map(|(_, bytes)| [bytes[1], bytes[2], bytes[3]])
    };
    let first = colour(&world).expect("the slot's own");
    // A game's colour counts as long as the slot's is chosen, and no longer.
    let game = crate::pad::GameLamp { colour: Some([1, 2, 3]), players: None };
    world.table.handle_lamp(world.now, slot(1), game);
    world.settle();
    assert_eq!(colour(&world), Some([1, 2, 3]));
    world.command(feedback(100, LampChoice::Colour([9, 8, 7])));
    assert_eq!(colour(&world), Some([9, 8, 7]));
    let from = sent(&world).len();
    world.command(feedback(100, LampChoice::Off));
    assert_eq!(outputs(&world, from), [(Purpose::Lamps, vec![3, 0, 0]), (Purpose::Colour, vec![4, 0, 0, 0])]);
    world.command(feedback(100, LampChoice::Slot));
    assert_eq!(colour(&world), Some([1, 2, 3]));
    // Another slot has another colour.
    world.command(Command::Move { from: slot(1), to: slot(2) });
    assert_ne!(colour(&world), Some(first));
}

#[test]
fn a_device_that_is_looked_for_shakes_and_blinks_and_is_as_before() {
    let mut world = lit();
    let (lamps, from) = (sent(&world), sent(&world).len());
    assert!(matches!(world.command(Command::FindDevice { device: DeviceId(0) }), Answer::Done { .. }));
    world.wait(Micros::seconds(3));
    let all = outputs(&world, from);
    let of = |purpose: Purpose| {
        all.iter().filter(|(own, _)| *own == purpose).map(|(_, bytes)| bytes.clone()).collect::<Vec<_>>()
    };
    let (shakes, blinks, colours) = (of(Purpose::Rumble), of(Purpose::Lamps), of(Purpose::Colour));
    assert_eq!((shakes.len(), blinks.len(), colours.len()), (8, 8, 8), "four times: {all:?}");
    assert!(shakes[0][1] > 100 && shakes.last() == Some(&vec![2, 0, 0]), "{shakes:?}");
    for (purpose, last) in [(Purpose::Lamps, blinks.last()), (Purpose::Colour, colours.last())] {
        let before = lamps.iter().rev().find(|(own, _)| *own == purpose).map(|(_, bytes)| bytes);
        assert_eq!(last, before, "as before");
    }
    assert_eq!(world.table.deadline_of_play(), None);
    // What has nothing to show is told so; what is switched off shakes all the same: somebody looks for it.
    world.command(feedback(0, LampChoice::Off));
    let from = sent(&world).len();
    world.command(Command::FindDevice { device: DeviceId(0) });
    assert!(outputs(&world, from).iter().any(|(purpose, _)| *purpose == Purpose::Rumble));
    let mut plain = World::plain();
    plain.plug(node(0, "A", "1-1"));
    let Answer::Refused { why } = plain.command(Command::FindDevice { device: DeviceId(0) }) else { panic!() };
    assert!(why.contains("has no motor and no lamp that this program knows"), "{why}");
}

/// What the program itself says by a device it says as far as it may, and only to that player.
#[test]
fn a_nudge_blinks_or_shakes_as_far_as_it_may() {
    for (shakes, blinks) in [(true, false), (false, true), (false, false)] {
        let mut world = lit();
        let from = sent(&world).len();
        world.command(Command::Nudge { slot: slot(1), shakes, blinks });
        world.command(Command::Nudge { slot: slot(2), shakes: true, blinks: true });
        world.wait(Micros::seconds(2));
        let all = outputs(&world, from);
        let count = |purpose| all.iter().filter(|(own, _)| *own == purpose).count();
        let expected = [(Purpose::Rumble, shakes), (Purpose::Lamps, blinks), (Purpose::Colour, blinks)];
        for (purpose, does) in expected {
            assert_eq!(count(purpose), if does { 4 } else { 0 }, "{purpose:?} of {shakes} {blinks}");
        }
    }
}
