//! Four devices that send as fast as they can, beside a bare forwarder in the same boot: a loop of `epoll_wait`, `read` and `write` that knows the
//! layout beforehand and does nothing else.

use crate::bench::{self, Bench};
use mantle_core::slot::SlotNumber;
use mantle_files::DeviceFile;
use mantle_lab::{Lines, RawPad, StandIn};
use mantle_linux::uinput::Pad;
use rustix::event::epoll;
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

const DEVICES: usize = 4;
/// Edges of keys in all, at any rate.
const EDGES: usize = 20_000;
/// On a quiet machine the 99th percentile is below this many milliseconds.
const QUIET: f64 = 8.0;
pub const SOUTH: u16 = 0x130;

/// Eight buttons and two sticks of 8 bits.
const DEVICE: &str = "version = 1\nname = \"Load pad\"\nvendor = 0x1209\nproduct = 0x0b04\n[[interface]]\nrate = 1000\n\
    descriptor = '''\n\
    05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02\n\
    05 01 09 30 09 31 09 33 09 34 26 ff 00 75 08 95 04 81 02 c0\n'''\n";

/// The result of feeding this many reports.
struct Outcome {
    /// Seconds of processor time.
    cpu: f64,
    /// Edges that never came.
    lost: usize,
    /// How long edges took, median and 99th percentile, in milliseconds; only if none was lost.
    half: f64,
    delay: f64,
    /// How late reports were fed, 99th percentile, in milliseconds: meanwhile others had the processor.
    late: f64,
}

/// The forwarder: nodes of devices as arguments, a pad for each.
pub fn forward(nodes: &[String]) -> Result<(), String> {
    let epoll = epoll::create(epoll::CreateFlags::CLOEXEC).map_err(|errno| errno.to_string())?;
    let flags = rustix::fs::OFlags::RDONLY | rustix::fs::OFlags::NONBLOCK | rustix::fs::OFlags::CLOEXEC;
    let mut all = Vec::new();
    for (index, node) in nodes.iter().enumerate() {
        let slot = SlotNumber::from_index(index).ok_or("too many")?;
        let pad =
            Pad::create(slot, &mantle_core::pad::PadModel::common()).map_err(|fault| fault.cause().to_string())?;
        println!("pad {}", pad.node);
        let fd =
            rustix::fs::open(node.as_str(), flags, rustix::fs::Mode::empty()).map_err(|errno| errno.to_string())?;
        let data = epoll::EventData::new_u64(index as u64);
        epoll::add(&epoll, &fd, data, epoll::EventFlags::IN).map_err(|errno| errno.to_string())?;
        all.push((fd, pad, [0u8, 128, 128, 128, 128]));
    }
    println!("ready");
    let mut events = Vec::with_capacity(DEVICES);
    loop {
        epoll::wait(&epoll, rustix::buffer::spare_capacity(&mut events), None).map_err(|errno| errno.to_string())?;
        for event in events.drain(..) {
            let (fd, pad, last) = &mut all[event.data.u64() as usize];
            let mut report = [0u8; 64];
            let Ok(5) = rustix::io::read(&*fd, &mut report) else { continue };
            let mut out = Vec::with_capacity(24 * 6);
            let mut push = |kind: u16, code: u16, value: i32| {
                out.extend([0u8; 16]);
                out.extend(kind.to_ne_bytes());
                out.extend(code.to_ne_bytes());
                out.extend(value.to_ne_bytes());
            };
            if (last[0] ^ report[0]) & 1 != 0 {
                push(1, SOUTH, i32::from(report[0] & 1));
            }
            for (axis, code) in [(1, 0u16), (2, 1), (3, 3), (4, 4)] {
                if last[axis] != report[axis] {
                    push(3, code, (i32::from(report[axis]) - 128) * 256);
                }
            }
            push(0, 0, 0);
            last.copy_from_slice(&report[..5]);
            pad.write(&out).map_err(|fault| fault.cause().to_string())?;
        }
    }
}

/// Processor time of a process so far, in seconds.
pub fn cpu(pid: u32) -> Result<f64, String> {
    let text = std::fs::read_to_string(format!("/proc/{pid}/stat")).map_err(|error| error.to_string())?;
    let fields: Vec<&str> = text.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
    let ticks = |at: usize| fields.get(at).and_then(|text| text.parse::<f64>().ok()).ok_or("an odd stat file");
    Ok((ticks(11)? + ticks(12)?) / rustix::param::clock_ticks_per_second() as f64)
}

/// Feeds all devices at this rate each, an edge with every report, and counts what comes out of the pads.
fn feed(pads: &mut [StandIn], pid: u32, nodes: &[String], rate: usize) -> Result<Outcome, String> {
    let each = EDGES / DEVICES;
    let over = Arc::new(AtomicBool::new(false));
    let readers: Vec<_> = nodes
        .iter()
        .map(|node| {
            let mut raw = RawPad::open(node)?;
            let over = over.clone();
            Ok(std::thread::spawn(move || {
                let mut came = Vec::with_capacity(each);
                loop {
                    match raw.within(Duration::from_millis(500)) {
                        Ok(Some(frame)) => {
                            let now = Instant::now();
                            came.extend(frame.iter().filter(|event| (event.0, event.1) == (1, SOUTH)).map(|_| now));
                        }
                        Ok(None) if !over.load(Ordering::Relaxed) => {}
                        _ => return came,
                    }
                }
            }))
        })
        .collect::<Result<_, String>>()?;
    let before = cpu(pid)?;
    let mut sent: Vec<Vec<Instant>> = (0..DEVICES).map(|_| Vec::with_capacity(each)).collect();
    let mut late = Vec::with_capacity(each);
    let (began, period) = (Instant::now(), Duration::from_secs(1) / rate as u32);
    for n in 0..each {
        let due = began + period * n as u32;
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
        late.push(due.elapsed());
        let at = n as u8;
        let report = [u8::from(n % 2 == 0), at, at.wrapping_add(50), at.wrapping_add(100), at.wrapping_add(150)];
        for (pad, sent) in pads.iter_mut().zip(&mut sent) {
            sent.push(Instant::now());
            pad.send(0, &report)?;
        }
    }
    over.store(true, Ordering::Relaxed);
    let came: Vec<Vec<Instant>> = readers
        .into_iter()
        .map(|reader| reader.join().map_err(|_| "a reader fell".to_owned()))
        .collect::<Result<_, _>>()?;
    let lost = EDGES - came.iter().map(Vec::len).sum::<usize>().min(EDGES);
    let pairs = sent.iter().zip(&came).flat_map(|(sent, came)| sent.iter().zip(came));
    let mut delays: Vec<Duration> = pairs.map(|(sent, came)| came.saturating_duration_since(*sent)).collect();
    let (half, delay, late) = (at(&mut delays, 50), at(&mut delays, 99), at(&mut late, 99));
    Ok(Outcome { cpu: cpu(pid)? - before, lost, half, delay, late })
}

/// The one that so many of a hundred do not reach, in milliseconds.
fn at(all: &mut [Duration], percent: usize) -> f64 {
    all.sort();
    all.get(all.len() * percent / 100).map_or(0.0, |one| one.as_secs_f64() * 1e3)
}

pub fn plug(devices: usize) -> Result<Vec<StandIn>, String> {
    let file = DeviceFile::parse("load.device.toml", DEVICE).map_err(|fault| fault.to_string())?;
    (0..devices).map(|index| StandIn::plug(&file, &format!("lab-{index}"), Some(&format!("L{index}")))).collect()
}

/// The nodes of the devices that are plugged in, in their order.
fn hidraw_nodes() -> Vec<String> {
    let facts = mantle_linux::scan::hidraw_nodes(std::path::Path::new("/sys"));
    facts.into_iter().filter(|node| node.identity.product == 0x0b04).map(|node| node.path).collect()
}

fn forwarded(rate: usize) -> Result<Outcome, String> {
    let mut pads = plug(DEVICES)?;
    let nodes = mantle_lab::wait_for("the nodes", || Some(hidraw_nodes()).filter(|nodes| nodes.len() == DEVICES))?;
    let me = std::env::current_exe().map_err(|error| error.to_string())?;
    let mut forwarder = Lines::start(Command::new(me).arg("--forward").args(&nodes))?;
    forwarder.wait("the forwarder", |line| line == "ready")?;
    let nodes: Vec<String> =
        forwarder.said.iter().filter_map(|line| Some(line.strip_prefix("pad ")?.to_owned())).collect();
    let outcome = feed(&mut pads, forwarder.pid(), &nodes, rate);
    forwarder.signal("KILL");
    drop(forwarder.end());
    outcome
}

/// The program, allowed to take real-time priority or not.
fn played(bench: &Bench, program: &std::path::Path, rate: usize, real_time: bool) -> Result<Outcome, String> {
    let mut pads = plug(DEVICES)?;
    let mut command = match real_time {
        true => Command::new(program),
        false => {
            let mut command = Command::new("setpriv");
            command.args(["--inh-caps=-sys_nice", "--bounding-set=-sys_nice"]).arg(program);
            command
        }
    };
    command.args(["run", "--headless", "--bare"]).env("HOME", bench.home()).env_remove("XDG_CONFIG_HOME");
    let mut engine = Lines::start(&mut command)?;
    let mut nodes = Vec::new();
    for slot in 1..=DEVICES as u8 {
        nodes.push(bench::pad(&mut engine, slot)?);
    }
    bench::reads(&engine, DEVICES)?;
    if engine.said.iter().any(|line| line.contains("at real-time priority")) != real_time {
        return Err(format!("real-time priority is to be {real_time}: {:?}", engine.said));
    }
    for pad in &mut pads {
        pad.send(0, &[0, 128, 128, 128, 128])?;
    }
    let outcome = feed(&mut pads, engine.pid(), &nodes, rate)?;
    bench::end(engine)?;
    Ok(outcome)
}

pub fn load(bench: &Bench) -> Result<(), String> {
    let program = bench.shipped();
    for rate in [500, 1000] {
        let (bare, ours) = (forwarded(rate)?, played(bench, &program, rate, true)?);
        let ratio = ours.cpu / bare.cpu.max(0.01);
        let [half, most] = [ours.half / bare.half.max(0.01), ours.delay / bare.delay.max(0.01)];
        println!(
            "NOTE {DEVICES} devices at {rate} reports/s: {ratio:.2} times the bare forwarder's processor time ({:.2} s, {:.2} s); \
             99 of 100 edges within {:.1} ms ({:.1} ms); lost {} of {EDGES} ({})",
            ours.cpu, bare.cpu, ours.delay, bare.delay, ours.lost, bare.lost
        );
        println!(
            "NOTE half within {:.2} ms ({:.2} ms), {half:.2} times; 99 of 100 {most:.2} times (aimed at 1.2 and 1.5)",
            ours.half, bare.half
        );
        if rate == 500 {
            let usual = played(bench, &program, rate, false)?;
            println!(
                "NOTE without real-time priority: half within {:.2} ms, 99 of 100 within {:.2} ms; with it {:.2} and {:.2}",
                usual.half, usual.delay, ours.half, ours.delay
            );
        }
        // A machine with other work on it says nothing about us: then the feeding itself is late, or the forwarder is.
        let quiet = bare.lost == 0 && bare.late < QUIET && ours.late < QUIET && bare.delay < QUIET;
        if !quiet {
            println!("NOTE the machine is not quiet (fed {:.1} and {:.1} ms late): not judged", bare.late, ours.late);
            continue;
        }
        if ours.lost > 0 {
            return Err(format!("{} of {EDGES} edges were lost at {rate}/s, where the forwarder lost none", ours.lost));
        }
        if rate == 500 && (half > 1.6 || most > 4.0) {
            return Err(format!(
                "a press takes {half:.2} times as long as through the forwarder, and {most:.2} times at the 99th of a hundred: 1.6 and 4 are allowed"
            ));
        }
        if rate == 500 && ratio > 1.6 {
            return Err(format!(
                "{ratio:.2} times the forwarder's processor time at {rate}/s, at most 1.6 are allowed"
            ));
        }
    }
    Ok(())
}
