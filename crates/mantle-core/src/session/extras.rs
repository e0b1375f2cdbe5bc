//! What a session does beyond dead zones: the rest of its feel, smoothing, and raising the output.

use super::assist::Assist;
use crate::feel::{Feel, Full, Shaped, Shaper, Smooth};
use crate::keys::KeyOutput;
use crate::pad::{LINES, PadModel, PadState, TRAVEL_FULL, TRIGGER_FULL};
use crate::time::Micros;
use std::sync::Arc;

/// An output that rises by itself: its step, its interval, and its maximum.
const WALK_STEP: f32 = 0.005;
const WALK_PERIOD: Micros = Micros::millis(50);
const WALK_END: f32 = 0.6;
/// It ends by itself, so nobody has to remember it.
const WALK_LASTS: Micros = Micros::seconds(30);

const LINE_COUNT: usize = LINES.len();

#[derive(Clone, Copy, Debug)]
struct OutputRamp {
    which: Shaped,
    share: f32,
    due: Micros,
    until: Micros,
}

/// All extras; most sessions have none.
#[derive(Clone, Debug, Default)]
pub struct OutputExtras {
    full: Option<Full>,
    smooth: Option<Smooth<8>>,
    /// The same for the lines of pads that have some.
    smooth_lines: Option<Smooth<LINE_COUNT>>,
    walk: Option<OutputRamp>,
    assist: Option<(Assist, Micros)>,
    /// What it types, if anything.
    pub key_output: Option<KeyOutput>,
    /// The model of its pad, if it is not a common pad.
    pub model: Option<Arc<PadModel>>,
}

impl OutputExtras {
    /// What a feel and helpers need; none if nothing.
    pub fn new(feel: &Feel, before: Option<Box<Self>>) -> Option<Box<Self>> {
        let before = before.map_or_else(Self::default, |own| *own);
        let lines = feel.lines.map(|shape| shape.smoothing);
        let own = Self {
            full: Full::new(feel),
            smooth: Smooth::new(feel.smoothing()),
            smooth_lines: Smooth::new(lines),
            ..before
        };
        own.is_something().then(|| Box::new(own))
    }

    /// Whether there is any.
    pub fn is_something(&self) -> bool {
        self.full.is_some()
            || self.smooth.is_some()
            || self.smooth_lines.is_some()
            || self.walk.is_some()
            || self.assist.is_some()
            || self.key_output.is_some()
            || self.model.is_some()
    }

    /// When it continues.
    pub fn deadline(&self) -> Option<Micros> {
        self.motion_due().into_iter().chain(self.help_due()).min()
    }

    /// When smoothing or the pointer continues.
    pub fn motion_due(&self) -> Option<Micros> {
        let smooth = self.smooth.as_ref().and_then(Smooth::deadline);
        let lines = self.smooth_lines.as_ref().and_then(Smooth::deadline);
        smooth.into_iter().chain(lines).chain(self.key_output.as_ref().and_then(KeyOutput::deadline)).min()
    }

    /// When raising or helping continues.
    pub fn help_due(&self) -> Option<Micros> {
        self.walk.map(|walk| walk.due).into_iter().chain(self.assist.map(|(_, due)| due)).min()
    }

    /// Continues raising and helping, and ends them.
    pub fn handle_time(&mut self, now: Micros) {
        self.walk = self.walk.filter(|walk| now < walk.until);
        if let Some(walk) = self.walk.as_mut().filter(|walk| walk.due <= now) {
            walk.share = (walk.share + WALK_STEP).min(WALK_END);
            walk.due = now.after(WALK_PERIOD);
        }
        if let Some((assist, due)) = self.assist.as_mut().filter(|(_, due)| *due <= now) {
            *due = assist.deadline(now);
        }
        self.assist = self.assist.filter(|(assist, _)| !assist.is_over(now));
    }

    /// Starts or stops helping to assign controls.
    pub fn help(&mut self, now: Micros, assist: Option<Assist>) {
        self.assist = assist.map(|assist| (assist, assist.deadline(now)));
    }

    /// The helped control.
    pub fn helping(&self) -> Option<Assist> {
        self.assist.map(|(assist, _)| assist)
    }

    /// What is sent instead of a state, and whether that is not the person's doing.
    pub fn put(&self, now: Micros, state: &PadState) -> (PadState, bool) {
        match self.assist {
            Some((assist, _)) => (assist.put(now, state), true),
            None => (*state, false),
        }
    }

    /// Released lanes are at rest at once.
    pub fn release(&mut self) {
        if let Some(smooth) = &mut self.smooth {
            smooth.release();
        }
        if let Some(smooth) = &mut self.smooth_lines {
            smooth.release();
        }
    }

    /// Raises a stick or trigger slowly from rest, whatever its device does.
    pub fn walk(&mut self, now: Micros, which: Shaped) {
        self.walk = Some(OutputRamp { which, share: 0.0, due: now.after(WALK_PERIOD), until: now.after(WALK_LASTS) });
    }

    /// What is being raised, and how far.
    pub fn walking(&self) -> Option<(Shaped, f32)> {
        self.walk.map(|walk| (walk.which, walk.share))
    }

    /// Stops raising and helping.
    pub fn end(&mut self) {
        (self.walk, self.assist) = (None, None);
    }

    /// The output for these lanes.
    #[cold]
    pub fn shape(&mut self, now: Micros, shaper: &Shaper, lanes: &[f32; 8]) -> [i32; 8] {
        let lanes = match &mut self.smooth {
            Some(smooth) => smooth.handle_lanes(now, lanes),
            None => *lanes,
        };
        let mut axes = self.full.as_ref().map_or_else(|| shaper.shape(&lanes), |full| full.shape(&lanes));
        if let Some(walk) = self.walk {
            let (axis, is_stick) = (walk.which.axis(), walk.which.is_stick());
            let full = if walk.which.is_trigger() { TRIGGER_FULL } else { 32_767 };
            if !walk.which.is_line() {
                axes[axis] = (walk.share * full as f32).round() as i32;
            }
            if is_stick {
                axes[axis + 1] = 0;
            }
        }
        axes
    }

    /// The output for these lines.
    pub fn shape_lines(&mut self, now: Micros, feel: &Feel, lines: &[f32; LINE_COUNT]) -> [i32; LINE_COUNT] {
        let lines = match &mut self.smooth_lines {
            Some(smooth) => smooth.handle_lanes(now, lines),
            None => *lines,
        };
        let mut out = std::array::from_fn(|line| feel.line(line, lines[line]));
        if let Some(OutputRamp { which: Shaped::Line(line), share, .. }) = self.walk {
            out[usize::from(line) % LINE_COUNT] = (share * TRAVEL_FULL as f32).round() as i32;
        }
        out
    }
}
