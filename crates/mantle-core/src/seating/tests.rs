use super::*;
use proptest::prelude::*;

fn slot(number: u8) -> SlotNumber {
    SlotNumber::new(number).expect("1 to 8")
}

fn part(device: u16, part: u8) -> DevicePart {
    DevicePart { device: DeviceId(device), part }
}

#[test]
fn a_member_keeps_its_number_through_departures_and_slot_swaps() {
    let mut seating = Seating::default();
    let [first, second] = [(); 2].map(|()| seating.add(slot(1)));
    seating.sit(part(0, 0), first);
    seating.sit(part(1, 0), second);
    assert_eq!(seating.seat(part(1, 0)), Some(Seat { slot: slot(1), member: second, index: 1 }));
    assert_eq!(seating.leave(first), Some(part(0, 0)));
    assert_eq!(seating.seat(part(1, 0)), Some(Seat { slot: slot(1), member: second, index: 0 }));
    seating.swap(slot(1), slot(2));
    assert_eq!(seating.seat_of(second).map(|seat| seat.slot), Some(slot(2)));
    let third = seating.add(slot(2));
    assert!(third != first && third != second, "a number is never given again");
}

#[derive(Clone, Debug)]
enum Act {
    Add(u8),
    Sit(u16, usize),
    Rise(u16),
    Leave(usize),
    Empty(u8),
    Swap(u8, u8),
}

fn act() -> impl Strategy<Value = Act> {
    prop_oneof![
        (1..4_u8).prop_map(Act::Add),
        (0..4_u16, 0..8_usize).prop_map(|(device, at)| Act::Sit(device, at)),
        (0..4_u16).prop_map(Act::Rise),
        (0..8_usize).prop_map(Act::Leave),
        (1..4_u8).prop_map(Act::Empty),
        (1..4_u8, 1..4_u8).prop_map(|(a, b)| Act::Swap(a, b)),
    ]
}

proptest! {
    /// Compared with a plain map from members to slots and parts: whatever is asked is the same from both ends.
    #[test]
    fn a_part_answers_as_its_member_does(acts in prop::collection::vec(act(), 0..60)) {
        let mut seating = Seating::default();
        let mut plain: Vec<(MemberId, SlotNumber, Option<DevicePart>)> = Vec::new();
        for act in acts {
            match act {
                Act::Add(number) => {
                    let member = seating.add(slot(number));
                    prop_assert!(plain.iter().all(|(own, ..)| *own != member));
                    plain.push((member, slot(number), None));
                }
                Act::Sit(device, at) => {
                    let Some(member) = plain.get(at).map(|(member, ..)| *member) else { continue };
                    seating.sit(part(device, 0), member);
                    plain.iter_mut().filter(|(.., own)| *own == Some(part(device, 0))).for_each(|one| one.2 = None);
                    plain[at].2 = Some(part(device, 0));
                }
                Act::Rise(device) => {
                    seating.rise(part(device, 0));
                    plain.iter_mut().filter(|(.., own)| *own == Some(part(device, 0))).for_each(|one| one.2 = None);
                }
                Act::Leave(at) if at < plain.len() => {
                    let (member, _, own) = plain.remove(at);
                    prop_assert_eq!(seating.leave(member), own);
                }
                Act::Leave(_) => {}
                Act::Empty(number) => {
                    let mut own: Vec<_> =
                        plain.iter().filter(|(_, at, _)| *at == slot(number)).filter_map(|(.., own)| *own).collect();
                    own.sort();
                    let mut left = seating.empty(slot(number));
                    left.sort();
                    prop_assert_eq!(left, own);
                    plain.retain(|(_, at, _)| *at != slot(number));
                }
                Act::Swap(a, b) => {
                    seating.swap(slot(a), slot(b));
                    for (_, at, _) in &mut plain {
                        *at = if *at == slot(a) { slot(b) } else if *at == slot(b) { slot(a) } else { *at };
                    }
                }
            }
            for (member, at, own) in &plain {
                let seat = seating.seat_of(*member).expect("it plays");
                prop_assert_eq!(seat.slot, *at);
                prop_assert_eq!(seating.part_at(seat.slot, seat.index), *own);
                prop_assert!(own.is_none_or(|own| seating.seat(own) == Some(seat) && seating.plays(own.device)));
            }
            for number in 1..4 {
                let count = plain.iter().filter(|(_, at, _)| *at == slot(number)).count();
                prop_assert_eq!(seating.members(slot(number)).count(), count);
            }
        }
    }
}
