//! The reports of the motion pad: a HID device that its kernel driver, and games' libraries, know by its ids. What the pad shows arrives as the
//! events that its nodes should have, and is put where the driver finds it in the input report: a single model determines what a game will see.

use super::model::code;
use super::sensed::{CONTACTS, GameLamp};
use super::state::Events;
use crate::measure::{Checksum, Width};
use crate::time::Micros;

/// Bytes of an input report and of an output report, including the id.
const LENGTH: usize = 78;
/// The id of both.
const REPORT: u8 = 0x31;
/// The features that its driver asks for: calibration, address, firmware.
const CALIBRATION: u8 = 0x05;
const ADDRESS: u8 = 0x09;
const FIRMWARE: u8 = 0x20;
/// Where the checksum begins.
const SUM: usize = LENGTH - 4;
/// The bytes before the first control: id and tag.
const BODY: usize = 2;
/// How many counts of its sensors make a degree per second, and a g.
const A_DEGREE: i32 = 16;
const A_G: i32 = 8_192;
/// Degrees per second at the ends of its calibration.
const SPEED: i16 = 540;
/// Bytes of the control group of an output report: rumble, lamps.
const GROUP: usize = 47;
/// The tag that distinguishes the kernel's driver from a library.
const BY_THE_KERNEL: u8 = 0x10;

/// Its buttons' bits: the code, the byte after the tag, the bit.
const BUTTONS: [(u16, usize, u8); 13] = [
    (0x134, 7, 0x10),
    (0x130, 7, 0x20),
    (0x131, 7, 0x40),
    (0x133, 7, 0x80),
    (0x136, 8, 0x01),
    (0x137, 8, 0x02),
    (0x138, 8, 0x04),
    (0x139, 8, 0x08),
    (0x13a, 8, 0x10),
    (0x13b, 8, 0x20),
    (0x13d, 8, 0x40),
    (0x13e, 8, 0x80),
    (0x13c, 9, 0x01),
];
/// The byte of each axis, by its code.
const AXES: [(u16, usize); 6] = [(0, 0), (1, 1), (3, 2), (4, 3), (2, 4), (5, 5)];
/// The button of its surface.
const SURFACE_BUTTON: (usize, u8) = (9, 0x02);
/// The values of a hat by X and Y, each from -1: clockwise from up; 8 in the middle.
const HAT: [[u8; 3]; 3] = [[7, 0, 1], [6, 8, 2], [5, 4, 3]];

const fn sum(seed: u8) -> Checksum {
    Checksum::Crc { bits: 32, poly: 0x04c1_1db7, init: u32::MAX, mirrored: true, out: u32::MAX, seed: Some(seed) }
}
/// The checksums of input, output and feature reports.
const OF_INPUT: Checksum = sum(0xa1);
const OF_OUTPUT: Checksum = sum(0xa2);
const OF_FEATURE: Checksum = sum(0xa3);

/// What an output report brought back.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct MotionBack {
    /// How strongly each motor shakes from now on, the strong one first; none if it does not say.
    pub rumble: Option<[u16; 2]>,
    /// Whether nobody will say when the shaking ends: a library repeats it while it goes on.
    pub repeats: bool,
    /// What it sets of the lamps.
    pub lamp: GameLamp,
}

/// The initial value of the sensors' clock, in thirds of a microsecond. A library that opens the pad sets no lamp before the clock has reached this,
/// and none while it is 2^31 beyond it, since it treats the difference as signed.
const READY: u32 = 10_200_000;

/// The input report of one motion pad.
#[derive(Clone, Debug)]
pub struct MotionReport {
    bytes: [u8; LENGTH],
    /// The hat's X and Y.
    hat: [i32; 2],
    /// The contact that events refer to.
    slot: usize,
    places: [[i32; 2]; CONTACTS],
    sequence: u8,
    /// When the sensors' clock started; none before the first report.
    began: Option<Micros>,
}

impl Default for MotionReport {
    fn default() -> Self {
        Self::new()
    }
}

fn put16(bytes: &mut [u8], at: usize, value: i32) {
    let value = value.clamp(i16::MIN.into(), i16::MAX.into()) as i16;
    bytes[at..at + 2].copy_from_slice(&value.to_le_bytes());
}

impl MotionReport {
    /// For a pad that lies still, with a full battery.
    #[must_use]
    pub fn new() -> Self {
        let mut bytes = [0; LENGTH];
        bytes[0] = REPORT;
        bytes[BODY..BODY + 4].fill(128);
        bytes[BODY + 7] = 8;
        put16(&mut bytes, BODY + 23, A_G);
        for contact in 0..CONTACTS {
            bytes[BODY + 32 + 4 * contact] = 0x80;
        }
        bytes[BODY + 52] = 0x0a;
        Self { bytes, hat: [0; 2], slot: 0, places: [[0; 2]; CONTACTS], sequence: 0, began: None }
    }

    /// Its report descriptor.
    #[must_use]
    pub fn descriptor() -> Vec<u8> {
        // A game pad whose reports are this many bytes, which nobody but its driver needs to read.
        let mut out = vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x06, 0x00, 0xff, 0x09, 0x20, 0x15, 0x00];
        out.extend([0x26, 0xff, 0x00, 0x75, 0x08]);
        let fields: [(u8, u8, u8); 6] = [
            (0x01, 9, 0x81),
            (REPORT, LENGTH as u8 - 1, 0x81),
            (REPORT, LENGTH as u8 - 1, 0x91),
            (CALIBRATION, 40, 0xb1),
            (ADDRESS, 19, 0xb1),
            (FIRMWARE, 63, 0xb1),
        ];
        for (report, bytes, kind) in fields {
            out.extend([0x85, report, 0x95, bytes, kind, 0x02]);
        }
        out.push(0xc0);
        out
    }

    /// A requested feature report, for the pad with this address.
    #[must_use]
    pub fn feature(report: u8, address: [u8; 6]) -> Option<Vec<u8>> {
        let mut out = vec![report];
        let mut numbers = |all: &[i16]| all.iter().for_each(|one| out.extend(one.to_le_bytes()));
        match report {
            CALIBRATION => {
                let (turned, pulled) = (SPEED * A_DEGREE as i16, A_G as i16);
                numbers(&[0, 0, 0, turned, -turned, turned, -turned, turned, -turned, SPEED, SPEED]);
                numbers(&[pulled, -pulled, pulled, -pulled, pulled, -pulled]);
                out.resize(41, 0);
            }
            ADDRESS => {
                out.extend(address.iter().rev());
                out.resize(20, 0);
            }
            FIRMWARE => {
                out.resize(64, 0);
                out[24..28].copy_from_slice(&0x0413u32.to_le_bytes());
                out[28..32].copy_from_slice(&0x0100_0004u32.to_le_bytes());
                out[44..46].copy_from_slice(&0x0215u16.to_le_bytes());
            }
            _ => return None,
        }
        let covered = out.len() - 4;
        let checksum = OF_FEATURE.of(&out[..covered]);
        Width::Four.write(checksum, &mut out[covered..]);
        Some(out)
    }

    /// The pad shows this from now on.
    pub fn take(&mut self, events: &Events) {
        for (kind, code, value) in events.iter_of(0) {
            match kind {
                code::EV_KEY => {
                    if let Some((_, byte, bit)) = BUTTONS.iter().find(|(own, ..)| *own == code) {
                        self.set(*byte, *bit, value != 0);
                    }
                }
                code::EV_ABS if (code::ABS_HAT0X..=code::ABS_HAT0X + 1).contains(&code) => {
                    self.hat[usize::from(code - code::ABS_HAT0X)] = value.clamp(-1, 1);
                    let [x, y] = self.hat.map(|way| (way + 1) as usize);
                    let byte = &mut self.bytes[BODY + 7];
                    *byte = *byte & 0xf0 | HAT[y][x];
                }
                code::EV_ABS => {
                    if let Some((_, byte)) = AXES.iter().find(|(own, _)| *own == code) {
                        self.bytes[BODY + byte] = value.clamp(0, 255) as u8;
                    }
                }
                _ => {}
            }
        }
        for (_, code, value) in events.iter_of(1).filter(|(kind, ..)| *kind == code::EV_ABS) {
            match code {
                // The node's units are finer for rotation.
                0..=2 => put16(&mut self.bytes, BODY + 21 + 2 * usize::from(code), value),
                3..=5 => put16(&mut self.bytes, BODY + 15 + 2 * usize::from(code - 3), value / (1_024 / A_DEGREE)),
                _ => {}
            }
        }
        for (kind, code, value) in events.iter_of(2) {
            match (kind, code) {
                (code::EV_KEY, code::BTN_LEFT) => self.set(SURFACE_BUTTON.0, SURFACE_BUTTON.1, value != 0),
                (code::EV_ABS, code::ABS_MT_SLOT) => self.slot = value.clamp(0, CONTACTS as i32 - 1) as usize,
                (code::EV_ABS, code::ABS_MT_TRACKING_ID) => {
                    let id = if value < 0 { self.touch()[0] | 0x80 } else { value as u8 & 0x7f };
                    self.touch()[0] = id;
                }
                (code::EV_ABS, code::ABS_MT_POSITION_X) => self.places[self.slot][0] = value,
                (code::EV_ABS, code::ABS_MT_POSITION_Y) => self.places[self.slot][1] = value,
                _ => continue,
            }
            let [x, y] = self.places[self.slot].map(|value| value.clamp(0, 0xfff) as u16);
            let touch = self.touch();
            (touch[1], touch[2]) = (x as u8, (x >> 8) as u8 | ((y & 0x0f) << 4) as u8);
            touch[3] = (y >> 4) as u8;
        }
    }

    fn touch(&mut self) -> &mut [u8] {
        let at = BODY + 32 + 4 * self.slot;
        &mut self.bytes[at..at + 4]
    }

    fn set(&mut self, byte: usize, bit: u8, down: bool) {
        let byte = &mut self.bytes[BODY + byte];
        *byte = if down { *byte | bit } else { *byte & !bit };
    }

    /// The battery's charge, in tenths, and whether it is charging.
    pub fn set_battery(&mut self, tenths: u8, charges: bool) {
        self.bytes[BODY + 52] = tenths.min(10) | if charges { 0x10 } else { 0 };
    }

    fn clock(&mut self, now: Micros) -> u32 {
        let began = *self.began.get_or_insert(now);
        READY.wrapping_add(now.since(began).0.wrapping_mul(3) as u32)
    }

    /// A program opens the pad and asks for its features. If the sensors' clock is beyond what such a program accepts, it starts again.
    pub fn handle_opened(&mut self, now: Micros) {
        if self.clock(now).wrapping_sub(READY) > i32::MAX as u32 {
            self.began = Some(now);
        }
    }

    /// The report as it is sent at this moment.
    pub fn at(&mut self, now: Micros) -> &[u8; LENGTH] {
        self.sequence = self.sequence.wrapping_add(1);
        self.bytes[BODY + 6] = self.sequence;
        // The sensors' clock counts thirds of a microsecond.
        let clock = self.clock(now);
        self.bytes[BODY + 27..BODY + 31].copy_from_slice(&clock.to_le_bytes());
        let checksum = OF_INPUT.of(&self.bytes[..SUM]);
        Width::Four.write(checksum, &mut self.bytes[SUM..]);
        &self.bytes
    }

    /// What an output report says; none if it is another report, or its checksum is wrong: a library sends such reports to keep a pad awake.
    #[must_use]
    pub fn back(report: &[u8]) -> Option<MotionBack> {
        let report: &[u8; LENGTH] = report.get(..LENGTH)?.try_into().ok()?;
        if report[0] != REPORT || Width::Four.read(&report[SUM..]) != Some(OF_OUTPUT.of(&report[..SUM])) {
            return None;
        }
        let kernel = report[2] == BY_THE_KERNEL;
        let at = if kernel { 3 } else { 2 };
        let group = &report[at..at + GROUP];
        let [motors, lamps] = [group[0], group[1]];
        // A library sends half of what a game wants to a pad with such firmware.
        let far = |value: u8| {
            if kernel { u16::from(value) * 257 } else { (u32::from(value) * 65_535 / 127).min(65_535) as u16 }
        };
        let shakes = motors & 0x03 != 0;
        let rumble = match (shakes, motors, lamps) {
            (true, ..) => Some([far(group[3]), far(group[2])]),
            (false, 0, 0) => Some([0, 0]),
            _ => None,
        };
        Some(MotionBack {
            rumble,
            repeats: !kernel,
            lamp: GameLamp {
                colour: (lamps & 0x04 != 0).then(|| [group[44], group[45], group[46]]),
                players: (lamps & 0x10 != 0).then_some(group[43]),
            },
        })
    }
}

/// The address of a slot's pad: locally administered, from the account and the slot, so that no two are the same.
#[must_use]
pub fn address_of(account: u32, slot: u8) -> [u8; 6] {
    let [a, b, c, d] = account.to_be_bytes();
    [0x02, a ^ 0x50, b, c, d, slot]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pad::{PadModel, PadState, PadTarget, Sensed, Touch};

    fn shown(report: &mut MotionReport, from: &PadState, to: &PadState) -> [u8; LENGTH] {
        let mut events = Events::default();
        from.events_of(to, &PadModel::motion(), &mut events);
        report.take(&events);
        *report.at(Micros(10))
    }

    fn number(bytes: &[u8], at: usize) -> i16 {
        i16::from_le_bytes([bytes[BODY + at], bytes[BODY + at + 1]])
    }

    #[test]
    fn the_sensor_clock_suits_a_library_that_opens_the_pad_at_any_time() {
        let clock = |bytes: &[u8; LENGTH]| u32::from_le_bytes(bytes[BODY + 27..BODY + 31].try_into().expect("four"));
        // The machine may have been running for days.
        let began = Micros::seconds(400_000);
        let mut report = MotionReport::new();
        assert_eq!(clock(report.at(began)), READY);
        assert_eq!(clock(report.at(began.after(Micros(7)))), READY + 21, "thirds of a microsecond");
        for minutes in 1..200 {
            let now = began.after(Micros::seconds(minutes * 60));
            let before = clock(report.at(now));
            report.handle_opened(now);
            let after = clock(report.at(now));
            assert!((after.wrapping_sub(READY) as i32) >= 0, "after {minutes} minutes: {before}, {after}");
            // It continues as before where possible.
            assert!(after == before || after == READY && (before.wrapping_sub(READY) as i32) < 0);
        }
    }

    #[test]
    fn each_control_changes_only_its_own_field() {
        let rest = *MotionReport::new().at(Micros(10));
        let model = PadModel::motion();
        for target in model.targets.iter().copied().filter(|target| !target.is_whole()) {
            let mut report = MotionReport::new();
            let down = shown(&mut report, &PadState::default(), &PadState::only(target, 1.0));
            let body = BODY..BODY + 12;
            let differ = body.clone().filter(|at| down[*at] != rest[*at] && *at != BODY + 6).count();
            let pulled = usize::from(matches!(target, PadTarget::LeftTrigger | PadTarget::RightTrigger));
            assert_eq!(differ, 1 + pulled, "{target:?} is one thing");
            let up = shown(&mut report, &PadState::only(target, 1.0), &PadState::default());
            assert_eq!(up[BODY..BODY + 6], rest[BODY..BODY + 6], "{target:?} comes back");
            assert_eq!(up[BODY + 7..BODY + 12], rest[BODY + 7..BODY + 12], "{target:?} comes back");
        }
    }

    #[test]
    fn motion_and_touch_use_the_units_of_the_report() {
        let mut report = MotionReport::new();
        let at_rest = *report.at(Micros(0));
        assert_eq!((number(&at_rest, 23), number(&at_rest, 15)), (8_192, 0), "it is held up");
        let touch = Touch { id: 5, at: [16_384, 49_152] };
        let sensed =
            Sensed { turning: [10_000, -20_000, 0], acceleration: [0, -5_000, 10_000], touches: [Some(touch), None] };
        let to = PadState { sensed, ..PadState::default() };
        let bytes = shown(&mut report, &PadState::default(), &to);
        assert_eq!([15, 17, 19].map(|at| number(&bytes, at)), [160, -320, 0]);
        assert_eq!([21, 23, 25].map(|at| number(&bytes, at)), [0, -4_096, 8_192]);
        let touch = &bytes[BODY + 32..BODY + 36];
        let [x, y] =
            [u16::from(touch[1]) | u16::from(touch[2] & 15) << 8, u16::from(touch[2] >> 4) | u16::from(touch[3]) << 4];
        assert_eq!((touch[0], x, y), (5, 479, 809));
        let up = shown(&mut report, &to, &PadState::default());
        assert_eq!(up[BODY + 32] & 0x80, 0x80, "nothing touches any more");
        assert_eq!(up[BODY + 36], 0x80, "and nothing ever touched there");
    }

    #[test]
    fn output_reports_are_read_and_damaged_ones_refused() {
        let output = |at: usize, tag: u8, set: &[(usize, u8)]| {
            let mut bytes = [0u8; LENGTH];
            (bytes[0], bytes[at - 1]) = (REPORT, tag);
            set.iter().for_each(|(byte, value)| bytes[at + byte] = *value);
            let checksum = OF_OUTPUT.of(&bytes[..SUM]);
            Width::Four.write(checksum, &mut bytes[SUM..]);
            bytes
        };
        let kernel = output(3, 0x10, &[(0, 2), (2, 128), (3, 255)]);
        let back = MotionReport::back(&kernel).expect("it holds");
        assert_eq!((back.rumble, back.lamp.colour, back.lamp.players), (Some([65_535, 32_896]), None, None));
        let library = output(2, 2, &[(0, 3), (2, 64), (3, 127)]);
        let back = MotionReport::back(&library).expect("it holds");
        assert_eq!((back.rumble, back.repeats), (Some([65_535, 33_025]), true));
        let lamp = output(2, 2, &[(1, 0x14), (43, 0x24), (44, 255), (45, 64)]);
        let back = MotionReport::back(&lamp).expect("it holds");
        assert_eq!((back.rumble, back.lamp.colour, back.lamp.players), (None, Some([255, 64, 0]), Some(0x24)));
        assert_eq!(MotionReport::back(&output(2, 2, &[])).and_then(|back| back.rumble), Some([0, 0]), "it ends");
        let mut damaged = kernel;
        damaged[20] ^= 1;
        assert_eq!(MotionReport::back(&damaged), None);
        assert_eq!(MotionReport::back(&kernel[..40]), None);
    }

    #[test]
    fn feature_reports_carry_a_checksum_and_a_unique_address() {
        let addresses: Vec<_> = (1..=8).map(|slot| address_of(1_000, slot)).collect();
        assert!(addresses.iter().all(|address| address[0] & 3 == 2), "locally administered, of one device");
        assert_ne!(address_of(1_001, 1)[..5], addresses[0][..5]);
        for report in [CALIBRATION, ADDRESS, FIRMWARE] {
            let bytes = MotionReport::feature(report, addresses[0]).expect("it is there");
            let covered = bytes.len() - 4;
            assert_eq!(Width::Four.read(&bytes[covered..]), Some(OF_FEATURE.of(&bytes[..covered])));
        }
        assert_eq!(MotionReport::feature(7, addresses[0]), None);
        let parsed = mantle_hid::Descriptor::parse(&MotionReport::descriptor()).expect("a good descriptor");
        assert!(parsed.reports_of(mantle_hid::ReportKind::Input).any(|report| report.bits == 77 * 8));
    }
}
