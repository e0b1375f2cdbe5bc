//! Bindings compiled for one part: no searching and no allocation per report; buttons are read eight at a time.

use super::lanes::{Lanes, Line, TRIGGERS, WIDTH};
use super::{Bindings, How};
use crate::control::{Control, PartLayout, Place, hat_directions};
use crate::pad::{FIRST_LINE, LINES, PadTarget, halves_of};
use mantle_hid::{Frame, VALUES, WORDS};

/// What one member gives to its slot's pad, before feel.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Contribution {
    /// Left stick X, Y, right stick X, Y: -1 to 1, up and left negative; left and right trigger, 0 to 1; two zeros.
    pub lanes: [f32; WIDTH],
    /// Pressed targets, as in [`crate::pad::PadState::bits`].
    pub bits: u32,
}

impl Contribution {
    /// Whether both are bitwise equal.
    #[inline]
    #[must_use]
    pub fn same(&self, other: &Self) -> bool {
        let lanes = self.lanes.iter().zip(&other.lanes).fold(0, |sum, (a, b)| sum | (a.to_bits() ^ b.to_bits()));
        lanes | (self.bits ^ other.bits) == 0
    }

    /// How far a target is from rest, 0 to 1.
    #[must_use]
    pub fn share(&self, target: PadTarget) -> f32 {
        let bit = (self.bits >> (target.index() & 31) & 1) as f32;
        match target.axis() {
            Some((lane, _)) if lane >= WIDTH => 0.0,
            None if halves_of(target.mask()).0 == 0 => 0.0,
            Some((lane, _)) if lane >= TRIGGERS => self.lanes[lane].max(bit),
            Some((lane, sign)) => (self.lanes[lane] * sign).max(0.0),
            None => bit,
        }
    }

    /// Adds another member's state: buttons of either, and of each axis the larger deflection.
    pub fn merge(&mut self, other: &Self) {
        self.bits |= other.bits;
        for (mine, theirs) in self.lanes.iter_mut().zip(other.lanes) {
            if theirs.abs() > mine.abs() {
                *mine = theirs;
            }
        }
    }
}

/// Eight bits of the frame, and what each of their 256 values presses. Devices order their buttons differently from the pad, so
/// one lookup for eight of them is cheaper than one for each.
#[derive(Clone, Debug)]
struct Eight {
    word: u8,
    shift: u8,
    pressed: Box<[u32; 256]>,
}

/// A hat, and what each of its values presses, from the lowest on; all zeros without a hat.
#[derive(Clone, Copy, Debug, Default)]
struct Hat {
    value: u8,
    min: i32,
    pressed: [u32; 8],
}

impl Hat {
    fn new(control: &Control, value: u8) -> Self {
        let pressed = |step: usize| match control.min.checked_add(step as i32) {
            Some(raw) => control.hat_directions(raw) << PadTarget::Up.index(),
            None => 0,
        };
        Self { value, min: control.min, pressed: std::array::from_fn(pressed) }
    }

    fn is_there(&self) -> bool {
        self.pressed != [0; 8]
    }

    fn is_as(&self, other: &Self) -> bool {
        self.value == other.value && self.pressed == other.pressed
    }

    /// What it presses in this frame.
    #[inline(always)]
    fn press(&self, frame: &Frame) -> u32 {
        let step = frame.values[usize::from(self.value) % VALUES].wrapping_sub(self.min) as u32;
        self.pressed.get(step as usize).copied().unwrap_or(0)
    }
}

#[derive(Clone, Copy, Debug)]
struct Pressure {
    value: u8,
    over: i32,
    mask: u32,
}

/// What one member gives to other kinds of pad, before feel.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct More {
    /// The lines: -1 to 1 if they rest in the middle, 0 to 1 if they travel.
    pub lines: [f32; LINES.len()],
    /// Pressed buttons and hats, as in [`crate::pad::PadState::numbered`].
    pub bits: u128,
}

impl More {
    /// How far a target is from rest, 0 to 1.
    #[must_use]
    pub fn share(&self, target: PadTarget) -> f32 {
        match target.axis().and_then(|(lane, sign)| Some((lane.checked_sub(FIRST_LINE)?, sign))) {
            Some((line, sign)) => (self.lines.get(line).copied().unwrap_or(0.0) * sign).max(0.0),
            None => f32::from(u8::from(self.bits & target.mask() != 0)),
        }
    }

    /// Adds another member's state: buttons of either, and of each line the larger deflection.
    pub fn merge(&mut self, other: &Self) {
        self.bits |= other.bits;
        for (own, given) in self.lines.iter_mut().zip(other.lines) {
            if given.abs() > own.abs() {
                *own = given;
            }
        }
    }
}

/// What presses a button or a hat's direction on another kind of pad.
#[derive(Clone, Copy, Debug)]
enum Sourced {
    Bit(u16),
    /// A value above this threshold.
    Over(u8, i32),
    /// A hat pointing that way: its range and value. The target tells the direction.
    Direction(i32, i32, u8),
}

/// What moves a line.
#[derive(Clone, Copy, Debug)]
struct LineSource {
    at: usize,
    line: Line,
    pulled: bool,
    /// Half of a centred axis: whether it is the upper one.
    half: Option<bool>,
}

/// What the buttons pressed when last read: in most reports no button has changed.
#[derive(Clone, Copy, Debug, Default)]
pub struct Pressed {
    word: u64,
    bits: u32,
}

/// A part's bindings, ready to run.
#[derive(Clone, Debug, Default)]
pub struct Compiled {
    eights: Vec<Eight>,
    /// Whether buttons lie in other words of the frame than the first.
    far: bool,
    /// The first hat is always read; others are unusual.
    first_hat: Hat,
    hats: Vec<Hat>,
    pressures: Vec<Pressure>,
    lanes: Lanes,
    /// Additional sources of lanes.
    more: Vec<(usize, Line)>,
    /// Halves of axes that are triggers: the lane, and whether it is the upper half.
    halves: Vec<(usize, Line, bool)>,
    lines: Vec<LineSource>,
    numbered: Vec<(Sourced, PadTarget)>,
    /// Whether there are any of the last three, more than one hat, values that press buttons, or
    /// buttons in other words.
    unusual: bool,
}

/// Whether any target is not one of the common pad's.
pub(super) fn is_more(target: PadTarget) -> bool {
    match target.axis() {
        Some((lane, _)) => lane >= FIRST_LINE,
        None => halves_of(target.mask()).1 != 0,
    }
}

impl Compiled {
    /// Compiles bindings; those whose control the part does not have are dropped.
    #[must_use]
    pub fn new(bindings: &Bindings, part: &PartLayout) -> Self {
        let mut out = Self::default();
        for binding in &bindings.list {
            let control = part.controls.iter().find(|control| control.number == binding.control);
            let Some((control, target)) = control.zip(binding.target.pad()) else { continue };
            out.add(control, binding.how, target);
        }
        out
    }

    pub(crate) fn add(&mut self, control: &Control, how: How, target: PadTarget) {
        match (control.place, how) {
            (Place::Bit(bit), _) if is_more(target) => self.add_more(Sourced::Bit(bit), target),
            (Place::Bit(bit), _) => self.add_bit(bit, target),
            (Place::Value(value), How::Down) => {
                let over = ((i64::from(control.min) + i64::from(control.max)) / 2) as i32;
                if is_more(target) {
                    return self.add_more(Sourced::Over(value, over), target);
                }
                self.pressures.push(Pressure { value, over, mask: target.mask() as u32 });
                self.unusual = true;
            }
            (Place::Value(value), How::Direction(_)) => {
                if target.hat_of() != Some(0) {
                    return self.add_more(Sourced::Direction(control.min, control.max, value), target);
                }
                let hat = Hat::new(control, value);
                if self.first_hat.is_as(&hat) || self.hats.iter().any(|other| other.is_as(&hat)) {
                    return;
                }
                if self.first_hat.is_there() {
                    self.hats.push(hat);
                    self.unusual = true;
                } else {
                    self.first_hat = hat;
                }
            }
            (Place::Value(value), How::Travel | How::LowerHalf | How::UpperHalf) => {
                let Some((lane, _)) = target.axis() else { return };
                if let Some(at) = lane.checked_sub(FIRST_LINE) {
                    return self.add_line(at, control, value, how, target);
                }
                if lane >= TRIGGERS && how != How::Travel {
                    self.halves.push((lane, Line::centred(control, value), how == How::UpperHalf));
                    self.unusual = true;
                    return;
                }
                let line =
                    if how == How::Travel { Line::travel(control, value) } else { Line::centred(control, value) };
                // Both halves of an axis form one line.
                let known = self.more.iter().any(|(l, other)| *l == lane && other.value() == value);
                if !known && !self.lanes.put(lane, line) {
                    self.more.push((lane, line));
                    self.unusual = true;
                }
            }
        }
    }

    fn add_line(&mut self, at: usize, control: &Control, value: u8, how: How, target: PadTarget) {
        let pulled = target.is_pulled();
        let (line, half) = match how {
            How::Travel => (Line::travel(control, value), None),
            // Both halves form one line, unless the line travels.
            How::LowerHalf | How::UpperHalf if !pulled => (Line::centred(control, value), None),
            _ => (Line::centred(control, value), Some(how == How::UpperHalf)),
        };
        let source = LineSource { at, line, pulled, half };
        if !self.lines.iter().any(|own| (own.at, own.line.value(), own.half) == (at, value, half)) {
            self.lines.push(source);
            self.unusual = true;
        }
    }

    fn add_more(&mut self, sourced: Sourced, target: PadTarget) {
        self.numbered.push((sourced, target));
        self.unusual = true;
    }

    /// Adds what this frame gives to other kinds of pad.
    pub fn add_more_to(&self, frame: &Frame, blocked: u64, out: &mut More) {
        let free = |value: u8| blocked >> (value & 63) & 1 == 0;
        let read = |value: u8| frame.values[usize::from(value) % VALUES];
        for (sourced, target) in &self.numbered {
            let is_down = match *sourced {
                Sourced::Bit(bit) => frame.bit(bit),
                Sourced::Over(value, over) => free(value) && read(value) > over,
                Sourced::Direction(min, max, value) => {
                    let wanted = target.direction().map_or(0, u32::from);
                    free(value) && hat_directions(min, max, read(value)) & wanted != 0
                }
            };
            match target.axis().and_then(|(lane, sign)| Some((lane.checked_sub(FIRST_LINE)?, sign))) {
                // A travelling line is at its end while a button is down.
                Some((line, sign)) if is_down => out.lines[line % LINES.len()] = sign,
                Some(_) => {}
                None => out.bits |= if is_down { target.mask() } else { 0 },
            }
        }
        for source in self.lines.iter().filter(|source| free(source.line.value())) {
            let raw = read(source.line.value());
            let share = match source.half {
                Some(upper) => source.line.share(raw, false) * if upper { 1.0 } else { -1.0 },
                None => source.line.share(raw, source.pulled),
            };
            let own = &mut out.lines[source.at % LINES.len()];
            if share.abs() > own.abs() && (share > 0.0 || !source.pulled) {
                *own = share;
            }
        }
    }

    /// The same, starting from nothing.
    pub fn more(&self, frame: &Frame, blocked: u64) -> More {
        let mut more = More::default();
        self.add_more_to(frame, blocked, &mut more);
        more
    }

    /// Whether there is any.
    pub fn has_more(&self) -> bool {
        !self.lines.is_empty() || !self.numbered.is_empty()
    }

    fn add_bit(&mut self, bit: u16, target: PadTarget) {
        let (word, shift) = ((bit / 64) as u8, (bit % 64 / 8 * 8) as u8);
        let known = self.eights.iter().position(|eight| (eight.word, eight.shift) == (word, shift));
        let at = known.unwrap_or_else(|| {
            self.eights.push(Eight { word, shift, pressed: Box::new([0; 256]) });
            self.far |= word != 0;
            self.unusual |= self.far;
            self.eights.len() - 1
        });
        for (byte, pressed) in self.eights[at].pressed.iter_mut().enumerate() {
            if byte >> (bit % 8) & 1 == 1 {
                *pressed |= target.mask() as u32;
            }
        }
    }

    /// Evaluates a frame. Values whose bit is set in `blocked` count as at rest.
    #[must_use]
    pub fn evaluate(&self, frame: &Frame, blocked: u64) -> Contribution {
        self.evaluate_after(frame, blocked, &mut Pressed::default())
    }

    /// The same for consecutive frames; `pressed` belongs to these bindings alone and starts anew with them.
    #[inline]
    pub fn evaluate_after(&self, frame: &Frame, blocked: u64, pressed: &mut Pressed) -> Contribution {
        if self.is_usual(blocked) {
            self.evaluate_usual(frame, pressed)
        } else {
            self.evaluate_unusual(frame, blocked, pressed)
        }
    }

    /// Whether nothing is blocked and no rare features are used, so that none of it needs checking per report.
    #[inline(always)]
    pub fn is_usual(&self, blocked: u64) -> bool {
        blocked == 0 && !self.unusual
    }

    /// Evaluates a frame in that case.
    #[inline(always)]
    pub fn evaluate_usual(&self, frame: &Frame, pressed: &mut Pressed) -> Contribution {
        let word = frame.bits[0];
        if word != pressed.word {
            *pressed = Pressed { word, bits: self.press(frame) };
        }
        Contribution { lanes: self.lanes.shares(frame), bits: pressed.bits | self.first_hat.press(frame) }
    }

    /// What the buttons press.
    fn press(&self, frame: &Frame) -> u32 {
        self.eights.iter().fold(0, |bits, eight| {
            let byte = (frame.bits[usize::from(eight.word) % WORDS] >> (eight.shift & 63)) as u8;
            bits | eight.pressed[usize::from(byte)]
        })
    }

    /// The same with rare features. Values whose bit is set in `blocked` count as at rest.
    #[inline(never)]
    fn evaluate_unusual(&self, frame: &Frame, blocked: u64, pressed: &mut Pressed) -> Contribution {
        let free = |value: u8| blocked >> (value & 63) & 1 == 0;
        let read = |value: u8| frame.values[usize::from(value) % VALUES];
        if self.far {
            // Only buttons in other words may have changed.
            *pressed = Pressed { word: !frame.bits[0], bits: 0 };
        }
        let mut out = self.evaluate_usual(frame, pressed);
        if blocked != 0 {
            out.bits = pressed.bits | if free(self.first_hat.value) { self.first_hat.press(frame) } else { 0 };
            self.lanes.rest(&mut out.lanes, blocked);
        }
        for hat in self.hats.iter().filter(|hat| free(hat.value)) {
            out.bits |= hat.press(frame);
        }
        for pressure in self.pressures.iter().filter(|pressure| free(pressure.value)) {
            if read(pressure.value) > pressure.over {
                out.bits |= pressure.mask;
            }
        }
        let lanes = &mut out.lanes;
        for (lane, line) in self.more.iter().filter(|(_, line)| free(line.value())) {
            let share = line.share(read(line.value()), *lane >= TRIGGERS);
            if share.abs() > lanes[*lane].abs() {
                lanes[*lane] = share;
            }
        }
        for (lane, line, upper) in self.halves.iter().filter(|(_, line, _)| free(line.value())) {
            let share = line.share(read(line.value()), false);
            lanes[*lane] = lanes[*lane].max(if *upper { share } else { -share });
        }
        out
    }
}
