//! A case says the same from afar: every scene goes into a file and comes out of it with the same frames and the same sentences.

use mantle_core::command::Asker;
use mantle_core::device::NodeId;
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::{Remembered, SlotNumber};
use mantle_core::table::{Note, Table};
use mantle_core::time::Micros;
use mantle_engine::{Comes, FilesToRead, Happening, Mailbox, Observer, Publisher, Screens, World};
use mantle_files::case::{Case, Private, Whose};
use mantle_files::{SceneFile, shipped};
use mantle_sim::{CaseWorld, Pace, SimWorld};
use mantle_talk::{CasePiece, Header, Watch};
use std::sync::mpsc::channel;
use std::time::Duration;

/// How long each scene goes on.
const SPAN: Micros = Micros::seconds(20);

/// The frames that left, and what cases are made of.
struct Witness {
    frames: Vec<(Micros, SlotNumber, String)>,
    publisher: Publisher,
    mailbox: Mailbox,
    told: std::sync::mpsc::Receiver<()>,
}

impl Witness {
    fn new(title: &str) -> Self {
        let (tell, told) = channel();
        let mailbox = Mailbox::new(move || {
            let _ = tell.send(());
        });
        let screens = Screens::default();
        assert_eq!(screens.enter(Comes::AsScreen, mailbox.clone()), Some(Asker(0)));
        let mut publisher = Publisher::of(screens, Header { title: title.into(), ..Header::default() });
        publisher.handle_watch(Asker(0), Watch { keyboards: true, ..Watch::default() });
        Self { frames: Vec::new(), publisher, mailbox, told }
    }

    /// The case of this moment, as text, and what the screen said then.
    fn case(&mut self, now: Micros, table: &Table, files: FilesToRead) -> (String, Vec<String>) {
        self.publisher.handle_case(now, Asker(0), true, table, files).expect("it is made");
        let mut pieces = Vec::new();
        while !matches!(pieces.last(), Some(CasePiece::End)) {
            pieces.extend(self.mailbox.take_case());
            if !matches!(pieces.last(), Some(CasePiece::End)) {
                self.told.recv_timeout(Duration::from_secs(60)).expect("more comes");
            }
        }
        let mut case = Case::of(pieces, "test".into()).expect("it is whole");
        Private { names: true, ..Private::default() }.apply(&mut case, &Whose::default()).expect("it is gone through");
        (case.to_text(), case.said)
    }
}

impl Observer for Witness {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        self.frames.push((now, slot, format!("{:?}", events.as_bytes())));
    }

    fn handle_report(&mut self, at: Micros, node: NodeId, bytes: &[u8]) {
        self.publisher.handle_report(at, node, bytes);
    }

    fn handle_happening(&mut self, happening: &Happening<'_>, table: &Table) {
        self.publisher.handle_happening(happening, table);
    }

    fn handle_remembered(&mut self, at: Micros, remembered: &Remembered) {
        self.publisher.handle_remembered(at, remembered);
    }

    fn handle_pad_lost(&mut self, at: Micros, slot: SlotNumber, fault: &PadFault) {
        self.publisher.handle_pad_lost(at, slot, fault);
    }

    fn handle_note(&mut self, note: Note) {
        self.publisher.handle_note(note);
    }

    fn is_watched(&self) -> bool {
        true
    }

    fn deadline(&self) -> Option<Micros> {
        self.publisher.deadline()
    }

    fn look(&mut self, now: Micros, table: &Table) {
        self.publisher.look(now, table);
    }

    fn work(&mut self, now: Micros, table: &Table) {
        self.publisher.work(now, table);
    }
}

/// The frames that left, and the sentences at the end.
type Played = (Vec<(Micros, SlotNumber, String)>, Vec<String>);

/// Plays a scene, and what comes of its case; each with its frames and sentences, and the text.
fn there_and_back(title: &str, scene: &SceneFile) -> ([Played; 2], String) {
    let mut world = SimWorld::new(scene, Pace::Virtual { until: SPAN }, None).expect("it is set up");
    let mut table = Table::new(world.settings());
    let mut own = Witness::new(title);
    mantle_engine::run(&mut world, &mut table, &mut own);
    let (text, said) = own.case(SPAN, &table, world.files());
    let case = Case::parse(title, &text).unwrap_or_else(|fault| panic!("{title}: {fault}"));
    let mut world = CaseWorld::new(&case, None).unwrap_or_else(|why| panic!("{title}: {why}"));
    let mut table = Table::new(world.settings());
    let mut other = Witness::new(title);
    mantle_engine::run(&mut world, &mut table, &mut other);
    let (_, again) = other.case(SPAN, &table, world.files());
    ([(own.frames, said), (other.frames, again)], text)
}

#[test]
fn every_scene_plays_the_same_as_a_case() {
    let (mut scenes, mut frames, mut wrong) = (0, 0, Vec::new());
    let recipes = mantle_shipped::recipes().iter().map(|recipe| {
        let name = format!("{}{}", shipped::RECIPE_SCENE, shipped::recipe_name(recipe));
        let scene = shipped::recipe_scene(&name).expect("it has one").unwrap_or_else(|fault| panic!("{name}: {fault}"));
        (name, scene)
    });
    let scenes_of_demo = shipped::scene_names().into_iter();
    let scenes_of_demo = scenes_of_demo.map(|name| (name.clone(), shipped::scene(&name).expect("it is shipped")));
    for (name, scene) in scenes_of_demo.chain(recipes) {
        let ([(own, said), (other, again)], text) = there_and_back(&name, &scene);
        scenes += 1;
        frames += own.len();
        // Frames of different slots at one moment have no order.
        let by_slot = |mut frames: Vec<(Micros, SlotNumber, String)>| {
            frames.sort_by_key(|(at, slot, _)| (*slot, *at));
            frames
        };
        let (own, other) = (by_slot(own), by_slot(other));
        let differs = own.iter().zip(&other).position(|(one, other)| one != other);
        if said != again {
            wrong.push(format!("{name}: {said:#?}\nfrom afar: {again:#?}"));
        }
        if own.len() != other.len() || differs.is_some() {
            let at = differs.unwrap_or(own.len().min(other.len()));
            wrong.push(format!(
                "{name}: {} frames, {} from afar; at {at}: {:?} {:?}",
                own.len(),
                other.len(),
                own.get(at),
                other.get(at)
            ));
        }
        println!("{name}: {} frames, {} bytes", own.len(), text.len());
    }
    println!("{scenes} scenes, {frames} frames");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(scenes >= 30 && frames > 10_000, "{scenes} scenes, {frames} frames");
}

/// Random numbers that are the same in every run.
struct Drawn(u64);

impl Drawn {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % most.max(1)
    }
}

#[test]
fn a_tampered_case_is_refused_or_played_and_harms_nothing() {
    let scene = shipped::scene("troubles").expect("it is shipped");
    let (_, text) = there_and_back("troubles", &scene);
    let (head, events) = text.split_at(text.find("[[event]]").expect("events"));
    let (events, reports) = events.split_at(events.find("[[reports]]").expect("reports"));
    let reports: String =
        reports.lines().filter(|line| !line.starts_with("E: 00001")).map(|line| line.to_owned() + "\n").collect();
    let blocks: Vec<&str> = events.split_inclusive("\n\n").collect();
    let (mut drawn, mut played, mut refused) = (Drawn(20_261_130), 0, 0);
    for _ in 0..80 {
        let mut blocks: Vec<String> = blocks.iter().map(|block| (*block).to_owned()).collect();
        for _ in 0..1 + drawn.below(6) {
            let (at, other) = (drawn.below(blocks.len()), drawn.below(blocks.len()));
            match drawn.below(5) {
                0 => drop(blocks.remove(at)),
                1 => blocks.insert(other, blocks[at].clone()),
                2 => blocks.swap(at, other),
                // Numbers that are others, or none.
                3 => blocks[at] = blocks[at].replace("node = 0", "node = 400").replace("at = 0", "at = 19999999"),
                _ => {
                    blocks[at] =
                        blocks[at].replace("slot = 1", "slot = 8").replace("descriptor = \"05 01", "descriptor = \"05")
                }
            }
        }
        let text = format!("{head}{}{reports}", blocks.concat());
        let Ok(case) = Case::parse("tampered", &text) else {
            refused += 1;
            continue;
        };
        let mut world = CaseWorld::new(&case, None).expect("what is read can be played");
        let mut table = Table::new(world.settings());
        let mut witness = Witness::new("tampered");
        mantle_engine::run(&mut world, &mut table, &mut witness);
        // Nothing stays down that nobody holds: it says something of every slot, and ends.
        assert!(table.slots().count() <= mantle_core::slot::SLOTS);
        played += 1;
    }
    println!("{played} played, {refused} refused");
    assert!(played >= 20 && refused >= 5, "{played} played, {refused} refused");
}
