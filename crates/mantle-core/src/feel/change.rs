//! What can be changed of a feel.

use super::{Curve, Gate, Shape};
use crate::pad::{FIRST_LINE, LINES, PadModel};
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// What is shaped.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[allow(missing_docs, reason = "the names are the things themselves")]
pub enum Shaped {
    LeftStick,
    LeftX,
    LeftY,
    RightStick,
    RightX,
    RightY,
    LeftTrigger,
    RightTrigger,
    /// An axis that belongs to no stick or trigger, by [`LINES`].
    Line(u8),
}

impl Shaped {
    /// All of them: sticks, each followed by its axes, and triggers.
    pub const ALL: [Self; 8] = [
        Self::LeftStick,
        Self::LeftX,
        Self::LeftY,
        Self::RightStick,
        Self::RightX,
        Self::RightY,
        Self::LeftTrigger,
        Self::RightTrigger,
    ];

    /// Everything that any pad may have: those, followed by the lines.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::ALL.into_iter().chain((0..LINES.len() as u8).map(Self::Line))
    }

    /// What each lane is: the axes of the sticks, and the triggers.
    pub const LANES: [Self; 6] =
        [Self::LeftX, Self::LeftY, Self::RightX, Self::RightY, Self::LeftTrigger, Self::RightTrigger];

    /// What can be shaped on a pad: its sticks, triggers and lines.
    #[must_use]
    pub fn of(model: &PadModel) -> Vec<Self> {
        let has = |which: &Self| match which {
            Self::LeftStick | Self::RightStick => model.sticks.iter().any(|stick| stick.lanes[0] == which.axis()),
            which => model.axes.iter().any(|axis| axis.lane == which.axis()),
        };
        Self::all().filter(has).collect()
    }

    /// Its name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::LeftStick => "left stick",
            Self::RightStick => "right stick",
            Self::LeftX => "left stick X",
            Self::LeftY => "left stick Y",
            Self::RightX => "right stick X",
            Self::RightY => "right stick Y",
            Self::LeftTrigger => "left trigger",
            Self::RightTrigger => "right trigger",
            Self::Line(line) => LINES[usize::from(line) % LINES.len()].0,
        }
    }

    /// Its name on a pad of this model: a flight stick has axes where others have sticks.
    #[must_use]
    pub fn name_on(self, model: &PadModel) -> String {
        let lane = |lane: usize| model.lane_name(lane).unwrap_or_else(|| self.name()).to_owned();
        match self {
            _ if model.names.is_empty() => self.name().to_owned(),
            Self::LeftStick | Self::RightStick => {
                let own = model.sticks.iter().find(|stick| stick.lanes[0] == self.axis());
                own.map_or_else(|| self.name().to_owned(), |stick| stick.name.clone())
            }
            which => lane(which.axis()),
        }
    }

    /// Its axis of the pad, and its lane; for a stick X, followed by Y.
    #[must_use]
    pub fn axis(self) -> usize {
        match self {
            Self::LeftStick | Self::LeftX => 0,
            Self::LeftY => 1,
            Self::RightStick | Self::RightX => 2,
            Self::RightY => 3,
            Self::LeftTrigger => 4,
            Self::RightTrigger => 5,
            Self::Line(line) => FIRST_LINE + usize::from(line) % LINES.len(),
        }
    }

    /// Whether it is a stick.
    #[must_use]
    pub fn is_stick(self) -> bool {
        matches!(self, Self::LeftStick | Self::RightStick)
    }

    /// Whether it is one axis of a stick.
    #[must_use]
    pub fn is_axis(self) -> bool {
        !self.is_stick() && !self.is_trigger() && !matches!(self, Self::Line(_))
    }

    /// Whether it is an axis that belongs to no stick or trigger.
    #[must_use]
    pub fn is_line(self) -> bool {
        matches!(self, Self::Line(_))
    }

    /// Whether it rests in its middle and goes both ways.
    #[must_use]
    pub fn is_centred(self) -> bool {
        match self {
            Self::Line(line) => LINES[usize::from(line) % LINES.len()].1,
            _ => !self.is_trigger(),
        }
    }

    /// Its feel if nobody has set any: a line is as its device has it.
    #[must_use]
    pub fn usual(self) -> Shape {
        Shape::plain(if self.is_line() { 0.0 } else { super::DEAD_ZONE })
    }

    /// Whether it is a trigger.
    #[must_use]
    pub fn is_trigger(self) -> bool {
        matches!(self, Self::LeftTrigger | Self::RightTrigger)
    }
}

/// One setting of a feel.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Setting {
    /// The dead zone, in thousandths of full travel: 0 to 900.
    DeadZone(u16),
    /// The outer dead zone, in thousandths: 0 to 500.
    Outer(u16),
    /// The minimum output, in thousandths: 0 to 900.
    Minimum(u16),
    /// The sensitivity, in thousandths: 100 to 5000.
    Sensitivity(u16),
    /// Milliseconds of smoothing: 0 to 500.
    Smoothing(u16),
    /// The gate.
    Gate(Gate),
    /// Whether X and Y are inverted; for sticks only.
    Invert([bool; 2]),
    /// The points of the curve, in thousandths; none for a straight one.
    Curve(Vec<(u16, u16)>),
    /// Everything as it is by default.
    Default,
}

impl Setting {
    /// The default dead zone.
    pub const USUAL_DEAD_ZONE: Self = Self::DeadZone((super::DEAD_ZONE * 1000.0) as u16);

    /// What is wrong with it, if anything.
    ///
    /// # Errors
    /// It lies out of its range, or is no curve.
    pub fn check(&self) -> Result<(), String> {
        let within = |value: u16, low: u16, high: u16, what: &str| match (low..=high).contains(&value) {
            true => Ok(()),
            false => Err(format!("{what}: {} is not within {} to {}", share(value), share(low), share(high))),
        };
        match self {
            Self::DeadZone(value) => within(*value, 0, 900, "dead zone"),
            Self::Outer(value) => within(*value, 0, 500, "outer dead zone"),
            Self::Minimum(value) => within(*value, 0, 900, "minimum output"),
            Self::Sensitivity(value) => within(*value, 100, 5000, "sensitivity"),
            Self::Smoothing(value) => within(*value, 0, 500, "smoothing, in seconds"),
            Self::Curve(points) => curve(points).map(|_| ()).map_err(|why| format!("curve: {why}")),
            Self::Gate(_) | Self::Invert(_) | Self::Default => Ok(()),
        }
    }

    /// A shape with this setting.
    #[must_use]
    pub fn apply(&self, mut shape: Shape) -> Shape {
        match self {
            Self::DeadZone(value) => shape.dead_zone = share(*value),
            Self::Outer(value) => shape.outer = share(*value),
            Self::Minimum(value) => shape.minimum = share(*value),
            Self::Sensitivity(value) => shape.sensitivity = share(*value),
            Self::Smoothing(value) => shape.smoothing = Micros::millis(u64::from(*value)),
            Self::Gate(gate) => shape.gate = *gate,
            Self::Invert(invert) => shape.invert = *invert,
            Self::Curve(points) => shape.curve = curve(points).unwrap_or_default(),
            Self::Default => shape = Shape::plain(super::DEAD_ZONE),
        }
        shape
    }
}

/// Thousandths as a share.
fn share(thousandths: u16) -> f32 {
    f32::from(thousandths) / 1000.0
}

fn curve(points: &[(u16, u16)]) -> Result<Curve, &'static str> {
    let points: Vec<(f32, f32)> = points.iter().map(|(x, y)| (share(*x), share(*y))).collect();
    Curve::new(&points)
}
