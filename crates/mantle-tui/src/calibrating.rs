//! Watches and calibrates controls.

use crate::app::App;
use crate::keys::Calibrate;
use crate::rows::{Message, Row, Then, View};
use mantle_talk::{CalibrationPhase, CalibrationStep, CalibrationView, Change, Command, DeviceId, Stage};

impl App {
    /// The part whose controls are shown in detail.
    pub(crate) fn seen_part(&self) -> Option<(DeviceId, u8)> {
        let seen = self.view == View::Stage && self.stage == Stage::Controls;
        self.device().filter(|_| seen).map(|device| (device.id, device.part))
    }

    /// Whether any control shown is calibrated.
    pub(crate) fn is_calibrated(&self) -> bool {
        let mut controls = self.snapshot.detail.devices().iter().flat_map(|device| &device.controls);
        self.seen_part().is_some() && controls.any(|control| control.calibrated.is_some())
    }

    /// The running calibration, if it is the one shown.
    pub(crate) fn calibrating(&self) -> Option<&CalibrationView> {
        self.snapshot.calibration.as_ref().filter(|view| self.seen_part() == Some((view.device, view.part)))
    }

    /// Tells the engine which controls to watch: those of the Controls view, and those of the Device view for its report.
    pub(crate) fn look_at_controls(&mut self) {
        let shows = self.view == View::Stage && matches!(self.stage, Stage::Controls | Stage::Device);
        let seen = self.device().filter(|_| shows).map(|device| (device.id, device.part));
        if seen != self.looked_at {
            self.looked_at = seen;
            self.command(Command::LookAt(seen), Then::Nothing);
        }
    }

    pub(crate) fn handle_calibrate(&mut self, wanted: Calibrate) {
        if wanted == Calibrate::Begin && self.view == View::Board {
            (self.view, self.stage) = (View::Stage, Stage::Controls);
        }
        let Some((device, part)) = self.seen_part() else {
            self.message = Some("axes are calibrated in the Controls view: C".into());
            return;
        };
        match (wanted, self.calibrating()) {
            (Calibrate::Begin, _) => {
                self.take_demo_in_hand();
                self.command(Command::Calibrate { device, part }, Then::Nothing);
            }
            (Calibrate::Forget, _) => {
                self.command(Command::SetCalibration { device, part, axes: Vec::new() }, Then::Nothing);
            }
            (Calibrate::Next, Some(view)) => {
                if view.phase == CalibrationPhase::Proposal {
                    self.put_down();
                }
                self.command(Command::StepCalibration(CalibrationStep::Next), Then::Nothing);
            }
            (Calibrate::Again, Some(_)) => {
                self.command(Command::StepCalibration(CalibrationStep::Again), Then::Nothing);
            }
            (Calibrate::DeadZones, Some(view)) => {
                let Some(Row::Slot(slot)) = self.row else {
                    self.message = Some("without a slot it has no profile to keep a dead zone in".into());
                    return;
                };
                let both = [true, false].into_iter().zip(view.dead_zones);
                let changes: Vec<Change> = both
                    .filter_map(|(sticks, share)| {
                        let thousandths = (share? * 1000.0).round() as u16;
                        Some(Change::DeadZone { sticks, thousandths })
                    })
                    .collect();
                self.edit(slot, changes);
                self.message = Some(Message::Done("the dead zones are in the profile; u undoes it".into()));
            }
            (Calibrate::Stop, Some(_)) => {
                self.put_down();
                self.command(Command::StepCalibration(CalibrationStep::Stop), Then::Nothing);
            }
            _ => {}
        }
    }
}
