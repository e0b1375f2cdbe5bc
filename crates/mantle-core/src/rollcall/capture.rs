//! What a hand meant by a press or a push.

use crate::binding::{FULL, Mover, Named, Part, Pull, Target};
use crate::control::{Control, ControlKind, PartLayout};
use crate::time::Micros;
use mantle_hid::usage::page;
use mantle_hid::{Frame, VALUES};

/// From this share of its travel on, measured from rest, a control counts as pressed.
pub const PRESSED: f32 = 0.45;
/// And as let go below this.
const LET_GO: f32 = 0.2;
/// Whatever moved at least this much of the furthest movement might have been meant too.
const ALONG: f32 = 0.75;
/// What stays where it was put for this long was put there: a switch, a lever.
pub const STAYS: Micros = Micros::millis(1_500);
/// What goes down within this time of a prompt was already on its way.
const AT_ONCE: Micros = Micros::millis(10);
/// However slowly a device reports, it is not given longer than this.
const AT_ONCE_AT_MOST: Micros = Micros::millis(150);
/// Nobody answers sooner than this: until then, everything counts as rest, unless rests are known from before.
pub const BEGINS: Micros = Micros::millis(60);
/// Everything has to be released for this long before it is judged: a neighbour hit on the way belongs to the press.
pub const CALM: Micros = Micros::millis(150);
/// A mouse that is meant is pushed further than this, in counts.
const PUSHED: Pull = Pull { reach: 600.0, spring: Micros(0) };
/// Steps of a trace, and the length of each.
pub const TRACE: usize = 28;
const TRACE_STEP: Micros = Micros::millis(30);
/// Steps of a trace that show the rest before.
const LEAD: usize = 3;
/// Two pushes together have to favour one control by this much of full travel.
const FAVOURED: f32 = 0.25;

/// What was captured.
#[derive(Clone, PartialEq, Debug)]
pub struct Taken {
    /// The source, as a profile names it.
    pub source: Named,
    /// Its full end is rest.
    pub inverted: bool,
    /// What it was taken for, and why, in words.
    pub why: String,
    /// What was measured, in raw numbers; empty for buttons and hats.
    pub figures: String,
    /// Its rest, as a share of its range; none for controls without travel.
    pub rest: Option<f32>,
}

/// What a capture has heard so far.
#[derive(Clone, PartialEq, Debug, Default)]
pub enum Heard {
    /// Nothing that counts.
    #[default]
    Nothing,
    /// Something is pressed; its release is awaited.
    Pressed,
    /// This was meant.
    Taken(Taken),
    /// It is unclear: why, and what to do.
    Unclear(String),
}

/// How one control has moved.
#[derive(Clone, Copy, Debug, Default)]
struct Moved {
    /// Its initial position, as a share of its range.
    rest: f32,
    /// How far it went, as a share of what there is on that side: down, up.
    far: [f32; 2],
    /// Since when it is pressed.
    since: Option<Micros>,
    /// When it was let go last.
    until: Micros,
    /// Directions that a hat showed, and how often each was alone.
    directions: [u16; 4],
    /// Whether it is off its rest now.
    off: bool,
    /// A button that is already down has to come up first.
    held: bool,
    /// Raw values: at rest, the lowest and the highest.
    raw: [i32; 3],
    /// How far it was off its rest, step by step from shortly before the press, of 255.
    trace: [u8; TRACE],
}

/// How far an unclear push moved each control.
#[derive(Clone, Debug, Default)]
pub struct Doubt(Vec<f32>);

/// A capture under way.
#[derive(Clone, Debug)]
pub struct Capture {
    target: Target,
    controls: Vec<Control>,
    /// Turns movements into positions that stay where they were pushed.
    movers: Vec<Mover>,
    moved: Vec<Moved>,
    begun: Micros,
    /// When anything changed last.
    changed: Micros,
    /// When the first of all was pressed.
    first: Option<Micros>,
    /// Something is off its rest now.
    any_off: bool,
    /// Steps of the traces so far.
    steps: usize,
    /// The rests of controls, if known from before.
    rests: Vec<f32>,
    /// What goes down within this time of the prompt was already on its way.
    at_once: Micros,
    /// What a previous push left open.
    doubt: Option<Doubt>,
    heard: Heard,
}

/// The state of a control: its share, a hat's directions, the raw value.
fn state(control: &Control, frame: &Frame) -> (f32, u32, i32) {
    let raw = control.raw(frame);
    match control.kind {
        ControlKind::Hat => (0.0, control.hat_directions(raw), raw),
        _ => (control.share(raw), 0, raw),
    }
}

/// Whether a keyboard's key steers a conversation, and is therefore no answer: Enter, Escape, Backspace, Tab.
#[must_use]
pub fn steers(control: &Control) -> bool {
    control.usage.page() == page::KEYBOARD && (0x28..=0x2b).contains(&control.usage.id())
}

impl Capture {
    /// Begins now; this frame, and others within [`BEGINS`], count as rest.
    #[must_use]
    pub fn new(now: Micros, part: &PartLayout, frame: &Frame, target: Target) -> Self {
        let usable = |control: &&Control| {
            use ControlKind::{Axis, Button, Hat, Key, Relative};
            matches!(control.kind, Button | Key | Axis | Hat | Relative) && !steers(control)
        };
        let mut controls: Vec<Control> = part.controls.iter().filter(usable).cloned().collect();
        let mut movers = Vec::new();
        for control in controls.iter_mut().filter(|control| control.kind == ControlKind::Relative) {
            movers.extend(Mover::counted(control, [PUSHED; 2], None));
            (control.kind, control.min, control.max) = (ControlKind::Axis, -FULL, FULL);
        }
        let moved = vec![Moved::default(); controls.len()];
        let (heard, doubt) = (Heard::Nothing, None);
        let (first, any_off, steps) = (None, false, LEAD);
        let mut out = Self {
            target,
            controls,
            movers,
            moved,
            begun: now,
            changed: now,
            first,
            any_off,
            steps,
            rests: Vec::new(),
            at_once: AT_ONCE,
            doubt,
            heard,
        };
        out.take_for_rest(&out.at_rest(frame));
        out
    }

    /// A frame in which nothing that counts has been pushed.
    fn at_rest(&self, frame: &Frame) -> Frame {
        let mut frame = *frame;
        for mover in &self.movers {
            frame.values[usize::from(mover.value()) % VALUES] = 0;
        }
        frame
    }

    /// Like [`Capture::new`], after a push that left something open: for the same controls, that one counts as well.
    #[must_use]
    pub fn after(mut self, doubt: Option<Doubt>) -> Self {
        self.doubt = doubt.filter(|doubt| doubt.0.len() == self.controls.len());
        self
    }

    /// Like [`Capture::new`], if axes' rests are known from before: one that is elsewhere has already been moved, and is no answer before it has been
    /// back, or has stayed for [`STAYS`].
    #[must_use]
    pub fn resting(mut self, rests: &[f32], frame: &Frame) -> Self {
        self.rests = rests.to_vec();
        self.take_for_rest(&self.at_rest(frame));
        self
    }

    /// Like [`Capture::new`], for a device that reports this often: what a report shows may be one period old, and a person takes longer than two to
    /// answer.
    #[must_use]
    pub fn paced(mut self, period: Option<Micros>) -> Self {
        self.at_once = period.map_or(AT_ONCE, |period| AT_ONCE.max(Micros(2 * period.0)).min(AT_ONCE_AT_MOST));
        self
    }

    /// Where every control was seen at rest, for the next capture.
    #[must_use]
    pub fn rests(&self) -> Vec<f32> {
        self.moved.iter().map(|moved| moved.rest).collect()
    }

    /// What an unclear push leaves to the next one.
    #[must_use]
    pub fn doubt(&self) -> Option<Doubt> {
        let far = |moved: &Moved| if moved.since.is_some() { moved.far[0].max(moved.far[1]) } else { 0.0 };
        matches!(self.heard, Heard::Unclear(_)).then(|| Doubt(self.moved.iter().map(far).collect()))
    }

    /// The two controls that moved most, and how far each was off its rest, step by step.
    #[must_use]
    pub fn traces(&self) -> Vec<(&str, [u8; TRACE])> {
        let peak = |moved: &Moved| moved.trace.iter().copied().max().unwrap_or(0);
        let mut all: Vec<usize> = (0..self.moved.len()).filter(|at| peak(&self.moved[*at]) > 12).collect();
        all.sort_by_key(|at| (std::cmp::Reverse(peak(&self.moved[*at])), *at));
        all.into_iter().take(2).map(|at| (self.controls[at].name.as_str(), self.moved[at].trace)).collect()
    }

    fn take_for_rest(&mut self, frame: &Frame) {
        for (at, (control, moved)) in self.controls.iter().zip(&mut self.moved).enumerate() {
            let (share, _, raw) = state(control, frame);
            moved.raw = [raw; 3];
            let known = self.rests.get(at).copied().filter(|_| control.kind == ControlKind::Axis);
            moved.held = match known {
                Some(rest) => (share - rest).abs() >= LET_GO,
                None => control.kind != ControlKind::Axis && share > 0.5,
            };
            moved.rest = if moved.held { known.unwrap_or(0.0) } else { share };
        }
    }

    /// What it has heard.
    #[must_use]
    pub fn heard(&self) -> &Heard {
        &self.heard
    }

    /// Whether a press would be heard by now; nobody should be asked for one sooner.
    #[must_use]
    pub fn hears(&self, now: Micros) -> bool {
        now >= self.begun.after(if self.rests.is_empty() { BEGINS } else { self.at_once })
    }

    /// How everything stands now.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        if matches!(self.heard, Heard::Taken(_) | Heard::Unclear(_)) {
            return;
        }
        // If rests are known, what is off its own immediately is held: a touch on the way to a key is no answer to the next question.
        if !self.hears(now) {
            return self.take_for_rest(&self.at_rest(frame));
        }
        let mut moved = *frame;
        for mover in &mut self.movers {
            mover.handle_frame(now, &mut moved, u64::MAX);
        }
        let frame = &moved;
        self.step(now);
        let (mut any_off, step) = (false, self.steps);
        for (control, moved) in self.controls.iter().zip(&mut self.moved) {
            let (share, directions, raw) = state(control, frame);
            if moved.held {
                let is_axis = control.kind == ControlKind::Axis;
                let off = if is_axis { (share - moved.rest).abs() >= LET_GO } else { share > 0.5 };
                moved.held = off && (!is_axis || now < self.begun.after(STAYS));
                if is_axis && !moved.held {
                    // It is back, or was put there to stay.
                    (moved.rest, moved.raw) = (share, [raw; 3]);
                }
                continue;
            }
            let (off, down, up) = match control.kind {
                ControlKind::Hat => {
                    for (bit, count) in moved.directions.iter_mut().enumerate() {
                        *count = count.saturating_add(u16::from(directions == 1 << bit));
                    }
                    let far = f32::from(u8::from(directions != 0));
                    (directions != 0, 0.0, far)
                }
                _ => {
                    // As a share of what there is on that side; a side with almost nothing does not count.
                    let side = |room: f32, far: f32| if room > 0.1 { (far / room).clamp(0.0, 1.0) } else { 0.0 };
                    let down = side(moved.rest, moved.rest - share);
                    let up = side(1.0 - moved.rest, share - moved.rest);
                    let edge = if moved.off { LET_GO } else { PRESSED };
                    (down.max(up) >= edge, down, up)
                }
            };
            if off != moved.off {
                self.changed = now;
            }
            if moved.off && !off {
                moved.until = now;
            }
            moved.off = off;
            any_off |= off;
            moved.far = [moved.far[0].max(down), moved.far[1].max(up)];
            moved.raw = [moved.raw[0], moved.raw[1].min(raw), moved.raw[2].max(raw)];
            let off_by = (down.max(up) * 255.0) as u8;
            moved.trace[step.min(TRACE - 1)] = moved.trace[step.min(TRACE - 1)].max(off_by);
            if off && moved.since.is_none() {
                moved.since = Some(now);
                self.first.get_or_insert(now);
            }
        }
        self.any_off = any_off;
        if self.first.is_some() {
            self.heard = Heard::Pressed;
        }
    }

    /// Continues the traces: what was seen at the last step is assumed to have lasted until now.
    fn step(&mut self, now: Micros) {
        let since = self.first.map_or(0, |first| now.since(first).0 / TRACE_STEP.0 + 1);
        let step = (LEAD + since as usize).min(TRACE - 1);
        if self.first.is_none() {
            self.steps = LEAD;
            self.moved.iter_mut().for_each(|moved| moved.trace = [0; TRACE]);
            return;
        }
        for moved in &mut self.moved {
            let stood = if moved.off { moved.trace[self.steps] } else { 0 };
            moved.trace[self.steps + 1..=step.max(self.steps)].fill(stood);
        }
        self.steps = step.max(self.steps);
    }

    /// Time passes: what stays where it was put is taken as well.
    pub fn handle_time(&mut self, now: Micros) {
        if self.deadline().is_some_and(|due| due <= now) {
            self.heard = self.judge();
        }
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        (self.heard == Heard::Pressed).then(|| self.changed.after(if self.any_off { STAYS } else { CALM }))
    }

    fn judge(&self) -> Heard {
        let strength = |at: usize| self.moved[at].far[0].max(self.moved[at].far[1]);
        let mut all: Vec<usize> = (0..self.moved.len()).filter(|at| self.moved[*at].since.is_some()).collect();
        // What moved much less than the furthest one only moved along.
        let most = all.iter().map(|at| strength(*at)).fold(0.0, f32::max);
        all.retain(|at| strength(*at) >= ALONG * most);
        let along = |meant: usize| {
            let others = (0..self.moved.len()).filter(|at| *at != meant && self.moved[*at].since.is_some());
            others.max_by(|a, b| strength(*a).total_cmp(&strength(*b))).map(|at| &self.controls[at])
        };
        match all.as_slice() {
            [] => Heard::Nothing,
            [meant] => self.read(*meant, along(*meant), ""),
            [one, other] if self.is_one_press(*one, *other) => {
                let meant = if self.suits(&self.controls[*one]) { *one } else { *other };
                self.read(meant, along(meant), "")
            }
            [one, other, ..] => {
                if let Some((meant, more)) = self.favoured(*one, *other).filter(|_| all.len() == 2) {
                    let why = format!("; both pushes together moved it further, by {:.0} %", more * 100.0);
                    return self.read(meant, along(meant), &why);
                }
                let [one, two] = [*one, *other].map(|at| &self.controls[at].name);
                Heard::Unclear(format!("{one} and {two} were both pressed: press only the one you mean"))
            }
        }
    }

    /// Whether a button and a travel are one press that shows twice, of which one suits the target: they went together most of the time, or this is
    /// the second push in a row that moved both.
    fn is_one_press(&self, one: usize, other: usize) -> bool {
        if self.suits(&self.controls[one]) == self.suits(&self.controls[other]) {
            return false;
        }
        if self.doubt.as_ref().is_some_and(|Doubt(before)| before[one] >= ALONG && before[other] >= ALONG) {
            return true;
        }
        let spell = |at: usize| {
            let moved = &self.moved[at];
            let since = moved.since.unwrap_or_default();
            (since, if moved.off { self.changed } else { moved.until })
        };
        let ((a, b), (c, d)) = (spell(one), spell(other));
        let both = b.min(d).since(a.max(c)).0;
        both * 10 >= b.max(d).since(a.min(c)).0 * 6
    }

    /// Of two axes that were both pushed, the one that this push and the previous one moved further, and by how much. For two buttons none, since
    /// either may have been meant.
    fn favoured(&self, one: usize, other: usize) -> Option<(usize, f32)> {
        let axes = [one, other].iter().all(|at| self.controls[*at].kind == ControlKind::Axis);
        let Doubt(before) = self.doubt.as_ref().filter(|_| axes)?;
        let of = |at: usize| before[at] + self.moved[at].far[0].max(self.moved[at].far[1]);
        let more = of(one) - of(other);
        (more.abs() >= FAVOURED).then_some((if more > 0.0 { one } else { other }, more.abs() / 2.0))
    }

    /// Whether a control is of the kind that a target takes: a travel for a trigger or a stick, a press for all others.
    fn suits(&self, control: &Control) -> bool {
        (control.kind == ControlKind::Axis) == self.target.travels()
    }

    fn read(&self, meant: usize, along: Option<&Control>, more: &str) -> Heard {
        let (control, moved) = (&self.controls[meant], &self.moved[meant]);
        let name = control.name.clone();
        let also = along.map_or(String::new(), |other| format!("; {} moved along{more}", other.name));
        let rest = (control.kind == ControlKind::Axis).then_some(moved.rest);
        let figures = match control.kind {
            ControlKind::Axis => {
                let [rest, low, high] = moved.raw;
                let reached = if moved.far[1] >= moved.far[0] { high } else { low };
                format!("rest {rest}, reached {reached} of {} to {}", control.min, control.max)
            }
            _ => String::new(),
        };
        let taken = |part: Option<Part>, inverted: bool, why: String| {
            let source = Named { control: name.clone(), part };
            Heard::Taken(Taken { source, inverted, why: format!("{why}{also}"), figures: figures.clone(), rest })
        };
        match control.kind {
            ControlKind::Hat => {
                let most = (0..4).max_by_key(|at| moved.directions[*at]).unwrap_or(0);
                let rest: u16 = moved.directions.iter().sum::<u16>() - moved.directions[most];
                if moved.directions[most] == 0 || rest * 2 > moved.directions[most] {
                    return Heard::Unclear(format!("{name} went more than one way: press one direction only"));
                }
                let part = [Part::Up, Part::Down, Part::Left, Part::Right][most];
                taken(Some(part), false, format!("{name} {}", part.word()))
            }
            ControlKind::Axis => {
                let [down, up] = moved.far;
                let (rest, upward) = (moved.rest, up >= down);
                let percent = |share: f32| format!("{:.0} %", share * 100.0);
                if down.min(up) >= PRESSED {
                    return Heard::Unclear(format!("{name} went both ways from its rest: move it one way only"));
                }
                let at = format!("rests at {} of its range", percent(rest));
                match rest {
                    ..0.25 => taken(Some(Part::Whole), false, format!("the whole travel of {name}, which {at}")),
                    0.75.. => taken(Some(Part::Whole), true, format!("the whole travel of {name}, backwards: it {at}")),
                    _ => {
                        let part = if upward { Part::UpperHalf } else { Part::LowerHalf };
                        taken(Some(part), false, format!("the {} of {name}, which {at}", part.word()))
                    }
                }
            }
            _ => taken(None, false, name.clone()),
        }
    }
}

#[cfg(test)]
#[path = "capture_tests.rs"]
pub(super) mod tests;
