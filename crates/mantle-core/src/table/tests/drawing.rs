//! A finger on a surface, a mouse and motion move the pointer by moving themselves; a surface is clicked and tapped.

use super::profiles::{profile, rule};
use super::*;
use crate::binding::{Profile, Rule};
use crate::control::{ControlKind, Packing};
use crate::feel::Feel;
use crate::keys::KeyTarget;
use crate::sheet::{Sheet, SheetControl, Where};
use std::sync::Arc;

/// A touch pad of one contact (tip switch, X and Y of 16 bits, 0 to 1000) and a button below it.
const SURFACE: &[u8] = &[
    0x05, 0x0d, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x22, 0xa1, 0x02, 0x09, 0x42, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x01, 0x81, 0x02, 0x75, 0x07, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xe8, 0x03, 0x75, 0x10, 0x95,
    0x02, 0x81, 0x02, 0xc0, 0x05, 0x09, 0x09, 0x01, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01, 0x81, 0x02, 0x75, 0x07, 0x81,
    0x01, 0xc0,
];
/// A mouse: 3 buttons, X, Y and a wheel.
const MOUSE: &[u8] = &[
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x03, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x03, 0x81, 0x02, 0x75, 0x05, 0x95, 0x01, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x38, 0x15, 0x81,
    0x25, 0x7f, 0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0,
];
/// A pad that rotates: 3 bytes of vendor-defined data; a sheet says that they are a button and a gyroscope.
const MOTION: &[u8] = &[
    0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x03, 0x81,
    0x02, 0xc0,
];
const X: u16 = 0;
const Y: u16 = 1;
const WHEEL: u16 = 8;

fn named(name: &str) -> Target {
    Target::named(name).expect("there is one")
}

/// What somebody has placed, playing by these rules and allowed to type what they say.
fn placed(descriptor: &[u8], rules: Vec<Rule>) -> World {
    placed_by(descriptor, profile("pointing", rules))
}

/// The same by any profile of that name.
fn placed_by(descriptor: &[u8], profile: Profile) -> World {
    let profiles = vec![Arc::new(profile)];
    let at = |at, size| Where::Bits { report: 0, at, size, packing: Packing::Little, signed: size > 1 };
    let button = SheetControl { source: at(0, 1), ..SheetControl::new("button 1", ControlKind::Button) };
    let range = Some((-1000, 1000));
    let gyro = SheetControl { source: at(8, 16), range, ..SheetControl::new("gyro X", ControlKind::Motion) };
    let sheet = Sheet { controls: vec![button, gyro], ..Sheet::default() };
    let sheets = if descriptor == MOTION { vec![sheet] } else { Vec::new() };
    let mut world = World::new(Settings { profiles, sheets, ..Settings::default() });
    world.plug(NodeFacts { descriptor: descriptor.to_vec(), ..node(0, "A", "1-1") });
    world.place(0, 1, "pointing");
    assert!(matches!(world.command(Command::LetType { slot: slot(1), allowed: true }), Answer::Done { .. }));
    world
}

fn pointing() -> Vec<Rule> {
    ["mouse left", "mouse right", "mouse up", "mouse down"]
        .map(|name| {
            rule(
                named(name),
                if name.ends_with("up") || name.ends_with("down") { "contact 1 Y" } else { "contact 1 X" },
            )
        })
        .into()
}

/// A finger at a place, or none; and the button.
fn touch(world: &mut World, at: Option<(u16, u16)>, button: bool) {
    let (x, y) = at.unwrap_or((0, 0));
    let mut report = vec![u8::from(at.is_some())];
    report.extend(x.to_le_bytes());
    report.extend(y.to_le_bytes());
    report.push(u8::from(button));
    world.now.0 += 7_000;
    world.report(0, &report);
}

/// What has been typed with one code, added up.
fn moved(world: &mut World, code: u16) -> i32 {
    world.typed.iter().filter(|(kind, own, _)| (*kind, *own) == (2, code)).map(|(_, _, value)| value).sum()
}

fn clicks(world: &mut World) -> Vec<(u16, i32)> {
    let typed = std::mem::take(&mut world.typed);
    typed.into_iter().filter(|(kind, ..)| *kind == 1).map(|(_, code, value)| (code, value)).collect()
}

#[test]
fn the_pointer_follows_a_finger_and_stays_when_lifted() {
    let mut world = placed(SURFACE, pointing());
    touch(&mut world, Some((100, 900)), false);
    assert_eq!((moved(&mut world, X), moved(&mut world, Y)), (0, 0), "touching it moves nothing");
    touch(&mut world, Some((160, 870)), false);
    touch(&mut world, Some((150, 870)), false);
    assert_eq!((moved(&mut world, X), moved(&mut world, Y)), (50, -30));
    assert!(
        world.table.slot(slot(1)).expect("used").session.members[0].gives(named("mouse left")) > 0.0,
        "who looks sees it"
    );
    touch(&mut world, None, false);
    touch(&mut world, Some((800, 100)), false);
    world.wait(Micros::seconds(2));
    assert_eq!((moved(&mut world, X), moved(&mut world, Y)), (50, -30), "set down elsewhere it has not moved");
    assert_eq!(world.table.slot(slot(1)).expect("used").session.members[0].gives(named("mouse left")), 0.0);
    assert_eq!(world.table.deadline_of_play(), None);
}

#[test]
fn fractional_counts_carry_over_and_speed_is_adjustable() {
    let mut rules = pointing();
    rules.iter_mut().for_each(|rule| rule.options.reach = Some(300.0));
    rules[0].options.sensitivity = 2.0;
    let mut world = placed(SURFACE, rules);
    for x in 0..=1000 {
        touch(&mut world, Some((x, 500)), false);
    }
    assert_eq!(moved(&mut world, X), 300, "the way across");
    for x in (0..=1000).rev() {
        touch(&mut world, Some((x, 500)), false);
    }
    assert_eq!(moved(&mut world, X), 300 - 600, "and back, twice as fast");
}

#[test]
fn a_held_back_or_paused_pointer_neither_moves_nor_catches_up() {
    for (begin, end) in [
        (Command::HaveScreen(true), Command::HaveScreen(false)),
        (Command::PauseSlot { slot: slot(1), paused: true }, Command::PauseSlot { slot: slot(1), paused: false }),
        (Command::LetGo, Command::Resume),
    ] {
        let mut world = placed(SURFACE, pointing());
        touch(&mut world, Some((100, 100)), false);
        assert!(matches!(world.command(begin.clone()), Answer::Done { .. }));
        for x in 0..60 {
            touch(&mut world, Some((100 + x * 5, 100)), false);
        }
        assert!(matches!(world.command(end), Answer::Done { .. }));
        touch(&mut world, None, false);
        touch(&mut world, Some((700, 100)), false);
        assert_eq!(moved(&mut world, X), 0, "{begin:?}");
        touch(&mut world, Some((710, 100)), false);
        touch(&mut world, Some((720, 100)), false);
        assert!(moved(&mut world, X) > 0, "{begin:?}: it draws again");
    }
}

#[test]
fn a_surface_clicks_with_another_button_in_its_region() {
    let mut rules = pointing();
    rules.push(rule(named("mouse button left"), "button 1"));
    rules.push(rule(named("mouse button right"), "button 1"));
    rules[5].options.region = Some([0.5, 0.5, 1.0, 1.0]);
    let mut world = placed(SURFACE, rules);
    let (left, right) = (0x110, 0x111);
    for (at, meant) in [((100, 100), left), ((900, 100), left), ((900, 900), right), ((500, 500), right)] {
        touch(&mut world, Some(at), false);
        touch(&mut world, Some(at), true);
        assert_eq!(clicks(&mut world), [(meant, 1)], "{at:?}");
        // Where it goes while it is held changes nothing.
        touch(&mut world, Some((400, 900)), true);
        touch(&mut world, Some((1000, 1000)), true);
        assert_eq!(clicks(&mut world), [], "{at:?}");
        touch(&mut world, None, false);
        assert_eq!(clicks(&mut world), [(meant, 0)], "{at:?}");
    }
    touch(&mut world, None, true);
    assert_eq!(clicks(&mut world), [(left, 1)], "without a finger it is in no region");
}

/// A layer by the finger's position: while nobody is there, it is off, whatever numbers the surface keeps sending.
#[test]
fn only_a_finger_in_its_half_holds_the_layer() {
    let mut rules = pointing();
    rules.push(rule(named("mouse button left"), "button 1"));
    rules.push(Rule { layer: 1, ..rule(named("mouse button right"), "button 1") });
    let hold = crate::binding::Named::parse("contact 1 X lower half");
    let layer = crate::binding::Layer { name: "left".into(), hold, toggle: false };
    let mut pointing = profile("pointing", rules);
    pointing.layers.push(layer);
    let mut world = placed_by(SURFACE, pointing);
    for (at, meant) in [(None, 0x110), (Some((10, 500)), 0x111), (Some((900, 500)), 0x110)] {
        touch(&mut world, at, false);
        touch(&mut world, at, true);
        touch(&mut world, at, false);
        assert_eq!(clicks(&mut world), [(meant, 1), (meant, 0)], "{at:?}");
    }
}

#[test]
fn a_tap_clicks_and_a_long_or_moving_touch_does_not() {
    let mut rules = pointing();
    rules.push(rule(named("mouse button left"), "contact 1"));
    rules[4].options.tap = Micros::millis(200);
    let mut world = placed(SURFACE, rules);
    touch(&mut world, Some((500, 500)), false);
    touch(&mut world, Some((505, 500)), false);
    assert_eq!(clicks(&mut world), []);
    touch(&mut world, None, false);
    assert_eq!(clicks(&mut world), [(0x110, 1)]);
    world.wait(Micros::millis(49));
    assert_eq!(clicks(&mut world), []);
    world.wait(Micros::millis(1));
    assert_eq!(clicks(&mut world), [(0x110, 0)]);

    touch(&mut world, Some((500, 500)), false);
    world.wait(Micros::millis(201));
    touch(&mut world, None, false);
    assert_eq!(clicks(&mut world), [], "it lasted");

    touch(&mut world, Some((500, 500)), false);
    touch(&mut world, Some((600, 500)), false);
    touch(&mut world, Some((500, 500)), false);
    touch(&mut world, None, false);
    assert_eq!(clicks(&mut world), [], "it went away, and came back");
}

#[test]
fn a_mouse_moves_the_pointer_count_by_count() {
    let turned = [
        ("mouse right", "Y upper half"),
        ("mouse left", "Y lower half"),
        ("wheel up", "wheel"),
        ("wheel down", "wheel"),
    ];
    let mut rules: Vec<Rule> = turned.map(|(target, source)| rule(named(target), source)).into();
    rules[0].options.sensitivity = 0.5;
    let mut world = placed(MOUSE, rules);
    for _ in 0..11 {
        world.report(0, &[0, 3, 1, 0]);
    }
    assert_eq!((moved(&mut world, X), moved(&mut world, Y)), (5, 0), "half of what it counts; X plays nothing");
    world.report(0, &[0, 0, 0xf0, 2]);
    assert_eq!((moved(&mut world, X), moved(&mut world, WHEEL)), (-10, 2), "5.5 and half of -32");
    world.report(0, &[0, 0, 0, 0xfd]);
    assert_eq!(moved(&mut world, WHEEL), -1);
}

#[test]
fn each_step_of_a_wheel_is_a_press_of_the_d_pad() {
    let mut world = World::new(Settings::default());
    world.plug(NodeFacts { descriptor: MOUSE.to_vec(), ..node(0, "A", "1-1") });
    world.place(0, 1, "plain");
    for (step, meant) in [(1, PadTarget::Up), (0xff, PadTarget::Down)] {
        world.report(0, &[0, 0, 0, step]);
        assert!(world.down(1, meant));
        world.wait(Micros::millis(70));
        assert!(world.down(1, meant), "long enough for a game to see it");
        world.wait(Micros::seconds(2));
        assert_eq!(world.pad(1), PadState::default());
    }
}

/// How far the pointer has gone after a second of turning, reported this often, at this share of full.
fn turned(rules: Vec<Rule>, held: bool, raw: i16, apart: u64) -> i32 {
    let mut world = placed(MOTION, rules);
    let [low, high] = raw.to_le_bytes();
    world.report(0, &[u8::from(held), 0, 0]);
    for _ in 0..1_000_000 / apart {
        world.now.0 += apart - 1_000;
        world.report(0, &[u8::from(held), low, high]);
    }
    moved(&mut world, X)
}

#[test]
fn motion_moves_the_pointer_at_its_speed_above_a_threshold_and_only_while_something_is_held() {
    let rules = |with: bool| {
        let mut rules: Vec<Rule> = [("mouse right", "gyro X upper half"), ("mouse left", "gyro X lower half")]
            .map(|(target, source)| rule(named(target), source))
            .into();
        for rule in &mut rules {
            rule.options.threshold = 0.1;
            if with {
                rule.options.with = vec![crate::binding::Named::parse("button 1")];
            }
        }
        rules
    };
    for apart in [2_000, 4_000, 8_000] {
        let far = turned(rules(false), false, 550, apart);
        assert!((far - 3_000).abs() <= 30, "half of what is above the threshold, every {apart} µs: {far}");
        assert_eq!(turned(rules(false), false, 100, apart), 0, "a hand that trembles");
        assert_eq!(turned(rules(true), false, 550, apart), 0, "it is not held");
        assert!(turned(rules(true), true, -550, apart) < -2_900);
    }
}

#[test]
fn every_surface_or_motion_stroke_accepts_a_travel() {
    for stroke in KeyTarget::all().filter(|stroke| stroke.travels()) {
        let mut rules = vec![rule(Target::Key(stroke), "contact 1 X upper half")];
        rules[0].options.reach = Some(100.0);
        let mut world = placed(SURFACE, rules);
        touch(&mut world, Some((100, 100)), false);
        touch(&mut world, Some((600, 100)), false);
        let sum: i32 = world.typed.iter().map(|(_, _, value)| value.abs()).sum();
        assert_eq!(sum, 50, "{}", stroke.name());
    }
}

/// Something that points at a place, absolute X and Y of 8 bits, and three buttons: a hand on a tablet.
const POINTER: &[u8] = &[
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x03, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x03, 0x81, 0x02, 0x75, 0x05, 0x95, 0x01, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26, 0xff,
    0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0,
];

#[test]
fn an_absolute_pointer_plays_a_stick_through_any_dead_zone() {
    for dead_zone in [0.0, 0.08, 0.4] {
        let feel = Feel::plain(dead_zone, 0.05);
        let profiles = vec![Arc::new(Profile { feel, ..profile("pointing", Vec::new()) })];
        let mut world = World::new(Settings { profiles, ..Settings::default() });
        world.plug(NodeFacts { descriptor: POINTER.to_vec(), ..node(0, "A", "1-1") });
        world.place(0, 1, "pointing");
        for (x, y) in [(128u8, 128u8), (130, 128), (140, 120), (255, 128), (0, 0), (200, 60)] {
            world.report(0, &[0, x, y]);
            let to = |raw: u8| (f64::from(raw) - 127.5) / 127.5;
            let shadow = world.pad(1).axes;
            for (axis, raw) in [(0, x), (1, y)] {
                let straight = to(raw) * 32_767.0;
                let off = (f64::from(shadow[axis]) - straight).abs();
                assert!(off <= 260.0, "{dead_zone}: {raw} became {} instead of {straight:.0}", shadow[axis]);
            }
        }
    }
}
