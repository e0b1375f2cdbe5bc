//! A roll call: the pad's controls are named one after the other, and answered on the device.

use super::capture::{Capture, Doubt, Heard, TRACE, Taken, steers};
use super::said::{CallAnswer, CallState, CallStep, Elsewhere, Listened, Question};
use super::words::ORDER;
use crate::binding::{Change, Named, Part, Target};
use crate::control::{ControlKind, Place};
use crate::pad::PadTarget;
use crate::time::Micros;
use mantle_hid::Frame;

/// A button that has answered steers when held for this long.
pub const HELD: Micros = Micros::millis(800);

/// A button that steers.
#[derive(Clone, Debug)]
struct Steering {
    member: usize,
    name: String,
    bit: u16,
    since: Option<Micros>,
}

/// A roll call under way.
#[derive(Clone, Debug)]
pub struct RollCall {
    list: Vec<(Target, CallState)>,
    /// The index of the current one; beyond the end when it is over.
    at: usize,
    listened: Vec<Listened>,
    /// What plays targets that are not called.
    elsewhere: Vec<Elsewhere>,
    captures: Vec<Capture>,
    doubts: Vec<Option<Doubt>>,
    /// Where the previous captures saw controls at rest.
    rests: Vec<Vec<f32>>,
    /// How often the devices report.
    paces: Vec<ReportPace>,
    steering: Vec<Steering>,
    /// A held button has steered: it has to be released before it can do so again.
    spent: bool,
    question: Option<Question>,
    unclear: Option<String>,
    /// The previous answer, for the person to see.
    last: Option<Target>,
    /// What moved at the last press.
    moved: Vec<(String, [u8; TRACE])>,
    changes: Vec<Change>,
    stopped: bool,
}

/// How often a device reports, by its recent gaps.
#[derive(Clone, Copy, Debug, Default)]
struct ReportPace {
    last: Option<Micros>,
    gaps: [Option<Micros>; GAPS],
    next: usize,
}

/// So many gaps are looked at.
const GAPS: usize = 16;

impl ReportPace {
    fn handle_report(&mut self, now: Micros) {
        if let Some(last) = self.last.replace(now) {
            self.gaps[self.next] = Some(now.since(last));
            self.next = (self.next + 1) % GAPS;
        }
    }

    /// The shortest recent gap: a device that reports only changes may pause, but never reports faster than it can.
    fn period(&self) -> Option<Micros> {
        self.gaps.iter().flatten().min().copied()
    }
}

fn source(target: Target, source: Option<String>, inverted: bool) -> Change {
    Change::Source { target, layer: String::new(), source, inverted }
}

fn said(target: Target, answer: &CallAnswer) -> Change {
    source(target, Some(answer.source.text()), answer.inverted)
}

/// Whether two sources have some state of a control in common.
fn overlap(a: &Named, b: &Named) -> bool {
    let whole = |part: Option<Part>| matches!(part, None | Some(Part::Whole));
    a.control == b.control && (a.part == b.part || whole(a.part) || whole(b.part))
}

impl RollCall {
    /// Asks for these targets: those of the common pad in the order of [`ORDER`], others in their own order. `elsewhere` says what plays the others.
    #[must_use]
    pub fn new(now: Micros, listened: Vec<Listened>, targets: &[Target], elsewhere: Vec<Elsewhere>) -> Self {
        let common = targets.iter().all(|target| target.pad().is_some_and(|own| ORDER.contains(&own)));
        let in_order = ORDER.into_iter().map(Target::Pad).filter(|target| targets.contains(target));
        let list: Vec<Target> = if common { in_order.collect() } else { targets.to_vec() };
        let list: Vec<_> = list.into_iter().map(|target| (target, CallState::Waiting)).collect();
        let mut out = Self {
            list,
            at: 0,
            doubts: vec![None; listened.len()],
            paces: vec![ReportPace::default(); listened.len()],
            listened,
            elsewhere,
            captures: Vec::new(),
            rests: Vec::new(),
            steering: Vec::new(),
            spent: false,
            question: None,
            unclear: None,
            last: None,
            moved: Vec::new(),
            changes: Vec::new(),
            stopped: false,
        };
        out.listen(now);
        out
    }

    /// The targets in the order of asking, and the state of each.
    #[must_use]
    pub fn list(&self) -> &[(Target, CallState)] {
        &self.list
    }

    /// The current target; none when it is over.
    #[must_use]
    pub fn target(&self) -> Option<Target> {
        self.list.get(self.at).filter(|_| !self.stopped).map(|(target, _)| *target)
    }

    /// An answer whose control already plays something.
    #[must_use]
    pub fn question(&self) -> Option<&Question> {
        self.question.as_ref()
    }

    /// Why the last press was unclear.
    #[must_use]
    pub fn unclear(&self) -> Option<&str> {
        self.unclear.as_deref()
    }

    /// What was answered last.
    #[must_use]
    pub fn last(&self) -> Option<(Target, &CallAnswer)> {
        self.last.and_then(|target| Some((target, self.answer(target)?)))
    }

    /// Whether something is pressed now.
    #[must_use]
    pub fn pressed(&self) -> bool {
        self.captures.iter().any(|capture| *capture.heard() == Heard::Pressed)
    }

    /// What moves, or moved at the last press: the controls' names and how far each was off its rest, step by step.
    #[must_use]
    pub fn traces(&self) -> Vec<(String, [u8; TRACE])> {
        let all = self.captures.iter().flat_map(Capture::traces);
        let now: Vec<_> = all.take(2).map(|(name, trace)| (name.to_owned(), trace)).collect();
        if now.is_empty() { self.moved.clone() } else { now }
    }

    /// The buttons that steer while held: the first goes on, the second goes back, both together stop.
    #[must_use]
    pub fn steering(&self) -> [Option<&str>; 2] {
        let name = |at: usize| self.steering.get(at).map(|one| one.name.as_str());
        [name(0), name(1)]
    }

    /// What a target was answered with.
    #[must_use]
    pub fn answer(&self, target: Target) -> Option<&CallAnswer> {
        self.list.iter().find(|(own, _)| *own == target).and_then(|(_, state)| match state {
            CallState::Answered(answer) => Some(answer),
            _ => None,
        })
    }

    /// The rests of axes that answered: the member, the control, the share of its range.
    pub fn rests(&self) -> impl Iterator<Item = (usize, &str, f32)> {
        self.list.iter().filter_map(|(_, state)| match state {
            CallState::Answered(answer) => Some((answer.member, answer.source.control.as_str(), answer.rest?)),
            _ => None,
        })
    }

    /// What has to change in the profile.
    pub fn poll_changes(&mut self) -> Option<Vec<Change>> {
        (!self.changes.is_empty()).then(|| std::mem::take(&mut self.changes))
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        let captures = self.captures.iter().filter_map(Capture::deadline);
        let steers = self.steering.iter().filter(|_| !self.spent).filter_map(|one| one.since);
        captures.chain(steers.map(|since| since.after(HELD))).min()
    }

    /// A member's frame has come.
    pub fn handle_frame(&mut self, now: Micros, member: usize, frame: &Frame) {
        self.handle_time(now);
        for (at, listened) in self.listened.iter_mut().enumerate().filter(|(_, one)| one.member == member) {
            listened.frame = *frame;
            self.paces[at].handle_report(now);
            if let Some(capture) = self.captures.get_mut(at) {
                capture.handle_frame(now, frame);
            }
        }
        for one in self.steering.iter_mut().filter(|one| one.member == member) {
            match frame.bit(one.bit) {
                true => _ = one.since.get_or_insert(now),
                false => one.since = None,
            }
        }
        self.spent &= self.steering.iter().any(|one| one.since.is_some());
        self.look(now);
    }

    /// The time is at least this.
    pub fn handle_time(&mut self, now: Micros) {
        let held = |one: &&Steering| one.since.is_some_and(|since| now >= since.after(HELD));
        if !self.spent && self.target().is_some() && self.steering.iter().any(|one| held(&one)) {
            let down: Vec<bool> = self.steering.iter().map(|one| one.since.is_some()).collect();
            self.steer(now, &down);
        }
        self.captures.iter_mut().for_each(|capture| capture.handle_time(now));
        self.look(now);
    }

    /// What a held button means: on and back, or, at a question, to move the control or not.
    fn steer(&mut self, now: Micros, down: &[bool]) {
        self.spent = true;
        match (down, self.question.is_some()) {
            ([true, true], _) => self.stop(),
            ([true, ..], true) => self.step(now, CallStep::Move),
            ([true, ..], false) => self.step(now, CallStep::Skip),
            (_, true) => self.step(now, CallStep::Again),
            (_, false) => self.step(now, CallStep::Back),
        }
    }

    /// It is over; answers are kept.
    pub fn stop(&mut self) {
        self.stopped = true;
        self.captures.clear();
        self.question = None;
    }

    /// The person wants something.
    pub fn step(&mut self, now: Micros, step: CallStep) {
        let question = self.question.take();
        match (step, question) {
            (CallStep::Move, Some(question)) => {
                self.release(question.plays);
                self.accept(now, question.answer);
            }
            (CallStep::Both, Some(question)) => {
                // A guessed binding of the other one has to be stated from now on, or it would be lost.
                let guessed = |one: &&Elsewhere| one.guessed && one.target == question.plays;
                let changes = self.elsewhere.iter().filter(guessed);
                self.changes.extend(changes.map(|one| source(one.target, Some(one.source.text()), false)));
                self.accept(now, question.answer);
            }
            (CallStep::Skip, None) if self.target().is_some() => {
                let state = &mut self.list[self.at].1;
                if *state == CallState::Waiting {
                    *state = CallState::Skipped;
                }
                self.next(now);
            }
            (CallStep::Back, None) => {
                let before = (0..self.at.min(self.list.len())).rev().find(|at| !self.follows(*at));
                self.at = before.unwrap_or(self.at);
                self.stopped = false;
                self.listen(now);
            }
            _ => self.listen(now),
        }
    }

    fn follows(&self, at: usize) -> bool {
        matches!(&self.list[at].1, CallState::Answered(answer) if answer.follows.is_some())
    }

    /// Takes away what a target was answered with.
    fn release(&mut self, target: Target) {
        self.changes.push(source(target, Some("none".into()), false));
        self.elsewhere.retain(|one| one.target != target);
        for (_, state) in self.list.iter_mut().filter(|(own, _)| *own == target) {
            *state = CallState::Waiting;
        }
    }

    /// Whether a press would be heard by now.
    #[must_use]
    pub fn hears(&self, now: Micros) -> bool {
        self.captures.iter().all(|capture| capture.hears(now))
    }

    /// Listens afresh for the current target.
    fn listen(&mut self, now: Micros) {
        let doubts = std::mem::take(&mut self.doubts);
        self.doubts = vec![None; self.listened.len()];
        let before = std::mem::take(&mut self.captures);
        if !before.is_empty() {
            self.rests = before.iter().map(Capture::rests).collect();
        }
        self.unclear = None;
        let Some(target) = self.target() else { return };
        let all = self.listened.iter().zip(doubts).enumerate();
        self.captures = all
            .map(|(at, (one, doubt))| {
                let capture =
                    Capture::new(now, &one.part, &one.frame, target).after(doubt).paced(self.paces[at].period());
                match self.rests.get(at) {
                    Some(rests) => capture.resting(rests, &one.frame),
                    None => capture,
                }
            })
            .collect();
    }

    /// Looks at what the captures have heard.
    fn look(&mut self, now: Micros) {
        if self.spent {
            // A press that steered is no answer; it has to be released first.
            if self.captures.iter().any(|capture| !matches!(capture.heard(), Heard::Nothing | Heard::Pressed)) {
                self.listen(now);
            }
            return;
        }
        let heard = |capture: &Capture| matches!(capture.heard(), Heard::Taken(_) | Heard::Unclear(_));
        let Some(at) = self.captures.iter().position(heard) else { return };
        self.moved = self.traces();
        // Another device that was pressed meanwhile may have been meant as well.
        let other =
            (0..self.captures.len()).find(|other| *other != at && *self.captures[*other].heard() != Heard::Nothing);
        if let Some(other) = other {
            let name = |at: usize| self.captures[at].traces().first().map_or("a control", |(name, _)| *name).to_owned();
            let (one, two) = (name(at), name(other));
            self.listen(now);
            self.unclear = Some(format!(
                "{one} of one device and {two} of another were both pressed: press only the one you mean"
            ));
            return;
        }
        match self.captures[at].heard().clone() {
            Heard::Taken(taken) => self.take(now, self.listened[at].member, taken),
            Heard::Unclear(why) => {
                let doubt = self.captures[at].doubt();
                self.doubts[at] = doubt;
                self.listen(now);
                self.unclear = Some(why);
            }
            _ => {}
        }
    }

    fn take(&mut self, now: Micros, member: usize, taken: Taken) {
        let Some(target) = self.target() else { return };
        let Taken { source, inverted, why, figures, rest } = taken;
        let answer = CallAnswer { member, source, inverted, why, figures, rest, follows: None };
        if let Some(asked) = self.question.take() {
            // The same again means both; anything else was meant instead.
            if asked.answer.source == answer.source && asked.answer.member == member {
                self.question = Some(asked);
                return self.step(now, CallStep::Both);
            }
        }
        match self.plays(target, &answer) {
            Some(plays) => {
                self.listen(now);
                self.question = Some(Question { plays, answer });
            }
            None => self.accept(now, answer),
        }
    }

    /// What a source already plays, besides this target and what follows from it.
    fn plays(&self, target: Target, answer: &CallAnswer) -> Option<Target> {
        let called = self.list.iter().filter_map(|(own, state)| match state {
            CallState::Answered(other) if *own != target && other.follows != Some(target) => {
                Some((*own, other.member, &other.source))
            }
            _ => None,
        });
        let elsewhere = self.elsewhere.iter().map(|one| (one.target, one.member, &one.source));
        let mut all = called.chain(elsewhere);
        all.find(|(_, member, source)| *member == answer.member && overlap(source, &answer.source)).map(|(own, ..)| own)
    }

    fn accept(&mut self, now: Micros, answer: CallAnswer) {
        let Some(target) = self.target() else { return };
        // What followed from the previous answer no longer does.
        for (own, state) in &mut self.list {
            if matches!(state, CallState::Answered(other) if other.follows == Some(target)) {
                *state = CallState::Waiting;
                self.changes.push(source(*own, None, false));
            }
        }
        self.changes.push(said(target, &answer));
        for (other, named) in consequences(target, &answer.source) {
            let follows = CallAnswer { source: named, follows: Some(target), ..answer.clone() };
            let free = self.plays(other, &follows).is_none_or(|plays| plays == target);
            let place =
                self.list.iter().position(|(own, state)| *own == other && !matches!(state, CallState::Answered(_)));
            if let Some(place) = place.filter(|_| free) {
                self.changes.push(said(other, &follows));
                self.list[place].1 = CallState::Answered(follows);
            }
        }
        self.know(&answer);
        self.last = Some(target);
        self.list[self.at].1 = CallState::Answered(answer);
        self.next(now);
    }

    /// From then on, the first two buttons that answered steer.
    fn know(&mut self, answer: &CallAnswer) {
        let known = self.steering.iter().any(|one| one.member == answer.member && one.name == answer.source.control);
        if self.steering.len() == 2 || known {
            return;
        }
        let part = self.listened.iter().find(|one| one.member == answer.member).map(|one| &one.part);
        let control = part.and_then(|part| part.controls.iter().find(|one| one.name == answer.source.control));
        let Some(control) = control.filter(|one| matches!(one.kind, ControlKind::Button | ControlKind::Key)) else {
            return;
        };
        if let (Place::Bit(bit), false) = (control.place, steers(control)) {
            let (member, name) = (answer.member, control.name.clone());
            self.steering.push(Steering { member, name, bit, since: None });
        }
    }

    /// On to the next one that waits; after the last one, to those left waiting.
    fn next(&mut self, now: Micros) {
        let waits = |at: &usize| self.list[*at].1 == CallState::Waiting;
        let ahead = (self.at + 1..self.list.len()).find(waits);
        self.at = ahead.or_else(|| (0..self.list.len()).find(waits)).unwrap_or(self.list.len());
        self.listen(now);
    }
}

/// What else a source plays if it plays this: the other half of an axis the opposite direction, a hat all four.
fn consequences(target: Target, source: &Named) -> Vec<(Target, Named)> {
    const HAT: [Part; 4] = [Part::Up, Part::Down, Part::Left, Part::Right];
    let named = |part: Part| Named { control: source.control.clone(), part: Some(part) };
    let opposite = || target.opposed().map(|(low, high)| Target::Pad(if target == low { high } else { low }));
    match source.part {
        Some(Part::LowerHalf) => opposite().map(|other| (other, named(Part::UpperHalf))).into_iter().collect(),
        Some(Part::UpperHalf) => opposite().map(|other| (other, named(Part::LowerHalf))).into_iter().collect(),
        Some(part) => {
            let Some((four, at)) = target.pad().and_then(four_of) else { return Vec::new() };
            let others = (0..4).filter(|to| HAT[at] == part && *to != at);
            others.map(|to| (four[to].into(), named(HAT[to]))).collect()
        }
        None => Vec::new(),
    }
}

/// The four directions of a hat or a stick (up, down, left, right), and which of them a target is.
fn four_of(target: PadTarget) -> Option<([PadTarget; 4], usize)> {
    use PadTarget::{LeftStickDown, LeftStickLeft, LeftStickRight, LeftStickUp};
    use PadTarget::{RightStickDown, RightStickLeft, RightStickRight, RightStickUp};
    let sticks = [
        [LeftStickUp, LeftStickDown, LeftStickLeft, LeftStickRight],
        [RightStickUp, RightStickDown, RightStickLeft, RightStickRight],
    ];
    let hats = target.hat_of().map(PadTarget::hat);
    sticks.into_iter().chain(hats).find_map(|four| Some((four, four.iter().position(|one| *one == target)?)))
}

#[cfg(test)]
#[path = "call_tests.rs"]
mod tests;
