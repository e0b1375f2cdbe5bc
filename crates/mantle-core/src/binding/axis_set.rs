//! Axes that decide the row, as bits of a set. All other axes may rest anywhere, and would hold something down on a common pad.

use mantle_hid::{Usage, usage};

pub const X: u16 = 1;
pub const Y: u16 = 1 << 1;
pub const Z: u16 = 1 << 2;
pub const RX: u16 = 1 << 3;
pub const RY: u16 = 1 << 4;
pub const RZ: u16 = 1 << 5;
pub const ACCELERATOR: u16 = 1 << 6;
pub const BRAKE: u16 = 1 << 7;
pub const STEERING: u16 = 1 << 8;
pub const RUDDER: u16 = 1 << 9;

/// Each axis with its usage.
pub const ALL: [(u16, Usage); 10] = [
    (X, usage::X),
    (Y, usage::Y),
    (Z, usage::Z),
    (RX, usage::RX),
    (RY, usage::RY),
    (RZ, usage::RZ),
    (ACCELERATOR, usage::ACCELERATOR),
    (BRAKE, usage::BRAKE),
    (STEERING, usage::STEERING),
    (RUDDER, usage::RUDDER),
];
