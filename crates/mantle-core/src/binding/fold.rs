//! Folds: the combined result of a target's steps, and where it goes.

use super::compiled::More;
use super::lanes::WIDTH;
use super::step::BindingStep;
use super::{Combine, Contribution, Target};
use crate::pad::{FIRST_LINE, LINES, PadTarget, halves_of};
use crate::time::Micros;
use mantle_hid::Frame;

/// Where the result goes.
#[derive(Clone, Copy, Debug)]
pub(super) enum Given {
    /// A lane of the common pad: a trigger, or a whole axis of a stick.
    Lane(usize),
    /// A line.
    Line(usize),
    /// A button of the common pad.
    Bits(u32),
    /// A button of another kind of pad.
    Numbered(u128),
    /// One direction of an axis, worked out together with the other.
    Direction,
    /// The *keys* output.
    Stroke,
}

impl Given {
    pub(super) fn of(target: Target) -> Self {
        match target {
            Target::Key(_) => Self::Stroke,
            Target::Pad(target) if target.opposed().is_some() => Self::Direction,
            Target::Pad(target) => Self::alone(target),
        }
    }

    /// The same for a direction by itself.
    fn alone(target: PadTarget) -> Self {
        match (target.axis(), halves_of(target.mask())) {
            (Some((lane, _)), _) => lane.checked_sub(FIRST_LINE).map_or(Self::Lane(lane), Self::Line),
            (None, (0, numbered)) => Self::Numbered(numbered),
            (None, (bits, _)) => Self::Bits(bits),
        }
    }
}

/// Both directions of an axis or hat that has steps.
#[derive(Clone, Copy, Debug)]
pub(super) struct Opposed {
    /// Indexes of their folds, the lower direction first.
    pub(super) folds: [Option<u16>; 2],
    pub(super) given: [Given; 2],
}

impl Opposed {
    pub(super) fn new((low, high): (PadTarget, PadTarget), folds: [Option<u16>; 2]) -> Self {
        Self { folds, given: [Given::alone(low), Given::alone(high)] }
    }
}

/// The combined result of one target's steps.
#[derive(Clone, Copy, Debug)]
pub(super) struct Fold {
    pub(super) target: Target,
    pub(super) given: Given,
    pub(super) combine: Combine,
    /// Its steps: from, to.
    pub(super) steps: (u16, u16),
    pub(super) value: f32,
    /// Whether some need to be worked out, and when some are due without a report.
    pub(super) stale: bool,
    pub(super) due: Micros,
    /// Whether any is off its rest or on its way, and since when.
    pub(super) off: bool,
    pub(super) since: Micros,
}

impl Fold {
    /// Works out the steps that are stale or due, and the combined result.
    pub(super) fn work_out(
        &mut self,
        now: Micros,
        frame: &Frame,
        blocked: u64,
        layers: u16,
        steps: &mut [BindingStep],
    ) {
        let (mut value, mut since, mut off) = (0.0f32, Micros(0), false);
        (self.stale, self.due) = (false, Micros::NEVER);
        for step in steps {
            if step.stale || step.due.is_some_and(|due| due <= now) {
                step.handle_frame(now, frame, blocked, layers);
                (step.stale, step.due) = (false, step.deadline());
            }
            self.due = self.due.min(step.due.unwrap_or(Micros::NEVER));
            off |= step.is_off();
            let (gives, began) = step.gives();
            if gives == 0.0 {
                continue;
            }
            value = match self.combine {
                Combine::Largest => value.max(gives),
                Combine::Sum => (value + gives).min(1.0),
                // Of two that left their rest in the same report, the later one in the file.
                Combine::Last if began >= since => gives,
                Combine::Last => value,
            };
            since = since.max(began);
        }
        // Since when the target has been off its rest, by whichever source; one that is on already is not later.
        self.since = if self.off { self.since } else { now };
        (self.value, self.off) = (value, off);
    }
}

/// Delivers the result.
#[inline(always)]
pub(super) fn give(given: &mut Contribution, more: &mut More, to: Given, value: f32) {
    match to {
        Given::Lane(lane) => given.lanes[lane % WIDTH] = value,
        Given::Bits(bits) => given.bits |= if value > 0.0 { bits } else { 0 },
        Given::Line(line) => more.lines[line % LINES.len()] = value,
        Given::Numbered(bits) => more.bits |= if value > 0.0 { bits } else { 0 },
        Given::Direction | Given::Stroke => {}
    }
}
