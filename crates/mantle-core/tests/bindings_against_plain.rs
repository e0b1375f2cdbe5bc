//! The compiled bindings compared with a plain statement of the same, and layouts of descriptors of all kinds.

use mantle_core::binding::{Bindings, Compiled, Contribution, How, default_bindings};
use mantle_core::control::{Control, ControlKind, Layout, PartLayout, Place, hat_directions};
use mantle_core::feel::Feel;
use mantle_core::pad::{PadState, PadTarget, TARGETS};
use mantle_hid::{Descriptor, Frame};
use proptest::prelude::*;

/// A descriptor of a pad: buttons, perhaps a hat, and axes of a width, signed or not.
fn descriptor(buttons: u8, hat: bool, axes: &[u8], width: u8, signed: bool) -> Vec<u8> {
    let mut out = vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01];
    if buttons > 0 {
        out.extend([
            0x05, 0x09, 0x19, 0x01, 0x29, buttons, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, buttons, 0x81, 0x02,
        ]);
        let padding = (8 - buttons % 8) % 8;
        if padding > 0 {
            out.extend([0x75, padding, 0x95, 0x01, 0x81, 0x03]);
        }
    }
    if hat {
        out.extend([0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42]);
    }
    for axis in axes {
        // The page of simulation controls for accelerator and brake, otherwise generic desktop.
        out.extend([0x05, if *axis >= 0xc4 { 0x02 } else { 0x01 }, 0x09, *axis]);
        let top = ((1u64 << (width - u8::from(signed))) - 1) as u32;
        if signed {
            out.push(0x17);
            out.extend((-(i64::from(top)) as i32).to_le_bytes());
        } else {
            out.extend([0x15, 0x00]);
        }
        out.push(0x27);
        out.extend(top.to_le_bytes());
        out.extend([0x75, width, 0x95, 0x01, 0x81, 0x02]);
    }
    out.push(0xc0);
    out
}

fn part(bytes: &[u8]) -> (Layout, PartLayout) {
    let layout = Layout::new(&Descriptor::parse(bytes).expect("a good descriptor"));
    let part = layout.parts[0].clone();
    (layout, part)
}

/// Any pad: its parts, and the bytes of one report.
fn pad() -> impl Strategy<Value = (Vec<u8>, Vec<u8>)> {
    let axes = prop::sample::subsequence(vec![0x30u8, 0x31, 0x32, 0x33, 0x34, 0x35, 0xc4, 0xc5], 0..=8);
    (0u8..24, any::<bool>(), axes, prop::sample::select(vec![8u8, 10, 12, 16, 32]), any::<bool>())
        .prop_filter("something must be there", |(buttons, hat, axes, ..)| *buttons > 0 || *hat || !axes.is_empty())
        .prop_map(|(buttons, hat, axes, width, signed)| descriptor(buttons, hat, &axes, width, signed))
        .prop_flat_map(|bytes| (Just(bytes), prop::collection::vec(any::<u8>(), 64)))
}

/// What the bindings give, computed one by one as the documentation says.
fn plainly(bindings: &Bindings, part: &PartLayout, frame: &Frame) -> (u32, [f64; 6]) {
    let mut bits = 0;
    let mut lanes = [0f64; 6];
    for binding in &bindings.list {
        let control: &Control =
            part.controls.iter().find(|control| control.number == binding.control).expect("it has one");
        let (min, max) = (f64::from(control.min), f64::from(control.max));
        let target = binding.target.pad().expect("of the pad");
        match (control.place, binding.how) {
            (Place::Bit(bit), _) => bits |= if frame.bit(bit) { target.mask() as u32 } else { 0 },
            (Place::Value(value), How::Direction(which)) => {
                let raw = frame.values[usize::from(value)];
                bits |= if hat_directions(control.min, control.max, raw) & u32::from(which) != 0 {
                    target.mask() as u32
                } else {
                    0
                };
            }
            (Place::Value(value), How::Travel) => {
                let share = (f64::from(frame.values[usize::from(value)]) - min) / (max - min);
                let lane = if target == PadTarget::LeftTrigger { 4 } else { 5 };
                lanes[lane] = lanes[lane].max(share.clamp(0.0, 1.0));
            }
            (Place::Value(value), _) => {
                let (lane, _) = match target {
                    PadTarget::LeftStickLeft | PadTarget::LeftStickRight => (0, ()),
                    PadTarget::LeftStickUp | PadTarget::LeftStickDown => (1, ()),
                    PadTarget::RightStickLeft | PadTarget::RightStickRight => (2, ()),
                    _ => (3, ()),
                };
                let middle = (min + max) / 2.0;
                let off = f64::from(frame.values[usize::from(value)]) - middle;
                // If no raw value is in the middle, the two beside it are the middle.
                let slack = if (max - min) % 2.0 == 0.0 { 0.0 } else { 0.5 };
                let far = ((off.abs() - slack).max(0.0) * 2.0 / (max - min - 2.0 * slack)).min(1.0);
                // Of an axis shared by two triggers, each plays its own half.
                let upper = binding.how == How::UpperHalf;
                match target {
                    PadTarget::LeftTrigger | PadTarget::RightTrigger => {
                        let lane = if target == PadTarget::LeftTrigger { 4 } else { 5 };
                        if (off > 0.0) == upper {
                            lanes[lane] = lanes[lane].max(far);
                        }
                    }
                    _ if far > lanes[lane].abs() => lanes[lane] = far.copysign(off),
                    _ => {}
                }
            }
        }
    }
    (bits, lanes)
}

proptest! {
    #[test]
    fn compiled_bindings_agree_with_the_plain_model((bytes, report) in pad()) {
        let (layout, part) = part(&bytes);
        let bindings = default_bindings(&part);
        let compiled = Compiled::new(&bindings, &part);
        let mut frame = layout.rest;
        layout.plan.decode(&report, &mut frame).expect("a whole report");
        let given = compiled.evaluate(&frame, 0);
        let (bits, lanes) = plainly(&bindings, &part, &frame);
        prop_assert_eq!(given.bits, bits);
        for (lane, meant) in lanes.iter().enumerate() {
            let got = f64::from(given.lanes[lane]);
            prop_assert!((got - meant).abs() < 1e-5, "lane {}: {} instead of {}", lane, got, meant);
        }
        for target in TARGETS {
            prop_assert!((0.0..=1.0).contains(&given.share(target)));
        }
    }

    #[test]
    fn a_blocked_value_counts_as_rest_and_nothing_else_changes((bytes, report) in pad(), which in 0u32..8) {
        let (layout, part) = part(&bytes);
        let compiled = Compiled::new(&default_bindings(&part), &part);
        let mut frame = layout.rest;
        layout.plan.decode(&report, &mut frame).expect("a whole report");
        let Some(control) = part.controls.iter().find(|c| c.place == Place::Value(which as u8)) else { return Ok(()) };
        let blocked = compiled.evaluate(&frame, 1 << which);
        let mut rested = frame;
        rested.values[which as usize] = match control.kind {
            // The rest of a trigger, and the centre of a hat.
            ControlKind::Hat => -1,
            _ if matches!(control.usage.0, 0x0002_00c4 | 0x0002_00c5) => control.min,
            _ => layout.rest.values[which as usize],
        };
        let plays_trigger = default_bindings(&part).list.iter().any(|b| b.control == control.number && b.how == How::Travel);
        if plays_trigger {
            rested.values[which as usize] = control.min;
        }
        prop_assert!(blocked.same(&compiled.evaluate(&rested, 0)), "{:?} {:?}", blocked, compiled.evaluate(&rested, 0));
    }

    #[test]
    fn merging_keeps_the_larger_value_in_any_order(
        a in prop::array::uniform6(-1.0f32..1.0), b in prop::array::uniform6(-1.0f32..1.0), bits in any::<(u16, u16)>(),
    ) {
        let make = |lanes: [f32; 6], bits: u16| {
            let [lx, ly, rx, ry, left, right] = lanes;
            Contribution { lanes: [lx, ly, rx, ry, left.abs(), right.abs(), 0.0, 0.0], bits: u32::from(bits) }
        };
        let (a, b) = (make(a, bits.0), make(b, bits.1));
        let (mut one, mut other) = (a, b);
        one.merge(&b);
        other.merge(&a);
        prop_assert_eq!(one.bits, a.bits | b.bits);
        for lane in 0..6 {
            prop_assert_eq!(one.lanes[lane].abs(), a.lanes[lane].abs().max(b.lanes[lane].abs()));
            prop_assert_eq!(one.lanes[lane].abs(), other.lanes[lane].abs());
        }
    }

    /// What the pad takes and what it hands out as events are the same.
    #[test]
    fn events_transform_any_state_into_any_other(from in state(), to in state()) {
        let mut events = mantle_core::pad::Events::default();
        from.events_to(&to, &mut events);
        let list: Vec<_> = events.iter().collect();
        let mut now = Shown::of(&from);
        for (kind, code, value) in &list {
            match kind {
                1 => *now.keys.entry(*code).or_default() = *value,
                3 => *now.axes.entry(*code).or_default() = *value,
                _ => prop_assert_eq!((*kind, *code, *value), (0, 0, 0)),
            }
        }
        prop_assert_eq!(&now, &Shown::of(&to));
        let syncs = list.iter().filter(|(kind, ..)| *kind == 0).count();
        prop_assert_eq!(syncs, usize::from(!list.is_empty()), "one sync, and only behind something");
        prop_assert!(list.len() <= mantle_core::pad::EVENTS);
    }

    #[test]
    fn shaping_all_lanes_equals_shaping_each(lanes in prop::array::uniform6(-1.0f32..1.0), dead in 0.0f32..0.9) {
        let feel = Feel::plain(dead, dead);
        let [lx, ly, rx, ry, left, right] = lanes;
        let all = feel.shape(&[lx, ly, rx, ry, left, right, 0.0, 0.0]);
        prop_assert_eq!([all[0], all[1]], feel.stick(lx, ly));
        prop_assert_eq!([all[2], all[3]], feel.stick(rx, ry));
        prop_assert_eq!([all[4], all[5]], [feel.trigger(left), feel.trigger(right)]);
        prop_assert_eq!([all[6], all[7]], [0, 0]);
        for (lane, value) in all.iter().enumerate() {
            let range = if lane < 4 { -32768..=32767 } else { 0..=255 };
            prop_assert!(range.contains(value), "lane {}: {}", lane, value);
        }
    }
}

fn state() -> impl Strategy<Value = PadState> {
    (0u32..1 << 17, prop::array::uniform4(-32768i32..=32767), prop::array::uniform2(0i32..=255)).prop_map(
        |(bits, [lx, ly, rx, ry], [left, right])| PadState {
            bits,
            axes: [lx, ly, rx, ry, left, right],
            ..PadState::default()
        },
    )
}

/// What a game would know of a pad.
#[derive(PartialEq, Debug)]
struct Shown {
    keys: std::collections::BTreeMap<u16, i32>,
    axes: std::collections::BTreeMap<u16, i32>,
}

impl Shown {
    fn of(state: &PadState) -> Self {
        let common = mantle_core::pad::PadModel::common();
        let codes = common.axes.iter().map(|axis| axis.info.code).chain(common.hats[0].codes);
        let keys = common.keys.iter().map(|(target, code)| (*code, (state.bits >> target.index() & 1) as i32));
        let axes = codes.zip(state.axes.into_iter().chain(state.hat(0)));
        Self { keys: keys.collect(), axes: axes.collect() }
    }
}

#[test]
fn controls_are_numbered_by_kind_and_usage_whatever_their_order() {
    let (_, straight) = part(&descriptor(3, true, &[0x30, 0x31, 0x35], 8, false));
    let (_, turned) = part(&descriptor(3, true, &[0x35, 0x31, 0x30], 8, false));
    let numbered = |part: &PartLayout| -> Vec<(u16, String)> {
        part.controls.iter().map(|control| (control.number.0, control.name.clone())).collect()
    };
    assert_eq!(numbered(&straight), numbered(&turned));
    let names: Vec<String> = numbered(&straight).into_iter().map(|(_, name)| name).collect();
    assert_eq!(names, ["button 1", "button 2", "button 3", "X", "Y", "Rz", "hat"]);
    assert!(straight.is_game_controller() && !straight.is_keyboard_or_mouse());
}

#[test]
fn two_axes_of_one_usage_are_told_apart_and_the_first_plays() {
    let (_, part) = part(&descriptor(0, false, &[0x30, 0x30], 8, false));
    assert_eq!(part.controls[1].name, "X (2)");
    let bindings = default_bindings(&part);
    assert!(bindings.list.iter().all(|binding| binding.control == part.controls[0].number));
    assert_eq!(bindings.left_out[0].control, part.controls[1].number);
}

/// A keyboard of ours: an array of keys and a byte of modifiers; every key is a control, and is pressed by its index.
#[test]
fn an_array_field_becomes_keys() {
    let bytes = [
        0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
        0x95, 0x08, 0x81, 0x02, 0x19, 0x00, 0x29, 0x1d, 0x25, 0x1d, 0x75, 0x08, 0x95, 0x03, 0x81, 0x00, 0xc0,
    ];
    let (layout, part) = part(&bytes);
    assert!(part.is_keyboard_or_mouse() && !part.is_game_controller());
    assert!(part.controls.iter().all(|control| control.kind == ControlKind::Key));
    assert_eq!(part.controls.len(), 8 + 29, "usage 0 is no key");
    let mut frame = layout.rest;
    layout.plan.decode(&[0b1, 0x04, 0x1d, 0x00], &mut frame).expect("a whole report");
    let down: Vec<&str> = part
        .controls
        .iter()
        .filter(|control| matches!(control.place, Place::Bit(bit) if frame.bit(bit)))
        .map(|control| control.name.as_str())
        .collect();
    assert_eq!(down.len(), 3, "{down:?}");
    layout.plan.decode(&[0, 0, 0, 0], &mut frame).expect("a whole report");
    assert_eq!(frame.bits, [0; 4]);
}

#[test]
fn controls_beyond_a_frame_are_counted_and_ignored() {
    // 255 buttons fit; of four such runs the last ones do not.
    let mut bytes = vec![0x05, 0x01, 0x09, 0x05, 0xa1, 0x01];
    for _ in 0..4 {
        bytes.extend([0x05, 0x09, 0x19, 0x01, 0x29, 0x80, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x80, 0x81, 0x02]);
    }
    bytes.push(0xc0);
    let (_, part) = part(&bytes);
    assert_eq!((part.controls.len(), part.unread), (256, 256));
}

#[test]
fn at_most_eight_parts_are_kept() {
    let one = descriptor(2, false, &[], 8, false);
    let bytes: Vec<u8> = std::iter::repeat_n(one, 10).flatten().collect();
    let layout = Layout::new(&Descriptor::parse(&bytes).expect("a good descriptor"));
    assert_eq!(layout.parts.len(), mantle_core::control::PARTS);
}
