//! What can be set of a stick or trigger, as it is listed and stepped.

use super::{Curve, Gate, PRESETS, Setting, Shape, Shaped};
use serde::{Deserialize, Serialize};

/// A setting of a stick or trigger, as it is listed.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Knob {
    /// The dead zone.
    DeadZone,
    /// The outer dead zone.
    Outer,
    /// The minimum output.
    Minimum,
    /// The curve as a whole.
    Curve,
    /// One of its points.
    Point(usize),
    /// The sensitivity.
    Sensitivity,
    /// The gate.
    Gate,
    /// X the other way around.
    InvertX,
    /// Y the other way around.
    InvertY,
    /// An axis that is no stick's, the other way around.
    Invert,
    /// The smoothing.
    Smoothing,
}

impl Knob {
    /// What can be set of a shape.
    #[must_use]
    pub fn of(which: Shaped, shape: &Shape) -> Vec<Self> {
        let mut all = vec![Self::DeadZone, Self::Outer, Self::Minimum, Self::Curve];
        all.extend((0..shape.curve.points().len()).map(Self::Point));
        all.push(Self::Sensitivity);
        if which.is_stick() {
            all.extend([Self::Gate, Self::InvertX, Self::InvertY]);
        } else if which.is_axis() {
            all.push(if which.axis().is_multiple_of(2) { Self::InvertX } else { Self::InvertY });
        } else if which.is_line() && which.is_centred() {
            all.push(Self::Invert);
        }
        all.push(Self::Smoothing);
        all
    }

    /// It, or what is closest to it among these.
    #[must_use]
    pub fn among(self, all: &[Self]) -> Self {
        let fallback = match self {
            Self::Point(_) => Self::Curve,
            _ => Self::DeadZone,
        };
        if all.contains(&self) { self } else { fallback }
    }

    /// Its name.
    #[must_use]
    pub fn name(self) -> String {
        match self {
            Self::DeadZone => "dead zone".into(),
            Self::Outer => "outer dead zone".into(),
            Self::Minimum => "minimum output".into(),
            Self::Curve => "curve".into(),
            Self::Point(at) => format!("point {}", at + 1),
            Self::Sensitivity => "sensitivity".into(),
            Self::Gate => "gate".into(),
            Self::InvertX => "invert X".into(),
            Self::InvertY => "invert Y".into(),
            Self::Invert => "invert".into(),
            Self::Smoothing => "smoothing".into(),
        }
    }

    /// Its value in words.
    #[must_use]
    pub fn value(self, shape: &Shape) -> String {
        let share = |share: f32| format!("{share:.2}");
        match self {
            Self::DeadZone => share(shape.dead_zone),
            Self::Outer => share(shape.outer),
            Self::Minimum => share(shape.minimum),
            Self::Curve => shape.curve.name().unwrap_or("of its own").into(),
            Self::Point(at) => {
                let (x, y) = shape.curve.points().get(at).copied().unwrap_or_default();
                format!("{x:.2} in, {y:.2} out")
            }
            Self::Sensitivity => format!("× {:.2}", shape.sensitivity),
            Self::Gate => match shape.gate {
                Gate::Free => "as the device has it",
                Gate::Circle => "circle",
                Gate::Square => "square",
            }
            .into(),
            Self::InvertX | Self::Invert => if shape.invert[0] { "yes" } else { "no" }.into(),
            Self::InvertY => if shape.invert[1] { "yes" } else { "no" }.into(),
            Self::Smoothing => match shape.smoothing.0 / 1000 {
                0 => "off, no delay".into(),
                millis => format!("{millis} ms of delay"),
            },
        }
    }

    /// It one step more or less.
    #[must_use]
    pub fn step(self, shape: &Shape, up: bool) -> Setting {
        let thousandths = |share: f32| (share * 1000.0).round() as i32;
        let stepped = |share: f32, step: i32, low: i32, high: i32| {
            (thousandths(share) + if up { step } else { -step }).clamp(low, high) as u16
        };
        let around = |at: usize, len: usize| (at + if up { 1 } else { len - 1 }) % len;
        let points = |curve: &Curve| {
            curve.points().iter().map(|(x, y)| (thousandths(*x) as u16, thousandths(*y) as u16)).collect()
        };
        match self {
            Self::DeadZone => Setting::DeadZone(stepped(shape.dead_zone, 10, 0, 900)),
            Self::Outer => Setting::Outer(stepped(shape.outer, 10, 0, 500)),
            Self::Minimum => Setting::Minimum(stepped(shape.minimum, 10, 0, 900)),
            Self::Curve => {
                let known = PRESETS.iter().position(|(name, _)| Some(*name) == shape.curve.name());
                let next = known.map_or(0, |at| around(at, PRESETS.len()));
                Setting::Curve(points(&Curve::preset(PRESETS[next].0).unwrap_or_default()))
            }
            Self::Point(at) => Setting::Curve(points(&shape.curve.moved(at, if up { 0.02 } else { -0.02 }))),
            Self::Sensitivity => Setting::Sensitivity(stepped(shape.sensitivity, 50, 100, 5000)),
            Self::Gate => {
                let at = Gate::ALL.iter().position(|(_, gate)| *gate == shape.gate).unwrap_or(0);
                Setting::Gate(Gate::ALL[around(at, Gate::ALL.len())].1)
            }
            Self::InvertX | Self::Invert => Setting::Invert([!shape.invert[0], shape.invert[1]]),
            Self::InvertY => Setting::Invert([shape.invert[0], !shape.invert[1]]),
            Self::Smoothing => {
                let millis = (shape.smoothing.0 / 1000) as i32 + if up { 5 } else { -5 };
                Setting::Smoothing(millis.clamp(0, 500) as u16)
            }
        }
    }

    /// It as it is where nobody has changed anything.
    #[must_use]
    pub fn usual(self, which: Shaped, shape: &Shape) -> Setting {
        match self {
            Self::DeadZone => Setting::DeadZone((which.usual().dead_zone * 1000.0).round() as u16),
            Self::Outer => Setting::Outer(0),
            Self::Minimum => Setting::Minimum(0),
            Self::Curve | Self::Point(_) => Setting::Curve(Vec::new()),
            Self::Sensitivity => Setting::Sensitivity(1000),
            Self::Gate => Setting::Gate(Gate::Free),
            Self::InvertX | Self::Invert => Setting::Invert([false, shape.invert[1]]),
            Self::InvertY => Setting::Invert([shape.invert[0], false]),
            Self::Smoothing => Setting::Smoothing(0),
        }
    }
}
