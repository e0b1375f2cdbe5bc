use super::*;
use crate::time::Micros;
use proptest::prelude::*;

const ADDRESS: &str = "02:00:00:00:00:01";

fn device() -> RadioDevice {
    RadioDevice { address: ADDRESS.into(), name: "Lantern left".into(), ..RadioDevice::default() }
}

fn known() -> RadioDevice {
    RadioDevice { paired: true, trusted: true, ..device() }
}

/// A journey, and its requests to the radio.
struct Way {
    journey: Journey,
    now: Micros,
    asked: Vec<RadioAct>,
}

impl Way {
    fn of(device: &RadioDevice) -> Self {
        let (journey, first) = Journey::begin(Micros::seconds(1), device);
        Self { journey, now: Micros::seconds(1), asked: vec![first] }
    }

    fn hears(&mut self, heard: JourneyNews) -> &mut Self {
        self.asked.extend(self.journey.handle(self.now, heard));
        self
    }

    fn seconds(&mut self, seconds: u64) -> &mut Self {
        self.now = self.now.after(Micros::seconds(seconds));
        self.asked.extend(self.journey.handle_time(self.now));
        self
    }

    fn step(&self) -> JourneyStep {
        self.journey.step().clone()
    }

    /// The latest requests, without the address.
    fn asked(&mut self) -> Vec<String> {
        let all = std::mem::take(&mut self.asked);
        all.into_iter().map(|act| format!("{act:?}").replace(&format!("\"{ADDRESS}\""), "")).collect()
    }
}

#[test]
fn a_new_device_is_paired_trusted_connected_and_ready_once_readable() {
    let mut way = Way::of(&device());
    way.hears(JourneyNews::Done).hears(JourneyNews::Done).hears(JourneyNews::Done);
    assert_eq!(way.step(), JourneyStep::Linking, "that a link was made counts for nothing before it is up");
    way.hears(JourneyNews::Linked(true));
    assert_eq!(way.step(), JourneyStep::Awaiting);
    way.seconds(7);
    assert_eq!(way.step(), JourneyStep::Awaiting);
    way.hears(JourneyNews::Node("/dev/hidraw3".into()));
    assert_eq!(way.step(), JourneyStep::There("/dev/hidraw3".into()));
    assert_eq!(way.asked(), ["Pair()", "Trust()", "Link()"]);
    assert_eq!(way.journey.deadline(), None);
}

#[test]
fn a_connection_without_an_input_device_is_retried_twice_then_reported() {
    let mut way = Way::of(&known());
    way.hears(JourneyNews::Done).hears(JourneyNews::Linked(true));
    for _ in 0..2 {
        way.asked();
        way.seconds(8);
        assert_eq!((way.step(), way.asked()), (JourneyStep::Dropping, vec!["Drop()".to_owned()]));
        way.hears(JourneyNews::Linked(false));
        assert_eq!((way.step(), way.asked()), (JourneyStep::Linking, vec!["Link()".to_owned()]));
        way.hears(JourneyNews::Linked(true));
    }
    way.seconds(8);
    assert_eq!(way.step(), JourneyStep::Failed(RadioFault::NoInput));
    assert!(way.journey.sentence().contains("makes no input device of it"), "{}", way.journey.sentence());
    // One key removes the device and pairs it anew.
    way.hears(JourneyNews::Anew);
    way.hears(JourneyNews::Node("/dev/hidraw3".into()));
    assert_eq!(way.step(), JourneyStep::Removing, "that is the old one, on its way out");
    way.hears(JourneyNews::Done);
    assert_eq!((way.step(), way.asked()), (JourneyStep::Pairing(None), vec!["Forget()".into(), "Pair()".into()]));
    // A link that does not go down counts as gone.
    let mut stuck = Way::of(&known());
    stuck.hears(JourneyNews::Done).hears(JourneyNews::Linked(true)).seconds(8).seconds(5);
    assert_eq!(stuck.asked(), ["Trust()", "Link()", "Drop()", "Link()"]);
}

#[test]
fn a_question_during_pairing_is_answered_and_extends_the_deadline() {
    let mut way = Way::of(&device());
    way.seconds(50);
    way.hears(JourneyNews::Asked(Dialogue::EnterCode)).seconds(80);
    way.hears(JourneyNews::Answered(Some("12345".into())));
    assert_eq!(way.step(), JourneyStep::Pairing(Some(Dialogue::EnterCode)), "five digits are none");
    way.hears(JourneyNews::Answered(Some("012345".into())));
    assert_eq!(way.asked(), ["Pair()", "Answer(, Some(\"012345\"))"]);
    way.hears(JourneyNews::Refused(RadioFault::WrongCode));
    assert_eq!(way.step(), JourneyStep::Failed(RadioFault::WrongCode));
    // A refusal is also sent to the radio.
    let mut no = Way::of(&device());
    no.hears(JourneyNews::Asked(Dialogue::Compare("004711".into()))).hears(JourneyNews::Answered(None));
    assert_eq!(no.asked(), ["Pair()", "Answer(, None)"]);
    // A question that nobody answers ends.
    let mut nobody = Way::of(&device());
    nobody.hears(JourneyNews::Asked(Dialogue::Allow)).seconds(90);
    assert_eq!(
        (nobody.step(), nobody.asked()),
        (JourneyStep::Failed(RadioFault::NoAnswer), vec!["Pair()".into(), "Cancel()".into()])
    );
}

#[test]
fn a_known_device_that_must_call_in_is_waited_for() {
    for how in [JourneyNews::Refused(RadioFault::NotThere), JourneyNews::Refused(RadioFault::NoAnswer)] {
        let mut way = Way::of(&known());
        way.hears(JourneyNews::Done).hears(how);
        assert_eq!(way.step(), JourneyStep::Calling);
        assert!(way.journey.sentence().contains("press a button on it"));
        way.seconds(59).hears(JourneyNews::Linked(true));
        assert_eq!(way.step(), JourneyStep::Awaiting);
    }
    let mut never = Way::of(&known());
    never.hears(JourneyNews::Done).seconds(25).seconds(60);
    assert_eq!(never.step(), JourneyStep::Failed(RadioFault::NotThere));
    // So does a device that has just been paired: while it connects it cannot be called. Stale keys are another matter.
    for (fault, step) in [
        (RadioFault::Other("Input/output error".into()), JourneyStep::Calling),
        (RadioFault::StaleKeys, JourneyStep::Failed(RadioFault::StaleKeys)),
    ] {
        let mut new = Way::of(&device());
        new.hears(JourneyNews::Done).hears(JourneyNews::Done).hears(JourneyNews::Refused(fault));
        assert_eq!(new.step(), step);
    }
}

#[test]
fn controllers_are_listed_first_and_rows_keep_their_place() {
    let one = |address: &str, own: RadioDevice| RadioDevice { address: address.into(), ..own };
    let all = [
        one("06", RadioDevice { class: Some(0x24_0404), signal: Some(-30), ..RadioDevice::default() }),
        one("05", RadioDevice { class: Some(0x00_0540), ..RadioDevice::default() }),
        one("04", RadioDevice { services: vec![0x1812], signal: Some(-40), ..RadioDevice::default() }),
        one("03", RadioDevice { appearance: Some(0x03c4), signal: Some(-71), ..RadioDevice::default() }),
        one("02", RadioDevice { class: Some(0x00_2508), signal: Some(-75), ..RadioDevice::default() }),
        one("01", RadioDevice { class: Some(0x00_0504), paired: true, ..RadioDevice::default() }),
    ];
    let order: Vec<&str> = in_order(&all).iter().map(|device| device.address.as_str()).collect();
    assert_eq!(order, ["02", "03", "01", "04", "05", "06"]);
    // A slightly stronger signal changes nothing.
    let mut moved = all.clone();
    moved[3].signal = Some(-74);
    assert_eq!(in_order(&moved).iter().map(|device| device.address.as_str()).collect::<Vec<_>>(), order);
    let kinds: Vec<RadioKind> = in_order(&all).iter().map(|device| device.kind()).collect();
    assert_eq!(
        kinds,
        [
            RadioKind::Controller,
            RadioKind::Controller,
            RadioKind::Controller,
            RadioKind::Unsaid,
            RadioKind::Steering,
            RadioKind::Other
        ]
    );
}

#[test]
fn a_radio_fault_is_reported_with_its_remedy() {
    let all = [
        RadioState::NoService,
        RadioState::Denied,
        RadioState::NoAdapter,
        RadioState::Blocked { hard: true },
        RadioState::Blocked { hard: false },
        RadioState::Off,
    ];
    let said: std::collections::HashSet<_> = all.iter().map(|state| (state.sentence(), state.remedy())).collect();
    assert_eq!(said.len(), all.len());
    assert!(all.iter().all(|state| !state.remedy().is_empty()));
    assert_eq!(RadioState::Off.mend(), Some(RadioAct::SwitchOn));
    assert_eq!((RadioState::Ready.remedy(), RadioState::Ready.mend()), ("", None));
}

fn any_heard() -> impl Strategy<Value = Option<JourneyNews>> {
    let fault = prop::sample::select(vec![
        RadioFault::Refused,
        RadioFault::WrongCode,
        RadioFault::NoAnswer,
        RadioFault::Elsewhere,
        RadioFault::StaleKeys,
        RadioFault::NotThere,
        RadioFault::Busy,
        RadioFault::NoRadio,
        RadioFault::Other("odd".into()),
    ]);
    prop_oneof![
        3 => Just(None),
        3 => Just(Some(JourneyNews::Done)),
        1 => fault.prop_map(|fault| Some(JourneyNews::Refused(fault))),
        1 => Just(Some(JourneyNews::Asked(Dialogue::EnterPin))),
        1 => prop::option::of("[0-9a-z]{0,17}").prop_map(|typed| Some(JourneyNews::Answered(typed))),
        3 => any::<bool>().prop_map(|up| Some(JourneyNews::Linked(up))),
        1 => Just(Some(JourneyNews::GivenUp)),
    ]
}

proptest! {
    /// Whatever happens: the journey is on its way with a deadline, or has ended with a reason; it makes at most one request per event
    /// or deadline; and left alone, it ends within a few minutes.
    #[test]
    fn pairing_never_gets_stuck(paired in any::<bool>(), linked in any::<bool>(), all in prop::collection::vec((any_heard(), 0..100u64), 0..60)) {
        let (mut journey, _) = Journey::begin(Micros(0), &RadioDevice { paired, linked, ..device() });
        let mut now = Micros(0);
        for (heard, seconds) in all {
            now = now.after(Micros::seconds(seconds));
            let _ = journey.handle_time(now);
            if let Some(heard) = heard {
                let before = journey.is_over();
                let act = journey.handle(now, heard);
                prop_assert!(!(before && act.is_some()), "it has ended");
            }
            match journey.deadline() {
                Some(until) => prop_assert!(until <= now.after(Micros::seconds(90)), "{:?}", journey.step()),
                None => prop_assert!(journey.is_over()),
            }
            prop_assert!(!journey.sentence().is_empty());
        }
        let begun = now;
        while let Some(until) = journey.deadline() {
            now = now.max(until);
            let _ = journey.handle_time(now);
            prop_assert!(now.since(begun) <= Micros::seconds(300), "{:?}", journey.step());
        }
        prop_assert!(matches!(journey.step(), JourneyStep::Failed(_)));
    }

    /// A node that appears at any moment completes it.
    #[test]
    fn a_node_alone_counts_as_connected(paired in any::<bool>(), all in prop::collection::vec(any_heard(), 0..12)) {
        let (mut journey, _) = Journey::begin(Micros(0), &RadioDevice { paired, ..device() });
        for heard in all.into_iter().flatten() {
            let _ = journey.handle(Micros(1), heard);
        }
        let _ = journey.handle(Micros(2), JourneyNews::Node("/dev/hidraw0".into()));
        prop_assert_eq!(journey.step(), &JourneyStep::There("/dev/hidraw0".into()));
    }

    #[test]
    fn typed_text_is_a_valid_answer_or_none(typed in ".{0,20}") {
        let digits = typed.chars().count() == 6 && typed.chars().all(|c| c.is_ascii_digit());
        prop_assert_eq!(Dialogue::EnterCode.takes(&typed), digits);
        prop_assert!(!Dialogue::EnterPin.takes(&typed) || typed.is_ascii() && !typed.is_empty());
        prop_assert_eq!(Dialogue::Allow.takes(&typed), typed.is_empty());
    }
}
