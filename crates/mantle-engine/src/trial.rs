//! What trying a pad has found, for the screen.

use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_talk::{AxisTrialView, StickTrialView, TrialView};

/// What trying the slot's pad has shown so far, if it is being tried.
pub(crate) fn view(now: Micros, table: &Table, number: SlotNumber) -> Option<TrialView> {
    let trial = table.trying(number)?;
    let model = &table.slot(number)?.model;
    let place = |lane: usize| trial.axes.iter().position(|axis| axis.lane() == lane).unwrap_or(0) as u8;
    let sticks = trial.sticks.iter().map(|stick| StickTrialView {
        name: stick.name.clone(),
        axes: stick.lanes.map(place),
        outline: stick.outline.points(),
        roundness: stick.outline.roundness(),
    });
    let axes = trial.axes.iter().map(|axis| {
        let (drift, seconds) = axis.drift(now);
        AxisTrialView {
            name: axis.name.clone(),
            ends: axis.ends(),
            travel: axis.travel(),
            drift: (drift, seconds as u32),
        }
    });
    let mut stuck: Vec<String> = trial.stuck(now).into_iter().map(|target| model.name_of(target).to_owned()).collect();
    stuck.extend(trial.stuck_keys(now).into_iter().map(|stroke| stroke.name().to_owned()));
    Some(TrialView {
        seconds: (now.since(trial.begun).0 / 1_000_000) as u32,
        sticks: sticks.collect(),
        axes: axes.collect(),
        stuck,
    })
}
