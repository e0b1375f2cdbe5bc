//! Bindings compiled against one part's places: no lookup and no allocation per report, buttons as runs of bits.

use super::{Bindings, How};
use crate::control::{Control, PartLayout, Place, hat_directions};
use crate::pad::Target;
use mantle_hid::{Frame, VALUES, WORDS};

/// What one member gives to its slot's pad, before feel.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Contribution {
    /// Targets that are down, as in [`crate::pad::PadState::bits`].
    pub bits: u32,
    /// Left stick X, Y, right stick X, Y: -1 to 1, up and left negative.
    pub axes: [f32; 4],
    /// Left and right trigger, 0 to 1.
    pub triggers: [f32; 2],
}

impl Contribution {
    /// Whether nothing differs, bit for bit.
    #[inline]
    #[must_use]
    pub fn same(&self, other: &Self) -> bool {
        let axes = self.axes.iter().zip(&other.axes).fold(0, |sum, (a, b)| sum | (a.to_bits() ^ b.to_bits()));
        let triggers =
            self.triggers.iter().zip(&other.triggers).fold(0, |sum, (a, b)| sum | (a.to_bits() ^ b.to_bits()));
        axes | triggers | (self.bits ^ other.bits) == 0
    }

    /// Adds another member's: buttons of either, of an axis the larger deflection.
    pub fn merge(&mut self, other: &Self) {
        self.bits |= other.bits;
        for (mine, theirs) in self.axes.iter_mut().zip(other.axes) {
            if theirs.abs() > mine.abs() {
                *mine = theirs;
            }
        }
        for (mine, theirs) in self.triggers.iter_mut().zip(other.triggers) {
            *mine = mine.max(theirs);
        }
    }
}

#[derive(Clone, Copy, Debug)]
struct Run {
    word: u8,
    from: u8,
    to: u8,
    mask: u32,
}

#[derive(Clone, Copy, Debug)]
struct Hat {
    value: u8,
    min: i32,
    max: i32,
}

#[derive(Clone, Copy, Debug)]
struct Axis {
    value: u8,
    to: u8,
    middle: f32,
    /// Half a step where no raw value lies in the middle: then the two beside it are the middle.
    slack: f32,
    scale: f32,
}

#[derive(Clone, Copy, Debug)]
struct Travel {
    value: u8,
    to: u8,
    min: f32,
    scale: f32,
}

#[derive(Clone, Copy, Debug)]
struct Pressure {
    value: u8,
    over: i32,
    mask: u32,
}

/// A part's bindings, ready to run.
#[derive(Clone, Debug, Default)]
pub struct Compiled {
    runs: Vec<Run>,
    hats: Vec<Hat>,
    axes: Vec<Axis>,
    travels: Vec<Travel>,
    pressures: Vec<Pressure>,
}

impl Compiled {
    /// Compiles bindings; those whose control the part does not have are left out.
    #[must_use]
    pub fn new(bindings: &Bindings, part: &PartLayout) -> Self {
        let mut out = Self::default();
        for binding in &bindings.list {
            let Some(control) = part.controls.iter().find(|c| c.number == binding.control) else { continue };
            out.add(control, binding.how, binding.target);
        }
        out.join_runs();
        out
    }

    fn add(&mut self, control: &Control, how: How, target: Target) {
        let span = (control.max as f32 - control.min as f32).max(1.0);
        match (control.place, how) {
            (Place::Bit(bit), _) => {
                let (word, from) = ((bit / 64) as u8, (bit % 64) as u8);
                self.runs.push(Run { word, from, to: target as u8, mask: 1 });
            }
            (Place::Value(value), How::Down) => {
                let over = ((i64::from(control.min) + i64::from(control.max)) / 2) as i32;
                self.pressures.push(Pressure { value, over, mask: target.mask() });
            }
            (Place::Value(value), How::Direction(_)) => {
                if !self.hats.iter().any(|hat| hat.value == value) {
                    self.hats.push(Hat { value, min: control.min, max: control.max });
                }
            }
            (Place::Value(value), How::Travel) => {
                let to = u8::from(target == Target::RightTrigger);
                self.travels.push(Travel { value, to, min: control.min as f32, scale: 1.0 / span });
            }
            (Place::Value(value), How::LowerHalf | How::UpperHalf) => {
                let to = match target {
                    Target::LeftStickLeft | Target::LeftStickRight => 0,
                    Target::LeftStickUp | Target::LeftStickDown => 1,
                    Target::RightStickLeft | Target::RightStickRight => 2,
                    _ => 3,
                };
                if !self.axes.iter().any(|axis| axis.value == value && axis.to == to) {
                    let middle = (control.min as f32 + control.max as f32) / 2.0;
                    let slack = if control.max.wrapping_sub(control.min) % 2 == 0 { 0.0 } else { 0.5 };
                    self.axes.push(Axis { value, to, middle, slack, scale: 2.0 / (span - 2.0 * slack).max(1.0) });
                }
            }
        }
    }

    /// Joins bits that are neighbours in the frame and in the pad.
    fn join_runs(&mut self) {
        self.runs.sort_by_key(|run| (run.word, run.from));
        let mut joined: Vec<Run> = Vec::new();
        for run in self.runs.drain(..) {
            if let Some(last) = joined.last_mut() {
                let len = last.mask.count_ones() as u8;
                if last.word == run.word && last.from + len == run.from && last.to + len == run.to {
                    last.mask = last.mask << 1 | 1;
                    continue;
                }
            }
            joined.push(run);
        }
        self.runs = joined;
    }

    /// Evaluates a frame. Values whose bit is set in `blocked` count as being at rest.
    #[inline]
    #[must_use]
    pub fn evaluate(&self, frame: &Frame, blocked: u64) -> Contribution {
        // Nearly always nothing is blocked: then nothing is asked.
        if blocked == 0 { self.run::<false>(frame, 0) } else { self.run::<true>(frame, blocked) }
    }

    #[inline]
    fn run<const ASK: bool>(&self, frame: &Frame, blocked: u64) -> Contribution {
        let mut out = Contribution::default();
        let free = |value: u8| !ASK || blocked >> (value & 63) & 1 == 0;
        let read = |value: u8| frame.values[usize::from(value) % VALUES];
        for run in &self.runs {
            let bits = frame.bits[usize::from(run.word) % WORDS] >> (run.from & 63);
            out.bits |= (bits as u32 & run.mask) << (run.to & 31);
        }
        for hat in self.hats.iter().filter(|hat| free(hat.value)) {
            out.bits |= hat_directions(hat.min, hat.max, read(hat.value)) << Target::Up as u32;
        }
        for pressure in self.pressures.iter().filter(|pressure| free(pressure.value)) {
            if read(pressure.value) > pressure.over {
                out.bits |= pressure.mask;
            }
        }
        for axis in self.axes.iter().filter(|axis| free(axis.value)) {
            let place = &mut out.axes[usize::from(axis.to) & 3];
            let off = read(axis.value) as f32 - axis.middle;
            // Plain comparisons: nothing here can be "not a number", whose handling costs more than the rest.
            let far = (off.abs() - axis.slack) * axis.scale;
            if far > place.abs() {
                *place = if far > 1.0 { 1.0f32.copysign(off) } else { far.copysign(off) };
            }
        }
        for travel in self.travels.iter().filter(|travel| free(travel.value)) {
            let place = &mut out.triggers[usize::from(travel.to) & 1];
            let far = (read(travel.value) as f32 - travel.min) * travel.scale;
            let far = if far > 1.0 { 1.0 } else { far };
            if far > *place {
                *place = far;
            }
        }
        out
    }
}
