//! What sheets, replays and recordings cost. One command: `cargo run --release -p mantle-lab --bin sheet_bench [ROUNDS]` (21 or more; every round
//! measures every case once).

use mantle_core::control::{ControlKind, Layout, Packing};
use mantle_core::sheet::{Sheet, SheetControl, Where};
use mantle_core::table::{Settings, Table};
use mantle_core::time::Micros;
use mantle_files::recording::{self, Header, Recorder, Writer};
use mantle_files::shipped;
use mantle_hid::{Descriptor, Frame, Want};
use mantle_lab::road::{self, REPORT};
use mantle_sim::{Pace, Playing, RecordedWorld};
use std::hint::black_box;
use std::time::Instant;

const BATCH: usize = 1024;

/// A sheet that names every field of a layout's first report by its bits.
fn by_bits(layout: &Layout) -> Sheet {
    let first = layout.wants.iter().filter(|want| want.report().0 == 1).enumerate();
    let controls = first.map(|(index, want)| {
        let (kind, at, size, signed) = match *want {
            Want::Bit { offset, .. } => (ControlKind::Button, offset, 1, false),
            Want::Value { offset, width, signed, .. } => (ControlKind::Axis, offset, width, signed),
            Want::Big { .. } | Want::Array { .. } => unreachable!("the report of the busy hand has neither"),
        };
        let source = Where::Bits { report: want.report().0, at, size, packing: Packing::Little, signed };
        SheetControl { source, ..SheetControl::new(&format!("field {index}"), kind) }
    });
    Sheet { controls: controls.collect(), ..Sheet::default() }
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn time(work: impl FnOnce()) -> f64 {
    let start = Instant::now();
    work();
    start.elapsed().as_nanos() as f64
}

fn main() {
    let rounds = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(101usize).max(21);
    sheets(rounds);
    replay();
    record(rounds);
}

fn sheets(rounds: usize) {
    let descriptor = Descriptor::parse(&road::large()).expect("our own");
    let plain = Layout::new(&descriptor);
    let sheet = Layout::with_sheet(&descriptor, &by_bits(&plain));
    let busy = road::reports(BATCH, false);
    let decode = |layout: &Layout, busy: &[[u8; REPORT]]| {
        let mut frame = Frame::default();
        for report in busy {
            let _ = black_box(layout.decode(black_box(report), &mut frame));
        }
        frame
    };
    let fields = |frame: &Frame| frame.values.iter().map(|value| i64::from(*value)).sum::<i64>();
    assert_eq!(fields(&decode(&plain, &busy)), fields(&decode(&sheet, &busy)), "both read the same");
    let ratios = (0..rounds).map(|_| {
        let one = |layout: &Layout| {
            time(|| {
                let _ = black_box(decode(layout, &busy));
            })
        };
        let plain = one(&plain);
        one(&sheet) / plain
    });
    println!("decode through a sheet / decode (to reach: at most 2)   {:.2}", median(ratios.collect()));
}

/// A minute of one device, played as fast as possible.
fn replay() {
    let descriptor = shipped::device("quay-pad").expect("it is shipped").interface[0].bytes().expect("bytes");
    let header =
        Header { name: "Quay pad".into(), bus: 3, vendor: 0x1209, product: 0x0a02, descriptor, ..Header::default() };
    let mut writer = Writer::new(Vec::new(), &header, 1 << 30).expect("written");
    for n in 0..60_000u32 {
        let report = [1, n as u8 & 1, 0, (n >> 3) as u8, 0x80, 0x80, 0x80, 0, 0];
        writer.report(Micros::millis(u64::from(n)), &report).expect("written");
    }
    let recording = recording::read(&writer.finish().expect("written")).expect("it can be read");
    let pace = Pace::Virtual { until: Micros(u64::MAX) };
    let playing = Playing { pace, speed: 1.0, looped: false, paused: false };
    let mut world = RecordedWorld::new(&recording, playing, None).expect("it plays");
    let mut table = Table::new(Settings::default());
    let took = time(|| mantle_engine::run(&mut world, &mut table, &mut mantle_engine::NoObserver));
    println!(
        "a minute at 1000 reports a second is replayed in         {:.1} ms ({:.0} times real time)",
        took / 1e6,
        60e9 / took
    );
}

/// What a report costs whoever offers it to a recording, compared with the road of that report.
fn record(rounds: usize) {
    let path = std::env::temp_dir().join(format!("placid-mantle-bench-{}.hid", std::process::id()));
    let at = path.clone();
    let recorder = Recorder::start(
        move || Ok((at.clone(), std::fs::File::create(&at)?)),
        Header { descriptor: road::large(), ..Header::default() },
        1 << 32,
    );
    let (busy, mut table, mut out) = (road::reports(BATCH, false), road::table(), [0u8; 512]);
    let mut now = 0u64;
    let mut offers = Vec::new();
    let mut roads = Vec::new();
    for _ in 0..rounds {
        roads.push(time(|| {
            for report in &busy {
                now += 1;
                black_box(road::travel(&mut table, Micros(now), report, &mut out));
            }
        }));
        offers.push(time(|| {
            for report in &busy {
                recorder.offer(Micros(now), black_box(report));
            }
        }));
        // A second of a fast device in each round: the writer is given the time that it would have.
        std::thread::sleep(std::time::Duration::from_millis(60));
    }
    let (offer, road) = (median(offers) / BATCH as f64, median(roads) / BATCH as f64);
    drop(recorder);
    let _ = std::fs::remove_file(path);
    println!(
        "offering a report to a recording                         {offer:.0} ns ({:.2} of its road)",
        offer / road
    );
}
