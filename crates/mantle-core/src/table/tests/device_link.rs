//! What goes to devices that are read by a sheet, and what their silence means.

use super::*;
use crate::control::Packing;
use crate::device::NodeId;
use crate::outgoing::{Act, Encoder, ExpectedReply, KeepAlive, Lamps, OutField, Sent, Silence, StartUpStep};
use crate::sheet::{MatchRule, Sheet};
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
