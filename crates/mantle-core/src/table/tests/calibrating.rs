use super::profiles::{give, world};
use super::*;
use crate::command::CalibrationStep;
use crate::control::Calibration;
use crate::control::calibration::CalibrationPhase;
use crate::device::DeviceId;

const PAD_0: (DeviceId, u8) = (DeviceId(0), 0);

fn across(world: &World, number: u8) -> i32 {
    world.pad(number).axes[0]
}

/// Reports of X, 8 ms apart.
fn play(world: &mut World, node: u16, millis: u64, x: impl Fn(u64) -> u8) {
    for step in 0..millis / 8 {
        world.now.0 += 7_000;
        world.report(node, &[0, x(step)]);
    }
}

#[test]
fn an_off_centre_stick_plays_correctly_once_calibrated() {
    let mut world = world(Vec::new());
    // The first report was 128; it really rests at 150.
    play(&mut world, 0, 100, |_| 150);
    assert!(across(&world, 1) > 1_000, "so far it drifts");
    let (device, part) = PAD_0;
    give(&mut world, Command::Calibrate { device, part });
    play(&mut world, 0, 3_100, |step| 149 + (step % 3) as u8);
    give(&mut world, Command::StepCalibration(CalibrationStep::Next));
    assert_eq!(
        world.table.calibrating().map(|own| own.session.phase()),
        Some(CalibrationPhase::LetGo),
        "Travel was on"
    );
    give(&mut world, Command::StepCalibration(CalibrationStep::Again));
    play(&mut world, 0, 3_100, |step| 149 + (step % 3) as u8);
    play(&mut world, 0, 1_000, |step| if step < 60 { 20 } else { 240 });
    give(&mut world, Command::StepCalibration(CalibrationStep::Next));
    play(&mut world, 0, 2_200, |step| 149 + (step % 3) as u8);
    give(&mut world, Command::StepCalibration(CalibrationStep::Next));
    let calibration = Calibration { low: 22, rest: 150, high: 238, noise: 1 };
    assert_eq!(world.table.calibration_of(device, part), [("X".to_owned(), calibration)]);
    assert_eq!(world.memory.calibrated.len(), 1, "it is kept");
    play(&mut world, 0, 24, |_| 150);
    assert_eq!(across(&world, 1), 0);
    play(&mut world, 0, 24, |_| 238);
    assert_eq!(across(&world, 1), 32_767);
    play(&mut world, 0, 24, |_| 22);
    assert_eq!(across(&world, 1), -32_768);
    // It comes back after being away, and is taken back.
    world.unplug(0);
    world.plug(node(0, "A", "1-1"));
    play(&mut world, 0, 48, |_| 150);
    assert_eq!(across(&world, 1), 0);
    give(&mut world, Command::SetCalibration { device, part, axes: Vec::new() });
    play(&mut world, 0, 24, |_| 150);
    assert!(across(&world, 1) > 1_000, "as its descriptor says");
    assert_eq!(world.memory.calibrated, []);
}

#[test]
fn twins_have_separate_calibrations() {
    let mut world = world(Vec::new());
    world.plug(node(1, "A", "1-2"));
    let (device, part) = PAD_0;
    let axes = vec![("X".to_owned(), Calibration { low: 10, rest: 150, high: 250, noise: 0 })];
    let done = world.command(Command::SetCalibration { device, part, axes: axes.clone() });
    assert!(matches!(done, Answer::Done { .. }), "{done:?}");
    let twin = world.table.source(NodeId(1)).expect("it is there").device;
    assert_eq!(world.table.calibration_of(device, part), axes);
    assert_eq!(world.table.calibration_of(twin, part), [], "they share a serial number, not a calibration");
    let broken = vec![("X".to_owned(), Calibration { low: 10, rest: 251, high: 250, noise: 0 })];
    let refused = world.command(Command::SetCalibration { device, part, axes: broken });
    assert!(matches!(refused, Answer::Refused { .. }), "{refused:?}");
}

#[test]
fn calibration_progress_is_visible() {
    let mut world = world(Vec::new());
    let (device, part) = PAD_0;
    give(&mut world, Command::LookAt(Some(PAD_0)));
    play(&mut world, 0, 1_000, |_| 128);
    play(&mut world, 0, 100, |_| 200);
    let sights = world.table.observed(device, part).expect("it is looked at").sights(world.now);
    let across = sights.last().copied().flatten().expect("it was seen");
    assert_eq!((across.range, across.rest), ((128, 200), Some((128, 0))));
    give(&mut world, Command::LookAt(None));
    assert!(world.table.observed(device, part).is_none());
}
