//! States and sentences over the product of all possible facts.

use super::*;
use crate::cover::{Cover, Strength};
use crate::device::{Access, OsFault};
use crate::slot::SlotNumber;

fn os_fault(errno: i32) -> OsFault {
    OsFault { operation: "open".into(), path: "/dev/hidraw7".into(), errno }
}

/// All combinations of facts for a slot with one member.
fn product() -> Vec<SlotFacts> {
    let accesses = [Access::Open, Access::Opening, Access::Refused(os_fault(13)), Access::Refused(os_fault(16))];
    let faults = [
        None,
        Some(ReportsFault::Descriptor("byte 3: pop without a push".into())),
        Some(ReportsFault::Unreadable("no input report has the id 0x3f".into())),
        Some(ReportsFault::Asleep("start-up write 1 of 2 (output report 02 01) was not answered within 200 ms".into())),
    ];
    let covers = [
        Cover::Bare,
        Cover::Covering,
        Cover::Covered(Strength::Hidden),
        Cover::Covered(Strength::Held),
        Cover::Failed(os_fault(1)),
        Cover::LeftToGame,
    ];
    let pads = [
        PadCondition::Making,
        PadCondition::Made,
        PadCondition::Fault(PadFault::NoNode),
        PadCondition::Fault(PadFault::Denied),
        PadCondition::Fault(PadFault::NoModule),
        PadCondition::Fault(PadFault::Other(os_fault(28))),
    ];
    let mut out = Vec::new();
    for access in &accesses {
        for fault in &faults {
            for cover in &covers {
                for pad in &pads {
                    for progress in 0..6u64 {
                        for flags in 0..16u32 {
                            let member = MemberFacts {
                                name: "Reed keypad".into(),
                                present: flags & 1 == 0,
                                access: access.clone(),
                                fault: fault.clone(),
                                cover: cover.clone(),
                                stays_bare: (flags & 8 == 0).then_some(StaysBare::LastMouse),
                                plays: true,
                                ..MemberFacts::default()
                            };
                            out.push(SlotFacts {
                                members: vec![member],
                                reports: u64::from(progress > 0),
                                controls: if flags & 2 == 0 { 12 } else { 0 },
                                moved: progress > 1,
                                bound: if flags & 4 == 0 { 0x3ff } else { 0 },
                                bindings_passed: u64::from(progress > 2),
                                feel_passed: u64::from(progress > 3),
                                pad: pad.clone(),
                                pad_passed: u64::from(progress > 4),
                                paused: flags & 8 != 0,
                                seen: 0,
                                to_try: 25,
                                strokes: false,
                                not_agreed: (flags & 1) as usize,
                                ..SlotFacts::of(SlotNumber::new(3).expect("a slot"))
                            });
                        }
                    }
                }
            }
        }
    }
    out
}

#[test]
fn the_sentence_names_the_first_stage_that_stops() {
    let all = product();
    assert!(all.len() > 20_000);
    let mut marks = std::collections::BTreeMap::new();
    for facts in &all {
        let states = stages(facts);
        let sentence = slot_sentence(facts);
        *marks.entry(sentence.mark).or_insert(0) += 1;
        assert!(sentence.text.starts_with("Slot 3"), "{}", sentence.text);
        assert!(!sentence.text.contains("  ") && sentence.text.ends_with('.'), "{}", sentence.text);
        if facts.all_gone() {
            // A pad that cannot be made is reported even while its device is away.
            let mark = if matches!(facts.pad, PadCondition::Fault(_)) { Mark::Stop } else { Mark::Kept };
            assert_eq!((sentence.mark, states), (mark, [StageState::Kept; 7]));
            continue;
        }
        let stop = stops_at(&states);
        assert_eq!(sentence.mark == Mark::Stop, stop.is_some(), "{facts:?}");
        if let Some(stage) = stop {
            assert_eq!(sentence.stage, Some(stage));
            let before = &states[..stage as usize];
            assert!(!before.contains(&StageState::Stopped) && !before.contains(&StageState::Kept));
            let let_go = stage == Stage::Feel;
            assert!(let_go || sentence.text.contains(&format!("stops at {}", stage.name())), "{}", sentence.text);
        }
        if sentence.mark == Mark::Well {
            assert!(states.iter().all(|state| *state == StageState::Passing), "{states:?}");
        }
    }
    for mark in [Mark::Stop, Mark::Doubt, Mark::Kept, Mark::Hint, Mark::Well] {
        assert!(marks.get(&mark).is_some_and(|count| *count > 0), "{mark:?} never came");
    }
}

#[test]
fn every_refusal_names_node_errno_and_remedy() {
    for facts in product().iter().filter(|facts| !facts.all_gone()) {
        let text = slot_sentence(facts).text;
        if let Some((_, fault)) = facts.refused() {
            assert!(text.contains("/dev/hidraw7") && text.contains(&fault.name()), "{text}");
            let remedy = if fault.errno == 13 { "placid-mantle setup --install" } else { "Close that program" };
            assert!(text.contains(remedy), "{text}");
        } else if let (Some(Stage::Pad), PadCondition::Fault(fault)) = (stops_at(&stages(facts)), &facts.pad) {
            assert!(text.ends_with(&fault.told()) && text.contains(fault.why()), "{text}");
        }
    }
}

#[test]
fn the_most_urgent_comes_first_and_nothing_is_said_twice() {
    let all = product();
    for pair in all.chunks(2).step_by(37) {
        let mut slots = pair.to_vec();
        for (n, facts) in slots.iter_mut().enumerate() {
            facts.number = SlotNumber::from_index(n).expect("a slot");
        }
        let said = sentences(&slots, &TableFacts { devices: 2, ..TableFacts::default() });
        assert!(said.windows(2).all(|two| two[0].mark <= two[1].mark));
        let mut texts: Vec<&str> = said.iter().map(|sentence| sentence.text.as_str()).collect();
        texts.sort_unstable();
        texts.dedup();
        assert_eq!(texts.len(), said.len());
    }
    let nothing = sentences(&[], &TableFacts::default());
    assert!(nothing[0].text.contains("No device is connected"));
    let waiting = TableFacts {
        slotless: vec![Slotless { name: "Reed keypad".into(), ..Slotless::default() }],
        devices: 1,
        ..TableFacts::default()
    };
    assert_eq!(sentences(&[], &waiting)[0].mend, Some(Mend::Place));
}

/// A device that sits nowhere has to be named to be let in.
#[test]
fn a_device_that_cannot_be_opened_is_named_in_its_remedy() {
    let device = crate::device::Identity {
        name: "Quay pad".into(),
        vendor: 0x1209,
        product: 0x0a02,
        ..crate::device::Identity::default()
    };
    assert_eq!(
        not_opened(&device, &os_fault(13)),
        "your account may not read Quay pad. Run sudo placid-mantle setup --install 1209:0a02, then plug it in again (/dev/hidraw7: EACCES)."
    );
    assert_eq!(
        not_opened(&device, &os_fault(16)),
        "another program holds Quay pad. Close that program (/dev/hidraw7: EBUSY)."
    );
}
