//! Controls that are looked at closely, or calibrated.

use crate::control::Observed;
use crate::control::calibration::CalibrationSession;
use crate::device::{DeviceId, NodeId};

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
}

/// A part of a device whose axes are calibrated.
#[derive(Clone, Debug)]
pub struct Calibrating {
    /// The device.
    pub device: DeviceId,
    /// Its part.
    pub part: u8,
    /// The node that it is read from.
    pub node: NodeId,
    /// How far it is.
    pub session: CalibrationSession,
}
