//! Ratios of the hot path to the floor and to a general library. One command: `cargo run --release -p mantle-lab --bin bench [ROUNDS]` (21 or more;
//! every round measures every case once).

use hidreport::{Field, Report, ReportDescriptor};
use mantle_core::control::Layout;
use mantle_core::time::Micros;
use mantle_hid::{Descriptor, Frame};
use mantle_lab::road::{self, ByHand, REPORT};
use rustix::event::epoll::{self, EventData, EventFlags};
use rustix::io::{read, write};
use rustix::net::{AddressFamily, SocketFlags, SocketType, socketpair};
use std::hint::black_box;
use std::mem::MaybeUninit;
use std::time::Instant;

const BATCH: usize = 1024;

type Case<'a> = (&'static str, Box<dyn FnMut() + 'a>);

fn median(values: &mut [f64], at: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    values[((values.len() - 1) as f64 * at).round() as usize]
}

/// Runs every case once per round; prints medians, and returns the nanoseconds of each round by case.
fn measure(rounds: usize, per: usize, cases: &mut [Case<'_>]) -> Vec<Vec<f64>> {
    let mut times = vec![Vec::new(); cases.len()];
    for round in 0..=rounds {
        for (case, times) in cases.iter_mut().zip(&mut times) {
            let start = Instant::now();
            (case.1)();
            if round > 0 {
                times.push(start.elapsed().as_nanos() as f64 / per as f64);
            }
        }
    }
    for ((name, _), times) in cases.iter().zip(&times) {
        let mut sorted = times.clone();
        println!("{name:<58} {:>10.1} ns", median(&mut sorted, 0.5));
    }
    times
}

fn ratio(words: &str, a: &[f64], b: &[f64]) {
    let mut ratios: Vec<f64> = a.iter().zip(b).map(|(a, b)| a / b).collect();
    let (low, mid, high) = (median(&mut ratios, 0.1), median(&mut ratios, 0.5), median(&mut ratios, 0.9));
    println!("  {words:<56} {mid:>7.3}   (p10 {low:.3}, p90 {high:.3})");
}

/// All variable fields, by the general library.
fn decode_by_library(descriptor: &ReportDescriptor, bytes: &[u8], values: &mut [i32; 32]) -> usize {
    let Some(report) = descriptor.find_input_report(bytes) else { return 0 };
    let mut n = 0;
    for field in report.fields() {
        if let Field::Variable(field) = field {
            values[n] = field.extract(bytes).map(|value| i32::from(&value)).unwrap_or(0);
            n += 1;
        }
    }
    n
}

fn main() {
    let rounds = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(101usize).max(21);
    let large = road::large();
    let busy = road::reports(BATCH, false);
    let descriptor = Descriptor::parse(&large).expect("our own");
    let layout = Layout::new(&descriptor);
    let peer = ReportDescriptor::try_from(&large[..]).expect("the library reads it");
    assert_same(&layout, &peer, &busy);
    println!("{rounds} rounds, {BATCH} reports a round; equal output was asserted first\n");
    parse(rounds, &large);
    decode(rounds, &layout, &peer, &busy);
    the_road(rounds, &busy);
}

/// Our decoder, the one by hand and the library agree on every report, and so do both roads.
fn assert_same(layout: &Layout, peer: &ReportDescriptor, busy: &[[u8; REPORT]]) {
    let mut frame = Frame::default();
    let mut values = [0i32; 32];
    let (mut table, mut hand) = (road::table(), ByHand::default());
    let (mut ours, mut theirs) = ([0u8; 512], [0u8; 512]);
    for (n, report) in busy.iter().enumerate() {
        layout.plan.decode(report, &mut frame).expect("a whole report");
        let (buttons, hat, axes, triggers) = road::decode_by_hand(report);
        assert_eq!(frame.bits[0] & 0xfff, u64::from(buttons));
        let number = |name: &str| {
            let control = layout.parts[0].controls.iter().find(|c| c.name == name).expect("it has one");
            match control.place {
                mantle_core::control::Place::Value(value) => frame.values[usize::from(value)],
                mantle_core::control::Place::Bit(_) => unreachable!("an axis is a number"),
            }
        };
        assert_eq!(number("hat"), hat as i32);
        assert_eq!([number("X"), number("Y"), number("Z"), number("Rz")], axes);
        assert_eq!([number("accelerator"), number("brake")], triggers);
        let count = decode_by_library(peer, report, &mut values);
        assert_eq!(count, 20);
        assert_eq!(values[13..17], axes);
        assert_eq!(values[17..19], triggers);
        let a = road::travel(&mut table, Micros(n as u64), report, &mut ours);
        let b = hand.travel(report, &mut theirs);
        assert_eq!(ours[..a], theirs[..b], "report {n}");
    }
}

fn parse(rounds: usize, large: &[u8]) {
    const REPEAT: usize = 16;
    let mut cases: Vec<Case<'_>> = vec![
        ("parse the small descriptor", Box::new(|| repeat(REPEAT, || drop(black_box(Descriptor::parse(road::SMALL)))))),
        (
            "  by the general library",
            Box::new(|| repeat(REPEAT, || drop(black_box(ReportDescriptor::try_from(road::SMALL))))),
        ),
        ("parse the large descriptor", Box::new(|| repeat(REPEAT, || drop(black_box(Descriptor::parse(large)))))),
        (
            "  by the general library",
            Box::new(|| repeat(REPEAT, || drop(black_box(ReportDescriptor::try_from(large))))),
        ),
    ];
    let times = measure(rounds, REPEAT, &mut cases);
    ratio("parse small / library (to reach: at most 1)", &times[0], &times[1]);
    ratio("parse large / library (to reach: at most 1)", &times[2], &times[3]);
    println!();
}

fn repeat(count: usize, mut work: impl FnMut()) {
    for _ in 0..count {
        work();
    }
}

fn decode(rounds: usize, layout: &Layout, peer: &ReportDescriptor, busy: &[[u8; REPORT]]) {
    let mut cases: Vec<Case<'_>> = vec![
        (
            "decode a report of 20 fields",
            Box::new(|| {
                let mut frame = Frame::default();
                for report in busy {
                    let _ = black_box(layout.plan.decode(black_box(report), &mut frame));
                }
                black_box(frame);
            }),
        ),
        (
            "  by hand, for this layout alone",
            Box::new(|| {
                for report in busy {
                    black_box(road::decode_by_hand(black_box(report)));
                }
            }),
        ),
        (
            "  by the general library",
            Box::new(|| {
                let mut values = [0; 32];
                for report in busy {
                    black_box(decode_by_library(peer, black_box(report), &mut values));
                }
            }),
        ),
    ];
    let times = measure(rounds, BATCH, &mut cases);
    ratio("library / decode (aimed at: 10)", &times[2], &times[0]);
    ratio("decode / by hand", &times[0], &times[1]);
    println!();
}

fn the_road(rounds: usize, busy: &[[u8; REPORT]]) {
    let mut table = road::table();
    let mut idle_table = road::table();
    let idle = road::reports(BATCH, true);
    let mut hand = ByHand::default();
    let mut now = 0u64;
    let mut idle_now = 0u64;
    let pair = || socketpair(AddressFamily::UNIX, SocketType::SEQPACKET, SocketFlags::NONBLOCK, None).expect("sockets");
    let ((near, far), (sink, drain)) = (pair(), pair());
    let poll = epoll::create(epoll::CreateFlags::CLOEXEC).expect("epoll");
    epoll::add(&poll, &far, EventData::new_u64(1), EventFlags::IN).expect("added");
    let frame = [0u8; 144];
    // The floor is measured with data waiting: feeding and draining around it do not count.
    let mut floor = Vec::new();
    let floor_round = || {
        let mut total = 0u128;
        let mut buffer = [0u8; 64];
        let mut sunk = [0u8; 256];
        for chunk in busy.chunks(32) {
            for report in chunk {
                write(&near, report).expect("room");
            }
            let start = Instant::now();
            for _ in chunk {
                let mut events = [MaybeUninit::<epoll::Event>::uninit(); 4];
                let _ = epoll::wait(&poll, &mut events, None).expect("data waits");
                let n = read(&far, &mut buffer).expect("a report");
                black_box(&buffer[..n]);
                write(&sink, &frame).expect("room");
            }
            total += start.elapsed().as_nanos();
            for _ in chunk {
                let _ = read(&drain, &mut sunk).expect("a frame");
            }
        }
        total as f64 / BATCH as f64
    };
    let mut out = [0u8; 512];
    let mut out2 = [0u8; 512];
    let mut out3 = [0u8; 512];
    let mut times = vec![Vec::new(); 3];
    let one = |times: &mut Vec<f64>, work: &mut dyn FnMut()| {
        let start = Instant::now();
        work();
        times.push(start.elapsed().as_nanos() as f64 / BATCH as f64);
    };
    for _ in 0..=rounds {
        one(&mut times[0], &mut || {
            for report in busy {
                now += 1;
                black_box(road::travel(&mut table, Micros(now), black_box(report), &mut out));
            }
        });
        one(&mut times[1], &mut || {
            for report in busy {
                black_box(hand.travel(black_box(report), &mut out2));
            }
        });
        one(&mut times[2], &mut || {
            for report in &idle {
                idle_now += 1;
                black_box(road::travel(&mut idle_table, Micros(idle_now), black_box(report), &mut out3));
            }
        });
        floor.push(floor_round());
    }
    for (name, times) in
        ["the road, busy", "  by hand, for this layout alone", "the road, nothing changes"].iter().zip(&times)
    {
        println!("{name:<58} {:>10.1} ns", median(&mut times.clone(), 0.5));
    }
    println!("{:<58} {:>10.1} ns", "epoll_wait + read + write, data waiting", median(&mut floor.clone(), 0.5));
    ratio("road / system calls (aimed at: 0.065)", &times[0], &floor);
    ratio("road / by hand", &times[0], &times[1]);
}
