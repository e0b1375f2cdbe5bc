//! Every scene on simulated time: what its pads send, and what the program says about it.

mod shadow;

use mantle_core::pad::Events;
use mantle_core::path::{StageState, sentences, stages};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_engine::{NoObserver, Observer, World};
use mantle_files::shipped;
use mantle_files::{DeviceFile, SceneFile};
use mantle_hid::{Descriptor, FieldKind, ReportKind};
use mantle_link::ToScreen;
use mantle_sim::{Pace, ReplayWorld, SimWorld, TakingDown};
use proptest::prelude::*;
use std::fmt::Write;

/// All frames with their stamps.
#[derive(Clone, Default, PartialEq, Debug)]
struct Frames(Vec<Frame>);

/// When, whose, and the type, code and value of each event.
type Frame = (Micros, SlotNumber, Vec<(u16, u16, i32)>);

impl Observer for Frames {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        self.0.push((now, slot, events.iter().collect()));
    }
}

/// Keys and hats as they come, axes counted, and at each full second what the table says, if that is new.
#[derive(Default)]
struct Story {
    text: String,
    axes: [u32; 8],
    said: String,
    second: u64,
}

impl Story {
    fn tell(&mut self, table: &Table) {
        let facts: Vec<_> = SlotNumber::all().filter_map(|slot| table.slot_facts(slot)).collect();
        let mut now = String::new();
        for facts in &facts {
            let signs = stages(facts).map(|state| match state {
                StageState::Untried => 'o',
                StageState::Passing => '=',
                StageState::Doubtful => '!',
                StageState::Stopped => 'x',
                StageState::Kept => '~',
            });
            let _ = writeln!(now, "    {} {}", facts.number, signs.iter().collect::<String>());
        }
        for sentence in sentences(&facts, &table.table_facts()) {
            let _ = writeln!(now, "    {:?}: {}", sentence.mark, sentence.text);
        }
        if now != self.said {
            let _ = write!(self.text, "at {} s\n{now}", self.second);
            self.said = now;
        }
    }
}

impl Observer for Story {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        let keys: Vec<String> = events
            .iter()
            .filter(|(kind, code, _)| *kind == 1 || (*kind == 3 && *code >= 0x10))
            .map(|(kind, code, value)| format!("{}{code:#x}={value}", if kind == 1 { "key " } else { "hat " }))
            .collect();
        if keys.is_empty() {
            self.axes[slot.index()] += 1;
        } else {
            let _ = writeln!(self.text, "{:>9.3} {slot} {}", now.as_seconds(), keys.join(" "));
        }
    }

    fn handle_note(&mut self, note: Note) {
        let _ = writeln!(self.text, "{:>9.3} note: {}", note.at.as_seconds(), note.text);
    }

    fn deadline(&self) -> Option<Micros> {
        Some(Micros::seconds(self.second + 1))
    }

    fn look(&mut self, now: Micros, table: &Table) {
        while now >= Micros::seconds(self.second + 1) {
            self.second += 1;
            self.tell(table);
        }
    }
}

fn virtual_seconds(seconds: u64) -> Pace {
    Pace::Virtual { until: Micros::seconds(seconds) }
}

/// Each scene's story is kept in a file; a scene without one, or one that has changed, fails.
#[test]
fn every_scene_is_as_recorded() {
    let names = shipped::scene_names();
    assert!(names.len() >= 8, "only {} scenes were found", names.len());
    for name in names {
        let scene = shipped::scene(&name).expect("a shipped scene can be read");
        let mut world = SimWorld::new(&scene, virtual_seconds(9), None).expect("a shipped scene can be played");
        let mut table = Table::new(world.settings());
        let mut story = Story::default();
        shadow::run(&mut world, &mut table, &mut story);
        let _ = writeln!(story.text, "frames that move axes only, by slot: {:?}", story.axes);
        insta::assert_snapshot!(name, story.text);
    }
}

fn frames_of(world: &mut impl World, table: &mut Table) -> Frames {
    let mut frames = Frames::default();
    shadow::run(world, table, &mut frames);
    frames
}

/// What the simulation reported, reported again by a replay, gives the same frames with the same stamps, whenever the engine is woken needlessly in
/// between.
#[test]
fn a_replay_gives_the_same_frames_with_any_wake_ups() {
    let scene = shipped::scene("pulled-out").expect("it is shipped");
    let world = SimWorld::new(&scene, virtual_seconds(9), None).expect("a scene");
    let settings = world.settings();
    let mut world = TakingDown::new(world);
    let live = frames_of(&mut world, &mut Table::new(settings.clone()));
    assert!(live.0.len() > 300, "too little moves to prove anything");
    let taken = world.taken;
    proptest!(ProptestConfig::with_cases(24), |(mut moments in prop::collection::vec(0u64..9_000_000, 0..200))| {
        moments.sort_unstable();
        let mut world = ReplayWorld::new(taken.clone());
        world.needless = moments.into_iter().map(Micros).collect();
        let again = frames_of(&mut world, &mut Table::new(settings.clone()));
        prop_assert!(again == live);
    });
}

/// Rewrites a device's descriptor with the elements of each input report in another order.
fn permuted(file: &DeviceFile, seed: u64) -> DeviceFile {
    let mut file = file.clone();
    let mut state = seed;
    let mut random = move |n: usize| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 33) as usize % n.max(1)
    };
    for interface in &mut file.interface {
        let descriptor = Descriptor::parse(&interface.bytes().expect("hex")).expect("a shipped device");
        let mut out: Vec<u8> = Vec::new();
        let item = |out: &mut Vec<u8>, prefix: u8, value: i64| {
            out.push(prefix | 3);
            out.extend((value as u32).to_le_bytes());
        };
        for (top, collection) in descriptor.collections().iter().enumerate() {
            assert!(collection.parent.is_none(), "nested collections are not written here");
            item(&mut out, 0x08, i64::from(collection.usage.0));
            out.extend([0xa1, 0x01]);
            for report in descriptor.reports_of(ReportKind::Input) {
                let mine = |f: &&mantle_hid::Field| f.collection.is_some_and(|c| usize::from(c.0) == top);
                let mut elements: Vec<(&mantle_hid::Field, u32)> = report
                    .fields
                    .iter()
                    .filter(mine)
                    .filter(|field| field.kind == FieldKind::Variable)
                    .flat_map(|field| (0..field.count).map(move |index| (field, index)))
                    .collect();
                for at in (1..elements.len()).rev() {
                    elements.swap(at, random(at + 1));
                }
                if report.id.0 != 0 && !elements.is_empty() {
                    item(&mut out, 0x84, i64::from(report.id.0));
                }
                let mut bits = 0;
                for (field, index) in elements {
                    item(&mut out, 0x08, i64::from(field.usages.element(index).expect("a usage").0));
                    item(&mut out, 0x14, field.logical_min);
                    item(&mut out, 0x24, field.logical_max);
                    item(&mut out, 0x74, i64::from(field.bit_size));
                    item(&mut out, 0x94, 1);
                    out.extend([0x81, if field.null_state { 0x42 } else { 0x02 }]);
                    bits += field.bit_size;
                }
                if bits % 8 != 0 {
                    item(&mut out, 0x74, i64::from(8 - bits % 8));
                    item(&mut out, 0x94, 1);
                    out.extend([0x81, 0x03]);
                }
            }
            out.push(0xc0);
        }
        interface.descriptor = out.iter().map(|byte| format!("{byte:02x} ")).collect();
    }
    file
}

/// The order of bits in a report does not matter: permuted in descriptor and bytes alike, nothing changes.
#[test]
fn permuting_the_bits_of_reports_changes_nothing() {
    let scene = shipped::scene(mantle_shipped::OPENING).expect("it is shipped");
    let play = |seed: Option<u64>| {
        let load = |name: &str| {
            let file = shipped::device(name)?;
            Ok(seed.map_or(file.clone(), |seed| permuted(&file, seed)))
        };
        let mut world = SimWorld::with_devices(&scene, virtual_seconds(6), None, load).expect("a scene");
        let settings = world.settings();
        frames_of(&mut world, &mut Table::new(settings))
    };
    let straight = play(None);
    assert!(straight.0.len() > 300, "too little moves to prove anything");
    for seed in 1..=5 {
        assert!(play(Some(seed)) == straight, "seed {seed}");
    }
    // The check itself would notice: another device's bits do change something.
    let mut other = scene.clone();
    other.device[0].hands = false;
    let mut world = SimWorld::new(&other, virtual_seconds(6), None).expect("a scene");
    let settings = world.settings();
    assert!(frames_of(&mut world, &mut Table::new(settings)) != straight);
}

/// A scene file that says something impossible is refused in words.
#[test]
fn a_broken_scene_is_located() {
    let broken = [
        ("version = 2\ntitle = \"x\"\n", "version 2 is unknown"),
        ("version = 1\ntitle = \"x\"\n[machine]\nuinput = \"maybe\"\n", "is not one of: ok, absent, denied, no module"),
        ("version = 1\ntitle = \"x\"\nmood = 1\n", "unknown field `mood`"),
        (
            "version = 1\ntitle = \"x\"\n[[device]]\nfile = \"quay-pad\"\nport = \"1\"\nslots = [9]\n",
            "not within 0 to 8",
        ),
    ];
    for (text, words) in broken {
        let fault = SceneFile::parse("scene", text).expect_err("it is broken");
        assert!(fault.to_string().contains(words), "{fault}");
    }
    let unknown = "version = 1\ntitle = \"x\"\n[[device]]\nfile = \"nobody\"\nport = \"1\"\n";
    let scene = SceneFile::parse("scene", unknown).expect("its form is right");
    let fault = SimWorld::new(&scene, virtual_seconds(1), None).expect_err("no such device");
    assert!(fault.to_string().contains("there are: buoy-stick, cellar-pad, cove-box"), "{fault}");
}

/// A snapshot with as much in it as possible stays small enough for a pipe.
#[test]
fn a_full_snapshot_stays_small() {
    full_snapshot_of("quay-pad", "");
}

/// The same with flight sticks that have everything a flight stick can have, four devices in one slot.
#[test]
fn a_full_snapshot_of_flight_sticks_stays_small() {
    let axes = "axes = [\"Z\", \"Rx\", \"Ry\", \"Rz\", \"throttle\", \"rudder\", \"wheel\", \"gas\", \"brake\"]";
    full_snapshot_of("lookout-stick", &format!("kind = \"flight stick\"\n{axes}\nbuttons = 56\nhats = 4"));
}

fn full_snapshot_of(device: &str, kind: &str) {
    let mut text = "version = 1\ntitle = \"full\"\n".to_owned();
    for n in 0..16 {
        // Of those that need no slot of their own, three play along in the first one.
        let slots = match n {
            0..8 => format!("slots = [{}]", n + 1),
            8..11 => "slots = [1]".into(),
            _ => "slots = [0]".into(),
        };
        let _ = write!(text, "[[device]]\nfile = \"{device}\"\nport = \"1-{n}\"\nserial = \"N{n}\"\n{slots}\n{kind}\n");
    }
    let scene = SceneFile::parse("full", &text).expect("a scene");
    let mut world = SimWorld::new(&scene, virtual_seconds(3), None).expect("a scene");
    let mut table = Table::new(world.settings());
    shadow::run(&mut world, &mut table, &mut NoObserver);
    let mailbox = mantle_engine::Mailbox::new(|| {});
    let mut publisher = mantle_engine::Publisher::new(mailbox, mantle_talk::Header::default());
    let (slot, shelf) = (SlotNumber::new(1), Some((0, 0)));
    // A screen asks for the reports, or for what a game sees: those are two views.
    for sight in [false, true] {
        let watch = mantle_talk::Watch {
            slot,
            journal: true,
            reports: !sight,
            device: None,
            keyboards: false,
            sight,
            readiness: sight,
            connecting: sight,
            shelf: shelf.filter(|_| !sight),
        };
        publisher.handle_watch(mantle_talk::Asker::default(), watch);
        let snapshot = publisher.snapshot(Micros::seconds(3), &table);
        assert_eq!((snapshot.slots.len(), snapshot.devices.len()), (8, 16));
        assert_eq!(snapshot.sight.as_ref().map(|view| view.rows.len()), sight.then_some(24), "devices and pads");
        // Nothing comes through that is larger than a snapshot may be.
        let sent = ToScreen::Snapshot(Box::new(snapshot));
        assert_eq!(mantle_link::through(&sent), Some(sent));
    }
}
