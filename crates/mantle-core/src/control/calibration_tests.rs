use super::*;
use crate::control::Layout;
use mantle_hid::Descriptor;
use proptest::prelude::*;

/// 4 buttons, X, Y, Z, Rz of 8 bits.
const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x04, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x04, 0x81, 0x02, 0x75, 0x04, 0x95, 0x01, 0x81, 0x03, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x32, 0x09, 0x35,
    0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x04, 0x81, 0x02, 0xc0,
];

struct Desk {
    layout: Layout,
    frame: Frame,
    session: CalibrationSession,
    now: Micros,
}

impl Desk {
    fn new(rest: [u8; 5]) -> Self {
        let layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
        let mut frame = layout.rest;
        layout.plan.decode(&rest, &mut frame).expect("a whole report");
        let session = CalibrationSession::new(Micros(0), &layout.parts[0], &frame);
        Self { layout, frame, session, now: Micros(0) }
    }

    fn play(&mut self, millis: u64, report: impl Fn(u64) -> [u8; 5]) {
        for step in 0..millis / 8 {
            self.now = self.now.after(Micros::millis(8));
            self.layout.plan.decode(&report(step), &mut self.frame).expect("a whole report");
            self.session.handle_frame(self.now, &self.frame);
        }
    }

    fn proposal(&self, name: &str) -> AxisProposal {
        self.session.proposals().into_iter().find(|one| one.name == name).expect("it is an axis")
    }
}

/// Moves from one value to another and back, within a second.
fn sweep(step: u64, low: u8, high: u8) -> u8 {
    let turn = (step % 125) as f64 / 62.5;
    let share = 1.0 - (turn - 1.0).abs();
    (f64::from(low) + (f64::from(high) - f64::from(low)) * share).round() as u8
}

/// A noisy off-centre stick that does not reach its ends, a trigger, an inverted pedal, and one that nobody moves.
#[test]
fn each_stick_is_calibrated_without_hints() {
    let rest = |step: u64| [0, 140 + (step % 5) as u8, 0, 250, 128];
    let mut desk = Desk::new(rest(0));
    desk.play(3_100, rest);
    assert_eq!(desk.session.phase(), CalibrationPhase::Travel);
    desk.play(2_400, |step| [(step % 2) as u8, sweep(step, 30, 220), sweep(step, 0, 200), sweep(step, 20, 250), 128]);
    assert_eq!(desk.session.silent(), ["button 2", "button 3", "button 4"]);
    desk.session.next(desk.now);
    desk.play(2_100, |step| [0, 146 + (step % 3) as u8, 0, 250, 128]);
    assert_eq!(desk.session.phase(), CalibrationPhase::Proposal);
    let stick = desk.proposal("X");
    let calibration = stick.calibration.expect("it was moved");
    assert_eq!(calibration, Calibration { low: 31, rest: 142, high: 217, noise: 2 });
    assert!((0.06..0.07).contains(&stick.drift), "it fell back to 147 instead of 142: {}", stick.drift);
    assert_eq!(stick.dead_zone, 0.14, "5 + 2 of 75 on the shorter side, a quarter more, and a step");
    let trigger = desk.proposal("Y").calibration.expect("it was moved");
    assert_eq!((trigger.rests(), trigger.high), (Rests::Low, 197));
    let pedal = desk.proposal("Z").calibration.expect("it was moved");
    assert_eq!((pedal.rests(), pedal.low), (Rests::High, 22));
    assert_eq!(desk.proposal("Rz").calibration, None, "nobody moved it");
    let [min, max] = [0, 255];
    let shown = |calibration: Calibration, raw: i32| calibration.correct(min, max, raw);
    assert_eq!([20, 31, 140, 142, 144, 217, 230].map(|raw| shown(calibration, raw)), [0, 0, 127, 127, 127, 255, 255]);
    assert_eq!([0, 99, 197, 210].map(|raw| shown(trigger, raw)), [0, 128, 255, 255], "a worn gate reaches its end");
    assert_eq!([255, 250, 22, 10].map(|raw| shown(pedal, raw)), [255, 255, 0, 0], "it keeps its direction");
}

#[test]
fn movement_during_the_rest_phase_restarts_it() {
    let mut desk = Desk::new([0, 128, 0, 0, 128]);
    desk.play(2_000, |_| [0, 128, 0, 0, 128]);
    desk.play(16, |_| [0, 200, 0, 0, 128]);
    assert_eq!((desk.session.phase(), desk.session.moved()), (CalibrationPhase::Rest, Some("X")));
    desk.play(2_000, |_| [0, 128, 0, 0, 128]);
    assert_eq!(desk.session.phase(), CalibrationPhase::Rest, "three seconds from then on");
    desk.play(1_200, |_| [0, 128, 0, 0, 128]);
    assert_eq!((desk.session.phase(), desk.session.moved()), (CalibrationPhase::Travel, None));
}

#[test]
fn half_a_stick_travel_is_not_accepted() {
    let rest = [0, 128, 0, 0, 128];
    let mut desk = Desk::new(rest);
    desk.play(3_100, |_| rest);
    desk.play(1_000, |step| [0, sweep(step, 128, 255), sweep(step, 0, 255), 0, 128]);
    assert_eq!((desk.proposal("X").calibration, desk.proposal("X").one_way), (None, true));
    let trigger = desk.proposal("Y").calibration.expect("it was moved");
    assert_eq!((trigger.low, trigger.rest, trigger.rests()), (0, 0, Rests::Low));
    desk.play(1_000, |step| [0, sweep(step, 0, 128), 0, 0, 128]);
    assert_eq!(desk.proposal("X").calibration.map(|one| (one.rest, one.rests())), Some((128, Rests::Middle)));
}

/// Once everything was moved, pressed and released, the step ends by itself. Anything left out prevents that.
#[test]
fn the_travel_phase_ends_once_complete_and_released() {
    let rest = [0, 128, 0, 0, 128];
    let all = |step: u64, last: u8| {
        let turn = |low, high| sweep(step, low, high);
        [[1, 2, 4, 8][step as usize % 4] & 7 | last, turn(0, 255), turn(0, 255), turn(0, 255), turn(0, 255)]
    };
    for (last, ends) in [(8, true), (0, false)] {
        let mut desk = Desk::new(rest);
        desk.play(3_100, |_| rest);
        desk.play(1_000, |step| all(step, last));
        desk.play(1_900, |_| rest);
        assert_eq!(desk.session.phase(), CalibrationPhase::Travel, "hands may be off for a moment only");
        desk.play(200, |_| rest);
        let phase = if ends { CalibrationPhase::LetGo } else { CalibrationPhase::Travel };
        assert_eq!(desk.session.phase(), phase, "all buttons: {ends}");
    }
    // A control that is still held, or was moved only halfway, is not finished.
    for held in [[0, 255, 0, 0, 128], [1, 128, 0, 0, 128]] {
        let mut desk = Desk::new(rest);
        desk.play(3_100, |_| rest);
        desk.play(1_000, |step| all(step, 8));
        desk.play(5_000, |_| held);
        assert_eq!(desk.session.phase(), CalibrationPhase::Travel);
    }
    let mut desk = Desk::new(rest);
    desk.play(3_100, |_| rest);
    desk.play(1_000, |step| [15, sweep(step, 40, 215), sweep(step, 0, 255), sweep(step, 0, 255), sweep(step, 0, 255)]);
    desk.play(5_000, |_| rest);
    assert_eq!(desk.session.phase(), CalibrationPhase::Travel, "X went through seven tenths of its range");
}

/// A device that is silent while nothing moves rests where it was before and comes back to.
#[test]
fn a_silent_device_can_be_calibrated() {
    let mut desk = Desk::new([0, 120, 0, 0, 128]);
    desk.now = Micros::millis(3_200);
    desk.session.handle_time(desk.now);
    assert_eq!(desk.session.phase(), CalibrationPhase::Travel);
    desk.play(2_000, |step| [0, sweep(step, 0, 255), 0, 0, 128]);
    desk.play(8, |_| [0, 120, 0, 0, 128]);
    desk.session.next(desk.now);
    desk.session.handle_time(desk.now.after(LET_GO));
    let stick = desk.proposal("X");
    assert_eq!(stick.calibration.map(|one| (one.rest, one.noise)), Some((120, 0)));
    assert_eq!(stick.dead_zone, 0.01);
}

proptest! {
    /// Whatever was measured: further is never less, rest is rest, the ends are the ends.
    #[test]
    fn corrected_values_keep_their_order(
        low in -500i32..400, travel in 2i32..900, rest in 0.0f64..=1.0, noise in 0i32..60, a in -600i32..600, b in -600i32..600,
        wide in any::<bool>(),
    ) {
        let high = low + travel;
        let rest = low + (f64::from(travel) * rest) as i32;
        let calibration = Calibration { low, rest, high, noise };
        prop_assert!(calibration.is_whole());
        let (min, max) = if wide { (-32_768, 32_767) } else { (0, 255) };
        let of = |raw: i32| calibration.correct(min, max, raw);
        prop_assert!(of(a.min(b)) <= of(a.max(b)));
        let middle = (i64::from(min) + i64::from(max)) / 2;
        let home = match calibration.rests() {
            Rests::Middle => middle,
            Rests::Low => i64::from(min),
            Rests::High => i64::from(max),
        };
        prop_assert!((i64::from(of(rest)) - home).abs() <= 1);
        prop_assert!((min..=max).contains(&of(a)));
        if high > rest + noise {
            prop_assert_eq!(of(high), max);
        }
        if low < rest - noise {
            prop_assert_eq!(of(low), min);
        }
    }
}
