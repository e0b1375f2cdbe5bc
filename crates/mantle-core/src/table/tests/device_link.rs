//! What goes to devices that are read by a sheet, and what their silence means.

use super::*;
use crate::control::Packing;
use crate::device::{Bus, DeviceId, Driven, NodeId};
use crate::outgoing::{Act, DriverAct, Encoder, ExpectedReply, KeepAlive, Lamps, OutField, Sent, Silence, StartUpStep};
use crate::sheet::{MatchRule, Sheet};
use crate::slot::{Feedback, LampChoice};
use crate::table::{Purpose, Source};
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
fn an_unanswered_start_up_stops_at_reports_until_it_wakes() {
    let mut world = world();
    world.plug(node(0, "A", "1-1"));
    world.wrote(Ok(Sent::Done));
    let (asked, now) = (sent(&world).len(), world.now);
    world.until(now.after(Micros::millis(100)));
    let (mark, text) = world.sentence();
    assert_eq!(mark, Mark::Stop);
    assert!(text.starts_with("Slot 1 stops at Reports: pad does not start up: start-up write 1 of 1"), "{text}");
    let now = world.now;
    world.until(now.after(Micros::seconds(5)));
    assert_eq!(sent(&world).len(), asked + 1, "it is tried again");
    world.wrote(Ok(Sent::Done));
    world.report(0, &[0xaa, 0]);
    assert_ne!(world.sentence().0, Mark::Stop);
    // An answer to what was sent before it was plugged in again means nothing.
    world.unplug(0);
    world.plug(node(0, "A", "1-1"));
    world.table.handle_sent(world.now, NodeId(0), 0, Purpose::StartUp, Ok(Sent::NotNeeded));
    assert!(world.table.source(NodeId(0)).is_some_and(|source| source.start_fault().is_none()));
    assert_eq!(sent(&world).last().map(|(purpose, _)| *purpose), Some(Purpose::StartUp));
}

#[test]
fn controls_are_released_when_their_report_falls_silent() {
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
fn rumble_reaches_the_device_and_ends_on_time() {
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

/// Five hundred changes in a second: by cable each goes out at once, by radio the newest every 30 ms; and the end is never lost.
#[test]
fn over_radio_rumble_changes_are_rate_limited() {
    for (bus, most) in [(Bus::USB, 501), (Bus::BLUETOOTH, 35)] {
        let mut world = lit_by(bus);
        let from = sent(&world).len();
        let begun = world.now;
        for step in 0..500u64 {
            world.until(begun.after(Micros::millis(2 * step)));
            let strong = if step % 2 == 0 { 0xffff } else { 0x4000 };
            world.table.handle_rumble(world.now, slot(1), strong, 0, world.now.after(Micros::seconds(9)));
            world.settle();
        }
        world.table.handle_rumble(world.now, slot(1), 0, 0, world.now);
        world.settle();
        world.wait(Micros::millis(100));
        let all = outputs(&world, from);
        assert!(all.len() <= most && all.len() > most - 5, "{bus:?}: {} changes", all.len());
        assert_eq!(all.last(), Some(&(Purpose::Rumble, vec![2, 0, 0])), "{bus:?}");
        assert_eq!(world.table.deadline_of_play(), None, "{bus:?}: nothing waits");
    }
}

/// What the kernel's driver offers is used if no sheet says anything, and what a sheet says comes first.
#[test]
fn kernel_driver_motors_lamps_and_battery_work_as_with_a_sheet() {
    let driven = Driven {
        shaker: Some("/dev/input/event5".into()),
        light: Some("leds/rgb".into()),
        players: vec!["leds/1".into(), "leds/2".into()],
        power: Some("power".into()),
    };
    let acts = |world: &World| -> Vec<DriverAct> {
        let acts = world.effects.iter().filter_map(|effect| match effect {
            Effect::Send { act: Act::Driver(act), .. } => Some(act.clone()),
            _ => None,
        });
        acts.collect()
    };
    let mut world = World::plain();
    world.plug(NodeFacts { driven: driven.clone(), ..node(0, "A", "1-1") });
    let lamps = driven.players.clone();
    assert!(acts(&world).contains(&DriverAct::Player { lamps: lamps.clone(), player: 1 }), "{:?}", acts(&world));
    world.table.handle_rumble(world.now, slot(1), 0x8000, 0x4000, world.now.after(Micros::seconds(1)));
    world.settle();
    let shake = |strong, weak| DriverAct::Shake { node: "/dev/input/event5".into(), strong, weak };
    assert_eq!(acts(&world).last(), Some(&shake(0x8000, 0x4000)));
    world.command(feedback(100, LampChoice::Colour([1, 2, 3])));
    assert_eq!(acts(&world).last(), Some(&DriverAct::Light { lamp: "leds/rgb".into(), colour: [1, 2, 3] }));
    world.wait(Micros::seconds(2));
    assert_eq!(acts(&world).last(), Some(&shake(0, 0)));
    assert!(matches!(world.command(Command::FindDevice { device: DeviceId(0) }), Answer::Done { .. }));
    // A driver that binds later is noticed as well; one that is gone is no longer asked for anything.
    let mut late = World::plain();
    late.plug(node(0, "A", "1-1"));
    assert!(acts(&late).is_empty());
    late.table.handle_inputs(late.now, NodeId(0), Vec::new(), driven.clone());
    late.settle();
    assert!(acts(&late).contains(&DriverAct::Player { lamps, player: 1 }));
    // The battery is the system's, until the reports say better; a lamp that shows it changes with it.
    late.command(feedback(100, LampChoice::Battery));
    let shown = |world: &World| match acts(world).last() {
        Some(DriverAct::Light { colour, .. }) => *colour,
        other => panic!("{other:?}"),
    };
    late.table.handle_power(late.now, NodeId(0), Some((0.8, false)));
    late.settle();
    let full = shown(&late);
    late.table.handle_power(late.now, NodeId(0), Some((0.05, false)));
    late.settle();
    assert_ne!(shown(&late), full, "it is low");
    assert_eq!(late.table.source(NodeId(0)).and_then(Source::battery), Some((0.05, false)));
    // If a sheet shakes it, the sheet does, and the kernel's lamps still serve.
    let mut both = World::new(Settings { cover: false, sheets: vec![lit_sheet()], ..Settings::default() });
    both.plug(NodeFacts { driven, ..node(0, "A", "1-1") });
    both.table.handle_rumble(both.now, slot(1), 0x8000, 0, both.now.after(Micros::seconds(1)));
    both.settle();
    assert_eq!(sent(&both).last(), Some(&(Purpose::Rumble, vec![2, 128, 0])));
    assert!(acts(&both).is_empty(), "{:?}", acts(&both));
}

/// The colour of the battery follows the reports, with nothing else happening.
#[test]
fn a_battery_lamp_follows_the_reports_alone() {
    let at = |at, size| crate::sheet::Where::Bits { report: 0, at, size, packing: Packing::Little, signed: false };
    let level = crate::sheet::SheetControl {
        source: at(8, 8),
        range: Some((0, 100)),
        ..crate::sheet::SheetControl::new("level", crate::control::ControlKind::State)
    };
    let mut sheet = lit_sheet();
    sheet.controls.push(level);
    sheet.battery = Some(crate::sheet::SheetBattery { level: "level".into(), charging: None });
    let mut world = World::new(Settings { cover: false, sheets: vec![sheet], ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 90]);
    world.command(feedback(100, LampChoice::Battery));
    let colour = |world: &World| {
        sent(world).into_iter().rev().find(|(purpose, _)| *purpose == Purpose::Colour).map(|(_, bytes)| bytes)
    };
    let full = colour(&world);
    world.report(0, &[0, 3]);
    world.wait(Micros::seconds(2));
    assert_ne!(colour(&world), full, "low");
    world.report(0, &[0, 95]);
    world.wait(Micros::seconds(2));
    assert_eq!(colour(&world), full, "charged again");
}

/// The motors, the lamps and the colour that were sent, from some effect on.
fn outputs(world: &World, from: usize) -> Vec<(Purpose, Vec<u8>)> {
    sent(world)[from..].to_vec()
}

/// A pad with motors, lamps and a light.
fn lit_sheet() -> Sheet {
    let field = |at| OutField { at, size: 8, packing: Packing::Little, range: (0, 255) };
    let light = Encoder { kind: Output, bytes: vec![4, 0, 0, 0], fields: vec![field(0), field(8), field(16)] };
    Sheet { start_up: [].into(), keep_alive: Vec::new(), silences: Vec::new(), light: Some(light), ..sheet() }
}

/// One that plays in slot 1, by cable or by radio.
fn lit_by(bus: Bus) -> World {
    let mut world = World::new(Settings { cover: false, sheets: vec![lit_sheet()], ..Settings::default() });
    let mut facts = node(0, "A", "1-1");
    facts.identity.bus = bus;
    world.plug(facts);
    world
}

fn lit() -> World {
    lit_by(Bus::USB)
}

fn feedback(rumble: u8, lamp: LampChoice) -> Command {
    Command::SetFeedback { slot: slot(1), feedback: Feedback { rumble, lamp } }
}

/// A lamp that refuses is reported once, and nobody waits for it: motors are told, presses play.
#[test]
fn a_lamp_that_refuses_is_reported_once_and_play_goes_on() {
    let mut world = lit();
    let mut said = Vec::new();
    for purpose in [Purpose::Colour, Purpose::Lamps, Purpose::Colour] {
        let fault = OsFault { operation: "write".into(), path: "/sys/class/leds/quay/brightness".into(), errno: 13 };
        world.table.handle_sent(world.now, NodeId(0), 1, purpose, Err(fault));
        world.settle();
        said.extend(std::iter::from_fn(|| world.table.poll_note()).map(|note| note.text));
    }
    said.retain(|text| text.contains("/sys/class/leds/quay/brightness"));
    assert_eq!(said.len(), 1, "{said:?}");
    assert!(said[0].contains("EACCES"), "{said:?}");
    let from = sent(&world).len();
    world.table.handle_rumble(world.now, slot(1), 0xffff, 0, world.now.after(Micros::seconds(1)));
    world.settle();
    assert_eq!(outputs(&world, from), [(Purpose::Rumble, vec![2, 255, 0])]);
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert!(world.down(1, PadTarget::South));
}

#[test]
fn rumble_strength_follows_the_setting() {
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
fn lamps_show_the_chosen_colour() {
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
fn finding_a_device_shakes_and_blinks_it_then_restores_it() {
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
    // What has nothing to show is told so; what is switched off shakes all the same, since somebody is looking for it.
    world.command(feedback(0, LampChoice::Off));
    let from = sent(&world).len();
    world.command(Command::FindDevice { device: DeviceId(0) });
    assert!(outputs(&world, from).iter().any(|(purpose, _)| *purpose == Purpose::Rumble));
    let mut plain = World::plain();
    plain.plug(node(0, "A", "1-1"));
    let Answer::Refused { why } = plain.command(Command::FindDevice { device: DeviceId(0) }) else { panic!() };
    assert!(why.contains("has no motor or lamp that this program or the kernel knows"), "{why}");
}

/// What the program itself says through a device it says as far as it may, and only to that player.
#[test]
fn a_nudge_blinks_or_shakes_within_the_settings() {
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
