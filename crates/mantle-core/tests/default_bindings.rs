//! The table of default bindings, row by row: descriptors in, what plays what out.

use mantle_core::binding::{Bindings, Compiled, default_bindings};
use mantle_core::control::Layout;
use mantle_core::pad::PadTarget::{self, *};
use mantle_hid::Descriptor;

const X: u32 = 0x1_0030;
const Y: u32 = 0x1_0031;
const Z: u32 = 0x1_0032;
const RX: u32 = 0x1_0033;
const RY: u32 = 0x1_0034;
const RZ: u32 = 0x1_0035;
const SLIDER: u32 = 0x1_0036;
const HAT: u32 = 0x1_0039;
const ACCELERATOR: u32 = 0x2_00c4;
const BRAKE: u32 = 0x2_00c5;
const STEERING: u32 = 0x2_00c8;
const RUDDER: u32 = 0x2_00ba;
const THROTTLE: u32 = 0x2_00bb;
/// Applications.
const JOYSTICK: u8 = 0x04;
const GAME_PAD: u8 = 0x05;
const MULTI_AXIS: u8 = 0x08;

/// An application with these buttons of one bit, and axes of 8 bits; d-pad usages are buttons too.
fn descriptor(application: u8, buttons: &[u8], usages: &[u32]) -> Vec<u8> {
    let mut out = vec![0x05, 0x01, 0x09, application, 0xa1, 0x01];
    let usage = |out: &mut Vec<u8>, usage: u32| {
        out.push(0x0b);
        out.extend(usage.to_le_bytes());
    };
    if !buttons.is_empty() {
        for number in buttons {
            usage(&mut out, 0x9_0000 | u32::from(*number));
        }
        let count = buttons.len() as u8;
        out.extend([0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, count, 0x81, 0x02]);
        out.extend([0x75, 8 - (count % 8), 0x95, 0x01, 0x81, 0x03]);
    }
    for one in usages {
        usage(&mut out, *one);
        match *one {
            HAT => out.extend([0x15, 0x00, 0x25, 0x07, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42]),
            0x1_003d..=0x1_003e | 0x1_0085 | 0x1_0090..=0x1_0093 | 0xc_0223..=0xc_0224 => {
                out.extend([0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01, 0x81, 0x02]);
            }
            _ => out.extend([0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02]),
        }
    }
    out.push(0xc0);
    out
}

fn of(application: u8, buttons: &[u8], usages: &[u32]) -> Layout {
    Layout::new(&Descriptor::parse(&descriptor(application, buttons, usages)).expect("a good descriptor"))
}

/// A game pad with this many buttons.
fn layout(buttons: u8, usages: &[u32]) -> Layout {
    of(GAME_PAD, &(1..=buttons).collect::<Vec<_>>(), usages)
}

/// The names of the controls that play a target.
fn plays(layout: &Layout, bindings: &Bindings, target: PadTarget) -> Vec<String> {
    let name = |number| layout.parts[0].controls.iter().find(|c| c.number == number).expect("it is there").name.clone();
    bindings.of(target).map(|binding| name(binding.control)).collect()
}

fn check_layout(layout: &Layout, rows: &[(PadTarget, &str)], left_out: &[&str]) {
    let bindings = default_bindings(&layout.parts[0]);
    for (target, source) in rows {
        assert_eq!(plays(layout, &bindings, *target), [*source], "{}", target.name());
    }
    assert_eq!(bindings.list.len(), rows.len(), "nothing beside: {:?}", bindings.list);
    let out: Vec<_> = bindings
        .left_out
        .iter()
        .map(|left| layout.parts[0].controls[usize::from(left.control.0) - 1].name.clone())
        .collect();
    assert_eq!(out, left_out);
    assert!(bindings.left_out.iter().all(|left| !left.why.is_empty()));
    // Compiling leaves none of them out.
    let _ = Compiled::new(&bindings, &layout.parts[0]);
}

fn check(buttons: u8, usages: &[u32], rows: &[(PadTarget, &str)], left_out: &[&str]) {
    check_layout(&layout(buttons, usages), rows, left_out);
}

fn axes(x: &'static str, y: &'static str) -> [(PadTarget, &'static str); 4] {
    [(RightStickLeft, x), (RightStickRight, x), (RightStickUp, y), (RightStickDown, y)]
}

const LEFT: [(PadTarget, &str); 4] =
    [(LeftStickLeft, "X"), (LeftStickRight, "X"), (LeftStickUp, "Y"), (LeftStickDown, "Y")];
const PEDALS: [(PadTarget, &str); 2] = [(LeftTrigger, "brake"), (RightTrigger, "accelerator")];

fn twist(by: &'static str) -> [(PadTarget, &'static str); 2] {
    [(RightStickLeft, by), (RightStickRight, by)]
}

#[test]
fn row_1_a_puck_plays_the_left_stick_and_proposes_the_flight_stick() {
    let puck = of(MULTI_AXIS, &[1, 2], &[X, Y, Z, RX, RY, RZ]);
    let rows = [&LEFT[..], &[(South, "button 1"), (East, "button 2")]].concat();
    check_layout(&puck, &rows, &["Z", "Rx", "Ry", "Rz"]);
    let bindings = default_bindings(&puck.parts[0]);
    assert!(bindings.left_out.iter().all(|left| left.why.contains("flight stick")), "{:?}", bindings.left_out);
    check_layout(&of(MULTI_AXIS, &[], &[X, Y, Z]), &LEFT, &["Z"]);
}

#[test]
fn row_1b_a_flight_stick_has_its_twist_as_right_stick() {
    check_layout(&of(JOYSTICK, &[], &[X, Y, Z, RX, RY, RZ]), &[&LEFT[..], &twist("Rz")].concat(), &["Z", "Rx", "Ry"]);
}

#[test]
fn rows_2_and_3_go_by_which_pair_is_declared_first() {
    let by_rx = [&LEFT[..], &axes("Rx", "Ry"), &[(LeftTrigger, "Z"), (RightTrigger, "Rz")]].concat();
    let by_z = [&LEFT[..], &axes("Z", "Rz"), &[(LeftTrigger, "Rx"), (RightTrigger, "Ry")]].concat();
    check(0, &[X, Y, RX, RY, Z, RZ], &by_rx, &[]);
    check(0, &[X, Y, Z, RZ, RX, RY], &by_z, &[]);
    check(0, &[X, Y, Z, RX, RY, RZ], &by_rx, &[]);
}

#[test]
fn rows_2_3_and_8_change_about_where_a_pair_was_seen_to_rest_at_its_ends() {
    let turned = |usages: &[u32]| {
        let mut layout = layout(0, usages);
        layout.parts[0].triggers_turned = true;
        layout
    };
    let by_rx = [&LEFT[..], &axes("Rx", "Ry"), &[(LeftTrigger, "Z"), (RightTrigger, "Rz")]].concat();
    let by_z = [&LEFT[..], &axes("Z", "Rz"), &[(LeftTrigger, "Rx"), (RightTrigger, "Ry")]].concat();
    check_layout(&turned(&[X, Y, RX, RY, Z, RZ]), &by_z, &[]);
    check_layout(&turned(&[X, Y, Z, RZ, RX, RY]), &by_rx, &[]);
    check_layout(&turned(&[X, Y, Z, RZ]), &[&LEFT[..], &[(LeftTrigger, "Z"), (RightTrigger, "Rz")]].concat(), &[]);
}

#[test]
fn row_4_has_pedals_and_the_right_stick_by_rx() {
    let rows = [&LEFT[..], &axes("Rx", "Ry"), &PEDALS].concat();
    check(0, &[X, Y, RX, RY, ACCELERATOR, BRAKE], &rows, &[]);
    check(0, &[X, Y, RX, RY, Z, ACCELERATOR, BRAKE], &rows, &["Z"]);
    check(0, &[X, Y, RX, RY, Z, RZ, ACCELERATOR, BRAKE], &rows, &["Z", "Rz"]);
}

#[test]
fn row_5_has_pedals_and_the_right_stick_by_z() {
    check(0, &[X, Y, Z, RZ, ACCELERATOR, BRAKE], &[&LEFT[..], &axes("Z", "Rz"), &PEDALS].concat(), &[]);
}

#[test]
fn row_6_shares_z_between_the_triggers() {
    let rows = [&LEFT[..], &axes("Rx", "Ry"), &[(LeftTrigger, "Z"), (RightTrigger, "Z")]].concat();
    let layout = layout(0, &[X, Y, RX, RY, Z]);
    check_layout(&layout, &rows, &[]);
    let compiled = Compiled::new(&default_bindings(&layout.parts[0]), &layout.parts[0]);
    let pulled = |z: u8| {
        let mut frame = layout.rest;
        layout.plan.decode(&[128, 128, 128, 128, z], &mut frame).expect("a whole report");
        let given = compiled.evaluate(&frame, 0);
        [LeftTrigger, RightTrigger].map(|target| given.share(target))
    };
    assert_eq!((pulled(255), pulled(0)), ([1.0, 0.0], [0.0, 1.0]));
    assert_eq!(pulled(128), [0.0, 0.0]);
}

#[test]
fn row_7_has_the_right_stick_by_rx_and_no_triggers() {
    check(0, &[X, Y, RX, RY], &[&LEFT[..], &axes("Rx", "Ry")].concat(), &[]);
    check(0, &[X, Y, RX, RY, RZ], &[&LEFT[..], &axes("Rx", "Ry")].concat(), &["Rz"]);
}

#[test]
fn row_8_has_the_right_stick_by_z() {
    check(0, &[X, Y, Z, RZ], &[&LEFT[..], &axes("Z", "Rz")].concat(), &[]);
}

#[test]
fn row_9_steers() {
    let wheel = [(LeftStickLeft, "steering"), (LeftStickRight, "steering")];
    check(0, &[STEERING], &wheel, &[]);
    check(0, &[STEERING, ACCELERATOR, BRAKE], &[&wheel[..], &PEDALS].concat(), &[]);
    check(0, &[STEERING, BRAKE], &[&wheel[..], &PEDALS[..1]].concat(), &[]);
}

#[test]
fn row_10_twists() {
    check(0, &[X, Y, RZ], &[&LEFT[..], &twist("Rz")].concat(), &[]);
    check(0, &[X, Y, RUDDER], &[&LEFT[..], &twist("rudder")].concat(), &[]);
    check(0, &[X, Y, Z, RUDDER], &[&LEFT[..], &twist("rudder")].concat(), &["Z"]);
}

#[test]
fn row_11_is_one_stick_and_pedals_perhaps() {
    check(0, &[X, Y], &LEFT, &[]);
    check(0, &[X, Y, ACCELERATOR, BRAKE], &[&LEFT[..], &PEDALS].concat(), &[]);
    check(0, &[X, Y, Z], &LEFT, &["Z"]);
    let layout = layout(0, &[X, Y, Z]);
    assert!(default_bindings(&layout.parts[0]).left_out[0].why.contains("measure it"));
}

#[test]
fn row_12_is_pedals() {
    let rudder = [(LeftStickLeft, "rudder"), (LeftStickRight, "rudder")];
    check(0, &[RUDDER, ACCELERATOR, BRAKE], &[&rudder[..], &PEDALS].concat(), &[]);
    check(0, &[ACCELERATOR, BRAKE], &PEDALS, &[]);
}

#[test]
fn row_13_plays_what_is_certain_and_gives_a_reason_for_the_rest() {
    check(0, &[X, RZ], &LEFT[..2], &["Rz"]);
    check(0, &[X, Y, RX], &LEFT, &["Rx"]);
    check(0, &[X, Y, RZ, RUDDER], &LEFT, &["Rz", "rudder"]);
}

#[test]
fn an_axis_without_a_rest_is_never_guessed() {
    check(0, &[X, Y, SLIDER, THROTTLE], &LEFT, &["slider", "throttle"]);
    check(0, &[SLIDER], &[], &["slider"]);
    // With another control beside it, a row still holds.
    check(0, &[X, Y, Z, RZ, SLIDER], &[&LEFT[..], &axes("Z", "Rz")].concat(), &["slider"]);
}

/// Buttons by their numbers: 13 of them, and what they play.
const BY_NUMBER: [(PadTarget, &str); 13] = [
    (South, "button 1"),
    (East, "button 2"),
    (West, "button 3"),
    (North, "button 4"),
    (LeftShoulder, "button 5"),
    (RightShoulder, "button 6"),
    (LeftTrigger, "button 7"),
    (RightTrigger, "button 8"),
    (Select, "button 9"),
    (Start, "button 10"),
    (LeftStickPress, "button 11"),
    (RightStickPress, "button 12"),
    (Mode, "button 13"),
];

const OF_THE_KERNEL: [(PadTarget, &str); 13] = [
    (South, "button 1"),
    (East, "button 2"),
    (West, "button 4"),
    (North, "button 5"),
    (LeftShoulder, "button 7"),
    (RightShoulder, "button 8"),
    (LeftTrigger, "button 9"),
    (RightTrigger, "button 10"),
    (Select, "button 11"),
    (Start, "button 12"),
    (Mode, "button 13"),
    (LeftStickPress, "button 14"),
    (RightStickPress, "button 15"),
];

#[test]
fn buttons_are_bound_by_number() {
    check(13, &[], &BY_NUMBER, &[]);
    check(15, &[], &BY_NUMBER, &["button 14", "button 15"]);
    check(4, &[], &BY_NUMBER[..4], &[]);
    // Not by their rank among the existing ones.
    check_layout(&of(GAME_PAD, &[1, 3, 10], &[]), &[BY_NUMBER[0], BY_NUMBER[2], BY_NUMBER[9]], &[]);
}

#[test]
fn gaps_at_three_and_six_mean_the_kernels_button_order() {
    let gaps = [1, 2, 4, 5, 7, 8, 9, 10, 11, 12, 13, 14, 15];
    check_layout(&of(GAME_PAD, &gaps, &[]), &OF_THE_KERNEL, &[]);
    check_layout(&of(GAME_PAD, &[1, 2, 4, 5, 7, 8], &[]), &OF_THE_KERNEL[..6], &[]);
    // Without one above six it cannot be decided.
    check_layout(&of(GAME_PAD, &[1, 2, 4, 5], &[]), &[BY_NUMBER[0], BY_NUMBER[1], BY_NUMBER[3], BY_NUMBER[4]], &[]);
}

#[test]
fn pedals_and_fourteen_buttons_mean_kernel_order_with_axis_triggers() {
    for (right, usages) in
        [(axes("Z", "Rz"), [X, Y, Z, RZ, ACCELERATOR, BRAKE]), (axes("Rx", "Ry"), [X, Y, RX, RY, ACCELERATOR, BRAKE])]
    {
        let buttons: Vec<_> =
            OF_THE_KERNEL.into_iter().filter(|(target, _)| !PEDALS.iter().any(|(own, _)| own == target)).collect();
        let rows = [&LEFT[..], &right, &PEDALS, &buttons].concat();
        check(15, &usages, &rows, &["button 3", "button 6", "button 9", "button 10"]);
    }
}

#[test]
fn with_two_trigger_axes_and_at_most_eleven_buttons_seven_is_select() {
    let eleven = [
        (South, "button 1"),
        (East, "button 2"),
        (West, "button 3"),
        (North, "button 4"),
        (LeftShoulder, "button 5"),
        (RightShoulder, "button 6"),
        (Select, "button 7"),
        (Start, "button 8"),
        (LeftStickPress, "button 9"),
        (RightStickPress, "button 10"),
        (Mode, "button 11"),
    ];
    check(11, &[ACCELERATOR, BRAKE], &[&eleven[..], &PEDALS].concat(), &[]);
    let shared = [&LEFT[..], &axes("Rx", "Ry"), &[(LeftTrigger, "Z"), (RightTrigger, "Z")], &eleven].concat();
    check(11, &[X, Y, RX, RY, Z], &shared, &[]);
    // With twelve it goes by number, and the buttons of triggers that axes already play are left out.
    let by_number: Vec<_> =
        BY_NUMBER[..12].iter().copied().filter(|(target, _)| !matches!(target, LeftTrigger | RightTrigger)).collect();
    check(12, &[ACCELERATOR, BRAKE], &[&by_number[..], &PEDALS].concat(), &["button 7", "button 8"]);
}

#[test]
fn a_trigger_played_by_an_axis_gets_no_button() {
    let layout = layout(8, &[ACCELERATOR]);
    let bindings = default_bindings(&layout.parts[0]);
    assert_eq!(plays(&layout, &bindings, RightTrigger), ["accelerator"]);
    assert_eq!(plays(&layout, &bindings, LeftTrigger), ["button 7"]);
    assert!(bindings.left_out.iter().any(|left| left.why.contains("an axis already plays that trigger")));
}

#[test]
fn sixteen_buttons_without_a_hat_may_count_the_d_pad() {
    let left = ["button 13", "button 14", "button 15", "button 16"];
    for usages in [&[X, Y, Z, RZ][..], &[X, Y, RX, RY]] {
        let right = if usages.contains(&Z) { axes("Z", "Rz") } else { axes("Rx", "Ry") };
        check(16, usages, &[&LEFT[..], &right, &BY_NUMBER[..12]].concat(), &left);
    }
    let hat = [(Up, "hat"), (Down, "hat"), (Left, "hat"), (Right, "hat")];
    let rows = [&LEFT[..], &axes("Z", "Rz"), &BY_NUMBER[..13], &hat].concat();
    check(16, &[X, Y, Z, RZ, HAT], &rows, &left[1..]);
}

#[test]
fn a_hat_or_the_four_usages_are_the_d_pad() {
    check(0, &[HAT], &[(Up, "hat"), (Down, "hat"), (Left, "hat"), (Right, "hat")], &[]);
    let four = [(Up, "d-pad up"), (Down, "d-pad down"), (Left, "d-pad left"), (Right, "d-pad right")];
    check(0, &[0x1_0090, 0x1_0091, 0x1_0092, 0x1_0093], &four, &[]);
}

#[test]
fn a_named_control_plays_its_target_if_free() {
    let named = [0x1_003d, 0x1_003e, 0x1_0085];
    let layout = layout(4, &named);
    let bindings = default_bindings(&layout.parts[0]);
    let all: Vec<_> = [Start, Select, Mode].iter().map(|target| plays(&layout, &bindings, *target).len()).collect();
    assert_eq!(all, [1, 1, 1], "{:?}", bindings.list);
    let home = of(GAME_PAD, &[1, 2], &[0xc_0223, 0xc_0224]);
    let bindings = default_bindings(&home.parts[0]);
    assert_eq!((plays(&home, &bindings, Mode).len(), plays(&home, &bindings, Select).len()), (1, 1));
    let numbered = self::layout(10, &named);
    let bindings = default_bindings(&numbered.parts[0]);
    assert_eq!(plays(&numbered, &bindings, Start), ["button 10"]);
}

fn parse(text: &str) -> Layout {
    let bytes: Vec<u8> = text.split_whitespace().map(|word| u8::from_str_radix(word, 16).expect("hex")).collect();
    Layout::new(&Descriptor::parse(&bytes).expect("a good descriptor"))
}

#[test]
fn a_short_form_of_a_report_belongs_to_the_same_part() {
    let layout = parse(
        "05 01 09 05 a1 01 85 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 \
         85 02 19 01 29 04 75 01 95 04 81 02 75 04 95 01 81 03 c0",
    );
    assert_eq!(layout.parts.len(), 1);
    let bindings = default_bindings(&layout.parts[0]);
    assert_eq!(plays(&layout, &bindings, South), ["button 1", "button 1 (2)"]);
}

#[test]
fn report_ids_that_repeat_the_same_pad_are_parts_of_their_own() {
    let pad = "05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 75 04 95 01 81 03 05 01 09 30 09 31 26 ff 00 75 08 95 02 81 02";
    let layout = parse(&format!("05 01 09 04 a1 01 85 01 {pad} 85 02 {pad} 85 03 05 06 09 20 75 08 95 01 81 02 c0"));
    assert_eq!(layout.parts.len(), 2);
    let names =
        |part: usize| layout.parts[part].controls.iter().map(|control| control.name.clone()).collect::<Vec<_>>();
    assert_eq!(names(0), names(1), "each has names of its own, without a count behind them");
    assert_eq!(layout.reach.iter().map(|reach| reach.parts).take(2).collect::<Vec<_>>(), [1, 2]);
}

#[test]
fn sibling_collections_that_repeat_the_same_pad_are_parts_of_their_own() {
    let pad = "05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 75 04 95 01 81 03 05 01 09 30 09 31 26 ff 00 75 08 95 02 81 02";
    let layout = parse(&format!("05 01 09 04 a1 01 05 01 09 04 a1 02 {pad} c0 05 01 09 04 a1 02 {pad} c0 c0"));
    assert_eq!(layout.parts.len(), 2);
    assert_eq!(layout.reach[0].parts, 3, "one report carries both");
    let twice = default_bindings(&layout.parts[1]);
    assert_eq!(twice.bound() & (South.mask() | LeftStickLeft.mask()), South.mask() | LeftStickLeft.mask());
    // Without a button among them they are the axes of one thing.
    let axes = "05 01 09 30 15 00 26 ff 00 75 08 95 01 81 02";
    let one = parse(&format!("05 01 09 04 a1 01 09 01 a1 02 {axes} c0 09 01 a1 02 {axes} c0 c0"));
    assert_eq!(one.parts.len(), 1);
}

/// A hat of one byte with this range, as its control and its meaning for each raw value.
fn hat(min: u8, max: u8) -> Layout {
    parse(&format!("05 01 09 05 a1 01 09 39 15 {min:02x} 25 {max:02x} 75 08 95 01 81 02 c0"))
}

fn directions(layout: &Layout, raws: std::ops::RangeInclusive<i32>) -> Vec<u32> {
    raws.map(|raw| layout.parts[0].controls[0].hat_directions(raw)).collect()
}

const EIGHT: [u32; 8] = [1, 9, 8, 10, 2, 6, 4, 5];

#[test]
fn hats_of_every_count_find_their_centre() {
    assert_eq!(directions(&hat(0, 7), 0..=8), [&EIGHT[..], &[0]].concat());
    assert_eq!(directions(&hat(1, 8), 0..=9), [&[0], &EIGHT[..], &[0]].concat());
    assert_eq!(directions(&hat(0, 3), 0..=4), [1, 8, 2, 4, 0]);
    // One more than directions: one end is the centre, here the maximum, or the minimum if that is negative.
    assert_eq!(directions(&hat(0, 8), 0..=8), [&EIGHT[..], &[0]].concat());
    assert_eq!(directions(&hat(0xff, 7), -1..=7), [&[0], &EIGHT[..]].concat());
    assert_eq!(directions(&hat(0, 4), 0..=4), [1, 8, 2, 4, 0]);
    // Any other count: eight from the minimum.
    assert_eq!(directions(&hat(0, 15), 0..=15), [&EIGHT[..], &[0; 8]].concat());
}

/// One axis X with this range and this many bits, and its share for a raw value, -1 to 1.
fn across(items: &str, report: &[u8]) -> f32 {
    let layout = parse(&format!("05 01 09 05 a1 01 09 30 {items} 95 01 81 02 c0"));
    let compiled = Compiled::new(&default_bindings(&layout.parts[0]), &layout.parts[0]);
    let mut frame = layout.rest;
    layout.plan.decode(report, &mut frame).expect("a whole report");
    compiled.evaluate(&frame, 0).lanes[0]
}

#[test]
fn numbers_of_32_bits_without_a_sign_are_never_negative() {
    let items = "15 00 27 ff ff ff ff 75 20";
    assert_eq!(across(items, &[0xff; 4]), 1.0);
    assert_eq!(across(items, &[0; 4]), -1.0);
    assert!(across(items, &[0, 0, 0, 0x80]).abs() < 1e-6);
    assert!((across(items, &[0, 0, 0, 0xc0]) - 0.5).abs() < 1e-6);
    // The same if the range is smaller than the bits allow.
    assert_eq!(across("15 00 27 ff ff ff 7f 75 20", &[0xff, 0xff, 0xff, 0x7f]), 1.0);
}

#[test]
fn a_maximum_below_its_minimum_is_read_by_the_size() {
    // 5 to 4 in 8 bits unsigned, and -1 to -2 in 8 bits signed.
    assert_eq!((across("15 05 25 04 75 08", &[0xff]), across("15 05 25 04 75 08", &[0])), (1.0, -1.0));
    assert_eq!((across("15 ff 25 fe 75 08", &[0x7f]), across("15 ff 25 fe 75 08", &[0x80])), (1.0, -1.0));
}
