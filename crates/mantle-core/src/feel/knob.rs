//! The settings of a stick or trigger, as they are listed and stepped.

use super::{Curve, Gate, PRESETS, Setting, Shape, Shaped};
use serde::{Deserialize, Serialize};

/// A setting of a stick or trigger, as listed.
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
    /// An axis that belongs to no stick, inverted.
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

    /// This value, or the closest of these.
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
        let share = percent;
        match self {
            Self::DeadZone => share(shape.dead_zone),
            Self::Outer => share(shape.outer),
            Self::Minimum => share(shape.minimum),
            Self::Curve => shape.curve.name().unwrap_or("of its own").into(),
            Self::Point(at) => {
                let (x, y) = shape.curve.points().get(at).copied().unwrap_or_default();
                format!("{} in, {} out", percent(x), percent(y))
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

    /// Ten steps more or less; for a choice among a few, one step.
    #[must_use]
    pub fn leap(self, shape: &Shape, up: bool) -> Setting {
        match self {
            Self::Curve | Self::Gate | Self::InvertX | Self::InvertY | Self::Invert => self.step(shape, up),
            _ => (0..9).fold(self.step(shape, up), |setting, _| self.step(&setting.apply(*shape), up)),
        }
    }

    /// It as somebody has typed it: a percentage, a factor, milliseconds, or one of its words. A number below 1 without a sign of percent
    /// is a share, as profiles write it.
    ///
    /// # Errors
    /// What it may be.
    pub fn typed(self, shape: &Shape, text: &str) -> Result<Setting, String> {
        let text = text.trim().to_lowercase();
        let number = |unit: &str| {
            let own = text.trim_end_matches(unit).trim_start_matches(['×', 'x', '*']).trim().replace(',', ".");
            own.parse::<f32>().ok().filter(|number| number.is_finite())
        };
        let share = |high: f32| {
            let typed = number("%").ok_or_else(|| format!("{} is a percentage, from 0 to {high}", self.name()))?;
            let percent = if typed > 0.0 && typed < 1.0 && !text.contains('%') { typed * 100.0 } else { typed };
            match percent {
                _ if (0.0..=high).contains(&percent) => Ok((percent * 10.0).round() as u16),
                _ => Err(format!("{} goes from 0 to {high} %", self.name())),
            }
        };
        let whether = || match text.as_str() {
            "yes" | "y" | "on" | "1" => Ok(true),
            "no" | "n" | "off" | "0" => Ok(false),
            _ => Err(format!("{} is yes or no", self.name())),
        };
        let points = |curve: &Curve| {
            let thousandths = |share: f32| (share * 1000.0).round() as u16;
            curve.points().iter().map(|(x, y)| (thousandths(*x), thousandths(*y))).collect()
        };
        Ok(match self {
            Self::DeadZone => Setting::DeadZone(share(90.0)?),
            Self::Outer => Setting::Outer(share(50.0)?),
            Self::Minimum => Setting::Minimum(share(90.0)?),
            Self::Point(at) => {
                let now = shape.curve.points().get(at).map_or(0.0, |(_, y)| *y);
                Setting::Curve(points(&shape.curve.moved(at, f32::from(share(100.0)?) / 1000.0 - now)))
            }
            Self::Curve => {
                let known = PRESETS.iter().find(|(name, _)| name.starts_with(&*text) && !text.is_empty());
                let names: Vec<&str> = PRESETS.iter().map(|(name, _)| *name).collect();
                let (name, _) = known.ok_or_else(|| format!("the curve is one of {}", names.join(", ")))?;
                Setting::Curve(points(&Curve::preset(name).unwrap_or_default()))
            }
            Self::Sensitivity => match number("") {
                Some(times) if (0.1..=5.0).contains(&times) => Setting::Sensitivity((times * 1000.0).round() as u16),
                _ => return Err("the sensitivity is a factor from 0.1 to 5".into()),
            },
            Self::Gate => match Gate::ALL.iter().find(|(name, _)| name.starts_with(&*text) && !text.is_empty()) {
                Some((_, gate)) => Setting::Gate(*gate),
                None => {
                    let names: Vec<&str> = Gate::ALL.iter().map(|(name, _)| *name).collect();
                    return Err(format!("the gate is one of {}", names.join(", ")));
                }
            },
            Self::InvertX | Self::Invert => Setting::Invert([whether()?, shape.invert[1]]),
            Self::InvertY => Setting::Invert([shape.invert[0], whether()?]),
            Self::Smoothing => match number("ms") {
                Some(millis) if (0.0..=500.0).contains(&millis) => Setting::Smoothing(millis.round() as u16),
                _ => return Err("smoothing is 0 to 500 ms".into()),
            },
        })
    }

    /// As it is by default.
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

/// A share as a percentage, with tenths if it has any.
#[must_use]
pub fn percent(share: f32) -> String {
    let tenths = (share * 1000.0).round() as i32;
    match tenths % 10 {
        0 => format!("{} %", tenths / 10),
        _ => format!("{:.1} %", f64::from(tenths) / 10.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn typed(knob: Knob, text: &str) -> Result<Setting, String> {
        knob.typed(&Shape::plain(0.04), text)
    }

    #[test]
    fn typed_values_parse_with_and_without_a_unit() {
        for text in ["4", "4 %", "4%", "4,0", "0.04"] {
            assert_eq!(typed(Knob::DeadZone, text), Ok(Setting::DeadZone(40)), "{text}");
        }
        assert_eq!(typed(Knob::DeadZone, "0.5 %"), Ok(Setting::DeadZone(5)));
        assert_eq!(typed(Knob::Sensitivity, "x 1.5"), Ok(Setting::Sensitivity(1500)));
        assert_eq!(typed(Knob::Smoothing, "15 ms"), Ok(Setting::Smoothing(15)));
        assert_eq!(typed(Knob::InvertY, "yes"), Ok(Setting::Invert([false, true])));
        assert!(typed(Knob::DeadZone, "95").unwrap_err().contains("0 to 90"));
        assert!(typed(Knob::Outer, "much").unwrap_err().contains("percentage"));
        assert!(typed(Knob::Smoothing, "-1").is_err() && typed(Knob::Sensitivity, "NaN").is_err());
        for (name, _) in PRESETS {
            assert!(matches!(typed(Knob::Curve, name), Ok(Setting::Curve(_))), "{name}");
        }
    }

    #[test]
    fn a_coarse_step_is_ten_fine_steps_with_the_same_limits() {
        let shape = Shape::plain(0.04);
        let before = (shape.dead_zone * 1000.0).round() as u16;
        assert_eq!(Knob::DeadZone.leap(&shape, true), Setting::DeadZone(before + 100));
        assert_eq!(Knob::DeadZone.leap(&shape, false), Setting::DeadZone(before.saturating_sub(100)));
        assert_eq!(Knob::Gate.leap(&shape, true), Knob::Gate.step(&shape, true));
    }

    #[test]
    fn fractions_are_shown_as_percentages() {
        assert_eq!([0.04, 0.0, 0.055, 1.0].map(percent), ["4 %", "0 %", "5.5 %", "100 %"]);
    }
}
