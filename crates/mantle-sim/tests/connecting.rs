//! Connecting in the made-up world, on simulated time: every dialogue, every fault, from what the radio hears to the pad that plays.

mod shadow;

use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_engine::{Observer, OrderSender, orders};
use mantle_files::SceneFile;
use mantle_sim::{Pace, SimWorld};
use mantle_talk::{Command, CommandNumber, ConnectAct, ConnectView, JourneyStep, Order, Wish};

/// What somebody does at each new step.
type Does<'a> = Box<dyn FnMut(&ConnectView) -> Option<ConnectAct> + 'a>;

/// Somebody who connects devices: asked at each new step what to do.
struct Person<'a> {
    give: OrderSender,
    does: Does<'a>,
    /// What they have seen, step by step.
    steps: Vec<String>,
    seen: Option<ConnectView>,
    notes: Vec<String>,
    /// The first button press that left for each pad, and when.
    played: Vec<(SlotNumber, Micros)>,
    watches: bool,
}

impl Observer for Person<'_> {
    fn looks_for_devices(&self) -> bool {
        self.watches
    }

    fn is_watched(&self) -> bool {
        true
    }

    fn handle_note(&mut self, note: Note) {
        self.notes.push(note.text);
    }

    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        let pressed = events.iter().any(|(kind, _, value)| kind == 1 && value == 1);
        if pressed && self.played.iter().all(|(own, _)| *own != slot) {
            self.played.push((slot, now));
        }
    }

    fn look(&mut self, now: Micros, table: &Table) {
        let mut view = table.connecting(now);
        if let Some(journey) = &mut view.journey {
            journey.left = None;
            let step = match &journey.step {
                JourneyStep::There(_) => "There".to_owned(),
                other => format!("{other:?}"),
            };
            if self.steps.last() != Some(&step) {
                self.steps.push(step);
            }
        }
        if self.seen.as_ref() != Some(&view) {
            if let Some(act) = (self.does)(&view) {
                self.give.give(Order { number: CommandNumber(1), wish: Wish::Command(Command::Connect(act)) });
            }
            self.seen = Some(view);
        }
    }
}

/// The results of a scene: steps, notes, when each pad first played, the view at its end.
struct Outcome {
    steps: Vec<String>,
    notes: Vec<String>,
    played: Vec<(SlotNumber, Micros)>,
    seen: ConnectView,
}

fn play(text: &str, seconds: u64, watches: bool, does: impl FnMut(&ConnectView) -> Option<ConnectAct>) -> Outcome {
    let scene = SceneFile::parse("connecting", text).expect("a scene");
    let (give, taken) = orders(|| {});
    let mut world =
        SimWorld::new(&scene, Pace::Virtual { until: Micros::seconds(seconds) }, Some(taken)).expect("a world");
    let mut table = Table::new(world.settings());
    let mut person = Person {
        give,
        does: Box::new(does),
        steps: Vec::new(),
        seen: None,
        notes: Vec::new(),
        played: Vec::new(),
        watches,
    };
    shadow::run(&mut world, &mut table, &mut person);
    let seen = person.seen.clone().expect("it was looked at");
    Outcome { steps: person.steps, notes: person.notes, played: person.played, seen }
}

fn shipped() -> String {
    include_str!("../../../scenes/connecting.scene.toml").to_owned()
}

/// Connects the device with this address once it is found, and gives this answer to every question.
fn connects<'a>(address: &'a str, answer: Option<&'a str>) -> impl FnMut(&ConnectView) -> Option<ConnectAct> + 'a {
    let mut begun = false;
    move |view| match view.journey.as_ref().map(|journey| &journey.step) {
        None if !begun && view.rows.iter().any(|row| row.device.address == address) => {
            begun = true;
            Some(ConnectAct::Begin(address.into()))
        }
        Some(JourneyStep::Pairing(Some(mantle_talk::Dialogue::Type { .. }))) => None,
        Some(JourneyStep::Pairing(Some(_))) => Some(ConnectAct::Answer(answer.map(str::to_owned))),
        _ => None,
    }
}

const LEFT: &str = "02:50:00:00:02:01";

#[test]
fn every_device_in_the_scene_connects_or_reports_why() {
    let there = &["Trusting", "Awaiting", "There"][..];
    let asks = |dialogue: &str| format!("Pairing(Some({dialogue}))");
    let compare = asks("Compare(\"271828\")");
    let types = asks("Type { code: \"004711\", typed: 0 }");
    let cases: [(&str, Vec<&str>); 7] = [
        (LEFT, [&["Pairing(None)", &compare, "Pairing(None)"][..], there].concat()),
        ("02:50:00:00:02:02", [&["Pairing(None)"][..], there].concat()),
        ("02:50:00:00:02:03", [&["Pairing(None)", &types][..], there].concat()),
        ("02:50:00:00:02:04", vec!["Trusting", "Linking", "Failed(StaleKeys)"]),
        ("02:50:00:00:02:05", vec!["Trusting", "Linking", "Calling", "Awaiting", "There"]),
        ("02:50:00:00:02:06", vec!["Pairing(None)", "Failed(Elsewhere)"]),
        (
            "02:50:00:00:02:07",
            vec!["Pairing(None)", "Trusting", "Awaiting", "Dropping", "Linking", "Awaiting", "There"],
        ),
    ];
    for (address, steps) in cases {
        let outcome = play(&shipped(), 39, true, connects(address, Some("")));
        // A press is requested step by step; some steps pass within one look.
        let seen: Vec<&str> = outcome.steps.iter().map(String::as_str).collect();
        let mut left = seen.iter();
        let reached = steps.iter().filter(|step| left.any(|own| own == *step)).count();
        assert_eq!(seen.last(), steps.last(), "{address}: {seen:?}");
        assert!(reached + 2 >= steps.len() && seen.iter().all(|step| steps.contains(step)), "{address}: {seen:?}");
        let plays = steps.last() == Some(&"There");
        assert_eq!(!outcome.played.is_empty(), plays, "{address}: {:?}", outcome.played);
        assert_eq!(outcome.seen.came.len(), usize::from(plays));
        // The search is over once something has turned up.
        assert_eq!(outcome.seen.looks, !plays, "{address}");
    }
}

#[test]
fn a_wrong_code_can_be_retried() {
    let scene = |asks: &str, code: &str| {
        let text = shipped().replace("asks = \"compare\"", &format!("asks = \"{asks}\""));
        text.replace("271828", code)
    };
    for (asks, code, wrong) in [("enter", "271828", "271829"), ("pin", "0000", "1234")] {
        let right = play(&scene(asks, code), 20, true, connects(LEFT, Some(code)));
        assert_eq!(right.steps.last().map(String::as_str), Some("There"), "{asks}: {:?}", right.steps);
        let other = play(&scene(asks, code), 20, true, connects(LEFT, Some(wrong)));
        assert_eq!(other.steps.last().map(String::as_str), Some("Failed(WrongCode)"), "{asks}");
        assert!(other.notes.iter().any(|note| note.contains("The code for Lantern left was wrong")));
        assert!(other.played.is_empty());
        let no = play(&scene(asks, code), 20, true, connects(LEFT, None));
        assert_eq!(no.steps.last().map(String::as_str), Some("Failed(Refused)"), "{asks}");
    }
    let allowed = play(&scene("allow", "0"), 20, true, connects(LEFT, Some("")));
    assert_eq!(allowed.steps.last().map(String::as_str), Some("There"));
}

#[test]
fn an_unresponsive_device_times_out_and_one_without_input_is_reported() {
    let of = |fault: &str| {
        shipped().replace("code = \"271828\"", &format!("fault = \"{fault}\"")).replace("asks = \"compare\"", "")
    };
    let silent = play(&of("silent"), 80, true, connects(LEFT, Some("")));
    assert_eq!(silent.steps, ["Pairing(None)", "Failed(NoAnswer)"]);
    let refuses = play(&of("refuses"), 20, true, connects(LEFT, Some("")));
    assert_eq!(refuses.steps, ["Pairing(None)", "Failed(Refused)"]);
    let none = play(&of("no-input"), 60, true, connects(LEFT, Some("")));
    assert_eq!(none.steps.iter().filter(|step| *step == "Dropping").count(), 2, "{:?}", none.steps);
    assert_eq!(none.steps.last().map(String::as_str), Some("Failed(NoInput)"));
    assert!(none.seen.came.is_empty() && none.played.is_empty());
    assert!(none.notes.iter().any(|note| note.contains("makes no input device of it")));
    // A question that nobody answers ends, too.
    let unanswered = play(&shipped(), 120, true, |view| {
        let begins = view.journey.is_none() && view.rows.iter().any(|row| row.device.address == LEFT);
        begins.then(|| ConnectAct::Begin(LEFT.into()))
    });
    assert_eq!(unanswered.steps.last().map(String::as_str), Some("Failed(NoAnswer)"));
}

#[test]
fn stale_keys_are_fixed_by_removing_and_pairing_again() {
    let mut connects = connects("02:50:00:00:02:04", None);
    let mut mended = false;
    let outcome = play(&shipped(), 30, true, |view| {
        let failed = view.journey.as_ref().is_some_and(|journey| matches!(journey.step, JourneyStep::Failed(_)));
        if failed && !std::mem::replace(&mut mended, true) {
            return Some(ConnectAct::Anew);
        }
        connects(view)
    });
    assert_eq!(outcome.steps.last().map(String::as_str), Some("There"), "{:?}", outcome.steps);
    assert!(outcome.steps.iter().any(|step| step == "Removing"));
    assert!(!outcome.played.is_empty(), "it plays");
}

#[test]
fn radio_faults_are_reported_and_clear_by_themselves() {
    let with = |radio: &str| shipped().replace("[radio]\n", &format!("[radio]\n{radio}\n"));
    for (state, says, mends) in [
        ("absent", "has no Bluetooth radio", "Plug in an adapter"),
        ("off", "is switched off", "Switch it on"),
        ("blocked", "by a setting", "rfkill unblock"),
        ("switch", "by a switch", "Move the switch"),
        ("no-service", "No Bluetooth service", "systemctl start bluetooth"),
        ("denied", "may not use this computer's radio", "group bluetooth"),
    ] {
        let outcome = play(&with(&format!("state = \"{state}\"")), 5, true, |_| None);
        let told = outcome.seen.state;
        assert!(told.sentence().contains(says) && told.remedy().contains(mends), "{state}: {told:?}");
        assert!(!outcome.seen.looks && outcome.seen.rows.is_empty(), "{state}");
        // Mended, it looks by itself.
        let mended = play(&with(&format!("state = \"{state}\"\nstates = [[2.0, \"ready\"]]")), 5, true, |_| None);
        assert!(mended.seen.looks && mended.seen.rows.len() >= 7, "{state}: {:?}", mended.seen);
    }
    let mut asked = false;
    let switched = play(&with("state = \"off\""), 5, true, |_| {
        (!std::mem::replace(&mut asked, true)).then_some(ConnectAct::SwitchOn)
    });
    assert!(switched.seen.looks, "it is switched on from here");
    // It disappears while something is being paired: that is over, and reported.
    let gone = play(&with("states = [[1.5, \"absent\"]]"), 6, true, connects(LEFT, Some("")));
    assert!(
        matches!(gone.steps.last().map(String::as_str), Some("Failed(NoRadio)")),
        "{:?} {:?}",
        gone.steps,
        gone.notes
    );
    assert!(gone.seen.rows.is_empty());
}

#[test]
fn no_search_without_a_viewer_and_strangers_are_refused() {
    let nobody = play(&shipped(), 10, false, |_| None);
    assert!(!nobody.seen.looks && nobody.seen.rows.is_empty());
    let outcome = play(&shipped(), 45, true, |_| None);
    let stranger = "Ferry desk keys asked to be paired, unasked, and was refused";
    assert!(outcome.notes.iter().any(|note| note == stranger), "{:?}", outcome.notes);
}

#[test]
fn a_cable_ends_the_search_but_a_lonely_receiver_does_not() {
    let cable = format!("{}\n[[device]]\nfile = \"quay-pad\"\nport = \"1-2\"\nat = 3.0\n", shipped());
    let outcome = play(&cable, 6, true, |_| None);
    let came: Vec<(&str, &str)> =
        outcome.seen.came.iter().map(|came| (came.name.as_str(), came.way.as_str())).collect();
    assert_eq!((came, outcome.seen.looks), (vec![("Quay pad", "at port 1-2")], false));
    let sheet = "
[[sheet]]
name = \"cove\"
text = '''
version = 1
name = \"Cove receiver\"
keep = true
[match]
vendor = 0x1209
[receiver]
control = \"link\"
pairs = \"press its small button, then hold the one between the sticks\"
[[control]]
name = \"link\"
kind = \"state\"
report = REPORT
at = 0
size = 1
'''
[[device]]
file = \"quay-pad\"
port = \"1-2\"
at = 3.0
hands = false
";
    let text = format!("{}{}", shipped(), sheet.replace("REPORT", "1"));
    let outcome = play(&text, 8, true, |_| None);
    let came = outcome.seen.came.first().expect("it has come");
    assert!(came.notes.iter().any(|note| note.contains("press its small button")), "{:?}", outcome.seen.came);
    assert!(outcome.seen.looks, "nobody to play with has come");
}

#[test]
fn a_half_pad_names_its_missing_half() {
    let one = play(&shipped(), 12, true, connects(LEFT, Some("")));
    let notes = &one.seen.came[0].notes;
    assert!(notes.iter().any(|note| note.contains("the right one is missing")), "{notes:?}");
    let found = play(&shipped(), 12, true, |_| None);
    let hints =
        found.seen.rows.iter().find(|row| row.device.address == LEFT).map(|row| &row.hints).expect("it is listed");
    assert!(hints.iter().any(|(label, text)| label == "pair" && text.contains("rail button")), "{hints:?}");
    let both = format!("{}\n[[device]]\nfile = \"lantern-right\"\nport = \"1-2\"\nat = 3.0\n", shipped());
    let both = play(&both, 12, true, connects(LEFT, Some("")));
    assert!(both.seen.came.iter().all(|came| came.notes.is_empty()), "{:?}", both.seen.came);
}
