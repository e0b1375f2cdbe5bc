//! A feel that is ready to run.

use super::curve::Ready;
use super::{Feel, Gate, Shape, Shaped};

/// Shapes six lanes by dead zones alone, which is all that most feels contain. Values of a stick are stored twice, once for each of its axes, so that
/// both sticks are computed side by side.
#[derive(Clone, Debug, Default)]
pub struct Shaper {
    /// Dead zones of the sticks' lanes, and of four lanes of triggers, two of them unused.
    sticks: [f32; 4],
    triggers: [f32; 4],
    /// The remaining travel, as a factor.
    stretch: [f32; 4],
    full: [f32; 4],
}

/// Shapes six lanes by everything else a feel may contain.
#[derive(Clone, Debug)]
pub struct Full {
    shapes: [Shape; 4],
    curves: [Ready; 4],
    /// Sticks whose axes are shaped separately.
    apart: [Option<[(Shape, Ready); 2]>; 2],
}

impl Shaper {
    /// Prepares the dead zones of a feel.
    #[must_use]
    pub fn new(feel: &Feel) -> Self {
        let [[left, right], [a, b]] = [feel.sticks, feel.triggers].map(|both| both.map(|shape| shape.dead_zone));
        let (sticks, triggers) = ([left, left, right, right], [a, b, 0.0, 0.0]);
        let full = triggers.map(|dead| crate::pad::TRIGGER_FULL as f32 / (1.0 - dead));
        Self { sticks, triggers, stretch: sticks.map(|dead| 1.0 - dead), full }
    }

    /// The input for which a stick's X and Y come out as given: what points at a place has no dead zone.
    #[must_use]
    pub fn straight(&self, stick: usize, x: f32, y: f32) -> (f32, f32) {
        let distance = (x * x + y * y).sqrt();
        if distance == 0.0 {
            return (x, y);
        }
        let gain = (self.sticks[2 * stick] + self.stretch[2 * stick] * distance) / distance;
        (x * gain, y * gain)
    }

    /// Shapes both sticks' X and Y, -1 to 1 each, to -32768 to 32767, and both triggers, 0 to 1, to 0 to 255: the six in this order; the last two
    /// lanes are unused. For a stick only the distance from the middle is shaped, so its direction stays, and the corners of a square stick stay
    /// corners.
    #[inline]
    #[must_use]
    pub fn shape(&self, lanes: &[f32; 8]) -> [i32; 8] {
        let [lx, ly, rx, ry, triggers @ ..] = *lanes;
        let places = [lx, ly, rx, ry];
        let squares = places.map(|place| place * place);
        let [a, b, c, d] = std::array::from_fn(|lane| {
            let (distance, dead) = ((squares[lane] + squares[lane ^ 1]).sqrt(), self.sticks[lane]);
            let gain = (distance - dead) / (self.stretch[lane] * distance);
            let value = places[lane] * if distance <= dead { 0.0 } else { gain };
            rounded(value * full(value))
        });
        let [e, f, g, h] = std::array::from_fn(|lane| {
            let (travel, dead): (f32, f32) = (triggers[lane], self.triggers[lane]);
            nearest(if travel > dead { travel - dead } else { 0.0 } * self.full[lane])
        });
        [a, b, c, d, e, f, g, h]
    }
}

impl Full {
    /// Prepares a feel; none if it contains nothing but dead zones.
    #[must_use]
    pub fn new(feel: &Feel) -> Option<Self> {
        let shapes = [feel.sticks[0], feel.sticks[1], feel.triggers[0], feel.triggers[1]];
        let is_plain =
            |shape: &Shape| Shape { smoothing: Default::default(), ..*shape } == Shape::plain(shape.dead_zone);
        let curves = || shapes.map(|shape| Ready::new(&shape.curve));
        let axis = |at: usize| {
            let shape = feel.of(Shaped::LANES[at]);
            (*shape, Ready::new(&shape.curve))
        };
        let apart = [0, 1].map(|stick| feel.is_apart(stick).then(|| [axis(2 * stick), axis(2 * stick + 1)]));
        let plain = shapes.iter().all(is_plain) && apart.iter().all(Option::is_none);
        (!plain).then(|| Self { shapes, curves: curves(), apart })
    }

    /// As [`Shaper::shape`].
    #[must_use]
    pub fn shape(&self, lanes: &[f32; 8]) -> [i32; 8] {
        let [lx, ly, rx, ry, left, right, ..] = *lanes;
        let [[lx, ly], [rx, ry]] = [(0, lx, ly), (1, rx, ry)].map(|(at, x, y)| self.stick(at, x, y));
        let sticks = [lx, ly, rx, ry].map(|value| rounded(value * if value < 0.0 { 32768.0 } else { 32767.0 }));
        let triggers = [(2, left), (3, right)]
            .map(|(at, travel)| rounded(self.distance(at, travel.min(1.0)).min(1.0) * crate::pad::TRIGGER_FULL as f32));
        let [a, b, c, d] = sticks;
        [a, b, c, d, triggers[0], triggers[1], 0, 0]
    }

    /// The output at a distance from rest; corners continue beyond 1.
    fn distance(&self, at: usize, distance: f32) -> f32 {
        self.shapes[at].respond(distance, |share| self.curves[at].at(share))
    }

    fn stick(&self, at: usize, x: f32, y: f32) -> [f32; 2] {
        if let Some(axes) = &self.apart[at] {
            let line = |value: f32, axis: usize| {
                let (shape, curve) = &axes[axis];
                let out = shape.respond(value.abs().min(1.0), |share| curve.at(share)).min(1.0);
                if shape.invert[axis] { -out.copysign(value) } else { out.copysign(value) }
            };
            return [line(x, 0), line(y, 1)].map(|value| value + 0.0);
        }
        let shape = &self.shapes[at];
        let distance = x.hypot(y);
        if distance <= 0.0 {
            return [0.0, 0.0];
        }
        let mut out = self.distance(at, distance);
        let [x, y] = [x, y].map(|value| value / distance);
        match shape.gate {
            Gate::Free => {}
            Gate::Circle => out = out.min(1.0),
            Gate::Square => out = out.min(1.0) / x.abs().max(y.abs()),
        }
        let [a, b] = shape.invert.map(|invert| if invert { -1.0 } else { 1.0 });
        [x * out * a, y * out * b]
    }
}

/// The end of a stick's axis on a value's side, 32767 or 32768. The two differ by 1, so the sign bit is added; a comparison would cost twice as much.
#[inline(always)]
fn full(value: f32) -> f32 {
    const BETWEEN: u32 = 32768f32.to_bits() - 32767f32.to_bits();
    f32::from_bits(32767f32.to_bits() + (value.to_bits() >> 31) * BETWEEN)
}

/// To the nearest number within 16 bits.
#[inline(always)]
fn rounded(value: f32) -> i32 {
    let value = if value > -32768.0 { value } else { -32768.0 };
    nearest(if value < 32767.0 { value } else { 32767.0 })
}

/// To the nearest number, for values within 16 bits. From this size up a float has no room for fractions, so adding it rounds, and the number can be
/// read from the lowest bits: cheaper than a conversion that has to handle every case.
#[inline(always)]
fn nearest(value: f32) -> i32 {
    const BASE: f32 = (3 << 22) as f32;
    (value + BASE).to_bits() as i32 - BASE.to_bits() as i32
}
