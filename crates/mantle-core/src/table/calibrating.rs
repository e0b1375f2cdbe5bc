//! The calibration of axes, kept for each device.

use super::{Offer, Table};
use crate::command::{CalibrationStep, Command};
use crate::control::calibration::{CalibrationPhase, CalibrationSession};
use crate::control::{Calibration, PartLayout};
use crate::device::{DeviceId, Key, NodeId};
use crate::listening::{Calibrating, Listening};
use crate::path::Mark;
use crate::time::Micros;

impl Table {
    /// The running calibration, and its device.
    #[must_use]
    pub fn calibrating(&self) -> Option<&Calibrating> {
        if let Listening::Calibration(calibrating) = &self.listening { Some(calibrating) } else { None }
    }

    /// The calibration of a part's axes.
    #[must_use]
    pub fn calibration_of(&self, device: DeviceId, part: u8) -> &[(String, Calibration)] {
        self.calibrated_at(device, part).map_or(&[], |at| &self.calibrated[at].1)
    }

    pub(super) fn part_place(&self, device: DeviceId, part: u8) -> Option<(NodeId, usize)> {
        let part = self.device(device)?.parts.iter().find(|one| one.number == part)?;
        Some((part.source, part.local))
    }

    /// The entry for a device: by its serial number if that identifies it, else by its port. Never a twin's.
    fn calibrated_at(&self, device: DeviceId, part: u8) -> Option<usize> {
        let (node, _) = self.part_place(device, part)?;
        let identity = &self.source(node)?.facts.identity;
        let counts = !identity.uniq.is_empty() && self.seating.kept.uniq_counts(identity);
        let own = Key::new(identity, part);
        self.calibrated.iter().position(|(key, _)| {
            let model = (key.bus, key.vendor, key.product, key.part) == (own.bus, own.vendor, own.product, own.part);
            model && if counts { key.uniq == own.uniq } else { key.uniq == own.uniq && key.port == own.port }
        })
    }

    /// A part's layout with its calibration.
    pub(super) fn calibrated_part(&self, device: DeviceId, part: u8) -> Option<PartLayout> {
        let (node, local) = self.part_place(device, part)?;
        let Offer::Layout(layout) = &self.source(node)?.offer else { return None };
        let mut layout = layout.parts.get(local)?.clone();
        self.apply_learnt(device, part, &mut layout);
        for (name, calibration) in self.calibration_of(device, part) {
            for control in layout.controls.iter_mut().filter(|control| control.name == *name) {
                control.calibration = Some(*calibration);
            }
        }
        Some(layout)
    }

    /// Begins a calibration.
    pub(super) fn calibrate(&mut self, now: Micros, device: DeviceId, part: u8) -> Result<(), String> {
        let (node, local) = self.part_place(device, part).ok_or("that device is no longer connected")?;
        let source = self.source(node).ok_or("that device is no longer connected")?;
        let layout = source.layout().and_then(|layout| layout.parts.get(local)).ok_or("its reports cannot be read")?;
        let session = CalibrationSession::new(now, layout, &source.frame);
        if session.proposals().is_empty() {
            return Err("it has no axes to calibrate".into());
        }
        // It ends whatever else is going on, since somebody asked for it.
        self.begin_listening(now, Listening::Calibration(Box::new(Calibrating { device, part, node, session })));
        Ok(())
    }

    pub(super) fn step_calibration(&mut self, now: Micros, step: CalibrationStep) -> Result<Option<Command>, String> {
        let Listening::Calibration(own) = &mut self.listening else { return Err("no calibration is running".into()) };
        let (device, part, session) = (own.device, own.part, &mut own.session);
        match (step, session.phase()) {
            (CalibrationStep::Next, CalibrationPhase::Proposal) => {
                let measured = session.proposals().into_iter();
                let mut axes: Vec<(String, Calibration)> =
                    measured.filter_map(|one| Some((one.name, one.calibration?))).collect();
                self.end_listening(now, |_| true);
                // Axes that were not moved this time keep their calibration.
                let known = self.calibration_of(device, part);
                let missing = known.iter().filter(|(name, _)| !axes.iter().any(|(own, _)| own == name));
                let missing: Vec<_> = missing.cloned().collect();
                axes.extend(missing);
                return self.set_calibration(now, device, part, axes);
            }
            (CalibrationStep::Next, _) => session.next(now),
            (CalibrationStep::Again, _) => session.again(now),
            (CalibrationStep::Stop, _) => self.end_listening(now, |_| true),
        }
        Ok(None)
    }

    /// Sets the calibration of a part's axes; an empty one means as the descriptor says.
    pub(super) fn set_calibration(
        &mut self,
        now: Micros,
        device: DeviceId,
        part: u8,
        axes: Vec<(String, Calibration)>,
    ) -> Result<Option<Command>, String> {
        if let Some((name, _)) = axes.iter().find(|(_, calibration)| !calibration.is_whole()) {
            return Err(format!("{name}: its rest has to be between its ends"));
        }
        let (node, _) = self.part_place(device, part).ok_or("that device is no longer connected")?;
        let identity = self.source(node).ok_or("that device is no longer connected")?.facts.identity.clone();
        let before = match self.calibrated_at(device, part) {
            Some(at) => self.calibrated.remove(at).1,
            None => Vec::new(),
        };
        let words = match axes.len() {
            0 => format!("{} is no longer calibrated", identity.name),
            1 => format!("{}: 1 axis is calibrated", identity.name),
            many => format!("{}: {many} axes are calibrated", identity.name),
        };
        if !axes.is_empty() {
            self.calibrated.push((Key::new(&identity, part), axes));
        }
        if let Some(seat) = self.seat(device, part) {
            self.bind_members(now, seat.slot);
        }
        self.note(now, Mark::Well, words);
        Ok(Some(Command::SetCalibration { device, part, axes: before }))
    }
}
