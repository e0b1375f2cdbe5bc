//! What left the building: every case in which part of a change could get lost between what a slot should show and what its pad is told. `World`
//! compares both, by the events that were written, each time the table is idle.

use super::profiles::{profile, rule};
use super::*;
use crate::binding::Options;
use crate::feel::Feel;
use proptest::prelude::*;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

/// Two pads of eight buttons and no axis each, in one report without ids.
const TWO_IN_ONE: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0xc0, 0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25,
    0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0,
];

pub(super) fn two_in_one(id: u16, port: &str) -> NodeFacts {
    NodeFacts { descriptor: TWO_IN_ONE.to_vec(), ..node(id, "", port) }
}

/// Both parts of such a device play for one player.
fn one_player() -> World {
    let mut world = World::plain();
    world.plug(two_in_one(0, "1-1"));
    world.report(0, &[0, 0]);
    assert_eq!(world.used(), [1, 2]);
    let tie = world.command(Command::Tie { device: DeviceId(0), part: 1, slot: slot(1) });
    assert!(matches!(tie, Answer::Done { .. }), "{tie:?}");
    world.report(0, &[0, 0]);
    world
}

/// What the pad of a slot has been told is down.
fn told(world: &World, number: u8) -> Vec<u16> {
    world.shadows[&slot(number)].keys().filter(|(kind, _)| *kind == 1).map(|(_, code)| *code).collect()
}

#[test]
fn one_report_changes_two_parts_of_one_player() {
    let mut world = one_player();
    world.report(0, &[0b1, 0b10]);
    assert_eq!(told(&world, 1), [0x130, 0x131]);
    world.report(0, &[0, 0]);
    assert_eq!(told(&world, 1), [0u16; 0]);
}

#[test]
fn unplugging_releases_both_parts_of_a_player() {
    let mut world = one_player();
    world.report(0, &[0b1, 0]);
    world.report(0, &[0b1, 0b10]);
    assert_eq!(told(&world, 1), [0x130, 0x131]);
    world.unplug(0);
    assert_eq!(told(&world, 1), [0u16; 0]);
}

#[test]
fn a_truncated_report_releases_both_parts_of_a_player() {
    let mut world = one_player();
    world.report(0, &[0b1, 0b10]);
    world.report(0, &[0b1]);
    assert_eq!(told(&world, 1), [0u16; 0]);
}

#[test]
fn swapping_slots_releases_held_controls() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, "B", "1-2"));
    world.report(0, &[0, 128]);
    world.report(1, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(told(&world, 1), [0x130]);
    world.command(Command::Move { from: slot(1), to: slot(2) });
    assert_eq!((told(&world, 1), told(&world, 2)), (vec![], vec![]));
}

#[test]
fn changing_profiles_releases_held_controls() {
    let profiles = vec![
        Arc::new(profile("ferry", vec![rule(PadTarget::South, "button 1")])),
        Arc::new(profile("crane", vec![rule(PadTarget::North, "button 1")])),
    ];
    let mut world = World::new(Settings { profiles, ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world.place(0, 1, "ferry");
    world.report(0, &[0, 128]);
    world.report(0, &[1, 128]);
    assert_eq!(told(&world, 1), [0x130]);
    world.command(Command::PlayBy { slot: slot(1), profile: "crane".into() });
    assert_eq!(told(&world, 1), [0u16; 0]);
    world.report(0, &[1, 128]);
    assert_eq!(told(&world, 1), [0x134]);
}

/// Two ramps of two members of one player, due in the same microsecond.
#[test]
fn two_members_due_at_once_are_both_served() {
    let ramp = Options { ramp: Micros::millis(40), ..Options::default() };
    let rules = vec![
        Rule { options: ramp.clone(), ..rule(PadTarget::LeftTrigger, "button 1") },
        Rule { options: ramp, ..rule(PadTarget::RightTrigger, "button 2") },
    ];
    let mut world = World::new(Settings { profiles: vec![Arc::new(profile("ferry", rules))], ..Settings::default() });
    world.plug(two_in_one(0, "1-1"));
    world.place(0, 1, "ferry");
    world.command(Command::Tie { device: DeviceId(0), part: 1, slot: slot(1) });
    world.report(0, &[0, 0]);
    world.report(0, &[0b1, 0b10]);
    world.wait(Micros::millis(100));
    let full = |code| world.shadows[&slot(1)].get(&(3, code)).copied();
    assert_eq!((full(2), full(5)), (Some(255), Some(255)));
    world.report(0, &[0, 0]);
    world.wait(Micros::millis(100));
    assert_eq!(world.shadows[&slot(1)], Shadow::new());
}

#[test]
fn a_slot_owing_a_press_is_served_first() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    world.table.handle_report(Micros::seconds(1), NodeId(0), &[1, 128]);
    assert!(world.table.owes_edges());
    let next = catch_unwind(AssertUnwindSafe(|| world.table.handle_report(Micros::seconds(2), NodeId(0), &[0, 128])));
    assert!(next.is_err(), "the tap would be lost");
}

/// A frame that only moves axes may be left to the next report, which says where they are then.
#[test]
fn axis_movements_may_be_merged_by_the_writer() {
    let mut world = World::plain();
    world.plug(node(0, "A", "1-1"));
    world.report(0, &[0, 128]);
    for x in [140, 160, 180, 255] {
        world.now.0 += 1000;
        world.table.handle_report(world.now, NodeId(0), &[0, x]);
        assert!(!world.table.owes_edges());
    }
    let (_, earlier, events) = world.table.poll_write().expect("it has moved");
    assert_eq!((earlier, events.iter().collect::<Vec<_>>()), (None, vec![(3, 0, 32_767), (0, 0, 0)]));
    assert!(world.table.poll_write().is_none());
}

/// After the process was stopped, what moved meanwhile is shown where it is, and not every step on the way.
#[test]
fn overdue_motion_steps_collapse_into_one() {
    let mut feel = Feel::plain(0.0, 0.0);
    feel.sticks[0].smoothing = Micros::millis(400);
    let smooth = crate::binding::Profile { feel, ..profile("ferry", Vec::new()) };
    let mut world = World::new(Settings { profiles: vec![Arc::new(smooth)], ..Settings::default() });
    world.plug(node(0, "A", "1-1"));
    world.place(0, 1, "ferry");
    world.report(0, &[0, 128]);
    world.report(0, &[0, 255]);
    let at = world.now.after(Micros::seconds(60));
    world.table.handle_time(at);
    let mut frames = Vec::new();
    while let Some((_, earlier, events)) = world.table.poll_write() {
        frames.push((earlier.expect("it was due before"), events.iter().collect::<Vec<_>>()));
    }
    assert_eq!(frames, [(at.before(Micros::millis(100)), vec![(3, 0, 32_767), (0, 0, 0)])]);
}

/// The same for the pointer: at most one second of it, in a few steps.
#[test]
fn the_pointer_does_not_catch_up_after_a_stop() {
    let right = Target::named("mouse right").expect("there is one");
    let mut world = super::profiles::world(vec![rule(right, "x upper half")]);
    world.command(Command::LetType { slot: slot(1), allowed: true });
    world.report(0, &[0, 255]);
    world.typed.clear();
    world.now = world.now.after(Micros::seconds(60));
    world.table.handle_time(world.now);
    world.settle();
    let counts: i32 = world.typed.iter().filter(|(kind, code, _)| (*kind, *code) == (2, 0)).map(|all| all.2).sum();
    assert!((900..=1_200).contains(&counts), "{counts}");
    assert!(world.typed.len() < 20, "{} steps", world.typed.len());
}

/// What may happen to a player with parts of several devices.
#[derive(Clone, Debug)]
enum Act {
    Report(u16, Vec<u8>),
    Plug(u16),
    Unplug(u16),
    Swap(u8, u8),
    Tie(u16, u8, u8),
    Untie(u8, u8),
    PlayBy(u8, usize),
    Pause(u8, bool),
    LetGo(bool),
    Wait(u64),
    Late(u64),
    NewPad(u8),
}

fn act() -> impl Strategy<Value = Act> {
    prop_oneof![
        12 => (0u16..3, any::<u8>(), any::<u8>()).prop_map(|(id, a, b)| Act::Report(id, vec![a, b])),
        2 => (0u16..3, prop::collection::vec(any::<u8>(), 0..2)).prop_map(|(id, bytes)| Act::Report(id, bytes)),
        2 => (0u16..3).prop_map(Act::Plug),
        2 => (0u16..3).prop_map(Act::Unplug),
        1 => (1u8..4, 1u8..4).prop_map(|(a, b)| Act::Swap(a, b)),
        2 => (0u16..3, 0u8..2, 1u8..3).prop_map(|(id, part, slot)| Act::Tie(id, part, slot)),
        1 => (1u8..3, 0u8..4).prop_map(|(slot, member)| Act::Untie(slot, member)),
        2 => (1u8..4, 0usize..4).prop_map(|(slot, profile)| Act::PlayBy(slot, profile)),
        1 => (1u8..4, any::<bool>()).prop_map(|(slot, on)| Act::Pause(slot, on)),
        1 => any::<bool>().prop_map(Act::LetGo),
        2 => (0u64..200_000).prop_map(Act::Wait),
        1 => (0u64..3_000_000).prop_map(Act::Late),
        1 => (1u8..4).prop_map(Act::NewPad),
    ]
}

const NAMES: [&str; 4] = ["plain", "ramps", "layers", "smooth"];

/// Profiles with memory of every kind.
fn profiles() -> Vec<Arc<crate::binding::Profile>> {
    let ramp = Options { ramp: Micros::millis(60), ..Options::default() };
    let toggle = Options { toggle: true, ..Options::default() };
    let short = Options { shortest: Micros::millis(30), ..Options::default() };
    let ramps = vec![
        Rule { options: ramp, ..rule(PadTarget::LeftTrigger, "button 1") },
        Rule { options: toggle, ..rule(PadTarget::North, "button 2") },
        Rule { options: short, ..rule(PadTarget::West, "button 3") },
    ];
    let mut layers = profile(
        "layers",
        vec![rule(PadTarget::South, "button 2"), Rule { layer: 1, ..rule(PadTarget::Up, "button 2") }],
    );
    layers.layers = vec![crate::binding::Layer { name: "deck".into(), hold: Named::parse("button 1"), toggle: false }];
    let mut feel = Feel::plain(0.1, 0.0);
    feel.sticks[0].smoothing = Micros::millis(40);
    let smooth = crate::binding::Profile { feel, ..profile("smooth", Vec::new()) };
    [profile("ramps", ramps), layers, smooth].into_iter().map(Arc::new).collect()
}

impl Act {
    fn happen(self, world: &mut World) {
        match self {
            Self::Report(id, bytes) => world.report(id, &bytes),
            Self::Plug(id) if world.table.source(NodeId(id)).is_none() => {
                // The first one has an axis; the others have two parts.
                let port = format!("1-{id}");
                world.plug(if id == 0 { node(id, "A", &port) } else { two_in_one(id, &port) });
            }
            Self::Plug(_) => {}
            Self::Unplug(id) => world.unplug(id),
            Self::Swap(a, b) => drop(world.command(Command::Move { from: slot(a), to: slot(b) })),
            Self::Tie(id, part, n) => drop(world.command(Command::Tie { device: DeviceId(id), part, slot: slot(n) })),
            Self::Untie(n, index) => {
                let member = member(world, n, index.into());
                world.command(Command::Untie { slot: slot(n), member, back: None });
            }
            Self::PlayBy(n, name) => {
                drop(world.command(Command::PlayBy { slot: slot(n), profile: NAMES[name].into() }));
            }
            Self::Pause(n, paused) => drop(world.command(Command::PauseSlot { slot: slot(n), paused })),
            Self::LetGo(on) => drop(world.command(if on { Command::LetGo } else { Command::Resume })),
            Self::Wait(span) => world.wait(Micros(span)),
            Self::Late(span) => {
                world.now.0 += span;
                world.table.handle_time(world.now);
                world.settle();
            }
            Self::NewPad(n) if world.table.slot(slot(n)).is_some() => {
                world.table.handle_pad_lost(world.now, slot(n), PadFault::Denied);
                world.settle();
                world.wait(crate::table::PAD_RETRY);
            }
            Self::NewPad(_) => {}
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    /// Whatever happens to players with several parts: what was written is what should be shown (`World` compares it after every act), and when all
    /// devices are gone nothing is down on any pad.
    #[test]
    fn written_events_equal_the_intended_state(acts in prop::collection::vec(act(), 1..60)) {
        let mut world = World::new(Settings { profiles: profiles(), cover: true, ..Settings::default() });
        for id in 0..3 {
            Act::Plug(id).happen(&mut world);
        }
        for act in acts {
            act.happen(&mut world);
        }
        for id in 0..3 {
            world.unplug(id);
        }
        world.wait(Micros::seconds(5));
        for (number, _) in world.table.slots() {
            prop_assert_eq!(world.shadows.get(&number), Some(&Shadow::new()), "{} holds something", number);
        }
    }

    /// Skipping one hand-out that would lose something is detected.
    #[test]
    fn frames_cannot_be_skipped(presses in prop::collection::vec(any::<u8>(), 3..20), skip in any::<prop::sample::Index>()) {
        let mut world = World::plain();
        world.plug(node(0, "A", "1-1"));
        world.report(0, &[0, 128]);
        let skipped = skip.index(presses.len() - 1);
        let mut before = 0;
        let mut loses = false;
        let played = catch_unwind(AssertUnwindSafe(|| {
            for (at, down) in presses.iter().enumerate() {
                world.now.0 += 1000;
                world.table.handle_report(world.now, NodeId(0), &[*down, 128]);
                if at == skipped {
                    loses = *down != before;
                } else {
                    world.settle();
                }
                before = *down;
            }
        }));
        // Buttons 7 and 8 are triggers here, and those move like axes.
        let edges = |down: u8| down & 0x3f;
        let lost = loses && edges(presses[skipped]) != if skipped == 0 { 0 } else { edges(presses[skipped - 1]) };
        prop_assert_eq!(played.is_err(), lost);
    }
}
