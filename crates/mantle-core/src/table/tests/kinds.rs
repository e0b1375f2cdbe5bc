//! Kinds of pad: what is written to a pad other than the common ones, and what becomes of a slot whose kind changes.

use super::{World, node, slot};
use crate::binding::Target;
use crate::command::{Answer, Command};
use crate::device::{DeviceId, NodeFacts};
use crate::pad::{
    AbsInfo, FIRST_LINE, FlightShape, OwnPad, PadAxis, PadIdentity, PadKind, PadModel, PadStart, PadStick, PadTarget,
};
use crate::path::{MadePad, PadCondition, PadFault};
use crate::sight::{Look, Program, SeenNode, Takes};
use crate::slot::SlotNumber;
use crate::table::{Effect, Settings};
use crate::time::Micros;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A joystick with this many buttons and hats, and the axes of these usages, 8 bits each, in a report of its own order.
fn joystick(buttons: u8, hats: u8, axes: &[(u8, u8)]) -> Vec<u8> {
    let mut d = vec![0x05, 0x01, 0x09, 0x04, 0xa1, 0x01];
    d.extend([0x05, 0x09, 0x19, 0x01, 0x29, buttons, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, buttons, 0x81, 0x02]);
    let rest = (8 - buttons % 8) % 8;
    if rest > 0 {
        d.extend([0x75, rest, 0x95, 0x01, 0x81, 0x03]);
    }
    for _ in 0..hats {
        d.extend([0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42]);
    }
    for (page, usage) in axes {
        d.extend([0x05, *page, 0x09, *usage, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02]);
    }
    d.push(0xc0);
    d
}

/// X Y Z Rx Ry Rz, slider, throttle, rudder, steering, accelerator, brake.
const TWELVE: [(u8, u8); 12] = [
    (1, 0x30),
    (1, 0x31),
    (1, 0x32),
    (1, 0x33),
    (1, 0x34),
    (1, 0x35),
    (1, 0x36),
    (2, 0xbb),
    (2, 0xba),
    (2, 0xc8),
    (2, 0xc4),
    (2, 0xc5),
];
/// Which of them rest in their middle here; the others at their lower end. The throttle is assigned where an axis rests in its middle.
const CENTRED: [bool; 12] = [true, true, true, true, true, true, false, true, true, true, false, false];

/// A joystick's report: everything at rest.
struct Report {
    buttons: usize,
    hats: usize,
    bytes: Vec<u8>,
}

impl Report {
    fn resting(buttons: usize, hats: usize, axes: &[bool]) -> Self {
        let mut bytes = vec![0; buttons.div_ceil(8)];
        bytes.extend(vec![8; hats]);
        bytes.extend(axes.iter().map(|centred| if *centred { 0x80 } else { 0 }));
        Self { buttons: buttons.div_ceil(8), hats, bytes }
    }

    fn button(&self, n: usize) -> Vec<u8> {
        let mut bytes = self.bytes.clone();
        bytes[n / 8] |= 1 << (n % 8);
        bytes
    }

    fn hat(&self, n: usize, at: u8) -> Vec<u8> {
        let mut bytes = self.bytes.clone();
        bytes[self.buttons + n] = at;
        bytes
    }

    fn axis(&self, n: usize, at: u8) -> Vec<u8> {
        let mut bytes = self.bytes.clone();
        bytes[self.buttons + self.hats + n] = at;
        bytes
    }
}

fn facts(descriptor: Vec<u8>) -> NodeFacts {
    NodeFacts { descriptor, ..node(0, "F1", "1-1") }
}

fn kind(world: &mut World, kind: PadKind) -> Answer {
    world.command(Command::Kind { slot: slot(1), kind })
}

/// What a pad shows while a report lasts, by the events that were written; then everything rests again.
fn shows(world: &mut World, resting: &Report, bytes: &[u8]) -> BTreeMap<(u16, u16), i32> {
    world.report(0, bytes);
    let shown = world.shadows[&slot(1)].clone();
    world.report(0, &resting.bytes);
    assert_eq!(world.shadows[&slot(1)], BTreeMap::new(), "everything rests again");
    shown
}

/// Of two pads of event nodes a browser lists the newer one: the other slot says so, until its pad is a separate device. What cannot be one is made
/// the other way, says why, and is tried again when it is chosen again.
#[test]
fn a_browser_lists_the_newer_of_two_pads_until_one_is_a_device_of_its_own() {
    let mut world = World::plain();
    for (at, port) in [(0, "1-1"), (1, "1-2")] {
        world.plug(NodeFacts { descriptor: joystick(4, 1, &TWELVE[..2]), ..node(at, port, port) });
    }
    for number in [1, 2] {
        let common = Command::Kind { slot: slot(number), kind: PadKind::Common };
        world.command(common);
    }
    world.now = world.now.after(Micros::seconds(3));
    world.table.handle_time(world.now);
    world.settle();
    assert_eq!(
        world.effects.iter().filter(|effect| matches!(effect, Effect::Look(_))).count(),
        1,
        "it is looked once, not for each of them"
    );
    let pads: Vec<String> = world.table.slots().map(|(_, slot)| slot.pad_node.clone()).collect();
    let node = |path: &String| SeenNode {
        path: path.clone(),
        input: path.clone(),
        device: path.clone(),
        abilities: Takes::Pad,
        ..SeenNode::default()
    };
    let look = |browser: bool| Look {
        nodes: pads.iter().map(node).collect(),
        programs: vec![Program { pid: 511, name: "lagoon".into(), nodes: pads.clone(), browser, ..Program::default() }],
        ..Look::default()
    };
    let out = |world: &World| {
        let of = |number: u8| Some((slot(number), world.table.slot_facts(slot(number))?.kept_out?));
        [1, 2].into_iter().filter_map(of).collect::<Vec<_>>()
    };
    world.table.handle_look(world.now, look(false));
    assert_eq!(out(&world), [], "a game lists both");
    world.table.handle_look(world.now, look(true));
    let [(other, out)] = <[_; 1]>::try_from(out(&world)).expect("one of the two is kept out");
    let listed = if other == slot(1) { slot(2) } else { slot(1) };
    assert_eq!((out.browser.as_str(), out.keeps), ("lagoon (511)", listed));
    let mend = out.proposal.expect("it can be mended").command;
    assert_eq!(mend, Command::Kind { slot: other, kind: PadKind::Apart });
    world.command(mend);
    assert_eq!(world.table.slot_facts(other).and_then(|facts| facts.kept_out), None);
    // Nothing lets games shake it here: it was made the other way, and says so.
    let made = MadePad { node: "event12".into(), instead: Some(PadFault::NoRumble) };
    world.table.handle_pad(world.now, other, Ok(made));
    world.settle();
    let facts = world.table.slot_facts(other).expect("it is there");
    assert_eq!(facts.instead, Some(PadFault::NoRumble));
    let made = |world: &World| world.effects.iter().filter(|effect| matches!(effect, Effect::MakePad { .. })).count();
    let before = made(&world);
    world.command(Command::Kind { slot: other, kind: PadKind::Apart });
    assert_eq!(made(&world), before + 1, "the same kind, chosen anew, is tried again");
    assert_eq!(world.table.slot_facts(other).and_then(|facts| facts.instead), None);
}

/// A person's own pad plays as its file says, also when that is saved during play. If the file is gone it plays on, and after a restart as a common
/// pad, which is reported; once the file is back it is that again.
#[test]
fn a_pad_file_is_followed_when_it_changes() {
    let own = |product: u16| {
        let mut pad = OwnPad::beginning("quay", PadStart::Common);
        (pad.identity.vendor, pad.identity.product) = (0x1209, product);
        // South and East change places.
        pad.buttons[0].1 = 0x131;
        pad.buttons[1].1 = 0x130;
        Arc::new(pad)
    };
    let settings = |pads: Vec<Arc<OwnPad>>, memory: crate::slot::Remembered| Settings {
        own_pads: pads,
        remembered: memory,
        ..Settings::default()
    };
    let mut world = World::new(settings(vec![own(1)], Default::default()));
    world.plug(NodeFacts { descriptor: joystick(8, 1, &TWELVE[..2]), ..node(0, "F1", "1-1") });
    let kind = PadKind::from(own(1));
    assert!(matches!(world.command(Command::Kind { slot: slot(1), kind }), Answer::Done { .. }));
    let ids = |world: &World| world.table.slot(slot(1)).map(|slot| slot.model.identity.product);
    assert_eq!(ids(&world), Some(1));
    let resting = Report::resting(8, 1, &[true, true]);
    world.report(0, &resting.bytes);
    assert_eq!(shows(&mut world, &resting, &resting.button(0)), only(1, 0x131, 1), "as its file has it");
    world.table.handle_own_pads(world.now, vec![own(2)], Vec::new());
    world.settle();
    assert_eq!(ids(&world), Some(2));
    world.table.handle_own_pads(world.now, Vec::new(), Vec::new());
    world.settle();
    assert_eq!(ids(&world), Some(2), "it plays on");
    let memory = world.memory.clone();
    let mut world = World::new(settings(Vec::new(), memory.clone()));
    let no_file = |world: &World| world.table.slot_facts(slot(1)).and_then(|facts| facts.no_file);
    assert_eq!((no_file(&world).as_deref(), ids(&world)), (Some("quay"), Some(0x028e)));
    world.command(Command::SetFeedback { slot: slot(1), feedback: Default::default() });
    world.command(Command::Lock(true));
    let kept = world.memory.slots[0].kind.own().map(|own| own.file.clone());
    assert_eq!(kept.as_deref(), Some("quay"), "what it was meant to be is kept");
    let refused = world.command(Command::Kind { slot: slot(1), kind: PadKind::from(own(7)) });
    assert!(
        matches!(&refused, Answer::Refused { why, .. } if why.contains("there is no pad file quay.pad.toml")),
        "{refused:?}"
    );
    world.table.handle_own_pads(world.now, vec![own(3)], Vec::new());
    world.settle();
    assert_eq!((no_file(&world), ids(&world)), (None, Some(3)));
}

fn only(kind: u16, code: u16, value: i32) -> BTreeMap<(u16, u16), i32> {
    BTreeMap::from([((kind, code), value)])
}

/// An unknown kind: twelve axes, three hats, 64 buttons, under codes of its own.
fn unheard_of() -> PadModel {
    let lanes: Vec<usize> = (0..4).chain(FIRST_LINE..FIRST_LINE + 8).collect();
    let centred =
        |lane: &usize| PadTarget::all().any(|one| one.axis().is_some_and(|(own, sign)| own == *lane && sign < 0.0));
    let axis = |(at, lane): (usize, &usize)| {
        let min = if centred(lane) { -32768 } else { 0 };
        PadAxis { lane: *lane, info: AbsInfo { code: 0x20 + at as u16, min, max: 32767, resolution: 0 } }
    };
    let mut targets: Vec<PadTarget> = (0..64).map(PadTarget::Button).collect();
    targets.extend(PadTarget::all().filter(|target| target.axis().is_some_and(|(lane, _)| lanes.contains(&lane))));
    targets.extend((0..3).flat_map(PadTarget::hat));
    PadModel {
        name: "console of a ferry".into(),
        title: "Placid Mantle console".into(),
        identity: PadIdentity { bus: 6, vendor: 1, product: 2, version: 3 },
        publisher: crate::pad::Publisher::Uinput,
        keys: (0..64).map(|n| (PadTarget::Button(n), 0x200 + u16::from(n))).collect(),
        axes: lanes.iter().enumerate().map(axis).collect(),
        sticks: vec![PadStick { name: "the two of the bridge".into(), lanes: [2, 3] }],
        hats: [0, 1, 2].map(crate::pad::PadHat::usual).to_vec(),
        numbered: true,
        more: Vec::new(),
        comes_back: Vec::new(),
        targets,
        names: Vec::new(),
        hands: Vec::new(),
    }
}

#[test]
fn a_new_kind_plays_by_its_definition_alone() {
    let mut world = World::plain();
    world.plug(facts(joystick(64, 3, &TWELVE)));
    // Wherever a later program reads such a model from: the slot has it, and everything else follows.
    let model = Arc::new(unheard_of());
    let entry = world.table.slots.get_mut(slot(1)).expect("it sits there unasked");
    entry.model = model.clone();
    entry.session.set_model(Micros(1), model.clone());
    world.models.insert(slot(1), model.clone());
    world.table.bind_members(world.now, slot(1));
    world.settle();
    let resting = Report::resting(64, 3, &CENTRED);
    world.report(0, &resting.bytes);
    world.wait(Micros::seconds(2));
    world.report(0, &resting.bytes);
    for n in 0..64 {
        assert_eq!(shows(&mut world, &resting, &resting.button(n)), only(1, 0x200 + n as u16, 1), "button {}", n + 1);
    }
    for hat in 0..3u16 {
        for (at, code, value) in [(0, 0x11, -1), (2, 0x10, 1), (4, 0x11, 1), (6, 0x10, -1)] {
            let shown = shows(&mut world, &resting, &resting.hat(hat.into(), at));
            assert_eq!(shown, only(3, code + 2 * hat, value), "hat {} at {at}", hat + 1);
        }
    }
    // The slider takes the throttle's place, and the throttle the first free one.
    let codes = [0x20, 0x21, 0x24, 0x22, 0x23, 0x25, 0x26, 0x2b, 0x27, 0x28, 0x29, 0x2a];
    for (n, code) in codes.into_iter().enumerate() {
        let high = shows(&mut world, &resting, &resting.axis(n, 0xff));
        assert_eq!(high, only(3, code, 32767), "axis {n}");
        if CENTRED[n] {
            assert_eq!(shows(&mut world, &resting, &resting.axis(n, 0)), only(3, code, -32768), "axis {n}");
        }
    }
}

#[test]
fn a_flight_stick_has_every_control_that_its_device_has() {
    let mut world = World::plain();
    let axes = &TWELVE[..8];
    world.plug(facts(joystick(40, 2, axes)));
    let layout = world.table.calibrated_part(DeviceId(0), 0).expect("it can be read");
    let shape = crate::binding::proposed(&layout);
    assert_eq!((shape.buttons, shape.hats, shape.axis_names().count()), (40, 2, 8));
    assert!(matches!(kind(&mut world, PadKind::Flight(shape)), Answer::Done { .. }));
    let made = world.effects.iter().rev().find_map(|effect| match effect {
        Effect::MakePad { model, .. } => Some(model.clone()),
        _ => None,
    });
    assert_eq!(*made.expect("its pad is made"), PadModel::flight(shape));
    let resting = Report::resting(40, 2, &CENTRED[..8]);
    world.report(0, &resting.bytes);
    world.wait(Micros::seconds(2));
    world.report(0, &resting.bytes);
    for n in 0..40 {
        let code = if n < 16 { 0x120 + n } else { 0x2c0 + n - 16 };
        assert_eq!(shows(&mut world, &resting, &resting.button(n.into())), only(1, code, 1), "button {}", n + 1);
    }
    for hat in 0..2u16 {
        assert_eq!(shows(&mut world, &resting, &resting.hat(hat.into(), 0)), only(3, 0x11 + 2 * hat, -1));
    }
    // X Y Z Rx Ry Rz, the slider as throttle, the throttle as rudder: the next that is free.
    for (n, code) in [0, 1, 2, 3, 4, 5, 6, 7].into_iter().enumerate() {
        assert_eq!(shows(&mut world, &resting, &resting.axis(n, 0xff)), only(3, code, 32767), "axis {n}");
    }
}

#[test]
fn a_kind_is_changed_while_it_plays_and_back() {
    let mut world = World::plain();
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    world.report(0, &resting.button(0));
    assert!(world.down(1, PadTarget::South));
    let flight = FlightShape::new(0b11, 8, 1);
    let answer = kind(&mut world, PadKind::Flight(flight));
    let dropped = |effect: &&Effect| matches!(effect, Effect::DropPad { .. });
    assert_eq!(world.effects.iter().filter(dropped).count(), 1, "games see the old pad go");
    assert_eq!(world.memory.slots[0].kind, PadKind::Flight(flight), "it is kept across restarts");
    // What was held through the change plays on the new pad with the next report, as it does when a profile changes.
    world.report(0, &resting.button(0));
    assert_eq!(world.shadows[&slot(1)], only(1, 0x120, 1));
    world.report(0, &resting.bytes);
    world.report(0, &resting.hat(0, 2));
    world.undo(answer);
    assert_eq!(world.pad(1).down() & !u128::from(u32::MAX), 0, "nothing is left that only the stick had");
    world.report(0, &resting.button(0));
    assert_eq!(world.shadows[&slot(1)], only(1, 0x130, 1));
    let Answer::Refused { why } = world.command(Command::Kind { slot: slot(4), kind: PadKind::Keys }) else { panic!() };
    assert!(why.contains("slot 4 is empty"), "{why}");
}

#[test]
fn a_keys_only_profile_makes_no_pad_and_its_check_list_is_keys() {
    let mut world = World::plain();
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    let made = |world: &World| world.effects.iter().filter(|one| matches!(one, Effect::MakePad { .. })).count();
    let before = made(&world);
    assert!(matches!(kind(&mut world, PadKind::Keys), Answer::Done { .. }));
    world.plug(node(1, "F2", "1-2"));
    assert_eq!(made(&world), before + 1, "the other slot has a pad, this one has none");
    assert_eq!(world.table.slot(slot(1)).expect("in use").pad, PadCondition::Unwanted);
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    world.report(0, &resting.button(0));
    assert!(world.table.poll_write().is_none(), "nothing is written");
    let (_, said) = world.sentence();
    // What is missing is a key, and not a pad.
    assert_eq!(said, "Slot 1 stops at Bindings: it has no pad, and nothing is bound to a key or the mouse yet.");
}

#[test]
fn bindings_to_controls_missing_in_the_kind_are_reported() {
    let mut world = World::plain();
    let profile = crate::binding::Profile::plain("pads", crate::feel::Feel::default());
    let named = |name: &str| crate::binding::Named::parse(name);
    let rule = |target, source: &str| crate::binding::Rule {
        target,
        source: Some(named(source)),
        layer: 0,
        options: crate::binding::Options::default(),
        line: 1,
    };
    let rules = vec![
        rule(PadTarget::South.into(), "button 1"),
        rule(PadTarget::LeftStickLeft.into(), "button 2"),
        rule(PadTarget::Button(4).into(), "button 3"),
    ];
    let profile = crate::binding::Profile { rules, ..profile };
    world.table.handle_profiles(Micros(1), vec![Arc::new(profile)], Vec::new());
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    world.place(0, 1, "pads");
    assert!(matches!(kind(&mut world, PadKind::Flight(FlightShape::new(0b11, 8, 1))), Answer::Done { .. }));
    let member = &world.table.slot(slot(1)).expect("in use").session.members[0];
    assert_eq!(member.bindings.not_found, [(0, "a flight stick has no South".to_owned())]);
    let plays = |target| member.bindings.of(target).count();
    assert_eq!((plays(PadTarget::LeftStickLeft), plays(PadTarget::Button(4))), (1, 1), "the rest carries over");
}

#[test]
fn a_moved_device_takes_its_kind_along_or_adopts_the_slots_kind() {
    let mut world = World::plain();
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    assert!(matches!(kind(&mut world, PadKind::Flight(FlightShape::new(0b11, 8, 1))), Answer::Done { .. }));
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    let moved = |world: &mut World, from, to| {
        assert!(matches!(world.command(Command::Move { from: slot(from), to: slot(to) }), Answer::Done { .. }));
        world.report(0, &resting.bytes);
        world.report(0, &resting.button(0));
        let shown = world.shadows[&slot(to)].clone();
        world.report(0, &resting.bytes);
        shown
    };
    assert_eq!(moved(&mut world, 1, 5), only(1, 0x120, 1), "to a free slot: still a flight stick");
    // Another one sits in slot 1 as a common pad: the two change places, the pads stay.
    world.plug(node(1, "F2", "1-2"));
    assert_eq!(world.used(), [1, 5]);
    assert_eq!(moved(&mut world, 5, 1), only(1, 0x130, 1), "button 1 is South there");
    assert_eq!(moved(&mut world, 1, 5), only(1, 0x120, 1), "and button 1 of the stick here");
}

/// A flight stick with every axis, hat and two buttons in slot 1, everything at rest.
fn flying() -> (World, Report) {
    let mut world = World::plain();
    world.plug(facts(joystick(8, 1, &TWELVE[..8])));
    let layout = world.table.calibrated_part(DeviceId(0), 0).expect("it can be read");
    let shape = crate::binding::proposed(&layout);
    assert!(matches!(kind(&mut world, PadKind::Flight(shape)), Answer::Done { .. }));
    let resting = Report::resting(8, 1, &CENTRED[..8]);
    world.report(0, &resting.bytes);
    world.wait(Micros::seconds(2));
    world.report(0, &resting.bytes);
    (world, resting)
}

fn named(world: &World, name: &str) -> PadTarget {
    world.table.slot(slot(1)).expect("in use").model.named(name).expect("it has that")
}

/// The help for assigning controls in a game works on every kind: only one control is sent, another one is pressed by itself.
#[test]
fn every_kind_can_be_assigned_with_assistance() {
    let (mut world, resting) = flying();
    let target = named(&world, "button 5");
    world.command(Command::SendOnly { slot: slot(1), target: Some(target) });
    assert_eq!(shows(&mut world, &resting, &resting.button(4)), only(1, 0x124, 1));
    assert_eq!(shows(&mut world, &resting, &resting.button(3)), BTreeMap::new(), "nothing else is sent");
    assert_eq!(shows(&mut world, &resting, &resting.axis(6, 0xff)), BTreeMap::new());
    world.command(Command::SendOnly { slot: slot(1), target: None });
    let throttle = named(&world, "throttle");
    world.command(Command::PressFor { slot: slot(1), target: throttle });
    world.wait(Micros::millis(5_700));
    assert!(world.shadows[&slot(1)].get(&(3, 6)).is_some_and(|value| *value > 0), "it moves by itself");
    world.wait(Micros::seconds(3));
    assert_eq!(world.shadows[&slot(1)], BTreeMap::new(), "and comes back");
}

/// A line has a feel like a stick's axis: dead zone, inversion, smoothing; it is raised step by step, and measured.
#[test]
fn a_single_axis_is_shaped() {
    use crate::feel::{Feel, Shaped};
    let (mut world, resting) = flying();
    let line = |world: &World, name: &str| match named(world, name) {
        PadTarget::Line(line, _) => Shaped::Line(line),
        other => panic!("{other:?} is no line"),
    };
    let (twist, throttle) = (line(&world, "Rz plus"), line(&world, "throttle"));
    let felt = |world: &mut World, change: &dyn Fn(&mut Feel)| {
        let mut feel = Feel::default();
        change(&mut feel);
        let entry = world.table.slots.get_mut(slot(1)).expect("in use");
        entry.session.set_feel(world.now, feel);
        world.settle();
    };
    felt(&mut world, &|feel| feel.of_mut(twist).dead_zone = 0.5);
    assert_eq!(shows(&mut world, &resting, &resting.axis(5, 0xb0)), BTreeMap::new(), "within the dead zone");
    assert_eq!(shows(&mut world, &resting, &resting.axis(5, 0xff)), only(3, 5, 32767));
    felt(&mut world, &|feel| feel.of_mut(twist).invert = [true, false]);
    assert_eq!(shows(&mut world, &resting, &resting.axis(5, 0xff)), only(3, 5, -32768));
    felt(&mut world, &|feel| feel.of_mut(throttle).smoothing = Micros::millis(100));
    world.report(0, &resting.axis(6, 0xff));
    let first = world.shadows[&slot(1)].get(&(3, 6)).copied().unwrap_or(0);
    world.wait(Micros::millis(100));
    let later = world.shadows[&slot(1)][&(3, 6)];
    world.wait(Micros::seconds(2));
    assert!(first < 3_000 && (18_000..24_000).contains(&later), "{first}, then {later}");
    assert_eq!(world.shadows[&slot(1)], only(3, 6, 32767), "all of it in the end");
    world.report(0, &resting.bytes);
    world.wait(Micros::seconds(2));
    felt(&mut world, &|_| {});
    world.command(Command::WalkOutput { slot: slot(1), which: throttle });
    world.wait(Micros::seconds(3));
    let walked = world.shadows[&slot(1)][&(3, 6)];
    assert!((8_000..11_000).contains(&walked), "a tenth of full a second: {walked}");
    world.command(Command::EndWalk { slot: slot(1), moved: false });
    assert_eq!(world.shadows[&slot(1)], BTreeMap::new());
    world.command(Command::MeasureFeel(Some((slot(1), twist))));
    world.wait(Micros::seconds(6));
    for at in [0x90, 0xf0, 0x80] {
        world.report(0, &resting.axis(5, at));
    }
    let (_, measure) = world.table.measuring().expect("it goes on");
    let found = measure.proposal().expect("it has been to its end and back");
    assert!((60..=140).contains(&found.outer), "{found:?}");
}

/// Keys alone have a check-off list and a trial: what would be typed is pressed and released, whether it is typed or held back.
#[test]
fn a_keys_only_profile_can_be_checked() {
    let mut world = World::plain();
    let stroke = crate::keys::KeyTarget::named("key A").expect("there is one");
    let target = Target::Key(stroke);
    let profile = super::profiles::profile("typing", vec![super::profiles::rule(target, "button 1")]);
    world.table.handle_profiles(Micros(1), vec![Arc::new(profile)], Vec::new());
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    world.place(0, 1, "typing");
    assert!(matches!(kind(&mut world, PadKind::Keys), Answer::Done { .. }));
    world.command(Command::TryPad { slot: SlotNumber::new(1), again: true });
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    let facts = |world: &World| world.table.slot_facts(slot(1)).map(|facts| (facts.seen, facts.to_try));
    assert_eq!(facts(&world), Some((0, 1)));
    world.report(0, &resting.button(0));
    assert_eq!(facts(&world), Some((0, 1)), "it has to come up again");
    world.wait(Micros::seconds(11));
    let stuck = |world: &World| world.table.trying(slot(1)).map(|trial| trial.stuck_keys(world.now));
    assert_eq!(stuck(&world), Some(vec![stroke]), "it is down for longer than anybody presses a key");
    world.report(0, &resting.bytes);
    assert_eq!((facts(&world), stuck(&world)), (Some((1, 1)), Some(vec![])));
}

/// A button that plays something with travel takes it to its end, on every kind: written as its axis, and not lost.
#[test]
fn a_button_drives_an_axis_to_its_end() {
    let mut world = World::plain();
    let profile = crate::binding::Profile::plain("pads", crate::feel::Feel::default());
    let rule = |target: &str, source| super::profiles::rule(Target::named(target).expect("there is one"), source);
    let rules = vec![rule("throttle", "button 5"), rule("Rz minus", "button 6"), rule("wheel plus", "button 7")];
    let profile = crate::binding::Profile { rules, ..profile };
    world.table.handle_profiles(Micros(1), vec![Arc::new(profile)], Vec::new());
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    world.place(0, 1, "pads");
    assert!(matches!(kind(&mut world, PadKind::widest()[1].clone()), Answer::Done { .. }));
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    assert_eq!(shows(&mut world, &resting, &resting.button(4)), only(3, 6, 32767));
    assert_eq!(shows(&mut world, &resting, &resting.button(5)), only(3, 5, -32768));
    assert_eq!(shows(&mut world, &resting, &resting.button(6)), only(3, 8, 32767));
    assert_eq!(shows(&mut world, &resting, &resting.button(0)), only(1, 0x120, 1));
}

/// Tied to another player and separated again by undo, a device has its earlier slot, profile and kind of pad.
#[test]
fn a_device_separated_by_undo_regains_its_kind() {
    let mut world = World::plain();
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    world.plug(node(1, "F2", "1-2"));
    let flight = PadKind::Flight(FlightShape::new(0b11, 8, 1));
    assert!(matches!(kind(&mut world, flight.clone()), Answer::Done { .. }));
    let tied = world.command(Command::Tie { device: DeviceId(0), part: 0, slot: slot(2) });
    assert_eq!(world.used(), [2], "{tied:?}");
    let Answer::Done { said, .. } = world.command(Command::Undo { slot: None }) else { panic!("it can be undone") };
    assert!(said.starts_with("undone: ") && said.ends_with("is now tied in slot 2"), "{said}");
    assert_eq!(world.used(), [1, 2]);
    assert_eq!(world.table.slot(slot(1)).map(|slot| slot.kind.clone()), Some(flight));
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    world.report(0, &resting.button(0));
    assert_eq!(world.shadows[&slot(1)], only(1, 0x120, 1));
}

/// A profile for another kind is played as far as possible: what was done says how far, and what has no place is listed by its line.
#[test]
fn a_profile_for_another_kind_is_reported_and_loses_nothing() {
    let mut world = World::plain();
    let rule = |target: &str, source| super::profiles::rule(Target::named(target).expect("there is one"), source);
    let rules = vec![rule("South", "button 1"), rule("Mode", "button 2"), rule("left stick left", "button 3")];
    let profile = super::profiles::profile("pads", rules);
    assert_eq!(profile.kinds(), ["common pad", "motion pad"]);
    let flying = super::profiles::profile("sticks", vec![rule("button 40", "button 1")]);
    let said = crate::binding::Profile { said_kinds: vec!["keys".into()], ..super::profiles::profile("said", vec![]) };
    assert_eq!((flying.kinds(), said.kinds()), (vec!["flight stick"], vec!["keys"]));
    let mixed = super::profiles::profile("mixed", vec![rule("South", "button 1"), rule("throttle", "button 2")]);
    assert_eq!(mixed.kinds().len(), 4, "for none more than for another");
    world.table.handle_profiles(Micros(1), vec![Arc::new(profile), Arc::new(flying)], Vec::new());
    world.plug(facts(joystick(8, 1, &TWELVE[..2])));
    assert!(matches!(kind(&mut world, PadKind::Flight(FlightShape::new(0b11, 8, 1))), Answer::Done { .. }));
    let mut plays_by = |name: &str| match world.command(Command::PlayBy { slot: slot(1), profile: name.into() }) {
        Answer::Done { said, .. } => said,
        Answer::Refused { why } => panic!("{why}"),
    };
    assert_eq!(
        plays_by("pads"),
        "slot 1 plays by pads; pads is for common pad and motion pad: 2 of its bindings do nothing here (B)"
    );
    assert_eq!(plays_by("sticks"), "slot 1 plays by sticks");
    plays_by("pads");
    let entry = world.table.slot(slot(1)).expect("in use");
    let unplayed = entry.unplayed(&world.table.profile_of("pads"));
    let why: Vec<&str> = unplayed.iter().map(|(_, why)| why.as_str()).collect();
    assert_eq!(why, ["a flight stick has no South", "a flight stick has no Mode"]);
    let resting = Report::resting(8, 1, &CENTRED[..2]);
    world.report(0, &resting.bytes);
    assert_eq!(shows(&mut world, &resting, &resting.button(2)), only(3, 0, -32768), "the rest plays");
}
