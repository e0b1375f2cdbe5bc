//! Response curves: the output for each input.

use serde::{Deserialize, Serialize};

/// The most points of a curve between its ends.
pub const POINTS: usize = 6;
/// Steps of a prepared curve.
const STEPS: usize = 64;

/// A response curve: straight lines from 0, 0 through its points to 1, 1. The output never falls.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Curve {
    points: [(f32, f32); POINTS],
    count: u8,
}

/// Curves with names, and their points.
pub const PRESETS: [(&str, &[(f32, f32)]); 5] = [
    ("straight", &[]),
    ("gentle", &[(0.25, 0.12), (0.5, 0.33), (0.75, 0.62)]),
    ("very gentle", &[(0.25, 0.04), (0.5, 0.17), (0.75, 0.45)]),
    ("eager", &[(0.25, 0.42), (0.5, 0.7), (0.75, 0.88)]),
    ("s-shaped", &[(0.25, 0.13), (0.5, 0.5), (0.75, 0.87)]),
];

impl Curve {
    /// A curve through these points.
    ///
    /// # Errors
    /// There are too many of them, one lies outside of 0 to 1, they do not go to the right, or one is lower than the one before.
    pub fn new(points: &[(f32, f32)]) -> Result<Self, &'static str> {
        if points.len() > POINTS {
            return Err("at most six points");
        }
        let mut out = Self { points: [(0.0, 0.0); POINTS], count: points.len() as u8 };
        let mut before = (0.0, 0.0);
        for (own, (x, y)) in out.points.iter_mut().zip(points) {
            if !(0.001..=0.999).contains(x) || !(0.0..=1.0).contains(y) {
                return Err("inputs between 0 and 1, outputs from 0 to 1");
            }
            if *x <= before.0 || *y < before.1 {
                return Err("each point further right than the last, and not lower");
            }
            (*own, before) = ((*x, *y), (*x, *y));
        }
        Ok(out)
    }

    /// The curve of a name.
    #[must_use]
    pub fn preset(name: &str) -> Option<Self> {
        PRESETS.iter().find(|(own, _)| *own == name).and_then(|(_, points)| Self::new(points).ok())
    }

    /// Its name, if it has one.
    #[must_use]
    pub fn name(&self) -> Option<&'static str> {
        PRESETS.iter().find(|(_, points)| *points == self.points()).map(|(name, _)| *name)
    }

    /// Its points.
    #[must_use]
    pub fn points(&self) -> &[(f32, f32)] {
        &self.points[..usize::from(self.count)]
    }

    /// The output for an input, both 0 to 1.
    #[must_use]
    pub fn at(&self, share: f32) -> f32 {
        let mut before = (0.0, 0.0);
        for (x, y) in self.points().iter().copied().chain([(1.0, 1.0)]) {
            if share <= x {
                return before.1 + (y - before.1) * ((share - before.0) / (x - before.0)).clamp(0.0, 1.0);
            }
            before = (x, y);
        }
        1.0
    }

    /// Moves the output of one of its points, as far as its neighbours allow.
    #[must_use]
    pub fn moved(&self, index: usize, by: f32) -> Self {
        let mut out = *self;
        let count = usize::from(self.count);
        if index < count {
            let low = if index == 0 { 0.0 } else { self.points[index - 1].1 };
            let high = if index + 1 == count { 1.0 } else { self.points[index + 1].1 };
            out.points[index].1 = (self.points[index].1 + by).clamp(low, high);
        }
        out
    }
}

/// A curve that is ready to run.
#[derive(Clone, Debug)]
pub(super) struct Ready([f32; STEPS + 1]);

impl Ready {
    pub fn new(curve: &Curve) -> Self {
        Self(std::array::from_fn(|step| curve.at(step as f32 / STEPS as f32)))
    }

    /// The output; beyond 1 it continues at the same rate.
    pub fn at(&self, share: f32) -> f32 {
        if share >= 1.0 {
            return share;
        }
        let place = share.max(0.0) * STEPS as f32;
        let step = (place as usize).min(STEPS - 1);
        let [a, b] = [self.0[step], self.0[step + 1]];
        a + (b - a) * (place - step as f32)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn presets_are_valid_curves_and_are_recognized() {
        for (name, points) in PRESETS {
            let curve = Curve::preset(name).expect("a curve");
            assert_eq!((curve.points(), curve.name()), (points, Some(name)));
            assert_eq!((curve.at(0.0), curve.at(1.0)), (0.0, 1.0));
        }
    }

    #[test]
    fn invalid_curves_are_refused() {
        assert!(Curve::new(&[(0.5, 0.5), (0.5, 0.6)]).is_err(), "straight up");
        assert!(Curve::new(&[(0.3, 0.6), (0.5, 0.5)]).is_err(), "down");
        assert!(Curve::new(&[(0.3, 1.1)]).is_err(), "out of range");
        assert!(Curve::new(&[(0.1, 0.1); 7]).is_err(), "too many");
        assert!(Curve::new(&[(f32::NAN, 0.1)]).is_err(), "no number");
    }

    proptest! {
        /// Whatever is moved, the output never falls, and the prepared curve is close to the stated one.
        #[test]
        fn a_curve_stays_monotone(moves in prop::collection::vec((0usize..7, -1.0f32..1.0), 0..20), a in 0.0f32..=1.0, b in 0.0f32..=1.0) {
            let mut curve = Curve::preset("gentle").expect("a curve");
            for (index, by) in moves {
                curve = curve.moved(index, by);
            }
            prop_assert!(Curve::new(curve.points()).is_ok());
            let (low, high) = (a.min(b), a.max(b));
            prop_assert!(curve.at(low) <= curve.at(high));
            let ready = Ready::new(&curve);
            prop_assert!(ready.at(low) <= ready.at(high) + 1e-6);
            prop_assert!((ready.at(a) - curve.at(a)).abs() < 0.02);
        }
    }
}
