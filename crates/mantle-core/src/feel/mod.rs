//! How sticks and triggers feel: sticks as planes, triggers as lines.

mod change;
mod curve;
mod knob;
mod measure;
mod shaper;
mod smooth;

pub use change::{Setting, Shaped};
pub use curve::{Curve, POINTS, PRESETS};
pub use knob::{Knob, percent};
pub use measure::{Measure, Measured, SECTORS};
pub use shaper::{Full, Shaper};
pub use smooth::{SETTLES, Smooth};

use crate::pad::{FIRST_LINE, LINES, TRAVEL_FULL};
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// What happens to the corners of a stick.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Gate {
    /// They stay as the device has them.
    #[default]
    Free,
    /// Nothing lies beyond a circle.
    Circle,
    /// A circle is stretched to a square: diagonals reach the corners.
    Square,
}

impl Gate {
    /// All of them, as files write them.
    pub const ALL: [(&'static str, Self); 3] =
        [("free", Self::Free), ("circle", Self::Circle), ("square", Self::Square)];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, gate)| *gate == self).map_or("", |(word, _)| word)
    }
}

/// How one stick or trigger feels. Shares are of full travel.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Shape {
    /// Around rest: 0 to 0.9. For a stick, the distance from the middle.
    pub dead_zone: f32,
    /// At the end: 0 to 0.5; everything within it counts as full.
    pub outer: f32,
    /// The smallest output other than rest: 0 to 0.9; for games with a dead zone of their own.
    pub minimum: f32,
    /// The output between the two.
    pub curve: Curve,
    /// The output is multiplied by this, up to full: 0.1 to 5.
    pub sensitivity: f32,
    /// What happens to the corners; for sticks only.
    pub gate: Gate,
    /// Whether X and Y are inverted; for sticks only. A trigger is inverted in its binding, or it would be pulled while nobody touches it.
    pub invert: [bool; 2],
    /// The time within which most of a change comes through: 0 (off) to 500 ms. It is also the delay.
    pub smoothing: Micros,
}

impl Shape {
    /// The default feel with this dead zone.
    #[must_use]
    pub fn plain(dead_zone: f32) -> Self {
        Self {
            dead_zone,
            outer: 0.0,
            minimum: 0.0,
            curve: Curve::default(),
            sensitivity: 1.0,
            gate: Gate::Free,
            invert: [false; 2],
            smoothing: Micros(0),
        }
    }

    /// The output at a distance from rest, both as shares, without gate, inversion and smoothing.
    #[must_use]
    pub fn at(&self, distance: f32) -> f32 {
        self.respond(distance.min(1.0), |share| self.curve.at(share)).min(1.0)
    }

    /// Which setting lets hardly anything through, or nothing at all, with its value; whether it is nothing at all; and what resets it.
    #[must_use]
    pub fn keeps_back(&self) -> Option<(String, bool, Setting)> {
        let (full, most) = (self.at(1.0), self.at(0.75));
        if self.smoothing >= Micros::millis(300) {
            return Some((format!("smoothing of {} ms", self.smoothing.0 / 1000), false, Setting::Smoothing(0)));
        }
        if self.dead_zone >= 0.6 {
            return Some((format!("dead zone {}", percent(self.dead_zone)), full <= 0.01, Setting::USUAL_DEAD_ZONE));
        }
        if full <= 0.35 {
            let plain = Self { sensitivity: 1.0, ..*self };
            let (what, plain) = if plain.at(1.0) > 0.35 {
                (format!("sensitivity {:.2}", self.sensitivity), Setting::Sensitivity(1000))
            } else {
                ("its curve is flat".to_owned(), Setting::Curve(Vec::new()))
            };
            return Some((what, full <= 0.01, plain));
        }
        (most <= 0.02)
            .then(|| (format!("its curve starts at {:.0} % of the travel", 75.0), false, Setting::Curve(Vec::new())))
    }

    /// The same by a prepared curve. The corners of a stick are beyond 1, and so may the output be.
    fn respond(&self, distance: f32, curve: impl Fn(f32) -> f32) -> f32 {
        let room = (1.0 - self.outer - self.dead_zone).max(0.01);
        let share = (distance - self.dead_zone) / room;
        if share <= 0.0 {
            return 0.0;
        }
        // In the outer dead zone the output is full; only corners are beyond it.
        let share = if distance <= 1.0 { share.min(1.0) } else { distance };
        self.minimum + (1.0 - self.minimum) * curve(share) * self.sensitivity
    }
}

/// The feel of a slot.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Feel {
    /// The left and the right stick.
    pub sticks: [Shape; 2],
    /// The left and the right trigger.
    pub triggers: [Shape; 2],
    /// Left X and Y, right X and Y, if one of them has a feel of its own. Both axes of that stick are then separate lines; otherwise they are a
    /// plane.
    pub axes: [Option<Shape>; 4],
    /// The lines: axes that belong to no stick or trigger, each by itself.
    pub lines: [Shape; LINES.len()],
}

/// The default dead zone of sticks and triggers.
pub const DEAD_ZONE: f32 = 0.04;

impl Default for Feel {
    fn default() -> Self {
        Self::plain(DEAD_ZONE, DEAD_ZONE)
    }
}

impl Feel {
    /// Dead zones of the sticks and of the triggers, and nothing else.
    #[must_use]
    pub fn plain(sticks: f32, triggers: f32) -> Self {
        Self {
            sticks: [Shape::plain(sticks); 2],
            triggers: [Shape::plain(triggers); 2],
            axes: [None; 4],
            lines: [Shape::plain(0.0); LINES.len()],
        }
    }

    /// How one of them feels.
    #[must_use]
    pub fn of(&self, which: Shaped) -> &Shape {
        match which {
            Shaped::LeftStick => &self.sticks[0],
            Shaped::RightStick => &self.sticks[1],
            Shaped::LeftTrigger => &self.triggers[0],
            Shaped::RightTrigger => &self.triggers[1],
            Shaped::Line(line) => &self.lines[usize::from(line) % LINES.len()],
            axis => self.axes[axis.axis()].as_ref().unwrap_or(&self.sticks[axis.axis() / 2]),
        }
    }

    /// How a lane feels: an axis of a stick, a trigger or a line. Unused lanes feel like nothing.
    #[must_use]
    pub fn of_lane(&self, lane: usize) -> Shape {
        match (Shaped::LANES.get(lane), lane.checked_sub(FIRST_LINE)) {
            (Some(which), _) => *self.of(*which),
            (None, Some(line)) => self.lines[line % LINES.len()],
            (None, None) => Shape::plain(0.0),
        }
    }

    /// Whether an axis of a stick has a feel of its own.
    #[must_use]
    pub fn is_own(&self, which: Shaped) -> bool {
        which.is_axis() && self.axes.get(which.axis()).is_some_and(Option::is_some)
    }

    /// Whether the axes of a stick, 0 or 1, are shaped separately.
    #[must_use]
    pub fn is_apart(&self, stick: usize) -> bool {
        self.axes[2 * stick].is_some() || self.axes[2 * stick + 1].is_some()
    }

    /// The same, to be changed.
    pub fn of_mut(&mut self, which: Shaped) -> &mut Shape {
        match which {
            Shaped::LeftStick => &mut self.sticks[0],
            Shaped::RightStick => &mut self.sticks[1],
            Shaped::LeftTrigger => &mut self.triggers[0],
            Shaped::RightTrigger => &mut self.triggers[1],
            Shaped::Line(line) => &mut self.lines[usize::from(line) % LINES.len()],
            axis => self.axes[axis.axis()].get_or_insert(self.sticks[axis.axis() / 2]),
        }
    }

    /// The smoothing of the lanes of sticks and triggers; the last two are unused.
    #[must_use]
    pub fn smoothing(&self) -> [Micros; 8] {
        std::array::from_fn(|lane| Shaped::LANES.get(lane).map_or(Micros(0), |which| self.of(*which).smoothing))
    }

    /// Shapes lanes once, without smoothing; see [`Shaper::shape`].
    #[must_use]
    pub fn shape(&self, lanes: &[f32; 8]) -> [i32; 8] {
        Full::new(self).map_or_else(|| Shaper::new(self).shape(lanes), |full| full.shape(lanes))
    }

    /// Shapes a line, without smoothing: -1 to 1 if it rests in its middle, 0 to 1 if it travels from its rest.
    #[must_use]
    pub fn line(&self, line: usize, given: f32) -> i32 {
        let line = line % LINES.len();
        let (shape, centred) = (&self.lines[line], LINES[line].1);
        let (out, inverted) = (shape.at(given.abs().min(1.0)), shape.invert[0]);
        let value = match (centred, (given < 0.0) != inverted) {
            (false, _) => (if inverted { 1.0 - out } else { out }) * TRAVEL_FULL as f32,
            (true, true) => -out * 32768.0,
            (true, false) => out * 32767.0,
        };
        value.round() as i32
    }

    /// Shapes the left stick.
    #[must_use]
    pub fn stick(&self, x: f32, y: f32) -> [i32; 2] {
        let [x, y, ..] = self.shape(&[x, y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]);
        [x, y]
    }

    /// Shapes the left trigger.
    #[must_use]
    pub fn trigger(&self, travel: f32) -> i32 {
        self.shape(&[0.0, 0.0, 0.0, 0.0, travel, 0.0, 0.0, 0.0])[4]
    }
}

#[cfg(test)]
mod tests;
