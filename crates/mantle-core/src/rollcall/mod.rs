//! The guided capture of bindings: what a hand meant when it pressed something.
//!
//! A [`Capture`] watches one part of a device from a moment on. It takes how every control stands by then for its rest,
//! waits until something is pressed and everything is let go again, and says what it takes that for, and why; or asks for
//! another press where it cannot tell. A control that trembles, or that moved along with another one, is not taken.

use crate::binding::{Named, Part};
use crate::control::{Control, ControlKind, PartLayout, Place};
use crate::pad::Target;
use crate::time::Micros;
use mantle_hid::Frame;

/// A travel counts as a press from this share of it on, from where it rests.
pub const PRESSED: f32 = 0.45;
/// And as let go below this.
const LET_GO: f32 = 0.2;
/// Something that moved this much beside what was pressed might have been meant too.
const ALONG: f32 = 0.75;
/// What stays where it was put for this long was put there: a switch, a lever.
pub const STAYS: Micros = Micros::millis(1_500);
/// Nobody answers sooner than this: until then everything is taken for rest.
pub const BEGINS: Micros = Micros::millis(60);
/// A bounce of a contact is over by then; a second control pressed within it came by the same hand.
const SETTLES: Micros = Micros::millis(40);

/// What was captured.
#[derive(Clone, PartialEq, Debug)]
pub struct Taken {
    /// The source, as a profile names it.
    pub source: Named,
    /// Its full end is rest.
    pub inverted: bool,
    /// What it was taken for, and why, in words.
    pub why: String,
}

/// What a capture has heard so far.
#[derive(Clone, PartialEq, Debug, Default)]
pub enum Heard {
    /// Nothing that counts.
    #[default]
    Nothing,
    /// Something is pressed: it waits until it is let go.
    Pressed,
    /// This was meant.
    Taken(Taken),
    /// It cannot tell: why, and what to do.
    Unclear(String),
}

/// How one control has moved.
#[derive(Clone, Copy, Debug, Default)]
struct Moved {
    /// Where it stood in the beginning, as a share of its range.
    rest: f32,
    /// How far it went, as a share of what there is on that side: down, up.
    far: [f32; 2],
    /// Since when it is pressed.
    since: Option<Micros>,
    /// Directions that a hat showed, and how often each was alone.
    directions: [u16; 4],
    /// Whether it is off its rest now.
    off: bool,
    /// A button that is down already has to come up first.
    held: bool,
}

/// A capture under way.
#[derive(Clone, Debug)]
pub struct Capture {
    target: Target,
    controls: Vec<Control>,
    moved: Vec<Moved>,
    begun: Micros,
    /// When anything changed last.
    changed: Micros,
    heard: Heard,
}

fn state(control: &Control, frame: &Frame) -> (f32, u32) {
    match control.place {
        Place::Bit(bit) => (f32::from(u8::from(frame.bit(bit))), 0),
        Place::Value(value) => {
            let raw = frame.values.get(usize::from(value)).copied().unwrap_or(0);
            match control.kind {
                ControlKind::Hat => (0.0, control.hat_directions(raw)),
                _ => (control.share(raw), 0),
            }
        }
    }
}

impl Capture {
    /// Begins now; this frame, and others that come within [`BEGINS`], are taken for rest.
    #[must_use]
    pub fn new(now: Micros, part: &PartLayout, frame: &Frame, target: Target) -> Self {
        let usable = |control: &&Control| {
            matches!(control.kind, ControlKind::Button | ControlKind::Key | ControlKind::Axis | ControlKind::Hat)
        };
        let controls: Vec<Control> = part.controls.iter().filter(usable).cloned().collect();
        let moved = vec![Moved::default(); controls.len()];
        let mut out = Self { target, controls, moved, begun: now, changed: now, heard: Heard::Nothing };
        out.take_for_rest(frame);
        out
    }

    fn take_for_rest(&mut self, frame: &Frame) {
        for (control, moved) in self.controls.iter().zip(&mut self.moved) {
            let share = state(control, frame).0;
            moved.held = control.kind != ControlKind::Axis && share > 0.5;
            moved.rest = if moved.held { 0.0 } else { share };
        }
    }

    /// What it has heard.
    #[must_use]
    pub fn heard(&self) -> &Heard {
        &self.heard
    }

    /// How everything stands now.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        if matches!(self.heard, Heard::Taken(_) | Heard::Unclear(_)) {
            return;
        }
        if now < self.begun.after(BEGINS) {
            return self.take_for_rest(frame);
        }
        let mut any_off = false;
        for (control, moved) in self.controls.iter().zip(&mut self.moved) {
            let (share, directions) = state(control, frame);
            if moved.held {
                moved.held = share > 0.5;
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
                    // As a share of what there is on that side; a side with nearly nothing on it does not count.
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
            moved.off = off;
            any_off |= off;
            moved.far = [moved.far[0].max(down), moved.far[1].max(up)];
            if off && moved.since.is_none() {
                moved.since = Some(now);
            }
        }
        let pressed = self.moved.iter().any(|moved| moved.since.is_some());
        if pressed && !any_off {
            self.heard = self.judge();
        } else if pressed {
            self.heard = Heard::Pressed;
        }
    }

    /// Time goes by: what stays where it was put is taken as well.
    pub fn handle_time(&mut self, now: Micros) {
        if self.deadline().is_some_and(|due| due <= now) {
            self.heard = self.judge();
        }
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        (self.heard == Heard::Pressed).then(|| self.changed.after(STAYS))
    }

    fn judge(&self) -> Heard {
        let strength = |moved: &Moved| moved.far[0].max(moved.far[1]);
        let mut all: Vec<(usize, &Moved)> =
            self.moved.iter().enumerate().filter(|(_, moved)| moved.since.is_some()).collect();
        // The one that was pressed first was meant; of those that came together, the one that suits the target.
        let first = all.iter().filter_map(|(_, moved)| moved.since).min().unwrap_or_default();
        let fits = |at: usize| self.suits(&self.controls[at]);
        let together = |moved: &Moved| moved.since.is_some_and(|since| since.since(first) <= SETTLES);
        let meant = all
            .iter()
            .filter(|(_, moved)| together(moved))
            .max_by(|(a, one), (b, other)| {
                (fits(*a), strength(one)).partial_cmp(&(fits(*b), strength(other))).unwrap_or(std::cmp::Ordering::Equal)
            })
            .map(|(at, _)| *at);
        let Some(meant) = meant else { return Heard::Nothing };
        all.retain(|(at, moved)| *at != meant && strength(moved) >= ALONG);
        let own = &self.controls[meant];
        // One press can show twice: as a button and as a travel. Another one of the same kind is another press.
        let other = all
            .iter()
            .find(|(at, _)| self.suits(&self.controls[*at]) == self.suits(own) || own.kind == self.controls[*at].kind);
        if let Some((at, _)) = other {
            let [one, two] = [meant.min(*at), meant.max(*at)].map(|at| &self.controls[at].name);
            let words = format!("{one} and {two} were both pressed: press only the one that is meant");
            return Heard::Unclear(words);
        }
        self.read(own, &self.moved[meant], all.first().map(|(at, _)| &self.controls[*at]))
    }

    /// Whether a control is of the sort that a target takes: a travel for a trigger or a stick, a press for all others.
    fn suits(&self, control: &Control) -> bool {
        let travels = control.kind == ControlKind::Axis;
        let wants = self.target.is_stick() || matches!(self.target, Target::LeftTrigger | Target::RightTrigger);
        travels == wants
    }

    fn read(&self, control: &Control, moved: &Moved, along: Option<&Control>) -> Heard {
        let name = control.name.clone();
        let also = along.map_or(String::new(), |other| format!("; {} moved along", other.name));
        let taken = |part: Option<Part>, inverted: bool, why: String| {
            let source = Named { control: name.clone(), part };
            Heard::Taken(Taken { source, inverted, why: format!("{why}{also}") })
        };
        match control.kind {
            ControlKind::Hat => {
                let most = (0..4).max_by_key(|at| moved.directions[*at]).unwrap_or(0);
                let rest: u16 = moved.directions.iter().sum::<u16>() - moved.directions[most];
                if moved.directions[most] == 0 || rest * 2 > moved.directions[most] {
                    return Heard::Unclear(format!("{name} went more than one way: press one direction, straight"));
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
mod tests;
