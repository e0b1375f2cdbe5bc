use super::*;
use crate::finding::ButtonShape;
use mantle_hid::Descriptor;

/// 8 bytes of vendor-defined data without an id.
const VENDOR: &[u8] = &[
    0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x08, 0x81,
    0x02, 0xc0,
];

/// A person who is asked for South and East, at 100 reports per second; the last byte counts.
struct Bench {
    search: FieldSearch,
    now: Micros,
    count: u8,
}

impl Bench {
    fn new() -> Self {
        let shape = ButtonShape::of(&Descriptor::parse(VENDOR).expect("a descriptor"));
        let wanted = Wanted::common().into_iter().take(2).collect();
        Self { search: FieldSearch::new(Still::new(shape), wanted, Micros(0)), now: Micros(0), count: 0 }
    }

    /// The same bytes for this many milliseconds.
    fn send(&mut self, bytes: [u8; 2], millis: u64) {
        for _ in 0..millis / 10 {
            self.now.0 += 10_000;
            self.count = self.count.wrapping_add(1);
            let report = [bytes[0], bytes[1], 0, 0, 0, 0, 0, self.count];
            self.search.handle_report(self.now, &report);
        }
    }

    /// Three presses as they are asked for, and the resulting proposal.
    fn press(&mut self, bytes: [u8; 2]) -> Option<FieldFound> {
        for _ in 0..3 {
            self.until(Ask::Hold(Label::Held));
            self.send(bytes, 900);
            self.send([0, 0], 900);
        }
        self.until(Ask::Decide);
        let found = self.search.proposal().and_then(|proposal| proposal.found.clone());
        self.search.accept(self.now);
        found
    }

    /// Hands off until this is asked.
    fn until(&mut self, ask: Ask) {
        for _ in 0..2000 {
            if self.search.ask() == ask {
                return;
            }
            self.send([0, 0], 10);
        }
        panic!("{ask:?} is never asked, but {:?}", self.search.ask());
    }
}

#[test]
fn movement_at_rest_restarts_and_names_the_field() {
    let mut bench = Bench::new();
    bench.send([0, 0], 800);
    bench.send([0, 4], 600);
    bench.send([0, 0], 1_300);
    assert_eq!(bench.search.ask(), Ask::HandsOff, "it began anew");
    assert_eq!(bench.search.remark(), Some("byte 1 moved: hands off again"));
    // A press that came too early is found all the same.
    assert_eq!(bench.press([0, 4]), Some(FieldFound::Button(Field::bit(10), false)));
    assert_eq!(bench.search.remark(), None);
}

#[test]
fn a_prompt_without_a_response_is_repeated_before_giving_up() {
    let mut bench = Bench::new();
    for again in 1..=ASKED_AGAIN {
        for _ in 0..3 {
            bench.until(Ask::Hold(Label::Held));
            // The person says that it is held, but no bit follows it.
            bench.search.handle_now(bench.now);
            bench.send([0, 0], 900);
        }
        bench.send([0, 0], 2_000);
        assert_eq!(bench.search.asked_again(), again);
        assert!(bench.search.remark().is_some_and(|remark| remark.starts_with("again: no bit")));
    }
    assert!(bench.press([1, 0]).is_some(), "the third time it is there");
}

#[test]
fn buttons_sharing_a_value_are_all_found() {
    let mut bench = Bench::new();
    // 1 looks like a bit; with 3 it becomes clear that both are numbers.
    assert_eq!(bench.press([0x10, 0]), Some(FieldFound::Button(Field::bit(4), false)));
    let nibble = Field { at: 4, size: 4, ..Field::bit(0) };
    assert_eq!(bench.press([0x30, 0]), Some(FieldFound::Value(nibble, 3)));
    let found: Vec<_> = bench.search.confirmed().iter().map(|one| one.proposal.found.clone()).collect();
    assert_eq!(found, [Some(FieldFound::Value(nibble, 1)), Some(FieldFound::Value(nibble, 3))]);
}

#[test]
fn a_silent_device_needs_one_touch_first() {
    let shape = ButtonShape::of(&Descriptor::parse(VENDOR).expect("a descriptor"));
    let mut search = FieldSearch::new(Still::new(shape), Wanted::common(), Micros(0));
    search.handle_time(Micros::seconds(3));
    assert_eq!(search.ask(), Ask::Touch);
    search.handle_report(Micros::seconds(4), &[1, 0, 0, 0, 0, 0, 0, 0]);
    search.handle_report(Micros::millis(4_200), &[0, 0, 0, 0, 0, 0, 0, 0]);
    assert_eq!(search.ask(), Ask::HandsOff, "now it is left alone");
    search.handle_time(Micros::seconds(12));
    assert_eq!(search.ask(), Ask::Hold(Label::Held));
}
