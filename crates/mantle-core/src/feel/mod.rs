//! How sticks and triggers feel: the stick as a plane, the trigger as a line.

use serde::{Deserialize, Serialize};

/// The feel of a slot. Shares of full travel, 0 to 0.9.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Feel {
    /// Dead zone of the sticks, on the distance from the middle; what lies beyond is stretched to full range.
    pub stick_dead_zone: f32,
    /// Dead zone of the triggers.
    pub trigger_dead_zone: f32,
}

/// The dead zone of sticks and triggers where nobody has set one.
pub const DEAD_ZONE: f32 = 0.04;

impl Default for Feel {
    fn default() -> Self {
        Self { stick_dead_zone: DEAD_ZONE, trigger_dead_zone: DEAD_ZONE }
    }
}

impl Feel {
    /// Shapes both sticks' X and Y, -1 to 1 each, to -32768 to 32767, and both triggers, 0 to 1, to 0 to 255: the six
    /// in this order; the last two lanes are nobody's.
    ///
    /// Of a stick only the distance from the middle is shaped, so the direction stays; the corners of a square stick
    /// stay corners.
    #[inline]
    #[must_use]
    pub fn shape(&self, lanes: &[f32; 8]) -> [i32; 8] {
        let [lx, ly, rx, ry, triggers @ ..] = *lanes;
        let dead = self.stick_dead_zone;
        let [left, right] = [lx * lx + ly * ly, rx * rx + ry * ry].map(|square| {
            let distance = square.sqrt();
            let gain = (distance - dead) / ((1.0 - dead) * distance);
            if distance <= dead { 0.0 } else { gain }
        });
        let sticks = [lx * left, ly * left, rx * right, ry * right].map(|value| {
            let full = if value < 0.0 { 32768.0 } else { 32767.0 };
            rounded(value * full)
        });
        let dead = self.trigger_dead_zone;
        let full = crate::pad::TRIGGER_FULL as f32 / (1.0 - dead);
        let triggers = triggers.map(|travel| rounded(if travel > dead { travel - dead } else { 0.0 } * full));
        let ([a, b, c, d], [e, f, g, h]) = (sticks, triggers);
        [a, b, c, d, e, f, g, h]
    }

    /// Shapes one stick; see [`Feel::shape`].
    #[must_use]
    pub fn stick(&self, x: f32, y: f32) -> [i32; 2] {
        let [x, y, ..] = self.shape(&[x, y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
        [x, y]
    }

    /// Shapes one trigger; see [`Feel::shape`].
    #[must_use]
    pub fn trigger(&self, travel: f32) -> i32 {
        self.shape(&[0.0, 0.0, 0.0, 0.0, travel, 0.0, 0.0, 0.0])[4]
    }
}

/// To the nearest number within 16 bits. From here up a float has no room for fractions, so that adding it rounds, and
/// the number can be read off the lowest bits: cheaper than a conversion that has to mind everything.
#[inline(always)]
fn rounded(value: f32) -> i32 {
    const BASE: f32 = (3 << 22) as f32;
    let value = if value > -32768.0 { value } else { -32768.0 };
    let value = if value < 32767.0 { value } else { 32767.0 };
    (value + BASE).to_bits() as i32 - BASE.to_bits() as i32
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn ends_reach_ends_and_rest_is_nothing() {
        let feel = Feel::default();
        assert_eq!(feel.stick(1.0, 0.0), [32767, 0]);
        assert_eq!(feel.stick(-1.0, 0.0), [-32768, 0]);
        assert_eq!(feel.stick(1.0, -1.0), [32767, -32768]);
        assert_eq!(feel.stick(0.03, 0.02), [0, 0]);
        assert_eq!((feel.trigger(0.0), feel.trigger(0.04), feel.trigger(1.0)), (0, 0, 255));
    }

    proptest! {
        #[test]
        fn further_out_is_never_less(a in 0.0f32..1.0, b in 0.0f32..1.0, dead in 0.0f32..0.5) {
            let feel = Feel { stick_dead_zone: dead, trigger_dead_zone: dead };
            let (near, far) = if a < b { (a, b) } else { (b, a) };
            prop_assert!(feel.stick(near, 0.0)[0] <= feel.stick(far, 0.0)[0]);
            prop_assert!(feel.trigger(near) <= feel.trigger(far));
        }

        #[test]
        fn the_direction_stays(x in -1.0f32..1.0, y in -1.0f32..1.0) {
            let [ox, oy] = Feel::default().stick(x, y);
            if ox.abs() < 32767 && oy.abs() < 32767 {
                let cross = f64::from(x) * f64::from(oy) - f64::from(y) * f64::from(ox);
                prop_assert!(cross.abs() <= 2.0, "{x} {y} became {ox} {oy}");
            }
        }
    }
}
