//! Adjacent numbers are read together, two or four at a time: whatever their width and wherever they begin, the result is what each of them says
//! alone.

use mantle_hid::{Frame, Plan, ReportId, Want, bits};
use proptest::prelude::*;

/// What a number of the report is, read by itself.
fn alone(body: &[u8], offset: u32, width: u32, signed: bool) -> i32 {
    let raw = bits::extract(body, offset, width);
    if signed { bits::sign_extend(raw, width) } else { raw as i32 }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    #[test]
    fn adjacent_values_read_as_they_do_alone(
        (start, width, count, signed) in (0u32..40, 1u32..=32, 1u32..10, any::<bool>()),
        numbered in any::<bool>(),
        reports in prop::collection::vec(prop::collection::vec(any::<u8>(), 60), 1..4),
    ) {
        let id = ReportId(u8::from(numbered) * 7);
        let long = (start + width * count).div_ceil(8).max(1);
        let want = |n: u32| Want::Value { report: id, offset: start + n * width, width: width as u8, signed, to: n as u8 };
        let plan = Plan::from_reports(numbered, &[(id, long * 8)], &(0..count).map(want).collect::<Vec<_>>());
        let mut frame = Frame::default();
        for report in reports {
            let before = frame.values;
            let mut bytes = report[..long as usize + usize::from(numbered)].to_vec();
            if numbered {
                bytes[0] = 7;
            }
            let (_, changed) = plan.decode(&bytes, &mut frame).expect("it is as long as it should be");
            let body = &bytes[usize::from(numbered)..];
            for n in 0..count {
                prop_assert_eq!(frame.values[n as usize], alone(body, start + n * width, width, signed), "number {}", n);
            }
            prop_assert_eq!(changed, before != frame.values);
            prop_assert!(frame.values[count as usize..].iter().all(|value| *value == 0), "nothing is written beside them");
        }
    }

    /// Bits end up where they belong however they are placed in the report, and nothing else of their word moves.
    #[test]
    fn adjacent_bits_read_as_they_do_alone(
        (start, count, to) in (0u32..40, 1u16..100, 0u16..150),
        reports in prop::collection::vec(prop::collection::vec(any::<u8>(), 24), 1..4),
    ) {
        let want = |n: u16| Want::Bit { report: ReportId(0), offset: start + u32::from(n), to: to + n };
        let plan = Plan::from_reports(false, &[(ReportId(0), 192)], &(0..count).map(want).collect::<Vec<_>>());
        let mut frame = Frame::default();
        for bytes in reports {
            let before = frame.bits;
            let (_, changed) = plan.decode(&bytes, &mut frame).expect("it is as long as it should be");
            for bit in 0..256u16 {
                let inside = (to..to + count).contains(&bit);
                let expected = inside && bits::extract(&bytes, start + u32::from(bit.saturating_sub(to)), 1) == 1;
                prop_assert_eq!(frame.bit(bit), expected, "bit {}", bit);
            }
            prop_assert_eq!(changed, before != frame.bits);
        }
    }
}
