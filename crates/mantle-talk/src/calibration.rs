//! A calibration, as the screen sees it.

use mantle_core::control::calibration::CalibrationPhase;
use mantle_core::device::DeviceId;
use serde::{Deserialize, Serialize};

/// What was measured of one axis so far, in raw values.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct AxisView {
    /// Its name.
    pub name: String,
    /// Lowest, rest, highest; none before it has been moved.
    pub measured: Option<(i32, i32, i32)>,
    /// How far it trembles at its rest, either way.
    pub noise: i32,
    /// Where it rests, in words.
    pub rests: String,
    /// How far its rest has wandered, as a share of its travel.
    pub drift: f32,
    /// The dead zone that hides both.
    pub dead_zone: f32,
}

/// A calibration that goes on.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct CalibrationView {
    /// The device.
    pub device: DeviceId,
    /// Its part.
    pub part: u8,
    /// Its name.
    pub name: String,
    /// What is being done.
    pub phase: CalibrationPhase,
    /// For so many tenths of a second more the hands have to be off.
    pub left: u16,
    /// What was moved while they should have been off.
    pub moved: Option<String>,
    /// The axes.
    pub axes: Vec<AxisView>,
    /// Buttons and hats that nobody has pressed.
    pub silent: Vec<String>,
    /// The dead zones that would hide all noise and drift: of axes that rest between their ends, of those that rest at one.
    pub dead_zones: [Option<f32>; 2],
}
