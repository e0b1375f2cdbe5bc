//! Pads that move and are touched: what a device's sensors measure goes to the nodes of a pad that has them, and comes to rest with it.

use super::profiles::{profile, rule};
use super::*;
use crate::binding::Rule;
use crate::control::{ControlKind, Packing, Plays, Scale};
use crate::pad::Publisher;
use crate::sheet::{Sheet, SheetContact, SheetControl, SheetMotion, Where};
use std::sync::Arc;

/// 32 bytes of vendor-defined data; a sheet says what they are.
const PLAIN: &[u8] = &[
    0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x20, 0x81,
    0x02, 0xc0,
];
/// A game pad of eight buttons, and a sensor of the sensor page: acceleration in thousandths of g, angular velocity in tenths of a degree per second,
/// 16 bits each.
const SENSOR: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0x05, 0x20, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x03, 0x55, 0x0d, 0x0a, 0x53,
    0x04, 0x0a, 0x54, 0x04, 0x0a, 0x55, 0x04, 0x81, 0x02, 0x55, 0x0f, 0x0a, 0x57, 0x04, 0x0a, 0x58, 0x04, 0x0a, 0x59,
    0x04, 0x81, 0x02, 0xc0,
];
/// The codes of the motion node's axes, and of the surface's button, in a shadow.
const ACCELERATION: u16 = 0;
const TURNING: u16 = 3;

fn sheet() -> Sheet {
    let at = |at, size, signed| Where::Bits { report: 0, at, size, packing: Packing::Little, signed };
    let plays = Some(Plays::Target(PadTarget::South));
    let button = SheetControl { source: at(0, 1, false), plays, ..SheetControl::new("button 1", ControlKind::Button) };
    let axis = |name: &str, byte: u32, factor, unit: &str| SheetControl {
        source: at(8 * byte, 16, true),
        scale: Some(Scale { factor, offset: 0.0, unit: unit.into() }),
        ..SheetControl::new(name, ControlKind::Motion)
    };
    let touches = SheetControl { source: at(8 * 14, 1, false), ..SheetControl::new("touch", ControlKind::Contact) };
    let place = |name: &str, byte: u32| SheetControl {
        source: at(8 * byte, 16, false),
        range: Some((0, 1_000)),
        ..SheetControl::new(name, ControlKind::Contact)
    };
    let motion =
        |name: &str, of: [&str; 3], rotation| SheetMotion { name: name.into(), of: of.map(str::to_owned), rotation };
    // Held on its side: what it calls X points up, and what it calls Y to the left.
    let turned = [[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]];
    Sheet {
        controls: vec![
            button,
            axis("gyro X", 2, 0.1, "deg/s"),
            axis("gyro Y", 4, 0.1, "deg/s"),
            axis("gyro Z", 6, 0.1, "deg/s"),
            axis("pull X", 8, 0.01, "m/s2"),
            axis("pull Y", 10, 0.01, "m/s2"),
            axis("pull Z", 12, 0.01, "m/s2"),
            touches,
            place("touch X", 15),
            place("touch Y", 17),
        ],
        motions: vec![
            motion("gyro", ["gyro X", "gyro Y", "gyro Z"], turned),
            motion("pull", ["pull X", "pull Y", "pull Z"], turned),
        ],
        contacts: vec![SheetContact {
            name: "finger".into(),
            touches: "touch".into(),
            at: ["touch X".into(), "touch Y".into()],
        }],
        ..Sheet::default()
    }
}

/// Its report: the button, rotation, acceleration, and where it is touched.
fn report(button: bool, turning: [i16; 3], pull: [i16; 3], touch: Option<[u16; 2]>) -> Vec<u8> {
    let mut out = vec![u8::from(button), 0];
    turning.iter().chain(&pull).for_each(|one| out.extend(one.to_le_bytes()));
    out.push(u8::from(touch.is_some()));
    touch.unwrap_or_default().iter().for_each(|one| out.extend(one.to_le_bytes()));
    out.resize(32, 0);
    out
}

/// Such a device in slot 1 as a motion pad, with a profile of these rules; it lies still.
fn placed(rules: Vec<Rule>) -> World {
    let profiles = vec![Arc::new(profile("turning", rules))];
    let mut world = World::new(Settings { profiles, sheets: vec![sheet()], ..Settings::default() });
    world.plug(NodeFacts { descriptor: PLAIN.to_vec(), ..node(0, "A", "1-1") });
    world.place(0, 1, "turning");
    assert!(matches!(world.command(Command::Kind { slot: slot(1), kind: PadKind::Motion }), Answer::Done { .. }));
    world.report(0, &still());
    world
}

/// X points up: it is held against gravity.
fn still() -> Vec<u8> {
    report(false, [0; 3], [981, 0, 0], None)
}

fn shown(world: &World, node: u16, code: u16) -> Option<i32> {
    world.shadows[&slot(1)].get(&(3 | node << 8, code)).copied()
}

#[test]
fn rotation_reaches_the_pad_in_its_axes_and_units() {
    let mut world = placed(Vec::new());
    // It rotates about its X, which points up: 30 degrees per second.
    world.report(0, &report(false, [300, 0, 0], [981, 0, 0], None));
    assert_eq!([0, 1, 2].map(|axis| shown(&world, 1, TURNING + axis)), [None, Some(30 * 1_024), None]);
    // About its Y, which points to the left, and so about the pad's X the other way round.
    world.report(0, &report(false, [0, 300, 0], [981, 0, 0], None));
    assert_eq!([0, 1, 2].map(|axis| shown(&world, 1, TURNING + axis)), [Some(-30 * 1_024), None, None]);
    // It is laid on its side: nothing accelerates it along what points up.
    world.report(0, &report(false, [0; 3], [0, 0, 981], None));
    let up = shown(&world, 1, ACCELERATION + 1);
    assert_eq!((up, shown(&world, 1, ACCELERATION + 2).map(|value| value / 100)), (Some(0), Some(81)));
    // Buttons play beside it, in a frame of their own node.
    world.report(0, &report(true, [0; 3], [981, 0, 0], None));
    assert_eq!(shown(&world, 1, ACCELERATION + 1).map(|value| value / 10), Some(819), "981 is a little more than g");
    assert_eq!(world.shadows[&slot(1)].get(&(1, 0x130)), Some(&1));
}

#[test]
fn a_touch_has_a_position_while_it_lasts() {
    let mut world = placed(Vec::new());
    let touching = |x: u16, y: u16| report(false, [0; 3], [981, 0, 0], Some([x, y]));
    let at = |world: &World| [0x39, 0x35, 0x36].map(|code| shown(world, 2, code));
    world.report(0, &touching(500, 1_000));
    let [first, x, y] = at(&world);
    assert_eq!((x, y), (Some(959), Some(1_079)));
    world.report(0, &touching(250, 1_000));
    assert_eq!(at(&world), [first, Some(479), Some(1_079)], "the same finger moves");
    world.report(0, &still());
    assert_eq!(at(&world), [None; 3]);
    world.report(0, &touching(250, 1_000));
    assert_ne!(at(&world)[0], first, "another touch");
}

#[test]
fn motion_rests_on_pause_unplug_and_change_of_kind() {
    let turning = report(false, [300, 200, 100], [500, 400, 300], Some([1, 2]));
    let at_rest = |world: &World| !world.shadows[&slot(1)].keys().any(|(kind, _)| kind >> 8 > 0);
    for end in 0..3 {
        let mut world = placed(Vec::new());
        world.report(0, &turning);
        assert!(!at_rest(&world));
        match end {
            0 => drop(world.command(Command::PauseSlot { slot: slot(1), paused: true })),
            1 => world.unplug(0),
            _ => drop(world.command(Command::Kind { slot: slot(1), kind: PadKind::Common })),
        }
        assert!(at_rest(&world), "{end}");
        if end == 2 {
            world.report(0, &turning);
            assert!(at_rest(&world), "a common pad has no sensors");
        }
    }
}

#[test]
fn rules_decide_which_bindings_can_carry_motion() {
    let whole = |name: &str| Target::named(name).expect("there is one");
    let none = Rule { source: None, ..rule(whole("motion"), "motion") };
    let mut world = placed(vec![none]);
    world.report(0, &report(false, [300, 0, 0], [0, 0, 0], Some([1, 2])));
    assert_eq!((shown(&world, 1, TURNING + 1), shown(&world, 2, 0x35)), (None, Some(1)), "nothing plays it any more");
    let world = placed(vec![
        rule(whole("motion"), "gyro"),
        rule(whole("contact 2"), "finger"),
        rule(whole("contact 1"), "button 1"),
        Rule { layer: 1, ..rule(whole("motion"), "motion") },
    ]);
    let bindings = &world.table.slot(slot(1)).expect("in use").session.members[0].bindings;
    let played: Vec<_> = bindings.wholes.iter().map(|whole| (whole.target, whole.rule)).collect();
    assert_eq!(played, [(PadTarget::Motion, Some(0)), (PadTarget::Contact(1), Some(1))]);
    assert_eq!(
        bindings.not_found,
        [
            (3, "what is bound as a whole belongs to the base layer".to_owned()),
            (2, "button 1 is not a contact of the device's surface; its contacts are finger".to_owned()),
        ]
    );
    assert_eq!(bindings.left_out, [], "what is played is not left out");
}

#[test]
fn a_sensor_of_the_sensor_page_needs_no_sheet_and_another_device_may_lend_its_own() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    assert!(matches!(world.command(Command::Kind { slot: slot(1), kind: PadKind::Motion }), Answer::Done { .. }));
    world.plug(NodeFacts { descriptor: SENSOR.to_vec(), ..node(1, "B", "1-2") });
    let tied = world.command(Command::Tie { device: DeviceId(1), part: 0, slot: slot(1) });
    assert!(matches!(tied, Answer::Done { .. }), "{tied:?}");
    let report = |pull: [i16; 3], turning: [i16; 3]| {
        let mut out = vec![0];
        pull.iter().chain(&turning).for_each(|one| out.extend(one.to_le_bytes()));
        out
    };
    world.report(1, &report([0, 1_000, 0], [0; 3]));
    world.report(1, &report([500, 0, 0], [0, -450, 0]));
    assert_eq!([0, 1].map(|axis| shown(&world, 1, ACCELERATION + axis)), [Some(4_096), Some(0)]);
    assert_eq!(shown(&world, 1, TURNING + 1), Some(-45 * 1_024));
}

/// What a pad is told about its battery: tenths, and whether it is charging.
fn told_of_battery(world: &World) -> Vec<(u8, bool)> {
    let told = |effect: &Effect| match effect {
        Effect::PadBattery { tenths, charges, .. } => Some((*tenths, *charges)),
        _ => None,
    };
    world.effects.iter().filter_map(told).collect()
}

#[test]
fn the_pad_reports_the_device_battery() {
    let at = |at, size| Where::Bits { report: 0, at, size, packing: Packing::Little, signed: false };
    let level =
        SheetControl { source: at(8, 8), range: Some((0, 100)), ..SheetControl::new("level", ControlKind::State) };
    let charging = SheetControl { source: at(1, 1), ..SheetControl::new("charging", ControlKind::State) };
    let mut sheet = sheet();
    sheet.controls.extend([level, charging]);
    sheet.battery = Some(crate::sheet::SheetBattery { level: "level".into(), charging: Some("charging".into()) });
    let mut world = World::new(Settings { sheets: vec![sheet], ..Settings::default() });
    world.plug(NodeFacts { descriptor: PLAIN.to_vec(), ..node(0, "A", "1-1") });
    let with = |level: u8, charges: bool| {
        let mut report = still();
        (report[0], report[1]) = (u8::from(charges) << 1, level);
        report
    };
    world.report(0, &with(57, false));
    world.wait(Micros::seconds(1));
    assert_eq!(told_of_battery(&world), [], "a common pad tells of none");
    assert!(matches!(world.command(Command::Kind { slot: slot(1), kind: PadKind::Motion }), Answer::Done { .. }));
    for (level, charges) in [(57, false), (52, false), (49, false), (49, true)] {
        world.report(0, &with(level, charges));
        world.wait(Micros::seconds(1));
    }
    assert_eq!(told_of_battery(&world), [(5, false), (4, false), (4, true)], "once for each tenth");
}

/// An unknown kind shows what sensors measure by its definition alone, made by uinput as well.
#[test]
fn a_new_sensor_kind_plays_by_its_definition() {
    let mut world = placed(Vec::new());
    let common = PadModel::common();
    let mut more = PadModel::motion().more;
    more[0].axes.truncate(1);
    more[0].axes[0].1.code = 9;
    more[0].axes[0].1.resolution = 100;
    let targets = common.targets.iter().copied().chain([PadTarget::Motion]).collect();
    let model = PadModel { publisher: Publisher::Uinput, more, targets, ..common };
    let model = Arc::new(model);
    let entry = world.table.slots.get_mut(slot(1)).expect("in use");
    entry.model = model.clone();
    entry.session.set_model(Micros(1), model.clone());
    world.models.insert(slot(1), model);
    world.shadows.insert(slot(1), Shadow::new());
    world.table.bind_members(world.now, slot(1));
    world.settle();
    world.report(0, &report(false, [0; 3], [0, -491, 0], Some([1, 2])));
    assert_eq!(
        world.shadows[&slot(1)],
        Shadow::from([((0x103, 9), 50)]),
        "half of g to its right, and no surface to touch"
    );
}
