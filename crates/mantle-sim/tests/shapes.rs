//! The demo's devices of every shape: what a hand on a control moves on the pad, by the events that were written. What is expected is written here by
//! hand, as in the table of default bindings.

mod shadow;

use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::Observer;
use mantle_files::shipped;
use mantle_sim::{Pace, SimWorld};
use std::collections::{BTreeMap, BTreeSet};

const KEY: u16 = 1;
const ABS: u16 = 3;
const SOUTH: (u16, u16) = (KEY, 0x130);
const EAST: (u16, u16) = (KEY, 0x131);
const NORTH: (u16, u16) = (KEY, 0x133);
const WEST: (u16, u16) = (KEY, 0x134);
const LEFT_X: (u16, u16) = (ABS, 0x00);
const LEFT_Y: (u16, u16) = (ABS, 0x01);
const LEFT_TRIGGER: (u16, u16) = (ABS, 0x02);
const RIGHT_X: (u16, u16) = (ABS, 0x03);
const RIGHT_Y: (u16, u16) = (ABS, 0x04);
const RIGHT_TRIGGER: (u16, u16) = (ABS, 0x05);

/// What has left its rest on each slot's pad.
#[derive(Default)]
struct Moved(BTreeMap<u8, BTreeSet<(u16, u16)>>);

impl Observer for Moved {
    fn handle_frame(&mut self, _now: Micros, slot: SlotNumber, events: &Events) {
        let moved = events.iter().filter(|(kind, _, value)| *kind != 0 && *value != 0);
        self.0.entry(slot.number()).or_default().extend(moved.map(|(kind, code, _)| (kind, code)));
    }
}

fn plays(scene: &str, expected: &[(&str, &[(u16, u16)])]) {
    let file = shipped::scene(scene).expect("it is shipped");
    let mut world = SimWorld::new(&file, Pace::Virtual { until: Micros::seconds(6) }, None).expect("a world");
    let mut table = Table::new(world.settings());
    let mut moved = Moved::default();
    shadow::run(&mut world, &mut table, &mut moved);
    assert_eq!(file.device.len(), expected.len());
    for (number, (device, (name, targets))) in (1u8..).zip(file.device.iter().zip(expected)) {
        assert_eq!(device.file, *name);
        let targets: BTreeSet<(u16, u16)> = targets.iter().copied().collect();
        assert_eq!(moved.0.get(&number), Some(&targets), "{name} in slot {number}");
    }
}

#[test]
fn pads_of_every_shape_play_unasked() {
    plays(
        "shapes",
        &[
            ("heron-pad", &[SOUTH, RIGHT_X, LEFT_TRIGGER]),
            ("ripple-pad", &[SOUTH, RIGHT_X, LEFT_TRIGGER]),
            ("tidal-pad", &[SOUTH, RIGHT_X, LEFT_TRIGGER]),
            ("shingle-pad", &[SOUTH, RIGHT_Y, LEFT_TRIGGER]),
            ("dune-pad", &[SOUTH, RIGHT_Y, LEFT_TRIGGER]),
            ("spindrift-pad", &[SOUTH, RIGHT_Y, RIGHT_TRIGGER]),
        ],
    );
}

#[test]
fn sticks_a_wheel_and_pedals_play_unasked() {
    plays(
        "sticks",
        &[
            ("helm-wheel", &[SOUTH, LEFT_X, RIGHT_TRIGGER]),
            ("mast-stick", &[SOUTH, RIGHT_X, LEFT_Y]),
            ("lookout-stick", &[SOUTH, RIGHT_X, LEFT_X]),
            ("buoy-stick", &[SOUTH, LEFT_Y, EAST]),
            ("keel-pedals", &[LEFT_X, LEFT_TRIGGER]),
            ("cove-box", &[SOUTH, WEST, NORTH]),
        ],
    );
}
