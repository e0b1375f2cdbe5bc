//! The pad's six analogue controls side by side: each has a lane, and all lanes are worked out by the same few
//! instructions.

use crate::control::Control;
use mantle_hid::{Frame, VALUES};

/// From here on lanes are triggers: values below rest count as rest.
pub const TRIGGERS: usize = 4;
/// Left stick X, Y, right stick X, Y, left and right trigger, and two empty ones, so that they are twice as many
/// as the machine works out at once.
pub const WIDTH: usize = 8;

/// From a raw value to a share of full travel: the distance from `middle`, less `slack`, times `scale`.
#[derive(Clone, Copy, Debug)]
pub struct Line {
    value: u8,
    middle: f32,
    /// Half a step if no raw value lies in the middle; then the two beside it count as the middle.
    slack: f32,
    scale: f32,
}

impl Line {
    /// Both halves of an axis, -1 to 1 from its middle.
    pub fn centred(control: &Control, value: u8) -> Self {
        let span = (control.max as f32 - control.min as f32).max(1.0);
        let slack = if control.max.wrapping_sub(control.min) % 2 == 0 { 0.0 } else { 0.5 };
        let middle = (control.min as f32 + control.max as f32) / 2.0;
        Self { value, middle, slack, scale: 2.0 / (span - 2.0 * slack).max(1.0) }
    }

    /// The whole travel, 0 to 1 from its lower end.
    pub fn travel(control: &Control, value: u8) -> Self {
        let span = (control.max as f32 - control.min as f32).max(1.0);
        Self { value, middle: control.min as f32, slack: 0.0, scale: 1.0 / span }
    }

    /// The output of a mover: -`full` to `full`.
    pub fn position(value: u8, full: i32) -> Self {
        Self { value, middle: 0.0, slack: 0.0, scale: 1.0 / full as f32 }
    }

    /// The value of the frame that it reads.
    pub fn value(&self) -> u8 {
        self.value
    }

    /// The share of a raw value. Zero is always +0, so that shares can be compared bitwise.
    #[inline]
    pub fn share(&self, raw: i32, trigger: bool) -> f32 {
        let off = raw as f32 - self.middle;
        if trigger { pull(off, self.slack, self.scale) } else { share(off, self.slack, self.scale) }
    }
}

/// Plain comparisons throughout: nothing here can be NaN, whose handling costs more than the rest.
#[inline(always)]
fn share(off: f32, slack: f32, scale: f32) -> f32 {
    let far = above((off.abs() - slack) * scale);
    let far = if far < 1.0 { far } else { 1.0 };
    far.copysign(off) + 0.0
}

/// The same, with values below rest counting as rest.
#[inline(always)]
fn pull(off: f32, slack: f32, scale: f32) -> f32 {
    let far = above((off - slack) * scale);
    if far < 1.0 { far } else { 1.0 }
}

#[inline(always)]
fn above(share: f32) -> f32 {
    if share > 0.0 { share } else { 0.0 }
}

/// Four lanes, as wide as the machine's registers.
#[derive(Clone, Debug, Default)]
struct Four {
    value: [u8; 4],
    middle: [f32; 4],
    slack: [f32; 4],
    scale: [f32; 4],
}

impl Four {
    #[inline(always)]
    fn shares(&self, raw: [i32; 4], line: impl Fn(f32, f32, f32) -> f32) -> [f32; 4] {
        let raw = raw.map(|value| value as f32);
        std::array::from_fn(|lane| line(raw[lane] - self.middle[lane], self.slack[lane], self.scale[lane]))
    }

    #[inline(always)]
    fn read(&self, frame: &Frame, lane: usize) -> i32 {
        frame.values[usize::from(self.value[lane]) % VALUES]
    }

    /// The shares of four values from anywhere. Out of line, so that adjacent values stay one load.
    #[cold]
    #[inline(never)]
    fn gathered(&self, frame: &Frame) -> [f32; 4] {
        self.shares(std::array::from_fn(|lane| self.read(frame, lane)), share)
    }
}

/// The first source of each lane; a lane without one reads value 0 and ignores it.
#[derive(Clone, Debug)]
pub struct Lanes {
    sticks: Four,
    /// Where the sticks' values lie side by side in the frame, in the order of the lanes, so that they are one load; otherwise the
    /// last value of the frame, after which no four can lie.
    row: u8,
    triggers: Four,
    used: u8,
}

const NO_ROW: u8 = VALUES as u8 - 1;

impl Default for Lanes {
    fn default() -> Self {
        Self { sticks: Four::default(), row: NO_ROW, triggers: Four::default(), used: 0 }
    }
}

impl Lanes {
    fn four(&mut self, lane: usize) -> (&mut Four, usize) {
        if lane < TRIGGERS { (&mut self.sticks, lane) } else { (&mut self.triggers, lane - TRIGGERS) }
    }

    /// Where the sticks' values lie, if side by side. An empty lane ignores whatever it reads.
    fn find_row(&self) -> Option<u8> {
        let used = || (0..4u8).filter(|at| self.used >> at & 1 == 1);
        let begins = |at: u8| self.sticks.value[usize::from(at)].wrapping_sub(at);
        let first = begins(used().next()?);
        (used().all(|at| begins(at) == first) && usize::from(first) + 4 <= VALUES).then_some(first)
    }

    /// Gives a lane its source. Returns false if it has another one already.
    pub fn put(&mut self, lane: usize, line: Line) -> bool {
        let taken = self.used >> lane & 1 == 1;
        self.used |= 1 << lane;
        let (four, at) = self.four(lane);
        if taken {
            return four.value[at] == line.value;
        }
        four.value[at] = line.value;
        four.middle[at] = line.middle;
        four.slack[at] = line.slack;
        four.scale[at] = line.scale;
        self.row = self.find_row().unwrap_or(NO_ROW);
        true
    }

    /// All shares.
    #[inline(always)]
    pub fn shares(&self, frame: &Frame) -> [f32; WIDTH] {
        let row = frame.values[usize::from(self.row) % VALUES..].first_chunk();
        let [lx, ly, rx, ry] = match row {
            Some(row) => self.sticks.shares(*row, share),
            None => self.sticks.gathered(frame),
        };
        let pulled = [self.triggers.read(frame, 0), self.triggers.read(frame, 1), 0, 0];
        let [a, b, c, d] = self.triggers.shares(pulled, pull);
        [lx, ly, rx, ry, a, b, c, d]
    }

    /// Puts lanes to rest whose value has its bit set in `blocked`.
    pub fn rest(&self, shares: &mut [f32; WIDTH], blocked: u64) {
        for (share, value) in shares.iter_mut().zip(self.sticks.value.iter().chain(&self.triggers.value)) {
            if blocked >> (value & 63) & 1 == 1 {
                *share = 0.0;
            }
        }
    }
}
