//! Properties over generated descriptors: nothing panics, what is encoded is decoded, and the compiled plan agrees with
//! the plain reading.

mod generator;

use generator::{descriptor, reports};
use mantle_hid::{
    DecodeError, Descriptor, FieldKind, Frame, Item, ItemType, Items, Plan, ReportKind, VALUES, WORDS, Want, bits,
};
use proptest::prelude::*;
use std::collections::BTreeMap;

/// A want for every element that fits a frame, and the plain reading to compare with.
fn wants(descriptor: &Descriptor) -> Vec<Want> {
    let (mut bit, mut value) = (0u16, 0u8);
    let mut wants = Vec::new();
    for report in descriptor.reports_of(ReportKind::Input) {
        for field in report.fields.iter().filter(|field| field.kind == FieldKind::Variable && field.bit_size <= 32) {
            for element in 0..field.count {
                let offset = field.element_offset(element);
                if field.bit_size == 1 && !field.signed() && usize::from(bit) < WORDS * 64 {
                    wants.push(Want::Bit { report: report.id, offset, to: bit });
                    bit += 1;
                } else if field.bit_size > 1 && usize::from(value) < VALUES {
                    let (width, signed) = (field.bit_size as u8, field.signed());
                    wants.push(Want::Value { report: report.id, offset, width, signed, to: value });
                    value += 1;
                }
            }
        }
    }
    wants
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn any_bytes_are_handled_without_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), report in prop::collection::vec(any::<u8>(), 0..40)) {
        if let Ok(descriptor) = Descriptor::parse(&bytes) {
            let plan = Plan::compile(&descriptor, &wants(&descriptor));
            let mut frame = Frame::default();
            let _ = plan.decode(&report, &mut frame);
            if let Ok((found, body)) = descriptor.find(ReportKind::Input, &report) {
                for field in &found.fields {
                    for index in 0..field.count.min(64) {
                        let _ = field.value(body, index).and_then(|value| field.pressed(value));
                    }
                }
            }
        }
    }

    #[test]
    fn damaged_descriptors_do_not_panic(bytes in descriptor(), at in any::<prop::sample::Index>(), with in any::<u8>()) {
        let mut bytes = bytes;
        let at = at.index(bytes.len());
        bytes[at] = with;
        let _ = Descriptor::parse(&bytes);
    }

    #[test]
    fn encoded_values_decode_to_themselves(bytes in descriptor(), seed in any::<u64>()) {
        let descriptor = Descriptor::parse(&bytes).expect("a good descriptor");
        for report in reports(&descriptor, seed) {
            let (found, body) = descriptor.find(ReportKind::Input, &report).expect("its own report");
            let mut again = vec![0u8; body.len()];
            let fields = found.fields.iter().filter(|field| field.bit_size <= 32);
            for field in fields.clone() {
                for index in 0..field.count {
                    let value = field.value(body, index).expect("a whole report");
                    bits::insert(&mut again, field.element_offset(index), field.bit_size, value as u32);
                }
            }
            for field in fields {
                for index in 0..field.count {
                    prop_assert_eq!(field.value(body, index), field.value(&again, index));
                }
            }
        }
    }

    #[test]
    fn a_value_is_read_at_its_usage(bytes in descriptor(), at in any::<prop::sample::Index>(), draw in any::<u64>()) {
        let descriptor = Descriptor::parse(&bytes).expect("a good descriptor");
        for report in descriptor.reports() {
            let variable = |field: &&mantle_hid::Field| field.kind == FieldKind::Variable && field.bit_size <= 32;
            let usages = report.fields.iter().filter(variable).flat_map(|field| field.usages.elements(field.count).take(64));
            let usages: Vec<_> = usages.collect();
            if usages.is_empty() {
                continue;
            }
            let usage = usages[at.index(usages.len())];
            let holds = |field: &&mantle_hid::Field| field.kind != FieldKind::Constant && match field.kind {
                FieldKind::Array => field.usages.iter().any(|other| other == usage),
                _ => field.usages.elements(field.count).any(|other| other == usage),
            };
            // The first field that has it counts; lists are covered by another test.
            let field = report.fields.iter().find(holds).expect("it is one of them");
            if field.kind == FieldKind::Array {
                continue;
            }
            let index = field.usages.elements(field.count).position(|other| other == usage).expect("it is there") as u32;
            let span = (field.logical_max - field.logical_min) as u64 + 1;
            let value = field.logical_min + (draw % span) as i64;
            let mut bytes = report.blank();
            let before = bytes.clone();
            prop_assert!(report.put(&mut bytes, usage, value).is_ok());
            // Read as its bits say: for a value that they cannot hold, the lowest of them.
            let width = field.bit_size.min(32);
            let kept = bits::extract(&(value as u32).to_le_bytes(), 0, width);
            let expected = if field.signed() { i64::from(bits::sign_extend(kept, width)) } else { i64::from(kept) };
            prop_assert_eq!(field.value(&bytes[1..], index), Some(expected));
            let (from, to) = (field.element_offset(index), field.element_offset(index + 1));
            for bit in (0..report.bits).filter(|bit| !(from..to).contains(bit)) {
                prop_assert_eq!(bits::extract(&bytes[1..], bit, 1), bits::extract(&before[1..], bit, 1), "bit {}", bit);
            }
            prop_assert!(report.put(&mut bytes, usage, field.logical_max + 1).is_err());
        }
    }

    #[test]
    fn the_compiled_plan_agrees_with_the_plain_reader(bytes in descriptor(), seed in any::<u64>()) {
        let descriptor = Descriptor::parse(&bytes).expect("a good descriptor");
        let wants = wants(&descriptor);
        let plan = Plan::compile(&descriptor, &wants);
        let mut frame = Frame::default();
        for report in reports(&descriptor, seed) {
            let before = frame;
            let decoded = plan.decode(&report, &mut frame);
            if report.is_empty() {
                prop_assert_eq!(decoded.map(|_| ()), Err(DecodeError::Empty));
                continue;
            }
            let (index, changed) = decoded.expect("its own report");
            prop_assert_eq!(changed, before != frame);
            let (found, body) = descriptor.find(ReportKind::Input, &report).expect("its own report");
            prop_assert_eq!(plan.ids().nth(usize::from(index.0)), Some(found.id));
            for want in &wants {
                match *want {
                    Want::Bit { report, offset, to } if report == found.id => {
                        prop_assert_eq!(frame.bit(to), bits::extract(body, offset, 1) == 1);
                    }
                    Want::Value { report, offset, width, signed, to } if report == found.id => {
                        let raw = bits::extract(body, offset, u32::from(width));
                        let value = if signed { bits::sign_extend(raw, u32::from(width)) } else { raw as i32 };
                        prop_assert_eq!(frame.values[usize::from(to)], value);
                    }
                    _ => {}
                }
            }
        }
    }

    #[test]
    fn every_length_is_refused_or_read(bytes in descriptor(), seed in any::<u64>()) {
        let descriptor = Descriptor::parse(&bytes).expect("a good descriptor");
        let plan = Plan::compile(&descriptor, &wants(&descriptor));
        for report in reports(&descriptor, seed) {
            let mut whole = Frame::default();
            let full = plan.decode(&report, &mut whole).is_ok();
            for length in 0..report.len() {
                let mut frame = Frame::default();
                prop_assert!(plan.decode(&report[..length], &mut frame).is_err());
                prop_assert_eq!(frame, Frame::default(), "a refused report changes nothing");
            }
            let mut longer = report.clone();
            longer.extend([0xff; 9]);
            let mut frame = Frame::default();
            prop_assert!(!full || plan.decode(&longer, &mut frame).is_ok() && frame == whole);
        }
    }
}

/// The generator reaches every kind of item: otherwise the properties above would prove less than they claim.
#[test]
fn the_generator_reaches_every_kind_of_item() {
    use proptest::strategy::ValueTree;
    use proptest::test_runner::TestRunner;
    let mut runner = TestRunner::deterministic();
    let mut counts: BTreeMap<(u8, u8), u32> = BTreeMap::new();
    for _ in 0..600 {
        let bytes = descriptor().new_tree(&mut runner).expect("a value").current();
        for item in Items::new(&bytes) {
            let Item { kind, tag, .. } = item.expect("a good descriptor");
            let kind = match kind {
                _ if tag == 15 => 4,
                ItemType::Main => 0,
                ItemType::Global => 1,
                ItemType::Local => 2,
                ItemType::Reserved => 3,
            };
            *counts.entry((kind, tag)).or_default() += 1;
        }
    }
    let main = [0x8, 0x9, 0xa, 0xb, 0xc].map(|tag| (0, tag));
    let global = [0x0, 0x1, 0x2, 0x3, 0x4, 0x5, 0x6, 0x7, 0x8, 0x9, 0xa, 0xb].map(|tag| (1, tag));
    let local = [0x0, 0x1, 0x2, 0x3, 0x4, 0x5, 0x7, 0x8, 0x9, 0xa].map(|tag| (2, tag));
    let others = [(3, 0), (4, 15)];
    for kind in main.into_iter().chain(global).chain(local).chain(others) {
        assert!(counts.get(&kind).is_some_and(|count| *count >= 5), "{kind:?} came {:?} times", counts.get(&kind));
    }
}
