//! The parts of a pad: axes, nodes, a surface, and feedback.

use super::model::code;
use super::sensed::{SURFACE, Sensed, SensedLane, Touch};
use super::state::{TRAVEL_FULL, TRIGGER_FULL};
use super::target::{FIRST_LINE, LINES, PadTarget};
use serde::{Deserialize, Serialize};

/// Range of an absolute axis; fuzz and flat are 0, or small movements would be lost.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct AbsInfo {
    /// Event code.
    pub code: u16,
    /// Smallest value.
    pub min: i32,
    /// Largest value.
    pub max: i32,
    /// Counts per unit of what it measures; 0 if it measures nothing.
    pub resolution: i32,
}

impl AbsInfo {
    /// Its value for a measurement, in units.
    #[must_use]
    pub fn of_units(&self, units: f64) -> i32 {
        (units * f64::from(self.resolution)).round().clamp(self.min.into(), self.max.into()) as i32
    }
}

/// An axis of a pad: the lane that it shows, and how it appears.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct PadAxis {
    /// Which of the lanes of [`PadTarget::axis`].
    pub lane: usize,
    /// Code and range.
    pub info: AbsInfo,
}

impl PadAxis {
    /// What it shows for the value of its lane: the same share of its own range.
    #[must_use]
    pub fn shown(&self, value: i32) -> i32 {
        let lane = if self.info.min < 0 || is_centred(self.lane) { (-32_768, 32_767) } else { (0, end_of(self.lane)) };
        let AbsInfo { min, max, .. } = self.info;
        if (min, max) == lane {
            return value;
        }
        let (own, span) = (i64::from(max) - i64::from(min), i64::from(lane.1) - i64::from(lane.0));
        let share = (i64::from(value) - i64::from(lane.0)) * own;
        (i64::from(min) + (2 * share + span).div_euclid(2 * span)) as i32
    }
}

/// How a hat of a pad appears: two axes.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Default, Serialize, Deserialize)]
pub struct PadHat {
    /// The codes of its X and Y.
    pub codes: [u16; 2],
    /// How far they go to either side: 1 if games see a hat; 0 if it appears as buttons or not at all.
    pub reach: i32,
}

impl PadHat {
    /// The hat with this number, from 0, as games know hats.
    #[must_use]
    pub const fn usual(hat: u8) -> Self {
        let first = code::ABS_HAT0X + 2 * hat as u16;
        Self { codes: [first, first + 1], reach: 1 }
    }

    /// Whether games take it for a hat.
    #[must_use]
    pub fn is_hat(&self) -> bool {
        self.reach == 1
    }

    /// Whether it appears as axes at all.
    #[must_use]
    pub fn appears(&self) -> bool {
        self.reach > 0
    }
}

/// Whether a lane rests in its middle.
fn is_centred(lane: usize) -> bool {
    match lane.checked_sub(FIRST_LINE) {
        Some(line) => LINES.get(line).is_some_and(|(_, centred)| *centred),
        None => lane < 4,
    }
}

/// The end of a lane that travels from its rest.
fn end_of(lane: usize) -> i32 {
    if lane < FIRST_LINE { TRIGGER_FULL } else { TRAVEL_FULL }
}

/// A touch surface of a pad, in the kernel's protocol for tracked contacts.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct PadSurface {
    /// The ends of X and Y.
    pub size: [i32; 2],
}

impl PadSurface {
    /// Where a contact is, in its own numbers.
    #[must_use]
    pub fn place(&self, touch: &Touch) -> [i32; 2] {
        let of = |axis: usize| i64::from(touch.at[axis]) * i64::from(self.size[axis]) / i64::from(SURFACE);
        [of(0) as i32, of(1) as i32]
    }

    /// The axis events that lead from one state to another.
    pub(super) fn events(&self, old: &Sensed, new: &Sensed, mut push: impl FnMut(u16, i32)) {
        for (slot, (old, new)) in old.touches.iter().zip(&new.touches).enumerate() {
            if old == new {
                continue;
            }
            push(code::ABS_MT_SLOT, slot as i32);
            if old.map(|touch| touch.id) != new.map(|touch| touch.id) {
                push(code::ABS_MT_TRACKING_ID, new.map_or(-1, |touch| touch.id.into()));
            }
            let places = [old, new].map(|touch| touch.map(|touch| self.place(&touch)));
            let [before, Some([x, y])] = places else { continue };
            if before.is_none_or(|before| before[0] != x) {
                push(code::ABS_MT_POSITION_X, x);
            }
            if before.is_none_or(|before| before[1] != y) {
                push(code::ABS_MT_POSITION_Y, y);
            }
        }
    }
}

/// A further node of a pad, beside that of its buttons, sticks and hats.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct PadNode {
    /// What follows the pad's name.
    pub title: String,
    /// Its buttons and their codes.
    pub keys: Vec<(PadTarget, u16)>,
    /// Its axes that a sensor moves.
    pub axes: Vec<(SensedLane, AbsInfo)>,
    /// Its touch surface.
    pub surface: Option<PadSurface>,
}

/// What games may send to a pad.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ComesBack {
    /// To shake.
    Rumble,
    /// The colour of its lamp.
    Colour,
    /// Which of its player lamps are lit.
    PlayerLamps,
}

/// The reports of pads that are HID devices.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum HidForm {
    /// Those of [`super::CommonReport`].
    Common,
    /// Those of [`super::MotionReport`].
    Motion,
}
