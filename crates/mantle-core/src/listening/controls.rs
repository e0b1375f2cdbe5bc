//! Controls that are looked at closely.

use crate::control::Observed;
use crate::control::calibration::CalibrationSession;
use crate::device::{DeviceId, NodeId};
use crate::time::Micros;
use mantle_hid::Frame;

/// A part of a device whose controls are looked at.
#[derive(Clone, Debug)]
pub struct Looking {
    /// The device.
    pub device: DeviceId,
    /// Its part.
    pub part: u8,
    /// The node that it is read from.
    pub node: NodeId,
    /// What has been seen.
    pub observed: Observed,
    /// A calibration that goes on.
    pub session: Option<CalibrationSession>,
}

impl Looking {
    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        self.session.as_ref().and_then(CalibrationSession::deadline)
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        if let Some(session) = &mut self.session {
            session.handle_time(now);
        }
    }

    /// Its node has sent a report.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        self.observed.handle_frame(now, frame);
        if let Some(session) = &mut self.session {
            session.handle_frame(now, frame);
        }
    }
}
