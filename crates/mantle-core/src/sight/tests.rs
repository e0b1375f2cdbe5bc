//! The list and the verdict, compared with a plain model over random situations, and the rules one by one.

use super::*;
use crate::cover::{Cover, Strength};
use crate::device::{DeviceId, OsFault};
use crate::evdev::{EvdevCaps, event};
use crate::slot::SlotNumber;
use proptest::prelude::*;

fn caps(keys: &[u16], abs: &[u16], rel: &[u16]) -> EvdevCaps {
    let of = |kind: u16, codes: &[u16]| codes.iter().map(move |code| (kind, *code)).collect::<Vec<_>>();
    let codes = [of(event::KEY, keys), of(event::REL, rel), of(event::ABS, abs)].concat();
    EvdevCaps { codes, ..EvdevCaps::default() }
}

#[test]
fn a_game_library_classifies_nodes_by_capabilities() {
    let pad = caps(&[0x130, 0x131], &[0, 1], &[]);
    let stick = caps(&[0x120], &[0, 1], &[]);
    let pedals = caps(&[], &[2, 5, 6], &[]);
    let wheel = caps(&[], &[0, 1, 8], &[]);
    let surface = caps(&[0x145, 0x14a, 0x110], &[0, 1], &[]);
    let sensor = EvdevCaps { properties: vec![6], ..caps(&[], &[0, 1, 2], &[]) };
    let all = [
        (&pad, Takes::Pad),
        (&stick, Takes::Joystick),
        // Without X and Y it is nothing to a library that checks for itself; udev's tags say something else.
        (&pedals, Takes::Nothing),
        (&wheel, Takes::Joystick),
        (&surface, Takes::Touch),
        (&sensor, Takes::Motion),
        (&caps(&[], &[0, 1, 2], &[]), Takes::Motion),
        (&caps(&[0x110], &[], &[0, 1]), Takes::Mouse),
        (&caps(&[30, 31], &[], &[]), Takes::Keys),
        (&caps(&[], &[], &[]), Takes::Nothing),
    ];
    for (caps, wanted) in all {
        assert_eq!(Takes::by_abilities(caps), wanted, "{caps:?}");
    }
    assert_eq!(Takes::by_tags(&["ID_INPUT", "ID_INPUT_JOYSTICK"], &pedals), Takes::Joystick);
    assert_eq!(Takes::by_tags(&["ID_INPUT", "ID_INPUT_JOYSTICK", "ID_INPUT_KEY"], &pad), Takes::Pad);
    assert_eq!(Takes::by_tags(&["ID_INPUT", "ID_INPUT_TOUCHPAD", "ID_INPUT_MOUSE"], &surface), Takes::Mouse);
}

#[test]
fn tags_are_read_from_the_udev_database() {
    let text = "N:input/event5\nE:ID_INPUT=1\nE:ID_INPUT_JOYSTICK=1\nE:ID_INPUT_KEY=0\nE:ID_SERIAL=x\nQ:uaccess\n";
    assert_eq!(read_tags(text), Some(vec!["ID_INPUT", "ID_INPUT_JOYSTICK"]));
    assert_eq!(read_tags("N:input/event5\nE:ID_SERIAL=x\n"), None, "it says nothing of what it is");
}

/// One random device: its place, what it is, and its state.
#[derive(Clone, Debug)]
struct Drawn {
    number: u16,
    at_usb: bool,
    abilities: Takes,
    tags: Option<Takes>,
    refused: bool,
    reports: bool,
    whose: u8,
    cover: u8,
    open: bool,
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let takes = || {
        prop_oneof![
            3 => Just(Takes::Pad),
            2 => Just(Takes::Joystick),
            1 => Just(Takes::Mouse),
            1 => Just(Takes::Keys),
            1 => Just(Takes::Nothing)
        ]
    };
    let tags = prop_oneof![Just(None), takes().prop_map(Some)];
    let flags = (any::<bool>(), prop::bool::weighted(0.25), any::<bool>(), any::<bool>());
    (0u16..40, takes(), tags, flags, 0u8..5, 0u8..4).prop_map(
        |(number, abilities, tags, (at_usb, refused, reports, open), whose, cover)| Drawn {
            number,
            at_usb,
            abilities,
            tags,
            refused,
            reports,
            whose,
            cover,
            open,
        },
    )
}

fn slot_one() -> SlotNumber {
    SlotNumber::new(1).expect("there is a slot 1")
}

fn input_of(one: &Drawn) -> String {
    match one.at_usb {
        true => format!("/sys/devices/pci0000:00/usb1/1-{}/input/input{}", one.number, one.number),
        false => format!("/sys/devices/virtual/input/input{}", one.number),
    }
}

fn event_of(one: &Drawn) -> String {
    format!("/dev/input/event{}", one.number)
}

fn cover_of(one: &Drawn) -> Cover {
    match one.cover {
        0 => Cover::Bare,
        1 => Cover::Covered(Strength::Held),
        2 => Cover::LeftToGame,
        _ => Cover::Failed(OsFault { operation: "holding".into(), path: event_of(one), errno: 16 }),
    }
}

/// A look at the random situation, and whose it is: 0 the machine's, 1 the pad of slot 1, 2 a device of slot 1, 3 a device of no slot, 4 a program's.
fn look_of(all: &[Drawn], udev: bool) -> (Look, Vec<Owner>) {
    let (mut look, mut owners) = (Look { udev, ..Look::default() }, Vec::new());
    let mut program = Program { pid: 77, name: "ferry".into(), makes: true, ..Program::default() };
    for one in all {
        let input = input_of(one);
        let device = input.rsplit_once("/input/").map_or(input.clone(), |(device, _)| device.to_owned());
        let device = if one.at_usb { device } else { input.clone() };
        let node = SeenNode {
            path: event_of(one),
            name: format!("thing {}", one.number),
            place: format!("{input}/event{}", one.number),
            made_by: if one.whose == 4 { Maker::Program } else { Maker::System },
            abilities: one.abilities,
            tags: one.tags,
            refused: one.refused.then_some(13),
            device: device.clone(),
            input: input.clone(),
            ..SeenNode::default()
        };
        let (path, place) = (format!("/dev/input/js{}", one.number), format!("{input}/js{}", one.number));
        look.nodes.push(SeenNode { path, place, ..node.clone() });
        look.nodes.push(node);
        if one.reports {
            let path = format!("/dev/hidraw{}", one.number);
            look.nodes.push(SeenNode { path, device, place: format!("{input}/hidraw"), ..SeenNode::default() });
        }
        if one.open {
            program.nodes.push(event_of(one));
        }
        let whose = match one.whose {
            1 => Whose::Pad(slot_one()),
            2 => Whose::Device(DeviceId(one.number), format!("thing {}", one.number), Some(slot_one())),
            3 => Whose::Device(DeviceId(one.number), format!("thing {}", one.number), None),
            _ => continue,
        };
        let cover = if one.whose == 1 { Cover::Bare } else { cover_of(one) };
        owners.push(Owner { node: event_of(one), whose, cover });
    }
    look.programs = vec![program];
    (look, owners)
}

/// What a game takes it for: the tags, or its abilities if those say nothing.
fn plainly_taken(one: &Drawn) -> Takes {
    match one.tags {
        None | Some(Takes::Nothing) => one.abilities,
        Some(takes) => takes,
    }
}

/// The numbers that a game gives, computed in the plainest way: by place if udev runs, otherwise by number.
fn plain_numbers(all: &[Drawn], udev: bool) -> Vec<(u16, u16)> {
    let mut listed: Vec<&Drawn> = all.iter().filter(|one| !one.refused && plainly_taken(one).is_pad()).collect();
    // By number if it looks like one; after those, by place, what only udev calls so.
    let (mut looks, mut told): (Vec<&Drawn>, Vec<&Drawn>) =
        listed.iter().partition(|one| !udev || one.abilities.is_pad());
    looks.sort_by_key(|one| one.number);
    told.sort_by_key(|one| format!("{}/event{}", input_of(one), one.number));
    listed = looks.into_iter().chain(told).collect();
    listed.iter().zip(1..).map(|(one, place)| (one.number, place)).collect()
}

/// The verdict, computed in the plainest way.
fn plain_verdict(all: &[Drawn], numbers: &[(u16, u16)]) -> Verdict {
    let number = |one: &Drawn| numbers.iter().find(|(own, _)| *own == one.number).map(|(_, place)| *place);
    let in_order = |cover: fn(u8) -> bool| {
        let of_it = all.iter().filter(|one| one.whose == 2 && cover(one.cover));
        let mut all: Vec<(u16, String)> =
            of_it.filter_map(|one| Some((number(one)?, format!("thing {}", one.number)))).collect();
        all.sort();
        all.into_iter().next()
    };
    let live = in_order(|cover| cover == 0 || cover == 3);
    let dead = in_order(|cover| cover == 1);
    let Some(pad) = all.iter().find(|one| one.whose == 1) else {
        return live.map_or(Verdict::Nothing, |(number, device)| Verdict::DeviceOnly { device, number });
    };
    let Some(own) = number(pad) else {
        return match (live, pad.refused) {
            (Some((number, device)), _) => Verdict::DeviceOnly { device, number },
            (None, true) => Verdict::Closed(13),
            (None, false) => Verdict::Taken(plainly_taken(pad)),
        };
    };
    let makes = all.iter().any(|one| one.whose == 4 && number(one).is_some());
    let opens = all.iter().any(|one| one.open && (one.whose == 1 || one.whose == 2));
    match (live, makes && opens, dead) {
        (Some((number, device)), ..) => Verdict::Doubled { pad: own, device, number },
        // What it reads is not compared: of several, it is the first of the list.
        (None, true, _) => Verdict::Again { pad: own, second: Second { program: "ferry (77)".into(), reads: None } },
        (None, false, Some((number, device))) => Verdict::Dead { pad: own, device, number },
        (None, false, None) => Verdict::Alone(own),
    }
}

fn without_source(verdict: Verdict) -> Verdict {
    match verdict {
        Verdict::Again { pad, second } => Verdict::Again { pad, second: Second { reads: None, ..second } },
        other => other,
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn numbers_and_verdict_agree_with_a_plain_model(
        all in prop::collection::vec(drawn(), 0..9),
        udev in any::<bool>(),
    ) {
        let mut seen = Vec::new();
        let mut pad = false;
        let mut all: Vec<Drawn> = all;
        // No number is given twice, and a slot has one pad.
        all.retain(|one| {
            let new = !(seen.contains(&one.number) || one.whose == 1 && pad);
            seen.push(one.number);
            pad |= one.whose == 1;
            new
        });
        let (look, owners) = look_of(&all, udev);
        let sight = GameList::of(&look, &owners);
        prop_assert_eq!(sight.list.len(), all.len(), "an entry each, whatever nodes it has");
        let numbers: Vec<(u16, u16)> = sight
            .list
            .iter()
            .filter_map(|entry| {
                let node = entry.nodes[0].strip_prefix("/dev/input/event")?;
                Some((node.parse().ok()?, entry.number?))
            })
            .collect();
        prop_assert_eq!(&numbers, &plain_numbers(&all, udev));
        for one in &all {
            let entry = sight.list.iter().find(|entry| entry.nodes.contains(&event_of(one))).expect("it is listed");
            prop_assert_eq!(entry.takes, plainly_taken(one));
            prop_assert_eq!(entry.nodes.iter().any(|node| node.starts_with("/dev/hidraw")), one.reports);
            prop_assert_eq!(entry.holders.len(), usize::from(one.open));
            let other = match one.tags {
                Some(Takes::Nothing) => Some(Takes::Nothing),
                Some(_) => Some(one.abilities),
                None => None,
            };
            prop_assert_eq!(entry.differs, other.filter(|other| *other != plainly_taken(one)));
        }
        let verdict = Verdict::of(&sight, slot_one());
        prop_assert_eq!(without_source(verdict.clone()), plain_verdict(&all, &numbers));
        // Whatever is said about it is in words, and one view of it stands for all of it.
        prop_assert!(!verdict.sentence(slot_one()).is_empty());
        let view = sight.view();
        prop_assert_eq!(view.rows.len(), all.len());
        let wrong = view.rows.iter().filter(|row| row.standing == RowStanding::Wrong);
        prop_assert!(wrong.clone().all(|row| !row.words.is_empty() && !row.mend.is_empty()));
    }
}

/// Our pad of slot 1, under this number.
fn pad_of_slot_one(number: u16) -> Drawn {
    Drawn {
        number,
        at_usb: false,
        abilities: Takes::Pad,
        tags: None,
        refused: false,
        reports: false,
        whose: 1,
        cover: 0,
        open: false,
    }
}

#[test]
fn a_device_listed_before_the_pad_swaps_the_numbers() {
    let pad = pad_of_slot_one(4);
    let device = Drawn { number: 3, at_usb: true, whose: 2, reports: true, ..pad.clone() };
    let verdict = |all: &[Drawn]| {
        let (look, owners) = look_of(all, true);
        Verdict::of(&GameList::of(&look, &owners), slot_one())
    };
    let first = verdict(&[pad.clone(), device.clone()]);
    assert_eq!(first, Verdict::Doubled { pad: 2, device: "thing 3".into(), number: 1 });
    assert_eq!(first.short(), Some(["sees pad 2".into(), "after thing 3".into()]));
    let later = Drawn { number: 7, ..device.clone() };
    assert_eq!(verdict(&[pad.clone(), later]), Verdict::Doubled { pad: 1, device: "thing 7".into(), number: 2 });
    // What only udev calls a joystick comes after what looks like one, whatever its number.
    let tagged = Drawn { abilities: Takes::Nothing, tags: Some(Takes::Joystick), ..device };
    assert_eq!(verdict(&[pad, tagged]), Verdict::Doubled { pad: 1, device: "thing 3".into(), number: 2 });
}

#[test]
fn a_game_with_a_private_dev_sees_none_of_it() {
    let pad = pad_of_slot_one(3);
    let (mut look, owners) = look_of(&[pad], true);
    let shut_in = Program { pid: 9, name: "cellar".into(), own_dev: Some(Vec::new()), ..Program::default() };
    let sees = Program { pid: 10, own_dev: Some(vec!["/dev/input/event3".into()]), ..shut_in.clone() };
    look.programs = vec![shut_in, sees];
    let view = GameList::of(&look, &owners).view();
    assert_eq!(view.programs[0].shut_in, Some(0));
    assert!(view.programs[0].words.contains("shut in"), "{}", view.programs[0].words);
    assert_eq!((view.programs[1].shut_in, view.programs[1].words.as_str()), (Some(1), ""));
    // While a game is played, the verdict of the slot is about that game.
    let list = GameList::of(&look, &owners);
    let of_game = |game| Verdict::of_game(&list, slot_one(), game);
    assert_eq!(of_game(Some(9)), Verdict::ShutIn("cellar".into()));
    assert_eq!([of_game(Some(10)), of_game(None), of_game(Some(11))], [1, 1, 1].map(Verdict::Alone));
}
