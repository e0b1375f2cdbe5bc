//! The road of one report, set up for measuring: a made-up pad of 20 fields in one slot, and reports of a busy hand. Layout: 12 buttons, a hat of 4
//! bits, four axes of 16 bits, two of 10 bits, a battery byte, after a report id. Busy means: both sticks move in every report, a button or the hat
//! in every 16th, a trigger in every 4th.

use mantle_core::device::{Bus, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_core::feel::{Feel, Shaper};
use mantle_core::pad::{Events, PadState, PadTarget};
use mantle_core::table::{Effect, Settings, Table};
use mantle_core::time::Micros;
use std::sync::Arc;

/// A small descriptor: 12 buttons, a hat, four axes of 8 bits, no report id.
pub const SMALL: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x0c, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x0c, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x35, 0x00, 0x46, 0x3b, 0x01, 0x65, 0x14, 0x75,
    0x04, 0x95, 0x01, 0x81, 0x42, 0x65, 0x00, 0x45, 0x00, 0x09, 0x30, 0x09, 0x31, 0x09, 0x32, 0x09, 0x35, 0x15, 0x00,
    0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x04, 0x81, 0x02, 0xc0,
];

/// A large descriptor: four input, two output and twelve feature reports; report 1 is the pad of 20 fields.
#[must_use]
pub fn large() -> Vec<u8> {
    let mut d = vec![
        0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x0c, 0x15, 0x00, 0x25, 0x01,
        0x75, 0x01, 0x95, 0x0c, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x35, 0x00, 0x46, 0x3b,
        0x01, 0x65, 0x14, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, 0x65, 0x00, 0x45, 0x00, 0x09, 0x30, 0x09, 0x31, 0x09,
        0x32, 0x09, 0x35, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x04, 0x81, 0x02, 0x05, 0x02, 0x09,
        0xc4, 0x09, 0xc5, 0x15, 0x00, 0x26, 0xff, 0x03, 0x75, 0x0a, 0x95, 0x02, 0x81, 0x02, 0x75, 0x04, 0x95, 0x01,
        0x81, 0x03, 0x05, 0x06, 0x09, 0x20, 0x15, 0x00, 0x25, 0x64, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0x85, 0x02,
        0x06, 0x00, 0xff, 0x09, 0x20, 0x09, 0x21, 0x09, 0x22, 0x09, 0x23, 0x09, 0x24, 0x09, 0x25, 0x16, 0x00, 0x80,
        0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x06, 0x81, 0x02, 0x09, 0x26, 0x15, 0x00, 0x27, 0xff, 0xff, 0xff, 0x7f,
        0x75, 0x20, 0x95, 0x01, 0x81, 0x02, 0x85, 0x03, 0x05, 0x09, 0x19, 0x01, 0x29, 0x20, 0x15, 0x01, 0x25, 0x20,
        0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0x85, 0x11, 0x06, 0x00, 0xff, 0x09, 0x40, 0x15, 0x00, 0x26, 0xff, 0x00,
        0x75, 0x08, 0x95, 0x3e, 0x81, 0x02, 0x85, 0x20, 0x09, 0x41, 0x95, 0x1f, 0x91, 0x02, 0x85, 0x21, 0x09, 0x42,
        0x95, 0x3e, 0x91, 0x02,
    ];
    for i in 0..12u8 {
        d.extend_from_slice(&[0x85, 0x30 + i, 0x09, 0x50 + i, 0x95, 4 + 5 * i, 0xb1, 0x02]);
    }
    d.push(0xc0);
    d
}

/// Bytes of the pad's report, including its id.
pub const REPORT: usize = 15;

/// Reports of a busy hand, or of one at rest.
#[must_use]
pub fn reports(count: usize, idle: bool) -> Vec<[u8; REPORT]> {
    let mut seed = 0x9e37_79b9u32;
    let mut random = move || {
        seed ^= seed << 13;
        seed ^= seed >> 17;
        seed ^= seed << 5;
        seed
    };
    let (mut buttons, mut hat, mut axes, mut triggers) = (0u16, 8u16, [0i32; 4], [0u32; 2]);
    let one = |i: usize| {
        if !idle {
            for axis in &mut axes {
                *axis = (*axis + (random() % 1601) as i32 - 800).clamp(-32768, 32767);
            }
            if i.is_multiple_of(16) {
                buttons ^= 1 << (random() % 12);
                hat = (random() % 9) as u16;
            }
            if i.is_multiple_of(4) {
                triggers[(i / 4) & 1] = random() & 0x3ff;
            }
        }
        let mut report = [0u8; REPORT];
        report[0] = 1;
        report[1..3].copy_from_slice(&(buttons | hat << 12).to_le_bytes());
        for (k, axis) in axes.iter().enumerate() {
            report[3 + 2 * k..5 + 2 * k].copy_from_slice(&(*axis as i16).to_le_bytes());
        }
        report[11..14].copy_from_slice(&(triggers[0] | triggers[1] << 10).to_le_bytes()[..3]);
        report[14] = 77;
        report
    };
    (0..count).map(one).collect()
}

/// A table with the pad in slot 1, ready to play; its axes have been seen at rest.
#[must_use]
pub fn table() -> Table {
    let mut table = Table::new(Settings::default());
    let descriptor = large();
    table.handle_arrived(
        Micros(1),
        NodeFacts {
            id: NodeId(0),
            path: "/dev/hidraw0".into(),
            identity: Identity { bus: Bus::USB, vendor: 0x1209, product: 1, ..Identity::default() },
            kind: NodeKind::Reports,
            driver: Driver::Generic,
            descriptor,
            inputs: Vec::new(),
            driven: Default::default(),
            connection: Default::default(),
            sysfs: String::new(),
        },
    );
    while let Some(effect) = table.poll_effect() {
        match effect {
            Effect::Open(node) => table.handle_opened(Micros(1), node, Ok(())),
            Effect::MakePad { slot, .. } => table.handle_pad(Micros(1), slot, Ok(String::new().into())),
            _ => {}
        }
    }
    for report in reports(4, true) {
        table.handle_report(Micros(2), NodeId(0), &report);
    }
    table
}

/// The same table, with everybody playing by a full profile: three layers, 40 bindings.
#[must_use]
pub fn table_with_a_full_profile() -> Table {
    let text = include_str!("../profiles/full.profile.toml");
    let read = mantle_files::profile::read("full.profile.toml", text);
    assert_eq!(read.faults, [], "the profile is right");
    let profile = read.profile.expect("it can be used");
    assert!(profile.layers.len() == 3 && profile.rules.len() == 40, "{} rules", profile.rules.len());
    let mut table = table();
    table.handle_profiles(Micros(2), vec![Arc::new(profile)], Vec::new());
    let unplayed = table.slots().flat_map(|(_, slot)| &slot.session.members).map(|one| one.bindings.not_found.len());
    assert_eq!(unplayed.sum::<usize>(), 0, "the pad has all of its controls");
    for report in reports(4, true) {
        table.handle_report(Micros(3), NodeId(0), &report);
    }
    table
}

/// The whole road of a report; its output goes to `write`.
#[inline]
pub fn pass(table: &mut Table, now: Micros, report: &[u8], write: impl FnOnce(&[u8])) {
    table.handle_report(now, NodeId(0), report);
    if let Some((slot, _, events)) = table.poll_write() {
        write(events.as_bytes());
        table.handle_written(now, slot);
    }
}

/// The same where more than one frame may be due with a report, since something was due before it.
#[inline]
pub fn pass_all(table: &mut Table, now: Micros, report: &[u8], mut write: impl FnMut(&[u8])) {
    table.handle_report(now, NodeId(0), report);
    while let Some((slot, _, events)) = table.poll_write() {
        write(events.as_bytes());
        table.handle_written(now, slot);
    }
}

/// The same into a buffer. Returns the bytes of events.
#[inline]
pub fn travel(table: &mut Table, now: Micros, report: &[u8], out: &mut [u8; 512]) -> usize {
    let mut length = 0;
    pass(table, now, report, |bytes| {
        length = bytes.len();
        out[..length].copy_from_slice(bytes);
    });
    length
}

/// The same by hand, for this one layout: what the machine allows.
#[derive(Debug)]
pub struct ByHand {
    state: PadState,
    shaper: Shaper,
    events: Events,
}

/// The fields of the pad's report by hand: buttons, hat, four axes, two triggers.
#[inline]
#[must_use]
pub fn decode_by_hand(report: &[u8; REPORT]) -> (u32, u32, [i32; 4], [i32; 2]) {
    let word = u16::from_le_bytes([report[1], report[2]]);
    let axis = |k: usize| i32::from(i16::from_le_bytes([report[3 + 2 * k], report[4 + 2 * k]]));
    let pair = u32::from_le_bytes([report[11], report[12], report[13], 0]);
    let axes = [axis(0), axis(1), axis(2), axis(3)];
    (u32::from(word & 0xfff), u32::from(word >> 12), axes, [(pair & 0x3ff) as i32, (pair >> 10 & 0x3ff) as i32])
}

impl Default for ByHand {
    fn default() -> Self {
        Self { state: PadState::default(), shaper: Shaper::new(&Feel::default()), events: Events::default() }
    }
}

/// What the twelve buttons play, in their own order: 3 and 6 nothing, 9 and 10 are triggers that axes already play.
const PLAYS: [Option<PadTarget>; 12] = [
    Some(PadTarget::South),
    Some(PadTarget::East),
    None,
    Some(PadTarget::West),
    Some(PadTarget::North),
    None,
    Some(PadTarget::LeftShoulder),
    Some(PadTarget::RightShoulder),
    None,
    None,
    Some(PadTarget::Select),
    Some(PadTarget::Start),
];

/// What six of them play together, from this one on.
const fn six(from: usize) -> [u32; 64] {
    let mut table = [0; 64];
    let mut bits = 0;
    while bits < 64 {
        let mut at = 0;
        while at < 6 {
            if let Some(target) = PLAYS[from + at]
                && bits >> at & 1 == 1
            {
                table[bits] |= target.mask() as u32;
            }
            at += 1;
        }
        bits += 1;
    }
    table
}

impl ByHand {
    /// One report to events.
    #[inline]
    pub fn travel(&mut self, report: &[u8; REPORT], out: &mut [u8; 512]) -> usize {
        const HAT: [u32; 9] = [1, 9, 8, 10, 2, 6, 4, 5, 0];
        let (buttons, hat, axes, [accelerator, brake]) = decode_by_hand(report);
        let even = |raw: i32| {
            let off = raw as f32 + 0.5;
            ((off.abs() - 0.5).max(0.0) * (2.0 / 65534.0)).min(1.0).copysign(off)
        };
        let [x, y, z, rz] = axes.map(even);
        let [left, right] = [brake, accelerator].map(|raw| raw as f32 * (1.0 / 1023.0));
        let [lx, ly, rx, ry, left, right, ..] = self.shaper.shape(&[x, y, z, rz, left, right, 0.0, 0.0]);
        const LOW: [u32; 64] = six(0);
        const HIGH: [u32; 64] = six(6);
        let buttons = LOW[buttons as usize & 63] | HIGH[buttons as usize >> 6 & 63];
        let bits = buttons | HAT.get(hat as usize).copied().unwrap_or(0) << PadTarget::Up.index();
        let next = PadState { bits, axes: [lx, ly, rx, ry, left, right], ..PadState::default() };
        self.state.events_to(&next, &mut self.events);
        self.state = next;
        let bytes = self.events.as_bytes();
        out[..bytes.len()].copy_from_slice(bytes);
        bytes.len()
    }
}
