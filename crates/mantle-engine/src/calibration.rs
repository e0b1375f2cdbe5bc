//! A calibration for a snapshot.

use mantle_core::control::Rests;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_talk::{AxisView, CalibrationView};

pub(crate) fn view(table: &Table, now: Micros) -> Option<CalibrationView> {
    let calibrating = table.calibrating()?;
    let (device, part, session) = (calibrating.device, calibrating.part, &calibrating.session);
    let proposals = session.proposals();
    let worst = |at_end: bool| {
        let measured = proposals.iter().filter_map(|one| Some((one.calibration?, one.dead_zone)));
        let own = measured.filter(|(calibration, _)| (calibration.rests() != Rests::Middle) == at_end);
        own.map(|(_, dead_zone)| dead_zone).reduce(f32::max)
    };
    let axes = proposals.iter().map(|one| AxisView {
        name: one.name.clone(),
        measured: one.calibration.map(|own| (own.low, own.rest, own.high)),
        noise: one.calibration.map_or(0, |own| own.noise),
        rests: match one.calibration.map(|own| own.rests()) {
            Some(Rests::Middle) => "in between",
            Some(Rests::Low) => "at its lower end",
            Some(Rests::High) => "at its upper end: backwards",
            None if one.one_way => "moved one way only: push it the other way too",
            None => "not moved: unchanged",
        }
        .into(),
        drift: one.drift,
        dead_zone: one.dead_zone,
    });
    Some(CalibrationView {
        device,
        part,
        name: table.device(device).map(|device| device.name.clone()).unwrap_or_default(),
        phase: session.phase(),
        left: session.deadline().map_or(0, |due| crate::rates::tenths(due, now)),
        moved: session.moved().map(str::to_owned),
        axes: axes.collect(),
        silent: session.silent().into_iter().map(str::to_owned).collect(),
        dead_zones: [worst(false), worst(true)],
    })
}
