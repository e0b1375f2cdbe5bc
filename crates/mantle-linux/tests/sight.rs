//! What a look reads from a machine: random trees of sysfs, udev's database and `/proc`, compared with what they were made from.

use mantle_core::sight::{GameList, Look, Maker, Owner, Takes, Whose};
use mantle_core::slot::SlotNumber;
use mantle_linux::sight::{SightPaths, look};
use proptest::prelude::*;
use std::collections::HashSet;
use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;

/// The place of an input device, and who made it.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Stands {
    /// A HID device at a USB port.
    Usb,
    /// A HID device over uhid that is not one of our pads.
    Radio,
    /// Made through uinput by some program.
    Made,
    /// A pad of an engine that is not this process.
    Theirs,
    /// A pad of this process.
    Ours,
}

/// What it is: the bits of its keys and axes as in sysfs, what it is taken for by those, and its tags in udev.
#[derive(Clone, Copy, Debug)]
struct Kind {
    key: &'static str,
    abs: &'static str,
    rel: &'static str,
    abilities: Takes,
    tag: &'static str,
    tagged: Takes,
}

const fn kind(bits: [&'static str; 3], abilities: Takes, tag: &'static str, tagged: Takes) -> Kind {
    Kind { key: bits[0], abs: bits[1], rel: bits[2], abilities, tag, tagged }
}

/// Key 0x130 is bit 48 of the fifth word, 0x120 bit 32 of it, 0x110 bit 16. Pedals have no X and Y.
const KINDS: [Kind; 6] = [
    kind(["7cdb000000000000 0 0 0 0", "3003f", "0"], Takes::Pad, "ID_INPUT_JOYSTICK", Takes::Pad),
    kind(["f00000000 0 0 0 0", "3", "0"], Takes::Joystick, "ID_INPUT_JOYSTICK", Takes::Joystick),
    kind(["0", "64", "0"], Takes::Nothing, "ID_INPUT_JOYSTICK", Takes::Joystick),
    kind(["70000 0 0 0 0", "0", "103"], Takes::Mouse, "ID_INPUT_MOUSE", Takes::Mouse),
    kind(["fffffffffffffffe", "0", "0"], Takes::Keys, "ID_INPUT_KEYBOARD", Takes::Keys),
    kind(["0", "7", "0"], Takes::Motion, "ID_INPUT_ACCELEROMETER", Takes::Motion),
];

#[derive(Clone, Debug)]
struct Drawn {
    number: u16,
    stands: Stands,
    kind: usize,
    /// 0: no entry in udev, 1: what it is, 2: nothing that games go by.
    tags: u8,
    closed: bool,
    js: bool,
    open_by: Vec<u32>,
}

#[derive(Clone, Debug)]
struct Process {
    number: u32,
    name: String,
    makes: bool,
    started: u64,
    shut_in: bool,
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let stands = prop_oneof![
        Just(Stands::Usb),
        Just(Stands::Radio),
        Just(Stands::Made),
        Just(Stands::Theirs),
        Just(Stands::Ours)
    ];
    let open_by = prop::collection::vec(100u32..104, 0..3);
    (0u16..60, stands, 0..KINDS.len(), 0u8..3, prop::bool::weighted(0.2), any::<bool>(), open_by).prop_map(
        |(number, stands, kind, tags, closed, js, open_by)| Drawn { number, stands, kind, tags, closed, js, open_by },
    )
}

fn process() -> impl Strategy<Value = Process> {
    // Names come from programs: brackets and spaces in them must confuse nobody.
    let name = prop_oneof![Just("ferry".to_owned()), Just("race (2) x".to_owned()), Just(") 1 2 3".to_owned())];
    (100u32..104, name, any::<bool>(), 0u64..1_000_000, any::<bool>())
        .prop_map(|(number, name, makes, started, shut_in)| Process { number, name, makes, started, shut_in })
}

fn write(path: &Path, text: impl AsRef<[u8]>) {
    fs::create_dir_all(path.parent().expect("a parent")).expect("made");
    fs::write(path, text).expect("written");
}

fn link(target: impl AsRef<Path>, path: &Path) {
    fs::create_dir_all(path.parent().expect("a parent")).expect("made");
    symlink(target, path).expect("linked");
}

/// The place of an input device's device below `/sys`, its input device, and its phys.
fn place(one: &Drawn) -> (String, String, String) {
    let n = one.number;
    let hid = |parent: &str| {
        let device = format!("devices/{parent}/0003:1209:0A01.{n:04X}");
        (device.clone(), format!("{device}/input/input{n}"))
    };
    let made = || {
        let input = format!("devices/virtual/input/input{n}");
        (input.clone(), input)
    };
    let ((device, input), phys) = match one.stands {
        Stands::Usb => (hid(&format!("pci0000:00/usb1/1-{n}/1-{n}:1.0")), format!("usb-{n}/input0")),
        Stands::Radio => (hid("virtual/misc/uhid"), "00:11:22:33:44:55".to_owned()),
        Stands::Made => (made(), String::new()),
        Stands::Theirs => (made(), format!("placid-mantle/1/{n}")),
        Stands::Ours => (made(), format!("placid-mantle/{}/{n}", std::process::id())),
    };
    (device, input, phys)
}

fn is_hid(one: &Drawn) -> bool {
    matches!(one.stands, Stands::Usb | Stands::Radio)
}

/// What is told of one input device.
fn lay_out(root: &Path, one: &Drawn, udev: bool) {
    let (device, input, phys) = place(one);
    let (kind, n, sys, dev) = (KINDS[one.kind], one.number, root.join("sys"), root.join("dev"));
    let input = sys.join(&input);
    let about = [
        ("name", format!("thing {n}")),
        ("phys", phys.clone()),
        ("id/vendor", "1209".into()),
        ("id/product", "0a01".into()),
        ("capabilities/key", kind.key.into()),
        ("capabilities/abs", kind.abs.into()),
        ("capabilities/rel", kind.rel.into()),
        ("properties", "0".into()),
    ];
    about.iter().for_each(|(file, text)| write(&input.join(file), format!("{text}\n")));
    let mut nodes = vec![(format!("event{n}"), 64 + n)];
    nodes.extend(one.js.then(|| (format!("js{n}"), n)));
    for (name, minor) in &nodes {
        write(&input.join(name).join("dev"), format!("13:{minor}\n"));
        link(input.join(name), &sys.join("class/input").join(name));
        let node = dev.join("input").join(name);
        write(&node, "");
        let mode = if one.closed { 0 } else { 0o666 };
        fs::set_permissions(&node, fs::Permissions::from_mode(mode)).expect("set");
        if udev && one.tags > 0 {
            let tag = if one.tags == 1 { format!("E:{}=1\n", kind.tag) } else { String::new() };
            write(&root.join(format!("udev/data/c13:{minor}")), format!("I:1\nE:ID_INPUT=1\n{tag}"));
        }
    }
    if is_hid(one) {
        let device = sys.join(&device);
        let told = format!("HID_ID=0003:00001209:00000A01\nHID_NAME=thing {n}\nHID_PHYS={phys}\n");
        write(&device.join("uevent"), told);
        let hidraw = device.join("hidraw").join(format!("hidraw{n}"));
        link(&device, &hidraw.join("device"));
        link(&hidraw, &sys.join("class/hidraw").join(format!("hidraw{n}")));
        write(&dev.join(format!("hidraw{n}")), "");
    }
}

fn tree(root: &Path, all: &[Drawn], processes: &[Process], udev: bool) -> SightPaths {
    all.iter().for_each(|one| lay_out(root, one, udev));
    if udev {
        fs::create_dir_all(root.join("udev/data")).expect("made");
    }
    let proc = root.join("proc");
    write(&proc.join("stat"), "cpu 1 2\nbtime 1700000000\n");
    link("mnt:[1]", &proc.join("self/ns/mnt"));
    for one in processes {
        let directory = proc.join(one.number.to_string());
        fs::create_dir_all(directory.join("fd")).expect("made");
        link(if one.shut_in { "mnt:[2]" } else { "mnt:[1]" }, &directory.join("ns/mnt"));
        write(&directory.join("comm"), format!("{}\n", one.name));
        let fields: Vec<String> = (4..22).map(|n| n.to_string()).collect();
        let stat = format!("{} ({}) S {} {} 0 0\n", one.number, one.name, fields.join(" "), one.started);
        write(&directory.join("stat"), stat);
        let mut open: Vec<String> = vec!["/dev/null".into(), "socket:[1]".into()];
        let own = all.iter().filter(|drawn| drawn.open_by.contains(&one.number));
        open.extend(own.map(|drawn| format!("/dev/input/event{}", drawn.number)));
        open.extend(one.makes.then(|| "/dev/uinput".to_owned()));
        for (at, target) in open.iter().enumerate() {
            link(target, &directory.join("fd").join(at.to_string()));
        }
    }
    let (sys, dev, udev) = (root.join("sys"), root.join("dev"), root.join("udev"));
    SightPaths { sys, dev, proc, udev, applications: Vec::new() }
}

/// What games take it for if udev runs or does not, in the plainest way.
fn taken(one: &Drawn, udev: bool) -> Takes {
    let kind = KINDS[one.kind];
    if udev && one.tags == 1 { kind.tagged } else { kind.abilities }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn a_look_reads_the_present_nodes(
        all in prop::collection::vec(drawn(), 0..7),
        processes in prop::collection::vec(process(), 0..4),
        udev in any::<bool>(),
    ) {
        let (mut all, mut processes): (Vec<Drawn>, Vec<Process>) = (all, processes);
        let mut seen = HashSet::new();
        all.retain(|one| seen.insert(u32::from(one.number)));
        seen.clear();
        processes.retain(|one| seen.insert(one.number));
        let root = tempfile::tempdir().expect("a directory");
        let paths = tree(root.path(), &all, &processes, udev);
        let Look { nodes, programs, closed, udev: found, .. } = look(&paths, None);
        prop_assert_eq!((found, closed), (udev, 0));
        let count: usize = all.iter().map(|one| 1 + usize::from(one.js) + usize::from(is_hid(one))).sum();
        prop_assert_eq!(nodes.len(), count);
        for one in &all {
            let path = format!("/dev/input/event{}", one.number);
            let node = nodes.iter().find(|node| node.path == path).expect("it is there");
            let maker = match one.stands {
                Stands::Usb | Stands::Radio => Maker::System,
                Stands::Made => Maker::Program,
                Stands::Theirs => Maker::OtherEngine,
                Stands::Ours => Maker::ThisEngine,
            };
            prop_assert_eq!((node.made_by, node.ids), (maker, (0x1209, 0x0a01)));
            prop_assert_eq!(node.abilities, KINDS[one.kind].abilities);
            prop_assert_eq!(node.refused, one.closed.then_some(13));
        }
        let told = |one: &&Process| one.makes || all.iter().any(|drawn| drawn.open_by.contains(&one.number));
        let wanted: Vec<&Process> = processes.iter().filter(told).collect();
        prop_assert_eq!(programs.len(), wanted.len());
        for one in wanted {
            let program = programs.iter().find(|program| program.pid == one.number).expect("it is there");
            let own = all.iter().filter(|drawn| drawn.open_by.contains(&one.number)).count();
            prop_assert_eq!((program.nodes.len(), program.makes), (own, one.makes));
            prop_assert_eq!(program.since, Some(1_700_000_000 + one.started / 100));
            prop_assert_eq!(program.own_dev.is_some(), one.shut_in);
        }
        // Its list: by the numbers of nodes what looks like a controller, then by place what only udev calls one.
        let owner = |one: &Drawn| Owner {
            node: format!("/dev/input/event{}", one.number),
            whose: Whose::Pad(SlotNumber::new(1).expect("a slot")),
            cover: Default::default(),
        };
        let owners: Vec<Owner> = all.iter().filter(|one| one.stands == Stands::Ours).take(1).map(owner).collect();
        let sight = GameList::of(&look(&paths, None), &owners);
        let mut listed: Vec<&Drawn> = all.iter().filter(|one| taken(one, udev).is_pad() && !one.closed).collect();
        listed.sort_by_key(|one| match udev && !KINDS[one.kind].abilities.is_pad() {
            true => (true, format!("{}/event{}", place(one).1, one.number), 0),
            false => (false, String::new(), one.number),
        });
        let wanted: Vec<String> = listed.iter().map(|one| format!("/dev/input/event{}", one.number)).collect();
        let numbered: Vec<String> = sight.played().map(|entry| entry.nodes[0].clone()).collect();
        prop_assert_eq!(numbered, wanted);
    }
}

/// A database and names written by somebody hostile.
#[test]
fn hostile_entries_are_ignored() {
    let root = tempfile::tempdir().expect("a directory");
    let one = Drawn { number: 5, stands: Stands::Usb, kind: 0, tags: 1, closed: false, js: false, open_by: vec![7] };
    let process = Process { number: 7, name: "x".into(), makes: false, started: 1, shut_in: false };
    let input = root.path().join("sys").join(place(&one).1);
    let paths = tree(root.path(), &[one], &[process], true);
    write(&input.join("event5/dev"), "../../etc/passwd");
    write(&input.join("name"), "\u{1b}]0;owned\u{7}\n");
    write(&paths.proc.join("7/comm"), [0xff, 0x1b, b'[', b'A']);
    write(&paths.proc.join("7/stat"), "7 (((( 1");
    let seen = look(&paths, None);
    let event = seen.nodes.iter().find(|node| node.path == "/dev/input/event5").expect("it is there");
    assert_eq!(event.tags, None, "a number that leads elsewhere is none");
    assert!(seen.nodes.iter().all(|node| !node.name.contains('\u{1b}')));
    assert!(seen.programs.iter().all(|program| program.since.is_none() && !program.name.contains('\u{1b}')));
}
