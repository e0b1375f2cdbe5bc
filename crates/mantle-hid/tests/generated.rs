//! Properties over generated descriptors: nothing panics, what is encoded is decoded, the compiled plan agrees with
//! the plain reading, and so does a general library where it does not fail.

use mantle_hid::{
    DecodeError, Descriptor, FieldKind, Frame, Item, ItemType, Items, Plan, ReportKind, VALUES, WORDS, Want, bits,
};
use proptest::prelude::*;
use std::collections::BTreeMap;

/// One main item of a generated descriptor, with what stands before it.
#[derive(Clone, Debug)]
enum Piece {
    Buttons { count: u8, first: u8, padding: u8 },
    Axes { ids: Vec<u8>, signed: bool, width: u8 },
    Hat { base: u8, null: bool },
    Keys { count: u8 },
    Vendor { count: u8, kind: u8 },
    Pushed(Box<Piece>),
    Collection(Vec<Piece>),
    Report(u8),
    Long(Vec<u8>),
    Reserved,
    Delimited { ids: [u8; 2] },
    Designated,
}

fn piece() -> impl Strategy<Value = Piece> {
    let leaf = prop_oneof![
        (1u8..20, 1u8..10, 0u8..8).prop_map(|(count, first, padding)| Piece::Buttons { count, first, padding }),
        (prop::collection::vec(0x30u8..0x39, 1..5), any::<bool>(), 1u8..=32).prop_map(|(ids, signed, width)| {
            Piece::Axes { ids, signed, width: if signed { width.max(2) } else { width } }
        }),
        (0u8..2, any::<bool>()).prop_map(|(base, null)| Piece::Hat { base, null }),
        (1u8..7).prop_map(|count| Piece::Keys { count }),
        (1u8..40, 0u8..3).prop_map(|(count, kind)| Piece::Vendor { count, kind }),
        (1u8..6).prop_map(Piece::Report),
        prop::collection::vec(any::<u8>(), 0..6).prop_map(Piece::Long),
        Just(Piece::Reserved),
        (0x30u8..0x34, 0x34u8..0x38).prop_map(|(a, b)| Piece::Delimited { ids: [a, b] }),
        Just(Piece::Designated),
    ];
    leaf.prop_recursive(2, 8, 4, |inner| {
        prop_oneof![
            inner.clone().prop_map(|piece| Piece::Pushed(Box::new(piece))),
            prop::collection::vec(inner, 0..4).prop_map(Piece::Collection),
        ]
    })
}

fn write(piece: &Piece, out: &mut Vec<u8>) {
    match piece {
        Piece::Buttons { count, first, padding } => {
            out.extend([
                0x05,
                0x09,
                0x19,
                *first,
                0x29,
                first + count - 1,
                0x15,
                0x00,
                0x25,
                0x01,
                0x75,
                0x01,
                0x95,
                *count,
                0x81,
                0x02,
            ]);
            if *padding > 0 {
                out.extend([0x75, *padding, 0x95, 0x01, 0x81, 0x03]);
            }
        }
        Piece::Axes { ids, signed, width } => {
            out.extend([0x05, 0x01]);
            ids.iter().for_each(|id| out.extend([0x09, *id]));
            let top = if *width == 32 { u32::MAX } else { (1 << width) - 1 };
            if *signed {
                out.push(0x17);
                out.extend((-(i64::from(top / 2)) as i32).to_le_bytes());
                out.push(0x27);
                out.extend((top / 2).to_le_bytes());
            } else {
                out.extend([0x14, 0x27]);
                out.extend(top.to_le_bytes());
            }
            out.extend([
                0x35,
                0x00,
                0x46,
                0x3b,
                0x01,
                0x55,
                0x0e,
                0x65,
                0x14,
                0x75,
                *width,
                0x95,
                ids.len() as u8,
                0x81,
                0x02,
            ]);
        }
        Piece::Hat { base, null } => {
            out.extend([0x05, 0x01, 0x09, 0x39, 0x15, *base, 0x25, base + 7, 0x75, 0x04, 0x95, 0x01, 0x81]);
            out.push(if *null { 0x42 } else { 0x02 });
        }
        Piece::Keys { count } => {
            out.extend([
                0x05, 0x07, 0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65, 0x75, 0x08, 0x95, *count, 0x81, 0x00,
            ]);
        }
        Piece::Vendor { count, kind } => {
            out.extend([0x06, 0x00, 0xff, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, *count]);
            out.extend([[0x81, 0x91, 0xb1][usize::from(*kind)], 0x02]);
        }
        Piece::Pushed(inner) => {
            out.push(0xa4);
            write(inner, out);
            out.push(0xb4);
        }
        Piece::Collection(inner) => {
            out.extend([0x05, 0x01, 0x09, 0x05, 0xa1, 0x01]);
            inner.iter().for_each(|piece| write(piece, out));
            out.push(0xc0);
        }
        Piece::Report(id) => out.extend([0x85, *id]),
        Piece::Long(data) => {
            out.extend([0xfe, data.len() as u8, 0x77]);
            out.extend(data);
        }
        Piece::Reserved => out.extend([0x0d, 0x00]),
        Piece::Delimited { ids: [a, b] } => {
            out.extend([0x05, 0x01, 0xa9, 0x01, 0x09, *a, 0xa9, 0x00, 0xa9, 0x01, 0x09, *b, 0xa9, 0x00]);
            out.extend([0x15, 0x00, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02]);
        }
        Piece::Designated => {
            out.extend([0x39, 0x01, 0x49, 0x01, 0x59, 0x02, 0x79, 0x01, 0x89, 0x01, 0x99, 0x02]);
            out.extend([0x05, 0x01, 0x09, 0x36, 0x15, 0x00, 0x25, 0x7f, 0x75, 0x07, 0x95, 0x01, 0x81, 0x02]);
        }
    }
}

fn descriptor() -> impl Strategy<Value = Vec<u8>> {
    (any::<bool>(), prop::collection::vec(piece(), 1..7)).prop_map(|(numbered, pieces)| {
        let mut out = Vec::new();
        if numbered {
            out.extend([0x85, 0x01]);
        }
        // Ids that come late would leave fields without one before them: only numbered descriptors have them.
        fn keep(piece: &Piece, numbered: bool) -> bool {
            match piece {
                Piece::Report(_) => numbered,
                Piece::Pushed(inner) => keep(inner, numbered),
                Piece::Collection(inner) => inner.iter().all(|piece| keep(piece, numbered)),
                _ => true,
            }
        }
        pieces.iter().filter(|piece| keep(piece, numbered)).for_each(|piece| write(piece, &mut out));
        if out.is_empty() {
            out.extend([0x05, 0x01]);
        }
        out
    })
}

/// Bytes of every input report, from a seed, its id first where reports are numbered.
fn reports(descriptor: &Descriptor, seed: u64) -> Vec<Vec<u8>> {
    let mut state = seed | 1;
    let mut next = move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state as u8
    };
    descriptor
        .reports_of(ReportKind::Input)
        .map(|report| {
            let mut bytes: Vec<u8> = (0..report.bytes()).map(|_| next()).collect();
            if descriptor.numbered(ReportKind::Input) {
                bytes.insert(0, report.id.0);
            }
            bytes
        })
        .collect()
}

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
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), report in prop::collection::vec(any::<u8>(), 0..40)) {
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
    fn what_is_encoded_is_decoded(bytes in descriptor(), seed in any::<u64>()) {
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
    fn the_compiled_plan_agrees_with_the_plain_reading(bytes in descriptor(), seed in any::<u64>()) {
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

    /// A general library reads the same values out of the same bytes. It counts an interface's fields one by one and
    /// panics on short reports, so it gets small descriptors and whole reports only.
    #[test]
    fn a_general_library_reads_the_same(bytes in descriptor(), seed in any::<u64>()) {
        use hidreport::{Field, Report, ReportDescriptor};
        let descriptor = Descriptor::parse(&bytes).expect("a good descriptor");
        let Ok(Ok(peer)) = std::panic::catch_unwind(|| ReportDescriptor::try_from(&bytes[..])) else { return Ok(()) };
        for report in reports(&descriptor, seed) {
            let Some(theirs) = peer.find_input_report(&report) else { continue };
            let (ours, body) = descriptor.find(ReportKind::Input, &report).expect("its own report");
            let skip = usize::from(descriptor.numbered(ReportKind::Input)) * 8;
            for field in theirs.fields() {
                let Field::Variable(field) = field else { continue };
                let offset = (field.bits.start - skip) as u32;
                let mine = ours.fields.iter().find_map(|f| {
                    let index = offset.checked_sub(f.bit_offset)? / f.bit_size;
                    (f.kind == FieldKind::Variable && index < f.count && f.element_offset(index) == offset).then(|| f.value(body, index))
                });
                let (Some(Some(mine)), Ok(theirs)) = (mine, field.extract(&report)) else { continue };
                let theirs = if field.is_signed() { i64::from(i32::from(&theirs)) } else { i64::from(u32::from(&theirs)) };
                prop_assert_eq!(mine, theirs, "at bit {}", offset);
            }
        }
    }
}

/// The generator reaches every kind of item: otherwise the properties above would prove less than they say.
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
