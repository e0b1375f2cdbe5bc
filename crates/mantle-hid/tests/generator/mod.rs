//! Makes descriptors that contain every kind of item, and reports for them.

use mantle_hid::{Descriptor, ReportKind};
use proptest::prelude::*;

/// One main item of a generated descriptor, with what precedes it.
#[derive(Clone, Debug)]
pub enum Piece {
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

/// Valid descriptors of all kinds of item.
pub fn descriptor() -> impl Strategy<Value = Vec<u8>> {
    (any::<bool>(), prop::collection::vec(piece(), 1..7)).prop_map(|(numbered, pieces)| {
        let mut out = Vec::new();
        if numbered {
            out.extend([0x85, 0x01]);
        }
        // Late ids would leave fields without one before them, which only numbered descriptors have.
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

/// Bytes of every input report, from a seed, its id first if reports are numbered.
pub fn reports(descriptor: &Descriptor, seed: u64) -> Vec<Vec<u8>> {
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
