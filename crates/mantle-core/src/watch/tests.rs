//! What is noticed and, just as much, what is not.

use super::*;
use crate::control::{Control, ControlKind, ControlNumber, Layout, PartLayout, Zone};
use mantle_hid::{Descriptor, Frame};
use proptest::prelude::*;

/// Four buttons and three axes of 8 bits: X, Y, Z.
fn layout() -> Layout {
    let bytes = "05 01 09 05 a1 01 05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 95 04 81 01 \
                 05 01 09 30 09 31 09 32 15 00 26 ff 00 75 08 95 03 81 02 c0";
    let bytes: Vec<u8> = bytes.split_whitespace().map(|byte| u8::from_str_radix(byte, 16).expect("hex")).collect();
    Layout::new(&Descriptor::parse(&bytes).expect("a descriptor"))
}

fn part() -> PartLayout {
    layout().parts.remove(0)
}

/// Reports further apart than this are slow.
const DELAY: Micros = Micros::millis(100);
const LOST: f32 = 0.02;
/// Between two looks.
const STEP: Micros = Micros::millis(100);

struct Bench {
    watch: PartWatch,
    part: PartLayout,
    rests: Vec<(ControlNumber, Zone)>,
    frame: Frame,
    now: Micros,
}

impl Bench {
    fn new() -> Self {
        let part = part();
        let number = |name: &str| part.controls.iter().find(|control| control.name == name).expect(name).number;
        let rests = vec![(number("X"), Zone::Middle), (number("Y"), Zone::Middle), (number("Z"), Zone::LowEnd)];
        let mut bench = Self { watch: PartWatch::default(), part, rests, frame: Frame::default(), now: Micros(0) };
        [("X", 128), ("Y", 128), ("Z", 0)].into_iter().for_each(|(name, raw)| bench.put(name, raw));
        bench
    }

    fn control(&self, name: &str) -> &Control {
        self.part.controls.iter().find(|control| control.name == name).expect(name)
    }

    fn put(&mut self, name: &str, raw: i32) {
        match self.control(name).place {
            crate::control::Place::Bit(bit) => self.frame.set_bit(bit, raw != 0),
            crate::control::Place::Value(value) => self.frame.values[usize::from(value)] = raw,
        }
    }

    /// This many looks, before each of which something is done.
    fn looks(&mut self, count: u32, mut before: impl FnMut(&mut Self, u32)) {
        for n in 0..count {
            before(self, n);
            let rest = |control| self.rests.iter().find(|(number, _)| *number == control).map(|(_, zone)| *zone);
            self.watch.look(self.now, &self.part.controls, &self.frame, rest, |_| true);
            self.now = self.now.after(STEP);
        }
    }

    fn ailments(&self) -> Vec<(String, Ailment)> {
        let all = self.watch.ailments(self.now, &self.part.controls);
        all.map(|(at, ailment)| (self.part.controls[at].name.clone(), ailment)).collect()
    }
}

#[test]
fn an_off_centre_rest_is_drift_and_a_held_stick_is_not() {
    let mut bench = Bench::new();
    bench.put("X", 150);
    bench.looks(70, |_, _| ());
    assert_eq!(bench.ailments(), [], "seven seconds may be a hand's");
    bench.looks(20, |_, _| ());
    assert!(
        matches!(bench.ailments()[..], [(ref name, Ailment::Drifts(off))] if name == "X" && (0.17..0.19).contains(&off))
    );
    // It moves on: a hand has it.
    bench.looks(1, |bench, _| bench.put("X", 200));
    assert_eq!(bench.ailments(), []);
    // Far out it is held on purpose.
    bench.looks(100, |_, _| ());
    assert_eq!(bench.ailments(), []);
    bench.looks(1, |bench, _| bench.put("X", 128));
    assert_eq!(bench.ailments(), []);
}

#[test]
fn a_common_stop_of_all_pushes_is_wear() {
    let push = |ends: [i32; 8]| {
        let mut bench = Bench::new();
        for end in ends {
            bench.looks(3, |bench, n| bench.put("X", if n < 2 { end } else { 128 }));
        }
        bench.ailments()
    };
    let worn = push([232, 233, 232, 231, 232, 233, 232, 232]);
    assert!(matches!(worn[..], [(ref name, Ailment::Short(end, false))] if name == "X" && (0.8..0.84).contains(&end)));
    assert_eq!(push([232, 190, 220, 231, 200, 233, 210, 232]), []);
    assert_eq!(push([255, 254, 255, 255, 255, 254, 255, 255]), [], "a full push is no fault");
    assert_eq!(push([128; 8]), []);
}

#[test]
fn trembling_at_nearly_every_look_is_noise() {
    let mut bench = Bench::new();
    bench.looks(40, |bench, n| bench.put("Y", if n % 2 == 0 { 118 } else { 138 }));
    assert!(
        matches!(bench.ailments()[..], [(ref name, Ailment::Trembles(_))] if name == "Y"),
        "{:?}",
        bench.ailments()
    );
    let mut bench = Bench::new();
    // A hand goes to and fro as well, but not at every look.
    bench.looks(60, |bench, n| bench.put("Y", [100, 110, 122, 130, 140, 150, 140, 128, 118, 108][n as usize % 10]));
    assert_eq!(bench.ailments(), []);
}

#[test]
fn a_button_never_released_is_stuck_and_a_minute_long_press_is_not() {
    let mut bench = Bench::new();
    bench.looks(1, |_, _| ());
    bench.looks(600, |bench, _| bench.put("button 2", 1));
    assert_eq!(bench.ailments(), []);
    bench.looks(620, |_, _| ());
    assert!(matches!(bench.ailments()[..], [(ref name, Ailment::Down(_, false))] if name == "button 2"));
    bench.looks(1, |bench, _| bench.put("button 2", 0));
    assert_eq!(bench.ailments(), []);
    let mut bench = Bench::new();
    bench.put("button 1", 1);
    bench.put("Z", 200);
    bench.looks(110, |_, _| ());
    let all = bench.ailments();
    assert!(all.len() == 2 && all.iter().all(|(_, ailment)| matches!(ailment, Ailment::Down(_, true))), "{all:?}");
}

#[test]
fn the_last_moved_control_is_known_until_it_rests() {
    let mut bench = Bench::new();
    bench.looks(5, |_, _| ());
    assert_eq!(bench.watch.moved(), None);
    bench.looks(2, |bench, _| bench.put("button 3", 1));
    let moved = bench.watch.moved().expect("it moved");
    assert_eq!((moved.control, moved.held), (bench.control("button 3").number, true));
    bench.looks(1, |bench, _| bench.put("button 3", 0));
    assert!(!bench.watch.moved().expect("still known").held);
    bench.looks(1, |bench, _| bench.put("X", 250));
    assert_eq!(bench.watch.moved().map(|moved| moved.control), Some(bench.control("X").number));
    // Noise is no movement, and neither is the way back to rest.
    let mut bench = Bench::new();
    bench.looks(40, |bench, n| bench.put("X", 128 + n as i32 % 3 * 4));
    assert_eq!(bench.watch.moved(), None);
}

fn state(reports: u64, last: Micros, changed: u64, bad: u64) -> SourceState {
    SourceState { reports, last, changed, bad }
}

#[test]
fn a_stream_falls_silent_and_a_change_only_device_does_not() {
    for (unchanged, expected) in [(true, true), (false, false)] {
        let mut watch = SourceWatch::default();
        let mut now = Micros(0);
        for n in 0..100u64 {
            now = Micros::millis(100 * n);
            let reports = n * 12;
            watch.look(now, state(reports, now, if unchanged { n } else { reports }, 0));
        }
        assert_eq!(watch.troubles(now, DELAY, LOST).count(), 0);
        let later = now.after(Micros::seconds(5));
        watch.look(later, state(99 * 12, now, if unchanged { 99 } else { 99 * 12 }, 0));
        let silent = watch
            .troubles(later, DELAY, LOST)
            .any(|coming| matches!(coming, Coming::Silent(rate, _) if (115.0..125.0).contains(&rate)));
        assert_eq!(silent, expected);
    }
}

#[test]
fn slow_and_damaged_reports_are_reported() {
    let mut watch = SourceWatch::default();
    let mut now = Micros(0);
    for n in 0..100u64 {
        now = Micros::millis(100 * n);
        watch.look(now, state(n * 6 / 10, now, 1, 0));
    }
    assert!(
        watch
            .troubles(now, DELAY, LOST)
            .any(|coming| matches!(coming, Coming::Slow(rate) if (5.0..7.0).contains(&rate)))
    );
    let mut watch = SourceWatch::default();
    for n in 0..100u64 {
        now = Micros::millis(100 * n);
        watch.look(now, state(n * 12, now, n, n / 2));
    }
    assert!(
        watch
            .troubles(now, DELAY, LOST)
            .any(|coming| matches!(coming, Coming::Damaged(share) if (0.02..0.06).contains(&share)))
    );
    let mut watch = SourceWatch::default();
    for n in 0..100u64 {
        now = Micros::millis(100 * n);
        watch.look(now, state(n * 12, now, n, u64::from(n > 50)));
    }
    assert_eq!(watch.troubles(now, DELAY, LOST).count(), 0, "one damaged report is nobody's trouble");
}

proptest! {
    /// Whatever a device does, a look never fails, and what rests well has no ailment.
    #[test]
    fn any_movement_can_be_watched(moves in prop::collection::vec((0usize..7, any::<u8>()), 0..200)) {
        let mut bench = Bench::new();
        let names = ["button 1", "button 2", "button 3", "button 4", "X", "Y", "Z"];
        for (which, raw) in moves {
            let button = bench.control(names[which]).kind == ControlKind::Button;
            bench.looks(1, |bench, _| bench.put(names[which], if button { i32::from(raw & 1) } else { i32::from(raw) }));
            let _ = bench.ailments();
        }
        for (name, raw) in names.into_iter().zip([0, 0, 0, 0, 128, 128, 0]) {
            bench.put(name, raw);
        }
        bench.looks(40, |_, _| ());
        prop_assert!(bench.ailments().iter().all(|(_, ailment)| matches!(ailment, Ailment::Short(..))), "{:?}", bench.ailments());
    }
}

#[test]
fn a_single_outlier_is_a_jump_and_a_fast_movement_is_not() {
    let jumps = |values: &[i32], period: u64| {
        let (mut spikes, mut now) = (Spikes::of_layout(&layout()), Micros::seconds(1));
        let crate::control::Place::Value(x) = Bench::new().control("X").place else { panic!("it is an axis") };
        for (report, value) in values.iter().enumerate() {
            let mut frame = Frame::default();
            frame.values[usize::from(x)] = *value;
            if spikes.wants(report as u64) {
                spikes.see(now, report as u64, &frame);
            }
            now = now.after(Micros::millis(period));
        }
        spikes.of(now, x)
    };
    let worn = [128, 128, 250, 128, 128, 128, 20, 128, 128];
    assert_eq!(jumps(&worn, 8), Some(2));
    assert_eq!(jumps(&worn, 100), None, "at ten reports a second that may be a hand");
    assert_eq!(jumps(&[128, 128, 250, 128, 128], 8), None, "once is no fault yet");
    assert_eq!(
        jumps(&[&[128; 100][..], &worn, &[128; 500], &worn].concat(), 8),
        Some(4),
        "of a slow device none is missed"
    );
    let long = |each: usize| [128, 250, 128, 20, 128].map(|value| vec![value; each]).concat();
    assert_eq!(jumps(&long(3), 1), Some(2), "of a fast one it lasts several reports");
    assert_eq!(jumps(&long(6), 8), None, "so long it may be a hand");
    let seen = jumps(&worn.repeat(400), 1).expect("some are seen");
    assert!(seen >= 8, "of 800 only {seen}");
    assert_eq!(jumps(&[128, 180, 250, 250, 190, 128, 128, 60, 0, 0, 70, 128], 8), None);
    assert_eq!(jumps(&[128; 30], 8), None);
}

/// A stream of 250 reports per second of which some do not come: reported from the limit on, and no longer once all come again.
#[test]
fn lost_reports_are_reported_from_the_limit() {
    for (every, said) in [(0, false), (100, false), (20, true)] {
        let mut watch = SourceWatch::default();
        let (mut reports, mut last, mut now) = (0u64, Micros(0), Micros(0));
        for n in 1..=5_000u64 {
            now = Micros::millis(4 * n);
            if every == 0 || n % every != 0 {
                watch.gaps.take(now.since(last).0);
                (last, reports) = (now, reports + 1);
            }
            if n % 50 == 0 {
                watch.look(now, state(reports, last, 1, 0));
            }
        }
        let lost = watch.troubles(now, DELAY, LOST).find(|coming| matches!(coming, Coming::Lost(_)));
        assert_eq!(lost.is_some(), said, "one of {every}: {:?}", watch.lost());
        if let Some(Coming::Lost(share)) = lost {
            assert!((0.045..0.055).contains(&share), "{share}");
        }
        (0..6).for_each(|_| assert!(watch.gaps.pass() || watch.gaps.summary().count == 0));
        for n in 0..10u64 {
            now = now.after(Micros::millis(500));
            watch.look(now, state(reports + 125 * n, now, 1, 0));
        }
        assert!(!watch.troubles(now, DELAY, LOST).any(|coming| matches!(coming, Coming::Lost(_))), "a minute later");
    }
}
