//! How descriptors are read if the standard leaves it open: each line as the kernel reads it.

use mantle_hid::{DecodeError, Descriptor, Field, FieldKind, Problem, ReportKind, Usage};

/// Bytes of a hex text.
fn hex(text: &str) -> Vec<u8> {
    text.split_whitespace().map(|word| u8::from_str_radix(word, 16).expect("hex")).collect()
}

fn parse(text: &str) -> Descriptor {
    Descriptor::parse(&hex(text)).expect("a good descriptor")
}

fn problem(text: &str) -> (usize, Problem) {
    let error = Descriptor::parse(&hex(text)).expect_err("a bad descriptor");
    (error.offset, error.problem)
}

/// The only field of a descriptor's input report 0.
fn field(text: &str) -> Field {
    let descriptor = parse(text);
    descriptor.reports()[0].fields[0].clone()
}

fn usages(field: &Field) -> Vec<u32> {
    field.usages.elements(field.count).map(|usage| usage.0).collect()
}

#[test]
fn a_maximum_is_signed_only_if_its_minimum_is_negative() {
    let unsigned = field("05 01 09 30 15 00 25 ff 75 08 95 01 81 02");
    assert_eq!((unsigned.logical_min, unsigned.logical_max), (0, 255));
    let signed = field("05 01 09 30 15 81 25 7f 35 80 45 ff 75 08 95 01 81 02");
    assert_eq!((signed.logical_min, signed.logical_max), (-127, 127));
    assert_eq!((signed.physical_min, signed.physical_max), (-128, -1));
    let wide = field("05 01 09 30 15 00 27 ff ff ff ff 75 20 95 01 81 02");
    assert_eq!(wide.logical_max, 4_294_967_295);
}

#[test]
fn a_zero_length_item_means_zero() {
    let field = field("05 01 09 30 15 80 14 25 01 75 01 95 01 81 02");
    assert_eq!((field.logical_min, field.logical_max), (0, 1));
}

#[test]
fn the_unit_exponent_is_a_nibble_even_in_a_byte() {
    for (written, meant) in [("0e", -2), ("fe", -2), ("07", 7), ("08", -8), ("00", 0)] {
        assert_eq!(
            field(&format!("05 01 09 30 55 {written} 75 08 95 01 25 01 81 02")).unit_exponent,
            meant,
            "{written}"
        );
    }
}

#[test]
fn push_and_pop_save_globals_with_the_report_id_and_no_locals() {
    let descriptor = parse("05 01 85 01 a4 85 02 75 08 95 01 25 7f 09 30 b4 75 04 95 02 25 07 81 02");
    let report = &descriptor.reports()[0];
    assert_eq!((report.id.0, report.bits), (1, 8));
    assert_eq!(report.fields[0].usages.get(0), Some(Usage(0x1_0030)));
    assert_eq!(problem("b4"), (0, Problem::PopWithoutPush));
    assert_eq!(problem("a4 a4 a4 a4 a4"), (4, Problem::PushDepth));
}

#[test]
fn a_main_item_without_usages_is_padding_and_takes_bits() {
    let descriptor = parse("05 09 75 04 95 01 81 02 09 01 75 01 95 01 25 01 81 02");
    let report = &descriptor.reports()[0];
    assert_eq!((report.bits, report.fields.len(), report.fields[0].bit_offset), (5, 1, 4));
}

#[test]
fn items_of_zero_size_or_count_take_no_space() {
    let descriptor = parse("05 01 09 30 25 01 75 00 95 08 81 02 09 30 75 08 95 00 81 02 09 31 95 01 81 02");
    let report = &descriptor.reports()[0];
    assert_eq!((report.bits, report.fields.len()), (8, 1));
}

#[test]
fn a_usage_keeps_the_page_of_its_declaration_unless_one_follows_the_last() {
    let kept = field("05 01 09 30 05 09 09 01 05 09 75 01 95 02 25 01 81 02");
    assert_eq!(usages(&kept), [0x1_0030, 0x9_0001]);
    let changed = field("05 01 09 30 09 31 05 02 75 01 95 02 25 01 81 02");
    assert_eq!(usages(&changed), [0x2_0030, 0x2_0031]);
    let own_page = field("05 01 0b 01 00 09 00 05 02 75 01 95 01 25 01 81 02");
    assert_eq!(usages(&own_page), [0x9_0001]);
}

#[test]
fn usages_and_ranges_accumulate_and_the_last_repeats() {
    let several = field("05 09 09 09 19 01 29 02 19 05 29 06 75 01 95 07 25 01 81 02");
    assert_eq!(usages(&several), [9, 1, 2, 5, 6, 6, 6].map(|id| 0x9_0000 + id));
}

#[test]
fn array_values_outside_the_usage_list_mean_nothing() {
    let array = field("05 07 19 04 29 06 15 01 25 09 75 08 95 02 81 00");
    assert_eq!(array.kind, FieldKind::Array);
    let pressed: Vec<_> = (0..=10).map(|value| array.pressed(value).map(|usage| usage.id())).collect();
    assert_eq!(pressed[..5], [None, Some(4), Some(5), Some(6), None]);
    assert!(pressed[5..].iter().all(Option::is_none));
}

#[test]
fn usage_zero_means_nothing_pressed() {
    let array = field("05 07 19 00 29 65 15 00 25 65 75 08 95 06 81 00");
    assert_eq!(array.pressed(0), None);
    assert_eq!(array.pressed(4), Some(Usage(0x7_0004)));
}

#[test]
fn a_delimiter_set_uses_its_first_alternative() {
    let field = field("05 01 a9 01 09 30 a9 00 a9 01 09 31 a9 00 75 08 95 01 25 01 81 02");
    assert_eq!(usages(&field), [0x1_0030]);
    assert_eq!(problem("a9 01 a9 01"), (2, Problem::NestedDelimiter));
    assert_eq!(problem("a9 00"), (0, Problem::EndWithoutDelimiter));
    assert_eq!(problem("a9 01"), (2, Problem::OpenDelimiter));
}

#[test]
fn report_ids_may_interleave() {
    let descriptor = parse(
        "05 01 75 08 95 01 25 7f 85 01 09 30 81 02 85 02 09 31 81 02 85 01 09 32 81 02 85 02 09 33 91 02 85 01 09 34 b1 02",
    );
    let shape: Vec<_> = descriptor.reports().iter().map(|r| (r.kind, r.id.0, r.bits, r.fields.len())).collect();
    assert_eq!(
        shape,
        [
            (ReportKind::Input, 1, 16, 2),
            (ReportKind::Input, 2, 8, 1),
            (ReportKind::Output, 2, 8, 1),
            (ReportKind::Feature, 1, 8, 1)
        ]
    );
    assert_eq!(descriptor.reports()[0].fields[1].bit_offset, 8);
    assert_eq!(problem("85 00"), (0, Problem::ReportId(0)));
    assert_eq!(problem("86 00 01"), (0, Problem::ReportId(256)));
}

#[test]
fn long_items_are_skipped_whole() {
    let descriptor = parse("05 01 fe 03 10 aa bb cc 09 30 75 08 95 01 25 01 81 02");
    assert_eq!(descriptor.reports()[0].fields.len(), 1);
    assert_eq!(problem("fe 03 10 aa bb"), (0, Problem::CutShort { wanted: 5, left: 4 }));
}

#[test]
fn exceeding_a_limit_is_an_error_with_an_offset() {
    assert_eq!(problem(""), (0, Problem::Empty));
    assert_eq!(problem("05"), (0, Problem::CutShort { wanted: 1, left: 0 }));
    assert_eq!(problem("76 01 01"), (0, Problem::ReportSize(257)));
    assert_eq!(problem("96 01 30"), (0, Problem::ReportCount(12_289)));
    assert_eq!(problem("97 ff ff ff 00"), (0, Problem::ReportCount(0xff_ffff)));
    assert_eq!(problem("c0"), (0, Problem::EndWithoutCollection));
    assert_eq!(problem("a1 01 a1 00 c0"), (5, Problem::OpenCollections(1)));
    assert_eq!(problem("c4"), (0, Problem::UnknownGlobal(12)));
    let (offset, too_long) = problem("05 01 09 30 76 00 01 96 00 30 81 02");
    assert_eq!((offset, too_long), (10, Problem::ReportTooLong { id: 0, bits: 256 * 12_288 }));
    let mut many = hex("05 01 75 01 95 01 25 01");
    (0..257).for_each(|_| many.extend(hex("09 30 81 02")));
    assert_eq!(Descriptor::parse(&many).expect_err("too many").problem, Problem::TooManyFields(0));
    let long = vec![0x04; 4097];
    assert_eq!(Descriptor::parse(&long).expect_err("too long").problem, Problem::TooLong(4097));
}

#[test]
fn the_longest_report_is_read_and_one_more_bit_is_refused() {
    // 12,288 elements of 8 bits and 4,095 more are 16,383 bytes: with an id byte, the kernel's 16,384.
    let most = "05 01 25 01 75 08 96 00 30 09 30 81 02 96 ff 0f 09 30 81 02";
    assert_eq!(parse(most).reports()[0].bits, 16_383 * 8);
    let more = format!("{most} 75 01 95 01 09 30 81 02");
    assert!(matches!(problem(&more).1, Problem::ReportTooLong { bits, .. } if bits == 16_383 * 8 + 1));
}

#[test]
fn the_collection_tree_is_kept() {
    let descriptor =
        parse("05 01 09 05 a1 01 09 01 a1 00 25 01 75 01 95 01 09 30 81 02 c0 c0 09 02 a1 01 09 31 81 02 c0");
    let tree: Vec<_> = descriptor.collections().iter().map(|c| (c.usage.id(), c.kind, c.parent.map(|p| p.0))).collect();
    assert_eq!(tree, [(5, 1, None), (1, 0, Some(0)), (2, 1, None)]);
    let fields = &descriptor.reports()[0].fields;
    let tops: Vec<_> = fields.iter().map(|f| descriptor.top_level(f.collection.expect("within")).0).collect();
    assert_eq!(tops, [0, 2]);
}

#[test]
fn values_are_truncated_and_sign_extended_per_field() {
    let descriptor = parse("05 01 09 30 15 81 25 7f 75 08 95 01 81 02 09 31 15 00 26 ff 03 75 0a 95 02 81 02");
    let (report, body) = descriptor.find(ReportKind::Input, &[0xff, 0x01, 0xfc, 0x0f]).expect("it is there");
    assert_eq!(report.fields[0].value(body, 0), Some(-1));
    assert_eq!(report.fields[1].value(body, 0), Some(1));
    assert_eq!(report.fields[1].value(body, 1), Some(0x3ff));
    assert_eq!(report.fields[1].value(&body[..3], 1), None, "not whole in a short report");
}

#[test]
fn an_unknown_id_and_no_bytes_are_errors() {
    let descriptor = parse("05 01 85 07 09 30 25 01 75 08 95 01 81 02");
    assert_eq!(descriptor.find(ReportKind::Input, &[8, 0]).map(|_| ()), Err(DecodeError::UnknownId(8)));
    assert_eq!(descriptor.find(ReportKind::Input, &[]).map(|_| ()), Err(DecodeError::Empty));
}
