use super::*;
use mantle_core::case::CaseNode;
use mantle_core::device::{Bus, Identity, Key, NodeFacts, OsFault};
use mantle_core::front::Front;
use mantle_core::games::RunningProgram;
use mantle_core::path::{Mark, Sentence};
use mantle_core::readiness::ReadyFacts;
use mantle_core::sight::{Look, Program, SeenNode};
use mantle_core::slot::{Remembered, RememberedSlot};
use mantle_core::table::Purpose;
use proptest::prelude::*;

const SERIAL: &str = "LANTERN-4711";
const ADDRESS: &str = "a4:53:85:0b:17:9c";
const ADAPTER: &str = "C8-21-58-DA-31-07";
const ACCOUNT: &str = "marla";
const COMPUTER: &str = "boathouse";
const HOME: &str = "/home/marla";
const PROGRAM: &str = "regatta-deluxe";
const NICKNAME: &str = "Marla's lantern";
const SECRETS: [&str; 9] = [SERIAL, ADDRESS, "C8:21:58", ADAPTER, ACCOUNT, COMPUTER, HOME, PROGRAM, NICKNAME];

fn identity(serial: &str, phys: &str) -> Identity {
    Identity {
        bus: Bus::BLUETOOTH,
        vendor: 0x1209,
        product: 0x0a07,
        version: 0x0100,
        name: NICKNAME.into(),
        system_name: Some("Lantern left".into()),
        uniq: serial.into(),
        phys: phys.into(),
        port: None,
        interface: None,
        descriptor_hash: 0,
    }
}

fn node(number: u16, serial: &str, phys: &str) -> CaseEvent {
    let facts = NodeFacts {
        id: NodeId(number),
        path: format!("/dev/hidraw{number}"),
        identity: identity(serial, phys),
        kind: Default::default(),
        driver: Default::default(),
        descriptor: vec![5, 1, 9, 5, 0xa1, 1, 0xc0],
        inputs: vec![format!("/dev/input/event{number}")],
        driven: Default::default(),
        connection: Default::default(),
        sysfs: format!("/sys/devices/virtual/misc/uhid/0005:1209:0A07.{number:04}/{ADDRESS}"),
    };
    CaseEvent::Arrived { facts: Box::new(CaseNode::of(&facts)) }
}

/// A case with secrets wherever one may stand.
fn pieces() -> Vec<CasePiece> {
    let slot = SlotNumber::new(1).expect("a slot");
    let key = Key::new(&identity(SERIAL, ADAPTER), 0);
    let member = RememberedSlot {
        number: slot,
        kind: Default::default(),
        profile: "ferry".into(),
        feedback: Default::default(),
        members: vec![key.clone()],
        away_since: None,
    };
    let remembered = Remembered {
        slots: vec![member],
        nicknames: vec![(key, NICKNAME.into())],
        taken_out: vec![Key::new(&identity(ADDRESS, ADAPTER), 0)],
        ..Remembered::default()
    };
    let words =
        format!("Slot 1: {NICKNAME} is held by {PROGRAM} (812) of {ACCOUNT} in {HOME}/games on {COMPUTER}, {ADDRESS}.");
    let program =
        Program { pid: 812, name: PROGRAM.into(), nodes: vec!["/dev/input/event0".into()], ..Program::default() };
    let seen = SeenNode { path: "/dev/input/event0".into(), name: "Lantern left".into(), ..SeenNode::default() };
    let running = RunningProgram {
        pid: 812,
        started: 5,
        names: vec![PROGRAM.into()],
        path: format!("{HOME}/games/{PROGRAM}"),
        arguments: vec![format!("{HOME}/games/{PROGRAM}"), format!("--save={HOME}")],
    };
    let fault = OsFault { operation: "open".into(), path: format!("{HOME}/dev/{SERIAL}"), errno: 13 };
    let ready = ReadyFacts {
        translators: vec![(PROGRAM.into(), "Lantern left".into())],
        engine: Some((77, ACCOUNT.into())),
        ..ReadyFacts::default()
    };
    let at = |second: u64, event: CaseEvent| CasePiece::Event(Micros::seconds(second), Box::new(event));
    vec![
        CasePiece::Table(Box::new(CaseTable {
            now: Micros::seconds(70),
            from: Micros::seconds(10),
            title: COMPUTER.into(),
            sentences: vec![Sentence { text: words.clone(), ..Sentence::well(slot) }],
            journal: vec![(Micros::seconds(4), Mark::Hint, words.clone())],
            notices: vec![words],
            nicknames: vec![(NICKNAME.into(), "Lantern left".into())],
            covers: true,
            sheets: 1,
            ..CaseTable::default()
        })),
        CasePiece::Remembered(Box::new(remembered)),
        at(2, node(0, SERIAL, ADAPTER)),
        at(3, node(1, ADDRESS, "C8:21:58:DA:31:07")),
        at(4, node(2, SERIAL, ADAPTER)),
        at(11, CaseEvent::Opened { node: NodeId(1), fault: Some(fault) }),
        at(
            12,
            CaseEvent::Sent {
                node: NodeId(0),
                purpose: Purpose::StartUp,
                got: Some("09 4c 41".into()),
                not_needed: false,
                fault: None,
            },
        ),
        at(13, CaseEvent::Looked { look: Look { nodes: vec![seen], programs: vec![program], ..Look::default() } }),
        at(14, CaseEvent::Ready { facts: Box::new(ready) }),
        at(15, CaseEvent::Running { programs: vec![running] }),
        at(16, CaseEvent::Front { front: Front::OtherEngine { process: 9, account: ACCOUNT.into() } }),
        CasePiece::Text(format!("{HOME}/.config/placid-mantle/slots.toml"), format!("# {ACCOUNT}\n")),
        CasePiece::Text(
            format!("{HOME}/.config/placid-mantle/profiles/ferry.profile.toml"),
            format!("# of {ACCOUNT}\nversion = 1\nname = \"ferry\"\nnotes = \"by {ACCOUNT}, {ADDRESS}, key marlan\"\n"),
        ),
        CasePiece::Text(
            format!("{HOME}/.config/placid-mantle/games.toml"),
            format!(
                "# {PROGRAM}\nversion = 1\n[[game]]\npath = \"{HOME}/games/*\"\n[[game.slot]]\nslot = 1\nprofile = \"ferry\"\n"
            ),
        ),
        CasePiece::Reports(
            NodeId(0),
            vec![(Micros::seconds(20), "01 02".into()), (Micros(20_004_000), "01 03".into())],
        ),
        CasePiece::End,
    ]
}

fn whose() -> Whose {
    Whose {
        account: ACCOUNT.into(),
        computer: COMPUTER.into(),
        home: HOME.into(),
        nicknames: vec![(NICKNAME.into(), "Lantern left".into())],
    }
}

fn case(private: Private) -> Case {
    let mut case = Case::of(pieces(), "test".into()).expect("it is whole");
    private.apply(&mut case, &whose()).expect("it is gone through");
    case
}

#[test]
fn a_case_holds_nothing_private_unless_asked_for() {
    let text = case(Private::default()).to_text();
    for secret in SECRETS {
        let found = text.lines().find(|line| line.to_lowercase().contains(&secret.to_lowercase()));
        // A word that only begins like the account's name is none of its own.
        assert!(found.is_none_or(|line| line.contains("marlan")), "{secret} stands in: {found:?}");
    }
    assert!(text.contains("key marlan"), "longer words stay");
    let all = Private { serials: true, names: true, features: true };
    let open = case(all).to_text();
    for secret in [SERIAL, ADDRESS, PROGRAM, NICKNAME, HOME, "09 4c 41"] {
        assert!(open.contains(secret), "{secret} was asked for");
    }
    let said = case(Private::default()).left_out.join(", ");
    for words in ["1 feature report", "1 name of programs", "1 nickname", "serial number", "address"] {
        assert!(said.contains(words), "{words}: {said}");
    }
}

#[test]
fn stand_ins_for_private_words_are_consistent() {
    let case = Case::parse("t", &case(Private::default()).to_text()).expect("it is read");
    let serials: Vec<String> = case
        .event
        .iter()
        .filter_map(|timed| match &timed.event {
            CaseEvent::Arrived { facts } => Some(facts.serial.clone()),
            _ => None,
        })
        .collect();
    assert_eq!(serials, ["serial-1", "00:00:5e:00:53:00", "serial-1"], "twins that share a serial number still do");
    let memory = slots::parse(slots::FILE, case.text(slots::FILE).expect("it is in it")).expect("it is read");
    assert_eq!(memory.slots[0].members[0].uniq, "serial-1");
    assert_eq!((memory.taken_out[0].uniq.as_str(), memory.nicknames.len()), ("00:00:5e:00:53:00", 0));
    // The rule for the game is still for it.
    let (rules, faults) = crate::games::parse("g", case.text(crate::games::FILE).expect("it is in it"));
    assert_eq!(faults, []);
    let running = case.event.iter().find_map(|timed| match &timed.event {
        CaseEvent::Running { programs } => programs.first().cloned(),
        _ => None,
    });
    assert!(rules[0].is_for(&running.expect("it runs")), "{rules:?}");
    assert_eq!(case.said[0], case.journal[0].text);
    assert!(
        case.said[0]
            .starts_with("Slot 1: Lantern left is held by program 1 (812) of account in ~/games on computer, 00:00:5e"),
        "{}",
        case.said[0]
    );
}

#[test]
fn a_case_survives_the_round_trip() {
    let case = case(Private::default());
    let text = case.to_text();
    let read = Case::parse("t", &text).expect("it is read");
    assert_eq!(read, case);
    assert_eq!((read.span, read.title.as_str(), read.journal[0].at), (60_000_000, "computer", -6_000_000));
    let reports: Vec<_> = read.reports[0].lines().collect::<Result<_, _>>().expect("all are reports");
    assert_eq!(reports, [(Micros::seconds(10), vec![1, 2]), (Micros(10_004_000), vec![1, 3])]);
    assert!(Case::of(pieces()[..5].to_vec(), String::new()).is_none(), "one that broke off is none");
}

#[test]
fn impossible_sizes_and_paths_are_refused_with_a_reason() {
    let text = case(Private::default()).to_text();
    for (from, to, why) in [
        ("version = 1\n", "version = 7\n", "version 7 is unknown"),
        ("span = 60000000\n", "span = 120000001\n", "at most 120000000"),
        ("span = 60000000\n", "span = 9000000\n", "one comes after the end"),
        ("span = 60000000\n", "span = 1000000\n", "and nothing later"),
        ("node = 2\n", "node = 9000\n", "there is no node 9000"),
        ("descriptor = \"05 01", "descriptor = \"05 0x", "not bytes in hex"),
        ("E: 000010.000000 2 01 02", "E: 000010.000000 3 01 02", "line 1 is not"),
        ("name = \"ferry.profile.toml\"", "name = \"../ferry.profile.toml\"", "not the name of a file"),
        ("name = \"ferry.profile.toml\"", "name = \"ferry.sh\"", "not the name of a file"),
        ("what = \"looked\"", "what = \"cooked\"", "unknown variant"),
        ("paused = false", "pawsed = false", "unknown field"),
    ] {
        assert!(text.contains(from), "{from}");
        let fault = Case::parse("t", &text.replacen(from, to, 1)).expect_err(to);
        assert!(fault.to_string().contains(why), "{why}: {fault}");
    }
    assert!(Case::parse("t", &"#".repeat(CASE_BYTES + 1)).expect_err("too large").message.contains("at most"));
}

#[test]
fn an_answer_has_exactly_the_changes_and_seats_devices_by_port() {
    let before = case(Private::default()).file;
    assert_eq!(answer(&before, &before, "t"), (None, Vec::new()));
    let mut now = before.clone();
    for file in &mut now {
        if file.name == "ferry.profile.toml" {
            file.text.push_str("[feel]\nstick_dead_zone = 0.1\n");
        }
        if file.name == slots::FILE {
            file.text = file.text.replace("profile = \"ferry\"", "profile = \"plain\"");
        }
    }
    let (pack, refused) = answer(&before, &now, "t");
    let pack = pack.expect("something has changed");
    assert_eq!((refused, pack.answer), (Vec::new(), true));
    assert_eq!(
        pack.files.iter().map(|file| file.name.as_str()).collect::<Vec<_>>(),
        ["slots.toml", "ferry.profile.toml"]
    );
    let text = pack.to_text();
    assert!(!text.contains("serial-1") && text.contains("answer = true"), "{text}");
    assert_eq!(crate::pack::Pack::parse("t", &text), Ok(pack));
}

proptest! {
    #[test]
    fn any_text_is_read_without_panic(text in "\\PC{0,400}") {
        let _ = Case::parse("t", &text);
    }

    #[test]
    fn any_altered_case_is_read_without_panic(at in 0usize..100_000, len in 0usize..40, with in "[ -~\\n]{0,12}") {
        let text = case(Private::default()).to_text();
        let at = (0..=at % text.len()).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        let to = (at..=(at + len).min(text.len())).rev().find(|to| text.is_char_boundary(*to)).unwrap_or(at);
        let _ = Case::parse("t", &format!("{}{with}{}", &text[..at], &text[to..]));
    }
}
