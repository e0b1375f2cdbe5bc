//! Controls being watched or calibrated.

use crate::control::Observed;
use crate::control::calibration::CalibrationSession;
use crate::device::{DeviceId, NodeId};

/// A part whose controls are watched.
#[derive(Clone, Debug)]
pub struct Looking {
    /// The device.
    pub device: DeviceId,
    /// Its part.
    pub part: u8,
    /// Its node.
    pub node: NodeId,
    /// What was seen.
    pub observed: Observed,
}

/// A part whose axes are calibrated.
#[derive(Clone, Debug)]
pub struct Calibrating {
    /// The device.
    pub device: DeviceId,
    /// Its part.
    pub part: u8,
    /// Its node.
    pub node: NodeId,
    /// The session.
    pub session: CalibrationSession,
}
