use super::*;
use crate::control::Layout;
use crate::pad::PadTarget;
use mantle_hid::Descriptor;
use proptest::prelude::*;

/// 12 buttons, a hat, X, Y, Z, Rx, Ry, Rz of 8 bits.
pub const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x0c, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x0c, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x25, 0x07, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, 0x09, 0x30, 0x09, 0x31,
    0x09, 0x32, 0x09, 0x33, 0x09, 0x34, 0x09, 0x35, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0xc0,
];
/// X and Y in the middle, Z at its lower end, Rx in the middle, Ry at its upper end, Rz a quarter off.
const REST: [u8; 8] = [0, 0x80, 128, 128, 0, 126, 255, 90];

/// Reports at 125 a second.
fn hear(target: PadTarget, reports: &[[u8; 8]]) -> Heard {
    let layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
    let mut frame = layout.rest;
    let mut capture = Capture::new(Micros(0), &layout.parts[0], &frame, target.into());
    for (at, report) in reports.iter().enumerate() {
        let now = Micros(8_000 * at as u64);
        capture.handle_time(now);
        layout.plan.decode(report, &mut frame).expect("a whole report");
        capture.handle_frame(now, &frame);
    }
    capture.heard().clone()
}

/// At rest, at these values for a while, and at rest again.
fn press(target: PadTarget, values: &[(usize, u8)]) -> Heard {
    let mut down = REST;
    values.iter().for_each(|(at, value)| down[*at] = *value);
    hear(target, &[&[REST; 10][..], &[down; 10], &[REST; 30]].concat())
}

fn source(heard: &Heard) -> (String, bool) {
    match heard {
        Heard::Taken(taken) => (taken.source.text(), taken.inverted),
        other => panic!("{other:?}"),
    }
}

#[test]
fn each_kind_of_control_is_recognized() {
    let takes = |target, values: &[(usize, u8)]| source(&press(target, values));
    assert_eq!(takes(PadTarget::South, &[(0, 4)]), ("button 3".into(), false));
    assert_eq!(takes(PadTarget::Up, &[(1, 0x00)]), ("hat up".into(), false));
    assert_eq!(takes(PadTarget::LeftStickUp, &[(3, 0)]), ("Y lower half".into(), false));
    assert_eq!(takes(PadTarget::LeftStickRight, &[(2, 255)]), ("X upper half".into(), false));
    assert_eq!(takes(PadTarget::LeftTrigger, &[(4, 250)]), ("Z whole".into(), false));
    assert_eq!(takes(PadTarget::RightTrigger, &[(6, 3)]), ("Ry whole".into(), true), "a pedal that runs backwards");
    assert_eq!(
        takes(PadTarget::LeftStickDown, &[(7, 250)]),
        ("Rz upper half".into(), false),
        "a stick that rests off centre"
    );
}

#[test]
fn a_trigger_with_axis_and_button_is_one_press() {
    assert_eq!(source(&press(PadTarget::LeftTrigger, &[(0, 0x40), (4, 255)])), ("Z whole".into(), false));
    assert_eq!(source(&press(PadTarget::South, &[(0, 0x40), (4, 255)])), ("button 7".into(), false));
}

#[test]
fn a_coupled_axis_is_ignored_and_two_presses_raise_a_question() {
    assert_eq!(source(&press(PadTarget::LeftStickUp, &[(3, 0), (2, 150)])), ("Y lower half".into(), false));
    let Heard::Unclear(why) = press(PadTarget::South, &[(0, 0b101)]) else { panic!("two buttons") };
    assert_eq!(why, "button 1 and button 3 were both pressed: press only the one you mean");
    let Heard::Unclear(why) = press(PadTarget::LeftStickUp, &[(3, 0), (2, 0)]) else { panic!("a corner") };
    assert!(why.starts_with("X and Y were both"), "{why}");
    let Heard::Unclear(why) = press(PadTarget::Up, &[(1, 0x10)]) else { panic!("between two directions") };
    assert_eq!(why, "hat went more than one way: press one direction only");
}

#[test]
fn noise_is_no_answer() {
    let trembling = |at: usize| {
        std::array::from_fn(|byte| if byte >= 2 { REST[byte].saturating_add((at * 37 % 23) as u8) } else { REST[byte] })
    };
    let reports: Vec<[u8; 8]> = (0..200).map(trembling).collect();
    assert_eq!(hear(PadTarget::South, &reports), Heard::Nothing);
    let mut tapped = reports.clone();
    tapped[100][0] = 2;
    assert_eq!(source(&hear(PadTarget::South, &tapped)), ("button 2".into(), false), "one report is enough");
}

#[test]
fn a_lever_that_stays_put_is_accepted_after_a_while() {
    let mut down = REST;
    down[4] = 255;
    assert_eq!(hear(PadTarget::RightTrigger, &[&[REST; 10][..], &[down; 50]].concat()), Heard::Pressed);
    let heard = hear(PadTarget::RightTrigger, &[&[REST; 10][..], &[down; 250]].concat());
    assert_eq!(source(&heard), ("Z whole".into(), false));
}

/// What is down at the beginning is no answer, neither while it stays down nor when it comes up; pressed again, it is.
#[test]
fn a_control_already_down_is_no_answer() {
    let mut down = REST;
    down[0] = 1;
    let held = [&[down; 10][..], &[REST; 30]].concat();
    assert_eq!(hear(PadTarget::South, &held), Heard::Nothing);
    assert_eq!(source(&hear(PadTarget::South, &[held, vec![down; 3], vec![REST; 30]].concat())).0, "button 1");
}

/// A touch on the way to a key that continues the roll call comes sooner than anybody answers, and if rests are known it is no answer; the next press
/// is.
#[test]
fn a_press_simultaneous_with_the_prompt_is_no_answer() {
    let layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
    let mut frame = layout.rest;
    layout.plan.decode(&REST, &mut frame).expect("a whole report");
    let part = &layout.parts[0];
    let rests = Capture::new(Micros(0), part, &frame, PadTarget::South.into()).rests();
    let hear = |reports: &[[u8; 8]]| {
        let mut frame = frame;
        let mut capture = Capture::new(Micros(0), part, &frame, PadTarget::South.into()).resting(&rests, &frame);
        for (at, report) in reports.iter().enumerate() {
            let now = Micros(8_000 * (at as u64 + 1));
            capture.handle_time(now);
            layout.plan.decode(report, &mut frame).expect("a whole report");
            capture.handle_frame(now, &frame);
        }
        capture.heard().clone()
    };
    let (mut touch, mut meant) = (REST, REST);
    (touch[1], meant[0]) = (REST[1] | 8, 1);
    let touched = [vec![touch; 20], vec![REST; 30]].concat();
    assert_eq!(hear(&touched), Heard::Nothing);
    assert_eq!(source(&hear(&[touched, vec![meant; 3], vec![REST; 30]].concat())).0, "button 1");
    let later = [vec![REST; 8], vec![touch; 20], vec![REST; 30]].concat();
    assert_eq!(source(&hear(&later)).0, "button 12");
}

/// The reason names the rest, so it can be checked.
#[test]
fn a_rejected_press_gets_a_reason() {
    let Heard::Taken(taken) = press(PadTarget::LeftTrigger, &[(4, 255)]) else { panic!("a trigger") };
    assert_eq!(taken.why, "the whole travel of Z, which rests at 0 % of its range");
}

proptest! {
    /// Hands that tremble, press late and briefly, and brush a neighbour lightly: the result is the control that was meant, or another request; never
    /// another control.
    #[test]
    fn no_way_of_pressing_selects_the_wrong_control(
        which in 0..12usize, late in 0..40usize, long in 1..20usize, seed in any::<u64>(), brush in 0..30u8,
    ) {
        let mut state = seed | 1;
        let mut noise = move |most: u64| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state % (2 * most + 1)) as i16 - most as i16
        };
        let reports: Vec<[u8; 8]> = (0..late + long + 40)
            .map(|at| {
                let mut report = REST;
                for byte in &mut report[2..] {
                    *byte = (i16::from(*byte) + noise(5)).clamp(0, 255) as u8;
                }
                if (late + 10..late + 10 + long).contains(&at) {
                    report[which / 8] |= 1 << (which % 8);
                    report[2] = report[2].saturating_add(brush);
                }
                report
            })
            .collect();
        prop_assert_eq!(source(&hear(PadTarget::East, &reports)), (format!("button {}", which + 1), false));
    }
}

/// 3 buttons, X and Y of 8 bits, relative.
const MOUSE: &[u8] = &[
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x03, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x03, 0x81, 0x02, 0x75, 0x05, 0x95, 0x01, 0x81, 0x01, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81, 0x25, 0x7f,
    0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0,
];

#[test]
fn a_mouse_push_counts_and_a_nudge_does_not() {
    let layout = Layout::new(&Descriptor::parse(MOUSE).expect("a good descriptor"));
    for (across, down, meant) in
        [(40, 9, Some("X upper half")), (-40, 5, Some("X lower half")), (3, 40, Some("Y upper half")), (6, 0, None)]
    {
        let mut frame = layout.rest;
        let mut capture = Capture::new(Micros(0), &layout.parts[0], &frame, PadTarget::LeftStickRight.into());
        for report in 10..30u64 {
            layout.plan.decode(&[0, across as u8, down as u8], &mut frame).expect("a whole report");
            capture.handle_frame(Micros(8_000 * report), &frame);
        }
        capture.handle_time(Micros::seconds(3));
        let heard = match capture.heard() {
            Heard::Taken(taken) => Some((taken.source.text(), taken.inverted)),
            _ => None,
        };
        assert_eq!(heard, meant.map(|meant| (meant.to_owned(), false)), "{across} {down}: {:?}", capture.heard());
    }
}
