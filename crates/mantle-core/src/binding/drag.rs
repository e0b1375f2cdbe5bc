//! Sources that move the pointer or turn the wheel by moving: a finger on a surface, another mouse, motion.
//!
//! A stick sets the pointer's speed; these set its distance. Distances are counted in fractions of a count, so that
//! nothing is lost between reports, and they are reported together with the report that caused them.

use super::mover::present_bit;
use super::step::{Hold, StepSource, above};
use super::{Binding, BindingNumber, How, Options, Target};
use crate::control::{Control, ControlKind, PartLayout, Place};
use crate::keys::{COUNT, KeyAct, KeyTarget};
use crate::time::Micros;
use mantle_hid::{Frame, VALUES};

/// Pointer counts for the way across a surface, by default.
const ACROSS: f32 = 1_000.0;
/// Counts per second at the end of the motion range, by default.
const AT_FULL: f32 = 6_000.0;
/// The wheel moves by this much less.
const WHEEL: f32 = 60.0;
/// While something turns, the pointer moves on this often.
const TICK: Micros = Micros::millis(8);
/// How long it counts as moving after its last movement, for display.
const LIT: Micros = Micros::millis(100);

/// What its numbers are.
#[derive(Clone, Copy, Debug)]
enum From {
    /// Counts of a mouse.
    Counts,
    /// A place on a surface.
    Place { min: i32, max: i32, present: Option<u16> },
    /// A speed of turning or moving.
    Speed { middle: f32, half: f32, threshold: f32 },
}

/// One binding that moves the pointer.
#[derive(Clone, Debug)]
pub struct Drag {
    pub stroke: KeyTarget,
    pub number: BindingNumber,
    value: u8,
    /// The directions of its own that it follows.
    way: f64,
    from: From,
    /// Fractions of a count for each of its own numbers or, for a speed, per microsecond at full.
    scale: f64,
    /// The sets of layers in which it is active, one bit each.
    visible: u16,
    with: Vec<Hold>,
    last: Option<i32>,
    /// For a speed: fractions of a count per microsecond, and the time up to which they have been reported.
    rate: f64,
    since: Micros,
    lit: Option<Micros>,
    /// The movement caused by the last frame.
    drawn: i64,
}

/// The stroke of a binding, if it moves the pointer.
pub(super) fn draws(control: &Control, binding: &Binding) -> Option<KeyTarget> {
    let Target::Key(stroke) = binding.target else { return None };
    let moves = stroke.travels() && control.kind.is_wide();
    (moves && matches!(control.place, Place::Value(_)) && binding.how != How::Down).then_some(stroke)
}

impl Drag {
    pub fn new(
        part: &PartLayout,
        control: &Control,
        binding: &Binding,
        options: &Options,
        visible: u16,
        with: Vec<Hold>,
    ) -> Option<Self> {
        let stroke = draws(control, binding)?;
        let Place::Value(value) = control.place else { return None };
        let (min, max) = (control.min, control.max);
        let span = (f64::from(max) - f64::from(min)).max(1.0);
        let less = if matches!(stroke.act(), KeyAct::Wheel(..)) { WHEEL } else { 1.0 };
        let reach = |usual: f32| f64::from(options.reach.unwrap_or(usual / less));
        let (from, each) = match control.kind {
            ControlKind::Relative => (From::Counts, 1.0),
            ControlKind::Motion => {
                let middle = (min as f32 + max as f32) / 2.0;
                let from = From::Speed { middle, half: span as f32 / 2.0, threshold: options.threshold };
                (from, reach(AT_FULL) / 1e6)
            }
            _ => (From::Place { min, max, present: present_bit(part, control) }, reach(ACROSS) / span),
        };
        let way = if (binding.how == How::LowerHalf) != options.inverted { -1.0 } else { 1.0 };
        let scale = each * f64::from(options.sensitivity) * COUNT as f64;
        let (last, rate, since, lit, drawn) = (None, 0.0, Micros(0), None, 0);
        Some(Self {
            stroke,
            number: binding.number,
            value,
            way,
            from,
            scale,
            visible,
            with,
            last,
            rate,
            since,
            lit,
            drawn,
        })
    }

    /// Works out the movement of a frame. `carried` has a bit for each value in the latest report, `blocked` one for each that counts as
    /// at rest. Returns whether there is any movement.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame, carried: u64, blocked: u64, layers: u16) -> bool {
        let mut plays = self.visible & layers != 0;
        for hold in &mut self.with {
            plays &= hold.handle_frame(frame, blocked);
        }
        plays &= blocked >> (self.value & 63) & 1 == 0;
        let was_lit = self.lit.is_some();
        self.lit = self.lit.filter(|until| *until > now);
        let raw = frame.values[usize::from(self.value) % VALUES];
        let carried = carried >> (self.value & 63) & 1 == 1;
        let drawn = match self.from {
            From::Speed { middle, half, threshold } => {
                let drawn = self.rate * now.since(self.since).0 as f64;
                let share = (self.way as f32 * (raw as f32 - middle) / half).min(1.0);
                let above = f64::from(above(threshold, share).max(0.0));
                (self.since, self.rate) = (now, if plays { above * self.scale } else { 0.0 });
                drawn
            }
            _ if !carried => 0.0,
            From::Counts => self.way * f64::from(raw) * self.scale,
            From::Place { min, max, present } => {
                let there = (min..=max).contains(&raw) && present.is_none_or(|bit| frame.bit(bit));
                let last = std::mem::replace(&mut self.last, there.then_some(raw));
                let far = last.filter(|_| there).map_or(0.0, |last| f64::from(raw) - f64::from(last));
                self.way * far * self.scale
            }
        };
        // The speed so far was valid until now.
        let counts = plays || matches!(self.from, From::Speed { .. });
        self.drawn = if counts { drawn.max(0.0).round() as i64 } else { 0 };
        if self.drawn != 0 {
            self.lit = Some(now.after(LIT));
        }
        self.drawn != 0 || was_lit != self.lit.is_some()
    }

    /// The movement caused by the last frame, reported once.
    pub fn take(&mut self) -> Option<(KeyTarget, i64)> {
        let drawn = std::mem::take(&mut self.drawn);
        (drawn != 0).then_some((self.stroke, drawn))
    }

    /// Whether it moves, for display.
    pub fn is_moving(&self) -> bool {
        self.lit.is_some()
    }

    /// When it needs to run again even without a report.
    pub fn deadline(&self) -> Option<Micros> {
        let turns = (self.rate > 0.0).then(|| self.since.after(TICK));
        turns.into_iter().chain(self.lit).min()
    }

    /// Whatever comes next is a new start.
    pub fn release(&mut self) {
        (self.last, self.rate, self.lit, self.drawn) = (None, 0.0, None, 0);
        self.with.iter_mut().for_each(Hold::release);
    }
}

/// A finger's place on a part's surface, and whether it is there: its first contact, or its pointer.
#[derive(Clone, Copy, Debug)]
pub struct Finger {
    axes: [(u8, i32, i32); 2],
    present: Option<u16>,
}

impl Finger {
    pub fn of(part: &PartLayout) -> Option<Self> {
        let axis = |control: &Control| match control.place {
            Place::Value(value) => Some((value, control.min, control.max)),
            Place::Bit(_) => None,
        };
        let kinds = [ControlKind::Contact, ControlKind::Pointer];
        kinds.into_iter().find_map(|kind| {
            let of = |name: &str| {
                let last = |control: &Control| control.name.rsplit(' ').next().map(str::to_ascii_uppercase);
                part.controls.iter().find(|control| control.kind == kind && last(control).as_deref() == Some(name))
            };
            let (x, y) = (of("X")?, of("Y")?);
            Some(Self { axes: [axis(x)?, axis(y)?], present: present_bit(part, x) })
        })
    }

    /// Where the frame has it.
    pub fn sources(&self) -> impl Iterator<Item = StepSource> + use<> {
        let present = self.present.map(|bit| StepSource::Bit { word: (bit / 64) as u8, bit: (bit % 64) as u8 });
        self.axes.map(|(value, _, _)| StepSource::Value(value)).into_iter().chain(present)
    }

    /// Its place as shares of the surface from the left and upper edge; none if it is not there.
    pub fn at(&self, frame: &Frame) -> Option<[f32; 2]> {
        if self.present.is_some_and(|bit| !frame.bit(bit)) {
            return None;
        }
        let share = |(value, min, max): (u8, i32, i32)| {
            let raw = frame.values[usize::from(value) % VALUES];
            let span = (f64::from(max) - f64::from(min)).max(1.0);
            (min..=max).contains(&raw).then(|| ((f64::from(raw) - f64::from(min)) / span) as f32)
        };
        Some([share(self.axes[0])?, share(self.axes[1])?])
    }
}

/// A region of a surface: left, upper, right, lower edge, as shares.
pub type Region = [f32; 4];

/// Whether a place lies in a region.
pub fn lies_in(at: [f32; 2], [left, upper, right, lower]: Region) -> bool {
    (left..=right).contains(&at[0]) && (upper..=lower).contains(&at[1])
}
