//! Traces kept as data: what a capture takes a press for, and what a calibration finds, from reports as they came. Each says in its comments what
//! happened and, in lines that begin with `# expect:`, what must come of it. A trace of another device can be added beside them.

use mantle_core::binding::Target;
use mantle_core::control::Layout;
use mantle_core::control::calibration::{CalibrationPhase, CalibrationSession};
use mantle_core::rollcall::{Capture, Heard};
use mantle_core::time::Micros;
use mantle_files::recording::{self, Content, Recording};
use mantle_hid::{Descriptor, Frame};
use std::path::PathBuf;

/// A trace: its name, what is expected of it, and its reports.
struct Trace {
    name: String,
    expected: Vec<String>,
    recording: Recording,
}

fn traces(ending: &str) -> Vec<Trace> {
    let directory = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/traces");
    let mut found = Vec::new();
    for entry in std::fs::read_dir(&directory).expect("traces").flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        if name.ends_with(ending) {
            let text = std::fs::read_to_string(entry.path()).expect("a trace");
            let expected = text.lines().filter_map(|line| line.strip_prefix("# expect: ")).map(str::to_owned).collect();
            let recording = recording::read(text.as_bytes()).expect("a recording");
            assert_eq!(recording.problems, [], "{name}");
            found.push(Trace { name, expected, recording });
        }
    }
    assert!(found.len() > 1, "there are no traces that end in {ending}");
    found
}

/// The layout of the trace's device, and each of its reports as a frame.
fn frames(trace: &Trace) -> (Layout, Vec<(Micros, Frame)>) {
    let layout = Layout::new(&Descriptor::parse(&trace.recording.devices[0].descriptor).expect("a descriptor"));
    let mut frame = layout.rest;
    let frames = trace.recording.events.iter().map(|event| {
        let Content::Report(bytes) = &event.content else { panic!("{}: reports alone are expected", trace.name) };
        layout.plan.decode(bytes, &mut frame).expect("a whole report");
        // Not at 0, which is when everything begins.
        (event.time.after(Micros::millis(1)), frame)
    });
    let frames = frames.collect();
    (layout, frames)
}

#[test]
fn presses_are_classified_correctly() {
    for trace in traces(".call.hid") {
        let [line] = trace.expected.as_slice() else { panic!("{}: one line says what is expected", trace.name) };
        let (target, meant) = line.split_once(" <- ").expect("TARGET <- SOURCE");
        let target = Target::named(target).expect("a target");
        let (layout, frames) = frames(&trace);
        let mut capture = Capture::new(Micros(0), &layout.parts[0], &frames[0].1, target);
        let mut end = Micros(0);
        for (at, frame) in &frames {
            capture.handle_time(*at);
            capture.handle_frame(*at, frame);
            end = *at;
        }
        capture.handle_time(end.after(Micros::seconds(2)));
        let heard = match capture.heard() {
            Heard::Taken(taken) if taken.inverted => format!("{}, backwards", taken.source.text()),
            Heard::Taken(taken) => taken.source.text(),
            Heard::Unclear(_) => "unclear".into(),
            Heard::Nothing => "nothing".into(),
            Heard::Pressed => "still pressed".into(),
        };
        assert_eq!(heard, meant, "{}: {:?}", trace.name, capture.heard());
    }
}

#[test]
fn rest_and_ends_of_axes_are_found() {
    for trace in traces(".calibration.hid") {
        let (layout, frames) = frames(&trace);
        let next = trace.expected.iter().find_map(|line| line.strip_prefix("next ")).expect("when travel is over");
        let next = Micros((next.parse::<f64>().expect("seconds") * 1e6) as u64);
        let mut session = CalibrationSession::new(Micros(0), &layout.parts[0], &frames[0].1);
        let mut over = false;
        for (at, frame) in &frames {
            session.handle_time(*at);
            if !over && *at >= next {
                assert_eq!(session.phase(), CalibrationPhase::Travel, "{}", trace.name);
                session.next(*at);
                over = true;
            }
            session.handle_frame(*at, frame);
        }
        assert_eq!(session.phase(), CalibrationPhase::Proposal, "{}", trace.name);
        let proposals = session.proposals();
        for line in trace.expected.iter().filter(|line| !line.starts_with("next ")) {
            let mut words = line.split(' ');
            let name = words.next().expect("an axis");
            let numbers: Vec<i32> = words.map(|word| word.parse().expect("a number")).collect();
            let found = proposals.iter().find(|one| one.name == name);
            let found = found.and_then(|one| one.calibration);
            let found = found.unwrap_or_else(|| panic!("{}: {name} is not proposed", trace.name));
            let near = |got: i32, meant: i32| (got - meant).abs() <= 3;
            assert!(
                near(found.low, numbers[0]) && near(found.rest, numbers[1]) && near(found.high, numbers[2]),
                "{}: {name} is {found:?} and should be {numbers:?}",
                trace.name
            );
        }
    }
}
