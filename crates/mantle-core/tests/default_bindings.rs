//! The table of default bindings, row by row: descriptors in, what plays what out.

use mantle_core::binding::{Bindings, Compiled, default_bindings};
use mantle_core::control::Layout;
use mantle_core::pad::Target::{self, *};
use mantle_hid::Descriptor;

const BUTTON: u32 = 0x9_0000;
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

/// A game pad with this many buttons of one bit, and axes of 8 bits; d-pad usages are buttons too.
fn layout(buttons: u8, usages: &[u32]) -> Layout {
    let mut out = vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01];
    let usage = |out: &mut Vec<u8>, usage: u32| {
        out.push(0x0b);
        out.extend(usage.to_le_bytes());
    };
    if buttons > 0 {
        out.extend([
            0x05, 0x09, 0x19, 0x01, 0x29, buttons, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, buttons, 0x81, 0x02,
        ]);
        out.extend([0x75, 8 - (buttons % 8), 0x95, 0x01, 0x81, 0x03]);
    }
    for one in usages {
        usage(&mut out, *one);
        match *one {
            HAT => out.extend([0x15, 0x00, 0x25, 0x07, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42]),
            0x1_0090..=0x1_0093 => out.extend([0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01, 0x81, 0x02]),
            _ => out.extend([0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02]),
        }
    }
    out.push(0xc0);
    Layout::new(&Descriptor::parse(&out).expect("a good descriptor"))
}

/// The names of the controls that play a target.
fn plays(layout: &Layout, bindings: &Bindings, target: Target) -> Vec<String> {
    let name = |number| layout.parts[0].controls.iter().find(|c| c.number == number).expect("it is there").name.clone();
    bindings.of(target).map(|binding| name(binding.control)).collect()
}

fn check(buttons: u8, usages: &[u32], rows: &[(Target, &str)], left_out: &[&str]) {
    let layout = layout(buttons, usages);
    let bindings = default_bindings(&layout.parts[0]);
    for (target, source) in rows {
        assert_eq!(plays(&layout, &bindings, *target), [*source], "{}", target.name());
    }
    assert_eq!(bindings.list.len(), rows.len(), "nothing beside: {:?}", bindings.list);
    let out: Vec<_> = bindings
        .left_out
        .iter()
        .map(|left| layout.parts[0].controls[usize::from(left.control.0) - 1].name.clone())
        .collect();
    assert_eq!(out, left_out);
    // Compiling leaves none of them out.
    let _ = Compiled::new(&bindings, &layout.parts[0]);
}

const THIRTEEN: [(Target, &str); 13] = [
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

const LEFT_STICK: [(Target, &str); 4] =
    [(LeftStickLeft, "X"), (LeftStickRight, "X"), (LeftStickUp, "Y"), (LeftStickDown, "Y")];

#[test]
fn buttons_in_usage_order_and_the_rest_left_out() {
    check(13, &[], &THIRTEEN, &[]);
    check(15, &[], &THIRTEEN, &["button 14", "button 15"]);
    check(4, &[], &THIRTEEN[..4], &[]);
}

#[test]
fn x_and_y_are_the_left_stick() {
    check(0, &[X, Y], &LEFT_STICK, &[]);
}

#[test]
fn z_and_rz_alone_are_the_right_stick() {
    let right = [(RightStickLeft, "Z"), (RightStickRight, "Z"), (RightStickUp, "Rz"), (RightStickDown, "Rz")];
    check(0, &[X, Y, Z, RZ], &[&LEFT_STICK[..], &right].concat(), &[]);
}

#[test]
fn rx_and_ry_with_z_and_rz_are_the_right_stick_and_triggers() {
    let right = [
        (RightStickLeft, "Rx"),
        (RightStickRight, "Rx"),
        (RightStickUp, "Ry"),
        (RightStickDown, "Ry"),
        (LeftTrigger, "Z"),
        (RightTrigger, "Rz"),
    ];
    check(0, &[X, Y, Z, RX, RY, RZ], &[&LEFT_STICK[..], &right].concat(), &[]);
}

#[test]
fn accelerator_and_brake_are_the_right_and_left_trigger() {
    check(0, &[ACCELERATOR, BRAKE], &[(LeftTrigger, "brake"), (RightTrigger, "accelerator")], &[]);
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
        (LeftTrigger, "brake"),
        (RightTrigger, "accelerator"),
    ];
    check(11, &[ACCELERATOR, BRAKE], &eleven, &[]);
    let layout = layout(12, &[ACCELERATOR, BRAKE]);
    let bindings = default_bindings(&layout.parts[0]);
    assert_eq!(plays(&layout, &bindings, LeftTrigger), ["button 7", "brake"]);
    assert_eq!(plays(&layout, &bindings, Select), ["button 9"]);
}

#[test]
fn one_trigger_axis_alone_changes_nothing_about_buttons() {
    let layout = layout(8, &[ACCELERATOR]);
    let bindings = default_bindings(&layout.parts[0]);
    assert_eq!(plays(&layout, &bindings, RightTrigger), ["button 8", "accelerator"]);
}

#[test]
fn a_hat_or_the_four_usages_are_the_d_pad() {
    check(0, &[HAT], &[(Up, "hat"), (Down, "hat"), (Left, "hat"), (Right, "hat")], &[]);
    let four = [(Up, "d-pad up"), (Down, "d-pad down"), (Left, "d-pad left"), (Right, "d-pad right")];
    check(0, &[0x1_0090, 0x1_0091, 0x1_0092, 0x1_0093], &four, &[]);
}

#[test]
fn what_cannot_be_guessed_is_left_out() {
    check(0, &[X, Y, Z], &LEFT_STICK, &["Z"]);
    check(0, &[X, Y, RX, RY], &LEFT_STICK, &["Rx", "Ry"]);
    check(0, &[SLIDER], &[], &["slider"]);
}

#[test]
fn a_button_that_two_reports_tell_of_is_one_button() {
    let text = "05 01 09 05 a1 01 85 01 05 09 19 01 29 04 15 00 25 01 75 01 95 04 81 02 75 04 95 01 81 03 \
                85 02 19 01 29 04 75 01 95 04 81 02 75 04 95 01 81 03 c0";
    let bytes: Vec<u8> = text.split_whitespace().map(|word| u8::from_str_radix(word, 16).expect("hex")).collect();
    let layout = Layout::new(&Descriptor::parse(&bytes).expect("a good descriptor"));
    let bindings = default_bindings(&layout.parts[0]);
    assert_eq!(plays(&layout, &bindings, South), ["button 1", "button 1 (2)"]);
    assert_eq!(bindings.bound(), South.mask() | East.mask() | West.mask() | North.mask());
    assert_eq!(layout.parts[0].controls[4].usage.0, BUTTON + 1);
}
