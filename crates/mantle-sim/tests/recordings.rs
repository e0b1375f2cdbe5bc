//! What was recorded plays again: the same frames, the same stamps, faster, over and over, and step by step.

mod shadow;

use mantle_core::command::{Answer, CommandNumber};
use mantle_core::pad::Events;
use mantle_core::path::PadFault;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Effect, Settings, Table};
use mantle_core::time::Micros;
use mantle_engine::{Happening, Observer, Orders, World, orders};
use mantle_files::SceneFile;
use mantle_files::recording::{self, Header, Recording, Writer};
use mantle_files::shipped;
use mantle_sim::{Alongside, Pace, Playing, RecordedWorld, SimWorld, Taken, TakingDown};
use mantle_talk::{NodeId, Order, Play, PlaybackOrder, Wish};
use std::sync::Arc;

/// Frames with their stamps.
#[derive(Default, Debug, PartialEq)]
struct Frames(Vec<Frame>);

/// When, whose, and the type, code and value of each event.
type Frame = (u64, SlotNumber, Vec<(u16, u16, i32)>);

impl Observer for Frames {
    fn handle_frame(&mut self, now: Micros, slot: SlotNumber, events: &Events) {
        self.0.push((now.0, slot, events.iter().collect()));
    }
}

impl Frames {
    /// The same, counted from a moment.
    fn since(self, zero: u64) -> Self {
        Self(self.0.into_iter().map(|(at, slot, events)| (at - zero, slot, events)).collect())
    }
}

const VIRTUAL: Playing =
    Playing { pace: Pace::Virtual { until: Micros(u64::MAX) }, speed: 1.0, looped: false, paused: false };

/// Plays a device of ours for some seconds; returns its frames, the stamp of its first report, and its recording.
fn live(device: &str, seconds: u64) -> (Frames, u64, String) {
    let text = format!("version = 1\ntitle = \"one\"\n[[device]]\nfile = \"{device}\"\nport = \"1-3\"\n");
    let scene = SceneFile::parse("one", &text).expect("a scene");
    let pace = Pace::Virtual { until: Micros::seconds(seconds) };
    let world = SimWorld::new(&scene, pace, None).expect("a scene");
    let mut table = Table::new(world.settings());
    let mut world = TakingDown::new(world);
    let mut frames = Frames::default();
    shadow::run(&mut world, &mut table, &mut frames);
    let file = shipped::device(device).expect("it is shipped");
    let header = Header {
        name: file.name.clone(),
        bus: if file.bus == "bluetooth" { 5 } else { 3 },
        vendor: file.vendor,
        product: file.product,
        descriptor: file.interface[0].bytes().expect("bytes"),
        ..Header::default()
    };
    let mut writer = Writer::new(Vec::new(), &header, 1 << 30).expect("written");
    let mut first = None;
    for taken in &world.taken {
        if let Taken::Report(at, _, bytes) = taken {
            first.get_or_insert(at.0);
            assert!(writer.report(*at, bytes).expect("written"));
        }
    }
    let text = String::from_utf8(writer.finish().expect("written")).expect("text");
    (frames, first.expect("something was sent"), text)
}

fn play(recording: &Recording, playing: Playing, orders: Option<Orders>) -> Frames {
    let mut world = RecordedWorld::new(recording, playing, orders).expect("it can be played");
    let mut table = Table::new(Settings { cover: true, sheets: shipped::sheets(), ..Settings::default() });
    let mut frames = Frames::default();
    shadow::run(&mut world, &mut table, &mut frames);
    frames
}

fn without_comments(text: &str) -> Recording {
    let lines: String = text.lines().filter(|line| !line.starts_with('#')).map(|line| format!("{line}\n")).collect();
    assert!(lines.len() < text.len(), "there were comments");
    recording::read(lines.as_bytes()).expect("a recording")
}

#[test]
fn a_replay_without_its_comments_gives_the_same_frames_and_stamps() {
    // Those two only sit where somebody places them; `pointing.rs` covers them.
    let sits = |name: &String| !["gull-mouse", "slipway-slate"].contains(&name.as_str());
    for device in shipped::device_names().into_iter().filter(sits) {
        let (frames, first, text) = live(&device, 7);
        assert!(frames.0.len() > 10, "{device}: too little moves to prove anything");
        let again = play(&without_comments(&text), VIRTUAL, None);
        assert!(again == frames.since(first), "{device}");
    }
}

#[test]
fn double_speed_gives_the_same_frames_in_half_the_time() {
    let (_, _, text) = live("quay-pad", 3);
    let recording = without_comments(&text);
    let straight = play(&recording, VIRTUAL, None);
    let fast = play(&recording, Playing { speed: 2.0, ..VIRTUAL }, None);
    let events = |frames: &Frames| frames.0.iter().map(|(_, _, events)| events.clone()).collect::<Vec<_>>();
    assert_eq!(events(&fast), events(&straight));
    for ((fast, ..), (straight, ..)) in fast.0.iter().zip(&straight.0) {
        assert!(fast.abs_diff(straight / 2) <= 1, "{fast} {straight}");
    }
}

#[test]
fn a_loop_repeats_until_the_end() {
    let (_, _, text) = live("quay-pad", 2);
    let recording = without_comments(&text);
    let once = play(&recording, VIRTUAL, None);
    let pace = Pace::Virtual { until: Micros::seconds(9) };
    let many = play(&recording, Playing { looped: true, pace, ..VIRTUAL }, None);
    assert!(many.0.len() > once.0.len() * 5 / 2, "{} frames, once {}", many.0.len(), once.0.len());
    assert!(many.0.windows(2).all(|two| two[0].0 <= two[1].0), "time goes on");
}

/// Paused it sends nothing; each step is one report.
#[test]
fn a_replay_can_be_stepped() {
    let (_, _, text) = live("quay-pad", 2);
    let recording = without_comments(&text);
    let (give, taken) = orders(|| {});
    for _ in 0..3 {
        give.give(Order::unanswered(Wish::Playback(PlaybackOrder::Play(NodeId(0), Play::Step))));
    }
    give.give(Order::unanswered(Wish::Stop));
    let mut world = RecordedWorld::new(&recording, Playing { paused: true, ..VIRTUAL }, Some(taken)).expect("it plays");
    let mut table = Table::new(Settings::default());
    let mut count = Count(0);
    let mut world = TakingDown::new(&mut world);
    shadow::run(&mut world, &mut table, &mut count);
    let reports = world.taken.iter().filter(|taken| matches!(taken, Taken::Report(..))).count();
    assert_eq!(reports, 3);
}

struct Count(u32);

impl Observer for Count {
    fn handle_frame(&mut self, _: Micros, _: SlotNumber, _: &Events) {
        self.0 += 1;
    }
}

#[test]
fn a_file_without_reports_says_so() {
    let recording =
        recording::read(b"# EVEMU 1.3\nN: pad\nI: 0003 1209 0001 0110\nE: 0.000000 0000 0000 0\n").expect("read");
    let why = RecordedWorld::new(&recording, VIRTUAL, None).expect_err("nothing to play");
    assert!(why.contains("no device in it can be played"), "{why}");
}

#[test]
fn recorded_events_of_an_input_node_play() {
    // South is byte 38, bit 0 of the bitmap of keys.
    let keys = "B: 01 00 00 00 00 00 00 00 00\n".repeat(4) + "B: 01 00 00 00 00 00 00 03 00\n";
    let text = format!(
        "# EVEMU 1.3\nN: Sample Pad\nI: 0011 1209 0001 0110\n{keys}B: 03 03 00 00 00 00 00 00 00\n\
         A: 00 0 255 0 15 0\nA: 01 0 255 0 15 0\n\
         E: 0.000000 0003 0000 0128\nE: 0.000000 0003 0001 0128\nE: 0.000000 0000 0000 0000\n\
         E: 0.004012 0001 0130 0001\nE: 0.004012 0000 0000 0000\n\
         E: 0.500000 0003 0000 0255\nE: 0.500000 0000 0000 0000\n\
         E: 0.600000 0000 0003 0000\nE: 0.600000 0000 0000 0000\n\
         E: 0.700000 0001 0130 0000\nE: 0.700000 0000 0000 0000\n"
    );
    let recording = recording::read(text.as_bytes()).expect("a recording");
    assert!(recording.problems.is_empty(), "{:?}", recording.problems);
    let frames = play(&recording, VIRTUAL, None);
    let events = frames.0.into_iter().map(|(at, _, events)| (at, events));
    let wanted = [
        (4_012, vec![(1, 0x130, 1), (0, 0, 0)]),
        (500_000, vec![(3, 0, 32767), (0, 0, 0)]),
        (700_000, vec![(1, 0x130, 0), (0, 0, 0)]),
    ];
    assert!(events.eq(wanted));
}

/// A world that does as it is told, lets its orders come, and then lets time pass.
struct Bare {
    orders: Orders,
    wanted: Vec<Order>,
    end: Micros,
}

impl World for Bare {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        let at = Micros(1_000);
        match self.wanted.pop() {
            // Earlier requests are waited for, since reading is done on another thread.
            Some(Order { wish: Wish::Playback(PlaybackOrder::Opened), .. }) => match self.orders.channel.recv() {
                Ok(order) => Happening::Order(at, Box::new(order)),
                other => panic!("{other:?}"),
            },
            Some(order) => Happening::Order(at, Box::new(order)),
            None => match until.filter(|until| *until <= self.end) {
                Some(until) => Happening::Time(until),
                None => Happening::End,
            },
        }
    }

    fn write(&mut self, _: SlotNumber, _: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn files(&self) -> mantle_engine::FilesToRead {
        Box::new(Vec::new)
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn start(&mut self, _: Effect) {}
}

/// Opened beside another world, a recording is a device that nobody seats unasked, at its own times, over and over.
#[test]
fn a_recording_plays_beside_another_world() {
    let (_, first, text) = live("quay-pad", 1);
    let recording = without_comments(&text);
    let stamps: Vec<u64> = recording.in_time().into_iter().map(|event| event.time.0).collect();
    let (give, taken) = orders(|| {});
    let read = move |typed: &str| match typed {
        "here" => Ok(recording.clone()),
        _ => Err("there is nothing".to_owned()),
    };
    let open = |number, what: &str| Order {
        number: CommandNumber(number),
        wish: Wish::Playback(PlaybackOrder::Open(what.into())),
    };
    // Taken from the end.
    let opened = || Order::unanswered(Wish::Playback(PlaybackOrder::Opened));
    let wanted = vec![opened(), open(2, "nowhere"), opened(), open(1, "here")];
    let bare = Bare { orders: taken, wanted, end: Micros::millis(2_500) };
    let mut world = TakingDown::new(Alongside::new(bare, give, Arc::new(read)));
    let mut table = Table::new(Settings::default());
    let mut answers = Answers::default();
    shadow::run(&mut world, &mut table, &mut answers);
    let refused = Answer::Refused { why: "there is nothing".into() };
    assert_eq!(
        answers.0,
        [
            (CommandNumber(1), Answer::Done { said: "the recording plays as a device".into(), inverse: None }),
            (CommandNumber(2), refused)
        ]
    );
    assert_eq!((table.devices().count(), table.slots().count()), (1, 0), "first report at {first}");
    let came: Vec<u64> =
        world.taken.iter().filter_map(|one| if let Taken::Report(at, ..) = one { Some(at.0) } else { None }).collect();
    let expected: Vec<u64> = stamps.iter().map(|stamp| stamp + 1_000).collect();
    assert!(came.len() > stamps.len() && came[..stamps.len()] == expected, "{came:?}\n{expected:?}");
}

#[derive(Default)]
struct Answers(Vec<(CommandNumber, Answer)>);

impl Observer for Answers {
    fn handle_answer(&mut self, number: CommandNumber, answer: Answer) {
        self.0.push((number, answer));
    }
}

/// A pad with two axes and ten buttons that somebody holds to the right while plugging it in.
const HELD: &str = "D: 0\n\
    R: 50 05 01 09 04 a1 01 a1 02 14 75 08 95 03 81 01 26 ff 00 95 02 09 30 09 31 81 02 75 01 95 04 81 01 25 01 95 0a \
    05 09 19 01 29 0a 81 02 95 0a 81 01 c0 c0\nN: A plain pad\nP: usb-x/0\nI: 3 1209 0077\n";

/// Plays reports of that pad, each at a moment in milliseconds with its X and its buttons; returns when X and button 1 moved on the virtual pad, and
/// to what.
fn moves(reports: &[(u64, u8, u8)]) -> Vec<(u64, u16, i32)> {
    let line = |(at, x, buttons): &(u64, u8, u8)| {
        format!("E: {:06}.{:06} 8 00 00 00 {x:02x} 80 {buttons:02x} 00 00\n", at / 1000, at % 1000 * 1000)
    };
    let text = format!("{HELD}{}", reports.iter().map(line).collect::<String>());
    let frames = play(&recording::read(text.as_bytes()).expect("a recording"), VIRTUAL, None);
    let moved = |(at, _, events): &Frame| {
        let at = at / 1000;
        events.iter().filter(|event| event.0 != 0).map(move |(_, code, value)| (at, *code, *value)).collect::<Vec<_>>()
    };
    frames.0.iter().flat_map(moved).collect()
}

/// A stick plays from its described middle at once, whatever it does in the first seconds: every push arrives at its moment.
#[test]
fn every_push_of_a_stick_held_on_arrival_arrives() {
    const X: u16 = 0;
    const SOUTH: u16 = 0x130;
    const RIGHT: i32 = 32767;
    // Brisk: pushes that follow one another quickly, then a long pause.
    let brisk = [
        (0, 0xff, 0),
        (400, 0xff, 0x10),
        (600, 0xff, 0),
        (800, 0x80, 0),
        (1000, 0xff, 0),
        (1600, 0x80, 0),
        (1900, 0, 0),
        (2200, 0x80, 0),
        (60_000, 0xff, 0),
        (61_000, 0x80, 0),
    ];
    let moved = moves(&brisk);
    assert_eq!(moved.first().map(|(_, code, value)| (*code, *value)), Some((X, RIGHT)), "at once: {moved:?}");
    let expected = [
        (400, SOUTH, 1),
        (600, SOUTH, 0),
        (800, X, 0),
        (1000, X, RIGHT),
        (1600, X, 0),
        (1900, X, -32768),
        (2200, X, 0),
        (60_000, X, RIGHT),
        (61_000, X, 0),
    ];
    assert_eq!(moved[1..], expected);
    // Held for seconds, with a tap of a button meanwhile.
    let held = [(0, 0xff, 0), (1000, 0xff, 0x10), (1200, 0xff, 0), (4000, 0x80, 0), (8000, 0xff, 0), (8500, 0x80, 0)];
    let expected = [(1000, SOUTH, 1), (1200, SOUTH, 0), (4000, X, 0), (8000, X, RIGHT), (8500, X, 0)];
    assert_eq!(moves(&held)[1..], expected);
}
